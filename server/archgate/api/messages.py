"""The outbox."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.messages import messages
from archgate.api.web import Route, may, run_read

router = APIRouter(tags=["messages"], route_class=Route)


class MessageOut(BaseModel):
    id: int
    to: str
    email: str
    subject: str
    body: str
    run_id: int | None
    person_id: int | None
    at: str
    status: str
    trouble: str
    sent_at: str | None
    job_id: int
    invoice_id: int | None


class Outbox(BaseModel):
    items: list[MessageOut]
    total: int
    next: int | None


@router.get("/messages")
def outbox(
    request: Request,
    status: str = "",
    before: int | None = Query(default=None, ge=0),
    limit: int = Query(default=100, ge=1, le=200),
    user: User = Depends(may("read")),
) -> Outbox:
    """Messages, newest first; `status` is waits, sent, failed or dropped."""
    return run_read(request, user, lambda uow: messages.outbox(uow, status, before, limit))
