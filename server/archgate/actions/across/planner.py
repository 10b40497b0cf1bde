"""The planner: the season's runs and meetings in compact rows, the rooms of a day, the meetings of a month."""

from __future__ import annotations

from datetime import date, time, timedelta

from sqlalchemy import ColumnElement, ScalarSelect, func, select
from sqlalchemy.orm import InstrumentedAttribute, load_only

from archgate.actions.across.views import DaySheet, Lane, ListedMeeting, MonthList, PlannerOut
from archgate.actions.kernel.answers import shown
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import kept_clashes, places, schedule, teachers
from archgate.core.faults import refuse
from archgate.core.gates import teaching_at
from archgate.core.states import RunStatus
from archgate.tables.catalog import Category
from archgate.tables.courses import Course, Run
from archgate.tables.schedule import Gate, Meeting, Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import Instructor, MeetingTeacher, RunTeacher

LONGEST = timedelta(days=800)
RUN_COLUMNS = (
    "id", "code", "title", "course", "category", "status", "decision", "first", "last", "taken", "capacity", "smallest",
    "place", "instructors", "kind", "teaching",
)  # fmt: skip
SHOWN_OF_A_RUN = (
    Run.code, Run.title, Run.status, Run.decision, Run.starts_on, Run.ends_on, Run.capacity, Run.smallest, Run.place_id,
    Run.kind,
)  # fmt: skip
MEETING_COLUMNS = ("id", "run_id", "date", "start", "end", "place_id", "instructors")


def planner(uow: UnitOfWork, since: date, until: date) -> PlannerOut:
    """Runs held between two days, their meetings, and which meetings clash; in compact rows that a browser draws."""
    if not timedelta(0) <= until - since <= LONGEST:
        raise refuse("/until", "The planner shows up to 800 days, the last not before the first.")
    meetings = uow.session.execute(
        select(
            Meeting.id, Meeting.run_id, Meeting.date, Meeting.start, Meeting.minutes, Meeting.place_id,
            taught_by(MeetingTeacher.instructor_id, MeetingTeacher.meeting_id == Meeting.id),
        )
        .join(Run, Run.id == Meeting.run_id)
        .where(Meeting.date.between(since, until), Meeting.cancelled_at.is_(None), Run.status.not_in((RunStatus.CANCELLED, RunStatus.ARCHIVED)))
        .order_by(Meeting.starts_at, Meeting.id)
    ).all()  # fmt: skip
    spans = schedule.spans_of_runs()
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    ends = select(Gate.run_id, Gate.at).where(Gate.kind == "ends").subquery()
    query = (
        select(Run, Course.title, func.coalesce(Category.name, ""), spans.c.first, spans.c.last, RunSeats.taken, starts.c.at, ends.c.at,
                taught_by(RunTeacher.instructor_id, RunTeacher.run_id == Run.id))
        .join(Course, Course.id == Run.course_id).outerjoin(Category, Category.id == Course.category_id)
        .join(RunSeats, RunSeats.run_id == Run.id).outerjoin(spans, spans.c.run_id == Run.id)
        .outerjoin(starts, starts.c.run_id == Run.id).outerjoin(ends, ends.c.run_id == Run.id)
        .where(Run.status.not_in((RunStatus.CANCELLED, RunStatus.ARCHIVED)))
        .where(func.coalesce(Run.starts_on, spans.c.first) <= until, func.greatest(func.coalesce(Run.ends_on, spans.c.last), func.coalesce(spans.c.last, Run.ends_on)) >= since)
        .order_by(func.coalesce(Run.starts_on, spans.c.first), Run.id)
        .options(load_only(*SHOWN_OF_A_RUN))
    )  # fmt: skip
    runs = []
    for run, course, category, first, last, taken, begun, over, taught in uow.session.execute(query):
        runs.append([
            run.id, run.code, run.title or course, course, category, run.status, run.decision,
            shown(run.starts_on or first), shown(max(filter(None, (run.ends_on, last)))), taken, run.capacity, run.smallest,
            run.place_id, ids_of(taught), run.kind, str(teaching_at(uow.now, begun, over)),
        ])  # fmt: skip
    return PlannerOut(
        since=since, until=until, today=uow.today,
        run_columns=list(RUN_COLUMNS), runs=runs, meeting_columns=list(MEETING_COLUMNS),
        meetings=[
            [i, run, day.isoformat(), f"{start:%H:%M}", end_text(start, minutes), place, ids_of(taught)]
            for i, run, day, start, minutes, place, taught in meetings
        ],
        places=[Lane(id=p.id, name=p.name, seats=p.seats) for p in uow.session.scalars(select(Place).order_by(Place.name))],
        instructors=[Lane(id=i.id, name=i.name, seats=None) for i in uow.session.scalars(select(Instructor).order_by(Instructor.name))],
        closed={d.isoformat(): label for d, label in sorted(places.closed_days(uow, since, until).items())},
        clashing=kept_clashes.clashing_meetings(uow, (since, until)),
    )  # fmt: skip


