"""Changing the dates of a saved run: single meetings, this and all later, the whole run, its end.

Every change is worked out whole before it is saved: the dates before and after, the clashes made and healed, the
gates and installments that move along, and how many people are told. With a preview, all of it is rolled back.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, time, timedelta
from typing import TypedDict

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from archgate.actions.fees import plans
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome, refuse_lost_update
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import (
    MovedInstallment,
    MovedInstallments,
    Outcome,
    Touch,
)
from archgate.actions.money import money
from archgate.actions.runs.commands import CancelMeetingCommand, ExtendCommand, MeetingPatch, MoveRunCommand
from archgate.actions.runs.telling_dates import tell_of_dates
from archgate.actions.runs.views import Slot
from archgate.actions.schedule import clashes, gates, meeting_links, places, schedule, teachers
from archgate.actions.schedule.commands import OneOffForm
from archgate.actions.seats import seats
from archgate.core import plans as core_plans
from archgate.core.clashes import Span, first_free, read_hours
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.schedule import Extra, built, day_text, moment_of, next_days, shifted
from archgate.core.states import PlaceKind, RunKind, RunStatus, Scope
from archgate.core.teaching import taught_text
from archgate.tables.courses import Run
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting, Place
from archgate.tables.teaching import BusyTime

SCOPES = ("this", "later", "all")
FARTHEST = 3660  # days by which a run moves at most
LOOK_AHEAD = 120  # days in which a free slot is looked for


def change_dates(
    uow: UnitOfWork, run: Run, act: Act, say: Callable[[], str], do: Callable[[], None]
) -> Outcome:
    """Change the dates of a run by `do`, keep everything derived in step, and say what it touches."""
    schedule.refuse_closed(run)
    before, clashed = schedule.situation(uow, run), clashes.of_run(uow, run)
    do()
    uow.session.flush()
    uow.session.refresh(run, ["all_meetings"])
    schedule.refuse_outside(run)
    gates.settle_gates(uow, run)
    change = uow.log(act, run.id, say())
    moved = move_installments(uow, run, before.start)
    after, clashing = schedule.situation(uow, run), clashes.of_run(uow, run)
    dates = schedule.moved_dates(before.rows, after.rows)
    meeting_links.ask_for_links(uow, run, change.key)
    return outcome(uow, run, change.key, schedule.touches_of(before, after)).widened(
        Outcome,
        dates=dates,
        made=clashes.only_in(clashing, clashed),
        healed=clashes.only_in(clashed, clashing),
        installments=moved,
        told=tell_of_dates(uow, run, dates, change) if run.known else 0,
    )


def move_installments(uow: UnitOfWork, run: Run, old_start: date | None) -> MovedInstallments | None:
    """Move the due dates that count from the start along with it; what is paid or due already stands."""
    start = schedule.start_day(uow, run)
    number, examples = 0, list[MovedInstallment]()
    if start is None or old_start is None or start == old_start:
        return MovedInstallments(number=0, examples=[])
    query = select(Enrollment).where(Enrollment.run_id == run.id, Enrollment.live == 1)
    enrolled = uow.session.scalars(query.options(selectinload(Enrollment.installments))).all()
    unpaid = money.open_installments(uow, [e.id for e in enrolled])
    agreed_plans = select(Plan).where(Plan.id.in_({e.plan_id for e in enrolled}))
    kept = {p.id: p for p in uow.session.scalars(agreed_plans)}
    for enrollment in enrolled:
        lines = plans.core_lines(kept[enrollment.plan_id])
        if not any(line.due.from_start for line in lines) or enrollment.total == 0:
            continue
        agreed = (enrollment.total, enrollment.signed_up)
        old = core_plans.installments_of(lines, *agreed, old_start, enrollment.currency).installments
        new = {
            i.line: i
            for i in core_plans.installments_of(lines, *agreed, start, enrollment.currency).installments
        }
        for row, left in unpaid.get(enrollment.id, ()):
            was = next((i for i in old if i.n == row.n), None)
            now = new.get(was.line) if was else None
            if was is None or now is None or was.due != row.due or row.due <= uow.today or left < row.amount:
                continue
            if now.due == row.due:
                continue
            number += 1
            if len(examples) < 4:
                examples.append(
                    MovedInstallment(
                        name=enrollment.person.name,
                        amount=format_amount(row.amount, enrollment.currency),
                        before=row.due,
                        after=now.due,
                    )
                )
            row.due, row.why = now.due, now.why
    return MovedInstallments(number=number, examples=examples)


# --- single meetings --------------------------------------------------------------------------------------


def run_of_meeting(uow: UnitOfWork, meeting_id: int, to_change: bool = True) -> tuple[Run, Meeting]:
    """A meeting that is held, and its run, read under the run's lock when it is to change."""
    meeting = uow.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    if not to_change:
        return get_run(uow, meeting.run_id), meeting
    run = seats.run_to_change(uow, meeting.run_id)
    uow.session.refresh(meeting)
    schedule.refuse_closed(run)
    if meeting.cancelled_at is not None:
        raise conflict("cancelled", "This meeting was cancelled.")
    return run, meeting


