"""Signing in and out."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access import staff
from archgate.actions.access.commands import SignInCommand
from archgate.actions.access.views import Me
from archgate.actions.courses import courses
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, act, read_only
from archgate.api.web import COOKIE, Subject, address_of, current_user, keep_cookie

DEVICE = "archgate_device"
router = Subject(tags=["access"])


def me_view(request: Request, user: staff.User) -> Me:
    def reading(uow: UnitOfWork) -> Me:
        return Me(
            id=user.id,
            name=user.name,
            email=user.email,
            role=user.role,
            center=uow.center.name,
            time_zone=uow.center.time_zone,
            currency=uow.center.currency,
            today=uow.today,
            told=courses.center_form(uow).told or [],
            now=uow.local(uow.now),
        )

    sessions: Sessions = request.app.state.sessions
    return read_only(sessions, reading, user)


@router.post("/session")
def sign_in(body: SignInCommand, request: Request, response: Response) -> Me:
    """Sign in; the session is a cookie that scripts cannot read. Another cookie lets the device be known again."""
    settings, sessions = request.app.state.settings, request.app.state.sessions
    email = body.email.strip()[:254]
    account = read_only(sessions, lambda uow: staff.account_of(uow, email))
    device = staff.device_of("d", request.cookies.get(DEVICE), account)
    limits = staff.limits_of(email, address_of(request), device)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    session = act(sessions, lambda uow: staff.sign_in(uow, email, body.password[:1000], settings.quick_hash))
    if session is None:
        raise Problem(401, "wrong-sign-in", "Email and password do not fit together.")
    act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
    user, token = session
    keep_cookie(request, response, COOKIE, token, staff.SESSION_LIFE)
    keep_cookie(request, response, DEVICE, staff.device_token("d", user.id), staff.DEVICE_LIFE)
    return me_view(request, user)


@router.get("/session")
def me(request: Request, user: staff.User = Depends(current_user)) -> Me:
    """Who is signed in, and what day it is in the center."""
    return me_view(request, user)


@router.delete("/session", status_code=204)
def sign_out(request: Request, response: Response) -> None:
    """Sign out; the session cannot be used again."""
    token = request.cookies.get(COOKIE)
    if token:
        act(request.app.state.sessions, lambda uow: staff.sign_out(uow, token))
    response.delete_cookie(COOKIE, path="/")
