"""Money against ISO 4217 and against the splits of published money libraries.

Sources: ISO 4217 List One, published 2026-01-01, as shipped in the package iso4217 1.16.20260101 (facts kept in
tests/data/iso4217.json). Splits: results of dinero.js 2.0.2, js-money 0.6.3 and currency.js 2.0.4, run once
(tests/data/allocation.json; the README examples of the latter two are among them).
"""

import json
import subprocess
from decimal import Decimal

import pytest

from archgate.core.money import DIGITS, shares_of
from archgate.papers.words import money_text
from made import DATA

ALLOCATIONS = json.loads((DATA / "allocation.json").read_text())
ISO = json.loads((DATA / "iso4217.json").read_text())


def test_every_currency_has_the_decimals_of_iso_4217():
    with_digits = {code: digits for code, digits in ISO.items() if isinstance(digits, int)}
    assert with_digits == DIGITS


def cases():
    for library, rows in ALLOCATIONS.items():
        for amount, ratios, shares in rows:
            weights = [1] * ratios if isinstance(ratios, int) else ratios
            yield pytest.param(
                library.split()[0], amount, weights, shares, id=f"{library.split()[0]} {amount} {ratios}"
            )


# Where a library gives the spare units to others than the largest remainders, as it says of itself: dinero.js to the largest
# ratio, js-money in order, of what is owed too. Everything else is the same to the unit.
OTHERWISE = {
    ("dinero.js", 5, (3, 7)), ("dinero.js", 99999, (50, 25, 25)), ("dinero.js", 101, (1, 2, 3)), ("js-money", -100, (1, 1, 1)),
}  # fmt: skip


def split(amount, weights):
    """As the product splits: what is owed is split as the sum it is, and its sign put before each share."""
    shares = shares_of(abs(amount), weights)
    return [-share if amount < 0 else share for share in shares]


@pytest.mark.parametrize(("library", "amount", "weights", "shares"), list(cases()))
def test_a_split_is_that_of_the_library_or_marked(library, amount, weights, shares):
    ours = split(amount, weights)
    if (library, amount, tuple(weights)) in OTHERWISE:
        assert ours != shares and all(abs(a - b) <= 1 for a, b in zip(ours, shares, strict=True))
    else:
        assert ours == shares
    assert sum(ours) == sum(shares) == amount


def test_a_negative_amount_is_never_split_by_itself():
    with pytest.raises(ValueError, match="not negative"):
        shares_of(-100, [1, 1, 1])


@pytest.mark.parametrize(
    ("amount", "weights", "shares"),
    [(101, [1, 2, 3], (17, 34, 50)), (7, [30, 20, 50], (2, 1, 4)), (5, [3, 7], (2, 3))],
)
def test_largest_remainder(amount, weights, shares):
    """Hamilton's method worked by hand; for 5 in 3:7 both fractions are a half, and the earlier one gets it."""
    assert shares_of(amount, weights) == shares


@pytest.mark.parametrize(("units", "shares"), [(1000, (334, 333, 333)), (10000, (3334, 3333, 3333))])
def test_yen_and_dinars_split_in_their_own_units(units, shares):
    """JPY 1000 and KWD 10.000 in three: the same splits in dinero.js 2.0.2."""
    assert shares_of(units, [1, 1, 1]) == shares


NODE = """
const asked = JSON.parse(require("fs").readFileSync(0, "utf8"));
console.log(JSON.stringify(asked.map(([value, currency, digits]) => new Intl.NumberFormat("en-US",
  {style: "currency", currency, minimumFractionDigits: digits, maximumFractionDigits: digits}).format(value))));
"""


def test_sums_in_letters_are_written_as_another_library_writes_them():
    """Every currency of ISO 4217, large, small and negative, against Intl.NumberFormat of Node (ICU, CLDR), letter by letter."""
    asked = [(units, currency) for currency in DIGITS for units in (123456789, 5, -100000)]
    given = [[str(Decimal(units).scaleb(-DIGITS[c])), c, DIGITS[c]] for units, c in asked]
    done = subprocess.run(
        ["node", "-e", NODE], input=json.dumps(given), capture_output=True, text=True, check=True
    )
    theirs = json.loads(done.stdout)
    assert len(theirs) == len(asked)
    assert [money_text(*row) for row in asked] == theirs


def test_sums_in_letters_keep_the_decimals_of_iso_4217_for_every_currency():
    """CLDR shows other decimals than ISO 4217 for some currencies (its own table of fractions); ours never drop one."""
    for currency, digits in DIGITS.items():
        text = money_text(12345678, currency)
        after = text.rpartition(".")[2] if "." in text else ""
        assert len(after) == digits, currency
        assert "".join(c for c in text if c.isdigit()) == "12345678"
