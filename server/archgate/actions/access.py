"""Signing in and out, and who may do what. Sessions and attempts go by the system clock."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from functools import lru_cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from archgate.actions.problems import Problem
from archgate.actions.transaction import Deed
from archgate.clock import system_now
from archgate.core.faults import Fault, Refused
from archgate.tables.access import SignInAttempt, User, UserSession

ROLES = ("administrator", "coordinator")
SESSION_LIFE = timedelta(hours=12)
ATTEMPT_WINDOW = timedelta(minutes=15)
MOST_BY_EMAIL = 5
MOST_BY_ADDRESS = 50

# Who may do what: every endpoint names one of these acts.
MAY: dict[str, frozenset[str]] = {
    "read": frozenset(ROLES),
    "plan runs": frozenset(ROLES),
    "publish": frozenset(ROLES),
    "enroll": frozenset(ROLES),
    "keep people": frozenset(ROLES),
    "keep courses": frozenset(ROLES),
    "keep places": frozenset(ROLES),
    "keep fees": frozenset(ROLES),
    "take money": frozenset(ROLES),
    "keep settings": frozenset(("administrator",)),
}


@lru_cache
def hasher(quick: bool) -> PasswordHash:
    """argon2id at the library's defaults; `quick` is for tests."""
    return PasswordHash(
        (Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1) if quick else Argon2Hasher(),)
    )


def token_hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def create_user(deed: Deed, email: str, name: str, role: str, password: str, quick: bool) -> User:
    """Add a user who can sign in. Raises Refused for a weak password, an unknown role or a taken email."""
    faults = []
    if len(password) < 10:
        faults.append(Fault("/password", "The password needs at least 10 characters."))
    if role not in ROLES:
        faults.append(Fault("/role", f"The role is one of {', '.join(ROLES)}."))
    if deed.session.scalar(select(User).where(User.email == email)):
        faults.append(Fault("/email", f"{email} has an account already."))
    if faults:
        raise Refused(faults)
    user = User(
        email=email,
        name=name,
        role=role,
        password=hasher(quick).hash(password),
        active=True,
        created_at=deed.now,
    )
    deed.session.add(user)
    deed.session.flush()
    return user


def attempts(session: Session, email: str, address: str) -> tuple[int, int]:
    """Failed attempts of the last quarter of an hour, by email and by address."""
    since = system_now() - ATTEMPT_WINDOW
    count = select(func.count()).select_from(SignInAttempt).where(SignInAttempt.at > since)
    by_email = session.scalar(count.where(SignInAttempt.email == email)) or 0
    return by_email, session.scalar(count.where(SignInAttempt.address == address)) or 0


def refuse_attempts(deed: Deed, email: str, address: str) -> None:
    by_email, by_address = attempts(deed.session, email, address)
    if by_email >= MOST_BY_EMAIL or by_address >= MOST_BY_ADDRESS:
        raise Problem(429, "too-many-attempts", "Too many attempts; try again in a quarter of an hour.")


def note_attempt(deed: Deed, email: str, address: str) -> None:
    deed.session.add(SignInAttempt(email=email[:254], address=address[:60], at=system_now()))
    deed.session.execute(delete(SignInAttempt).where(SignInAttempt.at < system_now() - timedelta(days=1)))


def sign_in(deed: Deed, email: str, password: str, quick: bool) -> tuple[User, str] | None:
    """A new session's user and token, or None when email and password do not fit.

    An unknown email costs as much time as a wrong password.
    """
    user = deed.session.scalar(select(User).where(User.email == email.strip(), User.active))
    stored = user.password if user else decoy(quick)
    fits = hasher(quick).verify(password, stored)
    if user is None or not fits:
        return None
    deed.session.execute(delete(SignInAttempt).where(SignInAttempt.email == user.email))
    return user, open_session(deed, user)


@lru_cache
def decoy(quick: bool) -> str:
    return hasher(quick).hash("no such person")


def open_session(deed: Deed, user: User) -> str:
    """Store a session and return its token, which is kept nowhere else."""
    token = secrets.token_urlsafe(32)
    now = system_now()
    deed.session.add(
        UserSession(
            token_hash=token_hash(token), user_id=user.id, created_at=now, expires_at=now + SESSION_LIFE
        )
    )
    return token


def user_of(deed: Deed, token: str) -> User | None:
    """Whose session a token is, if it still stands."""
    query = (
        select(User)
        .join(UserSession, UserSession.user_id == User.id)
        .where(
            UserSession.token_hash == token_hash(token),
            UserSession.revoked_at.is_(None),
            UserSession.expires_at > system_now(),
            User.active,
        )
    )
    return deed.session.scalar(query)


def sign_out(deed: Deed, token: str) -> None:
    held = deed.session.get(UserSession, token_hash(token))
    if held:
        held.revoked_at = system_now()
