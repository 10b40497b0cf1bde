"""Fees: rates, early-bird steps, sale prices, group steps, extras and discount codes; the quote explains every line.

Amounts are smallest units of one currency. Days begin and end in the zone given; every range includes its last day.

1. Of a regular amount, every early step that still holds and a sale that runs, the lowest applies; they never add up.
   An amount agreed with the person stands instead of all of them, and no group step touches it.
2. The group step with the largest number that the people of the whole ask reach takes its percent off each price per head.
3. A discount code comes after that. Percent: one reduction for each rate line (less its group reduction) and extra line
   it is on. An amount off: once per ask, taken from the rates in the order in which they stand among the fees, then from
   the extras in theirs, never more than there is.
4. A percentage gives a reduction that is rounded half up to the smallest unit and then subtracted: per head in 1 and 2,
   per line in 3. Reductions of zero make no line.
5. Taxes come last, on what is left (`core.taxes`).

Lines stand in the order of the ask: its rates with their group reduction each, the extras in the order of the fees, then
the reductions of the code. Codes are compared letter by letter; whoever reads what people type makes capitals of them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from archgate.core.faults import Fault, Refused, pointer_of
from archgate.core.gates import first_moment, last_early_day, local_day, through_text
from archgate.core.money import decimal_text, format_amount, percent_of
from archgate.core.schedule import day_text
from archgate.core.taxes import Tax, taxes_on


@dataclass(frozen=True)
class EarlyStep:
    """One early-bird step: the new price, an amount off, or a percent off, through its last day."""

    until: date | None = None
    days_before: int | None = None
    amount: int | None = None
    off: int | None = None
    percent: Decimal | None = None


@dataclass(frozen=True)
class Sale:
    """A sale price for a stretch of days, both included; None is no limit."""

    first: date | None
    last: date | None
    amount: int

    def runs(self, day: date) -> bool:
        return within(day, self.first, self.last)


@dataclass(frozen=True)
class Rate:
    """`by_agreement`: staff may enter an amount of their own for it, with a reason."""

    code: str
    amount: int
    label: str
    early: tuple[EarlyStep, ...] = ()
    sale: Sale | None = None
    by_agreement: bool = False


@dataclass(frozen=True)
class Extra:
    """Something beside the seat. `required`: once per head; `stock` and `most` limit an ask, None does not."""

    code: str
    amount: int
    label: str
    required: bool = False
    stock: int | None = None
    most: int | None = None


@dataclass(frozen=True)
class GroupStep:
    people: int
    percent: Decimal


@dataclass(frozen=True)
class Code:
    """A discount code: `percent`, or `off` once per ask. `on` names rates and extras; None is every rate, no extra."""

    code: str
    percent: Decimal | None = None
    off: int | None = None
    first: date | None = None
    last: date | None = None
    on: frozenset[str] | None = None

    def runs(self, day: date) -> bool:
        return within(day, self.first, self.last)


@dataclass(frozen=True)
class Fees:
    """Everything that decides what an ask costs."""

    rates: tuple[Rate, ...]
    extras: tuple[Extra, ...] = ()
    group: tuple[GroupStep, ...] = ()
    codes: tuple[Code, ...] = ()
    taxes: tuple[Tax, ...] = ()


@dataclass(frozen=True)
class Agreed:
    """A price per head that staff agreed, and why."""

    amount: int
    reason: str


@dataclass(frozen=True)
class Heads:
    """So many people at one rate."""

    rate: str
    count: int
    agreed: Agreed | None = None


@dataclass(frozen=True)
class Ask:
    """Who signs up, with which extras (code, count), and under which discount code."""

    people: tuple[Heads, ...]
    extras: tuple[tuple[str, int], ...] = ()
    code: str | None = None

    @property
    def heads(self) -> int:
        return sum(h.count for h in self.people)


@dataclass(frozen=True)
class Line:
    """One line of a quote; reductions are negative. `of` is the rate or extra that the line belongs to."""

    kind: str  # "rate", "group", "extra", "code"
    code: str
    label: str
    quantity: int
    unit: int
    amount: int
    why: str
    of: str
    early: bool = False


@dataclass(frozen=True)
class TaxSum:
    name: str
    amount: int
    included: bool


@dataclass(frozen=True)
class NextChange:
    """The first midnight at which the same ask costs something else."""

    at: datetime
    total: int


@dataclass(frozen=True)
class Quote:
    currency: str
    lines: tuple[Line, ...]
    subtotal: int
    taxes: tuple[TaxSum, ...]
    total: int
    next_change: NextChange | None


def within(day: date, first: date | None, last: date | None) -> bool:
    return (first is None or first <= day) and (last is None or day <= last)


# --- the price per head -----------------------------------------------------------------------------------


@dataclass(frozen=True)
class UnitPrice:
    """The price per head, the sentence that explains it, and whether an early step gives it."""

    amount: int
    why: str
    early: bool = False


def step_price(rate: Rate, step: EarlyStep) -> int:
    """The price per head that a step gives, never below zero."""
    if step.amount is not None:
        return step.amount
    if step.off is not None:
        return max(0, rate.amount - step.off)
    return max(0, rate.amount - percent_of(rate.amount, step.percent or Decimal(0)))


def holding_steps(rate: Rate, day: date, start: date | None) -> list[tuple[int, date, EarlyStep]]:
    """The steps that still hold on a day, cheapest first, as (price, last day, step)."""
    holding = []
    for step in rate.early:
        last = last_early_day(step.until, step.days_before, start)
        if last is not None and day <= last:
            holding.append((step_price(rate, step), last, step))
    return sorted(holding, key=lambda f: (f[0], f[1]))


def lowest(rate: Rate, day: date, start: date | None) -> int:
    """The price per head by rule 1."""
    prices = [rate.amount, *(price for price, _, _ in holding_steps(rate, day, start))]
    if rate.sale and rate.sale.runs(day):
        prices.append(rate.sale.amount)
    return min(prices)


def unit_price(rate: Rate, day: date, start: date | None, currency: str) -> UnitPrice:
    """The price per head on a day by rule 1, with its sentence."""
    steps = holding_steps(rate, day, start)
    price = lowest(rate, day, start)
    regular = f"The regular amount is {format_amount(rate.amount, currency)}"
    sale = rate.sale if rate.sale and rate.sale.runs(day) else None
    if price == rate.amount:
        ended = rate.early and not steps and not sale
        return UnitPrice(price, f"{regular}." + (" No early step holds any more." if ended else ""))
    others = len(steps) + (sale is not None) > 1
    if steps and steps[0][0] == price:
        _, last, step = steps[0]
        if step.percent is not None:
            how = f" less {decimal_text(step.percent)} percent"
        elif step.off is not None:
            how = f" less {format_amount(step.off, currency)}"
        else:
            how = f"; the early price is {format_amount(price, currency)}"
        rule = f", {step.days_before} days before start" if step.until is None else ""
        also = " It is the lowest of the reductions that hold." if others else ""
        return UnitPrice(
            price, f"{regular}{how}. The early step holds {through_text(last)}{rule}.{also}", early=True
        )
    until = sale_text(sale) if sale else ""
    also = " It is the lowest of the reductions that hold." if others else ""
    return UnitPrice(price, f"{regular}; the sale price is {format_amount(price, currency)}{until}.{also}")


def sale_text(sale: Sale) -> str:
    """From when to when a sale runs, as far as it is bounded."""
    begins = f" from {day_text(sale.first)}" if sale.first else ""
    return begins + (f" {through_text(sale.last)}" if sale.last else "")


# --- the ask ----------------------------------------------------------------------------------------------


def counts_of(fees: Fees, ask: Ask) -> list[tuple[Extra, int]]:
    """The extras of an ask in the order of the fees, required ones added once per head where nothing was said."""
    asked = dict(ask.extras)
    counts = ((x, asked.get(x.code, ask.heads if x.required else 0)) for x in fees.extras)
    return [(extra, count) for extra, count in counts if count]


def code_of(fees: Fees, ask: Ask) -> Code | None:
    return next((c for c in fees.codes if c.code == ask.code), None)


def code_targets(fees: Fees, ask: Ask, code: Code) -> list[str]:
    """What a code is on, of what is asked: rates first, then extras, each in the order of the fees."""
    rates = {h.rate for h in ask.people}
    extras = [x.code for x, _ in counts_of(fees, ask)]
    on = code.on
    return [r.code for r in fees.rates if r.code in rates and (on is None or r.code in on)] + [
        e for e in extras if on is not None and e in on
    ]


def ask_faults(fees: Fees, ask: Ask, day: date | None, currency: str) -> list[Fault]:
    """What cannot be had as asked, each with its reason. `day`: also that the code runs on it."""
    rates = {r.code: r for r in fees.rates}
    faults = []
    for i, heads in enumerate(ask.people):
        at = f"/ask/people/{i}"
        if heads.rate not in rates:
            faults.append(Fault(f"{at}/rate", f'There is no rate "{heads.rate}".'))
        elif heads.agreed and not rates[heads.rate].by_agreement:
            sentence = f"The rate {rates[heads.rate].label} is not one that staff may agree an amount for."
            faults.append(Fault(f"{at}/agreed", sentence))
        if heads.count < 1:
            faults.append(Fault(f"{at}/count", "At least one person is needed."))
    if not ask.people:
        faults.append(Fault("/ask/people", "At least one person is needed."))
    if faults:
        return faults
    extras = {x.code: x for x in fees.extras}
    for name, count in ask.extras:
        at = pointer_of("ask", "extras", name)
        if name not in extras:
            faults.append(Fault(at, f'There is no extra "{name}".'))
        elif count < 1:
            faults.append(Fault(at, "Ask for at least one, or leave it out."))
        elif extras[name].required and count < ask.heads:
            faults.append(Fault(at, f"{extras[name].label} is required once per head, {ask.heads} in all."))
    for extra, count in counts_of(fees, ask):
        at = pointer_of("ask", "extras", extra.code)
        if extra.most is not None and count > extra.most:
            faults.append(
                Fault(at, f"At most {extra.most} of {extra.label} go with one sign-up, not {count}.")
            )
        if extra.stock is not None and count > extra.stock:
            faults.append(Fault(at, f"{extra.stock} of {extra.label} are in stock, not {count}."))
    if ask.code is not None:
        faults += code_faults(fees, ask, day, currency)
    return faults


def code_faults(fees: Fees, ask: Ask, day: date | None, currency: str) -> list[Fault]:
    code = code_of(fees, ask)
    if code is None:
        return [Fault("/ask/code", f'There is no code "{ask.code}".')]
    if day is not None and not code.runs(day):
        if code.first and day < code.first:
            return [Fault("/ask/code", f"The code {code.code} holds from {day_text(code.first)} on.")]
        return [Fault("/ask/code", f"The code {code.code} held {through_text(code.last or day)}.")]
    if not code_targets(fees, ask, code):
        return [Fault("/ask/code", f"The code {code.code} applies to nothing that is asked.")]
    return []


# --- the lines --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Part:
    """A line before it is put in words."""

    kind: str
    of: str
    quantity: int
    unit: int
    amount: int
    heads: Heads | None = None


def group_step(fees: Fees, heads: int) -> GroupStep | None:
    """The group step that a number of people reaches, if any."""
    reached = [g for g in fees.group if g.people <= heads]
    return max(reached, key=lambda g: (g.people, g.percent), default=None)


def parts_on(fees: Fees, ask: Ask, day: date, start: date | None) -> list[Part]:
    """The amounts of an ask on a day, line by line. The ask has no faults; a code that does not run is not given."""
    rates = {r.code: r for r in fees.rates}
    step = group_step(fees, ask.heads)
    parts = []
    for heads in ask.people:
        price = heads.agreed.amount if heads.agreed else lowest(rates[heads.rate], day, start)
        parts.append(Part("rate", heads.rate, heads.count, price, price * heads.count, heads))
        off = percent_of(price, step.percent) if step and not heads.agreed else 0
        if off:
            parts.append(Part("group", heads.rate, heads.count, -off, -off * heads.count, heads))
    parts += [Part("extra", x.code, n, x.amount, x.amount * n) for x, n in counts_of(fees, ask)]
    code = code_of(fees, ask)
    if code and code.runs(day):
        parts += list(code_parts(fees, ask, code, parts))
    return parts


def code_parts(fees: Fees, ask: Ask, code: Code, parts: list[Part]) -> Iterator[Part]:
    """The reductions of a code on lines that stand already, by rules 3 and 4."""
    targets = code_targets(fees, ask, code)
    if code.percent is not None:
        for of, price in line_prices(parts):
            off = percent_of(price, code.percent) if of in targets else 0
            if off:
                yield Part("code", of, 1, -off, -off)
        return
    left = code.off or 0
    for target in targets:
        for of, price in line_prices(parts):
            off = min(left, price) if of == target else 0
            if off:
                left -= off
                yield Part("code", of, 1, -off, -off)


def line_prices(parts: list[Part]) -> list[tuple[str, int]]:
    """What each rate line, less its group reduction, and each extra line comes to, in order."""
    prices: list[tuple[str, int]] = []
    for part in parts:
        if part.kind == "group":
            prices[-1] = (part.of, prices[-1][1] + part.amount)
        else:
            prices.append((part.of, part.amount))
    return prices


def line_of(fees: Fees, ask: Ask, part: Part, day: date, start: date | None, currency: str) -> Line:
    """A part in words."""
    labels = {r.code: r.label for r in fees.rates} | {x.code: x.label for x in fees.extras}
    label, sentence, early, code = labels[part.of], "", False, part.of
    if part.kind == "rate" and part.heads:
        if part.heads.agreed:
            sentence = f"Agreed: {format_amount(part.unit, currency)} a head. {part.heads.agreed.reason.rstrip('.')}."
        else:
            price = unit_price(next(r for r in fees.rates if r.code == part.of), day, start, currency)
            sentence, early = price.why, price.early
        sentence += f" {part.quantity} people." if part.quantity > 1 else ""
    elif part.kind == "group":
        step = group_step(fees, ask.heads)
        assert step is not None
        sentence = f"{decimal_text(step.percent)} percent off each head from {step.people} people on; {ask.heads} sign up."
        label = f"Group of {ask.heads}, {label}"
    elif part.kind == "extra":
        extra = next(x for x in fees.extras if x.code == part.of)
        sentence = f"{format_amount(extra.amount, currency)} each" + (
            ", required once per head." if extra.required else "."
        )
    else:
        discount = code_of(fees, ask)
        assert discount is not None
        how = (
            f"{decimal_text(discount.percent)} percent off this line"
            if discount.percent is not None
            else f"{format_amount(discount.off or 0, currency)} off, once per sign-up"
        )
        sentence = f"The code {discount.code}: {how}" + (
            f", {through_text(discount.last)}." if discount.last else "."
        )
        label, code = f"{discount.code}, {label}", discount.code
    return Line(part.kind, code, label, part.quantity, part.unit, part.amount, sentence, part.of, early)


def sums_of(parts: list[Part]) -> dict[str, int]:
    """What is charged by rate and extra after all reductions."""
    sums: dict[str, int] = {}
    for part in parts:
        sums[part.of] = sums.get(part.of, 0) + part.amount
    return sums


def total_on(fees: Fees, ask: Ask, day: date, start: date | None) -> int:
    """The total of an ask on a day, taxes on top included."""
    parts = parts_on(fees, ask, day, start)
    total = sum(p.amount for p in parts)
    amounts = taxes_on(fees.taxes, sums_of(parts))
    return total + sum(a for a, tax in zip(amounts, fees.taxes, strict=True) if not tax.included)


def quote_for(
    fees: Fees, ask: Ask, moment: datetime, start: date | None, zone: ZoneInfo, currency: str
) -> Quote:
    """What an ask costs at a moment, and when that changes next. Raises Refused with every fault of the ask."""
    day = local_day(moment, zone)
    faults = ask_faults(fees, ask, day, currency)
    if faults:
        raise Refused(faults)
    parts = parts_on(fees, ask, day, start)
    lines = tuple(line_of(fees, ask, p, day, start, currency) for p in parts)
    subtotal = sum(p.amount for p in parts)
    amounts = taxes_on(fees.taxes, sums_of(parts))
    taxes = tuple(TaxSum(t.name, amount, t.included) for t, amount in zip(fees.taxes, amounts, strict=True))
    total = subtotal + sum(t.amount for t in taxes if not t.included)
    return Quote(currency, lines, subtotal, taxes, total, next_change_of(fees, ask, day, start, zone, total))


# --- from day to day --------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Stretch:
    """Days, both included, on each of which an ask has the same total."""

    first: date
    last: date
    total: int


def turning_days(fees: Fees, ask: Ask, start: date | None) -> set[date]:
    """The first days on which the total of an ask may differ from the day before."""
    asked = {h.rate for h in ask.people if not h.agreed}
    lasts: list[date | None] = []
    firsts: list[date | None] = []
    for rate in fees.rates:
        if rate.code in asked:
            lasts += [last_early_day(s.until, s.days_before, start) for s in rate.early]
            if rate.sale:
                firsts.append(rate.sale.first)
                lasts.append(rate.sale.last)
    code = code_of(fees, ask)
    if code:
        firsts.append(code.first)
        lasts.append(code.last)
    after = {d + timedelta(days=1) for d in lasts if d is not None and d < date.max}
    return after | {d for d in firsts if d is not None}


def price_line_of(fees: Fees, ask: Ask, first: date, last: date, start: date | None) -> tuple[Stretch, ...]:
    """What an ask costs on every day from `first` through `last`; neighbors never have equal totals.

    Empty when `first` is after `last`. The ask has no faults; on days outside its dates a code counts as not given.
    """
    stretches: list[Stretch] = []
    if first > last:
        return ()
    days = sorted({first} | {d for d in turning_days(fees, ask, start) if first < d <= last})
    for n, day in enumerate(days):
        end = days[n + 1] - timedelta(days=1) if n + 1 < len(days) else last
        total = total_on(fees, ask, day, start)
        if stretches and stretches[-1].total == total:
            stretches[-1] = Stretch(stretches[-1].first, end, total)
        else:
            stretches.append(Stretch(day, end, total))
    return tuple(stretches)


def next_change_of(
    fees: Fees, ask: Ask, day: date, start: date | None, zone: ZoneInfo, total: int
) -> NextChange | None:
    """The first midnight after `day` at which the total of the same ask differs."""
    for turn in sorted(d for d in turning_days(fees, ask, start) if d > day):
        changed = total_on(fees, ask, turn, start)
        if changed != total:
            return NextChange(first_moment(turn, zone).astimezone(zone), changed)
    return None
