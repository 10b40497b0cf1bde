"""Finding a row by its number, or saying that there is none."""

from __future__ import annotations

from sqlalchemy import func, select

from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import Deed, lock_row
from archgate.tables.courses import Course, Run
from archgate.tables.log import Change


def get_course(deed: Deed, course_id: int, to_change: bool = False) -> Course:
    """A course; `to_change` locks its row."""
    course = lock_row(deed, Course, course_id) if to_change else deed.session.get(Course, course_id)
    if course is None:
        raise not_found("This course")
    return course


def get_run(deed: Deed, run_id: int) -> Run:
    run = deed.session.get(Run, run_id)
    if run is None:
        raise not_found("This run")
    return run


def revision(deed: Deed) -> int:
    """The number of the newest change."""
    return deed.session.scalar(select(func.max(Change.id))) or 0
