"""Gates: the dated turning points of a run, and what follows from them at a moment.

A gate is a rule (absolute, or so many days before the start) and the moment that the rule gives. Days begin
and end in the center's zone; a gate at the end of a day is the first moment of the next one.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from archgate.core.schedule import Meeting, day_text, moment_of
from archgate.core.states import RunStatus, SignUp, Teaching


@dataclass(frozen=True)
class Gate:
    """`day` is the last day before the gate shuts or the day on which it opens; `at` is in UTC.

    `n` numbers the gates of one kind: sign-up windows and early steps in order of mention, 0 where a run has one only.
    """

    kind: str  # "sign-up opens", "early step ends", "decision day", "sign-up closes", "starts", "ends", "access ends"
    rule: str
    day: date
    at: datetime
    label: str = ""
    n: int = 0


@dataclass(frozen=True)
class Rule:
    """When a gate is: on a date, or so many days before the start. Exactly one of both."""

    on: date | None = None
    days_before: int | None = None

    def day(self, start: date | None) -> date | None:
        """The day of the gate; None while there is no start to count from."""
        return last_early_day(self.on, self.days_before, start)

    @property
    def text(self) -> str:
        if self.on:
            return f"on {self.on.isoformat()}"
        return f"{self.days_before} day{'' if self.days_before == 1 else 's'} before start"


@dataclass(frozen=True)
class Window:
    """A stretch of sign-up. Without `opens` from publication on, without `closes` through the day before the start."""

    opens: Rule | None = None
    closes: Rule | None = None


USUAL_CLOSE = Rule(days_before=1)


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


@dataclass(frozen=True)
class Cohort:
    """The first and the last day of a cohort, and for how many days after it there is access; None without an end."""

    first: date
    last: date
    access_days: int | None = None


def gates_of(
    meetings: tuple[Meeting, ...],
    zone: ZoneInfo,
    windows: tuple[Window, ...] = (Window(),),
    early: tuple[tuple[date | None, int | None, str], ...] = (),
    decision: Rule | None = None,
    cohort: Cohort | None = None,
    open_run: bool = False,
) -> tuple[Gate, ...]:
    """The gates of a run, by time. `zone` is the center's; meetings carry their own place's offset.

    A dated run starts with its first meeting and ends with its last; a `cohort` starts with the first moment of its
    first day and ends when its last is over; an open run has no start. Sign-up closes by each window's rule, usually
    at the end of the day before the start. `early` holds (until, days before, label) of each early-bird step. Access
    to a cohort ends when its days of access after its last day are over.
    """
    start = cohort.first if cohort else local_day(meetings[0].start, zone) if meetings else None
    gates = [*sign_up_gates(windows or (Window(),), start, zone, open_run)]
    for n, (until, days_before, label) in enumerate(early, 1):
        day = last_early_day(until, days_before, start)
        if day is not None:
            text = Rule(until, days_before).text
            gates.append(Gate("early step ends", text, day, day_over(day, zone), label, n))
    decided = decision.day(start) if decision else None
    if decision and decided is not None:
        moment = first_moment(decided, zone)
        gates.append(Gate("decision day", decision.text, decided, moment, "Decision day"))
    if cohort:
        gates += cohort_gates(cohort, zone)
    elif meetings and start is not None:
        begins, over = meetings[0].start.astimezone(UTC), max(m.end for m in meetings).astimezone(UTC)
        gates.append(Gate("starts", "first meeting", start, begins, "First meeting"))
        gates.append(Gate("ends", "last meeting", local_day(over, zone), over, "Last meeting"))
    return tuple(sorted(gates, key=lambda g: g.at))


def sign_up_gates(
    windows: tuple[Window, ...], start: date | None, zone: ZoneInfo, open_run: bool
) -> Iterator[Gate]:
    """The openings and closes of sign-up, window by window, numbered where there are several."""
    for n, window in enumerate(windows, 1):
        tail = f" ({n} of {len(windows)})" if len(windows) > 1 else ""
        opens = window.opens.day(start) if window.opens else None
        if window.opens and opens is not None:
            moment = first_moment(opens, zone)
            yield Gate("sign-up opens", window.opens.text, opens, moment, f"Sign-up opens{tail}", n)
        rule = window.closes or (None if open_run else USUAL_CLOSE)
        closes = rule.day(start) if rule else None
        if rule and closes is not None:
            moment = day_over(closes, zone)
            yield Gate("sign-up closes", rule.text, closes, moment, f"Sign-up closes{tail}", n)


def cohort_gates(cohort: Cohort, zone: ZoneInfo) -> Iterator[Gate]:
    """The first and the last day of a cohort, and the end of access some days later."""
    first, last, access_days = cohort.first, cohort.last, cohort.access_days
    yield Gate("starts", "first day", first, first_moment(first, zone), "Starts")
    yield Gate("ends", "last day", last, day_over(last, zone), "Ends")
    if access_days is not None:
        until = last + timedelta(days=access_days)
        yield Gate(
            "access ends", f"{access_days} days after the end", until, day_over(until, zone), "Access ends"
        )


def window_faults(
    windows: tuple[Window, ...], start: date | None, open_run: bool, end: date | None = None
) -> list[tuple[int, str, str]]:
    """What contradicts itself in sign-up windows: (number from 0, "opens" or "closes", sentence).

    Days are compared once the start is known; a window must not close before it opens, nor after the run's `end`, and
    windows follow each other.
    """
    faults: list[tuple[int, str, str]] = []
    before: date | None = None
    for n, window in enumerate(windows):
        opens = window.opens.day(start) if window.opens else None
        rule = window.closes or (None if open_run else USUAL_CLOSE)
        closes = rule.day(start) if rule else None
        if opens and closes and opens > closes:
            how = "" if window.closes else ", the day before the start"
            faults.append((n, "opens", f"Sign-up would open on {day_text(opens)}, after it closes{how}."))
        if closes and end and closes > end:
            faults.append(
                (
                    n,
                    "closes",
                    f"Sign-up would close on {day_text(closes)}, after the run ends on {day_text(end)}.",
                )
            )
        if n and opens is None and window.opens is None:
            faults.append((n, "opens", "A further window needs the day on which it opens."))
        if n and before is None:
            faults.append((n, "opens", "The window before this one never closes."))
        elif before and opens and opens <= before:
            faults.append((n, "opens", f"The window before this one is open through {day_text(before)}."))
        before = closes
    return faults


def sign_up_at(
    moment: datetime,
    status: RunStatus,
    windows: tuple[tuple[datetime | None, datetime | None], ...],
    full: bool,
    open_run: bool = False,
) -> tuple[SignUp, str]:
    """Whether people can sign up at a moment, and the sentence that says why or why not.

    `windows` holds (opens, closes) of each window in UTC; a window without opening is open from publication, one
    without closing has no start to close before, which only an open run may lack.
    """
    if status is RunStatus.DRAFT:
        return SignUp.NOT_YET, "The run is a draft; publish it first."
    if status is not RunStatus.PUBLISHED:
        return SignUp.CLOSED, f"The run is {status}."
    if not open_run and any(closes is None for _, closes in windows):
        return SignUp.NOT_YET, "The run has no meeting yet."
    for opens, closes in windows:
        if (opens is None or opens <= moment) and (closes is None or moment < closes):
            return (SignUp.FULL, "All seats are taken.") if full else (SignUp.OPEN, "Sign-up is open.")
    if any(opens is not None and opens > moment for opens, _ in windows):
        begun = any(closes is not None and closes <= moment for _, closes in windows)
        return (
            SignUp.NOT_YET,
            "Sign-up is shut; it opens again later." if begun else "Sign-up is not open yet.",
        )
    return SignUp.CLOSED, "Sign-up has closed."


def teaching_at(moment: datetime, starts: datetime | None, ends: datetime | None) -> Teaching:
    """Before the first meeting, between first and last, or after."""
    if starts is None or ends is None or moment < starts:
        return Teaching.BEFORE
    return Teaching.RUNNING if moment < ends else Teaching.ENDED


def through_text(day: date) -> str:
    """How the end of a day is said: through Fri 27 Aug 2027."""
    return f"through {day_text(day)}"
