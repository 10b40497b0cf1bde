"""The dates of a run: meeting patterns, closures and one-off meetings, worked out into meetings.

Local time is wall-clock time in an IANA zone and stays where it is when clocks change; `minutes` are elapsed
minutes. A local time that does not exist moves forward by the gap, one that exists twice is the first
(RFC 5545 section 3.3.5).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal
from zoneinfo import ZoneInfo

WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")  # RFC 5545 section 3.3.10, BYDAY
WEEKDAY_NAMES = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTH_NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
MOST_MEETINGS = 2000  # of one pattern; a slip of the finger must not make ten thousand rows
MOST_TOGETHER = 5_000  # meetings of all patterns and one-offs of a run, or of one question


@dataclass(frozen=True)
class Pattern:
    """A weekly meeting pattern: RFC 5545's WEEKLY rule with WKST=MO, `every_weeks` as INTERVAL.

    Unlike DTSTART there, a `first` that is not one of `weekdays` is no meeting. At most one of `count` and
    `until` (a date, included); with neither there is one meeting. `extend`: a meeting that falls on a closure
    is replaced at the end until `count` are held; otherwise it is dropped and still counts.
    """

    first: date
    start: time
    minutes: int
    weekdays: tuple[int, ...] | None = None  # 0 is Monday; None: the weekday of `first`
    every_weeks: int = 1
    count: int | None = None
    until: date | None = None
    extend: bool = False
    instructors: tuple[str, ...] = ()
    room: str | None = None

    @property
    def days(self) -> tuple[int, ...]:
        return tuple(sorted(set(self.weekdays))) if self.weekdays else (self.first.weekday(),)


@dataclass(frozen=True)
class Extra:
    """A one-off meeting."""

    date: date
    start: time
    minutes: int
    instructors: tuple[str, ...] = ()
    room: str | None = None
    pattern: int | None = None  # the number of the pattern it came from


@dataclass(frozen=True)
class Meeting:
    """One date of a run, numbered 1..of by start. `start` and `end` carry the zone's offset of that day."""

    n: int
    of: int
    date: date
    start: datetime
    end: datetime
    minutes: int
    instructors: tuple[str, ...] = ()
    room: str | None = None
    warnings: tuple[str, ...] = ()
    pattern: int | None = None
    clock: time | None = None  # the time that was meant, also where the change of clocks skips it


@dataclass(frozen=True)
class Dropped:
    """A date of a pattern that is not taught, and why."""

    date: date
    why: str


def hours_of(minutes: int) -> str:
    """Contact hours with two decimals, rounded half up.

    >>> hours_of(500)
    '8.33'
    """
    return str((Decimal(minutes) / 60).quantize(Decimal("0.01"), rounding=ROUND_HALF_UP))


@dataclass(frozen=True)
class Schedule:
    """All meetings of a run in order, with the facts that follow from them."""

    meetings: tuple[Meeting, ...]
    dropped: tuple[Dropped, ...] = ()
    warnings: tuple[str, ...] = ()

    @property
    def first(self) -> date | None:
        return self.meetings[0].date if self.meetings else None

    @property
    def last(self) -> date | None:
        return max(m.date for m in self.meetings) if self.meetings else None

    @property
    def minutes(self) -> int:
        return sum(m.minutes for m in self.meetings)

    @property
    def hours(self) -> str:
        return hours_of(self.minutes)

    @property
    def weeks(self) -> int:
        """Calendar weeks (Monday to Sunday) from the first to the last meeting, empty ones included."""
        if self.first is None or self.last is None:
            return 0
        return (monday_of(self.last) - monday_of(self.first)).days // 7 + 1


@dataclass(frozen=True)
class Change:
    """What a person changed by hand about meeting `n` of a planned schedule, before it is saved."""

    n: int
    date: date | None = None
    start: time | None = None
    minutes: int | None = None
    dropped: bool = False
    instructors: tuple[str, ...] = ()  # none: those whom it had
    room: str | None = None


def monday_of(day: date) -> date:
    return day - timedelta(days=day.weekday())


def moment_text(moment: datetime, zone: ZoneInfo) -> str:
    """A moment as people read it in a zone: Thu 9 Sep 2027 at 17:30."""
    return local_text(moment.astimezone(zone))


