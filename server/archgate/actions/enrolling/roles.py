"""Who is on a roster beside its learners: assistants, instructors and observers."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import defer

from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.roster_views import WithRole
from archgate.actions.fees import fees, plans
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.core.quotes import AgreedQuote
from archgate.core.states import EnrollmentStatus, Role, RunStatus
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace

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
    row = Enrollment(
        run_id=run.id,
        person_id=person.id,
        payer_id=payer.id,
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
    change = uow.log(Act.ADD_TO_A_ROSTER, row.id, f"{person.name} is {role} on {run.code}", run_id=run.id)
    return on_roster(change, row)


def on_roster(change: Change, row: Enrollment) -> WithRole:
    return WithRole(
        change=change.key,
        enrollment_id=row.id,
        name=row.person.name,
        role=row.role,
        run_id=row.run_id,
    )


def set_role(uow: UnitOfWork, enrollment_id: int, role: Role) -> WithRole:
    """Change the role of somebody who is no learner; a learner's seat and money are settled by withdrawing first."""
    refuse_role(uow, role)
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    if not enrollment.holds_seat:
        raise conflict("not-seated", "This person is no longer on the roster.")
    if "learner" in (role, enrollment.role) and role != enrollment.role:
        sentence = "A learner holds a seat and pays: withdraw first, then add with the other role."
        raise conflict(
            "learner",
            sentence
            if enrollment.role == Role.LEARNER
            else "Learners are enrolled at the desk, with a seat.",
        )
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


# --- groups -----------------------------------------------------------------------------------------------


# --- attendance -------------------------------------------------------------------------------------------


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


# --- the roster beside another list -----------------------------------------------------------------------
