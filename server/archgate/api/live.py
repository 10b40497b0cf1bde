"""Finding anything, and what moved since a screen last asked."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import finding, live
from archgate.actions.across.commands import PulseCommand
from archgate.actions.across.views import Found, PulseOut, Ribbon
from archgate.api.web import Subject, may, run_read

router = Subject(tags=["live"])


@router.get("/ribbon")
def ribbon(request: Request, user: User = Depends(may("read"))) -> Ribbon:
    return run_read(request, user, finding.ribbon)


@router.post("/pulse")
def pulse(body: PulseCommand, request: Request, user: User = Depends(may("read"))) -> PulseOut:
    """Changes newer than the one the screen knows. The last seconds' come again; a change is known by its key."""
    return run_read(request, user, lambda uow: live.pulse(uow, body.seen, body.run_id))


@router.get("/find")
def find(request: Request, q: str = "", user: User = Depends(may("read"))) -> Found:
    """Runs, people and courses that fit the words typed."""
    return run_read(request, user, lambda uow: finding.find(uow, q))
