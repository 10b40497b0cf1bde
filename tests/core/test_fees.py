from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.faults import Refused
from archgate.core.fees import Ask, EarlyStep, Fees, Heads, Rate, price_line_of, quote_for

ZONE = ZoneInfo("America/New_York")
START = date(2027, 9, 14)
STANDARD = Rate(
    "standard", 24000, "Standard",
    (EarlyStep(days_before=18, amount=21000), EarlyStep(until=date(2027, 9, 3), percent=Decimal(5))),
)  # fmt: skip


def quote_on(day, rate=STANDARD, heads=1, hour=12):
    moment = datetime(day.year, day.month, day.day, hour, tzinfo=ZONE)
    return quote_for(Fees((rate,)), Ask((Heads("standard", heads),)), moment, START, ZONE, "USD")


@pytest.mark.parametrize(
    ("day", "total"),
    [
        (date(2027, 8, 27), 21000),
        (date(2027, 8, 28), 22800),
        (date(2027, 9, 3), 22800),
        (date(2027, 9, 4), 24000),
        (date(2027, 9, 14), 24000),
    ],
)
def test_the_lowest_step_that_still_holds_applies_through_its_last_day(day, total):
    assert quote_on(day).total == total


def test_a_step_holds_to_the_last_second_of_its_day_in_the_centers_zone():
    last = datetime(2027, 8, 28, 3, 59, 59, tzinfo=UTC)
    for moment, total in ((last, 21000), (last + timedelta(seconds=1), 22800)):
        assert (
            quote_for(Fees((STANDARD,)), Ask((Heads("standard", 1),)), moment, START, ZONE, "USD").total
            == total
        )


def test_the_next_change_is_the_first_midnight_with_another_total():
    change = quote_on(date(2027, 8, 20)).next_change
    assert change and (change.at.isoformat(), change.total) == ("2027-08-28T00:00:00-04:00", 22800)
    assert quote_on(date(2027, 9, 5)).next_change is None


def test_a_step_that_changes_nothing_is_no_change():
    flat = Rate("standard", 24000, "Standard", (EarlyStep(days_before=30, amount=24000),))
    assert quote_on(date(2027, 8, 1), flat).next_change is None


def test_every_line_says_why():
    quote = quote_on(date(2027, 8, 20), heads=2)
    assert quote.total == 42000
    assert quote.lines[0].why == (
        "The regular amount is 240.00; the early price is 210.00. The early step holds through Fri 27 Aug 2027,"
        " 18 days before start. It is the lowest of the reductions that hold. 2 people."
    )
    assert "No early step holds any more." in quote_on(date(2027, 9, 10)).lines[0].why


def test_an_amount_off_never_goes_below_zero_and_percents_round_the_reduction_half_up():
    free = Rate("standard", 1000, "Standard", (EarlyStep(days_before=0, off=5000),))
    assert quote_on(START, free).total == 0
    odd = Rate("standard", 1005, "Standard", (EarlyStep(days_before=0, percent=Decimal(10)),))
    assert quote_on(START, odd).total == 904  # 100.5 off is 101 off


def test_every_fault_of_an_ask_is_named_at_once():
    with pytest.raises(Refused) as refused:
        ask = Ask((Heads("member", 0),))
        quote_for(Fees((STANDARD,)), ask, datetime(2027, 8, 1, tzinfo=UTC), START, ZONE, "USD")
    assert [f.at for f in refused.value.faults] == ["/ask/people/0/rate", "/ask/people/0/count"]


@given(st.integers(0, 200), st.permutations(STANDARD.early))
def test_the_price_never_falls_as_the_start_comes_nearer_and_ignores_the_order_of_steps(back, steps):
    day = START - timedelta(days=back)
    mixed = replace(STANDARD, early=tuple(steps))
    assert quote_on(day, mixed).total == quote_on(day).total
    assert quote_on(day - timedelta(days=1)).total <= quote_on(day).total


@given(st.integers(0, 120), st.integers(0, 120), st.integers(1, 5))
def test_the_price_line_agrees_with_the_quote_on_every_day(back, length, heads):
    first = START - timedelta(days=back)
    last = first + timedelta(days=length)
    line = price_line_of(Fees((STANDARD,)), Ask((Heads("standard", heads),)), first, last, START)
    assert line[0].first == first and line[-1].last == last
    for a, b in pairwise(line):
        assert b.first == a.last + timedelta(days=1) and a.total != b.total
    for stretch in line:
        for day in (stretch.first, stretch.last):
            assert quote_on(day, heads=heads).total == stretch.total
