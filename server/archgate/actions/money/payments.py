"""Payment details on file: a token from the payment service on the payer's account, never a number."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.money.views import Details
from archgate.actions.people import people
from archgate.tables.courses import Run
from archgate.tables.money import Account, PaymentDetails
from archgate.tables.people import Organization, Person


def owner_of(run: Run | None, person_id: int | None, organization_id: int | None) -> str | None:
    """Who pays: of a contract run always its client, else the organization given, else the person."""
    organization_id = (run.client_id if run else None) or organization_id
    if organization_id:
        return f"organization:{organization_id}"
    return f"person:{person_id}" if person_id else None


def words_of(uow: UnitOfWork, run: Run, person: Person | None, organization_id: int | None) -> str | None:
    """The newest details on file of whoever would pay."""
    owner = owner_of(run, person.id if person else None, organization_id)
    query = (
        select(PaymentDetails.words)
        .join(Account, Account.id == PaymentDetails.account_id)
        .where(Account.owner == owner)
        .order_by(PaymentDetails.id.desc())
        .limit(1)
    )
    return uow.session.scalar(query) if owner else None


def holder_of(uow: UnitOfWork, person_id: int | None, organization_id: int | None) -> str:
    """The name that the payment service is told."""
    if organization_id:
        organization = uow.session.get(Organization, organization_id)
        if organization is None:
            raise not_found("This organization")
        return organization.name
    return people.get_person(uow, person_id or 0).name


def keep_details(
    uow: UnitOfWork, person_id: int | None, organization_id: int | None, token: str, words: str
) -> Details:
    """Keep what the payment service answered; the same token is kept once."""
    known = uow.session.scalar(select(PaymentDetails).where(PaymentDetails.token == token))
    if known is None:
        owner = owner_of(None, person_id, organization_id)
        assert owner is not None
        account = money.account_of(uow, owner, uow.center.currency)
        known = PaymentDetails(
            account_id=account.id, token=token, words=words, user_id=uow.user_id, at=uow.now
        )
        uow.session.add(known)
        uow.session.flush()
        uow.log(Act.KEEP_PAYMENT_DETAILS, account.id, f"Payment details on file: {words}")
    return Details(words=known.words)
