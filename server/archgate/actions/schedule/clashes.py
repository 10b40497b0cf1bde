"""Clashes of stored and of planned meetings: found and worded. What is found of stored ones is kept (`kept_clashes`).

Six kinds (see `core.clashes.Kind`). Only meetings that are not over are looked at, of runs that are not cancelled or
archived. What is online has room for any number of meetings at once.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import NamedTuple, TypeAlias
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, Select, func, or_, select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import ClashOut, ClashRun
from archgate.actions.schedule import places
from archgate.core.clashes import Kind, Span, overlaps, read_hours, within_hours
from archgate.core.states import PlaceKind
from archgate.tables.courses import Course, Run
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import AcceptedClash, Meeting, Place
from archgate.tables.teaching import BusyTime, Instructor, MeetingTeacher

GONE = ("cancelled", "archived")
LONGEST = timedelta(days=7)  # of a meeting: what overlaps a moment began at most so long before it
SHOWN = 300


class Row(NamedTuple):
    """A meeting as clashes see it. One that is only planned has a negative id."""

    id: int
    run_id: int
    starts_at: datetime
    ends_at: datetime
    date: date
    place_id: int | None
    instructors: tuple[int, ...] = ()


Meetings: TypeAlias = "Select[int, int, datetime, datetime, date, int | None, str | None]"


@dataclass(frozen=True)
class Clash:
    """What clashes, from when to when. `who` is the instructor or the place, by its id; `place` says which, of somebody who is
    not available; `busy` is the span of theirs that stands in the way, `size` the seats of run and room."""

    kind: Kind
    who: int
    a: Row
    b: Row | None
    start: datetime
    end: datetime
    label: str = ""
    place: bool = False
    busy: int = 0
    size: str = ""
    people: tuple[int, ...] = ()


COLUMNS = (
    Meeting.id,
    Meeting.run_id,
    Meeting.starts_at,
    Meeting.ends_at,
    Meeting.date,
    Meeting.place_id,
    select(func.group_concat(MeetingTeacher.instructor_id))
    .where(MeetingTeacher.meeting_id == Meeting.id)
    .correlate(Meeting)
    .scalar_subquery(),
)


def held() -> Meetings:
    """The meetings that clashes look at."""
    live = select(*COLUMNS).join(Run, Run.id == Meeting.run_id)
    return live.where(Run.status.not_in(GONE), Meeting.cancelled_at.is_(None))


def rows_of(uow: UnitOfWork, query: Meetings) -> list[Row]:
    return [row_of(*r) for r in uow.session.execute(query)]


def row_of(
    id: int,
    run_id: int,
    starts_at: datetime,
    ends_at: datetime,
    day: date,
    place_id: int | None,
    taught: str | None,
) -> Row:
    """A meeting from its columns; those who teach it stand in one text, with commas."""
    return Row(
        id, run_id, starts_at, ends_at, day, place_id, tuple(map(int, taught.split(","))) if taught else ()
    )


def of_run(uow: UnitOfWork, run: Run) -> list[ClashOut]:
    """The clashes of a run's coming meetings, worked out from what this act has written so far."""
    uow.session.flush()
    if run.status in GONE:
        return []
    own = rows_of(uow, held().where(Meeting.run_id == run.id, Meeting.ends_at > uow.now))
    clashing = found_for(uow, own) + too_small(uow, {run.id}) + learner_clashes(uow, {run.id})
    return worded(uow, sorted(clashing, key=lambda c: c.start)[:SHOWN])


def everywhere(uow: UnitOfWork) -> list[Clash]:
    """What clashes from now on, in words still to be found, worked out from every coming meeting."""
    every = rows_of(uow, held().where(Meeting.ends_at > uow.now))
    learners = among(every, on_several(uow, meeting_together(every)))
    return found_among(uow, every) + too_small(uow, None) + learners


def of_planned(
    uow: UnitOfWork,
    own: list[Row],
    seats: list[Clash] | None = None,
    new: dict[int, str] | None = None,
) -> list[ClashOut]:
    """The clashes that meetings not saved yet would make, among themselves and with all others.

    `new` names the places and instructors that are only planned, by their negative ids.
    """
    return worded(uow, found_for(uow, own) + (seats or []), new or {})


