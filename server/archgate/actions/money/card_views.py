"""What people see of payments by card: the payer, whoever began one, and the staff."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Select, and_, or_, select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, card_charges, card_refunds, cards, held, payments
from archgate.actions.money.commands import PayByCardCommand
from archgate.actions.money.views import (
    CardBegun,
    CardPaymentList,
    CardPaymentOut,
    CardSeen,
    CardsOfAccount,
    OnFileOut,
    PayLine,
    ToPay,
)
from archgate.core.cards import OVER
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.states import CardStatus, PaidState, RefundStatus, WhatToPay
from archgate.tables.courses import Course, Run
from archgate.tables.money import Account, CardPayment, CardRefund
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment, Plan
from archgate.tables.roster import Enrollment

SHOWN, LISTED = 6, 50


# --- for the payer --------------------------------------------------------------------------------------------


def seen(uow: UnitOfWork, key: str) -> CardSeen:
    """How a payment stands, for whoever has its key. Of a discreet one only what the payer did themselves is told: the letter to the
    address says the rest."""
    row = cards.by_key(uow, key)
    state, said = state_of(row)
    return CardSeen(
        title=row.words, center=uow.center.name, amount=format_amount(row.amount, row.currency), currency=row.currency,
        state=state, said=said,
    )  # fmt: skip


def state_of(row: CardPayment) -> tuple[PaidState, str]:
    if row.discreet and row.given_at is not None:
        return (
            PaidState.GIVEN,
            "Your card was accepted. We have written to you what was paid and what is next."
            if row.amount
            else "Your card was accepted. We have written to you what is next.",
        )
    if row.status is CardStatus.DONE:
        return (
            PaidState.GIVEN,
            "It is paid. The receipt goes to you by email."
            if row.amount
            else row.said or "The card is on file.",
        )
    if row.status is CardStatus.REFUSED:
        return PaidState.REFUSED, row.said
    if row.status in OVER:
        return PaidState.OVER, row.said
    if row.status is CardStatus.RELEASING:
        return PaidState.OVER, "It was no longer owed when the card was given; nothing is charged."
    if row.given_at is not None:
        return PaidState.GIVEN, "Your card was accepted; the sum is being charged."
    return PaidState.OPEN, "Nothing is paid yet." if row.amount else "No card is given yet."


def to_pay(uow: UnitOfWork, account: Account, own: bool = False) -> ToPay:
    """What there is to pay on an account, what is due first before all; `own`: on the payer's own page."""
    rows = sorted(cards.payable(uow, account), key=lambda r: (r[0].due, r[0].id))
    titles = {
        number: title or course
        for number, title, course in uow.session.execute(
            select(Enrollment.id, Run.title, Course.title)
            .join(Run, Run.id == Enrollment.run_id)
            .join(Course, Course.id == Run.course_id)
            .where(Enrollment.id.in_({i.enrollment_id for i, _ in rows} or {0}))
        )
    }
    currency = account.currency
    details = payments.on_file(uow, account.id)
    return ToPay(
        center=uow.center.name,
        name=accounts.payer_name(uow, account),
        currency=currency,
        open=[
            PayLine(day=i.due, amount=format_amount(left, currency), what=titles[i.enrollment_id])
            for i, left in rows
        ],
        next=format_amount(next_sum(uow, rows), currency) if rows else None,
        whole=format_amount(sum(left for _, left in rows), currency),
        on_file=details.words if details and own else None,
        card_by=uow.local(card_by(uow, account)),
        by_itself=details is not None and pays_by_itself(uow, rows),
    )


def pays_by_itself(uow: UnitOfWork, rows: list[tuple[Installment, int]]) -> bool:
    """Whether a card on file is charged for all of this on its days: each sign-up's plan takes details, and nothing of it is due already,
    as what was refused is."""
    ids = {i.enrollment_id for i, _ in rows}
    if not rows or any(i.due <= uow.today for i, _ in rows):
        return False
    query = select(Enrollment.id).join(Plan, Plan.id == Enrollment.plan_id)
    return set(uow.session.scalars(query.where(Enrollment.id.in_(ids), Plan.details))) == ids


def card_by(uow: UnitOfWork, account: Account) -> datetime | None:
    """Until when a seat is held that waits for payment details, the first of several; None where none does."""
    waits = [e.hold_until for e in held.seats_of(uow, account.id) if held.waits_for_card(uow, e)]
    return min((until for until in waits if until is not None), default=None)


def next_sum(uow: UnitOfWork, rows: list[tuple[Installment, int]]) -> int:
    """What is due by today, or else what falls due first, in one sum."""
    by = max(uow.today, min((i.due for i, _ in rows), default=uow.today))
    return sum(left for i, left in rows if i.due <= by)


