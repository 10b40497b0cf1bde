"""Finding people, and everything about one of them."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import joinedload

from archgate.actions.access import own_pages
from archgate.actions.across.views import PersonFound, PersonPage, StaffNumber
from archgate.actions.enrolling import of_person
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.messages.views import MessageOut
from archgate.actions.money import accounts
from archgate.actions.money.views import Owed
from archgate.actions.people import people, words
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.people import Organization, Person, PersonNumber
from archgate.tables.roster import Enrollment
from archgate.tables.teaching import Instructor


def find_people(uow: UnitOfWork, q: str, limit: int = 8) -> list[PersonFound]:
    """People who have a word that begins with each word typed: in the name, the email or as the end of the phone number; case
    and accents do not count."""
    if q.strip():
        found = words.ids_found(uow, q, limit)
        query = select(Person).where(Person.id.in_(found or [0]))
    else:
        query = select(Person).where(Person.there())
    rows = uow.session.scalars(query.order_by(Person.family, Person.given, Person.id).limit(limit)).all()
    ids = [p.id for p in rows]
    runs: dict[int, int] = {}
    if ids:
        counted = select(Enrollment.person_id, func.count()).group_by(Enrollment.person_id)
        live = counted.where(Enrollment.person_id.in_(ids), Enrollment.live == 1)
        runs = {person: number for person, number in uow.session.execute(live)}  # noqa: C416
    owed = accounts.owed_by(uow, ids)
    return [
        people.person_view(p).widened(PersonFound, runs=runs.get(p.id, 0), **dict(owed.get(p.id, Owed())))
        for p in rows
    ]


def person_page(uow: UnitOfWork, person_id: int) -> PersonPage:
    """Everything about one person but the log: runs past and coming, places in line, what is owed, notes."""
    person = people.get_person(uow, person_id)
    return PersonPage(
        **dict(people.person_view(person)),
        **dict(accounts.owed_by(uow, [person.id]).get(person.id, Owed())),
        currency=uow.center.currency,
        health=person.health,
        numbers=person_numbers(uow, person),
        tags=people.tags_of(uow, [person.id]).get(person.id, []),
        enrollments=of_person.enrollments_of(uow, person),
        waiting=of_person.waiting_of(uow, person),
        notes=people.notes_of(uow, person),
        own_page=own_pages.state_of(uow, person_id),
        instructor_id=uow.session.scalar(select(Instructor.id).where(Instructor.person_id == person.id)),
    )


def person_numbers(uow: UnitOfWork, person: Person) -> list[StaffNumber]:
    query = select(PersonNumber, Organization.name).outerjoin(
        Organization, Organization.id == PersonNumber.organization_id
    )
    rows = uow.session.execute(query.where(PersonNumber.person_id == person.id))
    return [
        StaffNumber(organization=name or uow.center.name, number=n.number, department=n.department)
        for n, name in rows
    ]


def messages_of(uow: UnitOfWork, person_id: int) -> list[MessageOut]:
    """What was written to somebody, newest first, also under a record that was merged into theirs."""
    person = people.get_person(uow, person_id)
    ids = [person.id, *uow.session.scalars(select(Person.id).where(Person.merged_into_id == person.id))]
    query = select(Message).join(Job).options(joinedload(Message.job)).where(Message.person_id.in_(ids))
    rows = uow.session.scalars(query.order_by(Message.id.desc()).limit(100))
    return [messages.message_view(uow, m) for m in rows]
