"""The log of changes, which undo reads, and the keys that make twice once."""

from __future__ import annotations

from datetime import datetime
from typing import TypedDict

from sqlalchemy import ForeignKey, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from archgate.documents.reader import Document
from archgate.tables.base import Base, JsonText, Key, Prose, Word, ascii_key


class RowChange(TypedDict):
    """One row as it was before a change and after it; None where there is none."""

    table: str
    id: int
    before: Document | None
    after: Document | None


class Change(Base):
    """One action: who, when, what, and every row before and after. Never edited; an undo is a change too."""

    __tablename__ = "changes"
    __table_args__ = (UniqueConstraint("undoes_id"), Index("ix_changes_subject", "subject", "subject_id"))
    id: Mapped[Key]
    key: Mapped[str] = mapped_column(ascii_key(32), unique=True)
    at: Mapped[datetime]
    entered_at: Mapped[datetime] = mapped_column(index=True)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    action: Mapped[Word]
    subject: Mapped[Word]
    subject_id: Mapped[int]
    run_id: Mapped[int | None] = mapped_column(index=True)
    summary: Mapped[Prose]
    rows: Mapped[list[RowChange]] = mapped_column(JsonText)
    undoes_id: Mapped[int | None] = mapped_column(ForeignKey("changes.id"))


class IdempotencyKey(Base):
    """A key with the answer it got; the same key again gets the same answer, for seven days. System clock."""

    __tablename__ = "idempotency_keys"
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), primary_key=True, autoincrement=False)
    key: Mapped[str] = mapped_column(ascii_key(80), primary_key=True)
    body_hash: Mapped[str] = mapped_column(ascii_key(64))
    status: Mapped[int]
    answer: Mapped[Document | None]
    at: Mapped[datetime] = mapped_column(index=True)
