"""Seats kept back: held without names, and set aside for a group."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import held_places
from archgate.actions.enrolling.line_views import HeldDone, KeptBack, KeptBackDone
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.seats.commands import HoldChangeCommand, HoldCommand, SetAsideCommand
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["seats"])


@router.get("/runs/{run_id}/kept-back")
def kept_back(run_id: int, request: Request, user: User = Depends(may("read"))) -> KeptBack:
    """Places held, seats set aside and seats on offer of a run."""
    return run_read(request, user, lambda uow: held_places.kept_back(uow, run_id))


@router.post("/runs/{run_id}/held-places", status_code=201)
def hold_places(
    run_id: int,
    body: HoldCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> HeldDone:
    """Hold places without names through a day."""
    return run_act(request, user, lambda uow: held_places.hold(uow, run_id, body), once=key)


@router.patch("/held-places/{held_id}")
def change_held(
    held_id: int, body: HoldChangeCommand, request: Request, user: User = Depends(may("enroll"))
) -> HeldDone:
    """Hold more or fewer places, or longer; zero lets them go."""
    return run_act(request, user, lambda uow: held_places.change_hold(uow, held_id, body))


@router.put("/runs/{run_id}/set-asides")
def set_aside(
    run_id: int, body: SetAsideCommand, request: Request, user: User = Depends(may("plan runs"))
) -> KeptBackDone:
    """Set seats aside for a named group through a day."""
    return run_act(request, user, lambda uow: held_places.set_aside(uow, run_id, body))
