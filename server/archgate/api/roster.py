"""A run's roster."""

from __future__ import annotations

from typing import Any

import orjson
from fastapi import APIRouter, Depends, Request, Response
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.enrolling import roster
from archgate.api.roles import GroupOut
from archgate.api.waitlist import WaitingOut
from archgate.api.web import Route, may, run_read

router = APIRouter(tags=["roster"], route_class=Route)


class Gone(BaseModel):
    name: str
    at: str


class Roster(BaseModel):
    """`rows` hold the values of `columns`, in order."""

    run_id: int
    capacity: int
    smallest: int
    taken: int
    currency: str
    fees: str
    owed: str
    columns: list[str]
    rows: list[list[Any]]
    waiting: list[WaitingOut]
    withdrawn: list[Gone]
    groups: list[GroupOut]
    free: int
    held: int
    offered: int
    set_aside: int
    chance_why: str
    revision: int


@router.get("/runs/{run_id}/roster", response_model=Roster)
def get_roster(run_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """The whole roster at once; thousands of rows go out as they were read, without being looked at one by one."""
    found = run_read(request, user, lambda uow: roster.roster(uow, run_id))
    return Response(orjson.dumps(found), media_type="application/json")
