"""What instructors do with their own courses on their own page: begin, write, plan runs, hand in, take back, give up. What the center does not
let somebody write is refused here, not only left out."""

from __future__ import annotations

from sqlalchemy import func, select

from archgate.actions.courses import courses, files, texts
from archgate.actions.courses.commands import CourseForm, TextPatch
from archgate.actions.courses.views import PictureOut
from archgate.actions.enrolling.replies import by_the_person
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import lifecycle
from archgate.actions.teaching import own, preparations
from archgate.actions.teaching.commands import (
    HandInCommand,
    PrepareCommand,
    TitleCommand,
)
from archgate.actions.teaching.preparing_views import OwnCourse, OwnCourses, OwnPreparation
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.preparation import out_of_reach
from archgate.core.states import PrepareRight, Preparing, RunStatus
from archgate.documents.reader import Document
from archgate.papers.pictures import Sizes
from archgate.tables.courses import Course
from archgate.tables.people import Person
from archgate.tables.teaching import Instructor, Preparation

MOST_LIVE, MOST_RUNS, SHOWN = 20, 12, 200
NO_PRICE = "0.00"  # until the office says it
AT_ONCE: Document = {"name": "At sign-up", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}
ASK = "The center does this for you; please ask at the office."


def listed(uow: UnitOfWork, person: Person) -> OwnCourses:
    """One's own courses, those in preparation first."""
    i = own.instructor_of(uow, person)
    query = (
        select(Course, Preparation, Instructor.name)
        .outerjoin(Preparation, (Preparation.course_id == Course.id) & (Preparation.live == 1))
        .outerjoin(Instructor, Instructor.id == Preparation.instructor_id)
        .where(preparations.own_courses(i))
        .order_by(Preparation.id.is_(None), Course.title)
        .limit(SHOWN)
    )
    found = []
    for course, row, by in uow.session.execute(query):
        mine = row is not None and row.instructor_id == i.id
        found.append(
            OwnCourse(
                course_id=course.id,
                title=course.title,
                public=course.published_n is not None,
                preparation_id=row.id if row is not None and mine else None,
                status=row.status if row is not None else None,
                word=row.word if row is not None and mine else "",
                by="" if mine or row is None else by,
            )
        )
    return OwnCourses(courses=found, rights=preparations.rights_of(uow, i), publishes=i.publishes)


def begin(uow: UnitOfWork, person: Person, command: PrepareCommand) -> OwnPreparation:
    """Begin to prepare one's own course, or a new one. Begun twice, it is the same."""
    i = own.instructor_of(uow, person, to_change=True)
    if not preparations.rights_of(uow, i):
        raise Problem(403, "forbidden", ASK)
    many = select(func.count()).where(Preparation.instructor_id == i.id, Preparation.live == 1)
    if (uow.session.scalar(many) or 0) >= MOST_LIVE:
        raise conflict("many", f"You prepare {MOST_LIVE} courses already; hand one in first.")
    if command.course_id is not None:
        course = own_course(uow, i, command.course_id)
    elif command.title:
        course = new_course(uow, command.title)
    else:
        raise refuse("/title", "Say how the course is called.")
    there = preparations.live_of(uow, course.id)
    if there is not None and there.instructor_id == i.id:
        return preparations.own_view(uow, i, there, course)
    if there is not None:
        by = uow.session.get_one(Instructor, there.instructor_id).name
        raise conflict("prepared", f"{by} prepares this course just now.")
    row = Preparation(
        course_id=course.id, instructor_id=i.id, status=Preparing.DRAFT,
        before=texts.fields_of(course.title, texts.text_of(course.draft)), wrote={}, said="", word="", begun_at=uow.now,
        handed_at=None, decided_at=None, decided_by=None,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.PREPARE_A_COURSE, course.id, f"{i.name} began to prepare {course.title}")
    by_the_person(uow)
    return preparations.own_view(uow, i, row, course)


def own_course(uow: UnitOfWork, i: Instructor, course_id: int) -> Course:
    """A course of one's own, locked; any other is not there."""
    if (
        uow.session.scalar(select(Course.id).where(Course.id == course_id, preparations.own_courses(i)))
        is None
    ):
        raise not_found("This course")
    return get_course(uow, course_id, to_change=True)


def new_course(uow: UnitOfWork, title: str) -> Course:
    course = courses.read_course(uow, CourseForm(title=title), [])
    assert course is not None
    uow.session.add(course)
    uow.session.flush()
    return course


