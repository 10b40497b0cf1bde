"""Payments by card, as the books know them: begun, heard of, booked; and the links by which they are paid.

Nothing here asks the payment service: that is `asking`, between transactions. Whatever is heard is taken under the account's lock, so
that doubled and late news are one.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import or_, select

from archgate.actions.kernel import queue, signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.messages import messages
from archgate.actions.money import accounts, held, invoices, payments
from archgate.actions.money.views import PayLinkSent
from archgate.clock import system_now
from archgate.core import accounts as core_accounts
from archgate.core.cards import OVER, next_status, next_try
from archgate.core.money import format_amount
from archgate.core.plans import Settle
from archgate.core.states import CardStatus, EnrollmentStatus, Method
from archgate.documents.reader import Document
from archgate.outside.payments import Found
from archgate.papers.letters.occasions import CardKept, NotCharged, Owed, PayLink
from archgate.papers.letters.writing import written
from archgate.papers.words import money_text
from archgate.settings import settings_from
from archgate.tables.log import Change
from archgate.tables.money import (
    Account,
    CardPayment,
    Payment,
)
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment

LOOK = "look at card payment"  # a kind of job
SOON, LATER = timedelta(seconds=60), timedelta(minutes=5)  # until the service is asked again
STILL_HELD = timedelta(minutes=30)  # how long a seat is held at least once its first payment was authorized
AT_ONCE = 200  # payments that a round asks about


def taken() -> bool:
    """Whether the center takes cards: a payment service is set."""
    return bool(settings_from().payments)


def refuse_without_service() -> None:
    if not taken():
        raise conflict("no-cards", "No payment service is set up, so cards are not taken.")


# --- begun ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Begin:
    """What a payment by card is for; see `tables.money.CardPayment`."""

    amount: int
    currency: str
    words: str
    account_id: int | None = None
    enrollment_id: int | None = None
    keep: bool = False
    discreet: bool = False
    details_id: int | None = None
    installment_id: int | None = None
    refusals: int = 0


def begin(uow: UnitOfWork, asked: Begin, look: timedelta | None = SOON) -> CardPayment:
    """Write down a payment before anybody is asked, so that it is known whatever becomes of the question. With `look` the worker sees
    after it; without, it waits until the payer takes it up."""
    row = CardPayment(
        key=f"pay-{secrets.token_hex(16)}", account_id=asked.account_id, enrollment_id=asked.enrollment_id,
        details_id=asked.details_id, installment_id=asked.installment_id, refusals=asked.refusals, amount=asked.amount,
        currency=asked.currency, words=asked.words[:200], keep=asked.keep, discreet=asked.discreet, status=CardStatus.BEGUN,
        page="", back="", said="", given_at=None, look_at=system_now() + look if look else None, payment_id=None,
        user_id=uow.by, made_at=uow.now, ended_at=None,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    return row


def by_key(uow: UnitOfWork, key: str) -> CardPayment:
    row = uow.session.scalar(select(CardPayment).where(CardPayment.key == key))
    if row is None:
        raise not_found("This payment")
    return row


def taken_up(uow: UnitOfWork, key: str, back: str) -> int:
    """The payer goes to the service's page, and will come back to an address of ours; its number. Refused once it is over."""
    row = by_key(uow, key)
    locked(uow, row)
    if row.status is CardStatus.BEGUN and not row.back:
        row.back, row.look_at = back, system_now() + SOON
    return row.id


def begin_details(uow: UnitOfWork, account: Account, words: str) -> CardPayment:
    """Begin to take a payer's details for later charges."""
    return begin(uow, Begin(0, account.currency, words, account.id, keep=True))


def details_asked(uow: UnitOfWork, account_id: int, back: str) -> CardPayment:
    """Take a payer's details on the service's page, for later charges; nothing is charged now."""
    refuse_without_service()
    account = accounts.get_account(uow, account_id)
    row = begin_details(uow, account, f"Card details, {uow.center.name}")
    row.back = f"{back}/paid/{row.key}"
    return row


def to_ask(uow: UnitOfWork, key: str) -> int | None:
    """The number of a payment of which the service may know more than we do; None where there is nothing to ask."""
    row = by_key(uow, key)
    return row.id if row.back and row.status not in OVER else None