def taught_by(whose: InstrumentedAttribute[int], of: ColumnElement[bool]) -> ScalarSelect[str | None]:
    """The ids of those who teach a meeting, or usually a run, in one text with commas."""
    return select(func.group_concat(whose)).where(of).correlate(Run, Meeting).scalar_subquery()


def ids_of(taught: str | None) -> list[int]:
    return [int(i) for i in taught.split(",")] if taught else []


def end_text(start: time, minutes: int) -> str:
    """The end by the wall clock, as long as no clock changes meanwhile; for drawing only."""
    total = start.hour * 60 + start.minute + minutes
    return f"{total // 60 % 24:02d}:{total % 60:02d}"


def day_sheet(uow: UnitOfWork, day: date) -> DaySheet:
    """Everything held on a day by place and time, for the doors."""
    return DaySheet(
        date=day,
        closed=places.closed_days(uow, day, day).get(day),
        meetings=listed(uow, day, day),
    )


def month_list(uow: UnitOfWork, month: str) -> MonthList:
    """All meetings of a month such as 2027-09, by time."""
    try:
        first = date.fromisoformat(f"{month}-01")
    except ValueError:
        raise refuse("/month", f'"{month}" is not a month, like 2027-09.') from None
    last = (first + timedelta(days=32)).replace(day=1) - timedelta(days=1)
    closed = {d.isoformat(): label for d, label in sorted(places.closed_days(uow, first, last).items())}
    return MonthList(month=month, closed=closed, meetings=listed(uow, first, last))


def listed(uow: UnitOfWork, first: date, last: date) -> list[ListedMeeting]:
    query = (
        select(Meeting, Run, RunSeats.taken)
        .join(Run, Run.id == Meeting.run_id).join(RunSeats, RunSeats.run_id == Run.id)
        .where(Meeting.date.between(first, last), Run.status.not_in((RunStatus.ARCHIVED, RunStatus.DRAFT)))
        .order_by(Meeting.starts_at, Meeting.id)
    )  # fmt: skip
    entries = []
    for m, run, taken in uow.session.execute(query):
        zone = schedule.zone_of(run, m.place)
        entries.append(ListedMeeting(
            id=m.id, run_id=run.id, code=run.code, title=run.title or run.course.title, date=m.date,
            start=m.starts_at.astimezone(zone).time(), end=m.ends_at.astimezone(zone).time(),
            place=m.place.name if m.place else "", instructor=teachers.text_of(m.teachers),
            taken=taken, capacity=run.capacity, cancelled=m.cancelled_at is not None or run.status == RunStatus.CANCELLED,
            why=m.cancel_why, decision=schedule.decision_text(run) if m.starts_at > uow.now else "",
        ))  # fmt: skip
    return entries
