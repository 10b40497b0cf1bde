"""Clashes: who or what is in two places at once, found by one sweep over all spans of time.

Moments are aware datetimes; a span holds from its start up to, not including, its end, so that times which only
touch do not clash. A sweep over n spans with k overlaps takes time in n log n + k.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from enum import StrEnum
from zoneinfo import ZoneInfo

from archgate.core.faults import refuse
from archgate.core.schedule import WEEKDAY_NAMES, WEEKDAYS, Meeting


class Kind(StrEnum):
    INSTRUCTOR = "instructor"  # teaches elsewhere at that time
    ROOM = "room"  # another meeting is there at that time
    SEATS = "too small"  # the room has fewer seats than the run
    CLOSURE = "closure"  # the center is closed on that day
    AWAY = "not available"  # the instructor is away, or it is outside their hours; or the room is closed
    LEARNER = "learner"  # somebody is enrolled for two meetings at that time


@dataclass(frozen=True)
class Span:
    """A stretch of time in which `who` is taken. `mark` is whatever the caller knows it by."""

    who: str
    start: datetime
    end: datetime
    mark: int
    fixed: bool = False  # a busy time: clashes with meetings, never with another busy time


@dataclass(frozen=True)
class Overlap:
    """Two spans of one `who` that overlap, `a` being the one that starts first, and the time they share."""

    who: str
    a: Span
    b: Span
    start: datetime
    end: datetime


def overlaps(spans: Iterable[Span]) -> Iterator[Overlap]:
    """Every pair of spans of the same `who` that overlap, by start of the later one within each `who`."""
    by_who: dict[str, list[Span]] = {}
    for span in spans:
        by_who.setdefault(span.who, []).append(span)
    for who, own_spans in by_who.items():
        own_spans.sort(key=lambda s: s.start)
        open_now: list[tuple[datetime, int, Span]] = []
        for n, span in enumerate(own_spans):
            while open_now and open_now[0][0] <= span.start:
                heapq.heappop(open_now)
            for end, _, other in sorted(open_now, key=lambda o: o[1]):
                if not (span.fixed and other.fixed):
                    yield Overlap(who, other, span, span.start, min(end, span.end))
            heapq.heappush(open_now, (span.end, n, span))


@dataclass(frozen=True)
class Busy:
    """A time at which an instructor, or a room, is taken by something else."""

    who: str
    start: datetime
    end: datetime


@dataclass(frozen=True)
class Clash:
    """`a` and `b` are numbers of meetings; `b` is None for a busy time."""

    who: str
    kind: Kind
    a: int
    b: int | None
    start: datetime
    end: datetime


def clashes_of(
    meetings: tuple[Meeting, ...], busy: tuple[Busy, ...] = (), most: int | None = None
) -> tuple[Clash, ...]:
    """The clashes of meetings among themselves and with busy times, by instructor and by room.

    A busy time holds for the instructor or room of its name, whichever a meeting has. Order: by the start of the
    overlap, then `a`, then `b` (busy times last), then instructor before room. With `most` no more than one clash beyond
    it is looked for.
    """
    clashes: list[Clash] = []
    for kind in (Kind.INSTRUCTOR, Kind.ROOM):
        spans = [
            Span(who, m.start.astimezone(UTC), m.end.astimezone(UTC), m.n)
            for m in meetings
            for who in dict.fromkeys(m.instructors if kind is Kind.INSTRUCTOR else filter(None, (m.room,)))
        ]
        known = {s.who for s in spans}
        spans += [
            Span(b.who, b.start.astimezone(UTC), b.end.astimezone(UTC), 0, fixed=True)
            for b in busy
            if b.who in known
        ]
        for over in overlaps(spans):
            if most is not None and len(clashes) > most:
                break
            free = over.a.fixed or over.b.fixed
            pair = sorted(s.mark for s in (over.a, over.b) if not s.fixed)
            clashes.append(Clash(over.who, kind, pair[0], None if free else pair[1], over.start, over.end))
    return tuple(sorted(clashes, key=lambda c: (c.start, c.a, c.b or 10**9, c.kind, c.end)))


@dataclass(frozen=True)
class Hours:
    """Weekly hours at which an instructor can teach: on a weekday (0 is Monday), from one wall-clock time to another."""

    weekday: int
    start: time
    end: time  # 00:00 is the end of the day


def read_hours(rows: list[dict[str, str]]) -> tuple[Hours, ...]:
    """Weekly hours from documents {"weekday": "MO", "from": "17:00", "to": "21:00"}. Raises Refused."""
    hours_read = []
    for n, row in enumerate(rows):
        try:
            span = Hours(
                WEEKDAYS.index(row["weekday"]), time.fromisoformat(row["from"]), time.fromisoformat(row["to"])
            )
        except (KeyError, ValueError, TypeError):
            raise refuse(
                f"/hours/{n}", "Hours are a weekday with a time from and a time to, like 17:00."
            ) from None
        if span.end != time(0) and span.end <= span.start:
            raise refuse(f"/hours/{n}", f"The hours on {WEEKDAY_NAMES[span.weekday]} end before they begin.")
        hours_read.append(span)
    return tuple(hours_read)


def within_hours(start: datetime, end: datetime, zone: ZoneInfo, hours: tuple[Hours, ...]) -> bool:
    """Whether a meeting lies wholly within weekly hours, as wall clocks in `zone` show them; no hours: at any time."""
    if not hours:
        return True
    at, stop = start.astimezone(zone).replace(tzinfo=None), end.astimezone(zone).replace(tzinfo=None)
    while at < stop:
        day_ends = datetime.combine(at.date() + timedelta(days=1), time(0))
        reach = at
        for span in sorted((h for h in hours if h.weekday == at.weekday()), key=lambda h: h.start):
            begins, ends = bounds(at.date(), span)
            if begins <= reach < ends:
                reach = ends
        if reach < min(stop, day_ends):
            return False
        at = reach
    return True


def bounds(day: date, hours: Hours) -> tuple[datetime, datetime]:
    last = day + timedelta(days=1) if hours.end == time(0) else day
    return datetime.combine(day, hours.start), datetime.combine(last, hours.end)


def first_free(
    starts: Iterable[datetime],
    minutes: int,
    taken: Iterable[Span],
    zone: ZoneInfo,
    hours: Sequence[tuple[Hours, ...]] = (),
) -> datetime | None:
    """The first of these starts at which a meeting of so many minutes touches nothing taken and is within the hours of everybody
    who teaches it."""
    busy = sorted(taken, key=lambda s: s.start)
    for start in starts:
        end = (start.astimezone(UTC) + timedelta(minutes=minutes)).astimezone(zone)
        if all(within_hours(start, end, zone, h) for h in hours) and not any(
            s.start < end and s.end > start for s in busy
        ):
            return start
    return None
