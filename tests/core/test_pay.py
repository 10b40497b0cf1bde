"""Pay of instructors: each kind, the order of deductions, the odd cents, and what is left for the center."""

from dataclasses import replace
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.faults import Refused
from archgate.core.pay import (
    Facts,
    PayExtra,
    Term,
    at_every_number,
    break_even,
    cost_of_meetings,
    pay_of,
)
from archgate.core.states import Part, PayKind
from archgate.documents.calculators import CALCULATORS
from core.test_calculators import EXAMPLES, refusal

RUN = Facts("USD", Decimal("14.00"), 8, 11, 236400, 7120, 1200)


def paid(facts, *terms, extra=()):
    return {p.who: p.total for p in pay_of(facts, terms, extra).people}


@pytest.mark.parametrize(
    ("term", "amount"),
    [
        (Term("i", PayKind.HOUR, 4200), 58800),
        (Term("i", PayKind.HOUR, 4200, hours=Decimal("9.00")), 37800),
        (Term("i", PayKind.MEETING, 9600), 76800),
        (Term("i", PayKind.MEETING, 9600, meetings=3), 28800),
        (Term("i", PayKind.FLAT, 64000), 64000),
        (Term("i", PayKind.HEAD, 5800), 63800),
        (Term("i", PayKind.SHARE, percent=Decimal(30)), 68424),
    ],
)
def test_each_kind_of_pay(term, amount):
    assert paid(RUN, term) == {"i": amount}


def test_shares_of_four_fifths_and_three_quarters_are_taken_after_fees_and_deductions():
    """Common practice, no source: four fifths to an instructor who brings the course, three where the center sells a quarter;
    after the payment service's fees, deductions first."""
    income = Facts("USD", Decimal(10), 5, 10, 100000, 3000, 2000)
    assert paid(income, Term("i", PayKind.SHARE, percent=Decimal(80))) == {"i": 76000}
    assert pay_of(income, [Term("i", PayKind.SHARE, percent=Decimal(75))]).center == 97000 - 71250


def test_shares_of_several_are_rounded_together_and_the_odd_cent_goes_to_the_largest_fraction():
    base = Facts("USD", Decimal(1), 1, 1, 101)
    thirds = [Term(who, PayKind.SHARE, percent=Decimal("33.3")) for who in "abc"]
    # 99.9 % of 101 is 100.899, rounded half up to 101; a third each is 33.67: two get one more.
    assert paid(base, *thirds) == {"a": 34, "b": 34, "c": 33}


def test_an_extra_line_may_have_more_decimals_than_the_currency():
    mileage = PayExtra("i", "Mileage", Decimal(84), Decimal("0.655"))
    assert paid(RUN, extra=[mileage]) == {"i": 5502}
    assert paid(
        Facts("JPY", Decimal(1), 1, 1, 0), extra=[PayExtra("i", "x", Decimal(3), Decimal("0.5"))]
    ) == {"i": 2}


def test_income_below_what_is_deducted_leaves_nothing_to_share_and_the_center_its_loss():
    poor = Facts("USD", Decimal(1), 1, 1, 1000, 200, 5000)
    assert (pay_of(poor, [Term("i", PayKind.SHARE, percent=Decimal(50))]).center) == 800
    assert pay_of(poor, [Term("i", PayKind.FLAT, 1000)]).center == -200


def test_shares_over_the_whole_are_refused_at_the_term_with_which_they_pass_it():
    terms = [Term("a", PayKind.SHARE, percent=Decimal(60)), Term("b", PayKind.SHARE, percent=Decimal("40.5"))]
    with pytest.raises(Refused) as refused:
        pay_of(RUN, terms)
    assert [(f.at, f.message) for f in refused.value.faults] == [
        ("/terms/1/share_percent", "The shares come to 100.5 percent; together they are at most 100.")
    ]


def test_a_meeting_costs_its_hours_or_its_part_of_the_run():
    assert cost_of_meetings(RUN, Term("i", PayKind.HOUR, 4200), [105]) == 7350
    assert cost_of_meetings(RUN, Term("i", PayKind.MEETING, 9600), [105]) == 9600
    assert cost_of_meetings(RUN, Term("i", PayKind.FLAT, 64000), [105]) == 8000
    assert cost_of_meetings(RUN, Term("i", PayKind.HEAD, 5800), [105]) == 7975
    assert cost_of_meetings(RUN, Term("i", PayKind.SHARE, percent=Decimal(30)), [105]) == 8553
    assert cost_of_meetings(RUN, Term("i", PayKind.FLAT, 100), [105] * 8) == 100, "rounded once"