class MeetingChange(TypedDict, total=False):
    """What becomes another about a meeting."""

    by_hand: bool
    date: date
    start: time
    minutes: int
    place: Place | None
    instructors: Sequence[teachers.Assigned]


def set_meeting(uow: UnitOfWork, run: Run, row: Meeting, new: MeetingChange) -> None:
    """Change facts of a meeting, its moments with them; a calendar sees a higher sequence."""
    for key, value in new.items():
        if key not in ("place", "instructors"):
            setattr(row, key, value)
    if "place" in new:
        places.put(row, new["place"])
    if "instructors" in new:
        teachers.put(row, new["instructors"])
    schedule.settle_times(run, row)
    row.sequence += 1


def change_meetings(uow: UnitOfWork, meeting_id: int, command: MeetingPatch) -> Outcome:
    """Change one meeting, it and all later ones, or all that are ahead: date, time, length, place, instructor. What was held
    already stands, unless it is changed by itself.

    A new date moves the others by as many days. Later ones are those of the same pattern, one-offs left alone; of
    a one-off, only itself. `seen` guards against overwriting a colleague.
    """
    run, meeting = run_of_meeting(uow, meeting_id)
    given, scope = command.set, command.scope or Scope.THIS
    day, start, minutes = given.date, given.start, given.minutes
    named = {n: v or "" for n, v in said_of(given).items() if n in ("instructor", "room")}
    if "instructor" in named:
        named["instructor"] = taught_text(teachers.read_names(given.instructor))
    now = {
        "date": meeting.date,
        "start": meeting.start,
        "minutes": meeting.minutes,
        "instructor": teachers.text_of(meeting.teachers),
        "room": meeting.place.name if meeting.place else "",
    }
    new = {n: v for n, v in said_of(given).items() if v is not None and n not in named}
    refuse_lost_update({**new, **named}, said_of(command.seen), now)
    touched = [
        m
        for m in schedule.ordered(run)
        if in_scope(m, meeting, scope) and (scope == "this" or m.starts_at > uow.now)
    ]
    if not touched:
        raise refuse("/scope", "All of these were held already; they stay as they are.")
    stay = sum(in_scope(m, meeting, scope) and m not in touched for m in run.meetings)
    days = ((day or meeting.date) - meeting.date).days

    def do() -> None:
        for m in touched:
            facts: MeetingChange = {"by_hand": True, "date": m.date + timedelta(days=days)}
            if start is not None:
                facts["start"] = start
            if minutes is not None:
                facts["minutes"] = minutes
            if "instructor" in named:
                facts["instructors"] = teachers.named(uow, given.instructor)
            if "room" in named:
                facts["place"] = places.place_named(uow, given.room)
            set_meeting(uow, run, m, facts)

    def say() -> str:
        if len(touched) > 1:
            return f"Changed {len(touched)} meetings of {run.code} from {day_text(touched[0].date)} on"
        return (
            f"Moved a meeting of {run.code} to {day_text(meeting.date)}"
            if days or start
            else f"Changed the meeting of {run.code} on {day_text(meeting.date)}"
        )

    return with_held(change_dates(uow, run, Act.CHANGE_DATES, say, do), stay)


def texts_of(typed: str | None) -> tuple[str, ...]:
    return (typed,) if typed else ()


def with_held(told: Outcome, stay: int) -> Outcome:
    """What a change touches, with how many meetings it leaves alone because they were held already."""
    if not stay:
        return told
    word = "1 stays as it is" if stay == 1 else f"{stay} stay as they are"
    line = Touch(label="Meetings held already", before=None, after=word)
    return told.widened(Outcome, touches=[*told.touches, line])


def in_scope(m: Meeting, chosen: Meeting, scope: str) -> bool:
    if m is chosen:
        return True
    if scope == "this" or m.pattern_n is None or m.pattern_n != chosen.pattern_n:
        return False
    return scope == "all" or m.starts_at > chosen.starts_at


def add_meeting(uow: UnitOfWork, run_id: int, command: OneOffForm) -> Outcome:
    """Add a one-off meeting to a run."""
    run = seats.run_to_change(uow, run_id)
    plan = Extra(
        command.date, command.start, command.minutes, texts_of(command.instructor), command.room or None
    )

    def do() -> None:
        run.all_meetings.append(
            schedule.placed_row(uow, run, built(plan, schedule.zone_of(run, run.place)), by_hand=True)
        )

    return change_dates(
        uow, run, Act.ADD_A_MEETING, lambda: f"Added a meeting of {run.code} on {day_text(plan.date)}", do
    )


