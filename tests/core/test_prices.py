from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.faults import Refused
from archgate.core.fees import EarlyStep, Rate, Sale, Stretch
from archgate.core.prices import early_plan, ends_too_early, falls_later, far_from_others, income_at

START = date(2027, 9, 14)


def test_the_regular_price_solves_for_the_target_and_is_rounded_as_picked():
    plan = early_plan(20000, Decimal(40), 23000, 1, "USD")  # (230 - 0.4 x 200) / 0.6 = 250
    assert (plan.regular, plan.income, plan.break_even) == (25000, 23000, Decimal("40.0"))
    assert plan.incomes[0] == (0, 25000) and plan.incomes[-1] == (100, 20000)
    rounded = early_plan(20000, Decimal(33), 23000, 1000, "USD")  # exactly 244.776...
    assert (rounded.regular, rounded.income) == (24000, 22680)
    assert rounded.break_even == Decimal("25.0")  # (240 - 230) / (240 - 200)


def test_a_price_for_nobody_or_below_todays_fee_is_refused_with_every_reason():
    with pytest.raises(Refused) as refused:
        early_plan(20000, Decimal(100), 19000, 0, "USD")
    assert [f.at for f in refused.value.faults] == ["/share", "/target", "/rounding"]
    flat = early_plan(20000, Decimal(50), 20000, 1, "USD")
    assert (flat.regular, flat.break_even) == (20000, None)


@given(st.integers(1, 10**6), st.integers(0, 99), st.integers(0, 10**6), st.sampled_from([1, 100, 500, 1000]))
def test_the_plan_meets_its_target_but_for_the_rounding(early, share, more, step):
    plan = early_plan(early, Decimal(share), early + more, step, "USD")
    assert abs(income_at(Decimal(share), early, plan.regular) - (early + more)) <= step + 1
    assert [s for s, _ in plan.incomes] == list(range(0, 101, 5))
    values = [i for _, i in plan.incomes]
    assert values == sorted(values, reverse=True)


def test_odd_prices_are_said_in_words():
    line = (Stretch(date(2027, 8, 1), date(2027, 8, 9), 24000), Stretch(date(2027, 8, 10), START, 19800))
    assert falls_later("Standard", line, "USD") == [
        "Standard: the price falls from 240.00 to 198.00 on Tue 10 Aug 2027; whoever waits pays less."
    ]
    assert falls_later("Standard", line[::-1], "USD") == []
    early = Rate(
        "s", 24000, "Standard", (EarlyStep(days_before=40, amount=20000),), Sale(None, date(2027, 8, 4), 1)
    )
    assert [w.split(",")[0] for w in ends_too_early(early, date(2027, 8, 10), START)] == [
        "Standard: the early step holds through Thu 5 Aug 2027", "Standard: the sale runs through Wed 4 Aug 2027",
    ]  # fmt: skip
    assert far_from_others("Standard", 50000, [24000, 25000], "USD")[0].endswith("usually 240.00.")
    assert (
        far_from_others("Standard", 48000, [24000], "USD") == far_from_others("Standard", 1, [], "USD") == []
    )
    assert "less than half" in far_from_others("Standard", 11900, [24000], "USD")[0]