# --- heard ----------------------------------------------------------------------------------------------------


def locked(uow: UnitOfWork, row: CardPayment) -> Account | None:
    """The account's lock, then the payment's row as it is under it."""
    account = accounts.get_account(uow, row.account_id, lock=True) if row.account_id else None
    lock_row(uow, CardPayment, row.id)
    return account


def heard(uow: UnitOfWork, card_payment_id: int, found: Found | None) -> CardStatus:
    """Take what the service answered: move the status on, book what was charged, keep details. None: it never heard of the payment."""
    row = uow.session.get_one(CardPayment, card_payment_id)
    account = locked(uow, row)
    was = row.status
    if found is None:
        if was not in OVER:
            ended(
                uow, row, CardStatus.UNKNOWN, "The payment service knows nothing of it; nothing was charged."
            )
        return row.status
    if (found.key, found.amount, found.currency) != (row.key, row.amount, row.currency):
        raise AssertionError(f"The payment service answered of another payment than {row.key}.")
    row.page = row.page or ("" if row.details_id else found.page)
    row.status = next_status(was, found.status, account is not None and is_wanted(uow, row, account))
    if row.status in (CardStatus.CAPTURING, CardStatus.RELEASING, CardStatus.DONE) and row.given_at is None:
        row.given_at = uow.now
    row.look_at = (
        None if row.status in OVER else system_now() + (LATER if row.status is CardStatus.OPEN else SOON)
    )
    if row.status is CardStatus.CAPTURING:
        hold_on(uow, row)
    if row.status is CardStatus.DONE and was is not CardStatus.DONE:
        done(uow, row, account, found)
    elif row.status in OVER and was not in OVER:
        ended(uow, row, row.status, found.said or why_over(row))
        tell_payer(uow, row, account)
    uow.session.flush()
    return row.status


def is_wanted(uow: UnitOfWork, row: CardPayment, account: Account) -> bool:
    """Whether what a payment is for is still owed: as much as it comes to, of its sign-up or of the account."""
    rows = accounts.open_parts(uow, account)
    left = sum(part for i, part in rows if row.enrollment_id in (None, i.enrollment_id))
    return row.amount <= left


def hold_on(uow: UnitOfWork, row: CardPayment) -> None:
    """Hold a seat for a while longer whose first payment is being charged; its run is locked with the account."""
    enrollment = uow.session.get(Enrollment, row.enrollment_id) if row.enrollment_id else None
    if (
        enrollment is not None
        and enrollment.status is EnrollmentStatus.HELD
        and enrollment.hold_until is not None
    ):
        enrollment.hold_until = max(enrollment.hold_until, uow.now + STILL_HELD)


def done(uow: UnitOfWork, row: CardPayment, account: Account | None, found: Found) -> None:
    """Book what was charged, once, and send the receipt; keep the details that were given for later."""
    row.ended_at, row.said = uow.now, ""
    if account is None:
        if row.amount:
            raise AssertionError(f"{row.key} was charged for nobody.")
        return  # details given for a sign-up that is none: they are kept for nobody
    if found.token and row.keep:
        kept(uow, row, account, found)
    if not row.amount or row.payment_id is not None:
        return
    rows = accounts.open_parts(uow, account)
    settled = card_settles(rows, row)
    reference = found.words or row.key[-8:]
    came = accounts.CameIn(row.amount, found.fee, Method.CARD, reference, uow.today)
    payment = accounts.book(uow, account, came, settled)
    row.payment_id = payment.id
    uow.session.flush()
    text, who = format_amount(row.amount, row.currency), accounts.payer_name(uow, account)
    uow.log(Act.TAKE_A_CARD_PAYMENT, payment.id, f"{text} by card from {who}")
    invoices.send_if_possible(uow, invoices.receipt(uow, payment.id).id)


def kept(uow: UnitOfWork, row: CardPayment, account: Account, found: Found) -> None:
    """Keep the details that were given, and tell whoever's seat is firm by it; those given for a seat that was let go of are not kept."""
    enrollment = uow.session.get(Enrollment, row.enrollment_id) if row.enrollment_id else None
    if enrollment is not None and not enrollment.holds_seat:
        row.said = "The seat was no longer held, so the card is not kept."
        return
    change = payments.keep_details(uow, account, found.token, found.words)
    if change is not None:
        make_firm(uow, account, found.words, change)


