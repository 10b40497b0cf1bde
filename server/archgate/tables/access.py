"""Who may come in: users, their sessions, and the attempts to sign in."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Name, Word, ascii_key


class User(Base):
    __tablename__ = "users"
    id: Mapped[Key]
    email: Mapped[str] = mapped_column(String(254), unique=True)
    name: Mapped[Name]
    role: Mapped[Word]
    password: Mapped[str] = mapped_column(ascii_key(200))
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime]


class UserSession(Base):
    """A session is known by the hash of its token; the token itself is only in the cookie. System clock."""

    __tablename__ = "sessions"
    token_hash: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), index=True)
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]


class SignInAttempt(Base):
    """A failed attempt, by email typed and by address. System clock."""

    __tablename__ = "sign_in_attempts"
    __table_args__ = (
        Index("ix_sign_in_attempts_email", "email", "at"),
        Index("ix_sign_in_attempts_from", "address", "at"),
    )
    id: Mapped[Key]
    email: Mapped[str] = mapped_column(String(254))
    address: Mapped[str] = mapped_column(ascii_key(60))
    at: Mapped[datetime]
