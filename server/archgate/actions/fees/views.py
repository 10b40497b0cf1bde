"""What a quote shows: its lines, taxes and installments, and the seat or the place in line that goes with it."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import Field

from archgate.actions.courses.forms import CenterDefaultsForm
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel.commands import AmountText, Moment, SignedText, View
from archgate.actions.seats.views import NameView
from archgate.core.plans import Settle
from archgate.core.quotes import AgreedQuote, document_of
from archgate.core.states import LineKind, SignUp


class QuoteLineView(View):
    kind: LineKind
    code: str
    label: str
    quantity: int
    unit: SignedText
    amount: SignedText
    why: str
    early: bool


class TaxView(View):
    name: str
    amount: AmountText
    included: bool


class InstallmentView(View):
    n: int
    due: date
    amount: AmountText
    settle: Settle
    why: str


class DueView(View):
    installments: list[InstallmentView]
    due_now: AmountText
    due_later: AmountText


class NextChangeView(View):
    at: datetime
    total: AmountText


class QuoteView(DueView):
    currency: str
    lines: list[QuoteLineView]
    subtotal: AmountText
    taxes: list[TaxView]
    total: AmountText
    next_change: NextChangeView | None


class SeatView(View):
    """The seat or the place in line of a sign-up, and whether one can sign up. `details` are the payer's payment details on
    file, in words; `early`: they may sign up before others, from the interest list; `access_until` is the last day of access."""

    run_id: int
    rate_id: int
    plan_id: int
    heads: int
    seat: int | None
    place: int | None
    capacity: int
    set_aside: str | None
    late: bool
    sign_up: SignUp
    why: str
    can_enroll: bool
    can_wait: bool
    details_needed: bool
    details: str | None
    early: bool
    access_until: date | None


class SeatQuoteView(QuoteView, SeatView):
    """A quote with its seat or its place in line."""


class RunQuoteView(SeatQuoteView):
    """Beside them whom the names typed for the other heads mean."""

    names: list[NameView]


def quote_view(quote: AgreedQuote) -> QuoteView:
    """A quote as screens show it."""
    return QuoteView.model_validate(document_of(quote))


def seat_quote_view(quote: AgreedQuote, seat: SeatView) -> SeatQuoteView:
    return SeatQuoteView.model_validate({**document_of(quote), **dict(seat)})


def run_quote_view(quote: SeatQuoteView, names: list[NameView]) -> RunQuoteView:
    return RunQuoteView.model_validate({**dict(quote), "names": names})


class CodeOut(View):
    """A code, or a set of `number` single-use ones. `cost` is what it took off for those who hold their seat."""

    id: int
    code: str
    note: str
    percent: str | None
    off: str | None
    from_: date | None = Field(alias="from")
    to: date | None
    most: int | None
    most_each: int | None
    course_ids: list[int]
    run_ids: list[int]
    on: list[str] | None
    active: bool
    number: int | None
    uses: int
    limit: int | None
    cost: str
    currency: str
    state: str


class CodeDone(CodeOut):
    change: str


class CodeUser(View):
    code: str
    person_id: int
    name: str
    run_id: int
    run: str
    amount: str
    live: bool
    at: Moment


class CodeUses(CodeOut):
    people: list[CodeUser]


class GroupStepIO(View):
    from_: int = Field(alias="from")
    percent: str


class PlanLineOut(View):
    percent: str | None
    amount: str | None
    parts: int | None
    rest: bool
    due: dict[str, str | int]
    settle: str
    text: str


class PlanOut(View):
    """`details`: payment details are taken at sign-up; `of_center`: it serves any run, not this one only."""

    id: int
    name: str
    note: str
    details: bool
    lines: list[PlanLineOut]
    of_center: bool


class PriceStretch(View):
    """Days, both included, on which one person pays the same."""

    from_: date = Field(alias="from")
    to: date
    total: str


class PriceLine(View):
    rate_id: int
    rate: str
    steps: list[PriceStretch]


class RateChoice(View):
    """`why_not`: why the person cannot have it; `left`: how many seats are left at it, where its number is limited."""

    id: int
    label: str
    amount: str
    by_agreement: bool
    why_not: str | None
    left: int | None


class ExtraChoice(View):
    id: int
    label: str
    amount: str
    required: bool
    most: int | None
    stock: int | None


class Choices(View):
    run_id: int
    rates: list[RateChoice]
    extras: list[ExtraChoice]
    plans: list[PlanOut]
    group: list[GroupStepIO]


class KeptOut(View):
    id: int
    run_id: int
    run: str
    title: str
    person_id: int
    name: str
    organization_id: int | None
    note: str
    last: date
    status: str
    ask: Ask
    quote: QuoteView
    total: str
    currency: str
    kept_at: Moment
    enrollment_id: int | None


class KeptDone(KeptOut):
    change: str


class KeptSent(KeptDone):
    sent: bool


class GateDay(View):
    label: str
    day: date


class ComparedRun(View):
    id: int
    code: str
    title: str
    currency: str
    start: date | None
    lines: list[PriceLine]
    warnings: list[str]
    gates: list[GateDay]


class Compared(View):
    today: date
    runs: list[ComparedRun]


class Reading(DueView):
    """What one person pays on a day, as a sentence."""

    day: date
    rate_id: int
    plan_id: int
    total: str
    text: str


class EarlyStart(View):
    run_id: int
    rate: str
    currency: str
    fee: str
    share: str
    target: str
    days: int
    rounding: str
    roundings: list[str]
    said: str


class IncomeAt(View):
    share: int
    income: str


class EarlyOut(View):
    currency: str
    early: str
    regular: str
    exact: str
    income: str
    break_even: str | None
    days: int
    incomes: list[IncomeAt]


class CourseName(View):
    id: int
    title: str


class CenterPlan(PlanOut):
    """A plan of the center; `agreed` counts the sign-ups on it and on what it replaced. No `courses`: any run."""

    active: bool
    agreed: int
    courses: list[CourseName]


class PlanDone(View):
    change: str
    plan: CenterPlan


class PlanChange(View):
    key: str
    at: Moment
    by: str
    text: str


class ExampleOut(DueView):
    """`said` is why there is no example: by how much the lines miss the whole, or what is missing."""

    signed_up: date
    start: date | None
    total: str
    currency: str
    said: list[str]


class PriceNow(View):
    amount: str
    why: str
    until: date | None
    then: str | None


class RunCode(View):
    id: int
    code: str


class StockOut(View):
    id: int
    name: str
    on_hand: int
    runs: list[RunCode]


class StockMoveOut(View):
    id: int
    quantity: int
    at: Moment
    cause: str


class StockLedger(View):
    id: int
    name: str
    on_hand: int
    moves: list[StockMoveOut]


class Defaults(View):
    """`values` is what runs start from; `courses_differ` counts the courses with a value of their own."""

    currency: str
    values: CenterDefaultsForm
    courses_differ: dict[str, int]


class DefaultsChanged(Defaults):
    change: str


class EarlyStepIO(View):
    until: date | None = None
    days_before: int | None = None
    amount: str | None = None
    off: str | None = None
    percent: str | None = None


class SaleIO(View):
    from_: date | None = Field(None, alias="from")
    to: date | None = None
    amount: str


class RateOut(View):
    """A rate with who may have it, when, and for how many heads."""

    id: int
    code: str
    label: str
    amount: str
    early: list[EarlyStepIO]
    sale: SaleIO | None = None
    by_agreement: bool = False
    tags: list[str] = []
    organization_id: int | None = None
    past_course_id: int | None = None
    offered_from: date | None = None
    offered_to: date | None = None
    most: int | None = None


class ExtraOut(View):
    """`item` is the stock item it is taken from, `stock` what is on hand of it."""

    id: int
    code: str
    label: str
    amount: str
    required: bool = False
    most: int | None = None
    item: str | None = None
    stock: int | None = None


class TaxIO(View):
    """`on` names rates and extras by their codes; none said is all of them."""

    name: str
    percent: str
    included: bool
    on: list[str] | None


class TermsView(View):
    """What a run costs."""

    rates: list[RateOut]
    extras: list[ExtraOut]
    group: list[GroupStepIO]
    taxes: list[TaxIO]
    plans: list[PlanOut]


class Origin(View):
    """Where a value comes from: "course", "center", "own", or "usual" where nobody said anything; and the default that it has or would have."""

    from_: str = Field(alias="from")
    default_of: str | None
    default: object
