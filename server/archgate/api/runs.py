"""Runs: listed, made, changed, published; their terms and what they touch."""

from __future__ import annotations

from datetime import date
from typing import Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from archgate.actions.access.staff import User
from archgate.actions.across import finding
from archgate.actions.fees import course_defaults, prices, terms
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.runs import making
from archgate.api.courses import CourseOut
from archgate.api.fees import EarlyIn, ExtraOut, GroupStepIO, Origin, PlanOut, PriceLine, RateOut, TaxIO
from archgate.api.notices import NoticeOut
from archgate.api.web import Body, FaultOut, In, Patch, Route, given, may, once, run_act, run_read
from archgate.core.states import Told

router = APIRouter(tags=["courses"], route_class=Route)


class NextMeeting(BaseModel):
    date: str
    start: str
    end: str
    place: str


class PriceNow(BaseModel):
    amount: str
    why: str
    until: str | None
    then: str | None


class RunLine(BaseModel):
    """What stands on every line that shows a run."""

    id: int
    code: str
    title: str
    course_title: str
    course_code: str
    kind: str
    status: str
    decision: str
    decision_until: str | None
    decision_day: str | None
    starts_on: str | None
    ends_on: str | None
    access_days: int | None
    client: str | None
    sign_up: str
    sign_up_why: str
    teaching: str
    place: str
    instructor: str
    time_zone: str
    currency: str
    first: str | None
    last: str | None
    meetings: int
    hours: str
    next_meeting: NextMeeting | None
    capacity: int
    smallest: int
    taken: int
    kept: int
    waiting: int
    price: PriceNow | None


class RunList(BaseModel):
    items: list[RunLine]
    total: int
    next: str | None
    today: str


class MeetingOut(BaseModel):
    id: int
    n: int
    of: int
    date: str
    weekday: str
    start: str
    end: str
    minutes: int
    instructor: str | None
    room: str | None
    warnings: list[str]
    by_hand: bool
    pattern_n: int | None
    online: bool
    link: str | None
    host_key: str | None


class PatternOut(BaseModel):
    first: str
    start: str
    minutes: int
    weekdays: list[str]
    every_weeks: int
    count: int | None
    until: str | None
    on_closure: str
    room: str | None
    instructor: str | None


class RuleIO(BaseModel):
    """When a gate is: on a date, or so many days before the start."""

    on: str | None = None
    days_before: int | None = None


class WindowIO(BaseModel):
    """A stretch of sign-up; without `opens` from publication, without `closes` through the day before the start."""

    opens: RuleIO | None = None
    closes: RuleIO | None = None


class CancelledMeeting(BaseModel):
    id: int
    date: str
    start: str
    why: str


class ClashRun(BaseModel):
    id: int
    code: str
    title: str


class ClashOut(BaseModel):
    """A clash with its sentence; `accepted` is the reason why somebody lets it stand."""

    key: str
    kind: str
    who: str
    text: str
    run: ClashRun | None
    meeting_id: int | None
    n: int | None
    other: ClashRun | None
    other_meeting_id: int | None
    other_n: int | None
    date: str
    start: str
    end: str
    accepted: str | None


class NamedWeek(BaseModel):
    name: str
    from_: str = Field(alias="from")
    to: str
    meetings: int


class FileOut(BaseModel):
    id: int
    name: str
    media: str
    size: int
    at: str


class GateOut(BaseModel):
    kind: str
    rule: str
    day: str
    at: str
    label: str


class Finding(FaultOut):
    """An error keeps the run from being published; a warning is worth a look."""

    error: bool


class RunOut(RunLine):
    course: CourseOut
    own_title: str
    note: str
    receipt_note: str
    overbook: int
    line_rule: str
    auto_offer: bool
    offer_hours: int
    hold_hours: int | None
    told: list[Told] | None
    questions: list[str]
    notice: NoticeOut
    sign_up_opens: str | None
    windows: list[WindowIO]
    decision_rule: RuleIO | None
    week_names: list[str]
    named_weeks: list[NamedWeek]
    client_id: int | None
    files: list[FileOut]
    weeks: int
    patterns: list[PatternOut]
    dates: list[MeetingOut]
    cancelled: list[CancelledMeeting]
    clashes: list[ClashOut]
    gates: list[GateOut]
    price_line: list[PriceLine]
    rates: list[RateOut]
    extras: list[ExtraOut]
    group: list[GroupStepIO]
    taxes: list[TaxIO]
    plans: list[PlanOut]
    origins: dict[str, Origin]
    readiness: list[Finding]
    now: str


class Touch(BaseModel):
    """One fact that a change touches."""

    label: str
    before: str | None
    after: str | None


