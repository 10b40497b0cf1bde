"""Asks the payment service about payments by card, between transactions: what it answers is taken by `cards`.

Whoever asks may be ended at any moment: the next who asks begins where the payment stands. The service does each key once.
"""

from __future__ import annotations

from datetime import datetime
from functools import partial

from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, act, read_only
from archgate.actions.money import card_refunds, cards
from archgate.core.states import CardStatus, ServiceStatus
from archgate.outside.mail import Trouble
from archgate.outside.payments import Cards, ChargeAsk, Found, PageAsk, RefundAsk, Unheard
from archgate.tables.money import CardPayment, CardRefund, PaymentDetails

MOST_STEPS = 4  # opened, found, captured: no payment has more


def go_on(sessions: Sessions, service: Cards, card_payment_id: int, at: datetime | None = None) -> CardStatus:
    """Ask about a payment, and do what comes next, until there is nothing to do or the payer's turn. Raises Trouble.

    What was given up is still asked about when the service gives notice: money that moved after all is booked. `at`: another moment
    than now, for a past that is made up.
    """
    status = CardStatus.BEGUN
    for _ in range(MOST_STEPS):
        row, token = read_only(sessions, lambda uow: standing(uow, card_payment_id), at=at)
        if row.status is CardStatus.DONE:
            return row.status
        try:
            found: Found | None = asked(service, row, token)
        except Unheard:
            found = None
        status = act(sessions, partial(cards.heard, card_payment_id=card_payment_id, found=found), at=at)
        if status not in (CardStatus.CAPTURING, CardStatus.RELEASING):
            break
    return status


def standing(uow: UnitOfWork, card_payment_id: int) -> tuple[CardPayment, str]:
    """A payment as it stands, with the token of the details that it charges."""
    row = uow.session.get_one(CardPayment, card_payment_id)
    details = uow.session.get(PaymentDetails, row.details_id) if row.details_id else None
    return row, details.token if details else ""


def asked(service: Cards, row: CardPayment, token: str) -> Found:
    """The question that a payment's status calls for. What became of it is asked before it is charged, captured or released: an answer
    may have been lost, and what was done is not asked for again."""
    if row.status is CardStatus.BEGUN and not token:
        ask = PageAsk(amount=row.amount, currency=row.currency, words=row.words, keep=row.keep, back=row.back)
        return service.open_page(row.key, ask)
    try:
        found = service.found(row.key)
    except Unheard:
        if row.status is not CardStatus.BEGUN:
            raise
        ask_charge = ChargeAsk(token=token, amount=row.amount, currency=row.currency, words=row.words)
        return service.charge(row.key, ask_charge)
    if found.status is ServiceStatus.AUTHORIZED and row.status is CardStatus.CAPTURING:
        return service.capture(row.key)
    if found.status is ServiceStatus.AUTHORIZED and row.status is CardStatus.RELEASING:
        return service.release(row.key)
    return found


def soon(sessions: Sessions, service: Cards, card_payment_id: int) -> None:
    """The same for somebody who waits for the answer: what does not answer now is asked about later, by the worker."""
    try:
        go_on(sessions, service, card_payment_id)
    except Trouble:
        return


def pay_back(sessions: Sessions, service: Cards, card_refund_id: int) -> None:
    """Have the service pay back to a card, and take what it answered."""

    def reading(uow: UnitOfWork) -> tuple[str, RefundAsk]:
        row = uow.session.get_one(CardRefund, card_refund_id)
        card = uow.session.get_one(CardPayment, row.card_payment_id)
        return row.key, RefundAsk(payment=card.key, amount=row.amount)

    found = service.refund(*read_only(sessions, reading))
    act(sessions, partial(card_refunds.refund_heard, card_refund_id=card_refund_id, found=found))
