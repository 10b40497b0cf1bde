"""Reminders: something to think of, on a day, in somebody's list."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Prose


class Reminder(Base):
    """At most one of these is what it is about; none: just a thing to do."""

    __tablename__ = "reminders"
    __table_args__ = (Index("ix_reminders_list", "user_id", "done_at", "day"),)
    id: Mapped[Key]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    made_by: Mapped[int] = mapped_column(ForeignKey("users.id"))
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    course_id: Mapped[int | None] = mapped_column(ForeignKey("courses.id"))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("accounts.id"))
    day: Mapped[date]
    text: Mapped[Prose]
    made_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
