"""Dates of a run: planning them from a pattern, changing single meetings, keeping the gates in step."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import func, select

from archgate.actions.problems import Problem, not_found
from archgate.actions.transaction import Deed
from archgate.core import gates as core_gates
from archgate.core.documents import PATTERN_KEYS, meeting_document, read_pattern
from archgate.core.faults import Fault, Refused
from archgate.core.reader import Reader
from archgate.core.schedule import (
    WEEKDAYS,
    Change,
    Extra,
    Pattern,
    Schedule,
    built,
    changed,
    day_text,
    meetings_of,
    numbered,
)
from archgate.core.schedule import Meeting as CoreMeeting
from archgate.tables.courses import Run
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate, Meeting, MeetingPattern


def get_run(deed: Deed, run_id: int) -> Run:
    run = deed.session.get(Run, run_id)
    if run is None:
        raise not_found("This run")
    return run


def day_before(day: date) -> date:
    return day - timedelta(days=1)


def schedule_of(run: Run) -> Schedule:
    """The stored meetings of a run as the core sees them, numbered by time."""
    zone = ZoneInfo(run.time_zone)
    return Schedule(numbered([built(Extra(m.date, m.start, m.minutes), zone) for m in run.meetings]))


def read_changes(rows: list[Reader]) -> tuple[Change, ...]:
    """What was changed by hand in a planned list of dates."""
    found = []
    for row in rows:
        n = row.whole("n", "The number of the meeting", 1, 10_000, need=True)
        day, start = row.day("date", "The date"), row.clock("start", "The start time")
        minutes = row.whole("minutes", "The length in minutes", 1, 7 * 24 * 60)
        if n is not None:
            found.append(Change(n, day, start, minutes, row.flag("dropped", "Left out")))
    return tuple(found)


def planned(top: Reader, zone: ZoneInfo) -> tuple[Pattern | None, Schedule | None]:
    """The pattern of a form and the meetings it gives, with the changes made by hand."""
    row = top.inner("pattern", "The meeting pattern", PATTERN_KEYS)
    pattern = read_pattern(row) if row else None
    changes = read_changes(
        top.rows("changes", "The changed dates", "n date start minutes dropped", most=5000)
    )
    if pattern is None:
        return None, None
    try:
        schedule = changed(meetings_of((pattern,), zone), changes, zone)
    except OverflowError:
        top.fault("pattern/first", "The dates go beyond the calendar.")
        return pattern, None
    if not schedule.meetings:
        top.faults.append(Fault("/pattern/weekdays", "This pattern gives no meeting at all."))
    return pattern, schedule


def pattern_row(pattern: Pattern) -> MeetingPattern:
    return MeetingPattern(
        first=pattern.first,
        start=pattern.start,
        minutes=pattern.minutes,
        weekdays=",".join(WEEKDAYS[d] for d in pattern.days),
        every_weeks=pattern.every_weeks,
        count=pattern.count,
        until=pattern.until,
    )


def meeting_row(meeting: CoreMeeting, by_hand: bool = False) -> Meeting:
    return Meeting(
        date=meeting.date,
        start=meeting.start.time().replace(tzinfo=None, fold=0),
        minutes=meeting.minutes,
        starts_at=meeting.start.astimezone(UTC),
        ends_at=meeting.end.astimezone(UTC),
        by_hand=by_hand,
    )


def core_gates_of(run: Run, zone: ZoneInfo) -> tuple[core_gates.Gate, ...]:
    """The gates that the core works out for a run as it is stored."""
    ends: dict[tuple[date | None, int | None], list[str]] = {}
    stepped = [r for r in run.rates if r.active and r.early]
    for rate in stepped:
        for step in rate.early:
            ends.setdefault((step.until, step.days_before), []).append(rate.label)
    early = tuple(
        (
            until,
            days,
            "Early price ends" + ("" if len(set(labels)) == len(stepped) else f" ({', '.join(labels)})"),
        )
        for (until, days), labels in ends.items()
    )
    return core_gates.gates_of(schedule_of(run).meetings, zone, run.sign_up_opens, early)


def settle_gates(deed: Deed, run: Run) -> None:
    """Bring the stored gates in step with dates, fees and rules; rows that did not change stay."""
    wanted = list(core_gates_of(run, deed.zone))
    kept = []
    for row in list(run.gates):
        match = next((g for g in wanted if (g.kind, g.rule, g.day, g.at, g.label) == _gate_facts(row)), None)
        if match:
            wanted.remove(match)
            kept.append(row)
    run.gates = kept + [Gate(kind=g.kind, rule=g.rule, day=g.day, at=g.at, label=g.label) for g in wanted]
    deed.session.flush()
    deed.session.refresh(run, ["gates"])


def _gate_facts(row: Gate) -> tuple[Any, ...]:
    return row.kind, row.rule, row.day, row.at, row.label


def gate_at(run: Run, kind: str) -> datetime | None:
    return next((g.at for g in run.gates if g.kind == kind), None)


def meeting_view(meeting: CoreMeeting, row: Meeting) -> dict[str, Any]:
    return {**meeting_document(meeting), "id": row.id, "by_hand": row.by_hand}


def meetings_view(run: Run) -> list[dict[str, Any]]:
    return [meeting_view(m, r) for m, r in zip(schedule_of(run).meetings, ordered(run), strict=True)]


def ordered(run: Run) -> list[Meeting]:
    return sorted(run.meetings, key=lambda m: m.starts_at)


# --- changing dates of a saved run ------------------------------------------------------------------------


def run_of_meeting(deed: Deed, meeting_id: int) -> tuple[Run, Meeting]:
    meeting = deed.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = deed.session.get_one(Run, meeting.run_id)
    if run.status in ("cancelled", "archived"):
        raise Problem(409, "run-closed", f"The run is {run.status}; its dates no longer change.")
    return run, meeting


def change_meeting(deed: Deed, meeting_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Move one meeting to another date, time or length. `seen` guards against overwriting a colleague."""
    run, meeting = run_of_meeting(deed, meeting_id)
    before = situation(deed, run)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    given = top.inner("set", "What to change", "date start minutes")
    seen = top.value.get("seen") or {}
    day = given.day("date", "The date") if given else None
    start = given.clock("start", "The start time") if given else None
    minutes = given.whole("minutes", "The length in minutes", 1, 7 * 24 * 60) if given else None
    if faults:
        raise Refused(faults)
    new = {"date": day, "start": start, "minutes": minutes}
    now = {"date": meeting.date, "start": meeting.start, "minutes": meeting.minutes}
    refuse_lost_update(
        {k: v for k, v in new.items() if v is not None}, seen, {k: shown(v) for k, v in now.items()}
    )
    plan = Extra(
        day or meeting.date, start if start is not None else meeting.start, minutes or meeting.minutes
    )
    result = meeting_row(built(plan, ZoneInfo(run.time_zone)))
    for name in ("date", "start", "minutes", "starts_at", "ends_at"):
        setattr(meeting, name, getattr(result, name))
    meeting.by_hand = True
    change = deed.log(
        "change dates", "run", run.id, f"Moved a meeting of {run.code} to {day_text(meeting.date)}"
    )
    return after_dates(deed, run, before, change.key)


