"""iCalendar (RFC 5545, names by RFC 7986): calendars written out, and busy times read in.

Written: every meeting as one event in its place's zone, with a stable UID, a rising SEQUENCE and a STATUS.
Read: events with RRULE, RDATE, EXDATE, single changes (RECURRENCE-ID), whole days, DURATION; time marked free
(TRANSP:TRANSPARENT) or cancelled is left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, TypeAlias
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr
from icalendar import Calendar, Event

from archgate.core.faults import refuse
from archgate.core.schedule import day_text

PRODID = "-//Arch Gate//Calendar 1//EN"
MOST_TIMES = 5000  # between the two days that are asked for
MOST_STEPS = 500_000  # times of one rule from its beginning on
EARLIEST = 1900  # a rule that begins before is none of a calendar

Ical: TypeAlias = Any  # type: ignore[explicit-any]  # a property of a calendar file holds any of thirty kinds of value


@dataclass(frozen=True)
class Entry:
    """One meeting for a calendar. `start` and `end` carry the zone of the place."""

    uid: str
    start: datetime
    end: datetime
    summary: str
    place: str
    about: str
    sequence: int
    status: str  # CONFIRMED, TENTATIVE, CANCELLED
    stamped: datetime
    link: str = ""


def calendar_of(name: str, about: str, uid: str, entries: list[Entry]) -> bytes:
    """A calendar of entries, with the zones that it uses."""
    calendar = Calendar()
    calendar.add("prodid", PRODID)
    calendar.add("version", "2.0")
    calendar.add("calscale", "GREGORIAN")
    calendar.add("method", "PUBLISH")
    calendar.add("uid", uid)  # RFC 7986 section 5.3
    calendar.add("name", name)  # RFC 7986 section 5.1
    calendar.add("description", about)  # RFC 7986 section 5.2
    calendar.add(
        "refresh-interval", timedelta(hours=1), parameters={"VALUE": "DURATION"}
    )  # RFC 7986 section 5.7
    for entry in entries:
        event = Event()
        event.add("uid", entry.uid)
        event.add("dtstamp", entry.stamped.astimezone(UTC))
        event.add("dtstart", entry.start)
        event.add("dtend", entry.end)
        event.add("summary", entry.summary)
        if entry.place:
            event.add("location", entry.place)
        if entry.about:
            event.add("description", entry.about)
        if entry.link:
            # RFC 7986 section 5.11
            event.add(
                "conference",
                entry.link,
                parameters={"VALUE": "URI", "FEATURE": "VIDEO", "LABEL": "Join online"},
            )
        event.add("sequence", entry.sequence)
        event.add("status", entry.status)
        event.add("transp", "TRANSPARENT" if entry.status == "CANCELLED" else "OPAQUE")
        calendar.add_component(event)
    if entries:
        calendar.add_missing_timezones(
            first_date=min(e.start for e in entries).date() - timedelta(days=400),
            last_date=max(e.end for e in entries).date() + timedelta(days=400),
        )
    return bytes(calendar.to_ical())


@dataclass(frozen=True)
class Taken:
    """A time that a calendar marks as taken, in UTC."""

    start: datetime
    end: datetime
    all_day: bool
    label: str


def read_calendar(content: bytes, zone: ZoneInfo, first: date, last: date) -> list[Taken]:
    """The times a calendar takes between two days, both included, by start. Raises Refused with what cannot be read.

    Whole days and local times without a zone count in `zone`.
    """
    try:
        calendar = Calendar.from_ical(content)
    except (ValueError, IndexError, KeyError, OverflowError) as error:
        raise refuse("/file", f"This is not an iCalendar file: {error}") from None
    if isinstance(calendar, list) or calendar.name != "VCALENDAR":
        raise refuse("/file", "This is not an iCalendar file.")
    window = (
        datetime.combine(first, time(0), zone).astimezone(UTC),
        datetime.combine(last + timedelta(days=1), time(0), zone).astimezone(UTC),
    )
    events: list[Ical] = list(calendar.walk("VEVENT"))
    for n, event in enumerate(events, 1):
        refuse_unreadable(n, event)
    changed = changed_times(events, zone)
    taken: list[Taken] = []
    for n, event in enumerate(events, 1):
        if is_free(event):
            continue
        try:
            taken += times_of(event, zone, window, changed)
        except OverflowError:
            raise refuse("/file", f"{entry(n, event)}: it goes beyond the calendar.") from None
        if len(taken) > MOST_TIMES:
            span = f"between {day_text(first)} and {day_text(last)}"
            raise refuse("/file", f"The calendar holds more than {MOST_TIMES} times {span}.")
    return sorted(taken, key=lambda t: (t.start, t.end))


def entry(n: int, event: Ical) -> str:
    return f"Entry {n}, {event.get('summary', 'without a name')}"


def refuse_unreadable(n: int, event: Ical) -> None:
    """Refuse an entry of which something cannot be read, or that has no start."""
    if event.errors:
        what, trouble = event.errors[0]
        raise refuse("/file", f"{entry(n, event)}: {what or 'something'} cannot be read ({trouble}).")
    if "dtstart" not in event:
        raise refuse("/file", f"{entry(n, event)}, has no start.")


def is_free(event: Ical) -> bool:
    """Whether an entry takes no time: marked free, or cancelled."""
    free = str(event.get("transp", "OPAQUE")).upper() == "TRANSPARENT"
    return free or str(event.get("status", "")).upper() == "CANCELLED"


def changed_times(events: list[Ical], zone: ZoneInfo) -> set[tuple[str, datetime]]:
    """The times of series that have entries of their own, by the series' UID."""
    whole_days = {
        str(e.get("uid"))
        for e in events
        if "recurrence-id" not in e and not isinstance(e["dtstart"].dt, datetime)
    }
    return {
        (str(e.get("uid")), changed_at(e, zone, str(e.get("uid")) in whole_days))
        for e in events
        if "recurrence-id" in e
    }


