"""Taxes both ways against published rates and rules.

Sources, all from memory of the tax authorities' guides: Canada Revenue Agency GST/HST guide (Ontario HST 13, Nova Scotia
HST 15 and from 2025-04-01 14 percent, Alberta GST 5), British Columbia PST 7, Saskatchewan PST 6, Revenu Quebec QST 9.975
on the net since 2013; HMRC VAT Notice 700 (tax fraction 1/6 at 20 percent, 1/21 at 5); Australian Taxation Office (1/11 at
10); Inland Revenue New Zealand (3/23 at 15); Germany VAT 19. Rounding: Excise Tax Act of Canada s. 165.2 and GST Act of
Australia s. 9-90: tax on the total of the invoice, half a cent goes up. The sums were worked out with these rules by hand
and by an independent computation in decimal arithmetic.
"""

from decimal import ROUND_HALF_UP, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.taxes import Tax, tax_in, taxes_on

QUEBEC = (Decimal(5), Decimal("9.975"))


def cents(text):
    return int(Decimal(text) * 100)


def half_up(amount):
    return int(amount.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def added(percents, *amounts):
    """The taxes on top of lines, each line under a code of its own."""
    taxes = tuple(Tax(f"tax {n}", Decimal(p)) for n, p in enumerate(percents))
    return taxes_on(taxes, {str(n): cents(a) for n, a in enumerate(amounts)})


def inside(percents, amount):
    taxes = tuple(Tax(f"tax {n}", Decimal(p), included=True) for n, p in enumerate(percents))
    return taxes_on(taxes, {"seat": cents(amount)})


@pytest.mark.parametrize(
    ("percents", "net", "taxes", "total"),
    [
        (["13"], "100.00", ["13.00"], "113.00"),  # Ontario
        (["13"], "499.99", ["65.00"], "564.99"),
        (["5", "7"], "100.00", ["5.00", "7.00"], "112.00"),  # British Columbia, both on the net
        (["5", "6"], "100.00", ["5.00", "6.00"], "111.00"),  # Saskatchewan
        (["5"], "100.00", ["5.00"], "105.00"),  # Alberta
        (["5", "9.975"], "100.00", ["5.00", "9.98"], "114.98"),  # Quebec
        (["5", "9.975"], "249.99", ["12.50", "24.94"], "287.43"),
        (["15"], "100.00", ["15.00"], "115.00"),  # Nova Scotia through 2025-03-31
        (["14"], "100.00", ["14.00"], "114.00"),  # and from 2025-04-01
    ],
)
def test_tax_on_top(percents, net, taxes, total):
    found = added(percents, net)
    assert list(found) == [cents(t) for t in taxes]
    assert cents(net) + sum(found) == cents(total)


def test_tax_is_worked_out_on_the_sum_not_line_by_line():
    assert added(["13"], "33.33", "33.33", "33.33") == (1300,)  # line by line it would be 12.99
    assert added(["10"], *["1.05"] * 4) == (42,)  # line by line it would be 0.44


@pytest.mark.parametrize(
    ("percent", "gross", "tax"),
    [
        ("20", "120.00", "20.00"),  # one sixth
        ("20", "100.00", "16.67"),
        ("5", "21.00", "1.00"),  # one twenty-first
        ("10", "110.00", "10.00"),  # one eleventh
        ("15", "115.00", "15.00"),  # three twenty-thirds
        ("13", "113.00", "13.00"),
        ("13", "100.00", "11.50"),
        ("19", "119.00", "19.00"),
    ],
)
def test_tax_in_the_price(percent, gross, tax):
    assert inside([percent], gross) == (cents(tax),)


@pytest.mark.parametrize(
    ("gross", "tax"), [("0.03", "0.01"), ("1.05", "0.18"), ("240.03", "40.01"), ("999.99", "166.67")]
)
def test_of_a_tax_in_the_price_half_a_cent_goes_up_and_the_net_is_what_is_left(gross, tax):
    """At 20 percent one sixth of these is so many cents and a half; the tax is rounded, not the net: "an amount of half a
    cent is rounded up" (Excise Tax Act s. 165.2 (2), GST Act s. 9-90, both of the tax, from memory)."""
    assert cents(gross) % 6 == 3
    assert inside(["20"], gross) == (cents(tax),)


def test_two_taxes_in_a_price_share_what_is_left_of_it():
    """Quebec, 90.08: net 78.35, tax 11.73; rounded one by one the parts would be 3.92 and 7.82, a cent too much."""
    found = inside(QUEBEC, "90.08")
    assert sum(found) == 1173 and 9008 - sum(found) == 7835
    assert all(abs(share - exact) <= 1 for share, exact in zip(found, (392, 782), strict=True))


def test_rounding_part_by_part_would_miss_the_whole_for_4709_of_20000_prices():
    """The count of checks run once in decimal arithmetic: our two shares always make the whole, the naive ones do not."""
    missed = 0
    for gross in range(1, 20_001):
        shares = taxes_on(tuple(Tax(str(p), p, included=True) for p in QUEBEC), {"seat": gross})
        assert sum(shares) == half_up(gross * sum(QUEBEC) / (100 + sum(QUEBEC)))
        naive = [half_up(gross * p / (100 + sum(QUEBEC))) for p in QUEBEC]
        missed += sum(naive) != sum(shares)
    assert missed == 4709


def test_some_prices_cannot_be_reached_from_any_net_price_in_cents():
    """At 13 percent, 23 of the 200 prices from 99.00 to 100.99, the first of them 99.05, 99.14 and 99.22."""
    reached = {net + taxes_on((Tax("t", Decimal(13)),), {"seat": net})[0] for net in range(8000, 9500)}
    missing = [g for g in range(9900, 10100) if g not in reached]
    assert len(missing) == 23 and missing[:3] == [9905, 9914, 9922]


sums = st.dictionaries(st.sampled_from(["a", "b", "x", "y"]), st.integers(0, 10**7), min_size=1)
scopes = st.one_of(st.none(), st.frozensets(st.sampled_from(["a", "b", "x", "y"]), min_size=1))
rates = st.integers(0, 3000).map(lambda n: Decimal(n) / 100)


@given(sums, st.lists(st.tuples(rates, scopes), min_size=1, max_size=2))
def test_included_taxes_and_net_always_make_the_price(held, terms):
    taxes = tuple(Tax(str(n), percent, included=True, on=on) for n, (percent, on) in enumerate(terms))
    found = taxes_on(taxes, held)
    groups = {}
    for code, amount in held.items():
        which = tuple(t for t in taxes if t.applies_to(code))
        groups[which] = groups.get(which, 0) + amount
    inside = sum(
        tax_in(gross, sum((t.percent for t in which), Decimal(0))) for which, gross in groups.items()
    )
    assert sum(found) == inside <= sum(held.values())
    assert all(f >= 0 for f in found)


@given(sums, rates, rates)
def test_each_kind_stands_alone_where_a_document_holds_both(held, top, inner):
    """Some lines bear a tax in the price, the others one on top: each sum is as if the other were not there."""
    mixed = (
        Tax("top", top, on=frozenset({"a", "b"})),
        Tax("in", inner, included=True, on=frozenset({"x", "y"})),
    )
    assert taxes_on(mixed, held) == (*taxes_on(mixed[:1], held), *taxes_on(mixed[1:], held))