def taught_by(*instructors: int) -> ColumnElement[bool]:
    """Meetings that one of these teaches."""
    theirs = select(MeetingTeacher.meeting_id).where(MeetingTeacher.instructor_id.in_(instructors or {0}))
    return Meeting.id.in_(theirs)


def near(uow: UnitOfWork, own: list[Row]) -> list[Row]:
    """Other meetings with an instructor or a place of these, at their times; by the two indexes."""
    if not own:
        return []
    first, last = min(r.starts_at for r in own), max(r.ends_at for r in own)
    mine = {r.id for r in own if r.id > 0}
    online = set(uow.session.scalars(select(Place.id).where(Place.kind == PlaceKind.ONLINE)))
    rows: dict[int, Row] = {}
    teaching = {i for r in own for i in r.instructors}
    taught = taught_by(*teaching)
    where = {r.place_id for r in own if r.place_id is not None} - online
    for wanted, theirs in ((teaching, taught), (where, Meeting.place_id.in_(where))):
        if wanted:
            query = held().where(
                theirs,
                Meeting.starts_at > first - LONGEST,
                Meeting.starts_at < last,
                Meeting.ends_at > first,
            )
            rows.update({r.id: r for r in rows_of(uow, query) if r.id not in mine})
    return list(rows.values())


def found_for(uow: UnitOfWork, own: list[Row]) -> list[Clash]:
    """Clashes in which one of these meetings takes part; those of the others among themselves are not looked for."""
    return double_booked(uow, own, near(uow, own)) + away(uow, own) + on_closures(uow, own)


def found_among(uow: UnitOfWork, every: list[Row]) -> list[Clash]:
    return double_booked(uow, every) + away(uow, every) + on_closures(uow, every)


def double_booked(uow: UnitOfWork, own: list[Row], others: list[Row] | None = None) -> list[Clash]:
    """Instructors and places taken twice, by one sweep; `others` clash with `own` only."""
    online = set(uow.session.scalars(select(Place.id).where(Place.kind == PlaceKind.ONLINE)))
    rows = own + (others or [])
    spans = []
    for n, r in enumerate(rows):
        fixed = n >= len(own)
        spans += [Span(f"i{i}", r.starts_at, r.ends_at, n, fixed) for i in r.instructors]
        if r.place_id is not None and r.place_id not in online:
            spans.append(Span(f"p{r.place_id}", r.starts_at, r.ends_at, n, fixed))
    return [
        Clash(
            Kind.INSTRUCTOR if over.who[0] == "i" else Kind.ROOM,
            int(over.who[1:]),
            rows[over.a.mark],
            rows[over.b.mark],
            over.start,
            over.end,
        )
        for over in overlaps(spans)
    ]


def away(uow: UnitOfWork, rows: list[Row]) -> list[Clash]:
    """Meetings at a time when the instructor is away or outside their hours, or the place is closed."""
    if not rows:
        return []
    first, last = min(r.starts_at for r in rows), max(r.ends_at for r in rows)
    teachers = {i for r in rows for i in r.instructors}
    where = {r.place_id for r in rows if r.place_id is not None}
    query = select(BusyTime).where(
        BusyTime.starts_at < last,
        BusyTime.ends_at > first,
        or_(BusyTime.instructor_id.in_(teachers), BusyTime.place_id.in_(where)),
    )
    busy = uow.session.scalars(query).all()
    spans = [
        Span(
            f"i{b.instructor_id}" if b.instructor_id else f"p{b.place_id}",
            b.starts_at,
            b.ends_at,
            -n - 1,
            True,
        )
        for n, b in enumerate(busy)
    ]
    known = {s.who for s in spans}
    for n, r in enumerate(rows):
        spans += [
            Span(who, r.starts_at, r.ends_at, n)
            for who in (*(f"i{i}" for i in r.instructors), f"p{r.place_id}")
            if who in known
        ]
    clashing = []
    for over in overlaps(spans):
        if over.a.fixed or over.b.fixed:
            mark = (over.b if over.a.fixed else over.a).mark
            why = busy[-(over.a if over.a.fixed else over.b).mark - 1]
            clashing.append(
                Clash(
                    Kind.AWAY,
                    why.instructor_id or why.place_id or 0,
                    rows[mark],
                    None,
                    over.start,
                    over.end,
                    why.label,
                    why.place_id is not None,
                    why.id,
                )
            )
    limited = {
        i.id: read_hours(i.hours)
        for i in uow.session.scalars(select(Instructor).where(Instructor.id.in_(teachers)))
        if i.hours
    }
    for r in rows:
        for i in r.instructors:
            hours = limited.get(i)
            if hours and not within_hours(r.starts_at, r.ends_at, uow.zone, hours):
                label = "outside the weekly hours"
                clashing.append(Clash(Kind.AWAY, i, r, None, r.starts_at, r.ends_at, label))
    return clashing


