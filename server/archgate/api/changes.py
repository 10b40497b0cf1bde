"""What was done is taken back."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import undo
from archgate.actions.across.views import Undone
from archgate.api.web import Subject, Token, may, run_act

router = Subject(tags=["changes"])


@router.post("/changes/{change}/undo")
def take_back(change: Token, request: Request, user: User = Depends(may("enroll"))) -> Undone:
    """Undo a change by its key; refused with the reason when something has moved on."""
    return run_act(request, user, lambda uow: undo.undo(uow, change))
