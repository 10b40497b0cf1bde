"""Fees: rates, early-bird steps and the quote, each line with the sentence that explains it.

Amounts are smallest units of one currency. Days begin and end in the zone given; every range includes its
last day. Of a regular amount and every early step that still holds, the lowest applies; they never add up.
A percentage gives a reduction that is rounded half up per unit price and then subtracted.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from archgate.core.faults import Fault, Refused
from archgate.core.gates import day_over, last_early_day, local_day, through_text
from archgate.core.money import format_amount, percent_of, percent_text


@dataclass(frozen=True)
class EarlyStep:
    """One early-bird step: the new price, an amount off, or a percent off, through its last day."""

    until: date | None = None
    days_before: int | None = None
    amount: int | None = None
    off: int | None = None
    percent: Decimal | None = None


@dataclass(frozen=True)
class Rate:
    code: str
    amount: int
    label: str
    early: tuple[EarlyStep, ...] = ()


@dataclass(frozen=True)
class Heads:
    """So many people at one rate."""

    rate: str
    count: int


@dataclass(frozen=True)
class Line:
    """One line of a quote; reductions are negative."""

    kind: str
    code: str
    label: str
    quantity: int
    unit: int
    amount: int
    why: str
    early: bool = False


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
    total: int
    next_change: NextChange | None


def step_price(rate: Rate, step: EarlyStep) -> int:
    """The price per head that a step gives, never below zero."""
    if step.amount is not None:
        return step.amount
    if step.off is not None:
        return max(0, rate.amount - step.off)
    return max(0, rate.amount - percent_of(rate.amount, step.percent or Decimal(0)))


def holding_steps(rate: Rate, day: date, start: date | None) -> list[tuple[int, date, EarlyStep]]:
    """The steps that still hold on a day, cheapest first, as (price, last day, step)."""
    found = []
    for step in rate.early:
        last = last_early_day(step.until, step.days_before, start)
        if last is not None and day <= last:
            found.append((step_price(rate, step), last, step))
    return sorted(found, key=lambda f: (f[0], f[1]))


@dataclass(frozen=True)
class UnitPrice:
    """The price per head, the sentence that explains it, and whether an early step gives it."""

    amount: int
    why: str
    early: bool = False


def unit_price(rate: Rate, day: date, start: date | None, currency: str) -> UnitPrice:
    """The price per head on a day."""
    steps = holding_steps(rate, day, start)
    regular = f"The regular amount is {format_amount(rate.amount, currency)}"
    if steps and steps[0][0] < rate.amount:
        price, last, step = steps[0]
        if step.percent is not None:
            how = f" less {percent_text(step.percent)} percent"
        elif step.off is not None:
            how = f" less {format_amount(step.off, currency)}"
        else:
            how = f"; the early price is {format_amount(price, currency)}"
        rule = f", {step.days_before} days before start" if step.until is None else ""
        also = " It is the lowest of the steps that hold." if len(steps) > 1 else ""
        why = f"{regular}{how}. The early step holds {through_text(last)}{rule}.{also}"
        return UnitPrice(price, why, early=True)
    if rate.early and not steps:
        return UnitPrice(rate.amount, f"{regular}. No early step holds any more.")
    return UnitPrice(rate.amount, f"{regular}.")


def lines_of(
    rates: dict[str, Rate], people: tuple[Heads, ...], day: date, start: date | None, currency: str
) -> tuple[Line, ...]:
    lines = []
    for heads in people:
        rate = rates[heads.rate]
        price = unit_price(rate, day, start, currency)
        why = price.why + (f" {heads.count} people." if heads.count > 1 else "")
        amount = price.amount * heads.count
        lines.append(Line("rate", rate.code, rate.label, heads.count, price.amount, amount, why, price.early))
    return tuple(lines)


def quote_for(
    rates: tuple[Rate, ...],
    people: tuple[Heads, ...],
    moment: datetime,
    start: date | None,
    zone: ZoneInfo,
    currency: str,
) -> Quote:
    """What these people pay at a moment, and when that changes next.

    Lines stand in the order of the ask. Raises Refused for an unknown rate or a count below 1.
    """
    by_code = {r.code: r for r in rates}
    faults = []
    for i, heads in enumerate(people):
        if heads.rate not in by_code:
            faults.append(Fault(f"/ask/people/{i}/rate", f'There is no rate "{heads.rate}".'))
        if heads.count < 1:
            faults.append(Fault(f"/ask/people/{i}/count", "At least one person is needed."))
    if not people:
        faults.append(Fault("/ask/people", "At least one person is needed."))
    if faults:
        raise Refused(faults)
    day = local_day(moment, zone)
    lines = lines_of(by_code, people, day, start, currency)
    total = sum(line.amount for line in lines)
    return Quote(currency, lines, total, total, next_change_of(by_code, people, day, start, zone, total))


@dataclass(frozen=True)
class Stretch:
    """Days, both included, on each of which an ask has the same total."""

    first: date
    last: date
    total: int


def price_line_of(
    rates: tuple[Rate, ...], people: tuple[Heads, ...], first: date, last: date, start: date | None
) -> tuple[Stretch, ...]:
    """What an ask costs on every day from `first` through `last`; neighbors never have equal totals.

    Empty when `first` is after `last`. `people` name known rates only.
    """
    by_code = {r.code: r for r in rates}
    found: list[Stretch] = []
    ends = sorted(
        {step for heads in people for step in step_ends(by_code[heads.rate], start) if first <= step < last}
        | {last}
    )
    day = first
    for end in ends if first <= last else []:
        total = total_on(by_code, people, day, start)
        if found and found[-1].total == total:
            found[-1] = Stretch(found[-1].first, end, total)
        else:
            found.append(Stretch(day, end, total))
        day = end + timedelta(days=1)
    return tuple(found)


def step_ends(rate: Rate, start: date | None) -> list[date]:
    """The last days of a rate's early steps."""
    ends = (last_early_day(step.until, step.days_before, start) for step in rate.early)
    return [end for end in ends if end is not None]


def total_on(rates: dict[str, Rate], people: tuple[Heads, ...], day: date, start: date | None) -> int:
    """The total of an ask on a day."""
    return sum(
        heads.count
        * min([rates[heads.rate].amount, *(p for p, _, _ in holding_steps(rates[heads.rate], day, start))])
        for heads in people
    )


def next_change_of(
    rates: dict[str, Rate],
    people: tuple[Heads, ...],
    day: date,
    start: date | None,
    zone: ZoneInfo,
    total: int,
) -> NextChange | None:
    """The first midnight after `day` at which the total of the same ask differs, looking at step ends only."""
    ends = {end for heads in people for end in step_ends(rates[heads.rate], start) if end >= day}
    for last in sorted(ends):
        changed = total_on(rates, people, last + timedelta(days=1), start)
        if changed != total:
            return NextChange(day_over(last, zone).astimezone(zone), changed)
    return None
