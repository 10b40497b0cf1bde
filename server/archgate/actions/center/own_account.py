"""One's own account on the staff: password, second factor, sessions. By whoever is signed in, whatever their role."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.access import second_factor
from archgate.actions.access import staff as signing_in
from archgate.actions.center import staff
from archgate.actions.center.commands import FactorCodeCommand, OwnPasswordCommand
from archgate.actions.center.views import OwnAccount, RecoveryCodes, SecretOut, SessionOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Done
from archgate.clock import system_now
from archgate.core.faults import refuse
from archgate.tables.access import User, UserSession

OWN_SIGN_INS = 20
HANDLE = 16  # characters of a session's hash that name it; the cookie cannot be worked out from them


def own(uow: UnitOfWork) -> User:
    user = lock_row(uow, User, uow.user_id)
    assert user is not None
    return user


def account(uow: UnitOfWork, this: str) -> OwnAccount:
    """One's own account; `this` is the hash of the session that asks."""
    user = staff.get_user(uow, uow.user_id)
    standing = (
        select(UserSession)
        .where(
            UserSession.user_id == user.id,
            UserSession.revoked_at.is_(None),
            UserSession.expires_at > system_now(),
        )
        .order_by(UserSession.created_at.desc())
        .limit(50)
    )
    return OwnAccount(
        name=user.name,
        email=user.email,
        role=user.role.name,
        rights=[r for r in staff.rights() if user.may(r.right)],
        second_factor=user.second_factor,
        demanded=user.role.second_factor,
        codes_left=second_factor.codes_left(uow, user),
        sessions=[
            SessionOut(
                handle=s.token_hash[:HANDLE],
                since=uow.local(s.created_at),
                until=uow.local(s.expires_at),
                address=s.address,
                browser=s.browser,
                this=s.token_hash == this,
            )
            for s in uow.session.scalars(standing)
        ],
        sign_ins=staff.sign_ins(uow, user.id).sign_ins[:OWN_SIGN_INS],
    )


def refuse_wrong_password(uow: UnitOfWork, user: User, password: str, quick: bool, at: str) -> None:
    if not signing_in.hasher(quick).verify(password[:1000], user.password):
        raise refuse(at, "This is not your password.")


def change_password(uow: UnitOfWork, command: OwnPasswordCommand, this: str, quick: bool) -> Done:
    """Change one's own password; one's other sessions end."""
    user = own(uow)
    refuse_wrong_password(uow, user, command.now, quick, "/now")
    signing_in.change_password(uow, user, command.password, quick, but=this)
    return Done(change=uow.log(Act.SET_ONE_S_PASSWORD, user.id, f"{user.name} changed their password").key)


def begin_second_factor(uow: UnitOfWork) -> SecretOut:
    """Make a secret for an application for codes. It counts only once a code of it was typed."""
    user = own(uow)
    if user.second_factor:
        raise conflict("on", "The second factor is set up; take it off first.")
    user.totp_secret, user.totp_step = second_factor.new_secret(), 0
    uow.session.flush()
    address = second_factor.address_of(user, uow.center.name)
    return SecretOut(secret=user.totp_secret, picture=second_factor.picture_of(address))


def confirm_second_factor(uow: UnitOfWork, command: FactorCodeCommand, this: str) -> RecoveryCodes:
    """Set the second factor up by its first code; gives the recovery codes, and ends one's other sessions."""
    user = own(uow)
    if user.second_factor or not user.totp_secret:
        raise conflict("on", "There is nothing to confirm; begin anew.")
    if not second_factor.takes(uow, user, command.code):
        raise refuse("/code", "This code does not fit. Look whether the clock of the phone is right.")
    user.second_factor = True
    signing_in.end_sessions(uow, user.id, this)
    uow.log(Act.SECOND_FACTOR, user.id, f"{user.name} set up a second factor")
    return RecoveryCodes(codes=second_factor.new_codes(uow, user))


def refuse_without(uow: UnitOfWork, user: User, code: str) -> None:
    if not user.second_factor:
        raise conflict("none", "There is no second factor.")
    if not second_factor.takes(uow, user, code):
        raise refuse("/code", "This code does not fit, or was used.")


def new_codes(uow: UnitOfWork, command: FactorCodeCommand) -> RecoveryCodes:
    """New recovery codes instead of those there were."""
    user = own(uow)
    refuse_without(uow, user, command.code)
    uow.log(Act.SECOND_FACTOR, user.id, f"{user.name} made new recovery codes")
    return RecoveryCodes(codes=second_factor.new_codes(uow, user))


def end_second_factor(uow: UnitOfWork, command: FactorCodeCommand) -> Done:
    """Take one's own second factor off, with a code of it; not where the role needs one."""
    user = own(uow)
    if user.role.second_factor:
        raise conflict("demanded", f"The role {user.role.name} needs a code to sign in.")
    refuse_without(uow, user, command.code)
    user.second_factor, user.totp_secret = False, ""
    second_factor.drop_codes(uow, user)
    uow.session.flush()
    return Done(change=uow.log(Act.SECOND_FACTOR, user.id, f"{user.name} took off their second factor").key)


def end_session(uow: UnitOfWork, handle: str) -> Done:
    """End one of one's own sessions."""
    query = select(UserSession).where(
        UserSession.user_id == uow.user_id, UserSession.token_hash.startswith(handle, autoescape=True)
    )
    row = uow.session.scalar(query) if len(handle) == HANDLE else None
    if row is None:
        raise not_found("This session")
    row.revoked_at = system_now()
    uow.session.flush()
    return Done(change=uow.log(Act.END_SESSIONS, uow.user_id, "Ended a session").key)


def end_others(uow: UnitOfWork, this: str) -> Done:
    """End all one's sessions but this one."""
    ended = signing_in.end_sessions(uow, uow.user_id, this)
    return Done(change=uow.log(Act.END_SESSIONS, uow.user_id, f"Ended {ended} other sessions").key)
