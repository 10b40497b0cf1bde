"""The second factor of the staff: codes by time (RFC 6238) from an application on a phone, and codes that work once instead.

A code is six digits of HMAC-SHA-1 over the half minute, as RFC 6238 section 4 has it with its defaults; one half minute before
and after is taken as well, for clocks that differ (section 5.2), and none twice. Recovery codes are sixteen letters and digits.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from datetime import datetime

import pyotp
import segno
from sqlalchemy import delete, func, select, update

from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.clock import system_now
from archgate.tables.access import RecoveryCode, User

STEP = 30  # seconds
SPARE = 10  # recovery codes given out at a time
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another


def step_of(secret: str, code: str, at: datetime, after: int) -> int | None:
    """The half minute whose code this is, near a moment and later than the last that was used; None when there is none."""
    made, now = pyotp.TOTP(secret), int(at.timestamp()) // STEP
    near = (step for step in (now - 1, now, now + 1) if step > after)
    return next((step for step in near if hmac.compare_digest(made.at(step * STEP), code)), None)


def new_secret() -> str:
    return pyotp.random_base32()


def address_of(user: User, center: str) -> str:
    """What the picture says to an application for codes (the otpauth key URI)."""
    return pyotp.TOTP(user.totp_secret).provisioning_uri(name=user.email, issuer_name=center)


def picture_of(address: str) -> str:
    """An address as a QR code (ISO/IEC 18004), an SVG in a data URI."""
    return segno.make(address, error="m").svg_data_uri(scale=4, border=4, light="white")


def code_hash(code: str) -> str:
    return hashlib.sha256(plain(code).encode()).hexdigest()


def plain(code: str) -> str:
    """A code without what people type between its parts."""
    return "".join(c for c in code.casefold() if c.isalnum())


def takes(uow: UnitOfWork, user: User, code: str) -> bool:
    """Whether a code lets somebody in; it is used up by this, under the lock of their row."""
    lock_row(uow, User, user.id)
    typed = plain(code)
    if typed.isdecimal() and typed.isascii():
        step = step_of(user.totp_secret, typed, system_now(), user.totp_step)
        if step is None:
            return False
        user.totp_step = step
        return True
    used = uow.session.execute(
        update(RecoveryCode)
        .where(
            RecoveryCode.code_hash == code_hash(code),
            RecoveryCode.user_id == user.id,
            RecoveryCode.used_at.is_(None),
        )
        .values(used_at=system_now())
        .execution_options(synchronize_session=False)
    )
    return bool(used.rowcount)  # type: ignore[attr-defined]


def new_codes(uow: UnitOfWork, user: User) -> list[str]:
    """Recovery codes instead of those there were; they are shown once."""
    drop_codes(uow, user)
    made = [
        "-".join("".join(secrets.choice(LETTERS) for _ in range(4)) for _ in range(4)) for _ in range(SPARE)
    ]
    uow.session.add_all(RecoveryCode(code_hash=code_hash(c), user_id=user.id, used_at=None) for c in made)
    uow.session.flush()
    return made


def drop_codes(uow: UnitOfWork, user: User) -> None:
    uow.session.execute(delete(RecoveryCode).where(RecoveryCode.user_id == user.id))


def codes_left(uow: UnitOfWork, user: User) -> int:
    query = select(func.count()).select_from(RecoveryCode)
    return (
        uow.session.scalar(query.where(RecoveryCode.user_id == user.id, RecoveryCode.used_at.is_(None))) or 0
    )
