"""Instructors, the hours at which they can teach, and the times at which they or a place are taken."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Name, ascii_key


class Instructor(Base):
    """`hours` are the weekly hours at which somebody can teach, [{"weekday", "from", "to"}]; none: at any time."""

    __tablename__ = "instructors"
    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(200), unique=True)
    email: Mapped[str | None] = mapped_column(String(254))
    phone: Mapped[str | None] = mapped_column(String(40))
    hours: Mapped[list[dict[str, str]]] = mapped_column(default=list)
    active: Mapped[bool] = mapped_column(default=True)


class BusyTime(Base):
    """A time at which an instructor is away, or a place is closed. `source` names the calendar it came from."""

    __tablename__ = "busy_times"
    __table_args__ = (
        CheckConstraint("(instructor_id IS NULL) <> (place_id IS NULL)", name="one_owner"),
        CheckConstraint("ends_at > starts_at", name="order"),
        Index("ix_busy_instructor", "instructor_id", "starts_at"),
        Index("ix_busy_place", "place_id", "starts_at"),
    )
    id: Mapped[Key]
    instructor_id: Mapped[int | None] = mapped_column(ForeignKey("instructors.id"))
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"))
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    all_day: Mapped[bool] = mapped_column(default=False)
    label: Mapped[Name]
    source: Mapped[str] = mapped_column(ascii_key(64), default="")
