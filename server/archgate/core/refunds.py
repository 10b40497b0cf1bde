"""Refund policy: what a center keeps when somebody withdraws or moves to another run, what a meeting that falls out is
worth, and why.

Source: common practice, no source. Amounts are smallest units of one currency, percents Decimal; days are the center's.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from archgate.core.money import decimal_text, format_amount, percent_of, shares_of


@dataclass(frozen=True)
class RefundStep:
    """So many days before the start, or earlier, this percent of the price is given back."""

    days_before: int
    percent: Decimal


@dataclass(frozen=True)
class Policy:
    """The steps, in any order, and a fee that is kept in any case. No step reached: nothing is given back.

    `transfer_fee` is kept of a sign-up that moves to another run, on whatever day.
    """

    steps: tuple[RefundStep, ...]
    kept_fee: int = 0
    transfer_fee: int = 0


@dataclass(frozen=True)
class Kept:
    """What stays with the center of a price, and the sentence that explains it."""

    amount: int
    why: str


@dataclass(frozen=True)
class Settled:
    """What becomes of a payer's money when a sign-up ends: what is kept, what becomes credit, what stays owed."""

    kept: int
    credit: int
    owed: int


def settled(paid: int, kept: int) -> Settled:
    """What was paid settles what is kept first.

    >>> settled(paid=10000, kept=4000)
    Settled(kept=4000, credit=6000, owed=0)
    >>> settled(paid=1000, kept=4000)
    Settled(kept=4000, credit=0, owed=3000)
    """
    return Settled(kept, max(0, paid - kept), max(0, kept - paid))


def settled_together(each: Iterable[Settled]) -> Settled:
    """The same of several sign-ups in one currency."""
    rows = list(each)
    return Settled(sum(s.kept for s in rows), sum(s.credit for s in rows), sum(s.owed for s in rows))


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
        total - back, f"{when[0].upper()}{when[1:]} {decimal_text(percent)} percent is given back{fee}."
    )


def kept_of_no_show(total: int) -> Kept:
    """What the center keeps of somebody who did not come: the whole price, whatever the policy gives back before."""
    if total == 0:
        return Kept(0, "Nothing was charged.")
    return Kept(total, "Who does not come gets nothing back.")


def kept_of_transfer(policy: Policy | None, total: int, currency: str) -> Kept:
    """What the center keeps of a sign-up that moves to another run: the transfer fee, never more than the price."""
    if total == 0:
        return Kept(0, "Nothing was charged.")
    if policy is None or policy.transfer_fee == 0:
        return Kept(0, "There is no fee for a transfer; all of the price moves along.")
    fee = min(policy.transfer_fee, total)
    return Kept(
        fee, f"The fee for a transfer, {format_amount(fee, currency)}, is kept; the rest moves along."
    )


def share_of_meeting(total: int, minutes: Sequence[int], which: int) -> int:
    """What one meeting is worth of a price: the price shared among all planned meetings by their length.

    Largest remainder, ties to the earlier meeting, so that all meetings together are worth exactly the price. `minutes`
    hold those of every planned meeting, `which` is the place of the one that falls out. Source: common practice, no source.
    """
    return shares_of(total, minutes)[which]