def make_firm(uow: UnitOfWork, account: Account, words: str, change: Change) -> None:
    """Seats that waited for payment details have them, under the account's lock; whoever's is firm by it is written to."""
    to = payer_of(uow, account)
    for firm in held.card_given(uow, account):
        run = get_run(uow, firm.run_id)
        dues = tuple(Owed(i.amount, i.due) for i in firm.installments if i.due > uow.today)
        letter = CardKept(uow.center.name, to.name, messages.named(run), words, firm.currency, dues)
        messages.write(uow, change, to, written(letter), run.id)


def use_on_file(uow: UnitOfWork, account: Account) -> CardPayment:
    """Have the seats of a payer that wait for a card use the one on file; nothing is asked of the payment service, and nothing charged."""
    details = payments.on_file(uow, account.id)
    if details is None:
        raise conflict("no-details", "No payment details are on file for this account.")
    row = begin(
        uow, Begin(0, account.currency, f"{uow.center.name}: the card on file", account.id), look=None
    )
    row.status, row.ended_at = CardStatus.DONE, uow.now
    change = uow.log(
        Act.KEEP_PAYMENT_DETAILS, account.id, f"For a seat that waited for a card too: {details.words}"
    )
    make_firm(uow, account, details.words, change)
    return row


def card_settles(rows: list[tuple[Installment, int]], row: CardPayment) -> dict[int, int]:
    """What a payment by card settles, by installment: of its own sign-up before all others, and before what is to be settled at the
    desk; in each group the oldest due first. The rest is credit."""
    groups = (
        [r for r in rows if r[0].enrollment_id == row.enrollment_id],
        [r for r in rows if r[0].enrollment_id != row.enrollment_id],
    )
    left, settled = row.amount, dict[int, int]()
    for group in groups:
        for at_desk in (False, True):
            part = accounts.core_open([r for r in group if (r[0].settle == Settle.DESK) is at_desk])
            done_now, left = core_accounts.allocate(left, part, row.currency)
            settled |= done_now
    return settled


def payable(uow: UnitOfWork, account: Account) -> list[tuple[Installment, int]]:
    """What is open on an account and may be paid by card: all but what is to be settled at the desk."""
    rows = accounts.open_parts(uow, account)
    return [(i, left) for i, left in rows if i.settle != Settle.DESK]


def why_over(row: CardPayment) -> str:
    if row.status is CardStatus.EXPIRED:
        return "The page was open for too long; nothing was charged."
    if row.given_at is not None:
        return "It was no longer owed when the card was given; nothing was charged."
    return "It was given up; nothing was charged."


def ended(uow: UnitOfWork, row: CardPayment, status: CardStatus, said: str) -> None:
    row.status, row.said, row.ended_at, row.look_at = status, said, uow.now, None
    if status is CardStatus.REFUSED and row.account_id is not None:
        text = format_amount(row.amount, row.currency)
        uow.log(Act.CARD_REFUSED, row.account_id, f"{text} could not be charged: {said}")


def payer_of(uow: UnitOfWork, account: Account) -> messages.Addressee:
    person = uow.session.get(Person, account.person_id) if account.person_id else None
    if person is not None:
        return messages.to_person(person)
    organization = uow.session.get_one(Organization, account.organization_id)
    return messages.Addressee(organization.name, organization.email, None)


def tell_payer(uow: UnitOfWork, row: CardPayment, account: Account | None) -> None:
    """Tell the payer what does not happen: an authorized sum that was released, or a charge by itself that was refused, with a link to pay
    otherwise. Whoever stood at the page has seen it there."""
    if account is None:
        return
    to = payer_of(uow, account)
    if row.status is CardStatus.RELEASED and row.given_at is not None:
        change = uow.log(
            Act.CARD_REFUSED, account.id, f"Released {format_amount(row.amount, row.currency)}: {row.said}"
        )
        why = "It was no longer owed."
        letter = NotCharged(uow.center.name, to.name, row.amount, row.currency, row.words, why)
        messages.write(uow, change, to, written(letter))
    elif row.status is CardStatus.REFUSED and row.installment_id is not None:
        said = (
            f"{money_text(row.amount, row.currency)} was due, and your card could not be charged. {row.said}"
        )
        if tried_again(uow, row):
            said += " We try it again in a few days."
        letter_of_link(uow, account, to, said, uow.entries[-1])


