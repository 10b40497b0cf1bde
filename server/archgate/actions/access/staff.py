"""Signing in and out, and who may do what. Sessions and attempts go by the system clock."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from functools import lru_cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import bindparam, case, delete, insert, select, update
from sqlalchemy.orm import Session

from archgate.actions.kernel import signing
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.clock import system_now
from archgate.core.faults import Fault, Refused
from archgate.tables.access import SignInLimit, User, UserSession

ROLES = ("administrator", "coordinator")
SESSION_LIFE = timedelta(hours=12)
DEVICE_LIFE = timedelta(days=400)
ATTEMPT_WINDOW = timedelta(minutes=15)
MOST_BY_CLIENT = 5
MOST_BY_ADDRESS = 50

# Who may do what: every endpoint names one of these acts.
MAY: dict[str, frozenset[str]] = {
    "read": frozenset(ROLES),
    "plan runs": frozenset(ROLES),
    "publish": frozenset(ROLES),
    "enroll": frozenset(ROLES),
    "keep sentences": frozenset(("administrator",)),
    "keep people": frozenset(ROLES),
    "keep courses": frozenset(ROLES),
    "keep places": frozenset(ROLES),
    "keep teaching": frozenset(ROLES),
    "keep pay": frozenset(ROLES),
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


SHORTEST, LONGEST = 10, 200  # characters of a password


def password_fault(password: str) -> str | None:
    """Why a password is none: too short or long, blank at its ends counted as nothing, or one sign over and over."""
    if len(password.strip()) < SHORTEST:
        return f"The password needs at least {SHORTEST} characters; spaces at its ends do not count."
    if len(password) > LONGEST:
        return f"The password has at most {LONGEST} characters."
    return "The password is one character over and over." if len(set(password.strip())) < 2 else None


def account_of(uow: UnitOfWork, email: str) -> int | None:
    """The number of the account of an email, for its devices."""
    return uow.session.scalar(select(User.id).where(User.email == email.strip(), User.active))


def create_user(uow: UnitOfWork, email: str, name: str, role: str, password: str, quick: bool) -> User:
    """Add a user who can sign in. Raises Refused for a weak password, an unknown role or a taken email."""
    faults = []
    weak = password_fault(password)
    if weak:
        faults.append(Fault("/password", weak))
    if role not in ROLES:
        faults.append(Fault("/role", f"The role is one of {', '.join(ROLES)}."))
    if uow.session.scalar(select(User).where(User.email == email)):
        faults.append(Fault("/email", f"{email} has an account already."))
    if faults:
        raise Refused(faults)
    user = User(
        email=email,
        name=name,
        role=role,
        password=hasher(quick).hash(password),
        active=True,
        created_at=uow.now,
    )
    uow.session.add(user)
    uow.session.flush()
    return user


def count_key(what: str, *parts: str) -> str:
    return hashlib.sha256("\n".join((what, *(p.strip().casefold() for p in parts))).encode()).hexdigest()


def device_of(kind: str, token: str | None, account: int | None) -> str | None:
    """The device behind a cookie, if it signed in to this account before. `kind` is d for staff, b for own pages."""
    read = signing.token_read(token) if token else None
    return f"{read[0]}{read[2]}" if read and read[:2] == (kind, account) else None


def device_token(kind: str, account: int) -> str:
    """A cookie by which a device that signed in is known again."""
    return signing.token_for(kind, account, secrets.randbits(60))


def limits_of(email: str, address: str, device: str | None) -> list[tuple[str, int]]:
    """What an attempt counts against. An account shuts only to the client that fails: by its address, or, where it signed
    in before, by itself alone, so that nobody else's attempts shut it out."""
    if device is not None:
        return [(count_key("device", device), MOST_BY_CLIENT)]
    return [
        (count_key("client", email, address), MOST_BY_CLIENT),
        (count_key("address", address), MOST_BY_ADDRESS),
    ]


def take_attempt(uow: UnitOfWork, limits: list[tuple[str, int]]) -> None:
    """Count an attempt before it is looked at, each limit by one statement, so that many at once pass no more than one
    after the other. Raises Problem 429 when there were too many in the last quarter of an hour."""
    now = system_now()
    for key, most in limits:
        begun = SignInLimit.since < now - ATTEMPT_WINDOW
        counted = uow.session.execute(
            update(SignInLimit)
            .where(SignInLimit.key == key)
            .values(
                tries=case((begun, 1), else_=SignInLimit.tries + 1),
                since=case((begun, now), else_=SignInLimit.since),
            )
            .execution_options(synchronize_session=False)
        )
        if not counted.rowcount:  # type: ignore[attr-defined]
            # Of two first ones at once the key lets one in; the other runs again and counts on.
            uow.session.execute(insert(SignInLimit).values(key=key, tries=1, since=now))
        tries = uow.session.scalar(select(SignInLimit.tries).where(SignInLimit.key == key)) or 0
        if tries > most:
            raise Problem(429, "too-many-attempts", "Too many attempts; try again in a quarter of an hour.")


def give_back_attempt(uow: UnitOfWork, limits: list[tuple[str, int]]) -> None:
    """What succeeded was no attempt to guess."""
    keys = [key for key, _ in limits]
    uow.session.execute(
        update(SignInLimit)
        .where(SignInLimit.key.in_(keys), SignInLimit.tries > 0)
        .values(tries=SignInLimit.tries - 1)
        .execution_options(synchronize_session=False)
    )
    uow.session.execute(delete(SignInLimit).where(SignInLimit.since < system_now() - timedelta(days=1)))


def sign_in(uow: UnitOfWork, email: str, password: str, quick: bool) -> tuple[User, str] | None:
    """A new session's user and token, or None when email and password do not fit.

    An unknown email costs as much time as a wrong password.
    """
    user = uow.session.scalar(select(User).where(User.email == email.strip(), User.active))
    stored = user.password if user else decoy(quick)
    fits = hasher(quick).verify(password, stored)
    if user is None or not fits:
        return None
    return user, open_session(uow, user)


@lru_cache
def decoy(quick: bool) -> str:
    return hasher(quick).hash("no such person")


def open_session(uow: UnitOfWork, user: User) -> str:
    """Store a session and return its token, which is kept nowhere else."""
    token = secrets.token_urlsafe(32)
    now = system_now()
    uow.session.add(
        UserSession(
            token_hash=token_hash(token), user_id=user.id, created_at=now, expires_at=now + SESSION_LIFE
        )
    )
    return token


USER_OF = (
    select(User)
    .join(UserSession, UserSession.user_id == User.id)
    .where(
        UserSession.token_hash == bindparam("hash"),
        UserSession.revoked_at.is_(None),
        UserSession.expires_at > bindparam("now"),
        User.active,
    )
)


def user_of(session: Session, token: str) -> User | None:
    """Whose session a token is, if it still stands."""
    return session.scalar(USER_OF, {"hash": token_hash(token), "now": system_now()})


def sign_out(uow: UnitOfWork, token: str) -> None:
    session = uow.session.get(UserSession, token_hash(token))
    if session:
        session.revoked_at = system_now()
