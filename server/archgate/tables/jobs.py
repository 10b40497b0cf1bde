"""Work for the worker: queued jobs and timed work. All times here are the system clock's."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Index, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.core.states import JobStatus
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Prose, Word, ascii_key


class Job(Base):
    """Work to be done at least once. `key` is stable: the other side does it once, however often it is asked."""

    __tablename__ = "jobs"
    __table_args__ = (
        Index("ix_jobs_due", "status", "due_at"),
        Index("ix_jobs_lease", "status", "lease_until"),
    )
    id: Mapped[Key]
    kind: Mapped[Word]
    key: Mapped[str] = mapped_column(ascii_key(80), unique=True)
    what: Mapped[Document]
    status: Mapped[JobStatus]
    due_at: Mapped[datetime]
    lease_until: Mapped[datetime | None]
    worker: Mapped[str] = mapped_column(String(80), default="")
    tries: Mapped[int] = mapped_column(default=0)
    trouble: Mapped[Prose] = mapped_column(default="")
    change_key: Mapped[str] = mapped_column(ascii_key(32), default="", index=True)
    run_id: Mapped[int | None] = mapped_column(index=True)
    made_at: Mapped[datetime]
    done_at: Mapped[datetime | None]


class TimedWork(Base):
    """Work that comes round by the clock, with what the last round found."""

    __tablename__ = "timed_work"
    name: Mapped[str] = mapped_column(ascii_key(60), primary_key=True)
    due_at: Mapped[datetime]
    last_at: Mapped[datetime | None]
    found: Mapped[Prose] = mapped_column(default="")


class CheckRound(Base):
    """A check of everything: how far it has come (`part`, and the id after which it goes on), and what it found so far."""

    __tablename__ = "check_rounds"
    id: Mapped[Key]
    begun_at: Mapped[datetime]
    part: Mapped[int]
    after: Mapped[int]
    found: Mapped[list[str]]
    alive_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