def tried_again(uow: UnitOfWork, row: CardPayment) -> date | None:
    """The day on which a charge by itself that was refused is tried again, on the center's calendar; None: it is not."""
    if row.status is not CardStatus.REFUSED or row.installment_id is None:
        return None
    return next_try(row.refusals + 1, row.made_at.astimezone(uow.zone).date())


# --- links to pay ---------------------------------------------------------------------------------------------


def link_of(account: Account) -> str:
    """Where whoever has the link sees what is open of an account, and pays it by card."""
    return f"{signing.address()}/pay/{signing.token_for('m', account.id, 0)}"


def account_behind(uow: UnitOfWork, token: str) -> Account:
    read = signing.token_read(token)
    if read is None or read[0] != "m":
        raise not_found("This link")
    return accounts.get_account(uow, read[1])


def send_link(uow: UnitOfWork, account_id: int) -> PayLinkSent:
    """Send the payer a link by which what is open can be paid by card."""
    refuse_without_service()
    account = accounts.get_account(uow, account_id)
    left = sum(part for _, part in payable(uow, account))
    if not left:
        raise conflict("nothing-to-do", "Nothing is open on this account that is paid by card.")
    email = invoices.email_of(uow, account)
    text = money_text(left, account.currency)
    change = uow.log(Act.SEND_A_PAY_LINK, account.id, f"Sent a link to pay {text} to {email}")
    letter_of_link(uow, account, payer_of(uow, account), f"{text} is open on your account.", change)
    return PayLinkSent(email=email, change=change.key)


def letter_of_link(
    uow: UnitOfWork, account: Account, to: messages.Addressee, said: str, change: Change
) -> None:
    letter = PayLink(uow.center.name, to.name, said, link_of(account))
    messages.write(uow, change, to, written(letter))


# --- by the clock ---------------------------------------------------------------------------------------------


def to_look_at(uow: UnitOfWork) -> list[int]:
    """Payments of which nothing was heard for a while."""
    query = select(CardPayment.id).where(CardPayment.look_at <= system_now())
    return list(uow.session.scalars(query.order_by(CardPayment.look_at).limit(AT_ONCE)))


def queue_look(uow: UnitOfWork, card_payment_id: int) -> int:
    """Have the worker ask about a payment, and put the next look off."""
    row = uow.session.get_one(CardPayment, card_payment_id, with_for_update=True, populate_existing=True)
    if row.look_at is None or row.look_at > system_now():
        return 0
    at = int(row.look_at.timestamp())
    row.look_at = system_now() + LATER
    queue.queue(uow, LOOK, f"look-{row.id}-{at}", look_of(row))
    return 1


def look_of(row: CardPayment) -> Document:
    return {"card_payment": row.id, "about": f"{format_amount(row.amount, row.currency)} by card"}


def noticed(uow: UnitOfWork, number: str, key: str) -> None:
    """The service says that something became of a payment: ask about it. A notice that came before is nothing new, and one of what is not
    ours is let be."""
    row = uow.session.scalar(select(CardPayment).where(CardPayment.key == key))
    if row is not None:
        queue.queue(uow, LOOK, f"notice-{number}"[:80], look_of(row))


def card_faults(uow: UnitOfWork) -> list[str]:
    """Payments by card that are done and not booked, or booked with another sum; part of the nightly check."""
    query = (
        select(CardPayment.key, CardPayment.amount, Payment.amount)
        .outerjoin(Payment, Payment.id == CardPayment.payment_id)
        .where(CardPayment.status == CardStatus.DONE, CardPayment.amount > 0)
        .where(or_(Payment.id.is_(None), Payment.amount != CardPayment.amount))
        .limit(100)
    )
    return [
        f"The card payment {key} of {amount} is {'not booked' if booked is None else f'booked as {booked}'}."
        for key, amount, booked in uow.session.execute(query)
    ]
