"""Dates of a run: planning them from patterns, keeping meetings and gates in step, saying what a change touches."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import TypeAlias
from zoneinfo import ZoneInfo

from sqlalchemy import Subquery, func, select

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import DateFacts, MovedDate, Touch
from archgate.actions.schedule import places
from archgate.actions.schedule.views import MeetingOut, PatternOut, PlannedMeeting
from archgate.core import gates as core_gates
from archgate.core.documents import PATTERN_KEYS, meeting_document, read_extra, read_pattern
from archgate.core.faults import Fault, Refused
from archgate.core.gates import Rule, Window
from archgate.core.reader import Document, Reader
from archgate.core.schedule import (
    WEEKDAYS,
    Change,
    Extra,
    Pattern,
    Schedule,
    TooMany,
    built,
    changed,
    day_text,
    meetings_of,
    numbered,
)
from archgate.core.schedule import Meeting as CoreMeeting
from archgate.core.states import Decision, PlaceKind, RunKind
from archgate.tables.courses import Run
from archgate.tables.schedule import Gate, Meeting, MeetingPattern, OnlineLink, Place
from archgate.tables.seats import SetAside

MOST_PATTERNS = 20
CLOSED = ("cancelled", "archived")  # dates and gates of such a run no longer change


def day_before(day: date) -> date:
    return day - timedelta(days=1)


def spans_of_runs() -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """The first and last day on which each run meets, cancelled meetings left out, as a subquery."""
    first, last = func.min(Meeting.date).label("first"), func.max(Meeting.date).label("last")
    held = select(Meeting.run_id, first, last).where(Meeting.cancelled_at.is_(None))
    return held.group_by(Meeting.run_id).subquery()


def zone_of(run: Run, place: Place | None) -> ZoneInfo:
    """A meeting stands in its place's zone; without a place, in the run's."""
    return ZoneInfo(place.time_zone if place else run.time_zone)


def core_meeting(run: Run, m: Meeting) -> CoreMeeting:
    plan = Extra(
        m.date, m.start, m.minutes, m.instructor.name if m.instructor else None, m.place.name if m.place else None,
        m.pattern_n,
    )  # fmt: skip
    return built(plan, zone_of(run, m.place))


def schedule_of(run: Run) -> Schedule:
    """The stored meetings of a run as the core sees them, numbered by time."""
    return Schedule(numbered([core_meeting(run, m) for m in ordered(run)]))


def read_changes(rows: list[Reader]) -> tuple[Change, ...]:
    """What was changed by hand in a planned list of dates."""
    found = []
    for row in rows:
        n = row.whole("n", "The number of the meeting", 1, 10_000, need=True)
        day, start = row.day("date", "The date"), row.clock("start", "The start time")
        minutes = row.whole("minutes", "The length in minutes", 1, 7 * 24 * 60)
        instructor, room = row.text("instructor", "The instructor"), row.text("room", "The room")
        if n is not None:
            found.append(Change(n, day, start, minutes, row.flag("dropped", "Left out"), instructor, room))
    return tuple(found)


CHANGE_KEYS = "n date start minutes dropped instructor room"
EXTRA_KEYS = "date start minutes instructor room"


def planned(
    uow: UnitOfWork, top: Reader, zone: ZoneInfo, need: bool = True
) -> tuple[list[Pattern], Schedule | None]:
    """The patterns of a form and the meetings they give, closures regarded, with the changes made by hand.

    A form gives `pattern` (one) or `patterns` (several), and one-off meetings under `extra`. None: there is a fault.
    """
    before = len(top.faults)
    if top.has("patterns") or not (need or top.has("pattern")):
        read = [
            read_pattern(r) for r in top.rows("patterns", "The patterns", PATTERN_KEYS, most=MOST_PATTERNS)
        ]
    else:
        row = (
            top.inner("pattern", "The meeting pattern", PATTERN_KEYS) if need or top.has("pattern") else None
        )
        read = [read_pattern(row)] if row else []
    extra = [read_extra(r) for r in top.rows("extra", "The one-off meetings", EXTRA_KEYS, most=500)]
    changes = read_changes(top.rows("changes", "The changed dates", CHANGE_KEYS, most=5000))
    patterns = [p for p in read if p]
    if len(top.faults) > before:
        return patterns, None
    at = "/patterns" if top.has("patterns") else "/pattern"
    firsts = [p.first for p in patterns]
    try:
        closed = places.closures_from(uow, min(firsts)) if firsts else frozenset()
        schedule = meetings_of(tuple(patterns), zone, closed, tuple(e for e in extra if e))
        schedule = changed(schedule, changes, zone)
    except TooMany as many:
        top.faults.append(Fault(at, str(many)))
        return patterns, None
    except OverflowError:
        top.faults.append(
            Fault(at if at == "/patterns" else f"{at}/first", "The dates go beyond the calendar.")
        )
        return patterns, None
    if need and not schedule.meetings:
        where = "/pattern/weekdays" if at == "/pattern" else at
        top.faults.append(Fault(where, "This pattern gives no meeting at all."))
    return patterns, schedule


def pattern_row(uow: UnitOfWork, pattern: Pattern, n: int) -> MeetingPattern:
    place, teacher = places.place_named(uow, pattern.room), places.instructor_named(uow, pattern.instructor)
    return MeetingPattern(
        n=n,
        first=pattern.first,
        start=pattern.start,
        minutes=pattern.minutes,
        weekdays=",".join(WEEKDAYS[d] for d in pattern.days),
        every_weeks=pattern.every_weeks,
        count=pattern.count,
        until=pattern.until,
        extend=pattern.extend,
        place_id=place.id if place else None,
        instructor_id=teacher.id if teacher else None,
    )


def core_pattern(row: MeetingPattern) -> Pattern:
    return Pattern(
        row.first, row.start, row.minutes, tuple(WEEKDAYS.index(d) for d in row.weekdays.split(",")),
        row.every_weeks, row.count, row.until, row.extend,
    )  # fmt: skip


def pattern_view(uow: UnitOfWork, p: MeetingPattern) -> PatternOut:
    place = uow.session.get(Place, p.place_id) if p.place_id else None
    teacher = uow.session.get(places.Instructor, p.instructor_id) if p.instructor_id else None
    return PatternOut(
        first=p.first,
        start=p.start,
        minutes=p.minutes,
        weekdays=p.weekdays.split(","),
        every_weeks=p.every_weeks,
        count=p.count,
        until=p.until,
        on_closure="extend" if p.extend else "skip",
        room=place.name if place else None,
        instructor=teacher.name if teacher else None,
    )


def meeting_row(meeting: CoreMeeting, by_hand: bool = False) -> Meeting:
    return Meeting(
        date=meeting.date,
        start=meeting.clock or meeting.start.time().replace(tzinfo=None, fold=0),
        minutes=meeting.minutes,
        starts_at=meeting.start.astimezone(UTC),
        ends_at=meeting.end.astimezone(UTC),
        by_hand=by_hand,
        pattern_n=meeting.pattern,
        sequence=0,
        cancel_why="",
    )


def placed_row(uow: UnitOfWork, run: Run, meeting: CoreMeeting, by_hand: bool = False) -> Meeting:
    """A planned meeting with its own place and instructor, or the run's, and its moments in the place's zone."""
    row = meeting_row(meeting, by_hand)
    row.place = places.place_named(uow, meeting.room) or run.place
    row.instructor = places.instructor_named(uow, meeting.instructor) or run.instructor
    settle_times(run, row)
    return row


def settle_times(run: Run, row: Meeting) -> None:
    """Work the moments of a meeting out of its wall-clock time."""
    done = built(Extra(row.date, row.start, row.minutes), zone_of(run, row.place))
    row.starts_at, row.ends_at = done.start.astimezone(UTC), done.end.astimezone(UTC)


# --- gates ------------------------------------------------------------------------------------------------


def rule_of(kept: object) -> Rule | None:
    """A stored gate rule as the core sees it."""
    if not isinstance(kept, dict):
        return None
    day, days = kept.get("on"), kept.get("days_before")
    if isinstance(day, str):
        return Rule(date.fromisoformat(day))
    return Rule(days_before=days) if isinstance(days, int) else None


def windows_of(run: Run) -> tuple[Window, ...]:
    return tuple(Window(rule_of(w.get("opens")), rule_of(w.get("closes"))) for w in run.windows) or (
        Window(),
    )


def read_rule(row: Reader, key: str, name: str) -> Document | None:
    """A gate rule of a form: {"on": date} or {"days_before": n}."""
    if not row.has(key):
        return None
    inner = row.inner(key, name, "on days_before")
    if inner is None or inner.one_of(("on", "days_before"), True, name) is None:
        return None
    day, days = (
        inner.day("on", name),
        inner.whole("days_before", f"The days before the start of {name.lower()}", 0, 3660),
    )
    return {"on": day.isoformat()} if day else None if days is None else {"days_before": days}


def is_open(run: Run) -> bool:
    return run.kind == RunKind.OPEN


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
    cohort = (run.starts_on, run.ends_on) if run.starts_on and run.ends_on else None
    decision = (
        Rule(run.decision_until)
        if run.decision == Decision.WAITS and run.decision_until
        else rule_of(run.decision_rule)
    )
    return core_gates.gates_of(
        schedule_of(run).meetings,
        zone,
        windows_of(run),
        early,
        decision,
        cohort,
        run.access_days,
        is_open(run),
    )


def settle_gates(uow: UnitOfWork, run: Run) -> None:
    """Bring the stored gates in step with dates, fees and rules, under the run's lock; rows that did not change stay.

    What no longer holds goes before what is new comes: a run has each gate once. The gates of a run that was cancelled or
    put away stand as they were: they say when it would have been, though none of its meetings is held.
    """
    if run.status in CLOSED:
        return
    wanted = wanted_gates(uow, run)
    run.gates = [row for row in run.gates if _gate_facts(row) in wanted]
    uow.session.flush()
    held = {_gate_facts(row) for row in run.gates}
    run.gates += [
        Gate(kind=g.kind, rule=g.rule, day=g.day, at=g.at, label=g.label, n=g.n)
        for facts, g in wanted.items()
        if facts not in held
    ]
    uow.session.flush()
    uow.session.refresh(run, ["gates"])


def wanted_gates(uow: UnitOfWork, run: Run) -> dict[GateFacts, core_gates.Gate]:
    """The gates a run should have, by their facts."""
    return {_gate_facts(g): g for g in (*core_gates_of(run, uow.zone), *set_aside_gates(uow, run))}


def wrong_gates(uow: UnitOfWork, run: Run) -> tuple[list[str], list[str]]:
    """Gates that stand without a reason (or twice), and those that dates, fees and rules give and that do not stand."""
    held = Counter(_gate_facts(row) for row in run.gates)
    wanted = Counter(wanted_gates(uow, run).keys())
    return _gates_said(held - wanted), _gates_said(wanted - held)


def _gates_said(facts: Counter[GateFacts]) -> list[str]:
    return [
        f'{kind} {n} "{label}" ({rule}, {at:%Y-%m-%d %H:%M} UTC)'
        for kind, rule, _, at, label, n in facts.elements()
    ]


def set_aside_gates(uow: UnitOfWork, run: Run) -> list[core_gates.Gate]:
    """When seats set aside for a group are anybody's."""
    rows = uow.session.scalars(select(SetAside).where(SetAside.run_id == run.id, SetAside.active)).all()
    return [
        core_gates.Gate(
            "set-aside seats released", f"on {r.last.isoformat()}", r.last, core_gates.day_over(r.last, uow.zone),
            f"{r.seats} {'seat' if r.seats == 1 else 'seats'} of {r.name} released"[:200], r.id,
        )
        for r in sorted(rows, key=lambda r: (r.last, r.id))
    ]  # fmt: skip


