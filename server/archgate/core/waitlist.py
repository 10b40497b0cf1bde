"""The waitlist: who is offered a seat next, until when, and how good the chances are.

Order: a larger head start first, then who joined earlier, then the smaller id. Rule `fit`: a party too large for the
free seats keeps its place, and the next that fits is offered; `strict`: nobody behind it is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal, localcontext
from enum import StrEnum
from typing import Generic, TypeVar

K = TypeVar("K", int, str)  # what a party is known by


def parties_text(number: int) -> str:
    return "1 party" if number == 1 else f"{number} parties"


class Rule(StrEnum):
    FIT = "fit"
    STRICT = "strict"


@dataclass(frozen=True)
class Party(Generic[K]):
    """So many heads that wait together. `head_start` is a rank, larger is earlier."""

    id: K
    heads: int
    joined: datetime
    head_start: int = 0


@dataclass(frozen=True)
class Offer(Generic[K]):
    """A seat offered to a party, which answers before `until`."""

    party: Party[K]
    until: datetime


def in_order(parties: Sequence[Party[K]]) -> tuple[Party[K], ...]:
    """The line, first in line first."""
    return tuple(sorted(parties, key=lambda p: (-p.head_start, p.joined, p.id)))


def next_that_fits(line: Sequence[Party[K]], free: int, rule: Rule = Rule.FIT) -> Party[K] | None:
    """The next in line for so many free seats: the first that fits, or under the strict rule only the very first."""
    reached = line if rule is Rule.FIT else line[:1]
    return next((p for p in reached if p.heads <= free), None)


def goes_first(waiting: Sequence[int], free: int, rule: Rule = Rule.FIT) -> bool:
    """Whether somebody who waits comes before anybody new: who fits the free seats, or under the strict rule anybody."""
    return any(heads <= free for heads in waiting) if rule is Rule.FIT else bool(waiting)


def next_offers(
    line: Sequence[Party[K]], free: int, rule: Rule, at: datetime, hours: int, closes: datetime | None
) -> tuple[tuple[Offer[K], ...], int]:
    """The offers to make now, in the order of the line, and the seats left over.

    An offer ends `hours` later, but not after sign-up closes; once it has closed nothing is offered.
    """
    if closes is not None and closes <= at:
        return (), free
    until = at.astimezone(UTC) + timedelta(
        hours=hours
    )  # elapsed hours, also where the clocks change meanwhile
    until = (until if closes is None else min(until, closes)).astimezone(at.tzinfo)
    offers = []
    for party in line:
        if party.heads <= free:
            offers.append(Offer(party, until))
            free -= party.heads
        elif rule is Rule.STRICT:
            break
    return tuple(offers), free


def chances_of(
    line: Sequence[Party[K]], capacity: int, taken: int, leave_rate: Decimal
) -> tuple[Decimal, ...]:
    """The probability for each party, in the order of the line, that it gets its seats, to four decimals half up.

    Each of the `taken` seats is given up independently with `leave_rate`; needed are the heads of everybody ahead and of
    this party, less the seats free now, plus what is taken over the capacity. P(X >= needed), X binomial; 1 where nothing
    more is needed. Source: the binomial distribution (checked against scipy.stats.binom).
    """
    free = capacity - taken  # negative is the deficit
    needs, ahead = [], 0
    for party in line:
        ahead += party.heads
        needs.append(max(0, ahead - free))
    below = below_of(taken, leave_rate, max(needs, default=0))
    step = Decimal("0.0001")
    return tuple(
        Decimal(1).quantize(step)
        if need == 0
        else (1 - below[min(need, len(below) - 1)]).quantize(step, ROUND_HALF_UP)
        for need in needs
    )


def wilson(hits: int, tries: int) -> tuple[Decimal, Decimal]:
    """Between what a share lies of which `hits` of `tries` were seen: Wilson's score interval for 95 in 100, to six decimals.
    Nothing seen leaves it open, from 0 through 1. Source: E. B. Wilson, JASA 22 (1927), 209-212.

    >>> wilson(0, 0)
    (Decimal('0'), Decimal('1'))
    """
    if tries == 0:
        return Decimal(0), Decimal(1)
    with localcontext() as context:
        context.prec = 30
        z, n, p = Decimal("1.959963984540054"), Decimal(tries), Decimal(hits) / Decimal(tries)
        middle = p + z * z / (2 * n)
        reach = z * ((p * (1 - p) + z * z / (4 * n)) / n).sqrt()
        scale = 1 + z * z / n
        step = Decimal("0.000001")
        low, high = max(Decimal(0), (middle - reach) / scale), min(Decimal(1), (middle + reach) / scale)
        return low.quantize(step), high.quantize(step)


def below_of(n: int, p: Decimal, most: int) -> list[Decimal]:
    """P(X < k) for k from 0 through `most`, at most n + 1; X binomial over n with p from 0 through 1."""
    with localcontext() as context:
        context.prec = 60
        context.Emin, context.Emax = -(10**9), 10**9
        sums, last = [Decimal(0)], min(most, n + 1)
        if p == 1:
            return [Decimal(0)] * (n + 1) + [Decimal(1)] if last == n + 1 else [Decimal(0)] * (last + 1)
        mass, odds = (1 - p) ** n, p / (1 - p)
        for k in range(last):
            sums.append(sums[-1] + mass)
            mass = mass * (n - k) / (k + 1) * odds
        return [min(s, Decimal(1)) for s in sums]
