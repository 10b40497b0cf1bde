"""Who teaches what: candidates with what speaks for and against them, and putting them to a run, a pattern or a meeting."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome
from archgate.actions.runs import moving
from archgate.actions.schedule import schedule, teachers
from archgate.actions.seats import seats
from archgate.actions.teaching import evaluations, loads, pay
from archgate.actions.teaching.commands import AssignCommand, TeacherForm
from archgate.actions.teaching.instructors import get_instructor
from archgate.actions.teaching.views import Candidate, Candidates, MarksOut
from archgate.core.cover import Obstacle, Slot, Teacher, fit_of, obstacles
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.pay import cost_of_meetings
from archgate.core.schedule import day_text
from archgate.core.states import CoverAnswer, Fit, Part
from archgate.core.teaching import Season, hours_text, season_of
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import CoverCall, Instructor

RULE = (
    "Those who are free come first, then the qualified, then whose week stays within their most hours, then the cheapest,"
    " then whose week is shortest."
)


def slots_of(run: Run, meetings: Sequence[Meeting], part: Part) -> list[Slot]:
    return [
        Slot(m.id, m.starts_at, m.ends_at, m.minutes, m.date, run.course_id, run.course.category, part)
        for m in meetings
    ]


def asked_meetings(uow: UnitOfWork, run: Run, pattern_n: int | None, meeting_id: int | None) -> list[Meeting]:
    """The coming meetings that a choice is for; one by itself also when it is over."""
    if meeting_id is not None:
        found = [m for m in run.meetings if m.id == meeting_id]
        if not found:
            raise not_found("This meeting")
        return found
    ahead = [m for m in schedule.ordered(run) if m.ends_at > uow.now]
    return [m for m in ahead if pattern_n is None or m.pattern_n == pattern_n]


def candidates(
    uow: UnitOfWork, run_id: int, pattern_n: int | None, meeting_id: int | None, part: Part
) -> Candidates:
    """Everybody who might teach some meetings of a run, best first, each with why."""
    run = get_run(uow, run_id, taught=True)
    meetings = asked_meetings(uow, run, pattern_n, meeting_id)
    season = season_of(meetings[0].date if meetings else uow.today)
    days = [m.date for m in meetings] or [uow.today]
    people, free, held = loads.those_who_teach(uow, days, {m.id for m in meetings})
    slots = slots_of(run, meetings, part)
    marks = evaluations.marks_of_many(uow, [i.id for i in people])
    costs = pay.costs_of(uow, run, people, part)
    asked = calls_of(uow, meeting_id) if meeting_id is not None else {}
    rows = [
        candidate(uow, i, t, slots, held, season, costs[i.id], marks[i.id], asked.get(i.id))
        for i, t in zip(people, free, strict=True)
    ]
    return Candidates(
        run_id=run.id,
        currency=run.currency,
        meetings=len(meetings),
        season=season.text,
        rule=RULE,
        candidates=[c for _, c in sorted(rows, key=lambda r: r[0])],
    )


def calls_of(uow: UnitOfWork, meeting_id: int) -> dict[int, CoverAnswer]:
    rows = select(CoverCall.instructor_id, CoverCall.answer).where(CoverCall.meeting_id == meeting_id)
    return {number: answer for number, answer in uow.session.execute(rows)}  # noqa: C416


Ranked = tuple[tuple[int, int, int, int, int, str], Candidate]
AGAINST = {
    Obstacle.TEACHES: "teaches at that time",
    Obstacle.AWAY: "away",
    Obstacle.HOURS: "outside the weekly hours",
}


def candidate(
    uow: UnitOfWork,
    i: Instructor,
    teacher: Teacher,
    slots: Sequence[Slot],
    held: loads.Loads,
    season: Season,
    term: pay.Costed,
    marks: MarksOut,
    asked: CoverAnswer | None,
) -> Ranked:
    """Somebody with what speaks for and against them, and their rank: the smaller the better."""
    ways = {slot: obstacles(teacher, slot, uow.zone, unknown=True) for slot in slots}
    against = [
        on_days(sentence, [s for s, found in ways.items() if obstacle in found])
        for obstacle, sentence in AGAINST.items()
    ]
    why_not = [sentence for sentence in against if sentence]
    fit = fit_of(teacher, slots[0]) if slots else Fit.UNKNOWN
    mine: dict[object, int] = {}
    for s in slots:
        mine[s.week] = mine.get(s.week, 0) + s.minutes
    longest = max((teacher.weeks.get(s.week, 0) + mine[s.week] for s in slots), default=0)
    first_week = teacher.weeks.get(slots[0].week, 0) if slots else 0
    over = i.most_minutes is not None and longest > i.most_minutes
    cost = None if term.term is None else cost_of_meetings(term.facts, term.term, [s.minutes for s in slots])
    said = [
        "free" if not why_not else why_not[0],
        str(fit),
        *(
            [f"{hours_text(longest)} h in the longest week, over {hours_text(i.most_minutes or 0)}"]
            if over
            else []
        ),
    ]
    shown = Candidate(
        instructor_id=i.id,
        name=i.name,
        employment=i.employment,
        free=not why_not,
        why_not=why_not,
        fit=fit,
        week_hours=hours_text(first_week),
        season_hours=hours_text(held.season.get(i.id, 0)),
        over_week=over,
        cost=None if cost is None else format_amount(cost, term.facts.currency),
        why_cost=term.why,
        marks=marks,
        answer=asked,
        why=", ".join(said),
    )
    declined = asked is CoverAnswer.DECLINED
    fits = {Fit.YES: 0, Fit.UNKNOWN: 1, Fit.NO: 2}[fit]
    rank = (
        int(bool(why_not)) + declined,
        fits,
        int(over),
        10**15 if cost is None else cost,
        longest,
        i.name,
    )
    return rank, shown


def on_days(sentence: str, slots: Sequence[Slot]) -> str:
    """What stands in the way, and on which dates."""
    if not slots:
        return ""
    days = ", ".join(day_text(s.day) for s in slots[:3])
    more = f" and {len(slots) - 3} more" if len(slots) > 3 else ""
    return f"{sentence}: {days}{more}"


# --- put to teach -----------------------------------------------------------------------------------------


def assigned(uow: UnitOfWork, forms: Sequence[TeacherForm]) -> list[teachers.Assigned]:
    """The chosen people with their parts. Raises Refused for somebody twice, or who does not teach any more."""
    faults, found = list[Fault](), list[teachers.Assigned]()
    for n, form in enumerate(forms):
        row = get_instructor(uow, form.instructor_id)
        if not row.active:
            faults.append(Fault(f"/teachers/{n}", f"{row.name} does not teach here any more."))
        if any(a.instructor is row for a in found):
            faults.append(Fault(f"/teachers/{n}", f"{row.name} stands here twice."))
        found.append(teachers.Assigned(row, form.part))
    if faults:
        raise Refused(faults)
    return found


def assign(uow: UnitOfWork, run_id: int, command: AssignCommand) -> Outcome:
    """Put people to teach a run, a pattern's coming meetings, or one meeting. The run's usual ones go with its coming meetings
    that had the old ones; a pattern's become what new meetings of it start with."""
    run = seats.run_to_change(uow, run_id)
    chosen = assigned(uow, command.teachers)
    new = teachers.text_of(chosen)
    if command.meeting_id is not None:
        meeting = next((m for m in run.meetings if m.id == command.meeting_id), None)
        if meeting is None:
            raise not_found("This meeting")
        had, touched = teachers.text_of(meeting.teachers), [meeting]
        of = f"the meeting of {run.code} on {day_text(meeting.date)}"
        owner: teachers.Owner | None = None
    elif command.pattern_n is not None:
        pattern = next((p for p in run.patterns if p.n == command.pattern_n), None)
        if pattern is None:
            raise not_found("This pattern")
        had = teachers.text_of(pattern.teachers) or teachers.text_of(run.teachers)
        touched = asked_meetings(uow, run, command.pattern_n, None)
        of, owner = f"pattern {pattern.n} of {run.code}", pattern
    else:
        had = teachers.text_of(run.teachers)
        touched = [m for m in asked_meetings(uow, run, None, None) if teachers.text_of(m.teachers) == had]
        of, owner = run.code, run
    if command.seen is not None:
        refuse_lost_update({"teachers": new}, {"teachers": command.seen}, {"teachers": had})
    if had == new and all(teachers.text_of(m.teachers) == new for m in touched):
        raise refuse("/teachers", f"{new or 'Nobody'} teaches {of} already.")

    def do() -> None:
        if owner is not None:
            teachers.put(owner, chosen)
        for m in touched:
            if teachers.text_of(m.teachers) != new:
                teachers.put(m, chosen)
                m.sequence += 1

    return moving.change_dates(uow, run, Act.ASSIGN, lambda: f"{new or 'Nobody'} teaches {of}", do)
