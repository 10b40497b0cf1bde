"""Who may come in: users, their sessions, and the attempts to sign in."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import SignInOutcome
from archgate.tables.base import Base, Key, Name, ascii_key


class StaffRole(Base):
    """What some of the staff may do: words of `core.rights.Right`. With `second_factor` they need a code to sign in."""

    __tablename__ = "staff_roles"
    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(60), unique=True)
    rights: Mapped[list[str]] = mapped_column(default=list)
    second_factor: Mapped[bool] = mapped_column(default=False)


class User(Base):
    """Somebody of the staff. Without a password they are invited: `turn` and `link_at` belong to the link they were sent.

    `totp_secret` makes the codes of the second factor, which is asked for once `second_factor` is on; `totp_step` is the last
    half minute whose code was used, so that none works twice.
    """

    __tablename__ = "users"
    id: Mapped[Key]
    email: Mapped[str] = mapped_column(String(254), unique=True)
    name: Mapped[Name]
    role_id: Mapped[int] = mapped_column(ForeignKey("staff_roles.id"))
    password: Mapped[str] = mapped_column(ascii_key(200))
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime]
    turn: Mapped[int] = mapped_column(default=1)
    link_at: Mapped[datetime | None]
    second_factor: Mapped[bool] = mapped_column(default=False)
    totp_secret: Mapped[str] = mapped_column(ascii_key(64), default="")
    totp_step: Mapped[int] = mapped_column(default=0)
    role: Mapped[StaffRole] = relationship(lazy="joined", innerjoin=True)

    def may(self, right: str) -> bool:
        return right in self.role.rights


class RecoveryCode(Base):
    """A code that works once instead of one of the second factor; kept as a hash."""

    __tablename__ = "recovery_codes"
    __table_args__ = (Index("ix_recovery_codes_user", "user_id"),)
    code_hash: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    used_at: Mapped[datetime | None]


class SignIn(Base):
    """An attempt to sign in to an account that there is, and what came of it. System clock."""

    __tablename__ = "sign_ins"
    __table_args__ = (Index("ix_sign_ins_user", "user_id", "at"),)
    id: Mapped[Key]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    outcome: Mapped[SignInOutcome]
    address: Mapped[str] = mapped_column(ascii_key(60))
    browser: Mapped[Name]


class UserSession(Base):
    """A session is known by the hash of its token; the token itself is only in the cookie. System clock."""

    __tablename__ = "sessions"
    token_hash: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), index=True)
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]
    address: Mapped[str] = mapped_column(ascii_key(60), default="")
    browser: Mapped[Name] = mapped_column(default="")


class SignInLimit(Base):
    """How often something was tried since a moment: by one client at one account, by one address, by one known device. The
    key is the hash of what is counted. System clock."""

    __tablename__ = "sign_in_limits"
    key: Mapped[str] = mapped_column(ascii_key(64), primary_key=True)
    tries: Mapped[int]
    since: Mapped[datetime] = mapped_column(index=True)
