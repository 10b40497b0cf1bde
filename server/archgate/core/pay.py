"""What instructors are paid for a run, and what is left for the center.

Amounts are whole numbers of the currency's smallest unit; hours, quantities and percents are decimals that are not negative.
Shares are of the income less the payment service's fees less what the center deducts first, never below zero: their percents
together are rounded half up and shared by largest remainder, so that what the instructors get together and what the center
keeps always add up to the income after fees. Everything else is rounded half up, each term and each extra line by itself.
The order of deductions (fees, then deductions, then shares) is common practice.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal

from archgate.core.faults import Fault, Refused
from archgate.core.money import decimal_text, digits_of, format_amount, percent_of, shares_of
from archgate.core.states import Part, PayKind

WHOLE = Decimal(100)


@dataclass(frozen=True)
class Term:
    """How one instructor is paid: an amount per hour of contact, meeting or head, a flat one, or a percent of the income.

    `hours` and `meetings` are theirs; None: the run's. `amount` is in smallest units, `percent` for shares only.
    """

    who: str
    kind: PayKind
    amount: int = 0
    percent: Decimal = Decimal(0)
    hours: Decimal | None = None
    meetings: int | None = None
    part: Part = Part.LEAD


@dataclass(frozen=True)
class PayExtra:
    """A line beside the terms (preparation, mileage): a quantity times a unit price, which may have more decimals than the
    currency. `unit` counts whole currency, not smallest units: Decimal("0.655") is 65.5 cents."""

    who: str
    label: str
    quantity: Decimal
    unit: Decimal


@dataclass(frozen=True)
class Facts:
    """What pay is worked out from: contact hours, meetings and heads of the run, what came in for it, what the payment service
    kept of that, and what the center deducts before shares."""

    currency: str
    hours: Decimal
    meetings: int
    heads: int
    income: int
    payment_fees: int = 0
    deduct: int = 0

    @property
    def after_fees(self) -> int:
        return self.income - self.payment_fees

    @property
    def base(self) -> int:
        """What shares are taken of."""
        return max(0, self.after_fees - self.deduct)


@dataclass(frozen=True)
class Line:
    label: str
    amount: int
    why: str


@dataclass(frozen=True)
class Paid:
    who: str
    lines: tuple[Line, ...]

    @property
    def total(self) -> int:
        return sum(line.amount for line in self.lines)


@dataclass(frozen=True)
class Pay:
    """What everybody is paid, in the order in which they were named first, and what the center keeps of the income after
    fees (below zero: it pays more than came in)."""

    people: tuple[Paid, ...]
    center: int

    @property
    def total(self) -> int:
        return sum(p.total for p in self.people)


def rounded(amount: Decimal) -> int:
    """Half up to the smallest unit; amounts here are never negative."""
    return int(amount.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def share_faults(terms: Sequence[Term], at: Callable[[int], str]) -> list[Fault]:
    """Shares of a run are at most the whole: the fault stands at the term with which they pass it."""
    together = Decimal(0)
    for n, term in enumerate(terms):
        if term.kind is not PayKind.SHARE:
            continue
        together += term.percent
        if together > WHOLE:
            return [
                Fault(
                    at(n),
                    f"The shares come to {decimal_text(together)} percent; together they are at most 100.",
                )
            ]
    return []


def pay_of(facts: Facts, terms: Sequence[Term], extra: Sequence[PayExtra] = ()) -> Pay:
    """What is paid for a run. Raises Refused when the shares are more than the whole.

    >>> run = Facts("USD", Decimal("14.00"), 8, 11, 236400, 7120, 1200)
    >>> pay = pay_of(run, [Term("i1", PayKind.HOUR, 4200, hours=Decimal("9.00")), Term("i2", PayKind.SHARE, percent=Decimal(30))])
    >>> [(p.who, p.total) for p in pay.people], pay.center
    ([('i1', 37800), ('i2', 68424)], 123056)
    """
    faults = share_faults(terms, lambda n: f"/terms/{n}/share_percent")
    if faults:
        raise Refused(faults)
    shares = iter(shares_in(facts, terms))
    lines: dict[str, list[Line]] = {}
    for term in terms:
        amount = next(shares) if term.kind is PayKind.SHARE else own_amount(facts, term)
        lines.setdefault(term.who, []).append(Line(label_of(term), amount, why_of(facts, term)))
    for row in extra:
        amount = rounded(row.quantity * row.unit * 10 ** digits_of(facts.currency))
        why = f"{decimal_text(row.quantity)} at {decimal_text(row.unit)} {facts.currency} each."
        lines.setdefault(row.who, []).append(Line(row.label, amount, why))
    people = tuple(Paid(who, tuple(own)) for who, own in lines.items())
    return Pay(people, facts.after_fees - sum(p.total for p in people))


def shares_in(facts: Facts, terms: Sequence[Term]) -> tuple[int, ...]:
    """The amounts of the terms that are shares, in their order."""
    percents = [t.percent for t in terms if t.kind is PayKind.SHARE]
    if not any(percents):
        return (0,) * len(percents)
    return shares_of(percent_of(facts.base, sum(percents, Decimal(0))), percents)


def own_amount(facts: Facts, term: Term) -> int:
    """The amount of a term that is no share."""
    match term.kind:
        case PayKind.HOUR:
            return rounded(term.amount * (facts.hours if term.hours is None else term.hours))
        case PayKind.MEETING:
            return term.amount * (facts.meetings if term.meetings is None else term.meetings)
        case PayKind.HEAD:
            return term.amount * facts.heads
        case _:
            return term.amount


LABELS = {
    PayKind.HOUR: "Per hour",
    PayKind.MEETING: "Per meeting",
    PayKind.FLAT: "Flat",
    PayKind.HEAD: "Per head",
    PayKind.SHARE: "Share of the income",
}


def label_of(term: Term) -> str:
    return LABELS[term.kind] if term.part is Part.LEAD else f"{LABELS[term.kind]}, as {term.part}"


def why_of(facts: Facts, term: Term) -> str:
    """The sentence behind a line; hours that come out uneven, as 50 minutes do, are said to two decimals and paid exactly."""
    money = format_amount(term.amount, facts.currency)
    match term.kind:
        case PayKind.HOUR:
            hours = facts.hours if term.hours is None else term.hours
            return f"{decimal_text(round(hours, 2))} contact hours at {money} each."
        case PayKind.MEETING:
            meetings = facts.meetings if term.meetings is None else term.meetings
            return f"{meetings} {'meeting' if meetings == 1 else 'meetings'} at {money} each."
        case PayKind.HEAD:
            return f"{facts.heads} {'head' if facts.heads == 1 else 'heads'} at {money} each."
        case PayKind.SHARE:
            base = format_amount(facts.base, facts.currency)
            less = [f"payment fees of {format_amount(facts.payment_fees, facts.currency)}"] * bool(
                facts.payment_fees
            ) + [f"{format_amount(facts.deduct, facts.currency)} deducted first"] * bool(facts.deduct)
            tail = f", the income less {' and '.join(less)}" if less else ", the income"
            return f"{decimal_text(term.percent)} percent of {base}{tail}."
        case _:
            return f"{money} for the run."


def cost_of_meetings(facts: Facts, term: Term, minutes: Sequence[int]) -> int:
    """What meetings of so many minutes cost by a term: their hours, the meetings, or their part of what is paid for the whole
    run; rounded half up, once.

    >>> cost_of_meetings(Facts("USD", Decimal(14), 8, 11, 0), Term("i1", PayKind.HOUR, 4200), [105])
    7350
    """
    if term.kind is PayKind.HOUR:
        return rounded(Decimal(term.amount) * sum(minutes) / 60)
    if term.kind is PayKind.MEETING:
        return term.amount * len(minutes)
    whole = shares_in(facts, [term])[0] if term.kind is PayKind.SHARE else own_amount(facts, term)
    return rounded(Decimal(whole) * len(minutes) / max(1, facts.meetings))


@dataclass(frozen=True)
class AtSeats:
    """What a run with so many heads brings in after fees, what it pays, and what the center keeps."""

    heads: int
    income: int
    pay: int
    center: int


def at_every_number(
    facts: Facts, each: int, fee_percent: Decimal, terms: Sequence[Term], extra: Sequence[PayExtra], most: int
) -> tuple[AtSeats, ...]:
    """What a run pays with 0 to `most` heads, when each brings in `each` and the payment service keeps `fee_percent` of it.
    With as many heads as there are, the income and the fees that are known stand instead."""
    rows = []
    for heads in range(most + 1):
        income = each * heads
        supposed = replace(facts, heads=heads, income=income, payment_fees=percent_of(income, fee_percent))
        at = facts if heads == facts.heads else supposed
        pay = pay_of(at, terms, extra)
        rows.append(AtSeats(heads, at.after_fees, pay.total, pay.center))
    return tuple(rows)


def break_even(rows: Sequence[AtSeats]) -> int | None:
    """The smallest number of heads from which on the center keeps something or breaks even; None: at no number."""
    found = None
    for row in reversed(rows):
        if row.center < 0:
            break
        found = row.heads
    return found
