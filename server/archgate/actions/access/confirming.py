"""What follows a sign-up without the staff: the payment at once by card, and the invoice for what is paid later."""

from __future__ import annotations

from datetime import timedelta

from archgate.actions.kernel import queue
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, cards, invoices, money
from archgate.core.faults import Refused
from archgate.core.money import format_amount
from archgate.core.plans import Settle
from archgate.core.quotes import AgreedQuote
from archgate.tables.courses import Run
from archgate.tables.money import CardPayment
from archgate.tables.roster import Enrollment

INVOICE = "send an invoice"  # a kind of job
WHILE_PAYING = timedelta(minutes=35)  # longer than the payment service keeps its page


def payment_now(
    uow: UnitOfWork, run: Run, priced: AgreedQuote, enrollment: Enrollment | None, card_first: bool
) -> CardPayment | None:
    """What is due at once and not at the desk, ready to be paid by card; None where nothing is, or cards are not taken. With
    `card_first` the card is kept for later sums, also where nothing is due yet.

    Without a sign-up it looks the same from outside, and what is authorized is released.
    """
    now = sum(i.amount for i in priced.installments if i.due <= uow.today and i.settle != Settle.DESK)
    if not (now or card_first) or not cards.taken():
        return None
    title = run.title or run.course.title
    asked = cards.Begin(
        now, priced.currency, f"{uow.center.name}: {title}",
        account_id=enrollment.payer_id if enrollment else None, enrollment_id=enrollment.id if enrollment else None,
        keep=card_first, discreet=True,
    )  # fmt: skip
    return cards.begin(uow, asked, look=None)


def queue_invoice(uow: UnitOfWork, enrollment: Enrollment, change: str) -> None:
    """Have the invoice of a sign-up written and sent, unless it is paid whole by then: who pays at once gets a receipt."""
    wait = WHILE_PAYING if cards.taken() else timedelta(0)
    what = {
        "enrollment": enrollment.id,
        "about": f"{format_amount(enrollment.total, enrollment.currency)} by invoice",
    }
    queue.queue(uow, INVOICE, f"invoice-{enrollment.id}", what, wait, change, enrollment.run_id)


def send_invoice(uow: UnitOfWork, enrollment_id: int) -> None:
    """Invoice a sign-up and send it, where something of it is open still and it was not invoiced yet."""
    enrollment = uow.session.get_one(Enrollment, enrollment_id)
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    uow.session.refresh(enrollment)
    if not enrollment.holds_seat or not money.open_installments(uow, [enrollment.id]).get(enrollment.id):
        return
    if any(d.enrollment.id == enrollment.id for d in invoices.pending(uow, account)):
        try:
            invoices.issue(uow, account.id, send=True, enrollment_id=enrollment.id)
        except Refused:  # no address: whoever signed up lost it since, and staff print the paper
            return
