"""The ledger as plain text of double entries, which open bookkeeping tools read: one block a posting, balances asserted at the end.

Accounts of payers and postings are named by their numbers, so that no name of a person leaves the center with it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from archgate.core.money import format_amount

ROOMS = {
    "service fees": "Expenses:ServiceFees",
    "income": "Income:Fees",
    "discounts": "Expenses:Discounts",
    "write-offs": "Expenses:Write-offs",
}


@dataclass(frozen=True)
class Block:
    """One posting: (account owner, account id, smallest units) by entry."""

    day: date
    kind: str
    cause: str
    currency: str
    entries: tuple[tuple[str, int, int], ...]


def account_name(owner: str, number: int) -> str:
    """person:5 and organization:2 are assets of the center; its own accounts stand in the room of their kind."""
    kind, _, name = owner.partition(":")
    if kind != "center":
        return f"Assets:Payers:P{number}"
    room, _, what = name.partition(":")
    if room == "tax":
        return f"Liabilities:Tax:T{number}"
    if room == "method":
        return f"Assets:Tills:{word(what)}"
    return ROOMS.get(name, f"Equity:{word(name)}")


def word(text: str) -> str:
    """A name that may stand in an account: letters, digits and hyphens, a capital first."""
    return re.sub(r"[^A-Za-z0-9-]+", "-", text).strip("-").capitalize() or "Other"


def quoted(text: str) -> str:
    return '"' + text.replace("\\", " ").replace('"', "'").replace("\n", " ") + '"'


def ledger_text(blocks: Iterable[Block], balances: Mapping[tuple[str, str], int], day: date) -> str:
    """The whole ledger through a day; `balances` by account name and currency are asserted on the day after."""
    blocks_read = list(blocks)
    first = min((b.day for b in blocks_read), default=day)
    names = sorted({account_name(owner, number) for b in blocks_read for owner, number, _ in b.entries})
    lines = ["; Ledger, exported as plain text", *(f"{first.isoformat()} open {name}" for name in names), ""]
    for block in blocks_read:
        lines.append(f"{block.day.isoformat()} * {quoted(block.kind)} {quoted(block.cause)}")
        lines += [
            f"  {account_name(owner, number)}  {format_amount(units, block.currency)} {block.currency}"
            for owner, number, units in block.entries
        ]
        lines.append("")
    after = (max([day, *(b.day for b in blocks_read)]) + timedelta(days=1)).isoformat()
    lines += [
        f"{after} balance {name}  {format_amount(units, currency)} {currency}"
        for (name, currency), units in sorted(balances.items())
    ]
    return "\n".join(lines) + "\n"
