"""Two wordings of a text compared word by word."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import StrEnum

MOST_WORDS = 6000  # of one text; what is longer is compared line by line


class Wording(StrEnum):
    """What became of a piece of a text."""

    SAME = "same"
    GONE = "gone"
    NEW = "new"


@dataclass(frozen=True)
class Piece:
    """A stretch of a text that stayed, went or came."""

    part: Wording
    text: str


def words_compared(before: str, after: str) -> tuple[Piece, ...]:
    """The words of two texts in one line: those that went stand before those that came in their place.

    Words, blanks and signs are compared each by themselves; the pieces put together give each text again. Texts of more than
    `MOST_WORDS` of them are compared by their lines. Source: the longest matching blocks of Ratcliff and Obershelp, as
    Python's difflib finds them.

    >>> [(p.part.value, p.text) for p in words_compared("Six evenings.", "Eight evenings in May.")]
    [('gone', 'Six'), ('new', 'Eight'), ('same', ' evenings'), ('new', ' in May'), ('same', '.')]
    """
    old, new = _words(before), _words(after)
    if max(len(old), len(new)) > MOST_WORDS:
        old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    pieces: list[Piece] = []
    for kind, a, b, c, d in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind == "equal":
            pieces.append(Piece(Wording.SAME, "".join(old[a:b])))
            continue
        gone, came = "".join(old[a:b]), "".join(new[c:d])
        pieces += [Piece(part, text) for part, text in ((Wording.GONE, gone), (Wording.NEW, came)) if text]
    return tuple(pieces)


def _words(text: str) -> list[str]:
    return re.findall(r"\w+|\s+|[^\w\s]", text)
