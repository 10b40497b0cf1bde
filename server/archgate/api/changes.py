"""What was done is taken back."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import logs, undo
from archgate.actions.across.views import LogPage, Undone
from archgate.api.web import Subject, Token, may, run_act, run_read

router = Subject(tags=["changes"])


@router.post("/changes/{change}/undo")
def take_back(change: Token, request: Request, user: User = Depends(may("enroll"))) -> Undone:
    """Undo a change by its key; refused with the reason when something has moved on."""
    return run_act(request, user, lambda uow: undo.undo(uow, change))


@router.get("/runs/{run_id}/log")
def run_log(
    run_id: int, request: Request, before: int | None = None, user: User = Depends(may("read"))
) -> LogPage:
    """What was done to a run and on it, newest first, each with its undo."""
    return run_read(request, user, lambda uow: logs.run_log(uow, run_id, before))


@router.get("/people/{person_id}/log")
def person_log(
    person_id: int, request: Request, before: int | None = None, user: User = Depends(may("read"))
) -> LogPage:
    """What was done to a person, their enrollments, places in line and money, newest first."""
    return run_read(request, user, lambda uow: logs.person_log(uow, person_id, before))


@router.get("/accounts/{account_id}/log")
def account_log(
    account_id: int, request: Request, before: int | None = None, user: User = Depends(may("read"))
) -> LogPage:
    """What was done to an account, its payments and papers, newest first."""
    return run_read(request, user, lambda uow: logs.account_log(uow, account_id, before))
