"""Judging prices: what a price line does that a buyer would not expect, and what to charge early and late.

Amounts are smallest units of one currency; shares are percents as Decimal.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from itertools import pairwise
from statistics import median_low

from archgate.core.faults import Fault, Refused
from archgate.core.fees import Rate, Stretch
from archgate.core.gates import last_early_day, through_text
from archgate.core.money import format_amount
from archgate.core.schedule import day_text

FAR = 2  # a price is far from others above twice or below half their median


def falls_later(label: str, line: Sequence[Stretch], currency: str) -> list[str]:
    """Where a price falls as the start comes nearer, so that waiting pays."""
    return [
        f"{label}: the price falls from {format_amount(a.total, currency)} to {format_amount(b.total, currency)}"
        f" on {day_text(b.first)}; whoever waits pays less."
        for a, b in pairwise(line)
        if b.total < a.total
    ]


def ends_too_early(rate: Rate, opens: date, start: date | None) -> list[str]:
    """Early steps and sales that are over before anybody can sign up."""
    early = []
    for step in rate.early:
        last = last_early_day(step.until, step.days_before, start)
        if last is not None and last < opens:
            early.append(
                f"{rate.label}: the early step holds {through_text(last)}, before sign-up opens on {day_text(opens)}."
            )
    if rate.sale and rate.sale.last and rate.sale.last < opens:
        early.append(
            f"{rate.label}: the sale runs {through_text(rate.sale.last)}, before sign-up opens on {day_text(opens)}."
        )
    return early


def far_from_others(label: str, amount: int, others: Sequence[int], currency: str) -> list[str]:
    """A price over twice, or under half, of what the course's other runs usually cost."""
    if not others:
        return []
    usual = median_low(others)
    if usual and (amount > FAR * usual or amount * FAR < usual):
        how = "more than twice" if amount > usual else "less than half"
        return [
            f"{label}: {format_amount(amount, currency)} is {how} what the other runs of this course cost,"
            f" usually {format_amount(usual, currency)}."
        ]
    return []


@dataclass(frozen=True)
class EarlyPlan:
    """A regular price that keeps today's fee as the early one. Shares and incomes are per seat sold.

    `break_even` is the share of early sign-ups at which the income per seat is exactly the target, which is what one
    price for all at the target would bring: with fewer early sign-ups the two prices bring more. None when the regular
    price is not above the early one, since the share then changes nothing.
    """

    early: int
    regular: int
    exact: Decimal
    income: int
    break_even: Decimal | None
    incomes: tuple[tuple[int, int], ...]


def early_plan(early: int, share: Decimal, target: int, step: int, currency: str) -> EarlyPlan:
    """The regular price that brings `target` per seat when `share` percent sign up early at today's fee.

    regular = (target - share x early) / (1 - share), rounded half up to a multiple of `step` units; a share of 100 is
    refused, since then nobody pays it, and so is a target that needs a regular price below the early one.
    Break-even share = (regular - target) / (regular - early). `incomes` holds the income per seat, rounded half up, at
    every share of 0, 5, ... 100 percent. Source: common practice, no source (an average of two prices, solved for one).
    """
    faults = []
    if not 0 <= share < 100:
        faults.append(Fault("/share", "The share that signs up early is from 0 to less than 100 percent."))
    if target < early:
        low = format_amount(early, currency)
        faults.append(
            Fault(
                "/target",
                f"The target is below today's fee of {low}; then no higher regular price is needed.",
            )
        )
    if step < 1:
        faults.append(Fault("/rounding", "The rounding is a positive amount."))
    if faults:
        raise Refused(faults)
    part = share / 100
    exact = (target - part * early) / (1 - part)
    regular = max(early, int((exact / step).quantize(Decimal(1), rounding=ROUND_HALF_UP)) * step)
    even = None
    if regular > early:
        even = (Decimal(100 * (regular - target)) / (regular - early)).quantize(
            Decimal("0.1"), rounding=ROUND_HALF_UP
        )
        even = min(Decimal(100), max(Decimal(0), even))
    incomes = tuple((s, income_at(Decimal(s), early, regular)) for s in range(0, 101, 5))
    return EarlyPlan(early, regular, exact, income_at(share, early, regular), even, incomes)


def income_at(share: Decimal, early: int, regular: int) -> int:
    """The income per seat when `share` percent pay the early price."""
    whole = (share * early + (100 - share) * regular) / 100
    return int(whole.quantize(Decimal(1), rounding=ROUND_HALF_UP))
