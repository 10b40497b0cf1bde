"""Offers of seats, and the pages on which they are answered."""

from __future__ import annotations

from types import ModuleType

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.enrolling import invites, offers
from archgate.actions.fees.views import QuoteView
from archgate.actions.kernel.unit_of_work import Once, act, read_only
from archgate.api.web import In, Route, Token, may, once, run_act

router = APIRouter(tags=["offers"], route_class=Route)


class OfferIn(In):
    """Out of turn, the reason."""

    why: str = ""


class TimeIn(In):
    hours: int


class OfferDone(BaseModel):
    change: str
    waiting_id: int
    name: str
    run_id: int


class ReplyPage(BaseModel):
    """An offer, or the invitation of somebody on an interest list, as its page shows it. `stands`: it can still be
    answered, else `said` says what became of it. `full`: an invitation leads to the line."""

    kind: str
    full: bool
    center: str
    name: str
    title: str
    heads: int
    place: str
    first: str | None
    stands: bool
    said: str
    until: str | None
    asked_time: bool
    currency: str
    quote: QuoteView | None


class ReplyIn(In):
    """`answer` is take (with the total that was shown) or decline; time for an offer, wait for an invitation to a full run."""

    answer: str
    total: str = ""


@router.post("/waiting/{waiting_id}/offer")
def offer(
    waiting_id: int,
    body: OfferIn,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> OfferDone:
    """Offer a free seat to somebody in line; out of turn only with a reason."""
    return run_act(request, user, lambda uow: offers.offer(uow, waiting_id, body.why), once=key)


@router.post("/waiting/{waiting_id}/more-time")
def more_time(
    waiting_id: int, body: TimeIn, request: Request, user: User = Depends(may("enroll"))
) -> OfferDone:
    """Give somebody longer to answer an offer."""
    return run_act(request, user, lambda uow: offers.more_time(uow, waiting_id, body.hours))


def kind_of(token: str) -> ModuleType:
    """Invitations of interest lists begin with i; everything else is taken for an offer."""
    return invites if token.startswith("i") else offers


@router.get("/replies/{token}")
def reply_page(token: Token, request: Request) -> ReplyPage:
    """What is behind a signed link."""
    return read_only(request.app.state.sessions, lambda uow: kind_of(token).reply_page(uow, token))  # type: ignore[arg-type,return-value]


@router.post("/replies/{token}")
def reply(token: Token, body: ReplyIn, request: Request) -> ReplyPage:
    """Answer an offer or an invitation."""
    sessions, kind = request.app.state.sessions, kind_of(token)
    keeper = read_only(sessions, lambda uow: kind.keeper_of(uow, token))
    return act(sessions, lambda uow: kind.reply(uow, token, body.answer, body.total), keeper)  # type: ignore[arg-type,return-value]
