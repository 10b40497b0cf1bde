"""Payment plans of the center, their log, and what a plan that is being typed would ask of somebody."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.fees import plans, quotes
from archgate.actions.fees.term_commands import PlanCommand, PlanExampleCommand, PlanPatch
from archgate.actions.fees.views import CenterPlan, ExampleOut, PlanChange, PlanDone
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["plans"])


@router.get("/plans")
def list_plans(request: Request, user: User = Depends(may("read"))) -> list[CenterPlan]:
    return run_read(request, user, plans.list_plans)


@router.post("/plans", status_code=201)
def make_plan(
    body: PlanCommand,
    request: Request,
    user: User = Depends(may("keep fees")),
    key: Once | None = Depends(once),
) -> PlanDone:
    return run_act(request, user, lambda uow: plans.make_plan(uow, body), once=key)


@router.patch("/plans/{plan_id}")
def change_plan(
    plan_id: int, body: PlanPatch, request: Request, user: User = Depends(may("keep fees"))
) -> PlanDone:
    """Change a plan for sign-ups from now on; who agreed to it keeps what was agreed."""
    return run_act(request, user, lambda uow: plans.change_plan(uow, plan_id, body))


@router.get("/plans/{plan_id}/log")
def plan_log(plan_id: int, request: Request, user: User = Depends(may("read"))) -> list[PlanChange]:
    return run_read(request, user, lambda uow: plans.plan_log(uow, plan_id))


@router.post("/plan-example")
def plan_example(body: PlanExampleCommand, request: Request, user: User = Depends(may("read"))) -> ExampleOut:
    """What a plan that is being typed would ask of somebody. Nothing is written."""
    return run_read(request, user, lambda uow: quotes.plan_example(uow, body))
