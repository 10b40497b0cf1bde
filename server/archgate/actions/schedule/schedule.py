"""Dates of a run: planning them from patterns, keeping meetings and gates in step, saying what a change touches."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, date, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import Subquery, func, select

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import DateFacts, MovedDate, Touch
from archgate.actions.schedule import places, teachers
from archgate.actions.schedule.views import MeetingOut, PatternOut, PlannedMeeting
from archgate.core import gates as core_gates
from archgate.core.faults import Fault, Refused
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
from archgate.documents.calculators import (
    PATTERN_KEYS,
    meeting_document,
    read_extra,
    read_instructors,
    read_pattern,
)
from archgate.documents.reader import Reader
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting, MeetingPattern, OnlineLink, Place
from archgate.tables.teaching import MeetingTeacher, PatternTeacher

MOST_PATTERNS = 20
CLOSED = ("cancelled", "archived")  # dates and gates of such a run no longer change


def day_before(day: date) -> date:
    return day - timedelta(days=1)


def spans_of_runs() -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """The first and last day on which each run meets, cancelled meetings left out, as a subquery."""
    first, last = func.min(Meeting.date).label("first"), func.max(Meeting.date).label("last")
    of_meetings = select(Meeting.run_id, first, last).where(Meeting.cancelled_at.is_(None))
    return of_meetings.group_by(Meeting.run_id).subquery()


def zone_of(run: Run, place: Place | None) -> ZoneInfo:
    """A meeting stands in its place's zone; without a place, in the run's."""
    return ZoneInfo(place.time_zone if place else run.time_zone)


def core_meeting(run: Run, m: Meeting) -> CoreMeeting:
    plan = Extra(
        m.date,
        m.start,
        m.minutes,
        teachers.names_of(m),
        m.place.name if m.place else None,
        m.pattern_n,
    )
    return built(plan, zone_of(run, m.place))


def schedule_of(run: Run) -> Schedule:
    """The stored meetings of a run as the core sees them, numbered by time."""
    return Schedule(numbered([core_meeting(run, m) for m in ordered(run)]))


def read_changes(rows: list[Reader]) -> tuple[Change, ...]:
    """What was changed by hand in a planned list of dates."""
    changes = []
    for row in rows:
        n = row.whole("n", "The number of the meeting", 1, 10_000, need=True)
        day, start = row.day("date", "The date"), row.clock("start", "The start time")
        minutes = row.whole("minutes", "The length in minutes", 1, 7 * 24 * 60)
        instructors, room = read_instructors(row), row.text("room", "The room")
        if n is not None:
            changes.append(Change(n, day, start, minutes, row.flag("dropped", "Left out"), instructors, room))
    return tuple(changes)


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
    place = places.place_named(uow, pattern.room)
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
        teachers=teachers.rows_for(PatternTeacher, teachers.named(uow, pattern.instructors)),
    )


def core_pattern(row: MeetingPattern) -> Pattern:
    return Pattern(
        row.first,
        row.start,
        row.minutes,
        tuple(WEEKDAYS.index(d) for d in row.weekdays.split(",")),
        row.every_weeks,
        row.count,
        row.until,
        row.extend,
    )


def pattern_view(uow: UnitOfWork, p: MeetingPattern) -> PatternOut:
    place = uow.session.get(Place, p.place_id) if p.place_id else None
    return PatternOut(
        n=p.n,
        first=p.first,
        start=p.start,
        minutes=p.minutes,
        weekdays=p.weekdays.split(","),
        every_weeks=p.every_weeks,
        count=p.count,
        until=p.until,
        on_closure="extend" if p.extend else "skip",
        room=place.name if place else None,
        instructor=teachers.text_of(p.teachers) or None,
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
    own = teachers.named(uow, meeting.instructors) or teachers.assigned_of(run)
    row.teachers = teachers.rows_for(MeetingTeacher, own)
    settle_times(run, row)
    return row


def settle_times(run: Run, row: Meeting) -> None:
    """Work the moments of a meeting out of its wall-clock time."""
    done = built(Extra(row.date, row.start, row.minutes), zone_of(run, row.place))
    row.starts_at, row.ends_at = done.start.astimezone(UTC), done.end.astimezone(UTC)


# --- gates ------------------------------------------------------------------------------------------------


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
    return PlannedMeeting.model_validate(
        {
            **meeting_document(meeting),
            "instructor": "; ".join(meeting.instructors) or None,
            "clock": meeting.clock or meeting.start.time(),
        }
    )


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
    ordered_days = sorted(days)
    if ordered_days and ends_on and ordered_days[-1] > ends_on:
        return (
            "ends_on",
            f"The cohort ends on {day_text(ends_on)}, before its meeting on {day_text(ordered_days[-1])}.",
        )
    if ordered_days and starts_on and ordered_days[0] < starts_on:
        return (
            "starts_on",
            f"The cohort starts on {day_text(starts_on)}, after its meeting on {day_text(ordered_days[0])}.",
        )
    return None


def refuse_outside(run: Run) -> None:
    sentence = outside_fault(run.starts_on, run.ends_on, (m.date for m in run.meetings))
    if sentence:
        raise Refused([Fault(f"/{sentence[0]}", sentence[1])])


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
        instructor=teachers.text_of(m.teachers) or None,
    )


def moved_dates(before: Mapping[int, DateFacts], after: Mapping[int, DateFacts]) -> list[MovedDate]:
    """Old and new side by side, for every meeting that differs, by the later of both dates."""
    moves = [
        (
            after.get(key) or before[key],
            MovedDate(meeting_id=key, before=before.get(key), after=after.get(key)),
        )
        for key in {**before, **after}
        if before.get(key) != after.get(key)
    ]
    return [moved for _, moved in sorted(moves, key=lambda f: (f[0].date, f[0].start))]


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
