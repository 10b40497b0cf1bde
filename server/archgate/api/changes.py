"""What was done: the logs, and taking it back."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.across import logs, undo
from archgate.actions.across.views import ChangeFields, LogPage, Undone
from archgate.api.web import Subject, Token, may, run_act, run_read
from archgate.core.states import LogOf
from archgate.papers.lists import csv_file

router = Subject(tags=["changes"])


@router.post("/changes/{change}/undo")
def take_back(change: Token, request: Request, user: User = Depends(may("read"))) -> Undone:
    """Undo a change by its key, as whoever may do it may take it back; refused when something has moved on."""
    return run_act(request, user, lambda uow: undo.undo(uow, change))


@router.get("/changes/{change}")
def change_shown(change: Token, request: Request, user: User = Depends(may("read"))) -> ChangeFields:
    """What a change changed, field by field, from what to what."""
    return run_read(request, user, lambda uow: logs.change_shown(uow, change))


Words = Annotated[str, Query(max_length=200)]


@router.get("/logs/{about}/{number}")
def log_of(
    about: LogOf,
    number: int,
    request: Request,
    before: int | None = None,
    q: Words = "",
    user_id: int | None = None,
    user: User = Depends(may("read")),
) -> LogPage:
    """What was done to something, newest first, each with its undo; the log of the center (number 1) is everything. `q`: words
    that all stand in it; `user_id`: by whom, 0 for what the program did by itself."""
    asked = logs.LogAsk(before, q, user_id)
    return run_read(request, user, lambda uow: logs.log_of(uow, about, number, asked))


@router.get("/logs/{about}/{number}/log.csv", response_class=Response)
def log_file(
    about: LogOf,
    number: int,
    request: Request,
    q: Words = "",
    user_id: int | None = None,
    user: User = Depends(may("read")),
) -> Response:
    """The same as a CSV file, with what changed from what to what: the newest 3,000."""
    asked = logs.LogAsk(None, q, user_id)
    lines = run_read(request, user, lambda uow: logs.lines(uow, about, number, asked))
    headers = {"Content-Disposition": f'attachment; filename="log-{about}-{number}.csv"'}
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=headers)
