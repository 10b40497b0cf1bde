"""Meeting patterns of a saved run: one more, one that becomes another from now on, one that ends earlier.

What was held stands. Each change is worked out whole, with the dates before and after, clashes, gates and who is told.
"""

from __future__ import annotations

from datetime import date, timedelta

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.problems import Problem, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome
from archgate.actions.runs.moving import MeetingChange, change_dates, drop_meeting, set_meeting
from archgate.actions.schedule import places, schedule, teachers
from archgate.actions.schedule.commands import PatternForm
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.schedule import Extra, Pattern, TooMany, built, dates_of, day_text, meetings_of, next_days
from archgate.core.states import RunKind
from archgate.documents.calculators import PATTERN_KEYS, read_pattern
from archgate.documents.reader import Reader
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting, MeetingPattern
from archgate.tables.teaching import PatternTeacher

CHANGED = "the pattern is another"


def read(command: PatternForm) -> Pattern:
    """A pattern of a form; Refused with every fault of it."""
    faults: list[Fault] = []
    pattern = read_pattern(Reader(document(command), "", faults, PATTERN_KEYS))
    if faults or pattern is None:
        raise Refused(faults)
    return pattern


def run_with(uow: UnitOfWork, run_id: int, n: int | None = None) -> tuple[Run, MeetingPattern | None]:
    run = seats.run_to_change(uow, run_id)
    if run.kind == RunKind.OPEN:
        raise refuse("/first", "An open run has no dates.")
    row = next((p for p in run.patterns if p.n == n), None)
    if n is not None and row is None:
        raise not_found("This pattern")
    return run, row


def words_of(row: MeetingPattern) -> str:
    return f"{row.weekdays.replace(',', ' and ')} at {row.start:%H:%M}"


def add_pattern(uow: UnitOfWork, run_id: int, command: PatternForm) -> Outcome:
    """One pattern more, with all its meetings. On a run that people know of it begins today or later."""
    run, _ = run_with(uow, run_id)
    pattern = read(command)
    if run.known and pattern.first < uow.today:
        raise refuse("/first", f"{day_text(pattern.first)} is past.")
    if len(run.patterns) >= schedule.MOST_PATTERNS:
        raise refuse("/first", f"A run has at most {schedule.MOST_PATTERNS} patterns.")
    n = max((p.n for p in run.patterns), default=0) + 1
    row = schedule.pattern_row(uow, pattern, n)
    place = places.place_named(uow, pattern.room) or run.place
    try:
        found = meetings_of(
            (pattern,), schedule.zone_of(run, place), places.closures_from(uow, pattern.first)
        )
    except (TooMany, OverflowError):
        raise refuse("/count", "The dates of this pattern are too many, or go beyond the calendar.") from None
    if not found.meetings:
        raise refuse("/weekdays", "This pattern gives no meeting at all.")

    def do() -> None:
        run.patterns.append(row)
        for m in found.meetings:
            made = schedule.placed_row(uow, run, m)
            made.pattern_n = n
            run.all_meetings.append(made)

    return change_dates(
        uow, run, Act.ADD_A_PATTERN, lambda: f"Added a pattern to {run.code}: {words_of(row)}", do
    )


def change_pattern(uow: UnitOfWork, run_id: int, n: int, command: PatternForm) -> Outcome:
    """A pattern becomes another for everything that is ahead: each meeting takes the next date of the new pattern, what is over
    the new number falls out, what is missing comes in. Its number of meetings counts those that were held."""
    run, row = run_with(uow, run_id, n)
    assert row is not None
    pattern = read(command)
    own = [m for m in schedule.ordered(run) if m.pattern_n == n]
    held = [m for m in own if m.starts_at <= uow.now]
    ahead = [m for m in own if m.starts_at > uow.now]
    days = days_ahead(uow, pattern, held)
    if run.known and days and days[0] < uow.today:
        raise refuse("/first", f"{day_text(days[0])} is past.")
    place = places.place_named(uow, pattern.room) or run.place
    taught = teachers.named(uow, pattern.instructors) or teachers.assigned_of(run)
    if not days and not held and len(run.meetings) == len(ahead) and run.kind == RunKind.DATED:
        raise refuse("/weekdays", "This pattern gives no meeting at all.")

    def do() -> None:
        for m, day in zip(ahead, days, strict=False):
            facts: MeetingChange = {
                "by_hand": False, "date": day, "start": pattern.start, "minutes": pattern.minutes, "place": place,
                "instructors": taught,
            }  # fmt: skip
            set_meeting(uow, run, m, facts)
        for m in ahead[len(days) :]:
            drop_meeting(uow, run, m, CHANGED)
        for day in days[len(ahead) :]:
            plan = Extra(day, pattern.start, pattern.minutes, pattern.instructors, pattern.room, n)
            run.all_meetings.append(schedule.placed_row(uow, run, built(plan, schedule.zone_of(run, place))))
        take_over(uow, row, pattern)

    return change_dates(
        uow, run, Act.CHANGE_A_PATTERN, lambda: f"Changed a pattern of {run.code}: {words_of(row)}", do
    )


def take_over(uow: UnitOfWork, row: MeetingPattern, pattern: Pattern) -> None:
    """Put a pattern into the row of the one it follows."""
    new = schedule.pattern_row(uow, pattern, row.n)
    for name in (
        "first",
        "start",
        "minutes",
        "weekdays",
        "every_weeks",
        "count",
        "until",
        "extend",
        "place_id",
    ):
        setattr(row, name, getattr(new, name))
    row.teachers = teachers.rows_for(PatternTeacher, teachers.named(uow, pattern.instructors))


def days_ahead(uow: UnitOfWork, pattern: Pattern, held: list[Meeting]) -> list[date]:
    """The dates of a pattern after those that were held and after today's moment, closed days left out or made up for."""
    closed = places.closures_from(uow, pattern.first)
    try:
        if not held:
            return dates_of(pattern, closed)[0]
        after = max(uow.today, max(m.date for m in held))
        if pattern.until:
            days = [d for d in dates_of(pattern, closed)[0] if d > after]
        else:
            days = next_days(pattern, after, max(0, (pattern.count or 1) - len(held)), closed)
    except OverflowError:
        raise refuse("/count", "The dates go beyond the calendar.") from None
    return days


def end_pattern(uow: UnitOfWork, run_id: int, n: int, last: date) -> Outcome:
    """A pattern ends with a day: its meetings after it fall out. A dated run keeps at least one meeting."""
    run, row = run_with(uow, run_id, n)
    assert row is not None
    if last < row.first - timedelta(days=1):
        raise refuse(
            "/last",
            f"The pattern begins on {day_text(row.first)} only; end it the day before, to take it out.",
        )
    going = [m for m in run.meetings if m.pattern_n == n and m.date > last]
    if any(m.starts_at <= uow.now for m in going):
        raise refuse("/last", "Meetings after that day were held already; take a later day.")
    if not going:
        raise refuse("/last", "No meeting of this pattern comes after that day.")
    if len(going) == len(run.meetings) and run.kind == RunKind.DATED:
        raise Problem(
            422, "last-meeting", "A run keeps at least one meeting; move or cancel the run instead."
        )

    def do() -> None:
        for m in going:
            drop_meeting(uow, run, m, "the pattern ends earlier")
        row.until, row.count = max(last, row.first), None

    return change_dates(
        uow, run, Act.END_A_PATTERN, lambda: f"Ended a pattern of {run.code} with {day_text(last)}", do
    )
