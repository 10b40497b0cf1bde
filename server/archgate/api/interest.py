"""Interest lists, demand, and where lists are sent on to."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.enrolling import interest
from archgate.actions.enrolling.commands import (
    CarryCommand,
    InterestCommand,
    QuestionsCommand,
    SendOnCommand,
    WhichCommand,
)
from archgate.actions.enrolling.line_views import (
    CarriedOver,
    Cleared,
    Demand,
    InterestDone,
    InterestList,
    InterestListDone,
)
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.messages import webhooks
from archgate.actions.messages.commands import WebhookCommand
from archgate.actions.messages.views import WebhookDone, WebhookMade, WebhookOut
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.lists import csv_file

router = Subject(tags=["waitlist"])


@router.get("/demand")
def demand(request: Request, user: User = Depends(may("read"))) -> list[Demand]:
    """How many wait for each course, those without an open run first."""
    return run_read(request, user, interest.demand)


@router.post("/interest", status_code=201)
def show_interest(
    body: InterestCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> InterestDone:
    """Put somebody on an interest list; it is no enrollment."""
    return run_act(request, user, lambda uow: interest.show_interest(uow, body), once=key)


@router.get("/interest")
def get_list(
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    user: User = Depends(may("read")),
) -> InterestList:
    return run_read(request, user, lambda uow: interest.list_view(uow, run_id, course_id))


@router.get("/interest.csv", response_class=Response)
def list_file(
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    tag: str = "",
    user: User = Depends(may("read")),
) -> Response:
    """A list as CSV for mailing programs, with a tag."""
    lines = run_read(request, user, lambda uow: interest.lines_of(uow, run_id, course_id, tag))
    headers = {"Content-Disposition": 'attachment; filename="interest.csv"'}
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=headers)


@router.put("/interest/questions")
def set_questions(
    body: QuestionsCommand,
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    user: User = Depends(may("plan runs")),
) -> InterestListDone:
    """The own questions of a list, and its head start."""
    return run_act(request, user, lambda uow: interest.set_questions(uow, run_id, course_id, body))


@router.post("/interest/clear")
def clear(
    body: WhichCommand,
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    user: User = Depends(may("enroll")),
) -> Cleared:
    """Take everybody, or those named, off a list."""
    return run_act(request, user, lambda uow: interest.clear(uow, run_id, course_id, body.ids))


@router.post("/interest/carry-over")
def carry_over(
    body: CarryCommand,
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    user: User = Depends(may("enroll")),
) -> CarriedOver:
    """Move a list to another run of the course."""
    return run_act(request, user, lambda uow: interest.carry_over(uow, run_id, course_id, body.to_run_id))


@router.post("/interest/send-on")
def send_on(
    body: SendOnCommand,
    request: Request,
    run_id: int | None = None,
    course_id: int | None = None,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> Cleared:
    """Send a list on by signed webhook."""
    return run_act(
        request,
        user,
        lambda uow: interest.send_on(uow, run_id, course_id, body.webhook_id, body.tag),
        once=key,
    )


@router.get("/webhooks")
def list_webhooks(request: Request, user: User = Depends(may("read"))) -> list[WebhookOut]:
    return run_read(request, user, webhooks.listed)


@router.post("/webhooks", status_code=201)
def add_webhook(
    body: WebhookCommand, request: Request, user: User = Depends(may("keep settings"))
) -> WebhookMade:
    """Add an address that lists can be sent on to."""
    return run_act(request, user, lambda uow: webhooks.add(uow, body))


@router.delete("/webhooks/{webhook_id}")
def remove_webhook(
    webhook_id: int, request: Request, user: User = Depends(may("keep settings"))
) -> WebhookDone:
    return run_act(request, user, lambda uow: webhooks.remove(uow, webhook_id))
