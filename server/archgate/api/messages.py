"""The outbox."""

from __future__ import annotations

from fastapi import Depends, Query, Request

from archgate.actions.access.staff import User
from archgate.actions.messages import messages
from archgate.actions.messages.views import Outbox
from archgate.api.web import Subject, may, run_read

router = Subject(tags=["messages"])


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
