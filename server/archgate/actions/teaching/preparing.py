"""Courses and runs that instructors prepare: begun, written, handed in, returned, published or finished by the office.

A course's draft is one text, whoever writes it: what two change at once conflicts field by field, as at the office. One preparation at a
time stands on a course, and while it does the course is published only with it, so that nothing goes public that nobody has looked at.
Whoever changes a preparation holds the course's row. What the center does not let somebody write is refused here, not only left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import TypeAlias

from sqlalchemy import ColumnElement, UnaryExpression, func, or_, select
from sqlalchemy.orm import InstrumentedAttribute, undefer

from archgate.actions.courses import courses, files, texts
from archgate.actions.courses.commands import CourseForm, TextPatch
from archgate.actions.courses.views import PictureOut, TextChanged, TextFault
from archgate.actions.enrolling.replies import by_the_person
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_course, get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.messages import messages
from archgate.actions.runs import lifecycle, making, moving
from archgate.actions.runs.commands import MoveRunCommand, RunCommand, RunFacts, RunPatch
from archgate.actions.runs.readiness import is_unpriced, readiness
from archgate.actions.schedule import schedule
from archgate.actions.teaching import own, rules
from archgate.actions.teaching.commands import (
    HandInCommand,
    OwnRunCommand,
    OwnRunPatch,
    PrepareCommand,
    ReturnCommand,
    TitleCommand,
)
from archgate.actions.teaching.views import (
    CoursePreparation,
    OwnCourse,
    OwnCourses,
    OwnPreparation,
    PreparationDone,
    PreparationLine,
    PreparationOut,
    Preparations,
    PreparedRunOut,
)
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.preparation import LIVE, WRITES, can_become, fields_of, out_of_reach
from archgate.core.states import PrepareRight, Preparing, RunStatus
from archgate.documents.reader import Document
from archgate.papers.letters.occasions import PreparationPublished, PreparationReturned
from archgate.papers.letters.writing import written
from archgate.papers.pictures import Sizes
from archgate.tables.courses import Course, Run
from archgate.tables.people import Person
from archgate.tables.schedule import Meeting, Place
from archgate.tables.teaching import Instructor, MeetingTeacher, Preparation, PreparedRun, RunTeacher

Ordering: TypeAlias = (
    ColumnElement[bool]
    | InstrumentedAttribute[int]
    | InstrumentedAttribute[datetime | None]
    | UnaryExpression[datetime | None]
)
MOST_LIVE, MOST_RUNS, SHOWN, DECIDED = 20, 12, 200, 20
NO_PRICE = "0.00"  # until the office says it
AT_ONCE: Document = {"name": "At sign-up", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}
ASK = "The center does this for you; please ask at the office."


def rights_of(uow: UnitOfWork, i: Instructor) -> list[PrepareRight]:
    """What an instructor may prepare, as the center has it."""
    return [right for right in PrepareRight if rules.may(uow, i, right.value)]


# --- whose it is ------------------------------------------------------------------------------------------------


def own_courses(i: Instructor) -> ColumnElement[bool]:
    """The courses that are somebody's own: of runs they teach, and those they have prepared."""
    teaches = (
        select(Run.course_id)
        .join(RunTeacher, RunTeacher.run_id == Run.id)
        .where(RunTeacher.instructor_id == i.id)
    )
    held = (
        select(Run.course_id)
        .join(Meeting, Meeting.run_id == Run.id)
        .join(MeetingTeacher, MeetingTeacher.meeting_id == Meeting.id)
        .where(MeetingTeacher.instructor_id == i.id)
    )
    prepared = select(Preparation.course_id).where(Preparation.instructor_id == i.id)
    return or_(Course.id.in_(teaches), Course.id.in_(held), Course.id.in_(prepared))


def own_row(uow: UnitOfWork, i: Instructor, preparation_id: int) -> Preparation:
    """A preparation of one's own that is not over; any other is not there."""
    row = uow.session.get(Preparation, preparation_id)
    if row is None or row.instructor_id != i.id or row.status not in LIVE:
        raise not_found("This preparation")
    return row


def to_write(uow: UnitOfWork, person: Person, preparation_id: int) -> tuple[Instructor, Preparation, Course]:
    """The same with the course's lock, in the hand of whoever prepares it."""
    i = own.instructor_of(uow, person)
    row, course = locked(uow, own_row(uow, i, preparation_id))
    if row.status not in WRITES:
        raise conflict("handed-in", f"{course.title} is with the office; take it back to change it.")
    return i, row, course