GateFacts: TypeAlias = tuple[str, str, date, datetime, str, int | None]


def _gate_facts(row: Gate | core_gates.Gate) -> GateFacts:
    return row.kind, row.rule, row.day, row.at, row.label, row.n


def gate_at(run: Run, kind: str) -> datetime | None:
    """The moment of the first gate of a kind."""
    return min((g.at for g in run.gates if g.kind == kind), default=None)


def sign_up_windows(run: Run) -> tuple[tuple[datetime | None, datetime | None], ...]:
    """Each window's stored moments of opening and closing."""
    opens = {g.n: g.at for g in run.gates if g.kind == "sign-up opens"}
    closes = {g.n: g.at for g in run.gates if g.kind == "sign-up closes"}
    return tuple((opens.get(n), closes.get(n)) for n in range(1, max(1, len(run.windows)) + 1))


def last_closing(run: Run) -> date | None:
    return max((g.day for g in run.gates if g.kind == "sign-up closes"), default=None)


def meeting_view(meeting: CoreMeeting, row: Meeting, link: OnlineLink | None) -> MeetingOut:
    return MeetingOut(
        **dict(planned_view(meeting)),
        id=row.id,
        by_hand=row.by_hand,
        pattern_n=row.pattern_n,
        online=bool(row.place and row.place.kind == PlaceKind.ONLINE),
        link=link.link if link else None,
        host_key=link.host_key if link else None,
    )