def on_closures(uow: UnitOfWork, rows: list[Row]) -> list[Clash]:
    if not rows:
        return []
    closed = places.closed_days(uow, min(r.date for r in rows), max(r.date for r in rows))
    return [
        Clash(Kind.CLOSURE, 0, r, None, r.starts_at, r.ends_at, closed[r.date])
        for r in rows
        if r.date in closed
    ]


def too_small(uow: UnitOfWork, runs: set[int] | None) -> list[Clash]:
    """Runs with more seats than one of their places, once for each such place; of these runs, or of all."""
    query = (
        held()
        .add_columns(Run.capacity, Place.seats)
        .join(Place, Place.id == Meeting.place_id)
        .where(Place.seats < Run.capacity, Meeting.ends_at > uow.now)
        .order_by(Meeting.starts_at)
    )
    if runs is not None:
        query = query.where(Meeting.run_id.in_(runs))
    clashing: dict[tuple[int, int | None], Clash] = {}
    for *columns, capacity, seats in uow.session.execute(query):
        r = row_of(*columns)
        if (r.run_id, r.place_id) not in clashing:
            clashing[r.run_id, r.place_id] = small(r, capacity, seats)
    return list(clashing.values())


def small(r: Row, capacity: int, seats: int) -> Clash:
    label = f"{capacity} seats in a room for {seats}"
    return Clash(
        Kind.SEATS, r.place_id or 0, r, None, r.starts_at, r.ends_at, label, size=f"{capacity}>{seats}"
    )


def meeting_together(rows: list[Row]) -> set[int]:
    """The runs that have a meeting while another run has one: only on those can somebody be in two places. A sweep over the
    meetings by start, n log n: each run is marked once, however many meet at its time."""
    together: set[int] = set()
    under_way: dict[int, int] = {}  # meetings of a run that are open
    ends: list[tuple[datetime, int]] = []
    for row in sorted(rows, key=lambda r: r.starts_at):
        while ends and ends[0][0] <= row.starts_at:
            _, ended = heapq.heappop(ends)
            under_way[ended] -= 1
            if not under_way[ended]:
                del under_way[ended]
        if len(under_way) > (row.run_id in under_way):
            together.add(row.run_id)
            together.update(under_way)
        under_way[row.run_id] = under_way.get(row.run_id, 0) + 1
        heapq.heappush(ends, (row.ends_at, row.run_id))
    return together


def on_several(uow: UnitOfWork, runs: set[int]) -> dict[int, set[int]]:
    """Whoever is on more than one of these runs, with which: those who signed up, and heads of parties who are named."""
    live, there = Enrollment.live == 1, Enrollment.run_id.in_(runs or {0})
    counted = (
        select(Enrollment.person_id, func.group_concat(Enrollment.run_id))
        .where(live, there)
        .group_by(Enrollment.person_id)
        .having(func.count() > 1)
    )
    several = {person: {int(n) for n in on.split(",")} for person, on in uow.session.execute(counted)}
    named = (
        select(PartyPlace.person_id, Enrollment.run_id)
        .prefix_with("STRAIGHT_JOIN")  # parties are few, sign-ups many
        .select_from(PartyPlace)
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(PartyPlace.person_id.is_not(None), live, there)
    )
    guests: dict[int, set[int]] = {}
    for person, run in uow.session.execute(named):
        if person is not None:
            guests.setdefault(person, set()).add(run)
    own = select(Enrollment.person_id, Enrollment.run_id).where(Enrollment.person_id.in_(guests), live, there)
    for person, run in uow.session.execute(own) if guests else ():
        guests[person].add(run)
    for person, on in guests.items():
        if len(on) > 1:
            several[person] = several.get(person, set()) | on
    return several


