"""What needs a decision now."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.actions.across.views import TodayOut
from archgate.api.web import Subject, may, run_read

router = Subject(tags=["today"])


@router.get("/today")
def get_today(request: Request, user: User = Depends(may("read"))) -> TodayOut:
    """What needs a decision now."""
    return run_read(request, user, today.today)
