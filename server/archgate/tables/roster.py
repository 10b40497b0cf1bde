"""Enrollments: who holds which seat, on which terms."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import CheckConstraint, Computed, ForeignKey, Index, SmallInteger, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.tables.base import Base, Key, Prose, Units, Word
from archgate.tables.fees import EnrollmentExtra
from archgate.tables.people import Person
from archgate.tables.plans import Installment


class PartyPlace(Base):
    """A head of a party beside the person who signed up, from 2 on, at its own rate; without a person until named."""

    __tablename__ = "party_places"
    __table_args__ = (UniqueConstraint("enrollment_id", "n"),)
    id: Mapped[Key]
    enrollment_id: Mapped[int] = mapped_column(ForeignKey("enrollments.id"))
    n: Mapped[int]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    rate_id: Mapped[int] = mapped_column(ForeignKey("rates.id"), index=True)
    person: Mapped[Person | None] = relationship()


class Enrollment(Base):
    """One sign-up on one run: a person, with as many heads as `heads`. `quote` is what was agreed, word for word; only a
    change of the sign-up itself writes a new one. `came_from_id` is the sign-up on another run that it was moved from.

    `live` is 1 while the enrollment holds its seat and NULL when it ended, so that the unique key allows one
    live enrollment per person and run and any number of ended ones.
    """

    __tablename__ = "enrollments"
    __table_args__ = (
        UniqueConstraint("run_id", "person_id", "live"),
        CheckConstraint("heads >= 1", name="heads"),
        CheckConstraint("total >= 0", name="total"),
        Index("ix_enrollments_person", "person_id"),
        Index("ix_enrollments_batch", "batch_id"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    payer_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"))
    rate_id: Mapped[int] = mapped_column(ForeignKey("rates.id"))
    plan_id: Mapped[int] = mapped_column(ForeignKey("plans.id"))
    batch_id: Mapped[int | None] = mapped_column(ForeignKey("batches.id"))
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    came_from_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    status: Mapped[Word]
    live: Mapped[int | None] = mapped_column(
        SmallInteger, Computed("CASE WHEN status = 'seated' THEN 1 ELSE NULL END", persisted=True)
    )
    way_in: Mapped[Word]
    heads: Mapped[int]
    signed_up: Mapped[date]
    enrolled_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    currency: Mapped[Word]
    total: Mapped[Units]
    quote: Mapped[dict[str, Any]]
    note: Mapped[Prose]

    person: Mapped[Person] = relationship()
    installments: Mapped[list[Installment]] = relationship(order_by="Installment.n")
    places: Mapped[list[PartyPlace]] = relationship(order_by="PartyPlace.n")
    extras: Mapped[list[EnrollmentExtra]] = relationship()