def locked(uow: UnitOfWork, row: Preparation) -> tuple[Preparation, Course]:
    course = get_course(uow, row.course_id, to_change=True)
    lock_row(uow, Preparation, row.id)
    return row, course


def live_of(uow: UnitOfWork, course_id: int) -> Preparation | None:
    query = select(Preparation).where(Preparation.course_id == course_id, Preparation.live == 1)
    return uow.session.scalar(query)


def step(row: Preparation, to: Preparing) -> None:
    """Take a step, or say where it stands."""
    if not can_become(row.status, to):
        raise conflict("moved-on", f"This is {row.status} by now.")
    row.status = to


# --- by the instructor ------------------------------------------------------------------------------------------


def listed(uow: UnitOfWork, person: Person) -> OwnCourses:
    """One's own courses, those in preparation first."""
    i = own.instructor_of(uow, person)
    query = (
        select(Course, Preparation, Instructor.name)
        .outerjoin(Preparation, (Preparation.course_id == Course.id) & (Preparation.live == 1))
        .outerjoin(Instructor, Instructor.id == Preparation.instructor_id)
        .where(own_courses(i))
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
    return OwnCourses(courses=found, rights=rights_of(uow, i), publishes=i.publishes)


def begin(uow: UnitOfWork, person: Person, command: PrepareCommand) -> OwnPreparation:
    """Begin to prepare one's own course, or a new one. Begun twice, it is the same."""
    i = own.instructor_of(uow, person, to_change=True)
    if not rights_of(uow, i):
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
    there = live_of(uow, course.id)
    if there is not None and there.instructor_id == i.id:
        return own_view(uow, i, there, course)
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
    return own_view(uow, i, row, course)


def own_course(uow: UnitOfWork, i: Instructor, course_id: int) -> Course:
    """A course of one's own, locked; any other is not there."""
    if uow.session.scalar(select(Course.id).where(Course.id == course_id, own_courses(i))) is None:
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
    row = own_row(uow, i, preparation_id)
    return own_view(uow, i, row, get_course(uow, row.course_id))


def write(uow: UnitOfWork, person: Person, preparation_id: int, command: TextPatch) -> OwnPreparation:
    """Save some fields of the course's draft, as far as the center lets whoever prepares it."""
    i, row, course = to_write(uow, person, preparation_id)
    names = command.set.model_fields_set
    refuse_out_of_reach(names, rights_of(uow, i))
    texts.write(uow, course.id, command)
    now = texts.kept(texts.text_of(course.draft))
    row.wrote = {**row.wrote, **{name: now[name] for name in names}}
    return done_by(uow, i, row, course)


def refuse_out_of_reach(names: set[str], rights: list[PrepareRight]) -> None:
    beyond = out_of_reach(names, rights)
    if beyond:
        raise Refused([Fault(f"/set/{name}", ASK) for name in beyond])


def retitle(uow: UnitOfWork, person: Person, preparation_id: int, command: TitleCommand) -> OwnPreparation:
    """Call a course that is not public yet otherwise."""
    i, row, course = to_write(uow, person, preparation_id)
    if course.published_n is not None or PrepareRight.TEXT not in rights_of(uow, i):
        raise refuse("/title", ASK)
    refuse_lost_update(
        {"title": command.title}, {"title": command.seen} if command.seen else {}, {"title": course.title}
    )
    course.title = command.title
    uow.log(Act.CHANGE_A_COURSE, course.id, f"Called {course.code} {course.title}")
    return done_by(uow, i, row, course)


def add_picture(uow: UnitOfWork, person: Person, preparation_id: int, made: Sizes) -> PictureOut:
    i, _, course = to_write(uow, person, preparation_id)
    if PrepareRight.PICTURES not in rights_of(uow, i):
        raise refuse("/file", ASK)
    added = files.add_picture(uow, course.id, made)
    sign(uow, i)
    return added


def hand_in(uow: UnitOfWork, person: Person, preparation_id: int, command: HandInCommand) -> OwnPreparation:
    """Hand what was prepared to the office. What keeps it from being published is said before, not after."""
    i, row, course = to_write(uow, person, preparation_id)
    faults = texts.publishing_faults(texts.text_of(course.draft)) if course_changed(row, course) else []
    if faults:
        raise Refused(faults)
    if not course_changed(row, course) and course.published_n is not None and not runs_of(uow, row):
        raise conflict("nothing", "Nothing of the course has changed, and no run is prepared.")
    step(row, Preparing.HANDED_IN)
    row.handed_at, row.said = uow.now, command.said
    uow.log(
        Act.HAND_IN_A_COURSE,
        course.id,
        f"{i.name} handed {course.title} in{': ' + command.said if command.said else ''}",
    )
    return done_by(uow, i, row, course)


def course_changed(row: Preparation, course: Course) -> bool:
    return row.before != texts.fields_of(course.title, texts.text_of(course.draft))


def take_back(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnPreparation:
    """Take back what was handed in, before anybody has decided."""
    i = own.instructor_of(uow, person)
    row, course = locked(uow, own_row(uow, i, preparation_id))
    step(row, Preparing.DRAFT)
    uow.log(Act.PREPARE_A_COURSE, course.id, f"{i.name} took {course.title} back to go on with it")
    return done_by(uow, i, row, course)


def drop(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnCourses:
    """Give a preparation up: its draft runs are put away, and the text is what it was when it was begun, in the fields that nobody of the
    office has written since."""
    i, row, course = to_write(uow, person, preparation_id)
    for run in runs_of(uow, row):
        if run.status is RunStatus.DRAFT:
            lifecycle.archive(uow, run.id)
    now = texts.kept(texts.text_of(course.draft))
    still = {name for name, value in row.wrote.items() if now[name] == value}
    course.draft = {**now, **{name: row.before[name] for name in still if name in row.before}}
    texts.settle_pending(uow, course)
    step(row, Preparing.DROPPED)
    row.decided_at = uow.now
    uow.log(Act.PREPARE_A_COURSE, course.id, f"{i.name} gave the preparation of {course.title} up")
    sign(uow, i)
    return listed(uow, person)


def sign(uow: UnitOfWork, i: Instructor) -> None:
    """What was done is the instructor's own, by name."""
    for change in uow.entries:
        if i.name not in change.summary:
            change.summary = f"{i.name}: {change.summary}"
    by_the_person(uow)


def done_by(uow: UnitOfWork, i: Instructor, row: Preparation, course: Course) -> OwnPreparation:
    sign(uow, i)
    return own_view(uow, i, row, course)


# --- their runs ---------------------------------------------------------------------------------------------------


def runs_of(uow: UnitOfWork, row: Preparation) -> list[Run]:
    """The runs of a preparation that nobody has put away."""
    query = (
        select(Run)
        .join(PreparedRun, PreparedRun.run_id == Run.id)
        .where(PreparedRun.preparation_id == row.id, Run.status != RunStatus.ARCHIVED)
    )
    return list(uow.session.scalars(query.order_by(Run.id)))


def add_run(uow: UnitOfWork, person: Person, preparation_id: int, command: OwnRunCommand) -> OwnPreparation:
    """Prepare a run of the course, taught by whoever prepares it. Without the right to prices it costs what the course's runs usually do,
    or the office says it before it is published (`readiness`)."""
    i, row, course = to_write(uow, person, preparation_id)
    if len(runs_of(uow, row)) >= MOST_RUNS:
        raise conflict("many", f"A preparation has up to {MOST_RUNS} runs.")
    if command.amount is not None and PrepareRight.PRICES not in rights_of(uow, i):
        raise refuse("/amount", ASK)
    refuse_unknown_place(uow, command.place, "/place")
    pattern: dict[str, object] = {
        "first": command.first.isoformat(), "start": f"{command.start:%H:%M}", "minutes": command.minutes, "count": command.count,
    }  # fmt: skip
    if command.weekdays:
        pattern["weekdays"] = [str(w) for w in command.weekdays]
    body: dict[str, object] = {
        "course_id": course.id, "pattern": pattern, "capacity": command.capacity, "instructor": i.name, "note": command.note,
    }  # fmt: skip
    if command.place:
        body["place"] = command.place
    usual = {**uow.center.defaults, **course.defaults}
    unpriced = command.amount is None and not usual.get("rates")
    if command.amount is not None or unpriced:
        body["rates"] = [{"amount": command.amount or NO_PRICE}]
    if not usual.get("plans"):
        body["plans"] = [AT_ONCE]
    try:
        run = making.make_run(uow, command_of(RunCommand, body))
    except Refused as refused:
        raise Refused([Fault(f.at.replace("/pattern", ""), f.message) for f in refused.faults]) from None
    uow.log(Act.MAKE_A_RUN, run.id, f"Made {run.code}, {run.title or course.title}")
    uow.session.add(PreparedRun(run_id=run.id, preparation_id=row.id, unpriced=unpriced))
    uow.session.flush()
    return done_by(uow, i, row, course)


def refuse_unknown_place(uow: UnitOfWork, name: str | None, at: str) -> None:
    """Instructors choose among the center's places; a new one is the office's to add."""
    if name and uow.session.scalar(select(Place.id).where(Place.name == name)) is None:
        raise refuse(at, f'There is no place "{name}"; the office adds places.')


def own_draft(uow: UnitOfWork, row: Preparation, run_id: int) -> Run:
    run = next((r for r in runs_of(uow, row) if r.id == run_id), None)
    if run is None or run.status is not RunStatus.DRAFT:
        raise not_found("This run")
    return run


def change_run(
    uow: UnitOfWork, person: Person, preparation_id: int, run_id: int, command: OwnRunPatch
) -> OwnPreparation:
    """Change seats or place of a run that is prepared, or move all of it to another first day."""
    i, row, course = to_write(uow, person, preparation_id)
    run = own_draft(uow, row, run_id)
    refuse_unknown_place(uow, command.set.place, "/set/place")
    given = command.set.model_fields_set
    if given:
        facts = {name: getattr(command.set, name) for name in given}
        seen = {name: getattr(command.seen, name) for name in command.seen.model_fields_set}
        patch = RunPatch(set=command_of(RunFacts, facts), seen=command_of(RunFacts, seen))
        making.change_run(uow, run.id, patch)
    if command.first is not None:
        moving.move_run(uow, run.id, command_of(MoveRunCommand, {"first": command.first.isoformat()}))
    return done_by(uow, i, row, course)


def drop_run(uow: UnitOfWork, person: Person, preparation_id: int, run_id: int) -> OwnPreparation:
    i, row, course = to_write(uow, person, preparation_id)
    lifecycle.archive(uow, own_draft(uow, row, run_id).id)
    return done_by(uow, i, row, course)


def publish_own(uow: UnitOfWork, person: Person, preparation_id: int) -> OwnCourses:
    """Publish what one has prepared without the office: for those whom the center trusts with it."""
    i = own.instructor_of(uow, person)
    if not i.publishes:
        raise Problem(403, "forbidden", "The office publishes what you hand in.")
    row, course = locked(uow, own_row(uow, i, preparation_id))
    if row.status is not Preparing.HANDED_IN:
        step(row, Preparing.HANDED_IN)
        row.handed_at = uow.now
    make_public(uow, row, course)
    uow.log(Act.PUBLISH_PREPARED, course.id, f"{i.name} published {course.title}")
    sign(uow, i)
    return listed(uow, person)


# --- by the office ------------------------------------------------------------------------------------------------


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
        status=row.status, since=uow.local(row.decided_at or row.handed_at or row.begun_at), changed=changed_labels(row, course), runs=runs,
    )  # fmt: skip


def changed_labels(row: Preparation, course: Course) -> list[str]:
    now = texts.fields_of(course.title, texts.text_of(course.draft))
    return [label for name, label in texts.LABELS.items() if row.before.get(name) != now[name]]


def of_course(uow: UnitOfWork, course_id: int) -> CoursePreparation:
    row = live_of(uow, get_course(uow, course_id).id)
    return CoursePreparation(preparation=office_view(uow, row) if row is not None else None)


def office_view(uow: UnitOfWork, row: Preparation) -> PreparationOut:
    course = get_course(uow, row.course_id)
    i = uow.session.get_one(Instructor, row.instructor_id)
    text = texts.text_of(course.draft)
    now = texts.fields_of(course.title, text)
    shown = [run_out(uow, run) for run in runs_of(uow, row)]
    return line_of(uow, row, course, i.name, len(shown)).widened(
        PreparationOut,
        said=row.said,
        word=row.word,
        fields=texts.fields_compared({**now, **row.before}, now),
        prepared=shown,
        faults=[TextFault(at=f.at, message=f.message) for f in texts.publishing_faults(text)],
        public=course.published_n is not None,
    )


def run_out(uow: UnitOfWork, run: Run) -> PreparedRunOut:
    held = schedule.ordered(run)
    amounts = [r.amount for r in run.rates if r.active]
    if not any(amounts) and is_unpriced(uow, run):
        amounts = []
    lacks = [f.message for f in readiness(uow, run) if f.error] if run.status is RunStatus.DRAFT else []
    return PreparedRunOut(
        run_id=run.id, code=run.code, status=run.status, first=held[0].date if held else run.starts_on,
        last=held[-1].date if held else run.ends_on, meetings=len(held), start=held[0].start if held else None,
        place=run.place.name if run.place else "", capacity=run.capacity,
        price=format_amount(min(amounts), run.currency) if amounts else None, currency=run.currency, lacks=lacks,
    )  # fmt: skip


def send_back(uow: UnitOfWork, preparation_id: int, command: ReturnCommand) -> PreparationDone:
    """Return what was handed in, with what is to be changed; whoever prepares it hears."""
    row, course = locked(uow, get_row(uow, preparation_id))
    step(row, Preparing.RETURNED)
    row.word, row.decided_at, row.decided_by = command.word, uow.now, uow.by
    i = uow.session.get_one(Instructor, row.instructor_id)
    change = uow.log(Act.RETURN_A_COURSE, course.id, f"Returned {course.title} to {i.name}: {command.word}")
    link = f"{signing.address()}/own/teaching?at=courses&preparation={row.id}"
    letter = PreparationReturned(uow.center.name, i.name, course.title, command.word, link)
    messages.write(uow, change, messages.to_person(i.person), written(letter))
    return office_view(uow, row).widened(PreparationDone, change=change.key)


def publish(uow: UnitOfWork, preparation_id: int) -> PreparationDone:
    """Publish the course as it was handed in, and its runs that are drafts: all of it, or nothing with every reason."""
    row, course = locked(uow, get_row(uow, preparation_id))
    runs = make_public(uow, row, course)
    i = uow.session.get_one(Instructor, row.instructor_id)
    change = uow.log(Act.PUBLISH_PREPARED, course.id, f"Published {course.title} as {i.name} prepared it")
    letter = PreparationPublished(uow.center.name, i.name, course.title, runs)
    messages.write(uow, change, messages.to_person(i.person), written(letter))
    return office_view(uow, row).widened(PreparationDone, change=change.key)


def make_public(uow: UnitOfWork, row: Preparation, course: Course) -> int:
    """Text and runs, under the course's lock; how many runs. Raises Refused with everything that is lacking."""
    step(row, Preparing.PUBLISHED)
    text = texts.text_of(course.draft)
    drafts = [run for run in runs_of(uow, row) if run.status is RunStatus.DRAFT]
    faults = texts.publishing_faults(text)
    for run in drafts:
        faults += [
            Fault(f"/runs/{run.id}{f.at}", f"{run.code}: {f.message}") for f in readiness(uow, run) if f.error
        ]
    if faults:
        raise Refused(faults)
    live = texts.live_version(uow, course)
    if live is None or texts.changed_fields(course.title, text, live):
        texts.publish(uow, course.id)
    for run in drafts:
        making.publish_run(uow, run.id)
    row.decided_at, row.decided_by = uow.now, uow.by
    uow.session.flush()
    return len(drafts)


def finish(uow: UnitOfWork, preparation_id: int) -> PreparationDone:
    """Go on with a preparation at the office: the draft and its runs are the office's from now on, in whoever's hand it was."""
    row, course = locked(uow, get_row(uow, preparation_id))
    step(row, Preparing.FINISHED)
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
    row = live_of(uow, course.id)
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


# --- what it shows ------------------------------------------------------------------------------------------------


def own_view(uow: UnitOfWork, i: Instructor, row: Preparation, course: Course) -> OwnPreparation:
    text, rights = texts.text_of(course.draft), rights_of(uow, i)
    places = select(Place.name).order_by(Place.name).limit(SHOWN)
    return OwnPreparation(
        id=row.id, course_id=course.id, title=course.title, public=course.published_n is not None, status=row.status,
        writes=row.status in WRITES, rights=rights, publishes=i.publishes, text=text, fields=sorted(fields_of(rights)),
        changed=changed_labels(row, course), pictures=files.pictures_of(uow, course.id), said=row.said, word=row.word,
        runs=[run_out(uow, get_run(uow, run.id)) for run in runs_of(uow, row)],
        faults=[TextFault(at=f.at, message=f.message) for f in texts.publishing_faults(text)],
        places=list(uow.session.scalars(places)), currency=uow.center.currency,
    )  # fmt: skip
