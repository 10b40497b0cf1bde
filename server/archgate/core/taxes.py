"""Taxes on a document: one or two, in the price or on top, each on the lines it names.

Amounts are smallest units of one currency, percents Decimal. What is charged bears taxes that are in its price, or taxes
on top, never both; a document may hold both kinds. Taxes are worked out on sums, never line by line, and rounded half up
once: the total of a document decides (so it is with the Excise Tax Act of Canada, s. 165.2, and the GST Act of
Australia, s. 9-90).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

from archgate.core.money import percent_of, shares_of


@dataclass(frozen=True)
class Tax:
    """`on` names the rates and extras it applies to; None means all of them."""

    name: str
    percent: Decimal
    included: bool = False
    on: frozenset[str] | None = None

    def applies_to(self, code: str) -> bool:
        return self.on is None or code in self.on


def taxes_on(taxes: tuple[Tax, ...], sums: Mapping[str, int]) -> tuple[int, ...]:
    """The sum of each tax, in order, on what is charged by code (of a rate or an extra) after all reductions.

    On top: per tax percent of everything it applies to. Included: what is charged is put together by the set of included
    taxes that applies to it; the tax in each set's price (`tax_in`) is shared among its taxes by largest remainder in
    proportion to their percents, and net is what is left, so that net and taxes always make the price.
    """
    amounts = [
        0
        if tax.included
        else percent_of(sum(s for code, s in sums.items() if tax.applies_to(code)), tax.percent)
        for tax in taxes
    ]
    prices: dict[tuple[int, ...], int] = {}
    for code, price in sums.items():
        which = tuple(i for i, tax in enumerate(taxes) if tax.included and tax.applies_to(code))
        prices[which] = prices.get(which, 0) + price
    for which, price in prices.items():
        percents = [taxes[i].percent for i in which]
        if any(percents):
            shares = shares_of(tax_in(price, sum(percents, Decimal(0))), percents)
            for i, share in zip(which, shares, strict=True):
                amounts[i] += share
    return tuple(amounts)


def tax_in(price: int, percent: Decimal) -> int:
    """The tax in a price: price x percent / (100 + percent), rounded half up.

    >>> tax_in(9045, Decimal("11"))  # 896.35
    896
    >>> tax_in(105, Decimal("20"))  # 17.5: half a cent goes up in the tax, not in the net
    18
    """
    return int((price * percent / (100 + percent)).quantize(Decimal(1), rounding=ROUND_HALF_UP))


def both_kinds(taxes: tuple[Tax, ...], codes: Iterable[str]) -> list[tuple[int, str]]:
    """Which rates and extras would bear taxes in the price and on top: the first tax (its index) of the other kind, and
    the code; each code once, in order."""
    mixed = []
    for code in codes:
        borne = [i for i, tax in enumerate(taxes) if tax.applies_to(code)]
        other = next((i for i in borne if taxes[i].included != taxes[borne[0]].included), None)
        if other is not None:
            mixed.append((other, code))
    return mixed
