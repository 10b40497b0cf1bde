"""What sign-ups cost: the terms of runs, quotes, kept quotes, price lines and the early-bird planner."""

from __future__ import annotations

from datetime import date

from fastapi import Depends, Query, Request

from archgate.actions.access.staff import User
from archgate.actions.fees import kept_quotes, prices, quotes
from archgate.actions.fees.commands import EarlyCommand, KeepCommand, QuoteCommand
from archgate.actions.fees.views import (
    Choices,
    Compared,
    EarlyOut,
    EarlyStart,
    KeptDone,
    KeptOut,
    KeptSent,
    Reading,
    RunQuoteView,
)
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["fees"])


# --- the terms of a run -----------------------------------------------------------------------------------


# --- quotes -----------------------------------------------------------------------------------------------


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


# --- prices from day to day -------------------------------------------------------------------------------


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


@router.get("/runs/{run_id}/early-bird")
def early_start(run_id: int, request: Request, user: User = Depends(may("read"))) -> EarlyStart:
    """Where the early-bird planner starts for a run, from the course's own past runs."""
    return run_read(request, user, lambda uow: prices.early_start(uow, run_id))


@router.post("/early-bird")
def early_plan(body: EarlyCommand, request: Request, user: User = Depends(may("read"))) -> EarlyOut:
    """The regular price that keeps today's fee as the early one. Nothing is written."""
    return run_read(request, user, lambda uow: prices.early_plan(uow, body))