def add_meeting(deed: Deed, run_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Add a one-off meeting to a run."""
    run = get_run(deed, run_id)
    before = situation(deed, run)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "date start minutes")
    day = top.day("date", "The date", need=True)
    start = top.clock("start", "The start time", need=True)
    minutes = top.whole("minutes", "The length in minutes", 1, 7 * 24 * 60, need=True)
    if faults or day is None or start is None or minutes is None:
        raise Refused(faults)
    run.meetings.append(meeting_row(built(Extra(day, start, minutes), ZoneInfo(run.time_zone)), by_hand=True))
    change = deed.log("add a meeting", "run", run.id, f"Added a meeting of {run.code} on {day_text(day)}")
    return after_dates(deed, run, before, change.key)


def remove_meeting(deed: Deed, meeting_id: int) -> dict[str, Any]:
    """Take one meeting out of a run; a run keeps at least one."""
    run, meeting = run_of_meeting(deed, meeting_id)
    if len(run.meetings) == 1:
        raise Problem(422, "last-meeting", "A run keeps at least one meeting; move this one instead.")
    before = situation(deed, run)
    day = meeting.date
    run.meetings.remove(meeting)
    change = deed.log(
        "take out a meeting", "run", run.id, f"Took out the meeting of {run.code} on {day_text(day)}"
    )
    return after_dates(deed, run, before, change.key)


def shown(value: Any) -> Any:
    """A value as screens show and send it back: dates and times as text, to the minute."""
    if isinstance(value, time):
        return value.strftime("%H:%M")
    return value.isoformat() if hasattr(value, "isoformat") else value


def refuse_lost_update(new: dict[str, Any], seen: dict[str, Any], now: dict[str, Any]) -> None:
    """Only a field that somebody else changed since it was seen conflicts; both values go back (409)."""
    both = {
        name: {"seen": seen[name], "now": now[name], "yours": shown(value)}
        for name, value in new.items()
        if name in seen and shown(now[name]) != seen[name] and shown(now[name]) != shown(value)
    }
    if both:
        names = ", ".join(name.replace("_", " ") for name in both)
        raise Problem(
            409, "changed-meanwhile", f"Somebody else changed this meanwhile: {names}.", fields=both
        )


def situation(deed: Deed, run: Run) -> dict[str, Any]:
    """What a change of dates may touch: meetings, hours and gates, as plain facts to compare."""
    schedule = schedule_of(run)
    return {
        "meetings": len(schedule.meetings),
        "hours": schedule.hours,
        "first": shown(schedule.first),
        "last": shown(schedule.last),
        "gates": {f"{g.kind}|{g.label}": {"label": g.label, "day": shown(g.day)} for g in run.gates},
    }


def after_dates(deed: Deed, run: Run, before: dict[str, Any], change_key: str) -> dict[str, Any]:
    """Settle the gates after a change of dates, and say what it touches."""
    deed.session.flush()
    deed.session.refresh(run, ["meetings"])
    settle_gates(deed, run)
    after = situation(deed, run)
    gates = [
        {"label": now["label"], "before": (before["gates"].get(key) or {}).get("day"), "after": now["day"]}
        for key, now in after["gates"].items()
        if (before["gates"].get(key) or {}).get("day") != now["day"]
    ]
    facts = [
        {"label": label, "before": str(before[name]), "after": str(after[name])}
        for name, label in (("meetings", "Meetings"), ("hours", "Hours"))
        if before[name] != after[name]
    ]
    return outcome(deed, run, change_key, facts + gates)


def outcome(deed: Deed, run: Run, change_key: str | None, touches: list[dict[str, Any]]) -> dict[str, Any]:
    """What a change to a run touches, for the margin: facts before and after, and how many are enrolled."""
    enrolled = deed.session.scalar(
        select(func.count()).select_from(Enrollment).where(Enrollment.run_id == run.id, Enrollment.live == 1)
    )
    return {"change": change_key, "run_id": run.id, "touches": touches, "enrolled": enrolled or 0}
