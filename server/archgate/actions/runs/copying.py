"""Copies of runs to new dates: one run, the runs of a course, or a season."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, or_, select

from archgate.actions.fees import fees, plans
from archgate.actions.fees.views import GateDay
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import making
from archgate.actions.runs.commands import CopyChanges, CopyCommand
from archgate.actions.runs.views import Copied, CopiedRun
from archgate.actions.schedule import clashes, gates, places, schedule, teachers
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.schedule import (
    WEEKDAYS,
    Extra,
    Pattern,
    TooMany,
    aligned_shift,
    built,
    day_text,
    meetings_of,
    next_days,
    numbered,
    shifted,
)
from archgate.core.schedule import Meeting as CoreMeeting
from archgate.core.states import Decision, HoldStatus, RunKind, RunStatus
from archgate.core.waitlist import parties_text
from archgate.documents.reader import Document
from archgate.tables.courses import Run
from archgate.tables.fees import Extra as SoldExtra
from archgate.tables.fees import Rate
from archgate.tables.log import Change
from archgate.tables.schedule import Meeting, MeetingPattern
from archgate.tables.seats import HeldPlace, RunSeats, SetAside
from archgate.tables.teaching import PatternTeacher, RunTeacher

MOST_RUNS = 120


# --- copies -----------------------------------------------------------------------------------------------


def runs_to_copy(uow: UnitOfWork, command: CopyCommand) -> tuple[list[Run], dict[int, date], int | None]:
    """Which runs, and where each goes: named runs, a course's, or a season's between two dates."""
    faults: list[Fault] = []
    weeks, course_id, since, until = command.weeks, command.course_id, command.since, command.until
    query = select(Run).where(Run.status != RunStatus.ARCHIVED).order_by(Run.id)
    named = command.runs or []
    ids = [row.id for row in named]
    first_days = {row.id: row.first for row in named if row.first}
    for n, row in enumerate(named):
        if row.first is None and weeks is None:
            faults.append(Fault(f"/runs/{n}/first", "Give a new first date, or weeks for all."))
    if not ids and weeks is None:
        faults.append(Fault("/weeks", "Say by how many weeks the runs move."))
    if not ids and course_id is None and (since is None or until is None):
        faults.append(Fault("/runs", "Name runs, a course, or the first and last day of a season."))
    if faults:
        raise Refused(faults)
    if ids:
        query = query.where(Run.id.in_(ids))
    if course_id:
        query = query.where(Run.course_id == course_id)
    if since and until:
        starts = schedule.spans_of_runs()
        query = query.outerjoin(starts, starts.c.run_id == Run.id)
        query = query.where(or_(starts.c.first.between(since, until), Run.starts_on.between(since, until)))
    runs = list(uow.session.scalars(query.limit(MOST_RUNS + 1)))
    if len(runs) > MOST_RUNS:
        raise refuse("/runs", f"At most {MOST_RUNS} runs are copied at once; take a shorter season.")
    if not runs:
        raise refuse("/runs", "No run fits; nothing is copied.")
    return runs, first_days, weeks


def copy_runs(uow: UnitOfWork, command: CopyCommand) -> Copied:
    """Copy runs as drafts to new dates: meetings, gates, prices and plan dates move by the same shift.

    A new first date is taken in the run's own weekday, on it or after it. Meetings that fall on a closed day are
    skipped or added at the end as their pattern says. What stays behind is listed. With `changes` the copy of one run has another
    rhythm, number of meetings, time, place or instructor: its patterns are planned anew, one-offs move along.
    """
    runs, first_days, weeks = runs_to_copy(uow, command)
    if command.changes and len(runs) > 1:
        raise refuse("/changes", "A rhythm, time, place or instructor of its own is for the copy of one run.")
    changes = command.changes or CopyChanges()
    made = [copy_run(uow, run, first_days.get(run.id), weeks, changes) for run in runs]
    what = made[0].code if len(made) == 1 else f"{len(made)} runs"
    change = uow.log(
        Act.COPY_RUNS,
        made[0].run_id,
        f"Copied {what} to {(len(made) == 1 and made[0].new_code) or 'new dates'}",
    )
    return Copied(change=change.key, runs=made)


def copy_run(
    uow: UnitOfWork, run: Run, first: date | None, weeks: int | None, changes: CopyChanges
) -> CopiedRun:
    begin = run.starts_on if run.kind == RunKind.COHORT else min((m.date for m in run.meetings), default=None)
    shift = (weeks or 0) * 7 if begin is None else aligned_shift(begin, first) if first else (weeks or 0) * 7
    if begin and first and changes.weekdays:
        shift = (first - begin).days  # the days are said: they are not turned to the run's own weekday
    try:
        begin_new = begin + timedelta(days=shift) if begin else None
    except OverflowError:
        raise refuse("/weeks", "The dates go beyond the calendar.") from None
    place = run.place if changes.place is None else places.place_named(uow, changes.place)
    taught = (
        teachers.assigned_of(run) if changes.instructor is None else teachers.named(uow, changes.instructor)
    )
    new = Run(
        course=run.course, kind=run.kind, status=RunStatus.DRAFT, decision=Decision.UNDECIDED, title=run.title, note=run.note,
        receipt_note=run.receipt_note,
        code=making.free_run_code(uow, run.course, (begin_new or uow.today).year),
        place=place, teachers=teachers.rows_for(RunTeacher, taught), client_id=run.client_id, time_zone=run.time_zone,
        currency=run.currency, capacity=run.capacity, smallest=run.smallest,
        windows=[{k: later(w.get(k), shift) for k in ("opens", "closes")} for w in run.windows],
        decision_rule=later(run.decision_rule, shift),
        starts_on=run.starts_on + timedelta(days=shift) if run.starts_on else None,
        ends_on=run.ends_on + timedelta(days=shift) if run.ends_on else None,
        overbook=run.overbook, line_rule=run.line_rule, auto_offer=run.auto_offer, offer_hours=run.offer_hours,
        hold_hours=run.hold_hours, told=None if run.told is None else list(run.told), questions=list(run.questions),
        head_start_hours=run.head_start_hours, desk_notice=run.desk_notice, notice_version=1 if run.desk_notice else 0,
        week_names=list(run.week_names), access_days=run.access_days, group_steps=list(run.group_steps), taxes=list(run.taxes), created_at=uow.now,
        rates=[copy_rate(r, shift) for r in fees.rates_of(run)],
        extras=[copy_extra(x) for x in run.extras if x.active],
        plans=[copy_plan(p, shift) for p in run.plans if p.active],
    )  # fmt: skip
    patterns = [
        (row, changed_pattern(shifted(schedule.core_pattern(row), shift), changes)) for row in run.patterns
    ]
    if changes.model_fields_set - {"place", "instructor"} and not patterns:
        raise refuse("/changes", "This run has no pattern to change; its single meetings move along.")
    new.patterns = [
        schedule.MeetingPattern(
            n=row.n, first=p.first, start=p.start, minutes=p.minutes, weekdays=",".join(WEEKDAYS[d] for d in p.days),
            every_weeks=p.every_weeks, count=p.count, until=p.until, extend=p.extend,
            place_id=row.place_id if changes.place is None else None,
            teachers=teachers.rows_for(
                PatternTeacher, teachers.assigned_of(row) if changes.instructor is None else ()
            ),
        )
        for row, p in patterns
    ]  # fmt: skip
    closed = places.closures_from(uow, min(begin_new, uow.today)) if begin_new else frozenset()
    try:
        planned, dropped = shifted_meetings(run, patterns, shift, closed, changes)
    except TooMany as many:
        raise refuse("/changes/count", str(many)) from None
    if run.meetings and not planned:
        raise refuse("/changes/weekdays", "The copy would have no meeting at all.")
    new.all_meetings = [schedule.placed_row(uow, new, m) for m in planned]
    uow.session.add(new)
    uow.session.flush()
    uow.session.add(RunSeats(run_id=new.id, taken=0, version=0))
    uow.session.refresh(new, ["all_meetings", "gates", "rates", "extras", "plans"])
    asides = select(SetAside).where(SetAside.run_id == run.id, SetAside.active).order_by(SetAside.id)
    for row in uow.session.scalars(asides).all():
        uow.session.add(
            SetAside(
                run_id=new.id, name=row.name, seats=row.seats, last=row.last + timedelta(days=shift), tag=row.tag, days_before=row.days_before,
                organization_id=row.organization_id, active=True,
            )
        )  # fmt: skip
    uow.session.flush()
    gates.settle_gates(uow, new)
    return CopiedRun(
        run_id=new.id, from_id=run.id, code=run.code, new_code=new.code, title=run.title or run.course.title,
        shift=shift, before=[m.start.isoformat() for m in schedule.schedule_of(run).meetings],
        after=[m.start.isoformat() for m in schedule.schedule_of(new).meetings],
        dropped=dropped, clashes=clashes.of_run(uow, new), left_behind=left_behind(uow, run),
        gates=[GateDay(label=g.label, day=g.day) for g in sorted(new.gates, key=lambda g: g.at)],
    )  # fmt: skip


def later(rule: object, days: int) -> Document | None:
    """A gate rule so many days later; one that counts from the start moves by itself."""
    if not isinstance(rule, dict) or "on" not in rule:
        return rule if isinstance(rule, dict) else None
    return {"on": (date.fromisoformat(str(rule["on"])) + timedelta(days=days)).isoformat()}


def moved(day: date | None, days: int) -> date | None:
    return day + timedelta(days=days) if day else None


def copy_rate(rate: Rate, days: int) -> Rate:
    """A rate with its dates so many days later; what counts from the start moves by itself."""
    who: fees.Who = {
        "by_agreement": rate.by_agreement,
        "tags": rate.tags,
        "organization_id": rate.organization_id,
        "past_course_id": rate.past_course_id,
        "offered_from": moved(rate.offered_from, days),
        "offered_to": moved(rate.offered_to, days),
        "most": rate.most,
    }
    new = fees.rate_row(fees.core_rate(rate), who, rate.position)
    new.sale_from, new.sale_to = moved(rate.sale_from, days), moved(rate.sale_to, days)
    for step in new.early:
        step.until = moved(step.until, days)
    return new


def copy_extra(extra: SoldExtra) -> SoldExtra:
    return SoldExtra(
        code=extra.code, label=extra.label, amount=extra.amount, required=extra.required, most=extra.most,
        item_id=extra.item_id, position=extra.position, active=True,
    )  # fmt: skip


def copy_plan(plan: plans.Plan, days: int) -> plans.Plan:
    facts: plans.Facts = {"name": plan.name, "note": plan.note, "details": plan.details}
    new = plans.plan_row(facts, plans.core_lines(plan), plan.position)
    for row in new.lines:
        row.due_on = moved(row.due_on, days)
    return new


def changed_pattern(pattern: Pattern, changes: CopyChanges) -> Pattern:
    """A pattern of a copy, as it becomes: a number of meetings takes the place of a last day."""
    days = changes.weekdays
    return replace(
        pattern,
        weekdays=tuple(WEEKDAYS.index(d) for d in days) if days else pattern.weekdays,
        every_weeks=changes.every_weeks or pattern.every_weeks,
        count=changes.count or pattern.count,
        until=None if changes.count else pattern.until,
        start=changes.start or pattern.start,
        minutes=changes.minutes or pattern.minutes,
    )


def shifted_meetings(
    run: Run,
    patterns: list[tuple[MeetingPattern, Pattern]],
    shift: int,
    closed: frozenset[date],
    changes: CopyChanges,
) -> tuple[list[CoreMeeting], list[str]]:
    """The meetings of a copy. Untouched patterns, and those that become others, are planned anew; a run changed by hand moves
    meeting by meeting."""
    zone = ZoneInfo(run.time_zone)
    meetings = schedule.ordered(run)
    by_hand = any(m.by_hand or m.pattern_n is None for m in meetings)
    whole = not by_hand and len(meetings) == len(run.all_meetings)
    other = bool(changes.model_fields_set - {"place", "instructor"})
    if patterns and (whole or other):
        own = {row.n: next((m for m in meetings if m.pattern_n == row.n), None) for row, _ in patterns}
        plan = tuple(
            Pattern(
                p.first, p.start, p.minutes, p.days, p.every_weeks, p.count, p.until, p.extend,
                taught_of(own[row.n], changes), room_of(own[row.n], changes),
            )
            for row, p in patterns
        )  # fmt: skip
        singles = tuple(
            Extra(
                m.date + timedelta(days=shift), m.start, m.minutes, taught_of(m, changes), room_of(m, changes)
            )
            for m in meetings
            if m.pattern_n is None
        )
        done = meetings_of(plan, zone, closed, singles)
        return list(done.meetings), [d.why for d in done.dropped]
    moved, dropped, owed = [], [], 0
    for m in meetings:
        day = m.date + timedelta(days=shift)
        if day in closed:
            pattern = next((p for row, p in patterns if row.n == m.pattern_n), None)
            owed += bool(pattern and pattern.extend)
            dropped.append(
                f"{day_text(day)} is a closure; {'a meeting is added at the end' if pattern and pattern.extend else 'the meeting is left out'}."
            )
            continue
        moved.append(Extra(day, m.start, m.minutes, taught_of(m, changes), room_of(m, changes), m.pattern_n))
    if owed and patterns and moved:
        row, p = patterns[-1]
        model = moved[-1]
        for day in next_days(p, max(x.date for x in moved), owed, closed):
            moved.append(Extra(day, p.start, p.minutes, model.instructors, model.room, row.n))
    return list(numbered([built(x, zone) for x in moved])), dropped


def room_of(m: Meeting | None, changes: CopyChanges) -> str | None:
    """The room of a copied meeting; none is the copy's own place, where that is another."""
    return place_of(m) if changes.place is None else None


