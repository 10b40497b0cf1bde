"""Charges of payment details on file: with a click, or by themselves on their day, tried again and then left to people."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import ColumnElement, or_, select

from archgate.actions.kernel import queue
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import amount_of
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, cards, payments
from archgate.actions.money.commands import ChargeCommand
from archgate.core.cards import OVER, PAUSES
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.states import CardStatus
from archgate.tables.money import (
    Account,
    CardPayment,
    PaymentDetails,
)
from archgate.tables.plans import Installment, Plan
from archgate.tables.roster import Enrollment

AT_ONCE = 200  # charges that a round begins


def charge_on_file(uow: UnitOfWork, account_id: int, command: ChargeCommand) -> CardPayment:
    """Charge what is on file, at most what is open; the worker, or whoever asked, has the service do it."""
    cards.refuse_without_service()
    account = accounts.get_account(uow, account_id, lock=True)
    faults: list[Fault] = []
    amount = amount_of(command.amount, account.currency, "/amount", faults) or 0
    left = sum(part for _, part in accounts.open_parts(uow, account))
    if not faults and not 0 < amount <= left:
        faults.append(Fault("/amount", f"{format_amount(left, account.currency)} is open on this account."))
    if faults:
        raise Refused(faults)
    return charge(uow, account, amount)


def charge(
    uow: UnitOfWork, account: Account, amount: int, installment: Installment | None = None, refusals: int = 0
) -> CardPayment:
    """Begin a charge of what is on file, under the account's lock. While another is under way, none is begun: two at once would charge the
    same debt twice."""
    details = payments.on_file(uow, account.id)
    if details is None:
        raise conflict("no-details", "No payment details are on file for this account.")
    under_way = select(CardPayment.id).where(
        CardPayment.account_id == account.id,
        CardPayment.details_id.is_not(None),
        CardPayment.status.not_in(OVER),
    )
    if uow.session.scalar(under_way.limit(1)):
        raise conflict("under-way", "A charge of these details is under way; wait until it is settled.")
    row = cards.begin(
        uow,
        cards.Begin(
            amount,
            account.currency,
            uow.center.name,
            account.id,
            details_id=details.id,
            enrollment_id=installment.enrollment_id if installment else None,
            installment_id=installment.id if installment else None,
            refusals=refusals,
        ),
    )
    text = format_amount(amount, account.currency)
    uow.log(Act.CHARGE_DETAILS_ON_FILE, account.id, f"Charges {text} to {details.words}")
    return row


def end_details(uow: UnitOfWork, account_id: int) -> str:
    """Charge details on file no more; returns the log entry's key."""
    account = accounts.get_account(uow, account_id, lock=True)
    details = payments.on_file(uow, account.id)
    if details is None:
        raise conflict("no-details", "No payment details are on file for this account.")
    details.ended_at = uow.now
    return uow.log(Act.END_PAYMENT_DETAILS, account.id, f"No longer on file: {details.words}").key


def due_by_itself(uow: UnitOfWork) -> list[int]:
    """Installments that are charged today by themselves: of a plan that takes payment details, due, open, not settled at the desk only,
    with details on file. At most so many a round, the oldest first."""
    if not cards.taken():
        return []
    pending: ColumnElement[bool] = (
        select(CardPayment.id)
        .where(CardPayment.account_id == Installment.payer_id, CardPayment.status.not_in(OVER), CardPayment.details_id.is_not(None))
        .exists()
    )  # fmt: skip
    given_up = (  # or tried a moment ago: neither takes the place of what is due
        select(CardPayment.id)
        .where(
            CardPayment.installment_id == Installment.id,
            CardPayment.status == CardStatus.REFUSED,
            or_(
                CardPayment.refusals >= len(PAUSES),
                CardPayment.made_at > uow.now - timedelta(days=PAUSES[0] - 1),
            ),
        )
        .exists()
    )
    on_file = (
        select(PaymentDetails.id)
        .where(PaymentDetails.account_id == Installment.payer_id, PaymentDetails.ended_at.is_(None))
        .exists()
    )
    query = (
        select(Installment.id)
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .join(Plan, Plan.id == Enrollment.plan_id)
        .where(Installment.open_due <= uow.today, Installment.kind == "plan", Installment.settle != "desk", Plan.details, on_file, ~pending, ~given_up)
        .order_by(Installment.open_due, Installment.id)
        .limit(AT_ONCE)
    )  # fmt: skip
    return [n for n in uow.session.scalars(query) if next_charge(uow, n) is not None]


def next_charge(uow: UnitOfWork, installment_id: int) -> int | None:
    """How often the charge of an installment was refused so far, if it is to be tried today; None: not today, or no more."""
    last = uow.session.scalar(
        select(CardPayment)
        .where(CardPayment.installment_id == installment_id)
        .order_by(CardPayment.refusals.desc())
        .limit(1)
    )
    if last is None:
        return 0
    if last.status is not CardStatus.REFUSED:
        return last.refusals + 1 if last.status in OVER and last.status is not CardStatus.DONE else None
    again = cards.tried_again(uow, last)
    return last.refusals + 1 if again is not None and again <= uow.today else None


def charge_due(uow: UnitOfWork, installment_id: int) -> int | None:
    """Begin the charge of an installment that is due by itself; its payment's number, None where it is no longer due."""
    installment = uow.session.get_one(Installment, installment_id)
    account = accounts.get_account(uow, installment.payer_id or 0, lock=True)
    rows = accounts.open_parts(uow, account)
    left = next((part for i, part in rows if i.id == installment.id), 0)
    refusals = next_charge(uow, installment.id)
    if not left or refusals is None:
        return None
    row = charge(uow, account, left, installment, refusals)
    queue.queue(uow, cards.LOOK, f"look-{row.id}-0", cards.look_of(row))
    return row.id
