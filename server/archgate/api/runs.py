"""Runs: listed, made, changed, published; their terms and what they touch."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query, Request

from archgate.actions.access.staff import User
from archgate.actions.across import finding
from archgate.actions.across.commands import RunsWanted
from archgate.actions.across.views import RunList
from archgate.actions.fees import course_defaults, prices, terms
from archgate.actions.fees.commands import EarlyCommand
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.kernel.views import Outcome
from archgate.actions.runs import making, showing
from archgate.actions.runs.commands import KeepDefaultsCommand, KindCommand, RunCommand, RunPatch
from archgate.actions.runs.views import RunOut
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["courses"])


@router.get("/runs")
def list_runs(
    request: Request, wanted: Annotated[RunsWanted, Query()], user: User = Depends(may("read"))
) -> RunList:
    """Runs by first meeting, a page at a time; with `since` and `until`, those that are held on days between."""
    return run_read(request, user, lambda uow: finding.list_runs(uow, wanted))


@router.post("/runs", status_code=201)
def create_run(
    body: RunCommand,
    request: Request,
    user: User = Depends(may("plan runs")),
    key: Once | None = Depends(once),
) -> RunOut:
    """Make a draft from one form."""
    return run_act(request, user, lambda uow: making.create_run(uow, body), once=key)


@router.get("/runs/{run_id}")
def get_run(run_id: int, request: Request, user: User = Depends(may("read"))) -> RunOut:
    return run_read(request, user, lambda uow: showing.run_view(uow, run_id))


@router.patch("/runs/{run_id}")
def change_run(
    run_id: int,
    body: RunPatch,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("plan runs")),
) -> Outcome:
    """Change single facts of a run; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: making.change_run(uow, run_id, body), preview=preview)


@router.patch("/runs/{run_id}/terms")
def change_terms(
    run_id: int,
    body: TermsPatch,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("plan runs")),
) -> Outcome:
    """Change rates, extras, group steps, taxes or payment plans for everybody who signs up from now on."""
    return run_act(request, user, lambda uow: terms.change_terms(uow, run_id, body), preview=preview)


@router.post("/runs/{run_id}/publish")
def publish_run(run_id: int, request: Request, user: User = Depends(may("publish"))) -> Outcome:
    return run_act(request, user, lambda uow: making.publish_run(uow, run_id))


@router.post("/runs/{run_id}/early-bird")
def apply_early(
    run_id: int,
    body: EarlyCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("plan runs")),
) -> Outcome:
    """Put the early-bird planner's prices on a run."""
    return run_act(request, user, lambda uow: prices.apply_early(uow, run_id, body), preview=preview)


@router.post("/runs/{run_id}/defaults")
def keep_defaults(
    run_id: int, body: KeepDefaultsCommand, request: Request, user: User = Depends(may("keep courses"))
) -> Outcome:
    """Make values of this run what the course's next runs start from."""
    return run_act(request, user, lambda uow: course_defaults.keep_defaults(uow, run_id, body.names))


@router.put("/runs/{run_id}/kind")
def change_kind(
    run_id: int,
    body: KindCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("plan runs")),
) -> Outcome:
    """Make a draft another kind of run; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: making.change_kind(uow, run_id, body), preview=preview)
