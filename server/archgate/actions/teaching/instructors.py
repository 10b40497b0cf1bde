"""Instructors: people of the center with what only teachers have."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from decimal import Decimal

from sqlalchemy import select, update

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import amount_of
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Done
from archgate.actions.people import people
from archgate.actions.schedule import clashes, teachers
from archgate.actions.schedule.commands import HoursForm
from archgate.actions.seats import seats
from archgate.actions.teaching.commands import (
    InstructorCommand,
    MergeInstructorsCommand,
    PayForm,
    QualificationForm,
)
from archgate.actions.teaching.views import InstructorOut, InstructorsMerged, PayOut, QualificationOut
from archgate.core.clashes import read_hours
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import decimal_text, format_amount
from archgate.core.names import digits_of
from archgate.core.rights import Right
from archgate.core.states import Employment, PayKind
from archgate.core.teaching import Can, hours_text, read_taught
from archgate.papers import apart
from archgate.tables.base import Base
from archgate.tables.courses import Course
from archgate.tables.own_pages import OwnPage
from archgate.tables.people import Person
from archgate.tables.schedule import Feed, Meeting, MeetingPattern
from archgate.tables.teaching import (
    Agreement,
    Application,
    BusyTime,
    CoverCall,
    CoverLine,
    CoverPlan,
    EvaluationAnswer,
    Instructor,
    InstructorPicture,
    MeetingTeacher,
    PatternTeacher,
    PayLine,
    PayRequest,
    PayTerm,
    Preparation,
    Qualification,
    RunTeacher,
)

LARGEST_PICTURE = 8 * 1024 * 1024


def get_instructor(uow: UnitOfWork, instructor_id: int, to_change: bool = False) -> Instructor:
    row = (
        lock_row(uow, Instructor, instructor_id) if to_change else uow.session.get(Instructor, instructor_id)
    )
    if row is None:
        raise not_found("This instructor")
    return row


# --- shown ------------------------------------------------------------------------------------------------

PAY_WORDS = {
    PayKind.HOUR: "an hour",
    PayKind.MEETING: "a meeting",
    PayKind.FLAT: "for the run",
    PayKind.HEAD: "a head",
    PayKind.SHARE: "of the income",
}


def pay_view(kind: PayKind | None, amount: int, percent: Decimal, currency: str) -> PayOut | None:
    """How somebody is paid, in figures and in words; None where it is to be agreed."""
    if kind is None:
        return None
    share = kind is PayKind.SHARE
    figure = f"{decimal_text(percent)} %" if share else format_amount(amount, currency)
    return PayOut(
        kind=kind,
        amount=None if share else format_amount(amount, currency),
        percent=decimal_text(percent) if share else None,
        text=f"{figure} {PAY_WORDS[kind]}",
    )


def list_instructors(uow: UnitOfWork) -> list[InstructorOut]:
    return views_of(uow, uow.session.scalars(select(Instructor).order_by(Instructor.name)).all())


def views_of(uow: UnitOfWork, rows: Sequence[Instructor]) -> list[InstructorOut]:
    """Instructors with what they can teach, by a fixed number of statements."""
    ids = [i.id for i in rows]
    query = select(Qualification, Course.title).outerjoin(Course, Course.id == Qualification.course_id)
    query = query.where(Qualification.instructor_id.in_(ids)).order_by(Qualification.id)
    can: dict[int, list[QualificationOut]] = {}
    for row, title in uow.session.execute(query):
        shown = QualificationOut(
            course_id=row.course_id, course=title, category=row.category or None, level=row.level
        )
        can.setdefault(row.instructor_id, []).append(shown)
    with_picture = pictured(uow, ids)
    paged = set(
        uow.session.scalars(
            select(OwnPage.person_id).where(OwnPage.person_id.in_([i.person_id for i in rows]))
        )
    )
    return [
        InstructorOut(
            id=i.id,
            person_id=i.person_id,
            name=i.name,
            full_name=i.person.name,
            email=i.email,
            phone=i.phone,
            employment=i.employment,
            biography=i.biography,
            picture=i.id in with_picture,
            hours=[HoursForm.model_validate(h) for h in i.hours],
            most_hours=None if i.most_minutes is None else hours_text(i.most_minutes),
            pay=pay_view(i.pay_kind, i.pay_amount, i.pay_percent, uow.center.currency),
            qualifications=can.get(i.id, []),
            active=i.active,
            publishes=i.publishes,
            has_page=i.person_id in paged,
        )
        for i in rows
    ]


def instructor_view(uow: UnitOfWork, instructor_id: int) -> InstructorOut:
    return views_of(uow, [get_instructor(uow, instructor_id)])[0]


def cans_of(uow: UnitOfWork, ids: Iterable[int] | None = None) -> dict[int, list[Can]]:
    """What is written down that each of these, or everybody, can teach."""
    query = select(Qualification)
    if ids is not None:
        query = query.where(Qualification.instructor_id.in_(set(ids)))
    can: dict[int, list[Can]] = {}
    for row in uow.session.scalars(query):
        can.setdefault(row.instructor_id, []).append(Can(row.course_id, row.category, row.level))
    return can


# --- added and changed ------------------------------------------------------------------------------------


def save(uow: UnitOfWork, instructor_id: int | None, command: InstructorCommand) -> InstructorOut:
    """Add an instructor, or change one: a new person, or with `person_id` one who is known already."""
    row = get_instructor(uow, instructor_id, to_change=True) if instructor_id else None
    if row is not None and command.person_id not in (None, row.person_id):
        raise refuse("/person_id", "This instructor is another person; merge the two people instead.")
    person = person_for(uow, row, command)
    faults: list[Fault] = []
    name = " ".join((command.name or (row.name if row else person.name if person else "")).split())
    check_name(uow, row, name, faults)
    facts = pay_facts(command.pay, uow.center.currency, "/pay", faults) if command.pay else None
    hours = checked_hours(command.hours, faults)
    most = minutes_of(command.most_hours)
    if most is not None and not 1 <= most <= 7 * 24 * 60:
        faults.append(Fault("/most_hours", "A week has up to 168 hours, and somebody teaches some of them."))
    email, phone = command.email, command.phone
    faults += people.contact_faults(email, phone)
    check_qualifications(uow, command.qualifications, faults)
    if faults:
        raise Refused(faults)
    new = row is None
    if row is None:
        row = Instructor(name=name, hours=[], person=person or teachers.person_by_name(uow, name))
        uow.session.add(row)
    else:
        lock_row(uow, Person, row.person_id)
    given = command.model_fields_set
    if "email" in given:
        row.person.email = email or None
    if "phone" in given:
        row.person.phone, row.person.digits = phone or None, digits_of(phone or "") or None
    row.name = name
    row.employment = command.employment or row.employment or Employment.FREELANCE
    if command.biography is not None:
        row.biography = command.biography
    if "hours" in given:
        row.hours = hours
    if "most_hours" in given:
        row.most_minutes = most
    if "pay" in given:
        row.pay_kind, row.pay_amount, row.pay_percent = facts or (None, 0, Decimal(0))
    row.active = row.active if command.active is None else command.active
    if command.publishes is not None and command.publishes != bool(row.publishes):
        uow.need(Right.PUBLISH)  # nobody lets others do what they may not do themselves
        row.publishes = command.publishes
    uow.session.flush()
    if command.qualifications is not None:
        set_qualifications(uow, row, command.qualifications)
    act = Act.ADD_AN_INSTRUCTOR if new else Act.CHANGE_AN_INSTRUCTOR
    uow.log(act, row.id, f"{'Added' if new else 'Changed'} {name}")
    uow.session.refresh(row)
    return instructor_view(uow, row.id)


def person_for(uow: UnitOfWork, row: Instructor | None, command: InstructorCommand) -> Person | None:
    """Whom a new instructor is; None: somebody new."""
    if row is not None or command.person_id is None:
        return row.person if row else None
    person = people.get_person(uow, command.person_id, to_change=True)
    people.refuse_merged(uow, person)
    other = uow.session.scalar(select(Instructor).where(Instructor.person_id == person.id))
    if other is not None:
        raise refuse("/person_id", f"{person.name} is an instructor already, as {other.name}.")
    return person


def check_name(uow: UnitOfWork, row: Instructor | None, name: str, faults: list[Fault]) -> None:
    twin = uow.session.scalar(select(Instructor).where(Instructor.name == name)) if name else None
    if not name:
        faults.append(Fault("/name", "The name is missing."))
    elif twin and twin is not row:
        faults.append(Fault("/name", f"There is an instructor named {twin.name} already."))
    elif [t.name for t in read_taught(name)] != [name]:
        sentence = (
            "A name has no semicolon, and no part in brackets: those stand between and behind several names."
        )
        faults.append(Fault("/name", sentence))


def checked_hours(forms: list[HoursForm] | None, faults: list[Fault]) -> list[dict[str, str]]:
    hours = [h.model_dump(mode="json", by_alias=True) for h in forms or []]
    try:
        read_hours(hours)
    except Refused as wrong:
        faults += wrong.faults
    return hours


def minutes_of(hours: str | None) -> int | None:
    """Hours as typed, in minutes; more than a year's are as good as too many."""
    return None if hours is None else int(min(Decimal(hours), Decimal(10_000)) * 60)


