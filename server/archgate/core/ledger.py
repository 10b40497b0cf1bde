"""The money ledger: postings of balanced entries, never edited, only reversed.

An entry's amount is in smallest units; positive is a debit, negative a credit. A payer's account goes up
(debit) by what they owe. Every posting sums to zero in one currency, so all accounts together do too.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Entry:
    account: int
    amount: int


@dataclass(frozen=True)
class Posting:
    """A cause and its entries. `kind`: charge, reversal, payment, refund, credit ..."""

    kind: str
    currency: str
    entries: tuple[Entry, ...]


def charge_of(payer: int, income: int, amount: int, currency: str) -> Posting:
    """What an enrollment costs: the payer owes it, the center earns it."""
    return Posting("charge", currency, (Entry(payer, amount), Entry(income, -amount)))


def reversal_of(posting: Posting) -> Posting:
    """The posting that takes another back: the same entries with the other sign."""
    return Posting("reversal", posting.currency, tuple(Entry(e.account, -e.amount) for e in posting.entries))


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
