"""Who may come in: users, their sessions, and the attempts to sign in."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String
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


class SignInLimit(Base):
    """How often something was tried since a moment: by one client at one account, by one address, by one known device. The
    key is the hash of what is counted. System clock."""

    __tablename__ = "sign_in_limits"
    key: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    tries: Mapped[int]
    since: Mapped[datetime] = mapped_column(index=True)
