"""The staff: users, roles, and one's own account."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User, count_key, take_attempt
from archgate.actions.across import today
from archgate.actions.across.views import UserName
from archgate.actions.center import own_account, staff
from archgate.actions.center.commands import (
    FactorCodeCommand,
    InviteCommand,
    OwnPasswordCommand,
    RoleCommand,
    RolePatch,
    StaffPatch,
)
from archgate.actions.center.views import (
    OwnAccount,
    RecoveryCodes,
    RoleDone,
    SecretOut,
    SignIns,
    StaffDone,
    StaffPage,
)
from archgate.actions.kernel.unit_of_work import Once, act
from archgate.actions.kernel.views import Done
from archgate.api.web import Subject, Token, current_user, may, once, run_act, run_read, session_of

router = Subject(tags=["staff"])
MOST_GUESSES = 10  # of one's own password or code in a quarter of an hour, by one account


@router.get("/users")
def list_users(request: Request, user: User = Depends(may("read"))) -> list[UserName]:
    """Whose lists there are, for reminders."""
    return run_read(request, user, today.users)


@router.get("/staff")
def staff_page(request: Request, user: User = Depends(may("keep staff"))) -> StaffPage:
    """Everybody of the staff, and who may do what."""
    return run_read(request, user, staff.page)


@router.get("/staff/sign-ins")
def sign_ins(
    request: Request, user_id: int | None = None, user: User = Depends(may("keep staff"))
) -> SignIns:
    """The newest attempts to sign in, of everybody or of one."""
    return run_read(request, user, lambda uow: staff.sign_ins(uow, user_id))


@router.post("/staff", status_code=201)
def invite_staff(
    body: InviteCommand,
    request: Request,
    user: User = Depends(may("keep staff")),
    key: Once | None = Depends(once),
) -> StaffDone:
    """Add somebody to the staff, and write them a link to set a password."""
    return run_act(request, user, lambda uow: staff.invite(uow, body), once=key)


@router.patch("/staff/{user_id}")
def change_staff(
    user_id: int, body: StaffPatch, request: Request, user: User = Depends(may("keep staff"))
) -> StaffDone:
    """Change a name, an email or a role; end an account, or take somebody back."""
    return run_act(request, user, lambda uow: staff.change(uow, user_id, body))


@router.post("/staff/{user_id}/link")
def send_staff_link(user_id: int, request: Request, user: User = Depends(may("keep staff"))) -> StaffDone:
    """Send the invitation once more, or a link to set a new password."""
    return run_act(request, user, lambda uow: staff.send_link(uow, user_id))


@router.delete("/staff/{user_id}/second-factor")
def end_staff_second_factor(
    user_id: int, request: Request, user: User = Depends(may("keep staff"))
) -> StaffDone:
    """Take the second factor off somebody who lost their phone and codes."""
    return run_act(request, user, lambda uow: staff.end_second_factor(uow, user_id))


@router.post("/staff-roles", status_code=201)
def add_staff_role(
    body: RoleCommand,
    request: Request,
    user: User = Depends(may("keep staff")),
    key: Once | None = Depends(once),
) -> RoleDone:
    """Add a role of the center's own."""
    return run_act(request, user, lambda uow: staff.add_role(uow, body), once=key)


@router.patch("/staff-roles/{role_id}")
def change_staff_role(
    role_id: int, body: RolePatch, request: Request, user: User = Depends(may("keep staff"))
) -> RoleDone:
    """Change what a role allows."""
    return run_act(request, user, lambda uow: staff.change_role(uow, role_id, body))


@router.delete("/staff-roles/{role_id}")
def remove_staff_role(role_id: int, request: Request, user: User = Depends(may("keep staff"))) -> Done:
    """Take out a role that nobody has."""
    return run_act(request, user, lambda uow: Done(change=staff.remove_role(uow, role_id)))


# --- one's own account ------------------------------------------------------------------------------------


def count_guess(request: Request, user: User) -> None:
    """Count a guess at one's own password or code, by an act of its own, so that a refusal does not take it back."""
    limits = [(count_key("own guess", str(user.id)), MOST_GUESSES)]
    act(request.app.state.sessions, lambda uow: take_attempt(uow, limits))


@router.get("/me")
def own_account_page(request: Request, user: User = Depends(current_user)) -> OwnAccount:
    """One's own account: what one may, where one is signed in, and when one was."""
    return run_read(request, user, lambda uow: own_account.account(uow, session_of(request)))


@router.post("/me/password")
def change_own_password(
    body: OwnPasswordCommand, request: Request, user: User = Depends(current_user)
) -> Done:
    """Change one's password; one's other sessions end."""
    count_guess(request, user)
    quick, this = request.app.state.settings.quick_hash, session_of(request)
    return run_act(request, user, lambda uow: own_account.change_password(uow, body, this, quick))


@router.post("/me/second-factor")
def begin_second_factor(request: Request, user: User = Depends(current_user)) -> SecretOut:
    """Begin to set up a second factor: a secret for an application for codes."""
    return run_act(request, user, own_account.begin_second_factor)


@router.post("/me/second-factor/confirm")
def confirm_second_factor(
    body: FactorCodeCommand, request: Request, user: User = Depends(current_user)
) -> RecoveryCodes:
    """Set it up by its first code; gives the recovery codes, which are shown once."""
    count_guess(request, user)
    this = session_of(request)
    return run_act(request, user, lambda uow: own_account.confirm_second_factor(uow, body, this))


@router.post("/me/second-factor/end")
def end_second_factor(body: FactorCodeCommand, request: Request, user: User = Depends(current_user)) -> Done:
    """Take one's own second factor off, with a code of it."""
    count_guess(request, user)
    return run_act(request, user, lambda uow: own_account.end_second_factor(uow, body))


@router.post("/me/recovery-codes")
def new_recovery_codes(
    body: FactorCodeCommand, request: Request, user: User = Depends(current_user)
) -> RecoveryCodes:
    """New recovery codes instead of those there were."""
    count_guess(request, user)
    return run_act(request, user, lambda uow: own_account.new_codes(uow, body))


@router.delete("/me/sessions")
def end_other_sessions(request: Request, user: User = Depends(current_user)) -> Done:
    """End all one's sessions but this one."""
    return run_act(request, user, lambda uow: own_account.end_others(uow, session_of(request)))


@router.delete("/me/sessions/{handle}")
def end_own_session(handle: Token, request: Request, user: User = Depends(current_user)) -> Done:
    """End one of one's own sessions."""
    return run_act(request, user, lambda uow: own_account.end_session(uow, handle))
