"""Reminders of one's own and of others."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.actions.across.commands import About, RemindCommand, SettleReminderCommand
from archgate.actions.across.views import ReminderOut
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["reminders"])


@router.get("/reminders")
def list_reminders(
    request: Request,
    run_id: int | None = None,
    person_id: int | None = None,
    course_id: int | None = None,
    account_id: int | None = None,
    user: User = Depends(may("read")),
) -> list[ReminderOut]:
    """One's own that are due; or all open ones about a run, a person, a course or a payer."""
    about = About(run_id=run_id, person_id=person_id, course_id=course_id, account_id=account_id)
    return run_read(request, user, lambda uow: today.reminders(uow, about))


@router.post("/reminders", status_code=201)
def remind(body: RemindCommand, request: Request, user: User = Depends(may("read"))) -> ReminderOut:
    return run_act(request, user, lambda uow: today.remind(uow, body))


@router.patch("/reminders/{reminder_id}")
def settle_reminder(
    reminder_id: int, body: SettleReminderCommand, request: Request, user: User = Depends(may("read"))
) -> ReminderOut:
    """Tick it off, take that back, or put it off to another day."""
    return run_act(request, user, lambda uow: today.settle_reminder(uow, reminder_id, body))
