"""Refund policy: what a center keeps when somebody withdraws, by the days before the start, and why.

Source: common practice, no source. Amounts are smallest units of one currency, percents Decimal; days are the center's.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from archgate.core.money import format_amount, percent_of, percent_text


@dataclass(frozen=True)
class RefundStep:
    """So many days before the start, or earlier, this percent of the price is given back."""

    days_before: int
    percent: Decimal


@dataclass(frozen=True)
class Policy:
    """The steps, in any order, and a fee that is kept in any case. No step reached: nothing is given back."""

    steps: tuple[RefundStep, ...]
    kept_fee: int = 0


@dataclass(frozen=True)
class Kept:
    """What stays with the center of a price, and the sentence that explains it."""

    amount: int
    why: str


def kept_of(policy: Policy | None, total: int, start: date | None, day: date, currency: str) -> Kept:
    """What the center keeps of a price when somebody withdraws on a day.

    The step with the largest number of days that the day still reaches decides; its percent of the price, rounded half
    up, is given back, less the kept fee, never less than nothing. Without a policy, or without a start to count from,
    everything is given back.
    """
    if total == 0:
        return Kept(0, "Nothing was charged.")
    if policy is None or not policy.steps:
        return Kept(0, "There is no refund policy; everything is given back.")
    if start is None:
        return Kept(0, "The run has no start to count days from; everything is given back.")
    days = (start - day).days
    reached = [s for s in policy.steps if days >= s.days_before]
    percent = max(reached, key=lambda s: s.days_before).percent if reached else Decimal(0)
    back = max(0, percent_of(total, percent) - policy.kept_fee)
    when = f"{days} day{'' if days == 1 else 's'} before the start" if days >= 0 else "after the start"
    fee = (
        f", less the kept fee of {format_amount(policy.kept_fee, currency)}"
        if policy.kept_fee and percent
        else ""
    )
    return Kept(
        total - back, f"{when[0].upper()}{when[1:]} {percent_text(percent)} percent is given back{fee}."
    )
