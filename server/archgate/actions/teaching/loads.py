"""How loaded instructors are: what each teaches when, the hours of a week and of a season, and the times they are away."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import NamedTuple

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import clashes, places, schedule
from archgate.actions.schedule.commands import HoursForm
from archgate.actions.teaching.instructors import cans_of, get_instructor
from archgate.actions.teaching.views import HeldMeeting, InstructorWeek, WeekMeeting
from archgate.core.clashes import read_hours
from archgate.core.cover import Teacher
from archgate.core.schedule import moment_of, monday_of
from archgate.core.states import Part
from archgate.core.teaching import hours_text, season_of
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import BusyTime, Instructor, MeetingTeacher


class Taught(NamedTuple):
    """A meeting that somebody teaches."""

    instructor_id: int
    meeting_id: int
    run_id: int
    day: date
    starts_at: datetime
    ends_at: datetime
    minutes: int
    part: Part


def taught(uow: UnitOfWork, first: date, last: date, ids: Collection[int] | None = None) -> list[Taught]:
    """What is taught from a day through another, cancelled meetings and runs left out; of these people, or of all."""
    query = (
        select(
            MeetingTeacher.instructor_id, Meeting.id, Meeting.run_id, Meeting.date, Meeting.starts_at,
            Meeting.ends_at, Meeting.minutes, MeetingTeacher.part,
        )
        .join(Meeting, Meeting.id == MeetingTeacher.meeting_id)
        .join(Run, Run.id == Meeting.run_id)
        .where(Meeting.date.between(first, last), Meeting.cancelled_at.is_(None), Run.status.not_in(clashes.GONE))
        .order_by(Meeting.starts_at, Meeting.id)
    )  # fmt: skip
    if ids is not None:
        query = query.where(MeetingTeacher.instructor_id.in_(set(ids)))
    return [Taught(*row) for row in uow.session.execute(query)]


@dataclass(frozen=True)
class Loads:
    """What everybody teaches in some time: minutes by week (its Monday), and of the season."""

    weeks: dict[int, dict[date, int]]
    season: dict[int, int]


def loads_of(rows: Iterable[Taught], first: date, last: date) -> Loads:
    """The loads of a list of what is taught; the season's are those between two days."""
    weeks: dict[int, dict[date, int]] = {}
    season: dict[int, int] = {}
    for row in rows:
        own = weeks.setdefault(row.instructor_id, {})
        week = monday_of(row.day)
        own[week] = own.get(week, 0) + row.minutes
        if first <= row.day <= last:
            season[row.instructor_id] = season.get(row.instructor_id, 0) + row.minutes
    return Loads(weeks, season)


def absences(
    uow: UnitOfWork, first: datetime, last: datetime, ids: Collection[int] | None = None
) -> dict[int, list[BusyTime]]:
    """When people are away between two moments."""
    query = select(BusyTime).where(
        BusyTime.instructor_id.is_not(None), BusyTime.starts_at < last, BusyTime.ends_at > first
    )
    if ids is not None:
        query = query.where(BusyTime.instructor_id.in_(set(ids)))
    away: dict[int, list[BusyTime]] = {}
    for row in uow.session.scalars(query.order_by(BusyTime.starts_at)):
        away.setdefault(row.instructor_id or 0, []).append(row)
    return away


def those_who_teach(
    uow: UnitOfWork, days: Collection[date], leave_out: Collection[int] = ()
) -> tuple[list[Instructor], list[Teacher], Loads]:
    """Every active instructor as cover sees them, with what they teach around some days; meetings that are to be given to
    somebody else (`leave_out`) do not count."""
    begin, end = min(days), max(days)
    season = season_of(begin)
    first = min(monday_of(begin) - timedelta(days=7), season.first)
    last = max(monday_of(end) + timedelta(days=13), season.last)
    rows = [r for r in taught(uow, first, last) if r.meeting_id not in leave_out]
    loads = loads_of(rows, season.first, season.last)
    people = list(uow.session.scalars(select(Instructor).where(Instructor.active).order_by(Instructor.name)))
    can = cans_of(uow)
    since, until = (moment_of(d, time(0), uow.zone).astimezone(UTC) for d in (first, last))
    away = absences(uow, since, until)
    busy: dict[int, list[tuple[datetime, datetime]]] = {}
    for row in rows:
        busy.setdefault(row.instructor_id, []).append((row.starts_at, row.ends_at))
    return (
        people,
        [
            Teacher(
                i.id,
                i.name,
                read_hours(i.hours),
                tuple(can.get(i.id, ())),
                tuple(busy.get(i.id, ())),
                tuple((b.starts_at, b.ends_at) for b in away.get(i.id, ())),
                loads.weeks.get(i.id, {}),
                i.most_minutes,
            )
            for i in people
        ],
        loads,
    )


def held_meeting(run: Run, m: Meeting) -> HeldMeeting:
    zone = schedule.zone_of(run, m.place)
    return HeldMeeting(
        meeting_id=m.id,
        run_id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        day=m.date,
        start=m.starts_at.astimezone(zone).time(),
        end=m.ends_at.astimezone(zone).time(),
        place=m.place.name if m.place else "",
    )


def week_of(uow: UnitOfWork, instructor_id: int, day: date | None) -> InstructorWeek:
    """A week of an instructor: hours at which they teach, absences, meetings; the hours of the week and of the season."""
    row = get_instructor(uow, instructor_id)
    monday = monday_of(day or uow.today)
    sunday, season = monday + timedelta(days=6), season_of(monday)
    rows = taught(uow, min(monday, season.first), max(sunday, season.last), (instructor_id,))
    loads = loads_of(rows, season.first, season.last)
    week = [r for r in rows if monday <= r.day <= sunday]
    query = select(Meeting).where(Meeting.id.in_([r.meeting_id for r in week])).order_by(Meeting.starts_at)
    parts = {r.meeting_id: r.part for r in week}
    clashing = {
        r.id
        for c in clashes.found_among(uow, clashes.rows_of(uow, clashes.held().where(Meeting.id.in_(parts))))
        for r in (c.a, c.b)
        if r is not None and c.kind in ("instructor", "not available")
    }
    since = moment_of(monday, time(0), uow.zone).astimezone(UTC)
    away = absences(uow, since, since + timedelta(days=7), (instructor_id,)).get(instructor_id, [])
    shown = [
        WeekMeeting(
            **dict(held_meeting(uow.session.get_one(Run, m.run_id), m)),
            part=parts[m.id],
            clash=m.id in clashing,
        )
        for m in uow.session.scalars(query)
    ]
    return InstructorWeek(
        monday=monday,
        hours=hours_text(loads.weeks.get(instructor_id, {}).get(monday, 0)),
        most_hours=None if row.most_minutes is None else hours_text(row.most_minutes),
        season_hours=hours_text(loads.season.get(instructor_id, 0)),
        season=season.text,
        availability=[HoursForm.model_validate(h) for h in row.hours],
        absences=[places.busy_view(uow, b, uow.zone) for b in away],
        meetings=shown,
    )
