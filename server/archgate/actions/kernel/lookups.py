"""Finding a row by its number, or saying that there is none."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import defaultload, joinedload, selectinload

from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.tables.courses import CenterLogo, Course, Run
from archgate.tables.fees import Rate
from archgate.tables.log import Change
from archgate.tables.people import Organization
from archgate.tables.plans import Plan
from archgate.tables.schedule import Meeting, MeetingPattern


def get_course(uow: UnitOfWork, course_id: int, to_change: bool = False) -> Course:
    """A course; `to_change` locks its row."""
    course = lock_row(uow, Course, course_id) if to_change else uow.session.get(Course, course_id)
    if course is None:
        raise not_found("This course")
    return course


# What is said of a run wherever it is shown, with few statements: what it has one of comes with it, lists with their own lists.
WITH_RUNS = (
    joinedload(Run.course),
    joinedload(Run.place),
    selectinload(Run.teachers),
    joinedload(Run.client),
    selectinload(Run.rates).joinedload(Rate.early),
)
# Whenever the meetings of a run are read, those who teach them come with them.
TAUGHT = defaultload(Run.all_meetings).joinedload(Meeting.teachers)
ONE_RUN = (
    joinedload(Run.course),
    joinedload(Run.place),
    joinedload(Run.client),
    joinedload(Run.teachers),
    selectinload(Run.rates).joinedload(Rate.early),
    selectinload(Run.plans).joinedload(Plan.lines),
    defaultload(Run.patterns).joinedload(MeetingPattern.teachers),
    TAUGHT,
)


WHO_TEACHES = (joinedload(Run.course), joinedload(Run.teachers), TAUGHT)


def get_run(uow: UnitOfWork, run_id: int, whole: bool = False, taught: bool = False) -> Run:
    """`whole`: with what a page of the run needs; `taught`: with who teaches it."""
    run = uow.session.get(Run, run_id, options=ONE_RUN if whole else WHO_TEACHES if taught else (TAUGHT,))
    if run is None:
        raise not_found("This run")
    return run


def logo_of(uow: UnitOfWork, logo_id: int | None) -> bytes | None:
    """The logo that a paper names, as a JPEG."""
    row = uow.session.get(CenterLogo, logo_id) if logo_id else None
    return row.content if row else None


NO_ORGANIZATION = "There is no such organization."


def lacks_organization(uow: UnitOfWork, organization_id: int | None) -> bool:
    """Whether an organization is named that is not there."""
    return bool(organization_id) and uow.session.get(Organization, organization_id) is None


def revision(uow: UnitOfWork) -> int:
    """The number of the newest change."""
    return uow.session.scalar(select(func.max(Change.id))) or 0
