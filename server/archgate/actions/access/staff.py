"""Signing in and out of the staff. Sessions, attempts and codes go by the system clock."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import bindparam, case, delete, insert, select, update
from sqlalchemy.orm import Session

from archgate.actions.access import second_factor
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.clock import system_now
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.states import SignInOutcome
from archgate.papers.letters.occasions import PasswordLink, StaffInvited
from archgate.papers.letters.writing import written
from archgate.tables.access import SignIn, SignInLimit, StaffRole, User, UserSession
from archgate.tables.log import Change

SESSION_LIFE = timedelta(hours=12)
DEVICE_LIFE = timedelta(days=400)
ATTEMPT_WINDOW = timedelta(minutes=15)
MOST_BY_CLIENT = 5
MOST_BY_ADDRESS = 50

LINK_LIFE = timedelta(days=7)
LOG_LIFE = timedelta(days=730)  # how long sign-ins are kept
MOST_CODES = 20  # wrong codes of one account in a quarter of an hour, wherever they come from; who has no password counts nothing
MOST_LINKS = 5  # mails with a link to one address in a quarter of an hour, whoever asks


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


def role_named(uow: UnitOfWork, name: str) -> StaffRole | None:
    return uow.session.scalar(select(StaffRole).where(StaffRole.name == name))


def create_user(uow: UnitOfWork, email: str, name: str, role: str, password: str, quick: bool) -> User:
    """Add a user who can sign in. Raises Refused for a weak password, an unknown role or a taken email."""
    faults = []
    weak = password_fault(password)
    if weak:
        faults.append(Fault("/password", weak))
    held = role_named(uow, role)
    if held is None:
        names = ", ".join(uow.session.scalars(select(StaffRole.name).order_by(StaffRole.id)))
        faults.append(Fault("/role", f"The role is one of {names}."))
    if uow.session.scalar(select(User).where(User.email == email)):
        faults.append(Fault("/email", f"{email} has an account already."))
    if faults or held is None:
        raise Refused(faults)
    user = new_user(uow, email, name, held)
    user.password = hasher(quick).hash(password)
    uow.session.flush()
    return user


def new_user(uow: UnitOfWork, email: str, name: str, role: StaffRole) -> User:
    """A user without a password: nobody signs in by it until one is set by the link."""
    user = User(
        email=email, name=name, role_id=role.id, role=role, password="", created_at=uow.now, link_at=None
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


@dataclass(frozen=True)
class Client:
    """From where, and with what, somebody signs in."""

    address: str
    browser: str


@dataclass(frozen=True)
class Tried:
    """What came of an attempt to sign in: a session's token; or that a code is asked for; or neither."""

    user: User | None = None
    token: str = ""
    code_asked: bool = False


def sign_in(uow: UnitOfWork, email: str, password: str, code: str, client: Client, quick: bool) -> Tried:
    """Try to sign in. An unknown email, or one whose password is not set yet, costs as much time as a wrong password; a code
    is asked for, and looked at, only after the password was right."""
    user = uow.session.scalar(select(User).where(User.email == email.strip(), User.active))
    stored = user.password if user and user.password else decoy(quick)
    fits = hasher(quick).verify(password, stored)
    if user is None or not user.password:
        return Tried()
    if not fits:
        note_sign_in(uow, user, SignInOutcome.WRONG_PASSWORD, client)
        return Tried()
    if user.second_factor:
        if not code.strip():
            return Tried(user, code_asked=True)
        guesses = [(count_key("second factor", str(user.id)), MOST_CODES)]
        take_attempt(uow, guesses)
        if not second_factor.takes(uow, user, code):
            note_sign_in(uow, user, SignInOutcome.WRONG_CODE, client)
            return Tried(user)
        give_back_attempt(uow, guesses)
    note_sign_in(uow, user, SignInOutcome.SIGNED_IN, client)
    return Tried(user, open_session(uow, user, client))


def note_sign_in(uow: UnitOfWork, user: User, outcome: SignInOutcome, client: Client) -> None:
    """Write down an attempt at an account; those that are long past are let go of."""
    now = system_now()
    uow.session.add(
        SignIn(user_id=user.id, at=now, outcome=outcome, address=client.address, browser=client.browser)
    )
    uow.session.execute(delete(SignIn).where(SignIn.user_id == user.id, SignIn.at < now - LOG_LIFE))


