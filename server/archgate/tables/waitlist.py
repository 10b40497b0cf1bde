"""Who waits for a seat on a full run."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, Computed, ForeignKey, Index, SmallInteger, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.tables.base import Base, Key, Prose, Word
from archgate.tables.people import Person


class Waiting(Base):
    """A party in line, with what it asked for. `live` is 1 while it waits and NULL when it was seated or left, as with enrollments."""

    __tablename__ = "waiting"
    __table_args__ = (
        UniqueConstraint("run_id", "person_id", "live"),
        CheckConstraint("heads >= 1", name="heads"),
        Index("ix_waiting_line", "run_id", "status", "joined_at"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    payer_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"))
    rate_id: Mapped[int] = mapped_column(ForeignKey("rates.id"))
    plan_id: Mapped[int] = mapped_column(ForeignKey("plans.id"))
    batch_id: Mapped[int | None] = mapped_column(ForeignKey("batches.id"), index=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"))
    status: Mapped[Word]
    live: Mapped[int | None] = mapped_column(
        SmallInteger, Computed("CASE WHEN status = 'waiting' THEN 1 ELSE NULL END", persisted=True)
    )
    way_in: Mapped[Word]
    heads: Mapped[int]
    joined_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    note: Mapped[Prose]
    ask: Mapped[dict[str, Any]] = mapped_column(default=dict)

    person: Mapped[Person] = relationship()
