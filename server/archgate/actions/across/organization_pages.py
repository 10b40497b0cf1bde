"""An organization's page: how it is reached, what it owes, whom it sends, its contract runs."""

from __future__ import annotations

from sqlalchemy import func, select, union

from archgate.actions.across.course_pages import run_lines
from archgate.actions.across.views import OrganizationAccount, OrganizationPage, OrganizationPerson
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import organizations
from archgate.core.money import format_amount
from archgate.tables.courses import Run
from archgate.tables.money import Account
from archgate.tables.people import Person, PersonNumber
from archgate.tables.roster import Enrollment

MOST_PEOPLE = 200


def organization_page(uow: UnitOfWork, organization_id: int) -> OrganizationPage:
    row = organizations.get_organization(uow, organization_id)
    accounts = uow.session.scalars(select(Account).where(Account.organization_id == row.id))
    paid_for = (
        select(Enrollment.person_id)
        .join(Account, Account.id == Enrollment.payer_id)
        .where(Account.organization_id == row.id)
    )
    numbered = select(PersonNumber.person_id).where(PersonNumber.organization_id == row.id)
    ids = union(paid_for, numbered).subquery()
    seats = (
        select(func.count())
        .select_from(Enrollment)
        .join(Account, Account.id == Enrollment.payer_id)
        .where(Enrollment.person_id == Person.id, Enrollment.live == 1, Account.organization_id == row.id)
        .scalar_subquery()
    )
    query = (
        select(Person.id, Person.name, Person.email, PersonNumber.number, PersonNumber.department, seats)
        .join(ids, ids.c[0] == Person.id)
        .outerjoin(
            PersonNumber, (PersonNumber.person_id == Person.id) & (PersonNumber.organization_id == row.id)
        )
        .where(Person.there())
        .order_by(Person.family, Person.given, Person.id)
        .limit(MOST_PEOPLE)
    )
    people = [
        OrganizationPerson(
            id=n, name=name, email=email, number=number or "", department=department or "", runs=runs
        )
        for n, name, email, number, department, runs in uow.session.execute(query)
    ]
    return organizations.organization_view(row).widened(
        OrganizationPage,
        accounts=[
            OrganizationAccount(
                id=a.id,
                currency=a.currency,
                balance=format_amount(a.balance, a.currency),
                open=format_amount(a.open, a.currency),
            )
            for a in accounts
        ],
        people=people,
        people_total=uow.session.scalar(select(func.count()).select_from(ids)) or 0,
        runs=run_lines(uow, Run.client_id == row.id),
    )
