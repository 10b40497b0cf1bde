"""Money: whole numbers of a currency's smallest unit, never a float.

Percents are Decimal ("10" is ten percent). The only rounding is half up, away from zero for halves, and
the only way to split is by largest remainder.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

# Digits after the point by ISO 4217, List One (published 2026-01-01); codes without digits are left out.
DIGITS: dict[str, int] = {
    code: digits
    for digits, codes in (
        (0, "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF"),
        (
            2,
            "AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BMD BND BOB BOV BRL BSD BTN BWP "
            "BYN BZD CAD CDF CHE CHF CHW CNY COP COU CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB "
            "EUR FJD FKP GBP GEL GHS GIP GMD GTQ GYD HKD HNL HTG HUF IDR ILS INR IRR JMD KES "
            "KGS KHR KPW KYD KZT LAK LBP LKR LRD LSL MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR "
            "MWK MXN MXV MYR MZN NAD NGN NIO NOK NPR NZD PAB PEN PGK PHP PKR PLN QAR RON RSD "
            "RUB SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TOP "
            "TRY TTD TWD TZS UAH USD USN UYU UZS VED VES WST XAD XCD XCG YER ZAR ZMW ZWG",
        ),
        (3, "BHD IQD JOD KWD LYD OMR TND"),
        (4, "CLF UYW"),
    )
    for code in codes.split()
}

LARGEST = 10**12  # units; far above any fee, far below what a BIGINT column holds


def digits_of(currency: str) -> int:
    """Decimals of a currency by ISO 4217. Raises ValueError for a code that is not in the list."""
    if currency not in DIGITS:
        raise ValueError(f'"{currency}" is not a currency code of ISO 4217.')
    return DIGITS[currency]


def parse_amount(text: str, currency: str) -> int:
    """Smallest units of an amount written with exactly the currency's decimals ("240.00", JPY "240").

    Raises ValueError for anything else: other decimals, signs, grouping, more than a trillion units.

    >>> parse_amount("240.00", "USD"), parse_amount("240", "JPY"), parse_amount("1.500", "KWD")
    (24000, 240, 1500)
    """
    digits = digits_of(currency)
    shape = r"\d+" if digits == 0 else rf"\d+\.\d{{{digits}}}"
    if re.fullmatch(shape, text, re.ASCII) is None:
        if re.fullmatch(r"-\d+(\.\d+)?", text, re.ASCII):
            raise ValueError(f'An amount cannot be negative: "{text}".')
        if not re.fullmatch(r"\d+(\.\d+)?", text, re.ASCII):
            raise ValueError(f'"{text}" is not an amount; write it like "{format_amount(24000, currency)}".')
        raise ValueError(f'{currency} has {digits} decimals; "{text}" does not.')
    units = int(text.replace(".", ""))
    if units > LARGEST:
        raise ValueError(f'"{text}" is too large an amount.')
    return units


def parse_signed(text: str, currency: str) -> int:
    """Smallest units of an amount that `format_amount` wrote, with its sign: reductions of a quote are negative."""
    units = parse_amount(text.removeprefix("-"), currency)
    return -units if text.startswith("-") else units


def format_amount(units: int, currency: str) -> str:
    """The plain text of an amount, with all its decimals and no grouping.

    >>> format_amount(24000, "USD"), format_amount(-5, "USD"), format_amount(240, "JPY")
    ('240.00', '-0.05', '240')
    """
    digits = digits_of(currency)
    sign, whole = ("-" if units < 0 else ""), abs(units)
    if digits == 0:
        return f"{sign}{whole}"
    return f"{sign}{whole // 10**digits}.{whole % 10**digits:0{digits}d}"


def percent_of(units: int, percent: Decimal) -> int:
    """`percent` percent of an amount, rounded half up to the smallest unit.

    >>> percent_of(24999, Decimal("9.975")), percent_of(-5, Decimal("50"))  # 2493.65 and -2.5
    (2494, -3)
    """
    return int((Decimal(units) * percent / 100).quantize(Decimal(1), rounding=ROUND_HALF_UP))


def shares_of(units: int, weights: Sequence[int | Decimal | Fraction]) -> tuple[int, ...]:
    """Split an amount in proportion to weights by largest remainder; the shares sum to the amount exactly.

    Every share is rounded down to the smallest unit; the units left over go one each to the largest
    fractions, ties to the earlier (Hamilton's method). `units` and weights are not negative and some weight
    is positive, else ValueError. Equal weights put the spare units on the earliest shares.

    >>> shares_of(100, [1, 1, 1]), shares_of(101, [1, 2, 3])
    ((34, 33, 33), (17, 34, 50))
    """
    if units < 0 or any(w < 0 for w in weights) or not any(weights):
        raise ValueError(
            "Only an amount that is not negative can be split, by weights of which one is above zero."
        )
    whole = sum((Fraction(w) for w in weights), Fraction(0))
    exact = [units * Fraction(w) / whole for w in weights]
    shares = [int(e) for e in exact]
    spare = units - sum(shares)
    by_fraction = sorted(range(len(shares)), key=lambda i: (shares[i] - exact[i], i))
    for i in by_fraction[:spare]:
        shares[i] += 1
    return tuple(shares)


def decimal_text(number: Decimal) -> str:
    """A number, such as a percent, as people write it.

    >>> [decimal_text(Decimal(p)) for p in ("10", "9.975", "12.50", "0.00")]
    ['10', '9.975', '12.5', '0']
    """
    return format(number.normalize(), "f")