def elsewhere_too(uow: UnitOfWork, run_id: int) -> dict[int, set[int]]:
    """Whoever is on a run and on others, with which. Whoever is on it alone is left out by the database: rosters of thousands
    have few who are on two."""
    live = select(Enrollment.person_id, Enrollment.run_id).where(Enrollment.live == 1)
    named = (
        select(PartyPlace.person_id, Enrollment.run_id)
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(Enrollment.live == 1, PartyPlace.person_id.is_not(None))
    )
    here = live.where(Enrollment.run_id == run_id).union(named.where(Enrollment.run_id == run_id)).subquery()
    heads = select(here.c.person_id)
    other = Enrollment.run_id != run_id
    people = live.where(other, Enrollment.person_id.in_(heads)).union(
        named.where(other, PartyPlace.person_id.in_(heads))
    )
    several: dict[int, set[int]] = {}
    for person, where in uow.session.execute(people):
        several.setdefault(person, {run_id}).add(where)
    return several


def learner_clashes(uow: UnitOfWork, runs: set[int]) -> list[Clash]:
    """Learners of these runs with two meetings at one time."""
    several: dict[int, set[int]] = {}
    for run_id in runs:
        for person, theirs in elsewhere_too(uow, run_id).items():
            several.setdefault(person, set()).update(theirs)
    return [c for c in of_learners(uow, several) if runs & {c.a.run_id, c.b.run_id if c.b else 0}]


def of_learners(uow: UnitOfWork, several: dict[int, set[int]]) -> list[Clash]:
    """The clashes among the coming meetings of the runs that each of these people is on."""
    if not several:
        return []
    wanted = {run for runs in several.values() for run in runs}
    rows = rows_of(uow, held().where(Meeting.run_id.in_(wanted), Meeting.ends_at > uow.now))
    return among(rows, several)


def among(rows: list[Row], several: dict[int, set[int]]) -> list[Clash]:
    """Where people with several runs have two of these meetings at one time, grouped by the pair of meetings."""
    by_run: dict[int, list[int]] = {}
    for n, r in enumerate(rows):
        by_run.setdefault(r.run_id, []).append(n)
    spans = [
        Span(str(person), rows[n].starts_at, rows[n].ends_at, n)
        for person, runs in several.items()
        for run in runs
        for n in by_run.get(run, ())
    ]
    pairs: dict[tuple[int, int], Clash] = {}
    for over in overlaps(spans):
        a, b = rows[over.a.mark], rows[over.b.mark]
        if a.run_id == b.run_id:
            continue
        pair = pairs.get((a.id, b.id)) or Clash(Kind.LEARNER, 0, a, b, over.start, over.end)
        pairs[a.id, b.id] = replace(pair, people=(*pair.people, int(over.who)))
    return list(pairs.values())


# --- words ------------------------------------------------------------------------------------------------


def key_of(clash: Clash) -> str:
    """What a clash is known by while its times stand."""
    a, b = clash.a, clash.b
    ids = ":".join(str(i) for i in sorted(r.id for r in (a, b) if r is not None))
    more = clash.size or clash.busy or ""
    stamps = ":".join(str(int(r.starts_at.timestamp())) for r in (a, b) if r is not None)
    return f"{clash.kind.replace(' ', '-')}:{ids}:{clash.who}:{more}:{stamps}"[:120]


