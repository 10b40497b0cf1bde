"""Money that goes back to the cards it came from: posted at once, sent by the worker, and credit again where the service refuses."""

from __future__ import annotations

import secrets

from sqlalchemy import select

from archgate.actions.kernel import queue
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.money import accounts, money
from archgate.core import ledger
from archgate.core.money import format_amount
from archgate.core.states import Method, RefundStatus
from archgate.outside.payments import PaidBack
from archgate.tables.money import (
    Account,
    Allocation,
    CardPayment,
    CardRefund,
    Payment,
    Posting,
)

REFUND = "pay back by card"  # a kind of job


def free_by_card(uow: UnitOfWork, account: Account) -> list[tuple[Payment, CardPayment, int]]:
    """What of an account's credit came by card, oldest first: the payment, its card, and how much of it is free."""
    free = [(p, left) for p, left in accounts.free_payments(uow, account) if p.method == Method.CARD]
    rows = select(CardPayment).where(CardPayment.payment_id.in_([p.id for p, _ in free] or [0]))
    by_payment = {row.payment_id: row for row in uow.session.scalars(rows)}
    return [(p, by_payment[p.id], left) for p, left in free if p.id in by_payment]


def post_refunds(uow: UnitOfWork, account: Account, amount: int, why: str) -> None:
    """Post a refund to the cards that the money came from, and have the service do it; one posting a card, so that one that is refused is
    taken back by itself."""
    drawer = money.center_account(uow, f"method:{Method.CARD}", account.currency)
    left = amount
    for payment, card, free in free_by_card(uow, account):
        part = min(left, free)
        if not part:
            break
        left -= part
        posting = money.post(
            uow, ledger.refund_of(account.id, drawer, part, account.currency), uow.today, why
        )
        uow.session.add(Allocation(posting_id=payment.posting_id, installment_id=None, amount=part))
        row = CardRefund(
            key=f"back-{secrets.token_hex(16)}", card_payment_id=card.id, account_id=account.id, posting_id=posting.id,
            amount=part, status=RefundStatus.ASKED, said="", made_at=uow.now, ended_at=None,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        what = {"card_refund": row.id, "about": f"{format_amount(part, account.currency)} back to a card"}
        queue.queue(uow, REFUND, row.key, what)


def refund_heard(uow: UnitOfWork, card_refund_id: int, found: PaidBack) -> None:
    """What became of a refund to a card. One that was refused is taken back in the books: the sum is credit again, and people see it."""
    row = uow.session.get_one(CardRefund, card_refund_id)
    account = accounts.get_account(uow, row.account_id, lock=True)
    lock_row(uow, CardRefund, row.id)
    if row.status is not RefundStatus.ASKED:
        return
    row.ended_at = uow.now
    if found.done:
        row.status = RefundStatus.DONE
        return
    row.status, row.said = RefundStatus.REFUSED, found.said[:500]
    posting = uow.session.get_one(Posting, row.posting_id)
    card = uow.session.get_one(CardPayment, row.card_payment_id)
    payment = uow.session.get_one(Payment, card.payment_id)
    cause = f"The refund to the card was refused: {row.said}"
    money.post(uow, ledger.reversal_of(money.core_posting(posting)), uow.today, cause, reverses_id=posting.id)
    uow.session.add(Allocation(posting_id=payment.posting_id, installment_id=None, amount=-row.amount))
    uow.session.flush()
    text = format_amount(row.amount, account.currency)
    uow.log(Act.CARD_REFUND_REFUSED, account.id, f"{text} could not go back to the card: {row.said}")
