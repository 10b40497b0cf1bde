"""The call list of a cancelled meeting."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import calls
from archgate.actions.enrolling.commands import CallCommand, PaidCommand
from archgate.actions.enrolling.roster_views import CallList
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["messages"])


@router.get("/meetings/{meeting_id}/calls")
def call_list(meeting_id: int, request: Request, user: User = Depends(may("read"))) -> CallList:
    return run_read(request, user, lambda uow: calls.call_list(uow, meeting_id))


@router.put("/meetings/{meeting_id}/calls/{person_id}")
def note_call(
    meeting_id: int, person_id: int, body: CallCommand, request: Request, user: User = Depends(may("enroll"))
) -> CallList:
    return run_act(
        request, user, lambda uow: calls.note_call(uow, meeting_id, person_id, body.outcome, body.note)
    )


@router.put("/meetings/{meeting_id}/paid")
def set_paid(
    meeting_id: int, body: PaidCommand, request: Request, user: User = Depends(may("plan runs"))
) -> CallList:
    """Whether the instructor is still paid for a cancelled meeting."""
    return run_act(request, user, lambda uow: calls.set_paid(uow, meeting_id, body.paid))