def worded(uow: UnitOfWork, clashing: list[Clash], new: dict[int, str] | None = None) -> list[ClashOut]:
    """Clashes as screens show them, by time, each with the sentence and whether somebody accepted it."""
    if not clashing:
        return []
    run_ids = {r.run_id for c in clashing for r in (c.a, c.b) if r is not None and r.run_id > 0}
    query = select(Run.id, Run.code, Run.title, Course.title).join(Course).where(Run.id.in_(run_ids))
    runs = {
        i: ClashRun(id=i, code=code, title=title or course)
        for i, code, title, course in uow.session.execute(query)
    }
    where = {p.id: p for p in uow.session.scalars(select(Place))}
    teachers = {row[0]: str(row[1]) for row in uow.session.execute(select(Instructor.id, Instructor.name))}
    people = {p for c in clashing for p in c.people}
    named = uow.session.execute(select(Person.id, Person.name).where(Person.id.in_(people)))
    names = {row[0]: str(row[1]) for row in named}
    keys = {key_of(c) for c in clashing}
    accepted = {
        a.key: a.reason for a in uow.session.scalars(select(AcceptedClash).where(AcceptedClash.key.in_(keys)))
    }
    shown = []
    for c in sorted(clashing, key=lambda c: (c.start, c.kind, c.a.id)):
        a, b = c.a, c.b
        place = where.get(a.place_id or 0)
        zone = ZoneInfo(place.time_zone) if place else uow.zone
        key = key_of(c)
        if of_instructor(c):
            who = teachers.get(c.who) or (new or {}).get(c.who, "")
        elif c.kind in (Kind.ROOM, Kind.SEATS, Kind.AWAY):
            who = where[c.who].name if c.who in where else (new or {}).get(c.who, "")
        else:
            who = ", ".join(sorted(names.get(p, "") for p in c.people)[:4])
        shown.append(
            ClashOut(
                key=key,
                kind=str(c.kind),
                who=who,
                instructor_id=c.who if c.who > 0 and of_instructor(c) else None,
                text=sentence(c, who, runs),
                run=runs.get(a.run_id),
                meeting_id=a.id if a.id > 0 else None,
                n=-a.id if a.id < 0 else -b.id if b and b.id < 0 else None,
                other=runs.get(b.run_id) if b else None,
                other_meeting_id=b.id if b and b.id > 0 else None,
                other_n=-b.id if b and a.id < 0 and b.id < 0 else None,
                date=a.date,
                start=c.start.astimezone(zone).isoformat(),
                end=c.end.astimezone(zone).isoformat(),
                accepted=accepted.get(key),
            )
        )
    return shown


def of_instructor(c: Clash) -> bool:
    return c.kind is Kind.INSTRUCTOR or (c.kind is Kind.AWAY and not c.place)


def sentence(c: Clash, who: str, runs: dict[int, ClashRun]) -> str:
    a, b = c.a, c.b
    codes = [name_of(r, runs) for r in (a, b) if r is not None]
    both = " and ".join(codes) if len(set(codes)) > 1 else f"two meetings of {codes[0]}"
    match c.kind:
        case Kind.INSTRUCTOR:
            return f"{who} would teach {both} at once."
        case Kind.ROOM:
            return f"{who} would hold {both} at once."
        case Kind.SEATS:
            return f"{who} is too small for {codes[0]}: {c.label}."
        case Kind.CLOSURE:
            return f"{codes[0]} meets on a closed day: {c.label}."
        case Kind.AWAY:
            return f"{who} is not available for {codes[0]}: {c.label}."
        case _:
            number = len(c.people)
            return f"{number} learner{'' if number == 1 else 's'} would be at {both} at once: {who}."


def name_of(r: Row, runs: dict[int, ClashRun]) -> str:
    """A run by its code; one being planned as this run, or by its row of the season table."""
    if r.run_id in runs:
        return str(runs[r.run_id].code)
    return f"row {-r.run_id}" if r.run_id < 0 else "this run"


def only_in(these: list[ClashOut], those: list[ClashOut]) -> list[ClashOut]:
    """Clashes that are in one list and not in the other."""
    known = {c.key for c in those}
    return [c for c in these if c.key not in known]
