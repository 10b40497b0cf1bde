"""What a quote shows: its lines, taxes and installments, and the seat or the place in line that goes with it."""

from __future__ import annotations

from datetime import date, datetime

from archgate.actions.kernel.commands import AmountText, SignedText, View
from archgate.actions.seats.views import NameView
from archgate.core.gates import SignUp
from archgate.core.plans import Settle
from archgate.core.quotes import AgreedQuote, document_of
from archgate.core.states import LineKind


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
    file, in words."""

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
