"""What the office does with what instructors prepare: sees it, publishes it, returns it with a word, or goes on with it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import TypeAlias

from sqlalchemy import ColumnElement, UnaryExpression, func, select
from sqlalchemy.orm import InstrumentedAttribute, undefer

from archgate.actions.courses import texts
from archgate.actions.courses.views import TextChanged, TextFault
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.teaching import preparations
from archgate.actions.teaching.commands import (
    ReturnCommand,
)
from archgate.actions.teaching.preparing_views import (
    CoursePreparation,
    PreparationDone,
    PreparationLine,
    PreparationOut,
    Preparations,
)
from archgate.core.states import Preparing
from archgate.papers.letters.occasions import PreparationPublished, PreparationReturned
from archgate.papers.letters.writing import written
from archgate.tables.courses import Course
from archgate.tables.teaching import Instructor, Preparation, PreparedRun

Ordering: TypeAlias = (
    ColumnElement[bool]
    | InstrumentedAttribute[int]
    | InstrumentedAttribute[datetime | None]
    | UnaryExpression[datetime | None]
)
SHOWN, DECIDED = 200, 20


def in_preparation(uow: UnitOfWork) -> Preparations:
    """What is in preparation: handed in first, the longest waiting first; and what was decided of late."""
    return Preparations(
        items=lines(uow, Preparation.live == 1, (Preparation.status != Preparing.HANDED_IN, Preparation.handed_at, Preparation.id)),
        decided=lines(uow, Preparation.live.is_(None), (Preparation.decided_at.desc(),), DECIDED),
    )  # fmt: skip


def handed_in(uow: UnitOfWork) -> list[PreparationLine]:
    return lines(uow, Preparation.status == Preparing.HANDED_IN, (Preparation.handed_at,))


def lines(
    uow: UnitOfWork, which: ColumnElement[bool], order: Sequence[Ordering], most: int = SHOWN
) -> list[PreparationLine]:
    many = select(func.count()).where(PreparedRun.preparation_id == Preparation.id).scalar_subquery()
    query = (
        select(Preparation, Course, Instructor.name, many)
        .join(Course, Course.id == Preparation.course_id)
        .join(Instructor, Instructor.id == Preparation.instructor_id)
        .where(which)
        .options(undefer(Preparation.before), undefer(Course.draft))
        .order_by(*order)
        .limit(most)
    )
    return [line_of(uow, row, course, by, int(runs)) for row, course, by, runs in uow.session.execute(query)]


def line_of(uow: UnitOfWork, row: Preparation, course: Course, by: str, runs: int) -> PreparationLine:
    return PreparationLine(
        id=row.id, course_id=course.id, code=course.code, title=course.title, instructor_id=row.instructor_id, instructor=by,
        status=row.status, since=uow.local(row.decided_at or row.handed_at or row.begun_at), changed=preparations.changed_labels(row, course), runs=runs,
    )  # fmt: skip


def of_course(uow: UnitOfWork, course_id: int) -> CoursePreparation:
    row = preparations.live_of(uow, get_course(uow, course_id).id)
    return CoursePreparation(preparation=office_view(uow, row) if row is not None else None)


def office_view(uow: UnitOfWork, row: Preparation) -> PreparationOut:
    course = get_course(uow, row.course_id)
    i = uow.session.get_one(Instructor, row.instructor_id)
    text = texts.text_of(course.draft)
    now = texts.fields_of(course.title, text)
    shown = [preparations.run_out(uow, run) for run in preparations.runs_of(uow, row)]
    return line_of(uow, row, course, i.name, len(shown)).widened(
        PreparationOut,
        said=row.said,
        word=row.word,
        fields=texts.fields_compared({**now, **row.before}, now),
        prepared=shown,
        faults=[TextFault(at=f.at, message=f.message) for f in texts.publishing_faults(text)],
        public=course.published_n is not None,
    )


def send_back(uow: UnitOfWork, preparation_id: int, command: ReturnCommand) -> PreparationDone:
    """Return what was handed in, with what is to be changed; whoever prepares it hears."""
    row, course = preparations.locked(uow, get_row(uow, preparation_id))
    preparations.step(row, Preparing.RETURNED)
    row.word, row.decided_at, row.decided_by = command.word, uow.now, uow.by
    i = uow.session.get_one(Instructor, row.instructor_id)
    change = uow.log(Act.RETURN_A_COURSE, course.id, f"Returned {course.title} to {i.name}: {command.word}")
    link = f"{signing.address()}/own/teaching?at=courses&preparation={row.id}"
    letter = PreparationReturned(uow.center.name, i.name, course.title, command.word, link)
    messages.write(uow, change, messages.to_person(i.person), written(letter))
    return office_view(uow, row).widened(PreparationDone, change=change.key)


def publish(uow: UnitOfWork, preparation_id: int) -> PreparationDone:
    """Publish the course as it was handed in, and its runs that are drafts: all of it, or nothing with every reason."""
    row, course = preparations.locked(uow, get_row(uow, preparation_id))
    runs = preparations.make_public(uow, row, course)
    i = uow.session.get_one(Instructor, row.instructor_id)
    change = uow.log(Act.PUBLISH_PREPARED, course.id, f"Published {course.title} as {i.name} prepared it")
    letter = PreparationPublished(uow.center.name, i.name, course.title, runs)
    messages.write(uow, change, messages.to_person(i.person), written(letter))
    return office_view(uow, row).widened(PreparationDone, change=change.key)


def finish(uow: UnitOfWork, preparation_id: int) -> PreparationDone:
    """Go on with a preparation at the office: the draft and its runs are the office's from now on, in whoever's hand it was."""
    row, course = preparations.locked(uow, get_row(uow, preparation_id))
    preparations.step(row, Preparing.FINISHED)
    for run in uow.session.scalars(select(PreparedRun).where(PreparedRun.preparation_id == row.id)):
        run.unpriced = False  # whoever goes on with it sees the price, and may mean it
    row.decided_at, row.decided_by = uow.now, uow.by
    i = uow.session.get_one(Instructor, row.instructor_id)
    change = uow.log(
        Act.FINISH_A_COURSE, course.id, f"The office goes on with {course.title}, which {i.name} prepared"
    )
    uow.session.flush()
    return office_view(uow, row).widened(PreparationDone, change=change.key)


def publish_course(uow: UnitOfWork, course_id: int) -> TextChanged:
    """Publish a course from its own page, unless somebody prepares it: then what they wrote would become public unread."""
    course = get_course(uow, course_id, to_change=True)
    row = preparations.live_of(uow, course.id)
    if row is not None:
        by = uow.session.get_one(Instructor, row.instructor_id).name
        raise conflict(
            "prepared", f"{by} prepares this course. Publish what was handed in, or finish it yourself first."
        )
    return texts.publish(uow, course_id)


def get_row(uow: UnitOfWork, preparation_id: int) -> Preparation:
    row = uow.session.get(Preparation, preparation_id)
    if row is None:
        raise not_found("This preparation")
    return row
