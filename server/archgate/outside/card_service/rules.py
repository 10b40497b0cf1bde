"""How the stand-in treats a card: by its number, which is one of a few that no bank ever gives out.

ISO/IEC 7812-1 leaves numbers that begin with 9 to national standards bodies; those with 9999 are ours for practice. The last digit
is the check digit by the standard's annex B (the Luhn formula).
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from enum import StrEnum

PREFIX = "999900000000"
FEE_SHARE = 25  # thousandths of a captured sum that the stand-in keeps; made up, as is the rest of its tariff
FEE_EACH = 25  # smallest units, each capture


class Treatment(StrEnum):
    """What a practice number does."""

    ACCEPTED = "accepted"
    NO_MONEY = "refused: not enough money"
    BLOCKED = "refused: the card is blocked"
    CHECK = "a further check by the payer, then accepted"
    SLOW = "accepted after some seconds"
    UNANSWERED = "accepted; then charged without an answer, as when a line breaks"
    REFUSED_LATER = "accepted now, refused when it is charged again later"
    TWICE = "accepted; every notice comes twice"
    LATE = "accepted; notices come late"


def check_digit(digits: str) -> str:
    """The digit that makes a number right: from the right every second digit is doubled, digits are summed, and the sum is filled up
    to a multiple of ten.

    >>> check_digit("7992739871")
    '3'
    """
    total = 0
    for n, digit in enumerate(reversed(digits)):
        value = int(digit) * (2 if n % 2 == 0 else 1)
        total += value - 9 if value > 9 else value
    return str(-total % 10)


def number_of(n: int) -> str:
    digits = f"{PREFIX}{n:03d}"
    return digits + check_digit(digits)


NUMBERS = {number_of(n): treatment for n, treatment in enumerate(Treatment, 1)}
SENTENCES = {
    Treatment.NO_MONEY: "The card's bank refused: there is not enough money on it.",
    Treatment.BLOCKED: "The card's bank refused: the card is blocked.",
    Treatment.REFUSED_LATER: "The card's bank refused: the card may not be charged without its holder.",
}


def spaced(number: str) -> str:
    return " ".join(number[i : i + 4] for i in range(0, len(number), 4))


def number_fault(text: str) -> str:
    """Why a card number is not taken; empty for a practice number. Spaces and hyphens are left out."""
    digits = text.replace(" ", "").replace("-", "")
    if not digits.isascii() or not digits.isdigit() or not 12 <= len(digits) <= 19:
        return "A card number has 12 to 19 digits."
    if check_digit(digits[:-1]) != digits[-1]:
        return "This card number is mistyped: its last digit does not fit the others."
    if digits not in NUMBERS:
        return "This is a practice service; it takes the practice numbers below only. Never type a real card here."
    return ""


def fee_of(amount: int) -> int:
    """What the stand-in keeps of a captured sum, half a unit up; never more than the sum."""
    return min(amount, (amount * FEE_SHARE + 500) // 1000 + FEE_EACH)


@dataclass
class Weather:
    """What goes wrong by chance: `share` of all requests. A seed makes the same weather again."""

    share: float = 0.0
    chance: random.Random = field(default_factory=random.Random)

    def strikes(self, part: float = 1.0) -> bool:
        return self.share > 0 and self.chance.random() < self.share * part