def planned_view(meeting: CoreMeeting) -> PlannedMeeting:
    return PlannedMeeting.model_validate(meeting_document(meeting))


def meetings_view(uow: UnitOfWork, run: Run) -> list[MeetingOut]:
    query = (
        select(OnlineLink).join(Meeting, Meeting.id == OnlineLink.meeting_id).where(Meeting.run_id == run.id)
    )
    links = {x.meeting_id: x for x in uow.session.scalars(query)}
    return [
        meeting_view(m, r, links.get(r.id))
        for m, r in zip(schedule_of(run).meetings, ordered(run), strict=True)
    ]


def ordered(run: Run) -> list[Meeting]:
    return sorted(run.meetings, key=lambda m: m.starts_at)


# --- what a change of dates touches -----------------------------------------------------------------------


def refuse_closed(run: Run) -> None:
    if run.status in CLOSED:
        raise Problem(409, "run-closed", f"The run is {run.status}; its dates no longer change.")


def outside_fault(
    starts_on: date | None, ends_on: date | None, days: Iterable[date]
) -> tuple[str, str] | None:
    """What contradicts itself in the days of a cohort, which its meetings lie between: the key and the sentence."""
    held = sorted(days)
    if held and ends_on and held[-1] > ends_on:
        return (
            "ends_on",
            f"The cohort ends on {day_text(ends_on)}, before its meeting on {day_text(held[-1])}.",
        )
    if held and starts_on and held[0] < starts_on:
        return (
            "starts_on",
            f"The cohort starts on {day_text(starts_on)}, after its meeting on {day_text(held[0])}.",
        )
    return None


