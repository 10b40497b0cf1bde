"""A quote as agreed: its document is read back the same, and its sums follow from its lines."""

from dataclasses import replace
from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.fees import NextChange, TaxSum
from archgate.core.quotes import AgreedQuote, Due, Line, document_of, quote_read

units = st.integers(-(10**9), 10**9)
words = st.text(st.characters(exclude_categories=["Cs"]), max_size=20)
lines = st.builds(
    Line, st.sampled_from(["rate", "group", "extra", "code"]), words, words, st.integers(1, 20), units, units, words, st.booleans()
)  # fmt: skip
credits = st.builds(
    Line, st.just("credit"), st.just(""), words, st.just(1), units, units, words, st.just(False),
    st.lists(st.tuples(st.sampled_from(["A", "B"]), st.integers(1, 10**6)), max_size=2, unique_by=lambda t: t[0]).map(tuple),
    st.integers(1, 10**9),
)  # fmt: skip
taxes = st.lists(
    st.builds(TaxSum, st.sampled_from(["A", "B"]), st.integers(0, 10**9), st.booleans()), max_size=2, unique_by=lambda t: t.name
).map(tuple)  # fmt: skip
quotes = st.builds(
    AgreedQuote,
    st.sampled_from(["USD", "JPY", "KWD"]),
    st.lists(st.one_of(lines, credits), max_size=6).map(tuple),
    taxes,
    st.lists(st.builds(Due, st.integers(1, 99), st.dates(), units, st.sampled_from(["any", "desk"]), words), max_size=4).map(tuple),
    units,
    st.none() | st.builds(NextChange, st.datetimes(timezones=st.just(UTC)), units),
)  # fmt: skip


@given(quotes)
def test_what_is_kept_of_a_quote_is_read_back_the_same(quote):
    assert quote_read(document_of(quote)) == quote
    assert document_of(quote_read(document_of(quote))) == document_of(quote)


@given(quotes, credits)
def test_a_credit_given_and_taken_back_leaves_the_quote_as_it_was(quote, line):
    given_back = quote.credited(line)
    parts = dict(line.taxes)
    top = sum(parts.get(t.name, 0) for t in quote.taxes if not t.included)
    assert given_back.total == quote.total + line.amount - top
    if line not in quote.lines:
        assert given_back.without_credit(line) == quote


def test_the_total_is_what_the_lines_and_the_taxes_on_top_come_to():
    """Worked by hand: 378.00 + 31.50, 63.00 of it tax in the price, 1.89 on top: 411.39; half of it now."""
    quote = AgreedQuote(
        "USD",
        (
            Line("rate", "standard", "Standard", 2, 21000, 42000, ""), Line("code", "LINTEL", "", 1, -4200, -4200, ""),
            Line("extra", "handbook", "Handbook", 1, 3150, 3150, ""),
        ),
        (TaxSum("In", 6300, True), TaxSum("Top", 189, False)), (), 20570, NextChange(datetime(2027, 8, 28, 4, tzinfo=UTC), 44379),
    )  # fmt: skip
    assert (quote.subtotal, quote.total, quote.due_later) == (40950, 41139, 20569)
    shown = document_of(quote)
    assert (shown["subtotal"], shown["total"], shown["due_now"], shown["due_later"]) == (
        "409.50", "411.39", "205.70", "205.69",
    )  # fmt: skip
    assert [x["amount"] for x in shown["lines"]] == ["420.00", "-42.00", "31.50"]


def test_a_quote_of_an_earlier_version_is_read_without_what_did_not_occur_then():
    old = {
        "currency": "USD", "subtotal": "100.00", "total": "106.00", "due_now": "106.00", "due_later": "0.00",
        "lines": [{"kind": "rate", "code": "s", "label": "S", "quantity": 1, "unit": "100.00", "amount": "100.00", "why": ""}],
        "taxes": [{"name": "T", "amount": "6.00", "included": False}],
        "installments": [{"n": 1, "due": "2027-08-01", "amount": "106.00", "settle": "any", "why": ""}],
    }  # fmt: skip
    quote = quote_read(old)
    assert (quote.total, quote.lines[0].early, quote.next_change) == (10600, False, None)
    assert quote.installments == (Due(1, date(2027, 8, 1), 10600, "any", ""),)
    assert replace(quote, due_now=0).due_later == 10600


@pytest.mark.parametrize(
    "broken", [{}, {"currency": "USD", "lines": [{}]}, {"currency": "???", "due_now": "1.00"}]
)
def test_anything_else_is_not_read_as_a_quote(broken):
    with pytest.raises((KeyError, ValueError)):
        quote_read(broken)