def pay_facts(form: PayForm, currency: str, at: str, faults: list[Fault]) -> tuple[PayKind, int, Decimal]:
    """The kind, the amount and the percent of a form of pay; what is wrong goes to the faults."""
    share = form.kind is PayKind.SHARE
    if share and form.percent is None:
        faults.append(Fault(f"{at}/percent", "Say how many percent."))
    if not share and form.amount is None:
        faults.append(Fault(f"{at}/amount", "Say how much."))
    amount = amount_of(form.amount, currency, f"{at}/amount", faults) or 0
    return form.kind, 0 if share else amount, Decimal(form.percent or 0) if share else Decimal(0)


def check_qualifications(uow: UnitOfWork, forms: list[QualificationForm] | None, faults: list[Fault]) -> None:
    known = set(uow.session.scalars(select(Course.id))) if forms else set()
    for n, form in enumerate(forms or []):
        at = f"/qualifications/{n}"
        if (form.course_id is None) == (not form.category):
            faults.append(Fault(at, "Say a course or a category."))
        elif form.course_id is not None and form.course_id not in known:
            faults.append(Fault(at, "This course is not there."))


def set_qualifications(uow: UnitOfWork, row: Instructor, forms: list[QualificationForm]) -> None:
    """Write down what somebody can teach; each course and category once, the last said of it stands."""
    wanted = {(f.course_id, (f.category or "").strip()): f.level for f in forms}
    held = uow.session.scalars(select(Qualification).where(Qualification.instructor_id == row.id)).all()
    for old in held:
        level = wanted.pop((old.course_id, old.category), None)
        if level is None:
            uow.session.delete(old)
        else:
            old.level = level
    for (course_id, category), level in wanted.items():
        uow.session.add(
            Qualification(instructor_id=row.id, course_id=course_id, category=category, level=level)
        )
    uow.session.flush()


