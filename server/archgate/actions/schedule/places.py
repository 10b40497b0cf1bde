"""Places, the times at which they or instructors are taken, and the days on which the center is closed."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import holidays
from sqlalchemy import func, select
from sqlalchemy.orm import InstrumentedAttribute
from sqlalchemy.orm.attributes import set_committed_value

from archgate.actions.kernel.acts import Act, Subject
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Done
from archgate.actions.schedule.asking import ask_first
from archgate.actions.schedule.commands import BusyCommand, ClosureCommand, PlaceCommand
from archgate.actions.schedule.views import (
    BusyOut,
    ClosureChange,
    ClosureDay,
    ClosureYear,
    PlaceOut,
)
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.schedule import day_text, moment_of
from archgate.core.states import PlaceKind
from archgate.core.teaching import read_taught
from archgate.documents.reader import ZONES, Reader
from archgate.tables.base import Base
from archgate.tables.courses import Course, Run
from archgate.tables.schedule import Closure, Meeting, MeetingPattern, Place
from archgate.tables.teaching import (
    Agreement,
    Application,
    BusyTime,
    CoverCall,
    CoverLine,
    CoverPlan,
    EvaluationAnswer,
    Instructor,
    MeetingTeacher,
    PatternTeacher,
    PayLine,
    PayRequest,
    PayTerm,
    Qualification,
    RunTeacher,
)

LONGEST_AWAY = 3660  # days of one absence
MOST_AWAY = 500  # absences or closed times ahead, written by hand
USES: dict[str, dict[str, InstrumentedAttribute[int] | InstrumentedAttribute[int | None]]] = {
    "place": {
        "meetings": Meeting.place_id,
        "runs": Run.place_id,
        "patterns": MeetingPattern.place_id,
    },
    "instructor": {
        "meetings": MeetingTeacher.instructor_id,
        "runs": RunTeacher.instructor_id,
        "patterns": PatternTeacher.instructor_id,
        "pay requests": PayRequest.instructor_id,
        "agreements": Agreement.instructor_id,
        "pay terms": PayTerm.instructor_id,
        "lines of pay": PayLine.instructor_id,
        "lines of proposals": CoverLine.instructor_id,
        "absences to cover": CoverPlan.instructor_id,
        "calls": CoverCall.instructor_id,
        "answers of learners": EvaluationAnswer.instructor_id,
        "applications": Application.instructor_id,
    },
}
YEARS_AHEAD = 4  # how far closures are looked up from the first date of a pattern


# --- places and instructors -------------------------------------------------------------------------------


def place_named(uow: UnitOfWork, name: str | None) -> Place | None:
    """The place of this name; a new one is added, once whoever named it was asked (`UnitOfWork.new_names`)."""
    name = " ".join((name or "").split())
    if not name:
        return None
    place = uow.session.scalar(select(Place).where(Place.name == name))
    if place is None:
        ask_first(uow, "place", name)
        online = name.casefold().startswith("online")
        place = Place(
            name=name, kind=PlaceKind.ONLINE if online else PlaceKind.ROOM, time_zone=uow.center.time_zone
        )
        uow.session.add(place)
        uow.session.flush()
    return place


def remove(uow: UnitOfWork, kind: str, owner_id: int) -> Done:
    """Take a place or an instructor out that nothing needs: no meeting, run, pattern, nor course that starts with it. The person
    that an instructor is stays."""
    owner = owner_of(uow, kind, owner_id)
    used_by = [
        f"{many} {word}"
        for word, column in USES[kind].items()
        if (many := uow.session.scalar(select(func.count()).where(column == owner_id)))
    ]
    for course in uow.session.scalars(select(Course)):
        usual = str(course.defaults.get(kind, ""))
        if owner.name.casefold() in {t.name.casefold() for t in read_taught(usual)}:
            used_by.append(f"the course {course.code}")
    if used_by:
        raise conflict(
            "in-use", f"{owner.name} is used by {', '.join(used_by[:4])}; make it inactive instead."
        )
    taken = BusyTime.place_id if kind == "place" else BusyTime.instructor_id
    gone = list[Base](uow.session.scalars(select(BusyTime).where(taken == owner_id)))
    if kind == "instructor":
        gone += uow.session.scalars(
            select(Qualification).where(Qualification.instructor_id == owner_id)
        ).all()
    for row in gone:
        uow.session.delete(row)
    uow.session.flush()
    uow.session.delete(owner)
    uow.session.flush()
    act = Act.REMOVE_A_PLACE if kind == "place" else Act.REMOVE_AN_INSTRUCTOR
    change = uow.log(act, owner_id, f"Took out {owner.name}")
    return Done(change=change.key)


def put(row: Run | Meeting, place: Place | None) -> None:
    """Set a row's place by its key column too, so that the log sees the change before the flush."""
    row.place_id = place.id if place else None
    set_committed_value(row, "place", place)


