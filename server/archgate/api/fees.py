"""What sign-ups cost: the terms of runs, quotes, kept quotes, price lines and the early-bird planner."""

from __future__ import annotations

from datetime import date
from typing import Any

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel, Field

from archgate.actions.access.staff import User
from archgate.actions.fees import kept_quotes, prices, quotes
from archgate.actions.fees.commands import Ask, KeepCommand, QuoteCommand
from archgate.actions.fees.views import DueView, QuoteView, RunQuoteView
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.money import payments
from archgate.api.web import Body, In, Route, given, may, once, run_act, run_read
from archgate.outside.payments import StandInPayments

router = APIRouter(tags=["fees"], route_class=Route)


# --- the terms of a run -----------------------------------------------------------------------------------


class EarlyStepIO(BaseModel):
    until: str | None = None
    days_before: int | None = None
    amount: str | None = None
    off: str | None = None
    percent: str | None = None


class SaleIO(BaseModel):
    from_: str | None = Field(None, alias="from")
    to: str | None = None
    amount: str


class RateOut(BaseModel):
    """A rate with who may have it, when, and for how many heads."""

    id: int
    code: str
    label: str
    amount: str
    early: list[EarlyStepIO]
    sale: SaleIO | None = None
    by_agreement: bool = False
    tags: list[str] = []
    organization_id: int | None = None
    past_course_id: int | None = None
    offered_from: str | None = None
    offered_to: str | None = None
    most: int | None = None


class ExtraOut(BaseModel):
    """`item` is the stock item it is taken from, `stock` what is on hand of it."""

    id: int
    code: str
    label: str
    amount: str
    required: bool = False
    most: int | None = None
    item: str | None = None
    stock: int | None = None


class GroupStepIO(BaseModel):
    from_: int = Field(alias="from")
    percent: str


class TaxIO(BaseModel):
    """`on` names rates and extras by their codes; none said is all of them."""

    name: str
    percent: str
    included: bool
    on: list[str] | None


class PlanLineOut(BaseModel):
    percent: str | None
    amount: str | None
    parts: int | None
    rest: bool
    due: dict[str, str | int]
    settle: str
    text: str


class PlanOut(BaseModel):
    """`details`: payment details are taken at sign-up; `of_center`: it serves any run, not this one only."""

    id: int
    name: str
    note: str
    details: bool
    lines: list[PlanLineOut]
    of_center: bool


class Origin(BaseModel):
    """Where a value comes from: "course", "center" or "own"; and the default that it has or would have."""

    from_: str = Field(alias="from")
    default_of: str | None
    default: Any


class PriceStretch(BaseModel):
    """Days, both included, on which one person pays the same."""

    from_: str = Field(alias="from")
    to: str
    total: str


class PriceLine(BaseModel):
    rate_id: int
    rate: str
    steps: list[PriceStretch]


# --- quotes -----------------------------------------------------------------------------------------------


class RateChoice(BaseModel):
    """`why_not`: why the person cannot have it; `left`: how many seats are left at it, where its number is limited."""

    id: int
    label: str
    amount: str
    by_agreement: bool
    why_not: str | None
    left: int | None


class ExtraChoice(BaseModel):
    id: int
    label: str
    amount: str
    required: bool
    most: int | None
    stock: int | None


class Choices(BaseModel):
    run_id: int
    rates: list[RateChoice]
    extras: list[ExtraChoice]
    plans: list[PlanOut]
    group: list[GroupStepIO]


@router.post("/runs/{run_id}/quote")
def quote_run(
    run_id: int, body: QuoteCommand, request: Request, user: User = Depends(may("read"))
) -> RunQuoteView:
    """What a sign-up costs, when it is due, and whether there is a seat or a place in line. Nothing is written."""
    return run_read(request, user, lambda uow: quotes.quote_run(uow, run_id, body))


@router.get("/runs/{run_id}/choices")
def choices(
    run_id: int,
    request: Request,
    person_id: int | None = None,
    organization_id: int | None = None,
    user: User = Depends(may("read")),
) -> Choices:
    """The rates, extras and plans a sign-up can choose from, at today's prices and for this person."""
    return run_read(request, user, lambda uow: quotes.choices(uow, run_id, person_id, organization_id))


class KeptOut(BaseModel):
    id: int
    run_id: int
    run: str
    title: str
    person_id: int
    name: str
    organization_id: int | None
    note: str
    last: str
    status: str
    ask: Ask
    quote: QuoteView
    total: str
    currency: str
    kept_at: str
    enrollment_id: int | None


class KeptDone(KeptOut):
    change: str


class KeptSent(KeptDone):
    sent: bool