def drop_meeting(uow: UnitOfWork, run: Run, meeting: Meeting, why: str) -> None:
    """On a draft a meeting just goes; on a published run it is kept as cancelled, for the calendars that hold it."""
    if run.status == RunStatus.DRAFT:
        run.all_meetings.remove(meeting)
    else:
        meeting.cancelled_at, meeting.cancel_why = uow.now, why
        meeting.sequence += 1


def cancel_meeting(uow: UnitOfWork, meeting_id: int, command: CancelMeetingCommand) -> Outcome:
    """Cancel one meeting, with a replacement on another date or without. A dated run keeps at least one.

    Cancelled on its own day, it leads to a call list: messages may come too late.
    """
    run, meeting = run_of_meeting(uow, meeting_id)
    why, plan = command.why or "", None
    if command.replacement:
        new = command.replacement
        plan = Extra(
            new.date,
            new.start or meeting.start,
            new.minutes or meeting.minutes,
            texts_of(new.instructor) or teachers.names_of(meeting),
            new.room or (meeting.place.name if meeting.place else None),
        )
    if len(run.meetings) == 1 and plan is None and run.kind == RunKind.DATED:
        raise Problem(422, "last-meeting", "A run keeps at least one meeting; move this one instead.")
    day = meeting.date
    same_day = run.known and meeting.starts_at.astimezone(uow.zone).date() == uow.today

    def do() -> None:
        drop_meeting(uow, run, meeting, why)
        if plan:
            built_again = built(plan, schedule.zone_of(run, meeting.place))
            row = schedule.placed_row(uow, run, built_again, by_hand=True)
            row.replaces_id = meeting.id if run.status != RunStatus.DRAFT else None
            run.all_meetings.append(row)

    def say() -> str:
        instead = f"; held on {day_text(plan.date)} instead" if plan else ""
        word = "Took out" if run.status == RunStatus.DRAFT else "Cancelled"
        return f"{word} the meeting of {run.code} on {day_text(day)}{instead}"

    done = change_dates(uow, run, Act.TAKE_OUT_A_MEETING, say, do)
    return done.widened(Outcome, call_list=meeting_id if same_day else None)


def suggest(uow: UnitOfWork, meeting_id: int) -> list[Slot]:
    """Up to three free times for a meeting: after the run's end on its weekday, then the next days at its hour.

    Free: not a closed day, not a day of the run, its instructor and place neither taken nor away.
    """
    run, meeting = run_of_meeting(uow, meeting_id, to_change=False)
    zone = schedule.zone_of(run, meeting.place)
    last = max(m.date for m in run.meetings)
    begin = max(uow.today, meeting.date) + timedelta(days=1)
    until = max(last, begin) + timedelta(days=LOOK_AHEAD)
    closed = places.closed_days(uow, begin, until)
    taken = {m.date for m in run.meetings}
    window = clashes.Row(
        -1,
        0,
        moment_of(begin, meeting.start, zone).astimezone(UTC),
        moment_of(until, meeting.start, zone).astimezone(UTC),
        begin,
        meeting.place_id if meeting.place and meeting.place.kind != PlaceKind.ONLINE else None,
        tuple(i.id for i in meeting.instructors),
    )
    spans = [
        Span("", r.starts_at, r.ends_at, r.id) for r in clashes.near(uow, [window]) if r.id != meeting.id
    ]
    busy = select(BusyTime).where(
        BusyTime.ends_at > window.starts_at,
        BusyTime.instructor_id.in_(window.instructors) | (BusyTime.place_id == meeting.place_id),
    )
    spans += [Span("", b.starts_at, b.ends_at, 0) for b in uow.session.scalars(busy)]
    hours = [read_hours(i.hours) for i in meeting.instructors]

    def starts(days: list[date]) -> list[datetime]:
        return [moment_of(d, meeting.start, zone) for d in days if d not in closed and d not in taken]

    every = [begin + timedelta(days=n) for n in range((until - begin).days)]
    after = [d for d in every if d > last and d.weekday() == meeting.date.weekday()]
    slots: dict[date, str] = {}
    for days, why in (
        (after, "the next same weekday after the last meeting"),
        (every, "the next free day at this hour"),
        ([d for d in every if d.weekday() >= 5], "the next free day of a weekend"),
    ):
        slot = first_free(starts(days), meeting.minutes, spans, uow.zone, hours)
        if slot is not None:
            slots.setdefault(slot.date(), why)
    return [Slot(date=d, start=meeting.start, why=why) for d, why in slots.items()]


# --- the whole run ----------------------------------------------------------------------------------------