def changed_at(event: Ical, zone: ZoneInfo, whole_days: bool) -> datetime:
    """Which time of its series an event stands for; in a series of whole days the date decides, also where a moment is
    written."""
    value = event["recurrence-id"].dt
    return moment(value.date() if whole_days and isinstance(value, datetime) else value, zone)


def moment(value: date | datetime, zone: ZoneInfo) -> datetime:
    """A calendar's value in UTC; a date is the day's first moment, a time without a zone stands in `zone`."""
    if not isinstance(value, datetime):
        value = datetime.combine(value, time(0))
    return (value if value.tzinfo else value.replace(tzinfo=zone)).astimezone(UTC)


def length_of(event: Ical, start: date | datetime) -> timedelta | None:
    """How long an event lasts by the clocks it is written in; a day for a date alone, nothing for a moment alone. Where an
    end and a duration are said, which RFC 5545 forbids, the end counts."""
    if "dtend" in event:
        end = event["dtend"].dt
        if isinstance(end, datetime) != isinstance(start, datetime):
            return None
        if isinstance(end, datetime) and end.tzinfo and isinstance(start, datetime) and start.tzinfo:
            return end.astimezone(UTC) - start.astimezone(UTC)
        return end - start  # type: ignore[no-any-return]
    if "duration" in event:
        return event["duration"].dt  # type: ignore[no-any-return]
    return timedelta(days=1) if not isinstance(start, datetime) else timedelta(0)


def times_of(
    event: Ical, zone: ZoneInfo, window: tuple[datetime, datetime], changed: set[tuple[str, datetime]]
) -> list[Taken]:
    start = event["dtstart"].dt
    length = length_of(event, start)
    label = str(event.get("summary", "")).strip() or "taken"
    all_day = not isinstance(start, datetime)
    if length is None or length < timedelta(0):
        raise refuse("/file", f"{label}: it ends before it begins.")
    times = []
    for span in starts_of(event, start, zone, window, length):
        begins = moment(span, zone)
        if "recurrence-id" not in event and (str(event.get("uid")), begins) in changed:
            continue
        # Whole days end at a local midnight, however long the night of a change of clocks is.
        ends = moment(span + length, zone) if all_day else begins + length
        if ends > begins and begins < window[1] and ends > window[0]:
            times.append(Taken(begins, ends, all_day, label[:200]))
    return times


def starts_of(
    event: Ical, start: date | datetime, zone: ZoneInfo, window: tuple[datetime, datetime], length: timedelta
) -> list[Ical]:
    """The starts of an event: its own, or those of its rule and dates less the excepted ones (RFC 5545 section 3.8.5)."""
    if "rrule" not in event and "rdate" not in event:
        return [start]
    local = start if isinstance(start, datetime) else datetime.combine(start, time(0))
    own_zone = local.tzinfo
    naive = local.replace(tzinfo=None)

    def plainly(value: date | datetime) -> datetime:
        if not isinstance(value, datetime):
            return datetime.combine(value, time(0))
        return (
            value.astimezone(own_zone).replace(tzinfo=None)
            if value.tzinfo and own_zone
            else value.replace(tzinfo=None)
        )

    stop = window[1].astimezone(own_zone or zone).replace(tzinfo=None) + timedelta(days=1)
    back = window[0].astimezone(own_zone or zone).replace(tzinfo=None) - length - timedelta(days=1)
    starts: set[datetime] = set()
    rules = event.get("rrule", [])
    for rule in rules if isinstance(rules, list) else [rules]:
        parts = dict(rule)
        until = (parts.pop("UNTIL", None) or [None])[0]
        limit = plainly(until) if until is not None else None
        if until is not None and not isinstance(until, datetime):
            limit = datetime.combine(until, time(23, 59, 59))
        try:
            if int((parts.get("INTERVAL") or [1])[0]) < 1:
                raise ValueError("it repeats every 0 times")
            if str((parts.get("FREQ") or [""])[0]).upper() in ("SECONDLY", "MINUTELY"):
                raise ValueError("it repeats by the minute or second")
            if naive.year < EARLIEST:
                raise ValueError(f"it begins before {EARLIEST}")
            count = int((parts.pop("COUNT", None) or [MOST_STEPS])[0])
            text = type(rule)(parts).to_ical().decode()
            # The end of the window ends the rule, also one that gives no time at all: nothing is sought beyond it.
            last = stop if limit is None else min(stop, limit)
            for n, at in enumerate(rrulestr(text, dtstart=naive).replace(until=last), 1):
                if n > count or len(starts) > MOST_TIMES:
                    break
                if n >= MOST_STEPS:
                    raise ValueError(f"it has more than {MOST_STEPS:,} times")
                if at > back:
                    starts.add(at)
        except (ValueError, OverflowError, TypeError) as error:
            raise refuse(
                "/file", f"{event.get('summary', 'An entry')}: its rule cannot be read ({error})."
            ) from None
    # The first instance is DTSTART itself, also where its rule does not give it (RFC 5545 section 3.8.5.3).
    starts.add(naive)
    starts |= {plainly(d.dt) for d in dates_under(event, "rdate") if not isinstance(d.dt, tuple)}
    starts -= {plainly(d.dt) for d in dates_under(event, "exdate")}
    kept = [s for s in sorted(starts) if s > back]
    if not isinstance(start, datetime):
        return [s.date() for s in kept]
    return [s.replace(tzinfo=own_zone) for s in kept]


def dates_under(event: Ical, key: str) -> list[Ical]:
    values = event.get(key, [])
    return [d for row in (values if isinstance(values, list) else [values]) for d in row.dts]
