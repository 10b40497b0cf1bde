"""The honest chance against scipy.stats.binom (SciPy, BSD-3-Clause): P(X >= k) is its survival function at k - 1."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binom

from archgate.core.waitlist import Party, chances_of, in_order, wilson
from archgate.documents.calculators import waitlist_of

NOON = datetime(2027, 8, 20, 12, tzinfo=UTC)
rates = st.integers(0, 10**6).map(lambda n: Decimal(n) / 10**6)


@given(st.lists(st.integers(1, 6), min_size=1, max_size=15), st.integers(0, 80), st.integers(0, 90), rates)
def test_every_chance_is_the_survival_function_of_the_binomial(heads, capacity, taken, rate):
    line = in_order([Party(n, h, NOON + timedelta(minutes=n)) for n, h in enumerate(heads)])
    found = chances_of(line, capacity, taken, rate)
    ahead = 0
    for party, chance in zip(line, found, strict=True):
        ahead += party.heads
        needed = max(0, ahead - max(0, capacity - taken)) + max(0, taken - capacity)
        if ahead <= max(0, capacity - taken):
            needed = max(0, taken - capacity)
        expected = 1.0 if needed == 0 else float(binom.sf(needed - 1, taken, float(rate)))
        assert abs(float(chance) - expected) <= 0.00005001, (needed, taken, rate)


@pytest.mark.parametrize(
    ("taken", "rate"), [(20_000, "0.02"), (100_000, "0.5"), (300, "1"), (300, "0"), (0, "0.3")]
)
def test_large_runs_and_certain_rates(taken, rate):
    line = in_order([Party(n, 40, NOON + timedelta(minutes=n)) for n in range(12)])
    for k, chance in enumerate(chances_of(line, taken, taken, Decimal(rate)), 1):
        assert abs(float(chance) - float(binom.sf(40 * k - 1, taken, float(rate)))) <= 0.00005001


def test_the_calculator_says_the_same():
    line = [{"id": str(n), "people": 1, "joined": f"2027-08-0{n}T09:00:00-04:00"} for n in range(1, 6)]
    out = waitlist_of({"capacity": 14, "taken": 14, "at": "2027-08-20T10:00:00-04:00", "offer_hours": 36,
                       "waiting": line, "leave_rate": "0.08"})  # fmt: skip
    for k, row in enumerate(out["waiting"], 1):
        assert abs(float(row["chance"]) - float(binom.sf(k - 1, 14, 0.08))) <= 0.00005001


def test_a_full_run_of_twenty_where_each_gives_up_one_seat_in_ten():
    """By the formula of the binomial (any textbook of probability): P(X >= 1) = 1 - 0.9^20, and the third in line needs
    three, P(X >= 3) = 1 - 0.9^20 - 20 * 0.1 * 0.9^19 - 190 * 0.1^2 * 0.9^18. SciPy 1.17.1: 0.878423345, 0.323073195."""
    line = in_order([Party(n, 1, NOON + timedelta(minutes=n)) for n in range(3)])
    first, _, third = chances_of(line, 20, 20, Decimal("0.1"))
    p, q = Decimal("0.1"), Decimal("0.9")
    assert abs(first - (1 - q**20)) <= Decimal("0.00005")
    assert abs(third - (1 - q**20 - 20 * p * q**19 - 190 * p**2 * q**18)) <= Decimal("0.00005")
    assert (f"{first:.4f}", f"{third:.4f}") == ("0.8784", "0.3231")


def test_wilsons_interval_of_18_of_20():
    """Run with statsmodels 0.15.0 (BSD-3), proportion_confint(18, 20, method="wilson"): 0.698966 to 0.972134."""
    assert [str(bound) for bound in wilson(18, 20)] == ["0.698966", "0.972134"]
