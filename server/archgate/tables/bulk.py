"""Batches: lists that go onto a run in one step, and their rows with their verdicts."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import BatchStatus
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Prose, ascii_key


class BatchRow(Base):
    """A line as it stands in the file; `fixed` holds what was corrected by hand, by fact, `odd` what was strange to its
    reader."""

    __tablename__ = "batch_rows"
    __table_args__ = (UniqueConstraint("batch_id", "line"),)
    id: Mapped[Key]
    batch_id: Mapped[int] = mapped_column(ForeignKey("batches.id"))
    line: Mapped[int]
    cells: Mapped[list[str]]
    fixed: Mapped[dict[str, str] | None]
    odd: Mapped[Prose] = mapped_column(default="")


class Batch(Base):
    """`columns` says which column of the file is which fact; `reading` how the file was understood."""

    __tablename__ = "batches"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    status: Mapped[BatchStatus]
    file_name: Mapped[Name]
    file_hash: Mapped[str] = mapped_column(ascii_key(64))
    reading: Mapped[Prose]
    headings: Mapped[list[str]]
    columns: Mapped[dict[str, int]]
    report: Mapped[list[Document] | None]
    created_at: Mapped[datetime]
    enrolled_at: Mapped[datetime | None]
    rows: Mapped[list[BatchRow]] = relationship(order_by="BatchRow.line", cascade="all, delete-orphan")
