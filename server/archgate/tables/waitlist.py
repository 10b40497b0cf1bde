"""Who waits for a seat on a full run."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import CheckConstraint, Computed, ForeignKey, Index, SmallInteger, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import InterestStatus, LineStatus
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Prose, Word, ascii_key
from archgate.tables.people import Person


class Waiting(Base):
    """A party in line, with what it asked for. `live` is 1 while it waits or has an offer and NULL when it was seated or
    left, as with enrollments. Group, purchase order and contact go along to the seat. `offers` counts the offers made so far; the link of each carries its number. With `by_hand`
    nothing is offered to it by itself any more: an offer was taken back, and the next one is somebody's decision.
    """

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
    sentence_id: Mapped[int | None] = mapped_column(ForeignKey("sentences.id"), index=True)
    group_id: Mapped[int | None] = mapped_column(ForeignKey("run_groups.id"), index=True)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"))
    status: Mapped[LineStatus]
    live: Mapped[int | None] = mapped_column(
        SmallInteger,
        Computed("CASE WHEN status IN ('waiting','offered') THEN 1 ELSE NULL END", persisted=True),
    )
    head_start: Mapped[int] = mapped_column(default=0)
    offers: Mapped[int] = mapped_column(default=0)
    offered_at: Mapped[datetime | None]
    offer_until: Mapped[datetime | None]
    asked_time: Mapped[bool] = mapped_column(default=False)
    by_hand: Mapped[bool] = mapped_column(default=False)
    answers: Mapped[dict[str, str]] = mapped_column(default=dict)
    way_in: Mapped[Word]
    order_number: Mapped[str] = mapped_column(String(100), default="")
    contact: Mapped[Name] = mapped_column(default="")
    heads: Mapped[int]
    joined_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    note: Mapped[Prose]
    ask: Mapped[Document] = mapped_column(default=dict)

    person: Mapped[Person] = relationship()


class Interest(Base):
    """Somebody who wants to hear when sign-up opens: of a run, or of a course between runs. Not an enrollment.

    `list_key` is "run:5" or "course:3"; `live` as with enrollments. `status`: listed, told, enrolled, cleared, carried.
    """

    __tablename__ = "interest"
    __table_args__ = (UniqueConstraint("list_key", "person_id", "live"),)
    id: Mapped[Key]
    list_key: Mapped[str] = mapped_column(ascii_key(30))
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    status: Mapped[InterestStatus]
    live: Mapped[int | None] = mapped_column(
        SmallInteger, Computed("CASE WHEN status IN ('listed','told') THEN 1 ELSE NULL END", persisted=True)
    )
    joined_at: Mapped[datetime]
    told_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]
    note: Mapped[Prose]
    answers: Mapped[dict[str, str]] = mapped_column(default=dict)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    person: Mapped[Person] = relationship()
