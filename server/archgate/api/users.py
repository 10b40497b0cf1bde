"""Who works here."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.across import today
from archgate.actions.across.views import UserName
from archgate.api.web import Route, may, run_read

router = APIRouter(tags=["users"], route_class=Route)


@router.get("/users")
def list_users(request: Request, user: User = Depends(may("read"))) -> list[UserName]:
    return run_read(request, user, today.users)
