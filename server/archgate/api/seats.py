"""Seats kept back, offers to those in line, and the page on which an offer is answered without signing in."""

from __future__ import annotations

from types import ModuleType
from typing import Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.enrolling import held_places, invites, offers
from archgate.actions.kernel.unit_of_work import Once, act, look
from archgate.api.fees import QuoteOut
from archgate.api.web import Body, In, Route, Token, given, may, once, run_act, run_look

router = APIRouter(tags=["seats"], route_class=Route)


class HoldIn(Body):
    """`last` is the last day; `for_whom` may be left out with a person or an organization."""

    seats: Any = None
    for_whom: Any = None
    last: Any = None
    note: Any = None
    person_id: Any = None
    organization_id: Any = None


class HeldOut(BaseModel):
    id: int
    run_id: int
    for_whom: str
    seats: int
    last: str
    note: str
    status: str
    person_id: int | None
    organization_id: int | None


class HeldDone(HeldOut):
    change: str


class SetAsideIn(Body):
    """With `id` one that is there is changed; zero seats ends it."""

    id: Any = None
    name: Any = None
    seats: Any = None
    last: Any = None
    tag: Any = None
    organization_id: Any = None


class SetAsideOut(BaseModel):
    """`over`: its last day is past, and its seats are anybody's."""

    id: int
    name: str
    seats: int
    last: str
    tag: str | None
    organization_id: int | None
    taken: int
    over: bool


class KeptBack(BaseModel):
    """What keeps seats from being sold; `free` is what anybody can have."""

    capacity: int
    overbook: int
    taken: int
    held: int
    offered: int
    free: int
    holds: list[HeldOut]
    set_asides: list[SetAsideOut]


class KeptBackDone(KeptBack):
    change: str


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
    quote: QuoteOut | None


class ReplyIn(In):
    """`answer` is take (with the total that was shown) or decline; time for an offer, wait for an invitation to a full run."""

    answer: str
    total: str = ""


@router.get("/runs/{run_id}/kept-back")
def kept_back(run_id: int, request: Request, user: User = Depends(may("read"))) -> KeptBack:
    """Places held, seats set aside and seats on offer of a run."""
    return run_look(request, user, lambda deed: held_places.kept_back(deed, run_id))


@router.post("/runs/{run_id}/held-places", status_code=201)
def hold_places(
    run_id: int,
    body: HoldIn,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> HeldDone:
    """Hold places without names through a day."""
    return run_act(request, user, lambda deed: held_places.hold(deed, run_id, given(body)), once=key)


@router.patch("/held-places/{held_id}")
def change_held(
    held_id: int, body: HoldIn, request: Request, user: User = Depends(may("enroll"))
) -> HeldDone:
    """Hold more or fewer places, or longer; zero lets them go."""
    return run_act(request, user, lambda deed: held_places.change_hold(deed, held_id, given(body)))


@router.put("/runs/{run_id}/set-asides")
def set_aside(
    run_id: int, body: SetAsideIn, request: Request, user: User = Depends(may("plan runs"))
) -> KeptBackDone:
    """Set seats aside for a named group through a day."""
    return run_act(request, user, lambda deed: held_places.set_aside(deed, run_id, given(body)))


@router.post("/waiting/{waiting_id}/offer")
def offer(
    waiting_id: int,
    body: OfferIn,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> OfferDone:
    """Offer a free seat to somebody in line; out of turn only with a reason."""
    return run_act(request, user, lambda deed: offers.offer(deed, waiting_id, body.why), once=key)


@router.post("/waiting/{waiting_id}/more-time")
def more_time(
    waiting_id: int, body: TimeIn, request: Request, user: User = Depends(may("enroll"))
) -> OfferDone:
    """Give somebody longer to answer an offer."""
    return run_act(request, user, lambda deed: offers.more_time(deed, waiting_id, body.hours))


def kind_of(token: str) -> ModuleType:
    """Invitations of interest lists begin with i; everything else is taken for an offer."""
    return invites if token.startswith("i") else offers


@router.get("/replies/{token}")
def reply_page(token: Token, request: Request) -> ReplyPage:
    """What is behind a signed link."""
    return look(request.app.state.sessions, lambda deed: kind_of(token).reply_page(deed, token))  # type: ignore[arg-type,return-value]


@router.post("/replies/{token}")
def reply(token: Token, body: ReplyIn, request: Request) -> ReplyPage:
    """Answer an offer or an invitation."""
    sessions, kind = request.app.state.sessions, kind_of(token)
    keeper = look(sessions, lambda deed: kind.keeper_of(deed, token))
    return act(sessions, lambda deed: kind.reply(deed, token, body.answer, body.total), keeper)  # type: ignore[arg-type,return-value]
