"""Gates: the dated turning points of a run, and what follows from them at a moment.

A gate is a rule (absolute, or so many days before the start) and the moment that the rule gives. Days begin
and end in the center's zone; a gate at the end of a day is the first moment of the next one.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from enum import StrEnum
from zoneinfo import ZoneInfo

from archgate.core.schedule import Meeting, day_text, moment_of


class Status(StrEnum):
    DRAFT = "draft"
    PUBLISHED = "published"
    OFF_SALE = "off sale"
    CANCELLED = "cancelled"
    ARCHIVED = "archived"


class SignUp(StrEnum):
    NOT_YET = "not yet"
    OPEN = "open"
    FULL = "full"
    CLOSED = "closed"


class Teaching(StrEnum):
    BEFORE = "before"
    RUNNING = "running"
    ENDED = "ended"


@dataclass(frozen=True)
class Gate:
    """`day` is the last day before the gate shuts or the day on which it opens; `at` is in UTC."""

    kind: str  # "sign-up opens", "early step ends", "sign-up closes", "starts", "ends"
    rule: str
    day: date
    at: datetime
    label: str = ""


def first_moment(day: date, zone: ZoneInfo) -> datetime:
    """The first moment of a day, in UTC."""
    return moment_of(day, time(0), zone).astimezone(UTC)


def day_over(day: date, zone: ZoneInfo) -> datetime:
    """The moment at which a day is over, in UTC: the first moment of the next day."""
    return first_moment(day + timedelta(days=1), zone)


def local_day(moment: datetime, zone: ZoneInfo) -> date:
    return moment.astimezone(zone).date()


def last_early_day(until: date | None, days_before: int | None, start: date | None) -> date | None:
    """The last day on which an early-bird step holds: `until`, or `days_before` days before the start.

    Start 14 September, 18 days before: through 27 August. None while there is no start to count from.
    """
    if until is not None:
        return until
    if days_before is None or start is None:
        return None
    return start - timedelta(days=days_before)


def gates_of(
    meetings: tuple[Meeting, ...],
    zone: ZoneInfo,
    opens: date | None = None,
    early: tuple[tuple[date | None, int | None, str], ...] = (),
) -> tuple[Gate, ...]:
    """The gates of a dated run, by time.

    Sign-up closes at the end of the day before the first meeting (the center's day); without `opens` it is
    open from publication. `early` holds (until, days before, label) of each early-bird step. `zone` is the
    center's; meetings carry their own place's offset.
    """
    gates: list[Gate] = []
    if opens is not None:
        at = first_moment(opens, zone)
        gates.append(Gate("sign-up opens", f"on {opens.isoformat()}", opens, at, "Sign-up opens"))
    start = local_day(meetings[0].start, zone) if meetings else None
    for until, days_before, label in early:
        day = last_early_day(until, days_before, start)
        if day is not None:
            rule = f"on {until.isoformat()}" if until else f"{days_before} days before start"
            gates.append(Gate("early step ends", rule, day, day_over(day, zone), label))
    if meetings and start is not None:
        before = start - timedelta(days=1)
        gates.append(
            Gate("sign-up closes", "1 day before start", before, day_over(before, zone), "Sign-up closes")
        )
        begun = meetings[0].start.astimezone(UTC)
        gates.append(Gate("starts", "first meeting", start, begun, "First meeting"))
        over = max(m.end for m in meetings).astimezone(UTC)
        gates.append(Gate("ends", "last meeting", local_day(over, zone), over, "Last meeting"))
    return tuple(sorted(gates, key=lambda g: g.at))


def sign_up_at(
    moment: datetime, status: Status, opens: datetime | None, closes: datetime | None, full: bool
) -> tuple[SignUp, str]:
    """Whether people can sign up at a moment, and the sentence that says why or why not."""
    if status is Status.DRAFT:
        return SignUp.NOT_YET, "The run is a draft; publish it first."
    if status is not Status.PUBLISHED:
        return SignUp.CLOSED, f"The run is {status}."
    if closes is None:
        return SignUp.NOT_YET, "The run has no meeting yet."
    if moment >= closes:
        return SignUp.CLOSED, "Sign-up closed at the end of the day before the first meeting."
    if opens is not None and moment < opens:
        return SignUp.NOT_YET, "Sign-up is not open yet."
    if full:
        return SignUp.FULL, "All seats are taken."
    return SignUp.OPEN, "Sign-up is open."


def teaching_at(moment: datetime, starts: datetime | None, ends: datetime | None) -> Teaching:
    """Before the first meeting, between first and last, or after."""
    if starts is None or ends is None or moment < starts:
        return Teaching.BEFORE
    return Teaching.RUNNING if moment < ends else Teaching.ENDED


def through_text(day: date) -> str:
    """How the end of a day is said: through Fri 27 Aug 2027."""
    return f"through {day_text(day)}"
