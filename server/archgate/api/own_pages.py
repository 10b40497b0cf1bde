"""A learner's own page: staff invite to it, the learner sets a password, signs in and sees their courses."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access import own_acts, own_pages, staff
from archgate.actions.access.commands import (
    NewPasswordCommand,
    OwnEmailCommand,
    OwnFactsCommand,
    OwnPasswordCommand,
    OwnWithdrawCommand,
    SignInCommand,
)
from archgate.actions.access.own_pages import Person
from archgate.actions.access.staff import User
from archgate.actions.access.views import OwnFeed, OwnLink, OwnPageDone, OwnPageOut, OwnWithdrawn, Said
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork, act, read_only
from archgate.api.web import Subject, Token, address_of, keep_cookie, may, once, run_act

router = Subject(tags=["own pages"])
COOKIE, DEVICE = "archgate_own", "archgate_own_device"


@router.post("/people/{person_id}/own-page", status_code=201)
def invite(
    person_id: int,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> OwnPageDone:
    """Invite somebody by message to set a password for their own page; once more sends a new link."""
    return run_act(request, user, lambda uow: own_pages.invite(uow, person_id), once=key)


@router.delete("/people/{person_id}/own-page")
def close_own_page(person_id: int, request: Request, user: User = Depends(may("keep people"))) -> OwnPageDone:
    """Take an invitation back, or close an own page."""
    return run_act(request, user, lambda uow: own_pages.close(uow, person_id))


@router.get("/own/links/{token}")
def own_link(token: Token, request: Request) -> OwnLink:
    """What is behind the link of an invitation."""
    return read_only(request.app.state.sessions, lambda uow: own_pages.link_state(uow, token))


@router.post("/own/links/{token}", status_code=204)
def set_own_password(token: Token, body: NewPasswordCommand, request: Request, response: Response) -> None:
    """Set the password by the link, and be signed in."""
    quick = request.app.state.settings.quick_hash
    made = act(
        request.app.state.sessions, lambda uow: own_pages.set_password(uow, token, body.password, quick)
    )
    keep_cookie(request, response, COOKIE, made, own_pages.SESSION_LIFE)


@router.post("/own/session", status_code=204)
def own_sign_in(body: SignInCommand, request: Request, response: Response) -> None:
    """Sign in to one's own page."""
    sessions, quick = request.app.state.sessions, request.app.state.settings.quick_hash
    email = body.email.strip()[:254]
    account = read_only(sessions, lambda uow: own_pages.account_of(uow, email))
    device = staff.device_of("b", request.cookies.get(DEVICE), account)
    limits = staff.limits_of(f"own {email}", address_of(request), device)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    made = act(sessions, lambda uow: own_pages.sign_in(uow, email, body.password[:1000], quick))
    if made is None or account is None:
        raise Problem(401, "wrong-sign-in", "Email and password do not fit together.")
    act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
    keep_cookie(request, response, COOKIE, made, own_pages.SESSION_LIFE)
    keep_cookie(request, response, DEVICE, staff.device_token("b", account), staff.DEVICE_LIFE)


@router.delete("/own/session", status_code=204)
def own_sign_out(request: Request, response: Response) -> None:
    """Sign out of one's own page."""
    token = request.cookies.get(COOKIE)
    if token:
        act(request.app.state.sessions, lambda uow: own_pages.sign_out(uow, token))
    response.delete_cookie(COOKIE, path="/")


@router.post("/own/new-link", status_code=202)
def new_link(body: OwnEmailCommand, request: Request) -> Said:
    """Ask for a link to set a password anew. The answer is the same whether the email is known or not."""
    sessions, email, address = request.app.state.sessions, body.email.strip(), address_of(request)
    limits = staff.limits_of(f"link {email}", address, None)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    act(sessions, lambda uow: own_pages.new_link(uow, email))
    return Said(said="If there is a page by this email, a link is on its way to it.")


def person_of(uow: UnitOfWork, request: Request) -> Person:
    """Whose page it is, by the session of its own."""
    token = request.cookies.get(COOKIE)
    person = own_pages.person_behind(uow, token) if token else None
    if person is None:
        raise Problem(401, "signed-out", "Sign in to see your courses.")
    return person


@router.get("/own")
def own_page(request: Request) -> OwnPageOut:
    """One's own courses, dates ahead, plans and what is due, places in line, requests, past runs."""
    return read_only(request.app.state.sessions, lambda uow: own_pages.own_page(uow, person_of(uow, request)))


@router.post("/own/enrollments/{enrollment_id}/withdrawal")
def own_withdrawal(
    enrollment_id: int, body: OwnWithdrawCommand, request: Request, preview: bool = False
) -> OwnWithdrawn:
    """Give one's own seat back by the refund policy; with `preview` nothing is done, and the sums are shown."""
    return act(
        request.app.state.sessions,
        lambda uow: own_acts.withdraw(uow, person_of(uow, request), enrollment_id, body),
        preview=preview,
    )


@router.put("/own/person")
def own_facts(body: OwnFactsCommand, request: Request) -> Said:
    """Change one's own name and phone number."""
    return act(
        request.app.state.sessions, lambda uow: own_acts.change_facts(uow, person_of(uow, request), body)
    )


@router.post("/own/password")
def own_password(body: OwnPasswordCommand, request: Request) -> Said:
    """Set another password, by the one that holds; attempts are limited."""
    sessions, quick = request.app.state.sessions, request.app.state.settings.quick_hash
    token = request.cookies.get(COOKIE) or ""
    number = read_only(sessions, lambda uow: person_of(uow, request).id)
    limits = [(staff.count_key("own password", str(number)), staff.MOST_BY_CLIENT)]
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    done = act(
        sessions, lambda uow: own_acts.change_password(uow, person_of(uow, request), token, body, quick)
    )
    act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
    return done


@router.put("/own/calendar")
def own_calendar(request: Request, renew: bool = False) -> OwnFeed:
    """The secret address of one's own dates as a calendar; `renew` ends the old one."""
    return act(request.app.state.sessions, lambda uow: own_acts.calendar(uow, person_of(uow, request), renew))
