"""Fees as documents: read strictly, with every fault at once; and the calculator `quote`.

The readers of rates, extras, group steps, codes and taxes serve the calculator and the forms of a run alike.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

from archgate.core.faults import Fault, Refused, pointer_of
from archgate.core.fees import (
    Ask,
    Code,
    EarlyStep,
    Extra,
    Fees,
    GroupStep,
    Heads,
    Quote,
    Rate,
    Sale,
    ask_faults,
    price_line_of,
    quote_for,
)
from archgate.core.money import format_amount
from archgate.core.taxes import Tax, both_kinds
from archgate.documents.reader import Document, Reader

RATE_KEYS = "code label amount early sale"
EXTRA_KEYS = "code label amount required stock most"
CODE_KEYS = "code percent off from to on"
TAX_KEYS = "name percent included on"
MOST_TAXES = 2
UNNAMED = ""  # stands for every rate and extra that no tax names


def read_step(row: Reader, currency: str | None) -> EarlyStep | None:
    before = len(row.faults)
    row.one_of(("until", "days_before"), True, "An early step's end")
    row.one_of(("amount", "off", "percent"), True, "An early step")
    step = EarlyStep(
        row.day("until", "The last day of the step"),
        row.whole("days_before", "The days before the start", 0, 3660),
        row.amount("amount", "The early price", currency),
        row.amount("off", "The amount off", currency),
        row.percent("percent", "The percent off"),
    )
    return step if len(row.faults) == before else None


def read_sale(row: Reader, currency: str | None) -> Sale | None:
    amount = row.amount("amount", "The sale price", currency, need=True)
    first, last = row.day("from", "The first day of the sale"), row.day("to", "The last day of the sale")
    if first and last and last < first:
        row.fault("to", "The sale ends before it begins.")
        return None
    return None if amount is None else Sale(first, last, amount)


def read_rate(row: Reader, currency: str | None) -> Rate | None:
    code = row.text("code", "The rate's code", need=True)
    amount = row.amount("amount", "The amount", currency, need=True)
    steps = [
        read_step(s, currency)
        for s in row.rows("early", "The early steps", "until days_before amount off percent")
    ]
    sale = read_sale(row.inner("sale", "The sale", "from to amount"), currency) if row.has("sale") else None  # type: ignore[arg-type]
    label = row.text("label", "The label") or code
    if code is None or amount is None or label is None:
        return None
    return Rate(code, amount, label, tuple(s for s in steps if s), sale)


def read_extra(row: Reader, currency: str | None) -> Extra | None:
    code = row.text("code", "The extra's code", need=True)
    amount = row.amount("amount", "The amount", currency, need=True)
    required = row.flag("required", "Whether it is required")
    stock = row.whole("stock", "The stock", 0, 10**9)
    most = row.whole("most", "The most of one sign-up", 1, 10**6)
    label = row.text("label", "The label") or code
    if code is None or amount is None or label is None:
        return None
    return Extra(code, amount, label, required, stock, most)


def read_group(top: Reader) -> tuple[GroupStep, ...]:
    """Group steps by number of people; two steps from the same number contradict each other."""
    steps: dict[int, GroupStep] = {}
    for row in top.rows("group", "The group steps", "from percent"):
        people = row.whole("from", "The number of people", 1, 10**6, need=True)
        percent = row.percent("percent", "The percent off", need=True)
        if people is None or percent is None:
            continue
        if people in steps:
            row.fault("from", f"Two group steps begin at {people}.")
        steps[people] = GroupStep(people, percent)
    return tuple(steps.values())


def read_on(row: Reader, known: Iterable[str] | None, what: str) -> frozenset[str] | None:
    """The rates and extras a code or tax is on; None where nothing is said. `known` None: any name will do."""
    codes = row.take("on", list, False, "What it is on")
    for i, name in enumerate(codes or []):
        if not isinstance(name, str) or (known is not None and name not in known):
            row.faults.append(Fault(f"{row.at}/on/{i}", f'There is no {what} "{name}".'))
    return None if codes is None else frozenset(x for x in codes if isinstance(x, str))


def read_code(row: Reader, currency: str | None, known: Iterable[str] | None) -> Code | None:
    before = len(row.faults)
    code = row.text("code", "The code", need=True)
    row.one_of(("percent", "off"), True, "A code")
    percent, off = row.percent("percent", "The percent off"), row.amount("off", "The amount off", currency)
    first, last = row.day("from", "The first day"), row.day("to", "The last day")
    if first and last and last < first:
        row.fault("to", "The code ends before it begins.")
    on = read_on(row, known, "rate or extra")
    return Code(code, percent, off, first, last, on) if code and len(row.faults) == before else None


def read_taxes(top: Reader, known: Iterable[str] | None, most: int = 1000) -> tuple[Tax, ...]:
    """The taxes of a document; a rate or extra that would bear taxes in the price and on top is refused by name.

    `known` are the rates and extras there are. None: any name will do, as in defaults; then those that are named count.
    """
    taxes_read: list[Tax] = []
    rows = top.rows("taxes", "The taxes", TAX_KEYS, most=most)
    for row in rows:
        name = row.text("name", "The name of the tax", need=True)
        percent = row.percent("percent", "The percent", need=True)
        included = row.flag("included", "Whether it is in the price")
        on = read_on(row, known, "rate or extra")
        if name is not None and percent is not None:
            taxes_read.append(Tax(name, percent, included, on))
    taxes = tuple(taxes_read)
    if len(taxes) == len(rows):
        named = sorted({code for tax in taxes for code in tax.on or ()})
        for i, code in both_kinds(taxes, sorted(known) if known is not None else [*named, UNNAMED]):
            what = f'"{code}"' if code else "Whatever is not named"
            rows[i].fault(
                "included", f"{what} would bear a tax in its price and one on top; it takes one kind."
            )
    return taxes


def note_twice(rows: list[Reader], read: Iterable[Rate | Extra | Code | None], seen: set[str]) -> None:
    """A fault for every code that stands already; rates and extras share one set of codes, as `on` names either."""
    for row, value in zip(rows, read, strict=True):
        if value and value.code in seen:
            row.fault("code", f'The code "{value.code}" is used twice.')
        if value:
            seen.add(value.code)


def read_ask(ask: Reader) -> Ask:
    people, extras = [], []
    for row in ask.rows("people", "The people", "rate count"):
        code = row.text("rate", "The rate", need=True)
        count = row.whole("count", "The number of people", -(10**6), 10**6, need=True)
        if code is not None and count is not None:
            people.append(Heads(code, count))
    asked = ask.take("extras", dict, False, "The extras") or {}
    for name, number in asked.items():
        if isinstance(number, bool) or not isinstance(number, int) or abs(number) > 10**6:
            ask.faults.append(Fault(ask.at + pointer_of("extras", name), "A whole number, please."))
        else:
            extras.append((name, number))
    return Ask(tuple(people), tuple(extras), ask.text("code", "The code"))


def quote_of(document: object) -> Document:
    """`calc quote`: what an ask costs at a moment, line by line, and when that changes; or its price line.

    `ask.at` decides: with a moment the quote, and `ask.from` is then only checked to be a date; without one, the price
    line from `ask.from` through the start. A rate and an extra of the same code are refused, since `on` could mean either.
    """
    faults: list[Fault] = []
    top = Reader(document, "", faults, "currency time_zone start rates extras group codes taxes ask")
    currency, zone = top.currency(), top.zone()
    start = top.day("start", "The start")
    rows = top.rows("rates", "The rates", RATE_KEYS)
    rates = [read_rate(r, currency) for r in rows]
    if not rows:
        top.fault("rates", "At least one rate is needed.")
    extra_rows = top.rows("extras", "The extras", EXTRA_KEYS)
    extras = [read_extra(r, currency) for r in extra_rows]
    seen: set[str] = set()
    note_twice(rows, rates, seen)
    note_twice(extra_rows, extras, seen)
    if start is None and any(s.days_before is not None for r in rates if r for s in r.early):
        top.fault("start", "The start is missing: an early step counts the days before it.")
    group = read_group(top)
    code_rows = top.rows("codes", "The codes", CODE_KEYS)
    codes = [read_code(r, currency, seen) for r in code_rows]
    note_twice(code_rows, codes, set())
    taxes = read_taxes(top, seen)
    row = top.inner("ask", "The ask", "people extras code at from")
    moment, first, ask = None, None, Ask(())
    if row:
        moment, first = row.moment("at", "The moment", zone), row.day("from", "The first day")
        ask = read_ask(row)
        if not row.has("at"):
            if not row.has("from"):
                row.fault("at", "The moment is missing; a price line takes a date in from instead.")
            elif start is None:
                top.fault("start", "The start is missing: the price line ends with it.")
            elif first and first > start:
                row.fault("from", "The price line would begin after the start.")
    if faults:
        raise Refused(faults)
    assert currency and zone
    fees = Fees(
        tuple(r for r in rates if r),
        tuple(x for x in extras if x),
        group,
        tuple(c for c in codes if c),
        taxes,
    )
    if moment is not None:
        return quote_document(quote_for(fees, ask, moment, start, zone, currency))
    assert first and start
    wrong = ask_faults(fees, ask, None, currency)
    if wrong:
        raise Refused(wrong)
    return {"price_line": line_document(fees, ask, first, start, currency)}


def line_document(fees: Fees, ask: Ask, first: date, start: date, currency: str) -> list[Document]:
    return [
        {"from": s.first.isoformat(), "to": s.last.isoformat(), "total": format_amount(s.total, currency)}
        for s in price_line_of(fees, ask, first, start, start)
    ]


def quote_document(quote: Quote) -> Document:
    currency = quote.currency
    change = quote.next_change
    return {
        "lines": [
            {
                "kind": line.kind,
                "code": line.code,
                "label": line.label,
                "quantity": line.quantity,
                "unit": format_amount(line.unit, currency),
                "amount": format_amount(line.amount, currency),
                "why": line.why,
            }
            for line in quote.lines
        ],
        "subtotal": format_amount(quote.subtotal, currency),
        "taxes": [
            {"name": t.name, "amount": format_amount(t.amount, currency), "included": t.included}
            for t in quote.taxes
        ],
        "total": format_amount(quote.total, currency),
        "next_change": change
        and {"at": change.at.isoformat(), "total": format_amount(change.total, currency)},
    }