def taught_of(m: Meeting | None, changes: CopyChanges) -> tuple[str, ...]:
    return names_of(m) if changes.instructor is None else ()


def place_of(m: Meeting | None) -> str | None:
    return m.place.name if m and m.place else None


def names_of(m: Meeting | None) -> tuple[str, ...]:
    return teachers.names_of(m) if m else ()


def left_behind(uow: UnitOfWork, run: Run) -> list[str]:
    """What a copy does not take along."""
    taken = uow.session.scalar(select(RunSeats.taken).where(RunSeats.run_id == run.id)) or 0
    sentences = []
    if taken:
        sentences.append(f"the roster, {taken} seats")
    used = uow.session.scalar(
        select(func.coalesce(func.sum(HeldPlace.seats), 0)).where(
            HeldPlace.run_id == run.id, HeldPlace.status == HoldStatus.HELD
        )
    )
    if used:
        sentences.append(f"{used} held {'place' if used == 1 else 'places'}")
    waiting = len(seats.line_of(uow, run.id, offered=True))
    if waiting:
        sentences.append(f"the line, {parties_text(waiting)}")
    fallen = sum(m.cancelled_at is not None for m in run.all_meetings)
    if fallen:
        sentences.append(f"{fallen} cancelled meeting{'' if fallen == 1 else 's'}")
    inactive = [r.label for r in run.rates if not r.active]
    if inactive:
        sentences.append(f"rates no longer offered: {', '.join(inactive)}")
    if run.decision != Decision.UNDECIDED:
        sentences.append(f"the decision: {run.decision}")
    if run.client_id:
        sentences.append("the client's contract file")
    return sentences


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.COPY_RUNS, Act.PLAN_A_SEASON)
def undo_new_runs(uow: UnitOfWork, change: Change) -> None:
    """Take back runs that were made together: all of them, while each is a draft that nobody touched since."""
    made = [r["id"] for r in change.rows if r["table"] == "runs" and r["before"] is None]
    there = uow.session.scalars(select(Run.id).where(Run.id.in_(made)).order_by(Run.id)).all()
    runs = [seats.run_to_change(uow, run_id) for run_id in there]
    touched = [r.code for r in runs if r.status != RunStatus.DRAFT]
    later = uow.session.scalar(select(Change).where(Change.run_id.in_(made), Change.id > change.id))
    if touched or later or len(runs) < len(made):
        raise conflict(
            "moved-on",
            f"It has moved on since: {touched[0] + ' is published' if touched else (later.summary if later else 'one of them is gone')}.",
        )
    for run in runs:
        uow.session.delete(uow.session.get_one(RunSeats, run.id))
        uow.session.flush()
        uow.session.delete(run)
