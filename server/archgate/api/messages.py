"""The outbox, work that failed, call lists, reminders, and what needs a decision today."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.across import checks, today
from archgate.actions.enrolling import calls
from archgate.actions.kernel import queue
from archgate.actions.messages import messages
from archgate.api.courses import ClashOut, given
from archgate.api.schedule import Done, Figures, ListedMeeting
from archgate.api.web import Body, In, Route, may, run_act, run_look

router = APIRouter(tags=["messages"], route_class=Route)
read = may("read")


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


class JobOut(BaseModel):
    id: int
    kind: str
    status: str
    tries: int
    trouble: str
    about: str
    run_id: int | None
    made_at: str
    due_at: str


class Round(BaseModel):
    name: str
    last_at: str | None
    found: str


class Jobs(BaseModel):
    queue: list[JobOut]
    counts: dict[str, int]
    rounds: list[Round]


@router.get("/messages")
def outbox(
    request: Request,
    status: str = "",
    before: int | None = Query(default=None, ge=0),
    limit: int = Query(default=100, ge=1, le=200),
    user: User = Depends(read),
) -> Outbox:
    """Messages, newest first; `status` is waits, sent, failed or dropped."""
    return run_look(request, user, lambda deed: messages.outbox(deed, status, before, limit))


@router.get("/jobs")
def list_jobs(request: Request, user: User = Depends(read)) -> Jobs:
    return run_look(request, user, queue.list_jobs)


@router.post("/jobs/{job_id}/retry")
def retry_job(job_id: int, request: Request, user: User = Depends(may("plan runs"))) -> Done:
    """Put work that failed for good in line again."""
    return run_act(request, user, lambda deed: queue.retry(deed, job_id))


class Checked(BaseModel):
    found: str


@router.post("/checks")
def check_everything(request: Request, user: User = Depends(may("keep settings"))) -> Checked:
    """Check by hand what is checked every night: the books, the seats, the moments."""
    return run_look(request, user, lambda deed: {"found": checks.everything(deed)})


class CallRow(BaseModel):
    person_id: int
    name: str
    phone: str | None
    email: str | None
    message: str | None
    outcome: str | None
    note: str


class CallList(BaseModel):
    meeting_id: int
    run_id: int
    run_code: str
    title: str
    date: str
    start: str
    cancelled: bool
    why: str
    instructor: str | None
    instructor_phone: str | None
    instructor_paid: bool | None
    people: list[CallRow]


class CallNote(In):
    outcome: str
    note: str = ""


class Paid(In):
    paid: bool


@router.get("/meetings/{meeting_id}/calls")
def call_list(meeting_id: int, request: Request, user: User = Depends(read)) -> CallList:
    return run_look(request, user, lambda deed: calls.call_list(deed, meeting_id))


@router.put("/meetings/{meeting_id}/calls/{person_id}")
def note_call(
    meeting_id: int, person_id: int, body: CallNote, request: Request, user: User = Depends(may("enroll"))
) -> CallList:
    return run_act(
        request, user, lambda deed: calls.note_call(deed, meeting_id, person_id, body.outcome, body.note)
    )


@router.put("/meetings/{meeting_id}/paid")
def set_paid(
    meeting_id: int, body: Paid, request: Request, user: User = Depends(may("plan runs"))
) -> CallList:
    """Whether the instructor is still paid for a cancelled meeting."""
    return run_act(request, user, lambda deed: calls.set_paid(deed, meeting_id, body.paid))


class ReminderIn(Body):
    day: Any = None
    text: Any = None
    run_id: Any = None
    person_id: Any = None
    user_id: Any = None


class ReminderPatch(Body):
    done: bool | None = None
    day: Any = None


class ReminderOut(BaseModel):
    id: int
    day: str
    text: str
    done: bool
    run_id: int | None
    person_id: int | None
    about: str
    by: str
    to: str


class UserName(BaseModel):
    id: int
    name: str


class FailedWork(BaseModel):
    kind: str
    number: int


class DraftNotReady(BaseModel):
    run_id: int
    code: str
    title: str
    start: str | None
    wrong: str
    more: int


class OpenOffer(BaseModel):
    """An offer to be answered; `asked_time`: they ask for longer."""

    run_id: int
    code: str
    title: str
    person_id: int
    name: str
    phone: str | None
    heads: int
    asked_time: bool
    until: str


class EndingHold(BaseModel):
    run_id: int
    code: str
    title: str
    for_whom: str
    seats: int
    last: str


class TodayOut(BaseModel):
    date: str
    closed: str | None
    troubles: list[str]
    offers: list[OpenOffer]
    holds: list[EndingHold]
    decisions: list[Figures]
    clashes: list[ClashOut]
    failed: list[FailedWork]
    drafts: list[DraftNotReady]
    reminders: list[ReminderOut]
    meetings: list[ListedMeeting]


@router.get("/today")
def get_today(request: Request, user: User = Depends(read)) -> TodayOut:
    """What needs a decision now."""
    return run_look(request, user, today.today)


@router.get("/users")
def list_users(request: Request, user: User = Depends(read)) -> list[UserName]:
    return run_look(request, user, today.users)


@router.get("/reminders")
def list_reminders(
    request: Request, run_id: int | None = None, person_id: int | None = None, user: User = Depends(read)
) -> list[ReminderOut]:
    """One's own that are due; or all open ones about a run or a person."""
    return run_look(request, user, lambda deed: today.reminders(deed, run_id, person_id))


@router.post("/reminders", status_code=201)
def remind(body: ReminderIn, request: Request, user: User = Depends(read)) -> ReminderOut:
    return run_act(request, user, lambda deed: today.remind(deed, given(body)))


@router.patch("/reminders/{reminder_id}")
def settle_reminder(
    reminder_id: int, body: ReminderPatch, request: Request, user: User = Depends(read)
) -> ReminderOut:
    """Tick it off, take that back, or put it off to another day."""
    return run_act(request, user, lambda deed: today.settle_reminder(deed, reminder_id, given(body)))
