"""What is answered about money."""

from __future__ import annotations

from datetime import date

from archgate.actions.kernel.commands import AmountText, Moment, View
from archgate.core.states import CardStatus, MoneyOut, PaidState


class OpenInstallment(View):
    """An installment that is not settled; `age` is one of current, 1-30, 31-60, 61-90, over 90 (days past due)."""

    id: int
    due: date
    left: str
    why: str
    run: str
    who: str
    age: str


class AccountOut(View):
    """`balance` is what the payer owes, negative when the center does; `credit` is what came in and settles nothing."""

    id: int
    name: str
    person_id: int | None
    organization_id: int | None
    currency: str
    balance: str
    credit: str
    open: list[OpenInstallment]


class AccountEntry(View):
    """One entry with its cause; `payment_id` where it is a payment that was not taken back. `by_card`: it is paid back, never taken
    back."""

    id: int
    day: date
    entered: Moment
    kind: str
    cause: str
    run_id: int | None
    run: str | None
    payment_id: int | None
    by_card: bool
    amount: str
    balance: str


class MoneyWaitsOut(View):
    """A refund or write-off that waits for a second person; `own`: whoever looks asked for it; `mine`: they may confirm it."""

    id: int
    kind: MoneyOut
    account_id: int
    name: str
    amount: str
    currency: str
    why: str
    asked_by: str
    asked: Moment
    own: bool
    mine: bool


class CardPaymentOut(View):
    """A payment by card as staff see it. `tried_again`: when it is charged again by itself; `link` the page that is open for it."""

    id: int
    account_id: int
    name: str
    phone: str | None
    amount: AmountText
    currency: str
    words: str
    status: CardStatus
    said: str
    made: Moment
    tried_again: date | None


class OnFileOut(View):
    id: int
    words: str


class CardsOfAccount(View):
    """What concerns cards on an account: details on file, until when a seat is held that waits for some, how much can go back to a
    card, and what was begun of late."""

    on_file: OnFileOut | None
    card_by: Moment | None
    back: AmountText
    payments: list[CardPaymentOut]


class CardPaymentList(View):
    """Payments by card that were refused, or that the service did not settle, the newest first."""

    items: list[CardPaymentOut]


class CardBegun(View):
    """A payment by card that was begun: `page` is where the payer gives the card, empty where details on file were charged."""

    key: str
    status: CardStatus
    page: str
    said: str


class CardSeen(View):
    """How a payment by card stands, for whoever began it: `open`, `given` (the payer has done their part), `refused` or `over`."""

    title: str
    center: str
    amount: AmountText
    currency: str
    state: PaidState
    said: str


class PayLine(View):
    """A sum that is open, with what it is for."""

    day: date
    amount: AmountText
    what: str


class ToPay(View):
    """What somebody may pay by card: `next` what is due first, `whole` all that is open; `on_file` the words of details on file, for
    their own page only; `card_by` until when a seat is held that waits for payment details; `by_itself`: a card on file is charged
    for all of it on days to come."""

    center: str
    name: str
    currency: str
    open: list[PayLine]
    next: AmountText | None
    whole: AmountText
    on_file: str | None
    card_by: Moment | None
    by_itself: bool


class PayLinkSent(View):
    email: str
    change: str


class AccountPage(AccountOut):
    cards: CardsOfAccount | None = None
    entries: list[AccountEntry]
    at: date
    balance_at: str
    waiting: list[MoneyWaitsOut] = []


class AccountDone(AccountOut):
    """`waits`: nothing is posted; somebody else confirms it first."""

    change: str
    waits: bool = False


class AccountId(View):
    id: int


class PaymentDone(AccountDone):
    payment_id: int


class TillMethod(View):
    method: str
    currency: str
    amount: str


class TillLine(View):
    id: int
    account_id: int
    name: str
    method: str
    reference: str
    amount: str
    currency: str
    cause: str
    taken_back: bool


class Till(View):
    day: date
    text: str
    methods: list[TillMethod]
    payments: list[TillLine]


class PayerLine(View):
    account_id: int
    name: str
    person_id: int | None
    organization_id: int | None
    open: str
    credit: str
    first_due: date | None
    ages: dict[str, str]


class WeekSum(View):
    week: date
    amount: str


class MonthSum(View):
    month: date
    amount: str


class Outstanding(View):
    """What is owed by age, what falls due by week, and what is not earned until its run ends, by month."""

    currency: str
    day: date
    buckets: list[str]
    totals: dict[str, str]
    open: str
    overdue: str
    credit: str
    expected: list[WeekSum]
    deferred: list[MonthSum]


class PayerList(View):
    """A page of payers; `next` is the cursor of the page after it, `total` how many there are in all."""

    items: list[PayerLine]
    total: int
    next: str | None


class OpenRow(View):
    """An open installment behind a figure; `age` is one of current, 1-30, 31-60, 61-90, over 90 (days past due)."""

    account_id: int
    payer: str
    who: str
    run_id: int
    run: str
    due: date
    left: str
    age: str


class OpenList(View):
    """A page of open installments; `next` is the cursor of the page after it, `total` how many there are in all."""

    items: list[OpenRow]
    total: int
    next: str | None


class UnearnedRow(View):
    run_id: int
    run: str
    title: str
    ends: date
    sign_ups: int
    amount: str


class InvoiceOut(View):
    """An invoice, a credit note (negative) or a receipt, as issued."""

    id: int
    kind: str
    number: str
    issued_on: date
    total: str
    currency: str
    reverses_id: int | None


class InvoiceDone(InvoiceOut):
    change: str


class InvoiceLine(InvoiceOut):
    taken_back: bool


class Invoices(View):
    """`pending`: sign-ups that come to more than was invoiced of them; `to_credit`: those that come to less."""

    items: list[InvoiceLine]
    pending: int
    pending_total: str
    to_credit: int
    to_credit_total: str
    currency: str


class InvoiceSent(InvoiceDone):
    email: str


class NextDue(View):
    due: date
    amount: str


class Owed(View):
    """What somebody owes, or has as credit, and their next installment."""

    owed: str | None = None
    credit: str | None = None
    next_due: NextDue | None = None
