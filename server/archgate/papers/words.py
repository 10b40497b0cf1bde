"""Sums and days in words for letters and papers, in the center's language (US English)."""

from __future__ import annotations

from decimal import Decimal

from babel.numbers import format_currency

from archgate.core.money import digits_of, parse_signed

LOCALE = "en_US"


def money_text(units: int, currency: str) -> str:
    """An amount with its sign and grouping by CLDR, and always with the decimals of ISO 4217: 149000 USD is $1,490.00.

    CLDR knows other decimals for some currencies (it would round UGX or HUF amounts differently), so ours are given.
    """
    digits = digits_of(currency)
    pattern = "¤#,##0" + ("." + "0" * digits if digits else "")
    value = Decimal(units).scaleb(-digits)
    return str(format_currency(value, currency, pattern, LOCALE, currency_digits=False))


def amount_text(amount: str, currency: str) -> str:
    """The same of an amount as plain text, as quotes keep it: "-42.00" USD is -$42.00."""
    return money_text(parse_signed(amount, currency), currency)
