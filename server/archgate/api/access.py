"""Signing in and out of the staff, and a password by a link."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access import staff
from archgate.actions.access.commands import NewPasswordCommand, OwnEmailCommand, StaffSignInCommand
from archgate.actions.access.views import Me, OwnLink, Said
from archgate.actions.courses import courses
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, act, read_only
from archgate.api.web import COOKIE, Subject, Token, address_of, client_of, current_user, keep_cookie
from archgate.core.rights import in_order

DEVICE = "archgate_device"
router = Subject(tags=["access"])


def me_view(request: Request, user: staff.User) -> Me:
    def reading(uow: UnitOfWork) -> Me:
        return Me(
            id=user.id,
            name=user.name,
            email=user.email,
            role=user.role.name,
            rights=in_order(user.role.rights),
            set_up=user.role.second_factor and not user.second_factor,
            center=uow.center.name,
            time_zone=uow.center.time_zone,
            currency=uow.center.currency,
            first_weekday=uow.center.first_weekday,
            today=uow.today,
            told=courses.center_form(uow).told or [],
            now=uow.local(uow.now),
        )

    sessions: Sessions = request.app.state.sessions
    return read_only(sessions, reading, user)


@router.post("/session")
def sign_in(body: StaffSignInCommand, request: Request, response: Response) -> Me:
    """Sign in; the session is a cookie that scripts cannot read. Another cookie lets the device be known again."""
    settings, sessions = request.app.state.settings, request.app.state.sessions
    email = body.email.strip()[:254]
    account = read_only(sessions, lambda uow: staff.account_of(uow, email))
    device = staff.device_of("d", request.cookies.get(DEVICE), account)
    limits = staff.limits_of(email, address_of(request), device)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    client, code = client_of(request), body.code or ""
    tried = act(
        sessions,
        lambda uow: staff.sign_in(uow, email, body.password[:1000], code, client, settings.quick_hash),
    )
    if tried.code_asked:
        act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
        raise Problem(401, "code-asked", "Type the code that your phone shows now, or a recovery code.")
    if tried.user is None or not tried.token:
        fits = (
            "This code does not fit, or was used."
            if tried.user
            else "Email and password do not fit together."
        )
        raise Problem(401, "wrong-code" if tried.user else "wrong-sign-in", fits)
    act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
    user = tried.user
    keep_cookie(request, response, COOKIE, tried.token, staff.SESSION_LIFE)
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


@router.post("/password-links", status_code=202)
def ask_for_link(body: OwnEmailCommand, request: Request) -> Said:
    """Ask for a link to set a password anew. The answer is the same whether the email is known or not."""
    sessions, email = request.app.state.sessions, body.email.strip()[:254]
    limits = staff.limits_of(f"staff link {email}", address_of(request), None)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    act(sessions, lambda uow: staff.ask_for_link(uow, email))
    return Said(said="If somebody works here by this email, a link is on its way to it.")


@router.get("/password-links/{token}")
def password_link(token: Token, request: Request) -> OwnLink:
    """What is behind a link to set a password."""

    def reading(uow: UnitOfWork) -> OwnLink:
        link = staff.link_behind(uow, token)
        return OwnLink(
            center=uow.center.name,
            name=link.user.name,
            email=link.user.email,
            stands=not link.said,
            said=link.said,
        )

    return read_only(request.app.state.sessions, reading)


@router.post("/password-links/{token}", status_code=204)
def set_password(token: Token, body: NewPasswordCommand, request: Request) -> None:
    """Set the password by the link; then one signs in."""
    quick, client = request.app.state.settings.quick_hash, client_of(request)

    def setting(uow: UnitOfWork) -> None:
        staff.set_password(uow, token, body.password, client, quick)

    act(request.app.state.sessions, setting)
