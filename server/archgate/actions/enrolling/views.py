"""What is answered when somebody is enrolled, waits or leaves the line."""

from __future__ import annotations

from datetime import date

from pydantic import Field

from archgate.actions.fees.views import QuoteLineView, QuoteView, TaxView
from archgate.actions.kernel.commands import Moment, View
from archgate.actions.money.views import NextDue
from archgate.core.states import EnrollmentStatus, Method, Role


class PaidView(View):
    """A payment that was taken with a sign-up; `receipt` is its number, `sent_to` where it was sent."""

    payment_id: int
    amount: str
    method: Method
    receipt_id: int | None
    receipt: str | None
    sent_to: str | None


class LetterOut(View):
    """A letter as it would go out."""

    to: str
    email: str | None
    subject: str
    text: str


class EnrolledView(View):
    """`seat` is the first of its seats, `held_until` in the center's time, where it is held for the first payment only. `letters`
    are said in a preview."""

    enrollment_id: int
    run_id: int
    person_id: int
    name: str
    seat: int
    heads: int
    capacity: int
    held_until: Moment | None
    change: str
    quote: QuoteView
    payment: PaidView | None = None
    letters: list[LetterOut] = Field(default_factory=list)


class NamedView(View):
    change: str
    enrollment_id: int
    n: int
    name: str


class CouldHave(View):
    """Somebody in line whom the seats that come free fit; `next`: in turn."""

    waiting_id: int
    name: str
    heads: int
    next: bool


class Withdrawal(View):
    """What a withdrawal does with the money; `credit` goes to the payer's account, `owed` stays to be paid. `line` says who
    gets the seat next, `could` who of the line fits it."""

    enrollment_id: int
    name: str
    currency: str
    account_id: int
    total: str
    paid: str
    kept: str
    why: str
    credit: str
    owed: str
    line: str
    could: list[CouldHave]


class Withdrawn(View):
    """`seat` says what became of the seat where that was wished."""

    change: str
    enrollment_id: int
    name: str
    run_id: int
    taken_back: str
    kept: str
    why: str
    seat: str = ""


class PlanRow(View):
    due: date
    amount: str
    left: str


class HeadsAt(View):
    rate_id: int | None
    count: int


class ExtraTaken(View):
    extra_id: int
    count: int


class EnrollmentOut(View):
    """One sign-up as agreed; `people`, `extras` and `code` are what it asks for, `plan` its installments as they stand."""

    id: int
    run_id: int
    person_id: int
    name: str
    status: EnrollmentStatus
    role: Role
    held_until: Moment | None
    waits_for_card: bool
    heads: int
    signed_up: date
    way_in: str
    note: str
    came_from: str | None
    account_id: int
    payer: str
    quote: QuoteView
    people: list[HeadsAt]
    extras: list[ExtraTaken]
    code: str | None
    plan: list[PlanRow]
    order_number: str
    contact: str
    batch_id: int | None
    sentence: str
    access_until: date | None
    next_due: NextDue | None


class EnrollmentChanged(View):
    """The total and the installments before and after; with `preview` nothing is saved. `credit` is that of the account."""

    change: str
    enrollment_id: int
    name: str
    currency: str
    total_before: str
    total: str
    lines: list[QuoteLineView]
    taxes: list[TaxView]
    before: list[PlanRow]
    after: list[PlanRow]
    credit: str


class HeadChanged(EnrollmentChanged):
    """Of a party with one head more or fewer; `kept` of the head that left, and `seat`, what became of its seat."""

    heads: int
    kept: str
    why: str
    seat: str


class Transferred(EnrolledView):
    """`carried` is what settles the new sign-up, `credit` what is left of what was paid, `owed` what is open there."""

    account_id: int
    to: str
    currency: str
    total_before: str
    paid: str
    kept: str
    why: str
    carried: str
    owed: str
    credit: str


class Swapped(View):
    change: str
    enrollment_id: int
    run_id: int
    name: str
    before: str
    payer: str


class MeetingCredit(View):
    """`amount` is taken off the sign-up; `credit` is what of it is free on the account, the rest was still owed."""

    name: str
    account_id: int
    amount: str
    credit: str


class GivenBack(View):
    change: str
    currency: str
    total: str
    people: list[MeetingCredit]


class OneOfMany(View):
    enrollment_id: int
    name: str
    kept: str
    credit: str
    owed: str
    why: str


class ManyDone(View):
    """What it does to each, and to all together."""

    change: str
    currency: str
    people: list[OneOfMany]
    kept: str
    credit: str
    owed: str


class ManyMoved(ManyDone):
    to: str
    to_run_id: int


class PersonRun(View):
    """A run a person signed up for, or (`guest`) was named on by somebody else's party."""

    enrollment_id: int
    run_id: int
    code: str
    title: str
    first: date | None
    last: date | None
    status: EnrollmentStatus
    role: Role
    decision: str
    access_until: date | None
    heads: int
    guest: bool
    payer: str | None
    signed_up: date
    currency: str
    total: str
    owed: str
    next_due: NextDue | None


class ParkedOut(View):
    id: int
    about: str
    at: Moment


class ParkedState(View):
    """A call that was taken up, as the desk had kept it, and those that are still parked."""

    state: str
    parked: list[ParkedOut]