def pay(uow: UnitOfWork, account: Account, command: PayByCardCommand, own: bool) -> CardPayment:
    """Begin what a payer asked for: on the service's page, or from what is on file, which only their own page may charge."""
    cards.refuse_without_service()
    account = accounts.get_account(uow, account.id, lock=True)
    waits = card_by(uow, account) is not None
    if command.what is WhatToPay.DETAILS:
        return give_card(uow, account, command.on_file, own, waits)
    rows = cards.payable(uow, account)
    amount = sum(left for _, left in rows) if command.what is WhatToPay.WHOLE else next_sum(uow, rows)
    if not amount:
        raise refuse("/what", "Nothing is open on this account that is paid by card.")
    if command.on_file:
        if not own:
            raise refuse("/on_file", "A card on file is charged from one's own page only.")
        return card_charges.charge(uow, account, amount)
    what = "all that is open" if command.what is WhatToPay.WHOLE else "what is due first"
    words = f"{uow.center.name}: {what}"
    keep = waits or (command.keep and own)  # a seat that waits for a card has it by any payment
    return cards.begin(uow, cards.Begin(amount, account.currency, words, account.id, keep=keep))


def give_card(uow: UnitOfWork, account: Account, on_file: bool, own: bool, waits: bool) -> CardPayment:
    """Give a card for later sums, or have the one on file serve a seat that waits; nothing is paid now. By a link only while one waits."""
    if not waits and not own:
        raise refuse("/what", "No seat waits for a card any more.")
    if not on_file:
        return cards.begin_details(uow, account, f"{uow.center.name}: a card for later sums")
    if not (own and waits):
        raise refuse(
            "/on_file", "A card on file is used from one's own page only, while a seat waits for it."
        )
    return cards.use_on_file(uow, account)


def begun(uow: UnitOfWork, card_payment_id: int) -> CardBegun:
    row = uow.session.get_one(CardPayment, card_payment_id)
    said = state_of(row)[1] if row.details_id or row.status in OVER else ""
    return CardBegun(
        key=row.key, status=row.status, page=row.page if row.status not in OVER else "", said=said
    )


# --- for the staff --------------------------------------------------------------------------------------------


def of_account(uow: UnitOfWork, account_id: int) -> CardsOfAccount | None:
    """What concerns cards on an account; None where cards are not taken."""
    if not cards.taken():
        return None
    account = accounts.get_account(uow, account_id)
    details = payments.on_file(uow, account.id)
    rows = uow.session.scalars(
        select(CardPayment)
        .where(
            CardPayment.account_id == account.id,
            # What was prepared with a sign-up and never taken up is nobody's business.
            or_(
                and_(CardPayment.status.in_(STANDING), or_(CardPayment.back != "", ON_FILE)),
                CardPayment.said != "",
            ),
        )
        .order_by(CardPayment.id.desc())
        .limit(SHOWN)
    ).all()
    return CardsOfAccount(
        on_file=OnFileOut(id=details.id, words=details.words) if details else None,
        card_by=uow.local(card_by(uow, account)),
        back=format_amount(
            sum(left for *_, left in card_refunds.free_by_card(uow, account)), account.currency
        ),
        payments=[payment_view(uow, row, accounts.payer_name(uow, account), None) for row in rows],
    )


ON_FILE = CardPayment.details_id.is_not(None)
STANDING = (CardStatus.BEGUN, CardStatus.OPEN, CardStatus.CAPTURING, CardStatus.RELEASING)


def payment_view(uow: UnitOfWork, row: CardPayment, name: str, phone: str | None) -> CardPaymentOut:
    return CardPaymentOut(
        id=row.id, account_id=row.account_id or 0, name=name, phone=phone, amount=format_amount(row.amount, row.currency),
        currency=row.currency, words=row.words, status=row.status, said=row.said, made=uow.local(row.made_at), tried_again=cards.tried_again(uow, row),
    )  # fmt: skip


def refused(uow: UnitOfWork) -> CardPaymentList:
    """Charges that were refused and whose sum is open still, the newest of each account."""
    return CardPaymentList(
        items=[
            payment_view(uow, row, organization or person, phone)
            for row, organization, person, phone in uow.session.execute(refused_charges())
        ]
    )


def refused_charges() -> Select[CardPayment, str, str, str | None]:
    """Charges of those who still owe whose newest was refused, with who pays and their phone number."""
    newest = (
        select(CardPayment.id)
        .where(CardPayment.account_id == Account.id, CardPayment.details_id.is_not(None))
        .order_by(CardPayment.id.desc())
        .limit(1)
        .correlate(Account)
        .scalar_subquery()
    )
    return (
        select(CardPayment, Organization.name, Person.name, Person.phone)
        .join(Account, Account.id == CardPayment.account_id)
        .outerjoin(Person, Person.id == Account.person_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(CardPayment.status == CardStatus.REFUSED, Account.open > 0, CardPayment.id == newest)
        .order_by(CardPayment.id.desc())
        .limit(LISTED)
    )


def refused_refunds() -> Select[int]:
    """Refunds to a card that did not go out, while their sum is still credit; as many as are worth counting."""
    return (
        select(CardRefund.id)
        .join(Account, Account.id == CardRefund.account_id)
        .where(CardRefund.status == RefundStatus.REFUSED, Account.credit > 0)
        .limit(LISTED)
    )


def refunds_said(many: int) -> str:
    what = (
        "1 refund to a card did not go out; its sum is"
        if many == 1
        else f"{many} refunds to cards did not go out; their sums are"
    )
    return f"{what} credit again: pay it back another way."
