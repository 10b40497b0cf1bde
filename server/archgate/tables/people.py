"""People and the organizations that pay for some of them."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ColumnElement, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Name, Prose


class Person(Base):
    """Somebody the center knows. An email may be shared or missing, and so may a phone number.

    `name` is given and family name together; `folded` is the same without case, accents and strokes, for finding.
    `health` is what the center has to know of somebody's health: kept apart from notes, on no paper or file unless asked for.
    `digits` are the digits of the phone number. `merged_into_id`: a second record of the same person, kept for the log.
    `removed_at`: added by a list that was taken back; the record stays for the log and the books, and nobody finds it.
    """

    __tablename__ = "people"
    __table_args__ = (Index("ix_people_family", "family", "given"),)
    id: Mapped[Key]
    given: Mapped[Name]
    family: Mapped[Name]
    name: Mapped[str] = mapped_column(String(401), index=True)
    folded: Mapped[str] = mapped_column(String(401), index=True)
    email: Mapped[str | None] = mapped_column(String(254), index=True)
    phone: Mapped[str | None] = mapped_column(String(40))
    digits: Mapped[str | None] = mapped_column(String(40), index=True)
    note: Mapped[Prose]
    health: Mapped[Prose] = mapped_column(default="")
    merged_into_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    removed_at: Mapped[datetime | None]
    created_at: Mapped[datetime]

    @classmethod
    def there(cls) -> ColumnElement[bool]:
        """Who can be found and chosen: neither merged away nor removed."""
        return cls.merged_into_id.is_(None) & cls.removed_at.is_(None)


class PeopleWord(Base):
    """A word by which somebody is found (`core.names.search_words`); `sort` is family and given name, as lists are ordered."""

    __tablename__ = "people_words"
    __table_args__ = (Index("ix_people_words_word", "word", "sort", "person_id"),)
    person_id: Mapped[int] = mapped_column(
        ForeignKey("people.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )
    word: Mapped[str] = mapped_column(String(60, collation="utf8mb4_bin"), primary_key=True)
    sort: Mapped[str] = mapped_column(String(80))


class Organization(Base):
    """Who pays for several people; `email` is where its papers go, `address` stands on them, with the `number` that it is
    known by: of its taxes or its contract."""

    __tablename__ = "organizations"
    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(200), unique=True)
    email: Mapped[str | None] = mapped_column(String(254))
    address: Mapped[Prose] = mapped_column(default="")
    number: Mapped[str] = mapped_column(String(60), default="")
    created_at: Mapped[datetime]


class PersonNumber(Base):
    """The number under which an organization, or without one the center itself, knows a person (with its leading zeros),
    and their department."""

    __tablename__ = "person_numbers"
    __table_args__ = (UniqueConstraint("organization_id", "number"),)
    id: Mapped[Key]
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    number: Mapped[str] = mapped_column(String(60))
    department: Mapped[Name]


class PersonTag(Base):
    """What kind of person somebody is to the center: member, concession, staff; kept in lower case."""

    __tablename__ = "person_tags"
    __table_args__ = (UniqueConstraint("person_id", "tag"),)
    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    tag: Mapped[str] = mapped_column(String(40), index=True)


class Note(Base):
    """A note of one's own on a person: who wrote it and when. Never edited."""

    __tablename__ = "notes"
    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    text: Mapped[Prose]