def test_a_run_breaks_even_where_it_keeps_breaking_even():
    facts = Facts("USD", Decimal(10), 5, 3, 60000)
    rows = at_every_number(facts, 20000, Decimal(2), [Term("i", PayKind.FLAT, 50000)], (), 5)
    assert [(r.heads, r.income, r.center) for r in rows] == [
        (0, 0, -50000), (1, 19600, -30400), (2, 39200, -10800), (3, 60000, 10000), (4, 78400, 28400), (5, 98000, 48000),
    ]  # fmt: skip
    assert break_even(rows) == 3
    assert (
        break_even(at_every_number(facts, 100, Decimal(0), [Term("i", PayKind.FLAT, 50000)], (), 2)) is None
    )


def test_the_pay_of_the_contract():
    out = CALCULATORS["pay"](EXAMPLES["pay"])
    assert [(p["who"], p["total"]) for p in out["people"]] == [("i1", "433.02"), ("i2", "684.24")]
    assert (out["center"], out["warnings"]) == ("1175.54", [])
    assert [x["amount"] for x in out["people"][0]["lines"]] == ["378.00", "55.02"]
    assert all(x["why"].endswith(".") for p in out["people"] for x in p["lines"])


def test_a_center_that_pays_more_than_comes_in_is_warned():
    out = CALCULATORS["pay"]({"currency": "USD", "terms": [{"who": "i", "flat": "10.00"}]})
    assert (out["center"], out["warnings"]) == ("-10.00", ["The center pays more than comes in."])


@pytest.mark.parametrize(
    ("change", "at"),
    [
        (
            {"terms": [{"who": "a", "share_percent": "60"}, {"who": "b", "share_percent": "41"}]},
            "/terms/1/share_percent",
        ),
        ({"terms": [{"who": "a", "share_percent": "101"}]}, "/terms/0/share_percent"),
        ({"terms": [{"who": "a"}]}, "/terms/0"),
        ({"terms": [{"who": "a", "flat": "1.00", "per_hour": "1.00"}]}, "/terms/0/flat"),
        ({"terms": [{"flat": "1.00"}]}, "/terms/0/who"),
        ({"terms": [{"who": "a", "flat": "-1.00"}]}, "/terms/0/flat"),
        ({"terms": [{"who": "a", "flat": "1.00", "part": "boss"}]}, "/terms/0/part"),
        ({"extra": [{"who": "a", "label": "x", "quantity": "-3", "unit": "1"}]}, "/extra/0/quantity"),
        ({"extra": [{"who": "a", "label": "x", "quantity": "3"}]}, "/extra/0/unit"),
        ({"heads": -1}, "/heads"),
        ({"hours": "1.234"}, "/hours"),
    ],
)
def test_bad_pay_is_refused_at_its_field(change, at):
    assert at in refusal("pay", {"currency": "USD", **change})


percents = st.decimals(0, 30, places=3)
terms = st.builds(
    Term,
    st.sampled_from(["a", "b", "c"]),
    st.sampled_from(PayKind),
    st.integers(0, 10**6),
    percents,
    st.none() | st.decimals(0, 200, places=2),
    st.none() | st.integers(0, 40),
    st.sampled_from(Part),
)
extras = st.builds(
    PayExtra, st.sampled_from("abc"), st.just("x"), st.decimals(0, 99, places=2), st.decimals(0, 99, places=4)
)
facts = st.builds(
    Facts, st.sampled_from(["USD", "JPY", "KWD"]), st.decimals(0, 400, places=2), st.integers(0, 60),
    st.integers(0, 200), st.integers(0, 10**8), st.integers(0, 10**6), st.integers(0, 10**6),
)  # fmt: skip


@given(facts, st.lists(terms, max_size=3), st.lists(extras, max_size=3))
def test_pay_plus_what_the_center_keeps_is_the_income_after_fees(run, agreed, lines):
    pay = pay_of(run, agreed, lines)
    assert pay.total + pay.center == run.income - run.payment_fees
    assert all(x.amount >= 0 for p in pay.people for x in p.lines)
    together = sum((t.percent for t in agreed if t.kind is PayKind.SHARE), Decimal(0))
    shared = sum(x.amount for p in pay.people for x in p.lines if x.label.startswith("Share"))
    assert shared <= run.base and abs(shared - Decimal(run.base) * together / 100) <= Decimal("0.5")


def test_uneven_hours_are_said_to_two_decimals_and_paid_exactly():
    line = pay_of(replace(RUN, hours=Decimal(50) / 60), [Term("i", PayKind.HOUR, 4200)]).people[0].lines[0]
    assert (line.amount, line.why) == (3500, "0.83 contact hours at 42.00 each.")
