"""Cover: meetings that have nobody, whom to ask for each, and the best proposal for all of them at once.

A proposal is worked out by the worker, so that nobody waits; it changes nothing until it is taken.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, time, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload, sessionmaker

from archgate.actions.kernel import queue
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.restoring import restore_rows
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork, act, lock_row, read_only
from archgate.actions.kernel.views import DateFacts, Done
from archgate.actions.runs.telling_dates import tell_of_dates
from archgate.actions.schedule import clashes, places, schedule, teachers
from archgate.actions.schedule.commands import BusyCommand
from archgate.actions.seats import seats
from archgate.actions.teaching import assigning, instructors, loads, pay
from archgate.actions.teaching.commands import CoverCallCommand, CoverCommand, TakeCoverCommand
from archgate.actions.teaching.views import (
    CoverLineOut,
    CoverPlanOut,
    CoverPlans,
    CoverTaken,
    Uncovered,
    UncoveredMeeting,
)
from archgate.core.cover import (
    MOST_SLOTS,
    Proposal,
    Question,
    Slot,
    faults_of,
    propose,
    question_of,
    why_chosen,
    why_uncovered,
)
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.pay import cost_of_meetings
from archgate.core.schedule import day_text, moment_of
from archgate.core.states import CoverAim, CoverAnswer, CoverStatus, Part
from archgate.core.teaching import hours_text
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import BusyTime, CoverCall, CoverLine, CoverPlan, Instructor, MeetingTeacher

LONGEST = 400  # days of one proposal
JOB = "work out cover"
SOON = 14  # days within which an absence is taken to be the one that is asked about


def refuse_span(first: date, last: date) -> None:
    if last < first:
        raise refuse("/through", "The last day is before the first.")
    if (last - first).days > LONGEST:
        raise refuse("/through", f"A proposal is for at most {LONGEST} days.")


def uncovered_meetings(uow: UnitOfWork, instructor_id: int | None, first: date, last: date) -> list[Meeting]:
    """The coming meetings of somebody between two days; or without one, those of all runs that nobody teaches."""
    query = (
        select(Meeting)
        .join(Run, Run.id == Meeting.run_id)
        .where(
            Meeting.date.between(first, last),
            Meeting.cancelled_at.is_(None),
            Meeting.ends_at > uow.now,
            Run.status.not_in(clashes.GONE),
        )
        .order_by(Meeting.starts_at, Meeting.id)
        .limit(MOST_SLOTS + 1)
    )
    if instructor_id is not None:
        query = query.where(clashes.taught_by(instructor_id))
    else:
        query = query.where(Meeting.id.not_in(select(MeetingTeacher.meeting_id)))
    rows = list(uow.session.scalars(query))
    if len(rows) > MOST_SLOTS:
        raise refuse("/through", f"That is more than {MOST_SLOTS} meetings; take a shorter time.")
    return rows


def span_of(
    uow: UnitOfWork, i: Instructor | None, first: date | None, last: date | None
) -> tuple[date, date]:
    """The days that are looked at: those that are given; else those of the absence that is going on or begins soon, from today
    on; else a week, and a quarter for meetings that have nobody."""
    if first is None and last is None and i is not None:
        soon = loads.absences(uow, uow.now, uow.now + timedelta(days=SOON), (i.id,)).get(i.id, [])
        away = next((b for b in soon if b.all_day), None)
        if away is not None:
            begins, ends = (
                away.starts_at.astimezone(uow.zone).date(),
                away.ends_at.astimezone(uow.zone).date(),
            )
            return max(uow.today, begins), min(ends - timedelta(days=1), uow.today + timedelta(days=LONGEST))
    begin = first or uow.today
    return begin, last or begin + timedelta(days=6 if i else 90)


def uncovered(
    uow: UnitOfWork, instructor_id: int | None, first: date | None = None, last: date | None = None
) -> Uncovered:
    """What an absence would leave without anybody, or what has nobody yet."""
    i = instructors.get_instructor(uow, instructor_id) if instructor_id is not None else None
    first, last = span_of(uow, i, first, last)
    refuse_span(first, last)
    shown = [
        UncoveredMeeting(
            **dict(loads.held_meeting(get_run(uow, m.run_id), m)), taught_by=teachers.text_of(m.teachers)
        )
        for m in uncovered_meetings(uow, instructor_id, first, last)
    ]
    return Uncovered(
        instructor_id=instructor_id,
        instructor=i.name if i else None,
        first=first,
        last=last,
        away=i is not None and away_already(uow, i.id, first, last),
        meetings=shown,
    )


# --- asked for --------------------------------------------------------------------------------------------


def ask_for(uow: UnitOfWork, command: CoverCommand) -> CoverPlanOut:
    """Ask for a proposal, and with `absence` write down that somebody is away; both in one act."""
    refuse_span(command.first, command.last)
    i = instructors.get_instructor(uow, command.instructor_id) if command.instructor_id is not None else None
    if command.absence is not None and i is None:
        raise refuse("/instructor_id", "Say who is away.")
    if not uncovered_meetings(uow, command.instructor_id, command.first, command.last):
        whom = f"{i.name} teaches nothing that is ahead" if i else "Every coming meeting has somebody"
        raise refuse(
            "/from",
            f"{whom} between {day_text(command.first)} and {day_text(command.last)}; there is nothing to cover.",
        )
    if (
        i is not None
        and command.absence is not None
        and not away_already(uow, i.id, command.first, command.last)
    ):
        form = {"from": command.first, "through": command.last, "label": command.absence or "away"}
        places.add_busy(uow, "instructor", i.id, BusyCommand.model_validate(form))
    plan = CoverPlan(
        instructor_id=command.instructor_id,
        first=command.first,
        last=command.last,
        aim=command.aim,
        unknown=command.unknown,
        status=CoverStatus.QUEUED,
        made_at=uow.now,
        user_id=uow.user_id,
    )
    uow.session.add(plan)
    uow.session.flush()
    whom = f"{i.name} from" if i else "meetings that have nobody from"
    change = uow.log(
        Act.ASK_FOR_COVER, plan.id, f"Cover for {whom} {day_text(plan.first)} through {day_text(plan.last)}"
    )
    queue.queue(uow, JOB, f"cover:{plan.id}:{change.key}", {"plan": plan.id, "about": "a proposal of cover"})
    return plan_view(uow, plan)


def away_already(uow: UnitOfWork, instructor_id: int, first: date, last: date) -> bool:
    """Whether one absence that is written down covers these days."""
    begins, ends = (
        moment_of(day, time(0), uow.zone).astimezone(UTC) for day in (first, last + timedelta(days=1))
    )
    query = select(BusyTime.id).where(
        BusyTime.instructor_id == instructor_id, BusyTime.starts_at <= begins, BusyTime.ends_at >= ends
    )
    return uow.session.scalar(query.limit(1)) is not None


def get_plan(uow: UnitOfWork, plan_id: int, to_change: bool = False) -> CoverPlan:
    row = lock_row(uow, CoverPlan, plan_id) if to_change else uow.session.get(CoverPlan, plan_id)
    if row is None:
        raise not_found("This proposal")
    return row


# --- worked out, by the worker ----------------------------------------------------------------------------


@dataclass(frozen=True)
class Task:
    """What a proposal is worked out from, read at one moment."""

    question: Question
    uncoverable: dict[int, str]
    currency: str


def task_of(uow: UnitOfWork, plan: CoverPlan) -> Task:
    """The meetings, who might take them, and what each choice costs."""
    meetings = uncovered_meetings(uow, plan.instructor_id, plan.first, plan.last)
    ids = {m.id for m in meetings}
    days = [m.date for m in meetings] or [plan.first]
    people, free, _ = loads.those_who_teach(uow, days, ids)
    away = [t for t in range(len(free)) if free[t].id != plan.instructor_id]
    people, able = [people[t] for t in away], [free[t] for t in away]
    slots, costs = list[Slot](), dict[tuple[int, int], int | None]()
    for run_id in sorted({m.run_id for m in meetings}):
        run = get_run(uow, run_id)
        by_id = pay.costs_of(uow, run, people, Part.SUBSTITUTE)
        for m in (m for m in meetings if m.run_id == run_id):
            part = next((t.part for t in m.teachers if t.instructor_id == plan.instructor_id), Part.LEAD)
            slots += assigning.slots_of(run, [m], part if part is Part.ASSISTANT else Part.LEAD)
            for t, i in enumerate(people):
                term = by_id[i.id]
                if term.term is not None:
                    costs[len(slots) - 1, t] = cost_of_meetings(term.facts, term.term, [m.minutes])
    # Whoever teaches the meeting already, beside the one who is away, cannot step in for them.
    teaching = {m.id: {x.instructor_id for x in m.teachers} for m in meetings}
    beside = {
        (s, t) for s, slot in enumerate(slots) for t, i in enumerate(people) if i.id in teaching[slot.id]
    }
    question = question_of(slots, able, uow.zone, costs, plan.aim, plan.unknown)
    kept = {pair: c for pair, c in question.costs.items() if pair not in beside}
    question = Question(question.slots, question.teachers, kept, plan.aim)
    why = {
        slot.id: why_uncovered(question, s, uow.zone, plan.unknown) for s, slot in enumerate(question.slots)
    }
    return Task(question, why, uow.center.currency)


def work_out(sessions: sessionmaker[Session], plan_id: int) -> None:
    """Read, solve, and write down what was found: three steps, of which only the last holds a lock."""

    def begin(uow: UnitOfWork) -> bool:
        plan = get_plan(uow, plan_id, to_change=True)
        if plan.status not in (CoverStatus.QUEUED, CoverStatus.WORKING):
            return False
        plan.status = CoverStatus.WORKING
        return True

    if not act(sessions, begin):
        return
    task = read_only(sessions, lambda uow: task_of(uow, get_plan(uow, plan_id)))
    found = propose(task.question)
    act(sessions, lambda uow: write_down(uow, plan_id, task, found))


def write_down(uow: UnitOfWork, plan_id: int, task: Task, found: Proposal) -> None:
    plan = get_plan(uow, plan_id, to_change=True)
    if plan.status is not CoverStatus.WORKING:
        return
    question = task.question
    wrong = faults_of(question, found.chosen)
    plan.status = CoverStatus.FAILED if wrong else CoverStatus.READY
    plan.value, plan.bound = found.value, found.bound
    plan.greedy = found.greedy.week if plan.aim is CoverAim.EVEN else found.greedy.cost
    plan.said = wrong[0] if wrong else said_of(found, question, task.currency)
    order = sorted(range(len(question.slots)), key=lambda s: (question.slots[s].start, question.slots[s].id))
    plan.lines = [
        CoverLine(
            n=n,
            meeting_id=question.slots[s].id,
            instructor_id=question.teachers[t].id if t is not None else None,
            cost=question.costs[s, t] if t is not None else None,
            why=why_chosen(question, s, t, task.currency)
            if t is not None
            else task.uncoverable[question.slots[s].id],
        )
        for n, s in enumerate(order, 1)
        for t in (found.chosen[s],)
    ]


def said_of(found: Proposal, question: Question, currency: str) -> str:
    """What a proposal comes to, and how good it is, in a sentence or two."""
    covered = len(question.slots) - found.worth.uncovered
    head = f"{covered} of {len(question.slots)} {'meeting is' if len(question.slots) == 1 else 'meetings are'} covered"
    if not covered:
        return f"{head}."
    cost, to_agree = f"at {format_amount(found.worth.cost, currency)} {currency}", found.worth.to_agree
    if to_agree == covered:
        cost = "the pay still to be agreed"
    elif to_agree:
        cost += f", with the pay for {to_agree} still to be agreed"
    head += f", {cost}; nobody's week is longer than {hours_text(found.worth.week)} hours."
    if to_agree == covered and question.aim is CoverAim.COST:
        return head
    if found.proved:
        best = "No shorter week can be had" if question.aim is CoverAim.EVEN else "It cannot be had for less"
        return f"{head} {best} with as many covered."
    least = hours_text(found.bound) if question.aim is CoverAim.EVEN else format_amount(found.bound, currency)
    return f"{head} Time ran out: the best there is may be as low as {least}."


# --- shown ------------------------------------------------------------------------------------------------


def plan_view(uow: UnitOfWork, plan: CoverPlan) -> CoverPlanOut:
    """A proposal with its lines."""
    ids = [x.meeting_id for x in plan.lines]
    query = select(Meeting).where(Meeting.id.in_(ids)).options(selectinload(Meeting.place))
    meetings = {m.id: m for m in uow.session.scalars(query)}
    runs = select(Run).where(Run.id.in_({m.run_id for m in meetings.values()}))
    of_run = {run.id: run for run in uow.session.scalars(runs.options(selectinload(Run.course)))}
    names = teachers.names_by_id(
        uow, {x.instructor_id for x in plan.lines if x.instructor_id} | {plan.instructor_id or 0}
    )
    lines = [
        line_view(uow, plan, x, meetings[x.meeting_id], of_run[meetings[x.meeting_id].run_id], names)
        for x in plan.lines
    ]
    return facts_of(uow, plan, names, sum(x.instructor_id is not None for x in plan.lines), lines)


def facts_of(
    uow: UnitOfWork, plan: CoverPlan, names: Mapping[int, str], covered: int, lines: list[CoverLineOut]
) -> CoverPlanOut:
    even = plan.aim is CoverAim.EVEN

    def text(value: int) -> str:
        return f"{hours_text(value)} h" if even else format_amount(value, uow.center.currency)

    return CoverPlanOut(
        id=plan.id,
        instructor_id=plan.instructor_id,
        instructor=names.get(plan.instructor_id or 0),
        first=plan.first,
        last=plan.last,
        aim=plan.aim,
        unknown=plan.unknown,
        status=plan.status,
        said=plan.said,
        currency=uow.center.currency,
        total=text(plan.value),
        greedy=text(plan.greedy),
        bound=text(plan.bound),
        covered=covered,
        made=uow.local(plan.made_at),
        lines=lines,
    )


def line_view(
    uow: UnitOfWork, plan: CoverPlan, x: CoverLine, m: Meeting, run: Run, names: Mapping[int, str]
) -> CoverLineOut:
    return CoverLineOut(
        meeting_id=m.id,
        run_id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        day=m.date,
        start=m.start,
        place=m.place.name if m.place else "",
        instructor_id=x.instructor_id,
        instructor=names.get(x.instructor_id or 0),
        cost=None if x.cost is None else format_amount(x.cost, uow.center.currency),
        why=x.why,
        taken=x.taken,
        moved_on=not x.taken and not still_open(plan, m, uow),
    )


def still_open(plan: CoverPlan, m: Meeting, uow: UnitOfWork) -> bool:
    """Whether a meeting is still as the proposal saw it: held, ahead, and without anybody."""
    if m.cancelled_at is not None or m.ends_at <= uow.now:
        return False
    if plan.instructor_id is None:
        return not m.teachers
    return any(t.instructor_id == plan.instructor_id for t in m.teachers)


def plans(uow: UnitOfWork) -> CoverPlans:
    """The newest proposals, without their lines."""
    rows = list(uow.session.scalars(select(CoverPlan).order_by(CoverPlan.id.desc()).limit(20)))
    counted = (
        select(CoverLine.plan_id, func.count())
        .where(CoverLine.plan_id.in_([row.id for row in rows]), CoverLine.instructor_id.is_not(None))
        .group_by(CoverLine.plan_id)
    )
    covered = {number: n for number, n in uow.session.execute(counted)}  # noqa: C416
    names = teachers.names_by_id(uow, {row.instructor_id or 0 for row in rows})
    return CoverPlans(plans=[facts_of(uow, row, names, covered.get(row.id, 0), []) for row in rows])


# --- taken ------------------------------------------------------------------------------------------------


def take(uow: UnitOfWork, plan_id: int, command: TakeCoverCommand) -> CoverTaken:
    """Put those of a proposal to teach, all of them or some. Each is looked at again under its run's lock; one that would
    clash by now, or whose meeting has moved on, is left out."""
    plan = get_plan(uow, plan_id, to_change=True)
    if plan.status not in (CoverStatus.READY, CoverStatus.TAKEN):
        raise conflict("not-ready", "This proposal is not ready.")
    wanted = None if command.meeting_ids is None else set(command.meeting_ids)
    chosen = [
        x
        for x in plan.lines
        if x.instructor_id is not None and not x.taken and (wanted is None or x.meeting_id in wanted)
    ]
    if not chosen:
        raise refuse("/meeting_ids", "Nothing is chosen that could be taken.")
    runs = sorted(
        set(uow.session.scalars(select(Meeting.run_id).where(Meeting.id.in_([x.meeting_id for x in chosen]))))
    )
    locked = {run_id: seats.run_to_change(uow, run_id) for run_id in runs}
    fitting = still_fitting(uow, plan, chosen)
    done, before = 0, {n: schedule.situation(uow, run).rows for n, run in locked.items()}
    for line in chosen:
        m = uow.session.get_one(Meeting, line.meeting_id)
        if line.meeting_id not in fitting or not still_open(plan, m, uow):
            continue
        put_in(uow, plan.instructor_id, m, line.instructor_id or 0)
        line.taken = True
        done += 1
    if not done:
        raise conflict("moved-on", "All of these have moved on since; ask for a new proposal.")
    plan.status = CoverStatus.TAKEN
    uow.session.flush()
    change = uow.log(Act.TAKE_COVER, plan.id, f"{done} meetings are covered")
    for run_id, run in locked.items():
        tell_who_teaches(uow, run, before[run_id], change)
    return CoverTaken(change=change.key, taken=done, left=len(chosen) - done, plan=plan_view(uow, plan))


def tell_who_teaches(uow: UnitOfWork, run: Run, before: Mapping[int, DateFacts], change: Change) -> None:
    """Write to those whose meetings of a run are others than before."""
    dates = schedule.moved_dates(before, schedule.situation(uow, run).rows)
    if run.known and dates:
        tell_of_dates(uow, run, dates, change)


def still_fitting(uow: UnitOfWork, plan: CoverPlan, chosen: Sequence[CoverLine]) -> set[int]:
    """The meetings of chosen lines that their people can take now, all of them together: the same rules as when it was worked
    out, looked at again under the locks."""
    task = task_of(uow, plan)
    by_id = {slot.id: s for s, slot in enumerate(task.question.slots)}
    by_person = {t.id: n for n, t in enumerate(task.question.teachers)}
    picked: list[int | None] = [None] * len(task.question.slots)
    kept: set[int] = set()
    for line in chosen:
        s, t = by_id.get(line.meeting_id), by_person.get(line.instructor_id or 0)
        if s is None or t is None or (s, t) not in task.question.costs:
            continue
        picked[s] = t
        if faults_of(task.question, picked):
            picked[s] = None
            continue
        kept.add(line.meeting_id)
    return kept


def put_in(uow: UnitOfWork, away: int | None, m: Meeting, instructor_id: int) -> None:
    """Have somebody teach a meeting in the place of who is away, as a substitute, or alone."""
    new = instructors.get_instructor(uow, instructor_id)
    rows = []
    for a in teachers.assigned_of(m):
        if a.instructor.id != away:
            rows.append(a)
        else:
            part = a.part if a.part is Part.ASSISTANT else Part.SUBSTITUTE
            rows.append(teachers.Assigned(new, part))
    if away is None:
        rows = [teachers.Assigned(new, Part.LEAD)]
    teachers.put(m, rows)
    m.sequence += 1


@reverses(Act.TAKE_COVER)
def undo_take(uow: UnitOfWork, change: Change) -> None:
    """Those who taught before teach again; refused once anybody changed one of the meetings."""
    meetings = {r["id"] for r in change.rows if r["table"] == "meetings"}
    runs: Collection[int] = set(uow.session.scalars(select(Meeting.run_id).where(Meeting.id.in_(meetings))))
    for run_id in sorted(runs):
        seats.run_to_change(uow, run_id)
    restore_rows(uow, change)


# --- one by one, by phone ---------------------------------------------------------------------------------


def note_call(uow: UnitOfWork, meeting_id: int, instructor_id: int, command: CoverCallCommand) -> Done:
    """Write down that somebody was asked to take a meeting, and what they said; again takes its place."""
    m = uow.session.get(Meeting, meeting_id)
    if m is None:
        raise not_found("This meeting")
    run = seats.run_to_change(uow, m.run_id)
    i = instructors.get_instructor(uow, instructor_id)
    query = select(CoverCall).where(
        CoverCall.meeting_id == meeting_id, CoverCall.instructor_id == instructor_id
    )
    row = uow.session.scalar(query.with_for_update())
    if row is None:
        row = CoverCall(meeting_id=meeting_id, instructor_id=instructor_id)
        uow.session.add(row)
    row.answer, row.user_id, row.at = command.answer, uow.user_id, uow.now
    words = {
        CoverAnswer.ASKED: "was asked to take",
        CoverAnswer.ACCEPTED: "takes",
        CoverAnswer.DECLINED: "cannot take",
    }
    said = f"{i.name} {words[row.answer]} the meeting of {run.code} on {day_text(m.date)}"
    return Done(change=uow.log(Act.NOTE_A_COVER_CALL, run.id, said).key)


def step_in(uow: UnitOfWork, meeting_id: int, away: int | None, instructor_id: int) -> Done:
    """Whoever accepted takes the meeting, in the place of who is away; the call is noted with it."""
    m = uow.session.get(Meeting, meeting_id)
    if m is None:
        raise not_found("This meeting")
    run = seats.run_to_change(uow, m.run_id)
    uow.session.refresh(m)
    if m.cancelled_at is not None or m.ends_at <= uow.now:
        raise conflict("moved-on", "This meeting is no longer ahead.")
    i = instructors.get_instructor(uow, instructor_id)
    if any(t.instructor_id == instructor_id for t in m.teachers):
        raise conflict("teaches", f"{i.name} teaches this meeting already.")
    before = schedule.situation(uow, run).rows
    put_in(uow, away if m.teachers else None, m, instructor_id)
    note_call(uow, meeting_id, instructor_id, CoverCallCommand(answer=CoverAnswer.ACCEPTED))
    uow.session.flush()
    change = uow.log(Act.ASSIGN, run.id, f"{i.name} takes the meeting of {run.code} on {day_text(m.date)}")
    tell_who_teaches(uow, run, before, change)
    return Done(change=change.key)
