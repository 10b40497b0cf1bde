"""A course's page for staff: what it says of itself, its runs, and how many wait for it."""

from __future__ import annotations

from sqlalchemy import ColumnElement, func, select

from archgate.actions.across.views import CatalogLine, CoursePage, CourseRun, PastRuns, Sum
from archgate.actions.courses import courses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.money import format_amount
from archgate.core.states import InterestStatus, RunStatus
from archgate.tables.courses import Course, Run
from archgate.tables.schedule import Gate, Meeting
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Interest, Waiting

MOST_RUNS = 200
MOST_COURSES = 2000


def course_page(uow: UnitOfWork, course_id: int) -> CoursePage:
    course = courses.get_course(uow, course_id)
    of_runs = select(Run.id).where(Run.course_id == course.id)
    in_line = select(func.count()).select_from(Waiting).where(Waiting.run_id.in_(of_runs), Waiting.live == 1)
    listed = select(func.count()).select_from(Interest)
    listed = listed.where(Interest.course_id == course.id, Interest.status == InterestStatus.LISTED)
    waiting = (uow.session.scalar(in_line) or 0) + (uow.session.scalar(listed) or 0)
    runs = run_lines(uow, Run.course_id == course.id)
    return courses.course_view(course).widened(
        CoursePage, runs=runs, waiting=waiting, past=past_of(uow, course.id)
    )


def catalog_lines(uow: UnitOfWork) -> list[CatalogLine]:
    """Every course in one line: where it is filed, whether the public reads of it, what waits to be published, and its runs ahead."""
    over = select(Gate.run_id).where(Gate.kind == "ends", Gate.at <= uow.now)
    ahead = (
        select(Run.course_id, func.count().label("runs"))
        .where(Run.status == RunStatus.PUBLISHED, Run.id.not_in(over))
        .group_by(Run.course_id)
        .subquery()
    )
    rows = uow.session.execute(
        select(
            Course.id, Course.code, Course.title, Course.category_id, Course.published_n, Course.pending,
            Course.promoted, func.coalesce(ahead.c.runs, 0),
        )
        .outerjoin(ahead, ahead.c.course_id == Course.id)
        .order_by(Course.title, Course.id)
        .limit(MOST_COURSES)
    )  # fmt: skip
    return [
        CatalogLine(
            id=n, code=code, title=title, category_id=filed, public=live is not None, pending=pending,
            promoted=promoted, runs=int(runs),
        )
        for n, code, title, filed, live, pending, promoted, runs in rows
    ]  # fmt: skip


def past_of(uow: UnitOfWork, course_id: int) -> PastRuns:
    """What the runs of a course that are over came to: how many, seats sold of how many, and income by its currency."""
    over = select(Gate.run_id).where(Gate.kind == "ends", Gate.at <= uow.now)
    rows = uow.session.execute(
        select(
            Run.currency,
            func.count(),
            func.sum(RunSeats.taken),
            func.sum(Run.capacity),
            func.sum(RunSeats.income),
        )
        .join(RunSeats, RunSeats.run_id == Run.id)
        .where(Run.course_id == course_id, Run.id.in_(over), Run.status != RunStatus.CANCELLED)
        .group_by(Run.currency)
    ).all()
    return PastRuns(
        runs=sum(int(n) for _, n, *_ in rows),
        taken=sum(int(taken) for _, _, taken, _, _ in rows),
        capacity=sum(int(whole) for _, _, _, whole, _ in rows),
        income=[
            Sum(currency=currency, amount=format_amount(int(units), currency)) for currency, *_, units in rows
        ],
    )


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
