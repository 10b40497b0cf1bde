"""The words by which people are found, kept beside them: parts of names, emails, the ends of phone numbers.

Whoever types the beginning of a word finds them by an index, among any number of people.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from sqlalchemy import ColumnElement, Connection, delete, exists, insert, select
from sqlalchemy.orm import aliased

from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.names import PHONE_ENDS, digits_of, folded, search_words
from archgate.tables.people import PeopleWord, Person

CHUNK = 5000
MOST_WORDS = 6


def keep_words(uow: UnitOfWork) -> None:
    """Bring up to date the words of the people that this act has written; a keeper of each act."""
    keep(uow.session.connection(), uow.touched.people)


def keep(connection: Connection, person_ids: Iterable[int]) -> None:
    ordered = sorted(person_ids)
    for at in range(0, len(ordered), CHUNK):
        some = ordered[at : at + CHUNK]
        connection.execute(delete(PeopleWord).where(PeopleWord.person_id.in_(some)))
        people = connection.execute(
            select(Person.id, Person.given, Person.family, Person.folded, Person.email, Person.digits).where(
                Person.id.in_(some), Person.removed_at.is_(None)
            )
        ).all()
        rows = [
            {"person_id": p.id, "word": word, "sort": sort_of(p.family, p.given)}
            for p in people
            for word in search_words(p.folded, p.email, p.digits)
        ]
        if rows:
            connection.execute(insert(PeopleWord), rows)


def keep_all(connection: Connection) -> None:
    """Work out all of them anew, as after people were written past the acts."""
    keep(connection, connection.execute(select(Person.id)).scalars().all())


def sort_of(family: str, given: str) -> str:
    return f"{family} {given}"[:80]


def typed_words(q: str) -> list[str]:
    """What is looked for: each word as it is kept, a phone number by its digits, whatever stands between them."""
    words = []
    for word in q.split()[:MOST_WORDS]:
        digits = digits_of(word)
        if len(digits) >= 3 and digits == re.sub(r"[-+().]", "", word):
            words.append(digits[-PHONE_ENDS[0] :])
        elif "@" in word:
            words.append(word.casefold()[:60])
        else:
            words += folded(word).split()
    return words[:MOST_WORDS]


def ids_found(uow: UnitOfWork, q: str, limit: int) -> list[int]:
    """People who have a word that begins with each word typed, by family and given name. The longest typed is looked for
    first; nothing is found by nothing."""
    wanted = sorted(typed_words(q), key=len, reverse=True)
    if not wanted:
        return []
    query = (
        select(PeopleWord.person_id)
        .join(Person, Person.id == PeopleWord.person_id)
        .where(begins(PeopleWord, wanted[0]), Person.there())
    )
    for word in wanted[1:]:
        other = aliased(PeopleWord)
        query = query.where(exists().where(other.person_id == PeopleWord.person_id, begins(other, word)))
    ordered = query.order_by(PeopleWord.sort, PeopleWord.person_id).limit(
        limit * 4
    )  # one may fit by several words
    return list(dict.fromkeys(uow.session.scalars(ordered)))[:limit]


def begins(table: type[PeopleWord], word: str) -> ColumnElement[bool]:
    plain = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return table.word.like(f"{plain}%")


def faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """People who are found by nothing; part of the nightly check."""
    lost = select(Person.name).where(
        ~exists().where(PeopleWord.person_id == Person.id),
        Person.folded != "",
        Person.there(),
        span.holds(Person.id),
    )
    return [f"{name} cannot be found by name." for name in uow.session.scalars(lost.limit(20))]
