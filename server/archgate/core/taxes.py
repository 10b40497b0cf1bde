"""Taxes on a document: one or two, in the price or on top, each on the lines it names.

Amounts are smallest units of one currency, percents Decimal. All taxes of one document are included in the prices,
or none is. Taxes are worked out on sums, never line by line, and rounded half up once: the total of a document decides
(so it is with the Excise Tax Act of Canada, s. 165.2, and the GST Act of Australia, s. 9-90).
"""

from __future__ import annotations

from collections.abc import Mapping
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

    On top: per tax percent of everything it applies to. Included: what is charged is put together by the set of taxes
    that applies to it; of each set net = gross x 100 / (100 + the percents together), rounded half up, and what is left
    is shared among its taxes by largest remainder in proportion to their percents, so that net and taxes always make
    the price.
    """
    if not any(tax.included for tax in taxes):
        return tuple(
            percent_of(sum(s for code, s in sums.items() if tax.applies_to(code)), tax.percent)
            for tax in taxes
        )
    found = [0] * len(taxes)
    gross: dict[tuple[int, ...], int] = {}
    for code, held in sums.items():
        which = tuple(i for i, tax in enumerate(taxes) if tax.applies_to(code))
        gross[which] = gross.get(which, 0) + held
    for which, price in gross.items():
        percents = [taxes[i].percent for i in which]
        if any(percents):
            for i, share in zip(
                which, shares_of(price - net_of(price, sum(percents)), percents), strict=True
            ):
                found[i] += share
    return tuple(found)


def net_of(gross: int, percent: Decimal | int) -> int:
    """The price without the taxes that are in it: gross x 100 / (100 + percent), rounded half up."""
    return int((Decimal(gross) * 100 / (100 + percent)).quantize(Decimal(1), rounding=ROUND_HALF_UP))