def list_places(uow: UnitOfWork) -> list[PlaceOut]:
    return [place_view(p) for p in uow.session.scalars(select(Place).order_by(Place.name))]


def place_view(place: Place) -> PlaceOut:
    return PlaceOut.model_validate(place, from_attributes=True)


def read_text(row: Reader, key: str, most: int, now: str = "") -> str:
    """A text that may be empty; left out, it stays as it is."""
    typed = row.value.get(key, now)
    if typed is None:
        return ""
    if not isinstance(typed, str):
        row.fault(key, "This must be a text.")
        return now
    if len(typed) > most:
        row.fault(key, f"This is longer than {most} characters.")
    return typed.strip()


def save_place(uow: UnitOfWork, place_id: int | None, command: PlaceCommand) -> PlaceOut:
    """Add a place, or change one. Its seats bound the runs held there; a clash says when they are too few."""
    place = (
        lock_row(uow, Place, place_id)
        if place_id
        else Place(
            name="",
            kind=PlaceKind.ROOM,
            facts="",
            address="",
            map_link="",
            address_public=True,
            time_zone=uow.center.time_zone,
            active=True,
        )
    )
    if place is None:
        raise not_found("This place")
    faults: list[Fault] = []
    name = " ".join((command.name or place.name).split())
    twin = uow.session.scalar(select(Place).where(Place.name == name)) if name else None
    if not name:
        faults.append(Fault("/name", "The name is missing."))
    elif twin and twin is not place:
        faults.append(Fault("/name", f"There is a place named {twin.name} already."))
    if command.time_zone and command.time_zone not in ZONES:
        sentence = f'"{command.time_zone}" is not a time zone, like America/New_York.'
        faults.append(Fault("/time_zone", sentence))
    if command.map_link and not command.map_link.startswith(("https://", "http://", "geo:")):
        faults.append(Fault("/map_link", "A map link begins with https://, http:// or geo:."))
    if faults:
        raise Refused(faults)
    new = place.id is None
    for key, value in said_of(command).items():
        if value is not None:
            setattr(place, key, str(value) if key == "kind" else value)
        elif key == "seats":
            place.seats = None
        elif key in ("facts", "address", "map_link"):
            setattr(place, key, "")
    place.name = name
    uow.session.add(place)
    uow.session.flush()
    uow.log(
        Act.ADD_A_PLACE if new else Act.CHANGE_A_PLACE,
        place.id,
        f"{'Added' if new else 'Changed'} the place {name}",
    )
    return place_view(place)


# --- times at which somebody is away or a place is closed -------------------------------------------------


def owner_of(uow: UnitOfWork, kind: str, owner_id: int) -> Place | Instructor:
    owner: Place | Instructor | None = None
    if kind == "place":
        owner = uow.session.get(Place, owner_id)
    elif kind == "instructor":
        owner = uow.session.get(Instructor, owner_id)
    if owner is None:
        raise not_found("This place or instructor")
    return owner


def zone_of_owner(uow: UnitOfWork, owner: Place | Instructor) -> ZoneInfo:
    return ZoneInfo(owner.time_zone) if isinstance(owner, Place) else uow.zone


def busy_view(uow: UnitOfWork, row: BusyTime, zone: ZoneInfo) -> BusyOut:
    return BusyOut(
        id=row.id,
        label=row.label,
        all_day=row.all_day,
        source=row.source,
        start=row.starts_at.astimezone(zone).isoformat(),
        end=row.ends_at.astimezone(zone).isoformat(),
    )


def list_busy(uow: UnitOfWork, kind: str, owner_id: int) -> list[BusyOut]:
    """Absences of an instructor, or closed times of a place, from today on."""
    owner = owner_of(uow, kind, owner_id)
    column = BusyTime.place_id if kind == "place" else BusyTime.instructor_id
    query = select(BusyTime).where(column == owner_id, BusyTime.ends_at > uow.now - timedelta(days=1))
    zone = zone_of_owner(uow, owner)
    return [
        busy_view(uow, b, zone) for b in uow.session.scalars(query.order_by(BusyTime.starts_at).limit(500))
    ]