def prepared(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnPreparation:
    i = own.instructor_of(uow, person)
    row = preparations.own_row(uow, i, preparation_id)
    return preparations.own_view(uow, i, row, get_course(uow, row.course_id))


def write(uow: UnitOfWork, person: Person, preparation_id: int, command: TextPatch) -> OwnPreparation:
    """Save some fields of the course's draft, as far as the center lets whoever prepares it."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    names = command.set.model_fields_set
    refuse_out_of_reach(names, preparations.rights_of(uow, i))
    texts.write(uow, course.id, command)
    now = texts.kept(texts.text_of(course.draft))
    row.wrote = {**row.wrote, **{name: now[name] for name in names}}
    return preparations.done_by(uow, i, row, course)


def refuse_out_of_reach(names: set[str], rights: list[PrepareRight]) -> None:
    beyond = out_of_reach(names, rights)
    if beyond:
        raise Refused([Fault(f"/set/{name}", ASK) for name in beyond])


def retitle(uow: UnitOfWork, person: Person, preparation_id: int, command: TitleCommand) -> OwnPreparation:
    """Call a course that is not public yet otherwise."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    if course.published_n is not None or PrepareRight.TEXT not in preparations.rights_of(uow, i):
        raise refuse("/title", ASK)
    refuse_lost_update(
        {"title": command.title}, {"title": command.seen} if command.seen else {}, {"title": course.title}
    )
    course.title = command.title
    uow.log(Act.CHANGE_A_COURSE, course.id, f"Called {course.code} {course.title}")
    return preparations.done_by(uow, i, row, course)


def add_picture(uow: UnitOfWork, person: Person, preparation_id: int, made: Sizes) -> PictureOut:
    i, _, course = preparations.to_write(uow, person, preparation_id)
    if PrepareRight.PICTURES not in preparations.rights_of(uow, i):
        raise refuse("/file", ASK)
    added = files.add_picture(uow, course.id, made)
    preparations.sign(uow, i)
    return added


def hand_in(uow: UnitOfWork, person: Person, preparation_id: int, command: HandInCommand) -> OwnPreparation:
    """Hand what was prepared to the office. What keeps it from being published is said before, not after."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    changed = preparations.course_changed(row, course)
    faults = texts.publishing_faults(texts.text_of(course.draft)) if changed else []
    if faults:
        raise Refused(faults)
    if not changed and course.published_n is not None and not preparations.runs_of(uow, row):
        raise conflict("nothing", "Nothing of the course has changed, and no run is prepared.")
    preparations.step(row, Preparing.HANDED_IN)
    row.handed_at, row.said = uow.now, command.said
    uow.log(
        Act.HAND_IN_A_COURSE,
        course.id,
        f"{i.name} handed {course.title} in{': ' + command.said if command.said else ''}",
    )
    return preparations.done_by(uow, i, row, course)


def take_back(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnPreparation:
    """Take back what was handed in, before anybody has decided."""
    i = own.instructor_of(uow, person)
    row, course = preparations.locked(uow, preparations.own_row(uow, i, preparation_id))
    preparations.step(row, Preparing.DRAFT)
    uow.log(Act.PREPARE_A_COURSE, course.id, f"{i.name} took {course.title} back to go on with it")
    return preparations.done_by(uow, i, row, course)


def drop(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnCourses:
    """Give a preparation up: its draft runs are put away, and the text is what it was when it was begun, in the fields that nobody of the
    office has written since."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    for run in preparations.runs_of(uow, row):
        if run.status is RunStatus.DRAFT:
            lifecycle.archive(uow, run.id)
    now = texts.kept(texts.text_of(course.draft))
    still = {name for name, value in row.wrote.items() if now[name] == value}
    course.draft = {**now, **{name: row.before[name] for name in still if name in row.before}}
    texts.settle_pending(uow, course)
    preparations.step(row, Preparing.DROPPED)
    row.decided_at = uow.now
    uow.log(Act.PREPARE_A_COURSE, course.id, f"{i.name} gave the preparation of {course.title} up")
    preparations.sign(uow, i)
    return listed(uow, person)


def publish_own(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnCourses:
    """Publish what one has prepared without the office: for those whom the center trusts with it."""
    i = own.instructor_of(uow, person)
    if not i.publishes:
        raise Problem(403, "forbidden", "The office publishes what you hand in.")
    row, course = preparations.locked(uow, preparations.own_row(uow, i, preparation_id))
    if row.status is not Preparing.HANDED_IN:
        preparations.step(row, Preparing.HANDED_IN)
        row.handed_at = uow.now
    preparations.make_public(uow, row, course)
    uow.log(Act.PUBLISH_PREPARED, course.id, f"{i.name} published {course.title}")
    preparations.sign(uow, i)
    return listed(uow, person)
