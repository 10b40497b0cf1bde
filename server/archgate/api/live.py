"""Finding anything, and what moved since a screen last asked."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from archgate.actions.access.staff import User
from archgate.actions.across import finding, live
from archgate.api.courses import CourseOut
from archgate.api.people import PersonFound
from archgate.api.runs import RunLine
from archgate.api.web import In, Route, may, run_read

router = APIRouter(tags=["live"], route_class=Route)


class Pulse(In):
    """The newest change the screen knows, and the run it shows, if one."""

    seen: int = 0
    run_id: int | None = None


class ChangeOut(BaseModel):
    key: str
    summary: str
    by: str | None
    own: bool
    at: str
    run_id: int | None


class PulseOut(BaseModel):
    revision: int
    today: str
    changes: list[ChangeOut]


class Found(BaseModel):
    runs: list[RunLine]
    people: list[PersonFound]
    courses: list[CourseOut]


class RibbonBar(BaseModel):
    id: int
    code: str
    title: str
    status: str
    decision: str
    sign_up: str
    teaching: str
    first: str
    last: str
    opens: str | None
    taken: int
    capacity: int


class Ribbon(BaseModel):
    """The season around today: the runs in it, by first meeting."""

    from_: str = Field(alias="from")
    to: str
    bars: list[RibbonBar]


@router.get("/ribbon")
def ribbon(request: Request, user: User = Depends(may("read"))) -> Ribbon:
    return run_read(request, user, finding.ribbon)


@router.post("/pulse")
def pulse(body: Pulse, request: Request, user: User = Depends(may("read"))) -> PulseOut:
    """Changes newer than the one the screen knows. The last seconds' come again; a change is known by its key."""
    return run_read(request, user, lambda uow: live.pulse(uow, body.seen, body.run_id))


@router.get("/find")
def find(request: Request, q: str = "", user: User = Depends(may("read"))) -> Found:
    """Runs, people and courses that fit the words typed."""
    return run_read(request, user, lambda uow: finding.find(uow, q))