def add_busy(uow: UnitOfWork, kind: str, owner_id: int, command: BusyCommand) -> BusyOut:
    """An absence or a closed time: whole days from one through another, or hours of one day."""
    owner = owner_of(uow, kind, owner_id)
    zone = zone_of_owner(uow, owner)
    faults: list[Fault] = []
    first, last = command.first, command.through or command.first
    start, end = command.start, command.end
    if last < first:
        faults.append(Fault("/through", "The last day is before the first."))
    elif (last - first).days > LONGEST_AWAY:
        faults.append(Fault("/through", f"This takes at most {LONGEST_AWAY:,} days."))
    if (start is None) != (end is None):
        at = "/end" if end is None else "/start"
        faults.append(Fault(at, "Give both times, or neither for whole days."))
    if start and end and first == last and end <= start:
        faults.append(Fault("/end", "The time ends before it begins."))
    if faults:
        raise Refused(faults)
    label = command.label or "away"
    begins = moment_of(first, start or time(0), zone).astimezone(UTC)
    ends = moment_of(last if end else last + timedelta(days=1), end or time(0), zone).astimezone(UTC)
    lock_row(uow, type(owner), owner_id)
    mine = BusyTime.place_id if kind == "place" else BusyTime.instructor_id
    written = select(BusyTime).where(mine == owner_id, BusyTime.source == "")
    same = written.where(BusyTime.starts_at == begins, BusyTime.ends_at == ends, BusyTime.label == label)
    if (known := uow.session.scalars(same).first()) is not None:
        return busy_view(uow, known, zone)  # said twice, as by a double click
    ahead = written.where(BusyTime.ends_at > uow.now)
    if (uow.session.scalar(select(func.count()).select_from(ahead.subquery())) or 0) >= MOST_AWAY:
        raise refuse("/from", f"{owner.name} has {MOST_AWAY} such times already; take some out first.")
    busy = BusyTime(starts_at=begins, ends_at=ends, all_day=start is None, label=label, source="")
    setattr(busy, f"{kind}_id", owner_id)
    uow.session.add(busy)
    uow.session.flush()
    word = "closed" if kind == "place" else "away"
    uow.log(
        Act.ADD_A_BUSY_TIME,
        owner_id,
        f"{owner.name} is {word} from {day_text(first)} through {day_text(last)}",
        subject=Subject(kind),
    )
    return busy_view(uow, busy, zone)


def remove_busy(uow: UnitOfWork, busy_id: int) -> Done:
    busy = uow.session.get(BusyTime, busy_id)
    if busy is None:
        raise not_found("This time")
    kind, owner_id = ("place", busy.place_id) if busy.place_id else ("instructor", busy.instructor_id)
    uow.session.delete(busy)
    change = uow.log(
        Act.TAKE_OUT_A_BUSY_TIME,
        owner_id or 0,
        f"Took out {busy.label} from {day_text(busy.starts_at.astimezone(uow.zone).date())}",
        subject=Subject(kind),
    )
    return Done(change=change.key)


def take_busy(
    uow: UnitOfWork, kind: str, owner_id: int, name: str, spans: list[tuple[datetime, datetime, bool, str]]
) -> tuple[str, int]:
    """Replace what an earlier import of the same calendar brought by what it holds now; the key of the change, and how many
    times were replaced."""
    owner = owner_of(uow, kind, owner_id)
    column = BusyTime.place_id if kind == "place" else BusyTime.instructor_id
    source = "".join(c for c in name if c.isascii() and c.isprintable())[-60:] or "calendar"
    old = uow.session.scalars(select(BusyTime).where(column == owner_id, BusyTime.source == source)).all()
    for row in old:
        uow.session.delete(row)
    for start, end, all_day, label in spans:
        row = BusyTime(starts_at=start, ends_at=end, all_day=all_day, label=label[:200], source=source)
        setattr(row, f"{kind}_id", owner_id)
        uow.session.add(row)
    change = uow.log(
        Act.IMPORT_BUSY_TIMES,
        owner_id,
        f"Took {len(spans)} times of {owner.name} from {name}",
        subject=Subject(kind),
    )
    return change.key, len(old)


# --- closed days ------------------------------------------------------------------------------------------


@lru_cache(maxsize=400)
def holidays_of(region: str, year: int) -> dict[date, str]:
    """Public holidays of a region such as "US" or "DE-BY" in a year, observed days included.

    Source: the `holidays` library; centers may override any day.
    """
    if not region:
        return {}
    country, _, part = region.partition("-")
    days = holidays.country_holidays(country, subdiv=part or None, years=year, language="en_US")
    return dict(days.items())