def refuse_outside(run: Run) -> None:
    said = outside_fault(run.starts_on, run.ends_on, (m.date for m in run.meetings))
    if said:
        raise Refused([Fault(f"/{said[0]}", said[1])])


@dataclass(frozen=True)
class Situation:
    """What a change of dates may touch, to be compared: `gates` are (label, day) by kind and label, `rows` the meetings that
    are held, by id."""

    meetings: int
    hours: str
    start: date | None
    gates: Mapping[str, tuple[str, date]]
    rows: Mapping[int, DateFacts]


def situation(uow: UnitOfWork, run: Run) -> Situation:
    schedule = schedule_of(run)
    return Situation(
        len(schedule.meetings),
        schedule.hours,
        start_day(uow, run),
        {f"{g.kind}|{g.label}": (g.label, g.day) for g in run.gates},
        {m.id: row_facts(m) for m in run.all_meetings if m.cancelled_at is None},
    )


def start_day(uow: UnitOfWork, run: Run) -> date | None:
    """The center's day on which a run starts: a cohort's first day, else the day of the first meeting."""
    if run.starts_on:
        return run.starts_on
    return core_gates.local_day(min(m.starts_at for m in run.meetings), uow.zone) if run.meetings else None


def end_day(uow: UnitOfWork, run: Run) -> date | None:
    """The center's day on which a run ends: a cohort's last day, else the day of the last meeting."""
    if run.ends_on:
        return run.ends_on
    return core_gates.local_day(max(m.ends_at for m in run.meetings), uow.zone) if run.meetings else None


def decision_text(run: Run) -> str:
    """Whether a run goes ahead, in words: the commonest question on the phone."""
    if run.decision == Decision.WAITS and run.decision_until:
        return f"waits until {day_text(run.decision_until)}"
    return run.decision


def row_facts(m: Meeting) -> DateFacts:
    return DateFacts(
        date=m.date,
        start=m.start,
        minutes=m.minutes,
        place=m.place.name if m.place else None,
        instructor=m.instructor.name if m.instructor else None,
    )


def moved_dates(before: Mapping[int, DateFacts], after: Mapping[int, DateFacts]) -> list[MovedDate]:
    """Old and new side by side, for every meeting that differs, by the later of both dates."""
    found = [
        (
            after.get(key) or before[key],
            MovedDate(meeting_id=key, before=before.get(key), after=after.get(key)),
        )
        for key in {**before, **after}
        if before.get(key) != after.get(key)
    ]
    return [moved for _, moved in sorted(found, key=lambda f: (f[0].date, f[0].start))]


def touches_of(before: Situation, after: Situation) -> list[Touch]:
    """Counts, hours and gates that differ, as lines for the margin."""
    facts = [
        Touch(label=label, before=str(one), after=str(other))
        for label, one, other in (
            ("Meetings", before.meetings, after.meetings),
            ("Hours", before.hours, after.hours),
        )
        if one != other
    ]
    for key in {**before.gates, **after.gates}:
        was, will = before.gates.get(key), after.gates.get(key)
        if (was and was[1]) != (will and will[1]):
            label = (will or before.gates[key])[0]
            facts.append(Touch(label=label, before=shown_day(was), after=shown_day(will)))
    return facts


def shown_day(gate: tuple[str, date] | None) -> str | None:
    return gate[1].isoformat() if gate else None


def access_ends(run: Run, signed_up: date) -> date | None:
    """The last day of access: of an open run so many days from the sign-up, of a cohort so many after its end."""
    start = signed_up if run.kind == RunKind.OPEN else run.ends_on
    return start + timedelta(days=run.access_days) if start and run.access_days is not None else None
