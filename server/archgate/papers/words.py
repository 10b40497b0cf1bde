"""Sums and days in words for letters and papers, in the center's language (US English)."""

from __future__ import annotations

from decimal import Decimal
from unicodedata import category

from babel.numbers import format_currency, format_decimal, get_currency_symbol

from archgate.core.money import digits_of, parse_signed

LOCALE = "en_US"


def money_text(units: int, currency: str, numbers: str = LOCALE) -> str:
    """An amount with its sign and grouping by CLDR, and always with the decimals of ISO 4217: 149000 USD is $1,490.00.

    CLDR knows other decimals for some currencies (it would round UGX or HUF amounts differently), so ours are given. What
    stands for the currency is set off by a hard space unless it ends in a sign (Unicode TS 35, currencySpacing). `numbers` is
    the locale whose grouping and decimals are used; words and signs are the center's.
    """
    digits = digits_of(currency)
    gap = "" if category(get_currency_symbol(currency, LOCALE)[-1]).startswith("S") else "\u00a0"
    pattern = f"¤{gap}#,##0" + ("." + "0" * digits if digits else "")
    value = Decimal(units).scaleb(-digits)
    if numbers == LOCALE:
        return str(format_currency(value, currency, pattern, LOCALE, currency_digits=False))
    sign, symbol = "-" if value < 0 else "", get_currency_symbol(currency, LOCALE)
    return f"{sign}{symbol}{gap}{format_decimal(abs(value), pattern.lstrip('¤').lstrip(gap), numbers)}"


def amount_text(amount: str, currency: str, numbers: str = LOCALE) -> str:
    """The same of an amount as plain text, as quotes keep it: "-42.00" USD is -$42.00."""
    return money_text(parse_signed(amount, currency), currency, numbers)