# --- the picture ------------------------------------------------------------------------------------------


def pictured(uow: UnitOfWork, ids: Iterable[int]) -> set[int]:
    """Those of these who have a picture; the pictures themselves are not read."""
    query = select(InstructorPicture.instructor_id)
    return set(uow.session.scalars(query.where(InstructorPicture.instructor_id.in_(set(ids)))))


def set_picture(uow: UnitOfWork, instructor_id: int, content: bytes | None) -> Done:
    """Keep a picture, made anew from what was given and small; or take it out."""
    row = get_instructor(uow, instructor_id, to_change=True)
    held = uow.session.get(InstructorPicture, instructor_id)
    if content is None:
        if held is None:
            raise conflict("no-picture", f"{row.name} has no picture.")
        uow.session.delete(held)
    elif held is None:
        uow.session.add(InstructorPicture(instructor_id=instructor_id, content=content, at=uow.now))
    else:
        held.content, held.at = content, uow.now
    said = "Took out the picture of" if content is None else "Set the picture of"
    return Done(change=uow.log(Act.CHANGE_ONE_S_OWN, instructor_id, f"{said} {row.name}").key)


def picture_made(content: bytes) -> bytes:
    """A picture as it is kept. Raises Refused at /file for what is none."""
    if not content:
        raise refuse("/file", "The file is empty.")
    if len(content) > LARGEST_PICTURE:
        raise refuse("/file", f"A picture has at most {LARGEST_PICTURE // 1024 // 1024} MB.")
    return apart.picture_of(content)


def picture_of(uow: UnitOfWork, instructor_id: int) -> io.BytesIO:
    held = uow.session.get(InstructorPicture, instructor_id)
    if held is None:
        raise not_found("This picture")
    return io.BytesIO(held.content)


# --- two records of one -----------------------------------------------------------------------------------


