"""Messages to people, what the mail stand-in took, and the calls made when a meeting falls out."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import CallOutcome
from archgate.tables.base import Base, Key, Name, Prose, Word, ascii_key
from archgate.tables.jobs import Job
from archgate.tables.people import Person


class Message(Base):
    """A message written in the transaction of what it tells; a job sends it. `person_id` is None for staff and instructors.

    `invoice_id` is the paper that goes with it as a PDF. One of many that were queued at once has an `occasion` and what it is
    of instead of a text: it is put into words when it is sent, or looked at.
    """

    __tablename__ = "messages"
    __table_args__ = (Index("ix_messages_meeting", "meeting_id", "person_id"),)
    id: Mapped[Key]
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    meeting_id: Mapped[int | None] = mapped_column(ForeignKey("meetings.id", ondelete="SET NULL"))
    invoice_id: Mapped[int | None] = mapped_column(ForeignKey("invoices.id"))
    agreement_id: Mapped[int | None] = mapped_column(ForeignKey("agreements.id"))
    occasion: Mapped[Word] = mapped_column(default="")
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    to_name: Mapped[Name]
    to_email: Mapped[str] = mapped_column(String(254))
    subject: Mapped[Name]
    body: Mapped[Prose]
    made_at: Mapped[datetime]
    job: Mapped[Job] = relationship()


class MailStandIn(Base):
    """What the mail stand-in took: it belongs to the outside and knows nothing of ours but the stable key."""

    __tablename__ = "mail_stand_in"
    id: Mapped[Key]
    key: Mapped[str] = mapped_column(ascii_key(80), unique=True)
    to_email: Mapped[str] = mapped_column(String(254))
    subject: Mapped[Name]
    body: Mapped[Prose]
    html: Mapped[Prose] = mapped_column(default="")
    attached: Mapped[Name] = mapped_column(default="")
    attached_size: Mapped[int] = mapped_column(default=0)
    at: Mapped[datetime]


class MeetingStandIn(Base):
    """What the meeting-service stand-in made; `tries` counts how often each key was asked for."""

    __tablename__ = "meeting_stand_in"
    key: Mapped[str] = mapped_column(ascii_key(80), primary_key=True)
    link: Mapped[Prose]
    host_key: Mapped[Word]
    tries: Mapped[int]


class Call(Base):
    """What came of calling somebody about a meeting that falls out."""

    __tablename__ = "calls"
    __table_args__ = (UniqueConstraint("meeting_id", "person_id"),)
    id: Mapped[Key]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    outcome: Mapped[CallOutcome]
    note: Mapped[Prose] = mapped_column(default="")
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    person: Mapped[Person] = relationship()
