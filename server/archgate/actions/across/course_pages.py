"""A course's page for staff: what it says of itself, its runs, and how many wait for it."""

from __future__ import annotations

from sqlalchemy import ColumnElement, func, select

from archgate.actions.across.views import CoursePage, CourseRun
from archgate.actions.courses import courses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.states import InterestStatus
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Interest, Waiting

MOST_RUNS = 200


def course_page(uow: UnitOfWork, course_id: int) -> CoursePage:
    course = courses.get_course(uow, course_id)
    of_runs = select(Run.id).where(Run.course_id == course.id)
    in_line = select(func.count()).select_from(Waiting).where(Waiting.run_id.in_(of_runs), Waiting.live == 1)
    listed = select(func.count()).select_from(Interest)
    listed = listed.where(Interest.course_id == course.id, Interest.status == InterestStatus.LISTED)
    waiting = (uow.session.scalar(in_line) or 0) + (uow.session.scalar(listed) or 0)
    runs = run_lines(uow, Run.course_id == course.id)
    return courses.course_view(course).widened(CoursePage, runs=runs, waiting=waiting)


def run_lines(uow: UnitOfWork, which: ColumnElement[bool]) -> list[CourseRun]:
    """Runs in one line each, the newest first."""
    first = func.coalesce(func.min(Meeting.date), Run.starts_on).label("first")
    last = func.coalesce(func.max(Meeting.date), Run.ends_on).label("last")
    rows = uow.session.execute(
        select(Run.id, Run.code, Run.status, Run.capacity, RunSeats.taken, first, last)
        .outerjoin(RunSeats, RunSeats.run_id == Run.id)
        .outerjoin(Meeting, (Meeting.run_id == Run.id) & Meeting.cancelled_at.is_(None))
        .where(which)
        .group_by(Run.id, RunSeats.taken)
        .order_by(first.is_(None).desc(), first.desc(), Run.id.desc())
        .limit(MOST_RUNS)
    )
    return [
        CourseRun(id=n, code=code, first=a, last=b, status=status, taken=taken or 0, capacity=seats)
        for n, code, status, seats, taken, a, b in rows
    ]
