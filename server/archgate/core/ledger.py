"""The money ledger: postings of balanced entries, never edited, only reversed.

An entry's amount is in smallest units; positive is a debit, negative a credit. A payer's account goes up
(debit) by what they owe. Every posting sums to zero in one currency, so all accounts together do too.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum


class Kind(StrEnum):
    CHARGE = "charge"
    DISCOUNT = "discount"
    TAX = "tax"
    PAYMENT = "payment"
    REFUND = "refund"
    WRITE_OFF = "write-off"
    CREDIT = "credit"
    SERVICE_FEE = "service fee"
    REVERSAL = "reversal"


CHARGING = (Kind.CHARGE, Kind.DISCOUNT, Kind.TAX, Kind.CREDIT)  # what a sign-up costs


@dataclass(frozen=True)
class Entry:
    account: int
    amount: int


@dataclass(frozen=True)
class Posting:
    """A cause and its entries."""

    kind: str
    currency: str
    entries: tuple[Entry, ...]


def charge_of(payer: int, income: int, amount: int, currency: str) -> Posting:
    """What an enrollment costs: the payer owes it, the center earns it."""
    return Posting(Kind.CHARGE, currency, (Entry(payer, amount), Entry(income, -amount)))


def enrollment_postings(
    payer: int,
    account: Callable[[str], int],
    amounts: Sequence[int],
    taxes: Sequence[tuple[str, int, bool]],
    currency: str,
) -> list[Posting]:
    """The postings of a sign-up: charge, discount and one tax each, as far as they are not zero.

    `amounts` are the lines of the quote, reductions negative; `taxes` are (name, amount, whether it is in the price).
    `account` gives the center's account of a name: income, discounts, tax:NAME. An included tax is part of the lines, so
    income is what they come to without it. The payer owes exactly the total of the quote.
    """
    charged = sum(a for a in amounts if a > 0) - sum(t for _, t, included in taxes if included)
    off = -sum(a for a in amounts if a < 0)
    postings = [charge_of(payer, account("income"), charged, currency)]
    postings.append(Posting(Kind.DISCOUNT, currency, (Entry(account("discounts"), off), Entry(payer, -off))))
    postings += [
        Posting(Kind.TAX, currency, (Entry(payer, tax), Entry(account(f"tax:{name}"), -tax)))
        for name, tax, _ in taxes
    ]
    return [p for p in postings if any(e.amount for e in p.entries)]


def payment_of(payer: int, method: int, amount: int, currency: str) -> Posting:
    """Money that came in by a method: the payer owes less."""
    return Posting(Kind.PAYMENT, currency, (Entry(method, amount), Entry(payer, -amount)))


def refund_of(payer: int, method: int, amount: int, currency: str) -> Posting:
    """Money that went back: the credit on the payer's account is less."""
    return Posting(Kind.REFUND, currency, (Entry(payer, amount), Entry(method, -amount)))


def write_off_of(payer: int, lost: int, amount: int, currency: str) -> Posting:
    """What is no longer expected from a payer."""
    return Posting(Kind.WRITE_OFF, currency, (Entry(lost, amount), Entry(payer, -amount)))


def credit_of(
    payer: int, account: Callable[[str], int], amount: int, taxes: Sequence[tuple[str, int]], currency: str
) -> Posting:
    """What a sign-up costs less from now on: the payer owes so much less, of income and of the taxes (name, amount)."""
    parts = [(f"tax:{name}", tax) for name, tax in taxes]
    parts.append(("income", amount - sum(tax for _, tax in taxes)))
    entries = tuple(Entry(account(name), part) for name, part in parts if part)
    return Posting(Kind.CREDIT, currency, (Entry(payer, -amount), *entries))


def service_fee_of(method: int, fees: int, amount: int, currency: str) -> Posting:
    """What the bank or the payment service kept of a payment: the center bears it, the payer's account is untouched."""
    return Posting(Kind.SERVICE_FEE, currency, (Entry(fees, amount), Entry(method, -amount)))


def reversal_of(posting: Posting) -> Posting:
    """The posting that takes another back: the same entries with the other sign."""
    entries = tuple(Entry(e.account, -e.amount) for e in posting.entries)
    return Posting(Kind.REVERSAL, posting.currency, entries)


def check_ledger_balances(postings: Iterable[tuple[int, Posting]]) -> list[str]:
    """Every posting (id, posting) that does not sum to zero; empty when the ledger is in order."""
    wrong = []
    for number, posting in postings:
        off = sum(e.amount for e in posting.entries)
        if off:
            wrong.append(f"Posting {number} is off by {off}.")
    return wrong


def balances_of(postings: Iterable[Posting]) -> dict[int, int]:
    """The balance of every account that has entries."""
    sums: dict[int, int] = defaultdict(int)
    for posting in postings:
        for entry in posting.entries:
            sums[entry.account] += entry.amount
    return dict(sums)
