"""Who works here."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.actions.across.views import UserName
from archgate.api.web import Subject, may, run_read

router = Subject(tags=["users"])


@router.get("/users")
def list_users(request: Request, user: User = Depends(may("read"))) -> list[UserName]:
    return run_read(request, user, today.users)
