"""Who is on a roster beside its learners: assistants, instructors and observers."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import defer

from archgate.actions.enrolling import enrollments, freed, leaving
from archgate.actions.enrolling.commands import RoleCommand
from archgate.actions.enrolling.roster_views import WithRole
from archgate.actions.fees import fees, plans, quotes
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, money
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote
from archgate.core.states import EnrollmentStatus, Role, RunStatus
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.seats import RunSeats

# --- roles ------------------------------------------------------------------------------------------------


def refuse_role(uow: UnitOfWork, role: Role) -> None:
    """Anything but a learner is asked for by name; instructors are added only by those who may."""
    if role == "instructor" and (uow.user is None or not uow.user.may("add instructors")):
        raise Problem(403, "forbidden", "Only an administrator adds instructors to a roster.")


def add_with_role(uow: UnitOfWork, run_id: int, person_id: int, role: Role) -> WithRole:
    """Put somebody on a roster who is no learner: without a seat and without a price."""
    refuse_role(uow, role)
    if role == "learner":
        raise refuse("/role", "Learners are enrolled, with a seat and a price.")
    person, run = people.present(uow, person_id), seats.run_to_change(uow, run_id)
    if run.status in (RunStatus.CANCELLED, RunStatus.ARCHIVED):
        raise conflict("status", f"The run is {run.status}.")
    enrollments.refuse_twice(uow, run, person)
    payer = money.account_of(uow, f"person:{person.id}", run.currency)
    row = without_seat(uow, run, person, payer.id, role)
    change = uow.log(Act.ADD_TO_A_ROSTER, row.id, f"{person.name} is {role} on {run.code}", run_id=run.id)
    return on_roster(change, row)


def without_seat(uow: UnitOfWork, run: Run, person: Person, payer_id: int, role: Role) -> Enrollment:
    """Somebody on a roster without a seat and without a price, written."""
    row = Enrollment(
        run_id=run.id,
        person_id=person.id,
        payer_id=payer_id,
        rate_id=fees.rate_of(run, None).id,
        plan_id=plans.plan_of(uow, run, None).id,
        user_id=uow.user_id,
        status=EnrollmentStatus.SEATED,
        role=role,
        way_in="staff",
        heads=1,
        signed_up=uow.today,
        enrolled_at=uow.now,
        currency=run.currency,
        total=0,
        quote=AgreedQuote(run.currency, ()),
        note="",
    )
    uow.session.add(row)
    uow.session.flush()
    return row


def no_longer_learner(uow: UnitOfWork, enrollment: Enrollment, run: Run, command: RoleCommand) -> WithRole:
    """A learner stays on the roster as something else: the seat is given back, its whole charge taken back."""
    if enrollment.heads > 1:
        raise conflict(
            "party", "They signed up for others too: give the seat to somebody else of the party first."
        )
    person, paid = enrollment.person, money.paid_of(uow, [enrollment.id]).get(enrollment.id, 0)
    summary = f"{person.name} on {run.code}: learner, now {command.role}"
    leaving.end(uow, enrollment, EnrollmentStatus.OTHER_ROLE, summary)
    uow.session.flush()
    accounts.settle_with_credit(uow, accounts.get_account(uow, enrollment.payer_id, lock=True))
    row = without_seat(uow, run, person, enrollment.payer_id, command.role)
    row.came_from_id, row.group_id, row.note = enrollment.id, enrollment.group_id, enrollment.note
    uow.session.flush()
    said = freed.settle(uow, run, 1, command.seat, person.name)
    change = uow.log(Act.NO_LONGER_A_LEARNER, row.id, summary, run_id=run.id)
    text = f"{format_amount(paid, run.currency)} that was paid is credit." if paid else ""
    return on_roster(change, row).model_copy(update={"said": f"{text} {said}".strip()})


def to_learner(
    uow: UnitOfWork, enrollment: Enrollment, run: Run, locked: RunSeats, command: RoleCommand
) -> WithRole:
    """Somebody of the roster becomes a learner: a seat, if one is free, on the usual terms at today's price."""
    person, summary = (
        enrollment.person,
        f"{enrollment.person.name} on {run.code}: {enrollment.role}, now learner",
    )
    enrollment.status, enrollment.ended_at = EnrollmentStatus.OTHER_ROLE, uow.now
    uow.session.flush()
    enrollments.refuse_sign_up(uow, run, None, command.exception or "")
    resolved = quotes.resolve_ask(uow, run, Ask(heads=1), person)
    quotes.refuse_rates(uow, resolved, person, None)
    priced = quotes.priced(uow, resolved)
    quotes.refuse_missing_details(uow, resolved, priced.total, person, None)
    coming = enrollments.Coming(
        resolved, priced, person, uow.session.get_one(Account, enrollment.payer_id), "staff", enrollment.note,
        group_id=enrollment.group_id, special=quotes.Special(exception=command.exception or ""),
    )  # fmt: skip
    total = command.total or format_amount(priced.total, priced.currency)
    new, _ = enrollments.seat_at_price(uow, coming, seats.seats_of(uow, run, locked), total)
    new.came_from_id = enrollment.id
    uow.session.flush()
    change = uow.log(Act.BECOME_A_LEARNER, new.id, summary, run_id=run.id)
    return on_roster(change, new).model_copy(
        update={
            "total": format_amount(priced.total, priced.currency),
            "said": f"The seat costs {format_amount(priced.total, priced.currency)}, "
            f"{format_amount(priced.due_now, priced.currency)} of it now.",
        }
    )


