"""Payment details on file: a token from the payment service on the payer's account, never a number."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account, PaymentDetails
from archgate.tables.people import Person


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
        .where(Account.owner == owner, PaymentDetails.ended_at.is_(None))
        .order_by(PaymentDetails.id.desc())
        .limit(1)
    )
    return uow.session.scalar(query) if owner else None


def on_file(uow: UnitOfWork, account_id: int) -> PaymentDetails | None:
    """The details that an account is charged from, if there are any."""
    query = select(PaymentDetails).where(
        PaymentDetails.account_id == account_id, PaymentDetails.ended_at.is_(None)
    )
    return uow.session.scalar(query.order_by(PaymentDetails.id.desc()).limit(1))


def keep_details(uow: UnitOfWork, account: Account, token: str, words: str) -> Change | None:
    """Keep what the payment service answered, under the account's lock, in place of what was there; the log entry. The same token is kept
    once: the second time nothing is done."""
    if uow.session.scalar(select(PaymentDetails.id).where(PaymentDetails.token == token)):
        return None
    for older in uow.session.scalars(
        select(PaymentDetails).where(
            PaymentDetails.account_id == account.id, PaymentDetails.ended_at.is_(None)
        )
    ):
        older.ended_at = uow.now
    uow.session.add(
        PaymentDetails(account_id=account.id, token=token, words=words, user_id=uow.by, at=uow.now)
    )
    uow.session.flush()
    return uow.log(Act.KEEP_PAYMENT_DETAILS, account.id, f"Payment details on file: {words}")