def local_text(local: datetime) -> str:
    """The same of a moment that is in its zone already."""
    return f"{day_text(local.date())} at {local:%H:%M}"


def day_text(day: date) -> str:
    """A date as the product writes it everywhere: Thu 9 Sep 2027."""
    return f"{WEEKDAY_NAMES[day.weekday()][:3]} {day.day} {MONTH_NAMES[day.month - 1]} {day.year}"


def moment_of(day: date, at: time, zone: ZoneInfo) -> datetime:
    """The moment of a local time, with the offset that then holds.

    A time in a gap moves forward by the gap, a doubled one is the first (RFC 5545 section 3.3.5).

    >>> moment_of(date(2007, 3, 11), time(2, 30), ZoneInfo("America/New_York")).isoformat()
    '2007-03-11T03:30:00-04:00'
    """
    return datetime.combine(day, at, zone).astimezone(UTC).astimezone(zone)


def clock_warning(day: date, at: time, zone: ZoneInfo) -> str | None:
    """What to say of a local time that the change of clocks skips or doubles."""
    local = datetime.combine(day, at, zone)
    if moment_of(day, at, zone).replace(tzinfo=None) != local.replace(tzinfo=None):
        real = moment_of(day, at, zone)
        return f"{at:%H:%M} does not exist on {day_text(day)}: clocks go forward. The meeting starts at {real:%H:%M}."
    if local.utcoffset() != local.replace(fold=1).utcoffset():
        return f"{at:%H:%M} comes twice on {day_text(day)}: clocks go back. The meeting starts at the first."
    return None


def pattern_days(pattern: Pattern) -> Iterator[date]:
    """The dates of a pattern without end, closures not yet regarded, from `first` on, in order."""
    week = monday_of(pattern.first)
    while True:
        for weekday in pattern.days:
            try:
                day = week + timedelta(days=weekday)
            except OverflowError:
                return
            if day >= pattern.first:
                yield day
        try:
            week += timedelta(weeks=pattern.every_weeks)
        except OverflowError:
            return


def dates_of(pattern: Pattern, closures: frozenset[date]) -> tuple[list[date], list[Dropped]]:
    """The dates on which a pattern meets, and those that closures took from it.

    >>> tuesdays = Pattern(date(2027, 9, 14), time(17, 30), 105, count=3, extend=True)
    >>> [day.day for day in dates_of(tuesdays, frozenset({date(2027, 9, 21)}))[0]]
    [14, 28, 5]
    """
    taught: list[date] = []
    dropped: list[Dropped] = []
    count = 1 if pattern.count is None and pattern.until is None else pattern.count
    named = 0
    for day in pattern_days(pattern):
        enough = len(taught) if pattern.extend else named
        if (count is not None and enough >= count) or (pattern.until and day > pattern.until):
            break
        if len(taught) >= MOST_MEETINGS or len(dropped) >= MOST_MEETINGS:
            break
        named += 1
        if day not in closures:
            taught.append(day)
            continue
        moved = pattern.extend and count is not None
        tail = "a meeting is added at the end instead" if moved else "the meeting is left out"
        dropped.append(Dropped(day, f"{day_text(day)} is a closure; {tail}."))
    return taught, dropped


class TooMany(OverflowError):
    """More meetings together than are planned at once."""