def merge(uow: UnitOfWork, kept_id: int, command: MergeInstructorsCommand) -> InstructorsMerged:
    """Put everything of one instructor onto another: meetings, absences, pay, papers, answers. Their people stay two; merge
    those, too, if they are one. The runs of both are locked first."""
    if kept_id == command.gone_id:
        raise Problem(422, "same-record", "This is one record already.")
    both = {n: get_instructor(uow, n, to_change=True) for n in sorted({kept_id, command.gone_id})}
    kept, gone = both[kept_id], both[command.gone_id]
    for run_id in runs_of(uow, gone.id):
        seats.run_to_change(uow, run_id)
    moved = move_everything(uow, kept, gone)
    retire(uow, gone)
    uow.touched.instructors.update((kept.id, gone.id))
    change = uow.log(Act.MERGE_INSTRUCTORS, kept.id, f"{gone.name} is {kept.name}")
    rows = clashes.rows_of(uow, clashes.held().where(clashes.taught_by(kept.id), Meeting.ends_at > uow.now))
    found = [c for c in clashes.worded(uow, clashes.found_among(uow, rows)) if c.kind == "instructor"]
    return InstructorsMerged(
        change=change.key, kept=kept.name, gone=gone.name, moved=moved, clashes=found[:20]
    )


def retire(uow: UnitOfWork, gone: Instructor) -> None:
    """Keep a merged record for the log alone, under another name."""
    gone.active, gone.name = False, free_name(uow, gone.name)
    uow.session.flush()


def of_people(uow: UnitOfWork, person_ids: Iterable[int]) -> dict[int, Instructor]:
    """The instructors that some people are, by person, their rows locked in order."""
    query = select(Instructor).where(Instructor.person_id.in_(set(person_ids))).order_by(Instructor.id)
    return {i.person_id: i for i in uow.session.scalars(query.with_for_update(of=Instructor))}


def free_name(uow: UnitOfWork, name: str) -> str:
    """A name under which a merged record is kept for the log; its own may be given again."""
    stem = f"{name} [merged"
    taken = set(
        uow.session.scalars(select(Instructor.name).where(Instructor.name.startswith(stem, autoescape=True)))
    )
    return next(n for k in range(1, 1000) if (n := f"{stem} {k}]"[:200]) not in taken)


def runs_of(uow: UnitOfWork, instructor_id: int) -> list[int]:
    """The runs that somebody teaches, or is paid for, by id."""
    meetings = (
        select(Meeting.run_id).join(MeetingTeacher).where(MeetingTeacher.instructor_id == instructor_id)
    )
    patterns = (
        select(MeetingPattern.run_id)
        .join(PatternTeacher)
        .where(PatternTeacher.instructor_id == instructor_id)
    )
    parts = [
        select(table.run_id).where(table.instructor_id == instructor_id) for table in (RunTeacher, PayTerm)
    ]
    return sorted({*uow.session.scalars(meetings.union(patterns, *parts))})


WORDS: tuple[tuple[str, type[Base], str], ...] = (
    ("meetings", MeetingTeacher, "meeting_id"),
    ("patterns", PatternTeacher, "pattern_id"),
    ("runs", RunTeacher, "run_id"),
    ("terms of pay", PayTerm, "run_id"),
    ("calls", CoverCall, "meeting_id"),
    ("absences", BusyTime, ""),
    ("lines of pay", PayLine, ""),
    ("pay requests", PayRequest, ""),
    ("agreements", Agreement, ""),
    ("lines of proposals", CoverLine, ""),
    ("proposals", CoverPlan, ""),
    ("answers of learners", EvaluationAnswer, ""),
    ("applications", Application, ""),
    ("preparations", Preparation, ""),
    ("qualifications", Qualification, ""),
)


def move_everything(uow: UnitOfWork, kept: Instructor, gone: Instructor) -> list[str]:
    """Give one record what the other has; where both have it, the kept one's stands. What was moved, in words."""
    moved = []
    for word, table, key in WORDS:
        rows = uow.session.scalars(select(table).where(table.__table__.c.instructor_id == gone.id)).all()
        own = (
            set(
                uow.session.scalars(
                    select(table.__table__.c[key]).where(table.__table__.c.instructor_id == kept.id)
                )
            )
            if key
            else set()
        )
        number = 0
        for row in rows:
            if key and getattr(row, key) in own:
                uow.session.delete(row)
                continue
            row.instructor_id = kept.id  # type: ignore[attr-defined]  # every one of these tables has it
            number += 1
        if number:
            moved.append(f"{number} {word}")
    uow.session.flush()
    uow.session.expire_all()
    held = uow.session.get(InstructorPicture, kept.id)
    if held is None:
        uow.session.execute(
            update(InstructorPicture)
            .where(InstructorPicture.instructor_id == gone.id)
            .values(instructor_id=kept.id)
        )
    for feed in uow.session.scalars(
        select(Feed).where(Feed.kind == "instructor", Feed.subject_id == gone.id)
    ):
        uow.session.delete(feed)
    kept.biography = kept.biography or gone.biography
    return moved
