"""Enrollments: who holds which seat, on which terms."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import CheckConstraint, Computed, ForeignKey, Index, SmallInteger, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.quotes import AgreedQuote
from archgate.core.states import EnrollmentStatus, Mark, Role
from archgate.tables.base import Base, Key, Name, Prose, Units, Word
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


class RunGroup(Base):
    """A group inside a run."""

    __tablename__ = "run_groups"
    __table_args__ = (UniqueConstraint("run_id", "name"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    name: Mapped[str] = mapped_column(String(100))


class Attendance(Base):
    """Whether somebody was at a meeting. `user_id`: who of the staff said so; None where the instructor did."""

    __tablename__ = "attendance"
    __table_args__ = (UniqueConstraint("meeting_id", "person_id"),)
    id: Mapped[Key]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    status: Mapped[Mark]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]


class NoticeSeen(Base):
    """Somebody of the staff has acknowledged a version of a run's desk notice."""

    __tablename__ = "notices_seen"
    __table_args__ = (UniqueConstraint("user_id", "run_id", "version"),)
    id: Mapped[Key]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    version: Mapped[int]
    at: Mapped[datetime]


class Enrollment(Base):
    """One sign-up on one run: a person, with as many heads as `heads`. `quote` is what was agreed, word for word; only a
    change of the sign-up itself writes a new one. `came_from_id` is the sign-up on another run that it was moved from. `card_first`: a
    seat that is held waits for payment details too.

    `live` is 1 while the enrollment holds its seat ("seated", or "held" until `hold_until` for the first payment) and NULL
    when it ended, so that the unique key allows one live enrollment per person and run and any number of ended ones.
    Only the role "learner" takes seats. Without a `user_id` somebody outside signed up. `exception` is the reason for a sign-up after the close, or for `received_on`.
    """

    __tablename__ = "enrollments"
    __table_args__ = (
        UniqueConstraint("run_id", "person_id", "live"),
        CheckConstraint("heads >= 1", name="heads"),
        CheckConstraint("total >= 0", name="total"),
        Index("ix_enrollments_person", "person_id"),
        Index("ix_enrollments_batch", "batch_id"),
        Index("ix_enrollments_earned", "run_id", "live", "total"),
        Index("ix_enrollments_held", "hold_until", "status", "run_id"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    payer_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"))
    rate_id: Mapped[int] = mapped_column(ForeignKey("rates.id"))
    plan_id: Mapped[int] = mapped_column(ForeignKey("plans.id"))
    batch_id: Mapped[int | None] = mapped_column(ForeignKey("batches.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    access_code_id: Mapped[int | None] = mapped_column(ForeignKey("access_codes.id"), index=True)
    came_from_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    group_id: Mapped[int | None] = mapped_column(ForeignKey("run_groups.id"), index=True)
    set_aside_id: Mapped[int | None] = mapped_column(ForeignKey("set_asides.id"), index=True)
    status: Mapped[EnrollmentStatus]
    live: Mapped[int | None] = mapped_column(
        SmallInteger, Computed("CASE WHEN status IN ('seated','held') THEN 1 ELSE NULL END", persisted=True)
    )
    role: Mapped[Role] = mapped_column(default=Role.LEARNER)
    hold_until: Mapped[datetime | None]
    card_first: Mapped[bool] = mapped_column(default=False)
    received_on: Mapped[date | None]
    exception: Mapped[Prose] = mapped_column(default="")
    answers: Mapped[dict[str, str]] = mapped_column(default=dict)
    way_in: Mapped[Word]
    heads: Mapped[int]
    signed_up: Mapped[date]
    enrolled_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    currency: Mapped[Word]
    total: Mapped[Units]
    quote: Mapped[AgreedQuote]
    note: Mapped[Prose]
    sentence_id: Mapped[int | None] = mapped_column(ForeignKey("sentences.id"), index=True)
    order_number: Mapped[str] = mapped_column(String(100), default="")
    contact: Mapped[Name] = mapped_column(default="")

    @property
    def holds_seat(self) -> bool:
        """Whether it is live: on the roster, paid or not."""
        return self.status in (EnrollmentStatus.SEATED, EnrollmentStatus.HELD)

    @property
    def seats(self) -> int:
        """The seats it takes: only learners do."""
        return self.heads if self.role == Role.LEARNER else 0

    person: Mapped[Person] = relationship()
    installments: Mapped[list[Installment]] = relationship(order_by="Installment.n")
    places: Mapped[list[PartyPlace]] = relationship(order_by="PartyPlace.n")
    extras: Mapped[list[EnrollmentExtra]] = relationship()


class ParkedCall(Base):
    """A call that somebody of the staff put aside, as the desk keeps it: a text that only the desk reads. Whoever takes it up
    takes it away, so that it goes on in one place."""

    __tablename__ = "parked_calls"
    __table_args__ = (Index("ix_parked_calls_user", "user_id", "at"),)
    id: Mapped[Key]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    about: Mapped[Name]
    state: Mapped[Prose]
    at: Mapped[datetime]
