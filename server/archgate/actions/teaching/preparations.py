"""What a preparation is: whose, in whose hand, what stands in it, and how it becomes public.

A course's draft is one text, whoever writes it: what two change at once conflicts field by field, as at the office. One preparation at a
time stands on a course, and while it does the course is published only with it, so that nothing goes public that nobody has looked at.
Whoever changes a preparation holds the course's row. What the center does not let somebody write is refused here, not only left out.
"""

from __future__ import annotations

from sqlalchemy import ColumnElement, or_, select

from archgate.actions.courses import files, texts
from archgate.actions.courses.views import TextFault
from archgate.actions.enrolling.replies import by_the_person
from archgate.actions.kernel.lookups import get_course, get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.runs import making
from archgate.actions.runs.readiness import is_unpriced, readiness
from archgate.actions.schedule import schedule
from archgate.actions.teaching import own, rules
from archgate.actions.teaching.commands import OwnPattern
from archgate.actions.teaching.preparing_views import OwnPreparation, PreparedDate, PreparedRunOut
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.preparation import LIVE, WRITES, can_become, fields_of
from archgate.core.states import PrepareRight, Preparing, RunStatus, Weekday
from archgate.tables.courses import Course, Run
from archgate.tables.people import Person
from archgate.tables.schedule import Meeting, Place
from archgate.tables.teaching import Instructor, MeetingTeacher, Preparation, PreparedRun, RunTeacher

SHOWN = 200


def rights_of(uow: UnitOfWork, i: Instructor) -> list[PrepareRight]:
    """What an instructor may prepare, as the center has it."""
    return [right for right in PrepareRight if rules.may(uow, i, right.value)]


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


def runs_of(uow: UnitOfWork, row: Preparation) -> list[Run]:
    """The runs of a preparation that nobody has put away."""
    query = (
        select(Run)
        .join(PreparedRun, PreparedRun.run_id == Run.id)
        .where(PreparedRun.preparation_id == row.id, Run.status != RunStatus.ARCHIVED)
    )
    return list(uow.session.scalars(query.order_by(Run.id)))


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
        price=format_amount(amounts[0], run.currency) if amounts else None, currency=run.currency, lacks=lacks,
        note=run.note, pattern=pattern_of(run),
        dates=[PreparedDate(meeting_id=m.id, day=m.date, start=m.start, minutes=m.minutes) for m in held],
    )  # fmt: skip


def pattern_of(run: Run) -> OwnPattern | None:
    """The one pattern that a run's dates come from, where it counts meetings week by week; None: the office planned them otherwise."""
    if len(run.patterns) != 1:
        return None
    row = run.patterns[0]
    if row.count is None or row.every_weeks != 1:
        return None
    return OwnPattern(
        first=row.first, start=row.start, minutes=row.minutes, weekdays=[Weekday(w) for w in row.weekdays.split(",")],
        count=row.count,
    )  # fmt: skip


def changed_labels(row: Preparation, course: Course) -> list[str]:
    now = texts.fields_of(course.title, texts.text_of(course.draft))
    return [label for name, label in texts.LABELS.items() if row.before.get(name) != now[name]]


def course_changed(row: Preparation, course: Course) -> bool:
    return row.before != texts.fields_of(course.title, texts.text_of(course.draft))


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


def sign(uow: UnitOfWork, i: Instructor) -> None:
    """What was done is the instructor's own, by name."""
    for change in uow.entries:
        if i.name not in change.summary:
            change.summary = f"{i.name}: {change.summary}"
    by_the_person(uow)


def done_by(uow: UnitOfWork, i: Instructor, row: Preparation, course: Course) -> OwnPreparation:
    sign(uow, i)
    return own_view(uow, i, row, course)