def meetings_of(
    patterns: tuple[Pattern, ...],
    zone: ZoneInfo,
    closures: frozenset[date] = frozenset(),
    extra: tuple[Extra, ...] = (),
) -> Schedule:
    """All meetings of a run, by start and then by order of mention, with what was dropped and what to heed.

    One-off meetings on a closure stand, with a warning. No meeting at all is a warning, not an error. Raises TooMany for
    more than `MOST_TOGETHER` meetings of all patterns and one-offs.
    """
    planned: list[tuple[Extra, tuple[str, ...]]] = []
    dropped: list[Dropped] = []
    warnings: list[str] = []
    for n, pattern in enumerate(patterns, 1):
        days, lost = dates_of(pattern, closures)
        dropped += lost
        if len(planned) + len(days) + len(extra) > MOST_TOGETHER:
            raise TooMany(f"All patterns together give more than {MOST_TOGETHER:,} meetings.")
        if pattern.first.weekday() not in pattern.days:
            name = WEEKDAY_NAMES[pattern.first.weekday()]
            warnings.append(f"{day_text(pattern.first)} is no meeting: {name} is not one of the weekdays.")
        if len(days) == MOST_MEETINGS:
            warnings.append(f"A pattern stops at {MOST_MEETINGS} meetings.")
        planned += [
            (Extra(day, pattern.start, pattern.minutes, pattern.instructors, pattern.room, n), ())
            for day in days
        ]
    for one in extra:
        closed = (f"{day_text(one.date)} is a closure.",) if one.date in closures else ()
        planned.append((one, closed))
    if not planned:
        warnings.append("There is no meeting at all.")
    dropped.sort(key=lambda d: d.date)
    return Schedule(numbered([built(p, zone, w) for p, w in planned]), tuple(dropped), tuple(warnings))


def built(plan: Extra, zone: ZoneInfo, warnings: tuple[str, ...] = ()) -> Meeting:
    """One meeting from local time, not yet numbered."""
    start = moment_of(plan.date, plan.start, zone)
    end = (start.astimezone(UTC) + timedelta(minutes=plan.minutes)).astimezone(zone)
    clock = clock_warning(plan.date, plan.start, zone)
    all_warnings = warnings + ((clock,) if clock else ())
    return Meeting(
        0,
        0,
        plan.date,
        start,
        end,
        plan.minutes,
        plan.instructors,
        plan.room,
        all_warnings,
        plan.pattern,
        plan.start,
    )


def numbered(meetings: list[Meeting]) -> tuple[Meeting, ...]:
    """Meetings by start, ties in the order given, numbered n of N."""
    ordered = sorted(meetings, key=lambda m: m.start.astimezone(UTC))
    return tuple(replace(m, n=n, of=len(ordered)) for n, m in enumerate(ordered, 1))


def changed(schedule: Schedule, changes: tuple[Change, ...], zone: ZoneInfo) -> Schedule:
    """A planned schedule with single meetings changed or taken out by hand; numbers are those before the change."""
    by_n = {c.n: c for c in changes}
    kept: list[Meeting] = []
    for meeting in schedule.meetings:
        change = by_n.get(meeting.n)
        if change is None:
            kept.append(meeting)
        elif not change.dropped:
            plan = Extra(
                change.date or meeting.date,
                change.start if change.start is not None else meeting.clock or meeting.start.time(),
                change.minutes or meeting.minutes,
                change.instructors or meeting.instructors,
                change.room or meeting.room,
                meeting.pattern,
            )
            kept.append(built(plan, zone))
    return replace(schedule, meetings=numbered(kept))


def shifted(pattern: Pattern, days: int) -> Pattern:
    """The same pattern so many days later, weekdays turned along; its number of meetings stays."""
    weekdays = tuple(sorted((d + days) % 7 for d in pattern.days))
    until = pattern.until + timedelta(days=days) if pattern.until else None
    return replace(pattern, first=pattern.first + timedelta(days=days), weekdays=weekdays, until=until)


def next_days(pattern: Pattern, after: date, number: int, closures: frozenset[date]) -> list[date]:
    """The next so many dates of a pattern after a day, closures left out: how a run is made longer at its end.

    >>> next_days(Pattern(date(2027, 9, 14), time(17, 30), 105), date(2027, 9, 20), 2, frozenset())
    [datetime.date(2027, 9, 21), datetime.date(2027, 9, 28)]
    """
    days: list[date] = []
    for day in pattern_days(pattern):
        if len(days) >= number:
            break
        if day > after and day not in closures:
            days.append(day)
    return days


def aligned_shift(first: date, wanted: date) -> int:
    """The days by which a run moves so that it begins in the week of `wanted` on its own weekday, not before `wanted`.

    >>> aligned_shift(date(2026, 10, 14), date(2027, 1, 11))  # Wednesday to Wed 13 Jan
    91
    >>> aligned_shift(date(2026, 10, 14), date(2027, 1, 14))  # to Wed 20 Jan
    98
    """
    ahead = (first.weekday() - wanted.weekday()) % 7
    return (wanted + timedelta(days=ahead) - first).days
