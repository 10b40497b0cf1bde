"""Courses and runs that instructors prepare: what each right lets them write, and how a preparation goes from hand to hand."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from archgate.core.states import PrepareRight, Preparing

FIELDS: dict[PrepareRight, frozenset[str]] = {
    PrepareRight.TEXT: frozenset(
        ("subtitle", "summary", "description", "highlights", "requirements", "audience", "asked", "tags", "level", "language", "film")
    ),
    PrepareRight.PICTURES: frozenset(("picture", "gallery")),
    PrepareRight.OUTLINE: frozenset(("program", "documents")),
    PrepareRight.PRICES: frozenset(),
}  # fmt: skip
# Who has it in hand may write; the other waits until it is handed back.
WRITES = frozenset((Preparing.DRAFT, Preparing.RETURNED))
LIVE = frozenset((Preparing.DRAFT, Preparing.HANDED_IN, Preparing.RETURNED))
STEPS: dict[Preparing, frozenset[Preparing]] = {
    Preparing.HANDED_IN: WRITES,
    Preparing.RETURNED: frozenset((Preparing.HANDED_IN,)),
    Preparing.DRAFT: frozenset((Preparing.HANDED_IN,)),  # taken back before anybody has decided
    Preparing.PUBLISHED: frozenset((Preparing.HANDED_IN,)),
    Preparing.FINISHED: LIVE,  # the office goes on with it, whoever has it
    Preparing.DROPPED: WRITES,
}


def fields_of(rights: Iterable[PrepareRight]) -> frozenset[str]:
    """The fields of a course's text that somebody with these rights may write.

    >>> sorted(fields_of([PrepareRight.PICTURES]))
    ['gallery', 'picture']
    """
    return frozenset(field for right in rights for field in FIELDS[right])


def out_of_reach(names: Collection[str], rights: Iterable[PrepareRight]) -> list[str]:
    """Those of some fields that these rights do not reach, in order."""
    return sorted(set(names) - fields_of(rights))


def can_become(now: Preparing, to: Preparing) -> bool:
    """Whether a preparation can take a step: handed in by who prepares it, returned or published only once it was handed in, finished
    by the office at any time."""
    return now in STEPS[to]
