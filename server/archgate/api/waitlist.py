"""The waitlist: joining, leaving, being seated."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import waitlist
from archgate.actions.enrolling.commands import JoinCommand, SeatCommand
from archgate.actions.enrolling.line_views import LeftView, LinedView
from archgate.actions.enrolling.views import EnrolledView
from archgate.actions.fees.views import SeatQuoteView
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["waitlist"])


@router.post("/waiting", status_code=201)
def join(
    body: JoinCommand, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> LinedView:
    """Put a party at the end of a full run's line."""
    return run_act(request, user, lambda uow: waitlist.join(uow, body), once=key)


@router.get("/waiting/{waiting_id}/quote")
def seat_quote(waiting_id: int, request: Request, user: User = Depends(may("read"))) -> SeatQuoteView:
    """What seating this party now would cost."""
    return run_read(request, user, lambda uow: waitlist.seat_quote(uow, waiting_id))


@router.post("/waiting/{waiting_id}/seat")
def seat(
    waiting_id: int,
    body: SeatCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> EnrolledView:
    """Seat the next party in line that fits."""
    return run_act(request, user, lambda uow: waitlist.seat(uow, waiting_id, body.total, body.why), once=key)


@router.post("/waiting/{waiting_id}/leave")
def leave(
    waiting_id: int, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> LeftView:
    return run_act(request, user, lambda uow: waitlist.leave(uow, waiting_id), once=key)
