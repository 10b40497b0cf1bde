"""Reminders of one's own and of others."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.actions.across.views import ReminderOut
from archgate.api.runs import given
from archgate.api.web import Body, Route, may, run_act, run_read

router = APIRouter(tags=["reminders"], route_class=Route)


class ReminderIn(Body):
    day: Any = None
    text: Any = None
    run_id: Any = None
    person_id: Any = None
    user_id: Any = None


class ReminderPatch(Body):
    done: bool | None = None
    day: Any = None


@router.get("/reminders")
def list_reminders(
    request: Request,
    run_id: int | None = None,
    person_id: int | None = None,
    user: User = Depends(may("read")),
) -> list[ReminderOut]:
    """One's own that are due; or all open ones about a run or a person."""
    return run_read(request, user, lambda uow: today.reminders(uow, run_id, person_id))


@router.post("/reminders", status_code=201)
def remind(body: ReminderIn, request: Request, user: User = Depends(may("read"))) -> ReminderOut:
    return run_act(request, user, lambda uow: today.remind(uow, given(body)))


@router.patch("/reminders/{reminder_id}")
def settle_reminder(
    reminder_id: int, body: ReminderPatch, request: Request, user: User = Depends(may("read"))
) -> ReminderOut:
    """Tick it off, take that back, or put it off to another day."""
    return run_act(request, user, lambda uow: today.settle_reminder(uow, reminder_id, given(body)))