@router.post("/quotes", status_code=201)
def keep_quote(
    body: KeepCommand, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> KeptSent:
    """Keep a quote for a person through a day, and send it if asked."""
    return run_act(request, user, lambda uow: kept_quotes.keep(uow, body), once=key)


@router.get("/quotes")
def list_quotes(
    request: Request,
    person_id: int | None = None,
    run_id: int | None = None,
    every: bool = False,
    user: User = Depends(may("read")),
) -> list[KeptOut]:
    """Kept quotes by their last day: those that stand, or `every` one."""
    return run_read(request, user, lambda uow: kept_quotes.list_kept(uow, person_id, run_id, every))


@router.get("/quotes/{quote_id}")
def get_quote(quote_id: int, request: Request, user: User = Depends(may("read"))) -> RunQuoteView:
    """A kept quote as it would be signed up on today."""
    return run_read(request, user, lambda uow: kept_quotes.kept_quote(uow, quote_id))


@router.post("/quotes/{quote_id}/drop")
def drop_quote(quote_id: int, request: Request, user: User = Depends(may("enroll"))) -> KeptDone:
    return run_act(request, user, lambda uow: kept_quotes.drop(uow, quote_id))


class Details(BaseModel):
    words: str


class Payer(In):
    person_id: int | None = None
    organization_id: int | None = None


@router.post("/payment-details", status_code=201)
def take_details(
    body: Payer, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> Details:
    """Have the payment service take a payer's details; a token comes back and is kept, never a number."""
    if (body.person_id is None) == (body.organization_id is None):
        raise Problem(422, "no-payer", "Say whose details they are: a person or an organization.")
    if key is None:
        raise Problem(422, "bad-key", "Taking details needs an idempotency key.")
    holder = run_read(
        request, user, lambda uow: payments.holder_of(uow, body.person_id, body.organization_id)
    )
    token, words = StandInPayments(request.app.state.sessions).take_details(
        f"{user.id}:{key.key}"[:80], holder
    )
    return run_act(
        request,
        user,
        lambda uow: payments.keep_details(uow, body.person_id, body.organization_id, token, words),
    )


# --- prices from day to day -------------------------------------------------------------------------------


class GateDay(BaseModel):
    label: str
    day: str


class ComparedRun(BaseModel):
    id: int
    code: str
    title: str
    currency: str
    start: str | None
    lines: list[PriceLine]
    warnings: list[str]
    gates: list[GateDay]


class Compared(BaseModel):
    today: str
    runs: list[ComparedRun]


class Reading(DueView):
    """What one person pays on a day, as a sentence."""

    day: str
    rate_id: int
    plan_id: int
    total: str
    text: str


@router.get("/prices")
def compare(
    request: Request, runs: list[int] = Query(default=[]), user: User = Depends(may("read"))
) -> Compared:
    """The price lines of up to six runs side by side."""
    return run_read(request, user, lambda uow: prices.compare(uow, runs))


@router.get("/runs/{run_id}/price-on/{day}")
def price_on(
    run_id: int,
    day: date,
    request: Request,
    rate_id: int | None = None,
    plan_id: int | None = None,
    user: User = Depends(may("read")),
) -> Reading:
    """What one person pays on a day, now and later."""
    return run_read(request, user, lambda uow: prices.reading(uow, run_id, day, rate_id, plan_id))


class EarlyIn(Body):
    """The early-bird planner's inputs; `rounding` is the amount that the regular price is rounded to."""

    currency: Any = None
    fee: Any = None
    share: Any = None
    target: Any = None
    days: Any = None
    rounding: Any = None


class EarlyStart(BaseModel):
    run_id: int
    rate: str
    currency: str
    fee: str
    share: str
    target: str
    days: int
    rounding: str
    roundings: list[str]
    said: str


class IncomeAt(BaseModel):
    share: int
    income: str


class EarlyOut(BaseModel):
    currency: str
    early: str
    regular: str
    exact: str
    income: str
    break_even: str | None
    days: int
    incomes: list[IncomeAt]


@router.get("/runs/{run_id}/early-bird")
def early_start(run_id: int, request: Request, user: User = Depends(may("read"))) -> EarlyStart:
    """Where the early-bird planner starts for a run, from the course's own past runs."""
    return run_read(request, user, lambda uow: prices.early_start(uow, run_id))


@router.post("/early-bird")
def early_plan(body: EarlyIn, request: Request, user: User = Depends(may("read"))) -> EarlyOut:
    """The regular price that keeps today's fee as the early one. Nothing is written."""
    return run_read(request, user, lambda uow: prices.early_plan(uow, given(body)))
