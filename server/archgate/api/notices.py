"""The desk notice of a run."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.kernel import lookups
from archgate.actions.runs import notices
from archgate.actions.runs.commands import NoticeCommand, NoticeReadCommand
from archgate.actions.runs.views import NoticeDone, NoticeOut
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["notices"])


@router.get("/runs/{run_id}/notice")
def get_notice(run_id: int, request: Request, user: User = Depends(may("read"))) -> NoticeOut:
    """The desk notice of a run."""
    return run_read(request, user, lambda uow: notices.notice_of(uow, lookups.get_run(uow, run_id)))


@router.put("/runs/{run_id}/notice")
def set_notice(
    run_id: int, body: NoticeCommand, request: Request, user: User = Depends(may("plan runs"))
) -> NoticeDone:
    """Put up another desk notice, or none; it has to be read anew."""
    return run_act(request, user, lambda uow: notices.set_notice(uow, run_id, body.text))


@router.post("/runs/{run_id}/notice/read")
def acknowledge(
    run_id: int, body: NoticeReadCommand, request: Request, user: User = Depends(may("enroll"))
) -> NoticeOut:
    """Say that this version was read."""
    return run_act(request, user, lambda uow: notices.acknowledge(uow, run_id, body.version))
