"""Who teaches: instructors by name, and put to runs, patterns and meetings."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TypeAlias, TypeVar

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule.asking import ask_first
from archgate.core.faults import refuse
from archgate.core.names import digits_of, folded, split_name
from archgate.core.states import Part
from archgate.core.teaching import MOST_TEACHERS, Taught, read_taught, taught_text
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.schedule import Meeting, MeetingPattern
from archgate.tables.teaching import Instructor, MeetingTeacher, PatternTeacher, RunTeacher

Teacher: TypeAlias = RunTeacher | PatternTeacher | MeetingTeacher
Owner: TypeAlias = Run | MeetingPattern | Meeting


@dataclass(frozen=True)
class Assigned:
    """Somebody put to teach, and their part."""

    instructor: Instructor
    part: Part = Part.LEAD


def assigned_of(owner: Owner) -> tuple[Assigned, ...]:
    return tuple(Assigned(t.instructor, t.part) for t in owner.teachers)


def text_of(assigned: Iterable[Assigned | Teacher]) -> str:
    """Those who teach, as people write them: "I. Marchetti; P. Hallam (assistant)"."""
    return taught_text(Taught(a.instructor.name, a.part) for a in assigned)


def names_of(owner: Owner) -> tuple[str, ...]:
    """The same, each by themselves, as schedules are planned with them."""
    return tuple(Taught(t.instructor.name, t.part).text for t in owner.teachers)


def read_names(texts: str | Iterable[str] | None) -> tuple[Taught, ...]:
    """The names of one text or several. Raises Refused when they are too many for a meeting."""
    joined = texts if isinstance(texts, str) else "; ".join(texts or ())
    taught = read_taught(joined)
    if len(taught) > MOST_TEACHERS:
        raise refuse("/instructor", f"At most {MOST_TEACHERS} people teach together.")
    return taught


def named(uow: UnitOfWork, texts: str | Iterable[str] | None) -> tuple[Assigned, ...]:
    """The instructors of these names; new ones are added, once whoever named them was asked (`UnitOfWork.new_names`)."""
    return tuple(Assigned(instructor_named(uow, t.name), t.part) for t in read_names(texts))


def instructor_named(uow: UnitOfWork, name: str) -> Instructor:
    """The instructor of this name; a new one is a new person, too."""
    instructor = uow.session.scalar(select(Instructor).where(Instructor.name == name))
    if instructor is None:
        ask_first(uow, "instructor", name)
        instructor = Instructor(name=name, hours=[], person=person_by_name(uow, name))
        uow.session.add(instructor)
        uow.session.flush()
    return instructor


def person_by_name(uow: UnitOfWork, name: str, email: str | None = None, phone: str | None = None) -> Person:
    """A new person by the name under which they are to teach."""
    given, family = split_name(name)
    whole = f"{given} {family}".strip()
    return Person(
        given=given, family=family, name=whole, folded=folded(whole), email=email, phone=phone,
        digits=digits_of(phone) or None, note="", created_at=uow.now,
    )  # fmt: skip


K = TypeVar("K", RunTeacher, PatternTeacher, MeetingTeacher)


def rows_for(kind: type[K], assigned: Iterable[Assigned], held: Iterable[K] = ()) -> list[K]:
    """The rows of those who teach, in their order; whoever was there keeps their row."""
    rows = {row.instructor_id: row for row in held}
    wanted = {a.instructor.id: a for a in assigned}
    made = []
    for n, (number, a) in enumerate(wanted.items(), 1):
        row = rows.get(number)
        if row is None:
            row = kind(instructor_id=number, instructor=a.instructor, part=a.part, n=n)
        row.part, row.n = a.part, n
        made.append(row)
    return made


def put(owner: Owner, assigned: Sequence[Assigned]) -> None:
    """Have these teach a run, a pattern or a meeting, in this order, and nobody else."""
    match owner:
        case Run():
            owner.teachers = rows_for(RunTeacher, assigned, owner.teachers)
        case MeetingPattern():
            owner.teachers = rows_for(PatternTeacher, assigned, owner.teachers)
        case Meeting():
            owner.teachers = rows_for(MeetingTeacher, assigned, owner.teachers)


def names_by_id(uow: UnitOfWork, ids: Iterable[int]) -> dict[int, str]:
    query = select(Instructor.id, Instructor.name).where(Instructor.id.in_(set(ids)))
    return {number: name for number, name in uow.session.execute(query)}  # noqa: C416
