"""Meeting patterns, meetings and gates."""

from __future__ import annotations

from datetime import date, datetime, time

from sqlalchemy import CheckConstraint, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Name, Word


class MeetingPattern(Base):
    """A weekly pattern as it was given; the meetings are its result and may have been changed since."""

    __tablename__ = "meeting_patterns"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    first: Mapped[date]
    start: Mapped[time]
    minutes: Mapped[int]
    weekdays: Mapped[str] = mapped_column(String(20))
    every_weeks: Mapped[int]
    count: Mapped[int | None]
    until: Mapped[date | None]


class Meeting(Base):
    """One date of a run: wall-clock time as planned, and the moments derived from it in the run's zone."""

    __tablename__ = "meetings"
    __table_args__ = (
        CheckConstraint("minutes > 0", name="minutes"),
        CheckConstraint("ends_at > starts_at", name="order"),
        Index("ix_meetings_run", "run_id", "starts_at"),
        Index("ix_meetings_time", "starts_at", "ends_at"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    date: Mapped[date]
    start: Mapped[time]
    minutes: Mapped[int]
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    by_hand: Mapped[bool] = mapped_column(default=False)


class Gate(Base):
    """A gate's rule and the moment it gives, so that lists filter in SQL. Worked out anew when dates or fees change."""

    __tablename__ = "gates"
    __table_args__ = (Index("ix_gates_kind", "kind", "at"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    kind: Mapped[Word]
    rule: Mapped[Name]
    day: Mapped[date]
    at: Mapped[datetime]
    label: Mapped[Name]
