"""A learner's own page: who was invited to it, their password, and the browsers signed in to it."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.core.states import PageStatus
from archgate.tables.base import Base, Key, ascii_key


class OwnPage(Base):
    """Somebody's own page, with the email they sign in by. `status`: invited or open. `turn` counts the links
    sent: only the latest works, and once."""

    __tablename__ = "own_pages"
    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), unique=True)
    email: Mapped[str] = mapped_column(String(254), unique=True)
    status: Mapped[PageStatus]
    password: Mapped[str | None] = mapped_column(ascii_key(200))
    turn: Mapped[int]
    sent_at: Mapped[datetime]


class OwnPageSession(Base):
    """A session is known by the hash of its token; the token itself is only in the cookie. System clock."""

    __tablename__ = "own_page_sessions"
    token_hash: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    own_page_id: Mapped[int] = mapped_column(ForeignKey("own_pages.id", ondelete="CASCADE"), index=True)
    expires_at: Mapped[datetime]