class DateFacts(BaseModel):
    date: str
    start: str
    minutes: int
    place: str | None
    instructor: str | None


class MovedDate(BaseModel):
    """A meeting before and after; None where there is none."""

    meeting_id: int
    before: DateFacts | None
    after: DateFacts | None


class MovedInstallment(BaseModel):
    name: str
    amount: str
    before: str
    after: str


class MovedInstallments(BaseModel):
    number: int
    examples: list[MovedInstallment]


class DueBack(BaseModel):
    """What one sign-up gets back as credit when its run is cancelled; `why` also says what is no longer owed."""

    name: str
    amount: str
    why: str


class Outcome(BaseModel):
    """What a change did, or with `preview` would do; `change` is the key for undo."""

    change: str | None
    run_id: int
    touches: list[Touch]
    enrolled: int
    dates: list[MovedDate] = []
    made: list[ClashOut] = []
    healed: list[ClashOut] = []
    installments: MovedInstallments | None = None
    told: int = 0
    call_list: int | None = None
    due_back: list[DueBack] = []


class NewRun(Body):
    """A run as typed. Values are judged by the rules, so that all faults come back together."""

    course_id: Any = None
    course: Any = None
    code: Any = None
    title: Any = None
    note: Any = None
    place: Any = None
    instructor: Any = None
    capacity: Any = None
    smallest: Any = None
    sign_up_opens: Any = None
    time_zone: Any = None
    currency: Any = None
    kind: Any = None
    windows: Any = None
    decision_rule: Any = None
    starts_on: Any = None
    ends_on: Any = None
    week_names: Any = None
    access_days: Any = None
    client_id: Any = None
    pattern: Any = None
    patterns: Any = None
    extra: Any = None
    changes: Any = None
    rates: Any = None
    extras: Any = None
    group: Any = None
    taxes: Any = None
    plans: Any = None


@router.get("/runs")
def list_runs(
    request: Request,
    q: str = "",
    status: str = "",
    sign_up: str = "",
    teaching: str = "",
    after: str = "",
    limit: int = finding.PAGE,
    since: date | None = None,
    until: date | None = None,
    user: User = Depends(may("read")),
) -> RunList:
    """Runs by first meeting, a page at a time; with `since` and `until`, those that are held on days between."""
    span = (since or date.min, until or date.max) if since or until else None
    return run_read(
        request, user, lambda uow: finding.list_runs(uow, q, status, sign_up, teaching, after, limit, span)
    )


@router.post("/runs", status_code=201)
def create_run(
    body: NewRun, request: Request, user: User = Depends(may("plan runs")), key: Once | None = Depends(once)
) -> RunOut:
    """Make a draft from one form."""
    return run_act(request, user, lambda uow: making.create_run(uow, given(body)), once=key)


@router.get("/runs/{run_id}")
def get_run(run_id: int, request: Request, user: User = Depends(may("read"))) -> RunOut:
    return run_read(request, user, lambda uow: making.run_view(uow, run_id))


@router.patch("/runs/{run_id}")
def change_run(
    run_id: int, body: Patch, request: Request, preview: bool = False, user: User = Depends(may("plan runs"))
) -> Outcome:
    """Change single facts of a run; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: making.change_run(uow, run_id, given(body)), preview=preview)


@router.patch("/runs/{run_id}/terms")
def change_terms(
    run_id: int, body: Patch, request: Request, preview: bool = False, user: User = Depends(may("plan runs"))
) -> Outcome:
    """Change rates, extras, group steps, taxes or payment plans for everybody who signs up from now on."""
    return run_act(request, user, lambda uow: terms.change_terms(uow, run_id, given(body)), preview=preview)


@router.post("/runs/{run_id}/publish")
def publish_run(run_id: int, request: Request, user: User = Depends(may("publish"))) -> Outcome:
    return run_act(request, user, lambda uow: making.publish_run(uow, run_id))


@router.post("/runs/{run_id}/early-bird")
def apply_early(
    run_id: int,
    body: EarlyIn,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("plan runs")),
) -> Outcome:
    """Put the early-bird planner's prices on a run."""
    return run_act(request, user, lambda uow: prices.apply_early(uow, run_id, given(body)), preview=preview)


class KeepDefaults(In):
    names: list[str]


@router.post("/runs/{run_id}/defaults")
def keep_defaults(
    run_id: int, body: KeepDefaults, request: Request, user: User = Depends(may("keep courses"))
) -> Outcome:
    """Make values of this run what the course's next runs start from."""
    return run_act(request, user, lambda uow: course_defaults.keep_defaults(uow, run_id, body.names))
