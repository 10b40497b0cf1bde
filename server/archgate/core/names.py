"""Names of people: how they are compared, split, and found to be nearly the same."""

from __future__ import annotations

import re
import unicodedata

# Letters that Unicode does not take apart into a base letter and a mark.
STROKES = str.maketrans(
    {"ł": "l", "ø": "o", "đ": "d", "ð": "d", "þ": "th", "æ": "ae", "œ": "oe", "ħ": "h", "ı": "i"}
)


def folded(text: str) -> str:
    """Lower case, without accents, strokes and punctuation: how headings and names are compared."""
    plain = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return " ".join(re.findall(r"[^\W_]+", plain.casefold().translate(STROKES)))


def split_name(text: str) -> tuple[str, str]:
    """Given and family name of "Last, First", or of "First Last" with the last word as family name."""
    family, comma, given = text.partition(",")
    if comma:
        return " ".join(given.split()), " ".join(family.split())
    words = text.split()
    return " ".join(words[:-1]), words[-1] if words else ""


def digits_of(phone: str | None) -> str:
    """The digits of a phone number, by which numbers are compared; "" for none."""
    return re.sub(r"\D", "", phone or "")
