"""Who may have a rate, when, and how many heads: answered with the reason that a clerk can read out."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from archgate.core.gates import through_text
from archgate.core.schedule import day_text


@dataclass(frozen=True)
class Person:
    """What decides who may have a rate: tags, organizations by id and courses taken by id."""

    tags: frozenset[str] = frozenset()
    organizations: frozenset[int] = frozenset()
    courses: frozenset[int] = frozenset()

    def paid_by(self, organization: int) -> Person:
        """The same person when an organization pays for them: they count as one of its people."""
        return replace(self, organizations=self.organizations | {organization})


@dataclass(frozen=True)
class Terms:
    """Who may have a rate, when, and how many heads. All that is given must hold; names are for the sentence."""

    tags: frozenset[str] = frozenset()
    organization: tuple[int, str] | None = None
    course: tuple[int, str] | None = None
    first: date | None = None
    last: date | None = None
    most: int | None = None


def why_not(terms: Terms, person: Person | None, day: date, taken: int, count: int) -> str | None:
    """Why a rate cannot be had on a day by `count` more heads, or None. An unknown person is judged when known."""
    if terms.first and day < terms.first:
        return f"This rate is offered from {day_text(terms.first)} on."
    if terms.last and day > terms.last:
        return f"This rate was offered {through_text(terms.last)}."
    full = full_at(terms, taken, count)
    if full:
        return full
    if person is None:
        return None
    if terms.tags and not terms.tags & {t.casefold() for t in person.tags}:
        return f"This rate is for people tagged {' or '.join(sorted(terms.tags))}."
    if terms.organization and terms.organization[0] not in person.organizations:
        return f"This rate is for people of {terms.organization[1]}."
    if terms.course and terms.course[0] not in person.courses:
        return f"This rate is for people who took {terms.course[1]}."
    return None


def full_at(terms: Terms, taken: int, count: int) -> str | None:
    """Why `count` more heads do not fit the number of seats at a rate, or None."""
    if terms.most is None or taken + count <= terms.most:
        return None
    left = max(0, terms.most - taken)
    if left:
        return f"{left} of {terms.most} seats at this rate are left."
    return f"All {terms.most} seats at this rate are taken."