@reverses(Act.NO_LONGER_A_LEARNER)
def undo_no_longer_learner(uow: UnitOfWork, change: Change) -> None:
    row, old, run, locked = both_roles(uow, change)
    row.status, row.ended_at = EnrollmentStatus.TAKEN_BACK, uow.now
    uow.session.flush()
    freed.not_free(uow, run, old.ended_at, old.seats)
    leaving.seat_again(uow, old, run, locked, f"Undid: {change.summary}")


@reverses(Act.BECOME_A_LEARNER)
def undo_to_learner(uow: UnitOfWork, change: Change) -> None:
    row, old, _, _ = both_roles(uow, change)
    leaving.end(uow, row, EnrollmentStatus.TAKEN_BACK, f"Undid: {change.summary}")
    old.status, old.ended_at = EnrollmentStatus.SEATED, None
    uow.session.flush()


def both_roles(uow: UnitOfWork, change: Change) -> tuple[Enrollment, Enrollment, Run, RunSeats]:
    """Who changed a role, as they are and as they were, locked; refused when they have moved on."""
    row, run, locked = enrollments.locked_enrollment(uow, change.subject_id)
    old = uow.session.get_one(Enrollment, row.came_from_id)
    uow.session.refresh(old)
    if not row.holds_seat or old.status != EnrollmentStatus.OTHER_ROLE:
        raise conflict("moved-on", f"{row.person.name} has moved on since.")
    return row, old, run, locked


def on_roster(change: Change, row: Enrollment) -> WithRole:
    return WithRole(
        change=change.key,
        enrollment_id=row.id,
        name=row.person.name,
        role=row.role,
        run_id=row.run_id,
    )


def set_role(uow: UnitOfWork, enrollment_id: int, command: RoleCommand) -> WithRole:
    """Change the role of somebody on a roster. A learner who becomes something else gives the seat back with all of its charge, and what
    was paid is credit; who becomes a learner takes a seat at today's price on the usual terms."""
    role = command.role
    refuse_role(uow, role)
    enrollment, run, row = enrollments.locked_enrollment(uow, enrollment_id)
    if not enrollment.holds_seat:
        raise conflict("not-seated", "This person is no longer on the roster.")
    if role == enrollment.role:
        raise conflict("nothing-to-do", f"{enrollment.person.name} is {role} already.")
    if enrollment.role == Role.LEARNER:
        return no_longer_learner(uow, enrollment, run, command)
    if role == Role.LEARNER:
        return to_learner(uow, enrollment, run, row, command)
    before, enrollment.role = enrollment.role, role
    uow.session.flush()
    change = uow.log(
        Act.CHANGE_A_ROLE,
        enrollment.id,
        f"{enrollment.person.name} on {run.code}: {before}, now {role}",
        run_id=run.id,
    )
    return on_roster(change, enrollment)


def take_off(uow: UnitOfWork, enrollment_id: int) -> WithRole:
    """Take somebody who is no learner off a roster."""
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    if enrollment.role == Role.LEARNER or not enrollment.holds_seat:
        raise conflict("learner", "Learners withdraw.")
    enrollment.status, enrollment.ended_at = EnrollmentStatus.TAKEN_OFF, uow.now
    uow.session.flush()
    name = enrollment.person.name
    change = uow.log(
        Act.TAKE_OFF_A_ROSTER, enrollment.id, f"{name} is no longer on {run.code}", run_id=run.id
    )
    return on_roster(change, enrollment)


def people_of(uow: UnitOfWork, run: Run) -> list[tuple[Enrollment, Person]]:
    """Every learner with a name on a roster, named heads included, in the order of their names."""
    named = (
        select(Enrollment, Person)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1)
        .options(defer(Enrollment.quote))
    )
    signed = named.join(Person, Person.id == Enrollment.person_id).where(Enrollment.role == Role.LEARNER)
    of_party = named.join(PartyPlace, PartyPlace.enrollment_id == Enrollment.id).join(
        Person, Person.id == PartyPlace.person_id
    )
    own, others = uow.session.execute(signed).all(), uow.session.execute(of_party).all()
    return sorted(((e, p) for e, p in [*own, *others]), key=lambda r: (r[1].family, r[1].given, r[1].id))
