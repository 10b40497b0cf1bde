"""The waitlist: joining, leaving, being seated."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.enrolling import waitlist, whole_line
from archgate.actions.enrolling.commands import (
    CarryLineCommand,
    ClearLineCommand,
    JoinCommand,
    SeatCommand,
    SendOnCommand,
)
from archgate.actions.enrolling.line_views import (
    Cleared,
    LeftView,
    LineCarried,
    LineCleared,
    LinedView,
    NextRun,
)
from archgate.actions.enrolling.views import EnrolledView
from archgate.actions.fees.views import SeatQuoteView
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.lists import csv_file

router = Subject(tags=["waitlist"])


@router.post("/waiting", status_code=201)
def join(
    body: JoinCommand, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> LinedView:
    """Put a party at the end of a full run's line."""
    return run_act(request, user, lambda uow: waitlist.join(uow, body), once=key)


@router.get("/waiting/{waiting_id}/quote")
def seat_quote(waiting_id: int, request: Request, user: User = Depends(may("read"))) -> SeatQuoteView:
    """What seating this party now would cost."""
    return run_read(request, user, lambda uow: waitlist.seat_quote(uow, waiting_id))


@router.post("/waiting/{waiting_id}/seat")
def seat(
    waiting_id: int,
    body: SeatCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> EnrolledView:
    """Seat the next party in line that fits."""
    return run_act(request, user, lambda uow: waitlist.seat(uow, waiting_id, body.total, body.why), once=key)


@router.post("/waiting/{waiting_id}/leave")
def leave(
    waiting_id: int, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> LeftView:
    return run_act(request, user, lambda uow: waitlist.leave(uow, waiting_id), once=key)


@router.post("/runs/{run_id}/line/clear")
def clear_line(
    run_id: int,
    body: ClearLineCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> LineCleared:
    """Take everybody, or those named, out of a run's line."""
    return run_act(request, user, lambda uow: whole_line.clear(uow, run_id, body), once=key)


@router.get("/runs/{run_id}/line/next-runs")
def line_next_runs(run_id: int, request: Request, user: User = Depends(may("read"))) -> list[NextRun]:
    """The runs of the course that the line can be carried over to."""
    return run_read(request, user, lambda uow: whole_line.next_runs(uow, run_id))


@router.post("/runs/{run_id}/line/carry-over")
def carry_line_over(
    run_id: int,
    body: CarryLineCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> LineCarried:
    """Move a line to another run of the course, each with the moment of joining."""
    return run_act(request, user, lambda uow: whole_line.carry_over(uow, run_id, body), once=key)


@router.get("/runs/{run_id}/line.csv", response_class=Response)
def line_file(run_id: int, request: Request, tag: str = "", user: User = Depends(may("read"))) -> Response:
    """A run's line as CSV for mailing programs, with a tag."""
    lines = run_read(request, user, lambda uow: whole_line.lines_of(uow, run_id, tag))
    headers = {"Content-Disposition": 'attachment; filename="line.csv"'}
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/runs/{run_id}/line/send-on")
def send_line_on(
    run_id: int,
    body: SendOnCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> Cleared:
    """Send a run's line on by signed webhook."""
    return run_act(request, user, lambda uow: whole_line.send_on(uow, run_id, body), once=key)
