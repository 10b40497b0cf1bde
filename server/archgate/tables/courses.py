"""The center, its courses and their runs."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.tables.base import Base, Key, Name, Prose, Word
from archgate.tables.fees import Rate
from archgate.tables.plans import Plan
from archgate.tables.schedule import Gate, Meeting, MeetingPattern


class Center(Base):
    """One row: what holds for the whole center. `clock_offset` (seconds) sets the business clock."""

    __tablename__ = "center"
    id: Mapped[Key]
    name: Mapped[Name]
    time_zone: Mapped[str] = mapped_column(String(64))
    currency: Mapped[str] = mapped_column(String(3))
    clock_offset: Mapped[int] = mapped_column(default=0)
    demo_ready: Mapped[bool] = mapped_column(default=False)


class Course(Base):
    """`defaults` is what its runs start from: capacity, smallest, place, instructor, rates and plans as documents."""

    __tablename__ = "courses"
    id: Mapped[Key]
    code: Mapped[str] = mapped_column(String(40), unique=True)
    title: Mapped[Name]
    summary: Mapped[Prose]
    defaults: Mapped[dict[str, Any]]
    created_at: Mapped[datetime]


class Run(Base):
    """One offering of a course. What people edit stands here; who sits where is locked in `run_seats`.

    `sources` names the values that came from the course's defaults and were not changed since.
    """

    __tablename__ = "runs"
    __table_args__ = (
        CheckConstraint("capacity >= 1 AND capacity <= 100000", name="capacity"),
        CheckConstraint("smallest >= 0 AND smallest <= capacity", name="smallest"),
    )
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"), index=True)
    code: Mapped[str] = mapped_column(String(40), unique=True)
    title: Mapped[Name]
    note: Mapped[Prose]
    kind: Mapped[Word]
    status: Mapped[Word] = mapped_column(index=True)
    decision: Mapped[Word]
    place: Mapped[Name]
    instructor: Mapped[Name]
    time_zone: Mapped[str] = mapped_column(String(64))
    currency: Mapped[str] = mapped_column(String(3))
    capacity: Mapped[int]
    smallest: Mapped[int]
    sign_up_opens: Mapped[date | None]
    sources: Mapped[list[Any]]
    created_at: Mapped[datetime]
    published_at: Mapped[datetime | None]

    course: Mapped[Course] = relationship()
    patterns: Mapped[list[MeetingPattern]] = relationship(
        cascade="all, delete-orphan", order_by="MeetingPattern.id"
    )
    meetings: Mapped[list[Meeting]] = relationship(
        cascade="all, delete-orphan", order_by="(Meeting.starts_at, Meeting.id)"
    )
    gates: Mapped[list[Gate]] = relationship(cascade="all, delete-orphan", order_by="Gate.at")
    rates: Mapped[list[Rate]] = relationship(cascade="all, delete-orphan", order_by="Rate.position")
    plans: Mapped[list[Plan]] = relationship(cascade="all, delete-orphan", order_by="Plan.id")
