"""What needs a decision now."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.api.reminders import ReminderOut
from archgate.api.runs import ClashOut
from archgate.api.schedule import Figures, ListedMeeting
from archgate.api.web import Route, may, run_read

router = APIRouter(tags=["today"], route_class=Route)


class FailedWork(BaseModel):
    kind: str
    number: int


class DraftNotReady(BaseModel):
    run_id: int
    code: str
    title: str
    start: str | None
    wrong: str
    more: int


class OpenOffer(BaseModel):
    """An offer to be answered; `asked_time`: they ask for longer."""

    run_id: int
    code: str
    title: str
    person_id: int
    name: str
    phone: str | None
    heads: int
    asked_time: bool
    until: str


class EndingHold(BaseModel):
    run_id: int
    code: str
    title: str
    for_whom: str
    seats: int
    last: str


class TodayOut(BaseModel):
    date: str
    closed: str | None
    troubles: list[str]
    offers: list[OpenOffer]
    holds: list[EndingHold]
    decisions: list[Figures]
    clashes: list[ClashOut]
    failed: list[FailedWork]
    drafts: list[DraftNotReady]
    reminders: list[ReminderOut]
    meetings: list[ListedMeeting]


@router.get("/today")
def get_today(request: Request, user: User = Depends(may("read"))) -> TodayOut:
    """What needs a decision now."""
    return run_read(request, user, today.today)
