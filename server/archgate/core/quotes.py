"""A quote as it was agreed: what an enrollment, or a kept quote, costs and when it is due; and the document that keeps it.

Amounts are smallest units of one currency; reductions, and what a meeting that fell out was worth, are negative. The
document is JSON with amounts as text in the currency's own decimals; `document_of` and `quote_read` are each other's
reverse, so that nothing adds sums that it parsed out of a text.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from functools import cached_property

from archgate.core import fees, plans
from archgate.core.fees import NextChange, TaxSum
from archgate.core.money import format_amount, parse_signed


@dataclass(frozen=True)
class Line:
    """One line. `kind` is a LineKind; a credit has its meeting and the taxes (name, amount) in it."""

    kind: str
    code: str
    label: str
    quantity: int
    unit: int
    amount: int
    why: str
    early: bool = False
    taxes: tuple[tuple[str, int], ...] = ()
    meeting_id: int | None = None


@dataclass(frozen=True)
class Due:
    """One installment as it was said."""

    n: int
    due: date
    amount: int
    settle: str
    why: str


@dataclass(frozen=True)
class AgreedQuote:
    """`due_now` is what falls due on the day of sign-up; `next_change` is said of a quote that still changes."""

    currency: str
    lines: tuple[Line, ...]
    taxes: tuple[TaxSum, ...] = ()
    installments: tuple[Due, ...] = ()
    due_now: int = 0
    next_change: NextChange | None = None

    @property
    def subtotal(self) -> int:
        return sum(line.amount for line in self.lines)

    @property
    def total(self) -> int:
        """The lines and the taxes on top; those in the price are in the lines."""
        return self.subtotal + sum(tax.amount for tax in self.taxes if not tax.included)

    @property
    def due_later(self) -> int:
        return self.total - self.due_now

    @cached_property
    def document(self) -> dict[str, object]:
        return _written(self)

    def of_kind(self, kind: str) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.kind == kind)

    def due_as(self, found: plans.Installments) -> AgreedQuote:
        """The same quote with the installments of a plan."""
        dues = tuple(Due(i.n, i.due, i.amount, str(i.settle), i.why) for i in found.installments)
        return replace(self, installments=dues, due_now=found.due_now)

    def credited(self, line: Line) -> AgreedQuote:
        """One line more, which takes off what a meeting was worth, and its taxes with it."""
        return replace(self, lines=(*self.lines, line), taxes=moved(self.taxes, line, -1))

    def without_credit(self, line: Line) -> AgreedQuote:
        """The reverse of `credited`."""
        return replace(
            self, lines=tuple(x for x in self.lines if x != line), taxes=moved(self.taxes, line, 1)
        )


def moved(taxes: tuple[TaxSum, ...], line: Line, sign: int) -> tuple[TaxSum, ...]:
    """Taxes with those of a line more (1) or less (-1)."""
    parts = dict(line.taxes)
    return tuple(replace(tax, amount=tax.amount + sign * parts.get(tax.name, 0)) for tax in taxes)


def agreed_of(quote: fees.Quote, due: plans.Installments | None = None) -> AgreedQuote:
    """A quote of the core as it will be agreed, with its installments where it has a plan."""
    lines = tuple(
        Line(x.kind, x.code, x.label, x.quantity, x.unit, x.amount, x.why, x.early) for x in quote.lines
    )
    agreed = AgreedQuote(quote.currency, lines, quote.taxes, next_change=quote.next_change)
    return agreed.due_as(due) if due else agreed


# --- the document -----------------------------------------------------------------------------------------


def document_of(quote: AgreedQuote) -> dict[str, object]:
    """A quote as it is kept and as screens show it. It is made once for each quote, and only read."""
    return quote.document


def _written(quote: AgreedQuote) -> dict[str, object]:

    def money(amount: int) -> str:
        return format_amount(amount, quote.currency)

    change = quote.next_change
    return {
        "currency": quote.currency,
        "lines": [
            {
                "kind": x.kind, "code": x.code, "label": x.label, "quantity": x.quantity, "unit": money(x.unit),
                "amount": money(x.amount), "why": x.why, "early": x.early,
                **({"taxes": [{"name": n, "amount": money(a)} for n, a in x.taxes], "meeting_id": x.meeting_id}
                   if x.kind == "credit" else {}),
            }
            for x in quote.lines
        ],
        "subtotal": money(quote.subtotal),
        "taxes": [{"name": t.name, "amount": money(t.amount), "included": t.included} for t in quote.taxes],
        "total": money(quote.total),
        "next_change": {"at": change.at.isoformat(), "total": money(change.total)} if change else None,
        "installments": [
            {"n": i.n, "due": i.due.isoformat(), "amount": money(i.amount), "settle": i.settle, "why": i.why}
            for i in quote.installments
        ],
        "due_now": money(quote.due_now),
        "due_later": money(quote.due_later),
    }  # fmt: skip


class Kept:
    """An object of a quote's document. Raises ValueError where it does not hold what it should."""

    def __init__(self, document: object, currency: str) -> None:
        if not isinstance(document, Mapping):
            raise ValueError("A quote's document holds objects.")
        self.held, self.currency = document, currency

    def text(self, key: str) -> str:
        value = self.held[key]
        if not isinstance(value, str):
            raise ValueError(f"{key} of a quote is a text.")
        return value

    def whole(self, key: str) -> int:
        value = self.held[key]
        if not isinstance(value, int):
            raise ValueError(f"{key} of a quote is a whole number.")
        return value

    def units(self, key: str) -> int:
        """An amount in smallest units; what is left out is nothing."""
        return parse_signed(self.text(key), self.currency) if self.held.get(key) else 0

    def rows(self, key: str) -> list[Kept]:
        value = self.held.get(key) or ()
        if isinstance(value, str) or not isinstance(value, Sequence):
            raise ValueError(f"{key} of a quote is a list.")
        return [Kept(row, self.currency) for row in value]


def quote_read(document: Mapping[str, object]) -> AgreedQuote:
    """The quote that a document keeps. It was written by `document_of`, or by an earlier version of it, which left out
    what did not occur then. Raises ValueError or KeyError for anything else."""
    top = Kept(document, str(document["currency"]))
    change = Kept(document["next_change"], top.currency) if document.get("next_change") else None
    return AgreedQuote(
        top.currency,
        tuple(line_read(x) for x in top.rows("lines")),
        tuple(TaxSum(t.text("name"), t.units("amount"), bool(t.held["included"])) for t in top.rows("taxes")),
        tuple(
            Due(
                i.whole("n"),
                date.fromisoformat(i.text("due")),
                i.units("amount"),
                i.text("settle"),
                i.text("why"),
            )
            for i in top.rows("installments")
        ),
        top.units("due_now"),
        NextChange(datetime.fromisoformat(change.text("at")), change.units("total")) if change else None,
    )


def line_read(row: Kept) -> Line:
    return Line(
        row.text("kind"),
        row.text("code"),
        row.text("label"),
        row.whole("quantity"),
        row.units("unit"),
        row.units("amount"),
        row.text("why"),
        bool(row.held.get("early")),
        tuple((t.text("name"), t.units("amount")) for t in row.rows("taxes")),
        row.whole("meeting_id") if row.held.get("meeting_id") is not None else None,
    )
