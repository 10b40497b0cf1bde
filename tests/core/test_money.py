from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.money import decimal_text, format_amount, parse_amount, percent_of, shares_of


@pytest.mark.parametrize(
    ("text", "currency", "units"),
    [("240.00", "USD", 24000), ("0.05", "USD", 5), ("240", "JPY", 240), ("3.334", "KWD", 3334)],
)
def test_amounts_are_read_and_written_with_the_currencys_own_decimals(text, currency, units):
    assert parse_amount(text, currency) == units
    assert format_amount(units, currency) == text


@pytest.mark.parametrize(
    ("text", "currency", "said"),
    [
        ("240", "USD", "USD has 2 decimals"),
        ("240.0", "USD", "USD has 2 decimals"),
        ("240.00", "JPY", "JPY has 0 decimals"),
        ("-1.00", "USD", "cannot be negative"),
        ("-١.٠٠", "USD", "is not an amount"),
        ("1,000.00", "USD", "is not an amount"),
        ("", "USD", "is not an amount"),
        ("١٢.٠٠", "USD", "is not an amount"),
        ("99999999999999.00", "USD", "too large"),
        ("1.00", "XXX", "ISO 4217"),
    ],
)
def test_other_texts_are_refused_with_the_reason(text, currency, said):
    with pytest.raises(ValueError, match=said):
        parse_amount(text, currency)


def test_a_negative_amount_is_written_with_its_sign():
    assert format_amount(-5, "USD") == "-0.05"


@pytest.mark.parametrize(
    ("units", "percent", "part"), [(5, "10", 1), (4, "10", 0), (24000, "12.5", 3000), (1, "50", 1)]
)
def test_percents_round_half_up(units, percent, part):
    assert percent_of(units, Decimal(percent)) == part


@given(st.integers(0, 10**9), st.lists(st.integers(0, 1000), min_size=1, max_size=12).filter(any))
def test_shares_make_the_whole_and_are_within_one_unit_of_the_exact_share(units, weights):
    shares = shares_of(units, weights)
    assert sum(shares) == units
    for share, weight in zip(shares, weights, strict=True):
        assert abs(share * sum(weights) - units * weight) < sum(weights)


@given(st.integers(0, 10**6), st.integers(1, 24))
def test_equal_shares_put_the_spare_units_first(units, count):
    shares = shares_of(units, [1] * count)
    assert list(shares) == sorted(shares, reverse=True)
    assert max(shares) - min(shares) <= 1


@pytest.mark.parametrize(("units", "weights"), [(-1, [1]), (1, []), (1, [0, 0]), (1, [1, -1])])
def test_what_cannot_be_split_is_refused(units, weights):
    with pytest.raises(ValueError, match="split"):
        shares_of(units, weights)


def test_percents_are_written_as_people_write_them():
    assert [decimal_text(Decimal(p)) for p in ("10.000000", "9.975000", "12.50", "100", "0")] == [
        "10", "9.975", "12.5", "100", "0",
    ]  # fmt: skip