@lru_cache
def decoy(quick: bool) -> str:
    return hasher(quick).hash("no such person")


def open_session(uow: UnitOfWork, user: User, client: Client) -> str:
    """Store a session and return its token, which is kept nowhere else."""
    token = secrets.token_urlsafe(32)
    now = system_now()
    uow.session.add(
        UserSession(
            token_hash=token_hash(token), user_id=user.id, created_at=now, expires_at=now + SESSION_LIFE,
            address=client.address, browser=client.browser,
        )
    )  # fmt: skip
    return token


def end_sessions(uow: UnitOfWork, user_id: int, but: str = "") -> int:
    """End the sessions of a user, all but the one with this hash of a token; how many."""
    ended = uow.session.execute(
        update(UserSession)
        .where(
            UserSession.user_id == user_id,
            UserSession.revoked_at.is_(None),
            UserSession.expires_at > system_now(),
            UserSession.token_hash != but,
        )
        .values(revoked_at=system_now())
        .execution_options(synchronize_session=False)
    )
    return int(ended.rowcount)  # type: ignore[attr-defined]


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


# --- a password by a link ---------------------------------------------------------------------------------


def link_of(user: User) -> str:
    return f"{signing.address()}/password/{signing.token_for('s', user.id, user.turn)}"


def send_link(uow: UnitOfWork, user: User, change: Change) -> None:
    """Write to a user with a link to set a password; a link that was not used stays the one that works, valid anew."""
    user.link_at = uow.now
    uow.session.flush()
    through = (uow.now + LINK_LIFE).astimezone(uow.zone).date()
    letter = (
        PasswordLink(uow.center.name, user.name, link_of(user))
        if user.password
        else StaffInvited(uow.center.name, user.name, user.email, link_of(user), through)
    )
    messages.write(uow, change, messages.Addressee(user.name, user.email), written(letter))


def ask_for_link(uow: UnitOfWork, email: str) -> None:
    """Send a link to set a password anew to whoever works here by this email. Nobody is told whether somebody does; too many
    mails are not sent."""
    user = uow.session.scalar(select(User).where(User.email == email.strip(), User.active))
    if user is None:
        return
    try:
        take_attempt(uow, [(count_key("staff mail", email), MOST_LINKS)])
    except Problem:
        return
    change = uow.log(Act.SEND_A_PASSWORD_LINK, user.id, f"A link to set a password was sent to {user.name}")
    send_link(uow, user, change)


@dataclass(frozen=True)
class Link:
    """Whose link to set a password it is; `said`: why it no longer works."""

    user: User
    said: str = ""


def link_behind(uow: UnitOfWork, token: str) -> Link:
    read = signing.token_read(token)
    user = uow.session.get(User, read[1]) if read and read[0] == "s" else None
    if user is None or read is None:
        raise not_found("This link")
    if read[2] != user.turn:
        return Link(user, "This link was used. Sign in, or ask for a new one.")
    if not user.active:
        return Link(user, "This account has ended.")
    if user.link_at is None or uow.now > user.link_at + LINK_LIFE:
        return Link(user, "This link has run out. Ask for a new one.")
    return Link(user)


def set_password(uow: UnitOfWork, token: str, password: str, client: Client, quick: bool) -> User:
    """Set the password by the link; the link is used up, and every session ends. Signing in comes after, with the code of the
    second factor where there is one: a mailbox alone is not enough."""
    user = link_behind(uow, token).user
    uow.session.refresh(user, with_for_update=True)  # of two browsers at once, only one uses the link
    said = link_behind(uow, token).said
    if said:
        raise conflict("link-over", said)
    change_password(uow, user, password, quick)
    note_sign_in(uow, user, SignInOutcome.NEW_PASSWORD, client)
    change = uow.log(Act.SET_ONE_S_PASSWORD, user.id, f"{user.name} set a password by the link")
    change.user_id = user.id
    return user


def change_password(uow: UnitOfWork, user: User, password: str, quick: bool, but: str = "") -> None:
    """Give a user another password; links that were sent and sessions end, but for the one it was changed in."""
    weak = password_fault(password)
    if weak:
        raise refuse("/password", weak)
    if password.casefold() == user.email.casefold():
        raise refuse("/password", "The email is not a password.")
    user.password, user.turn = hasher(quick).hash(password), user.turn + 1
    end_sessions(uow, user.id, but)
    uow.session.flush()
