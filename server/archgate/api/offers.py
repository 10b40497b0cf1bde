"""Offers of seats, and the pages on which they are answered."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import invites, offers
from archgate.actions.enrolling.commands import MoreTimeCommand, OfferCommand, ReplyCommand
from archgate.actions.enrolling.line_views import OfferDone, ReplyPage
from archgate.actions.kernel.unit_of_work import Once, act, read_only
from archgate.api.web import Subject, Token, may, once, run_act

router = Subject(tags=["offers"])


@router.post("/waiting/{waiting_id}/offer")
def offer(
    waiting_id: int,
    body: OfferCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> OfferDone:
    """Offer a free seat to somebody in line; out of turn only with a reason."""
    return run_act(request, user, lambda uow: offers.offer(uow, waiting_id, body.why), once=key)


@router.post("/waiting/{waiting_id}/more-time")
def more_time(
    waiting_id: int, body: MoreTimeCommand, request: Request, user: User = Depends(may("enroll"))
) -> OfferDone:
    """Give somebody longer to answer an offer."""
    return run_act(request, user, lambda uow: offers.more_time(uow, waiting_id, body.hours))


@router.post("/waiting/{waiting_id}/take-back")
def take_offer_back(
    waiting_id: int, body: OfferCommand, request: Request, user: User = Depends(may("enroll"))
) -> OfferDone:
    """Take an open offer back, with the reason; the party keeps its place in line and is told."""
    return run_act(request, user, lambda uow: offers.take_back(uow, waiting_id, body.why))


def is_invitation(token: str) -> bool:
    """Invitations of interest lists begin with i; everything else is taken for an offer."""
    return token.startswith("i")


@router.get("/replies/{token}")
def reply_page(token: Token, request: Request) -> ReplyPage:
    """What is behind a signed link."""
    page = invites.reply_page if is_invitation(token) else offers.reply_page
    return read_only(request.app.state.sessions, lambda uow: page(uow, token))


@router.post("/replies/{token}")
def reply(token: Token, body: ReplyCommand, request: Request) -> ReplyPage:
    """Answer an offer or an invitation."""
    sessions = request.app.state.sessions
    kept, answer = (
        (invites.keeper_of, invites.reply) if is_invitation(token) else (offers.keeper_of, offers.reply)
    )
    keeper = read_only(sessions, lambda uow: kept(uow, token))
    return act(sessions, lambda uow: answer(uow, token, body.answer, body.total), keeper)