def move_run(uow: UnitOfWork, run_id: int, command: MoveRunCommand) -> Outcome:
    """Move a whole run by days, by weeks, or to a new first date; its patterns and a cohort's days move along. Meetings that
    were held stand: of a run that has begun, what is ahead moves, and `first` is its next date.

    Gates that count from the start move with it; those on a date stay where they are.
    """
    run = seats.run_to_change(uow, run_id)
    days, weeks, first = command.days, command.weeks, command.first
    given = [name for name in ("days", "weeks", "first") if getattr(command, name) is not None]
    if not given:
        raise refuse("", "A move needs one of days, weeks, first.")
    if len(given) > 1:
        raise refuse(f"/{given[1]}", "A move takes only one of days, weeks, first.")
    ahead = [m for m in run.meetings if m.starts_at > uow.now]
    stay = len(run.meetings) - len(ahead)
    begun = bool(stay) or (run.starts_on is not None and run.starts_on <= uow.today)
    start = (
        run.starts_on
        if run.kind == RunKind.COHORT and not begun
        else min((m.date for m in ahead), default=run.ends_on if begun else None)
    )
    if stay and not ahead and run.kind != RunKind.COHORT:
        raise refuse("", "All meetings of this run were held already; there is nothing left to move.")
    if start is None:
        raise refuse("", "This run has no dates to move.")
    shift = days if days is not None else weeks * 7 if weeks is not None else ((first or start) - start).days
    if not shift:
        raise refuse("/first" if first else "/days", "The run stands there already.")
    if abs(shift) > FARTHEST:
        raise refuse("/first", f"A run moves by at most {FARTHEST} days.")

    def do() -> None:
        try:
            for m in ahead:
                facts: MeetingChange = {"date": m.date + timedelta(days=shift)}
                if stay:
                    facts["by_hand"] = True  # a copy takes such a run meeting by meeting
                set_meeting(uow, run, m, facts)
            for row in run.patterns:
                new = shifted(schedule.core_pattern(row), shift)
                row.first, row.until = new.first, new.until
                row.weekdays = ",".join(schedule.WEEKDAYS[d] for d in new.days)
            if run.starts_on and run.ends_on:
                run.ends_on += timedelta(days=shift)
                if not begun:
                    run.starts_on += timedelta(days=shift)
        except OverflowError:
            raise refuse("/first", "The dates go beyond the calendar.") from None

    def say() -> str:
        how = (
            f"{abs(shift) // 7} weeks"
            if shift % 7 == 0 and abs(shift) > 7
            else f"{abs(shift)} day{'' if abs(shift) == 1 else 's'}"
        )
        return f"Moved {run.code} {how} {'later' if shift > 0 else 'earlier'}"

    return with_held(change_dates(uow, run, Act.MOVE_A_RUN, say, do), stay)


def extend_run(uow: UnitOfWork, run_id: int, command: ExtendCommand) -> Outcome:
    """Make a run longer at its end: so many further meetings by its last pattern, or a cohort's later last day."""
    run = seats.run_to_change(uow, run_id)
    number, ends = command.meetings, command.ends_on
    if number is None and ends is None:
        raise refuse("", "A longer run needs one of meetings, ends_on.")
    if number is not None and ends is not None:
        raise refuse("/ends_on", "A longer run takes only one of meetings, ends_on.")
    if ends and run.kind != RunKind.COHORT:
        raise refuse("/ends_on", "Only a cohort has a last day of its own; add meetings instead.")
    if number and not run.patterns:
        sentence = "This run has no pattern to go on with; add single meetings instead."
        raise refuse("/meetings", sentence)
    if ends and run.starts_on and ends < run.starts_on:
        raise refuse("/ends_on", f"The cohort starts on {day_text(run.starts_on)}.")

    def do() -> None:
        if ends:
            run.ends_on = ends
            return
        row = run.patterns[-1]
        pattern = schedule.core_pattern(row)
        own = [m for m in schedule.ordered(run) if m.pattern_n == row.n] or schedule.ordered(run)
        model = own[-1] if own else None
        after = max((m.date for m in run.meetings), default=row.first)
        for day in next_days(pattern, after, number or 0, places.closures_from(uow, after)):
            plan = Extra(
                day,
                model.start if model else row.start,
                model.minutes if model else row.minutes,
                teachers.names_of(model) if model else (),
                model.place.name if model and model.place else None,
                row.n,
            )
            run.all_meetings.append(
                schedule.placed_row(
                    uow, run, built(plan, schedule.zone_of(run, model.place if model else run.place))
                )
            )
        if row.count is not None:
            row.count += number or 0

    def say() -> str:
        return (
            f"Extended {run.code} to {day_text(ends)}"
            if ends
            else f"Extended {run.code} by {number} meeting{'' if number == 1 else 's'}"
        )

    return change_dates(uow, run, Act.EXTEND_A_RUN, say, do)