def check_region(region: str, at: str = "/region") -> str:
    """A region the library knows; raises Refused otherwise."""
    region = region.strip()
    if not region:
        return ""
    country, _, part = region.partition("-")
    known = holidays.list_supported_countries()
    if country not in known or (part and part not in known[country]):
        raise refuse(
            at,
            f'No public holidays are known for "{region}"; give a country like US, or with its part, US-NY.',
        )
    return region


def closed_days(uow: UnitOfWork, first: date, last: date) -> dict[date, str]:
    """The days between, both included, on which the center does not teach, each with what it is."""
    days: dict[date, str] = {}
    for year in range(first.year, min(last.year, first.year + 60) + 1):
        days.update(holidays_of(uow.center.region, year))
    for row in uow.session.scalars(select(Closure).where(Closure.day.between(first, last))):
        if row.teach:
            days.pop(row.day, None)
        else:
            days[row.day] = row.label
    return {d: label for d, label in days.items() if first <= d <= last}


def closures_from(uow: UnitOfWork, first: date) -> frozenset[date]:
    """Closed days that a pattern beginning on a day may meet."""
    try:
        last = first.replace(year=first.year + YEARS_AHEAD, day=min(first.day, 28))
    except ValueError:
        last = date.max
    return frozenset(closed_days(uow, first, last))


def list_closures(uow: UnitOfWork, year: int) -> ClosureYear:
    """All closed days of a year: public holidays of the region and own days, with what was overridden."""
    if not 1970 <= year <= 2200:
        raise refuse("/year", "The year is one from 1970 to 2200.")
    public = holidays_of(uow.center.region, year)
    own = {c.day: c for c in uow.session.scalars(select(Closure).where(func.year(Closure.day) == year))}
    rows = []
    for day in sorted({*public, *own}):
        row = own.get(day)
        rows.append(
            ClosureDay(
                day=day,
                label=row.label if row and not row.teach else public.get(day, row.label if row else ""),
                public=day in public,
                closed=not (row and row.teach),
                id=row.id if row else None,
            )
        )
    return ClosureYear(year=year, region=uow.center.region, days=rows)


def set_region(uow: UnitOfWork, region: str) -> ClosureYear:
    uow.center.region = check_region(region)
    uow.log(Act.CHANGE_A_SETTING, 1, f"Public holidays are those of {uow.center.region or 'nowhere'}")
    return list_closures(uow, uow.today.year)


def add_closure(uow: UnitOfWork, command: ClosureCommand) -> ClosureChange:
    """Close days of the center's own, from one through another; what meets on them is listed as clashes."""
    first, last = command.first, command.through or command.first
    label = command.label or "closed"
    if last < first:
        raise refuse("/through", "The last day is before the first.")
    if (last - first).days > 366:
        raise refuse("/through", "A closure has at most 366 days.")
    by_day = {c.day: c for c in uow.session.scalars(select(Closure).where(Closure.day.between(first, last)))}
    for n in range((last - first).days + 1):
        day = first + timedelta(days=n)
        if day in by_day:
            by_day[day].label, by_day[day].teach = label, False
        else:
            uow.session.add(Closure(day=day, label=label, teach=False))
    query = select(func.count()).select_from(Meeting).join(Run, Run.id == Meeting.run_id)
    touched = (
        uow.session.scalar(query.where(Meeting.date.between(first, last), Meeting.cancelled_at.is_(None)))
        or 0
    )
    span = day_text(first) + (f" through {day_text(last)}" if last > first else "")
    change = uow.log(Act.CLOSE_DAYS, 1, f"Closed {span}: {label}")
    return ClosureChange(change=change.key, meetings=touched)


def set_closure(uow: UnitOfWork, day: date, closed: bool) -> ClosureChange:
    """Teach on a public holiday all the same, close it again, or open a day of the center's own."""
    row = uow.session.scalar(select(Closure).where(Closure.day == day))
    public = holidays_of(uow.center.region, day.year).get(day)
    if row is None and public is None:
        if closed:
            raise Problem(422, "no-closure", "Close days of your own with a label.")
        raise conflict("not-closed", f"{day_text(day)} is not closed.")
    if closed and row:
        row.teach = False
        if public and row.label == public:
            uow.session.delete(row)
    elif not closed:
        if row and not public:
            uow.session.delete(row)
        elif row:
            row.teach = True
        else:
            uow.session.add(Closure(day=day, label=public or "", teach=True))
    change = uow.log(
        Act.OPEN_A_DAY if not closed else Act.CLOSE_DAYS,
        1,
        f"{day_text(day)} is {'closed' if closed else 'taught on'}",
    )
    return ClosureChange(change=change.key, meetings=0)
