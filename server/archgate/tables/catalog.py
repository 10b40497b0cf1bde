"""What the public sees of courses: the tree they are sorted in, the versions of their texts, their pictures and documents; and
the codes and requests by which people come in."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from archgate.core.states import RequestStatus
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Prose, ascii_key

BYTES = LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb")


class Category(Base):
    """A place in the tree of categories; without a parent at its top. `position` orders those of one parent."""

    __tablename__ = "categories"
    id: Mapped[Key]
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("categories.id"), index=True)
    name: Mapped[Name]
    position: Mapped[int] = mapped_column(default=0)


class CourseVersion(Base):
    """The text of a course as it was published, with its title then. `mark` says what it went to: "printed program, spring 2027".

    What lists of courses go by stands beside the text: `level` and `language`, the folded `words` that are searched, and `card`,
    which is what a list shows.
    """

    __tablename__ = "course_versions"
    __table_args__ = (UniqueConstraint("course_id", "n"),)
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"))
    n: Mapped[int]
    title: Mapped[Name]
    content: Mapped[Document] = mapped_column(deferred=True)
    card: Mapped[Document]
    level: Mapped[str] = mapped_column(String(40), default="")
    language: Mapped[str] = mapped_column(String(20), default="")
    words: Mapped[Prose]
    at: Mapped[datetime]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    mark: Mapped[Name] = mapped_column(default="")


class CoursePicture(Base):
    """A picture of a course, made anew in two sizes from what was given. Its key is its address: nobody guesses that of a draft."""

    __tablename__ = "course_pictures"
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"), index=True)
    key: Mapped[str] = mapped_column(ascii_key(32), unique=True)
    width: Mapped[int]
    height: Mapped[int]
    large: Mapped[bytes] = mapped_column(BYTES, deferred=True)
    small: Mapped[bytes] = mapped_column(BYTES, deferred=True)
    at: Mapped[datetime]


class CourseDocument(Base):
    """A document that people read or print before or after they sign up; a PDF, by its content."""

    __tablename__ = "course_documents"
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"), index=True)
    key: Mapped[str] = mapped_column(ascii_key(32), unique=True)
    name: Mapped[Name]
    size: Mapped[int]
    content: Mapped[bytes] = mapped_column(BYTES, deferred=True)
    at: Mapped[datetime]


class AccessCode(Base):
    """A code by which people sign up for a run that asks for one. `most` is the number of uses, none any number; `used` is counted
    under the run's lock. A code that was ended stays, for who came by it."""

    __tablename__ = "access_codes"
    __table_args__ = (
        UniqueConstraint("run_id", "code"),
        CheckConstraint("used >= 0", name="used"),
        CheckConstraint("most IS NULL OR most >= 1", name="most"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    label: Mapped[Name]
    code: Mapped[str] = mapped_column(String(60))
    starts_at: Mapped[datetime | None]
    ends_at: Mapped[datetime | None]
    most: Mapped[int | None]
    used: Mapped[int] = mapped_column(default=0)
    active: Mapped[bool] = mapped_column(default=True)
    made_at: Mapped[datetime]


class SeatRequest(Base):
    """Somebody who asks to come onto a run, with what they asked for and their answers; nobody holds a seat by it. Whoever decides
    first has decided. `person_id` is who they are, or became with the seat."""

    __tablename__ = "seat_requests"
    __table_args__ = (
        Index("ix_seat_requests_run", "run_id", "status"),
        Index("ix_seat_requests_open", "status", "made_at"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    given: Mapped[Name]
    family: Mapped[Name]
    email: Mapped[str] = mapped_column(String(254), index=True)
    phone: Mapped[str] = mapped_column(String(60), default="")
    ask: Mapped[Document]
    answers: Mapped[dict[str, str]] = mapped_column(default=dict)
    note: Mapped[Prose] = mapped_column(default="")
    status: Mapped[RequestStatus]
    made_at: Mapped[datetime]
    decided_at: Mapped[datetime | None]
    decided_by: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    word: Mapped[Prose] = mapped_column(default="")
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"))


class StrangerKey(Base):
    """A key under which somebody outside sent a form, with the answer it got: the same key again gets the same answer, for seven
    days. System clock."""

    __tablename__ = "stranger_keys"
    key: Mapped[str] = mapped_column(ascii_key(80), primary_key=True)
    body_hash: Mapped[str] = mapped_column(ascii_key(64))
    answer: Mapped[Document | None]
    at: Mapped[datetime] = mapped_column(index=True)
