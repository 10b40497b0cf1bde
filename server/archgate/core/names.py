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


# Signs that show nothing and turn or hide what stands beside them: zero-width ones, marks and overrides of direction,
# invisible operators and tags (Unicode 15, general category Cf; the joiners U+200C and U+200D are letters' own business).
HIDDEN = re.compile(
    "[\u00ad\u034f\u061c\u115f\u1160\u17b4\u17b5\u180e\u200b\u200e\u200f\u202a-\u202e\u2060-\u206f\u3164\ufeff\uffa0\U000e0000-\U000e007f]"
)


def text_fault(text: str, lines: bool = False) -> str | None:
    """What a text of a form cannot hold: control characters (Unicode category Cc, and line or paragraph separators); with
    `lines` line ends and tabs may stand. None when it is fine."""
    allowed = "\n\r\t" if lines else ""
    for c in text:
        if (unicodedata.category(c) in ("Cc", "Zl", "Zp") and c not in allowed) or "\ud800" <= c <= "\udfff":
            what = "line end" if c in "\n\r\u2028\u2029" else f"control character (U+{ord(c):04X})"
            return f"This holds a {what}; take it out."
    return None


def visible(text: str) -> str:
    """A name or another text of one line with the signs that show nothing written out, so that nobody is misled by them:
    "Ann<U+202E>Berg" in angle brackets."""
    return HIDDEN.sub(lambda m: f"\u2039U+{ord(m[0]):04X}\u203a", text)


def split_name(text: str) -> tuple[str, str]:
    """Given and family name of "Last, First", or of "First Last" with the last word as family name."""
    family, comma, given = text.partition(",")
    if comma:
        return " ".join(given.split()), " ".join(family.split())
    words = text.split()
    return " ".join(words[:-1]), words[-1] if words else ""


PHONE_ENDS = (10, 7, 4)  # digits: a number with its area, without, and as people say it


def near_keys(name: str) -> set[str]:
    """What two names that are the same, or nearly, share: all words in the order of the alphabet; and of the first word and
    the last two, the beginning of one (three letters) and the first letter of another. Each after an equals sign, with which
    no other word of a person begins; none for a name of one word.

    >>> sorted(near_keys("rosa vries"))
    ['=ros v', '=rosa vries', '=vri r']
    """
    parts = name.split()
    words = dict.fromkeys([*parts[:1], *parts[-2:]])
    near = {f"={one[:3]} {two[:1]}" for one in words for two in words if one != two}
    return near | {f"={' '.join(sorted(parts))}"[:60]} if near else near


def search_words(name: str, email: str | None, digits: str | None) -> set[str]:
    """The words by which a person is found, each by its beginning: those of the folded name, the email and its part before
    the at sign, and the ends of the phone number's digits; at most 60 characters each. And `near_keys`.

    >>> sorted(search_words("rosa de vries", "Rosa@example.org", "12125550138"))
    ['0138', '2125550138', '5550138', '=de r', '=de rosa vries', '=de v', '=ros d', '=ros v', '=vri d', '=vri r', 'de', 'rosa', 'rosa@example.org', 'vries']
    """
    words = {*name.split(), *near_keys(name)}
    if email:
        words.add(email.casefold())
        words.update(folded(email.partition("@")[0]).split())
    if digits:
        words.update(digits[-n:] for n in PHONE_ENDS)
    return {word[:60] for word in words if word}


def digits_of(phone: str | None) -> str:
    """The digits of a phone number, by which numbers are compared; "" for none."""
    return re.sub(r"\D", "", phone or "")
