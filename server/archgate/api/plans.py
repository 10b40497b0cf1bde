"""Payment plans of the center, their log, and what a plan that is being typed would ask of somebody."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.fees import plans, quotes
from archgate.actions.fees.views import CenterPlan, ExampleOut, PlanChange, PlanDone
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Body, Patch, Route, given, may, once, run_act, run_read

router = APIRouter(tags=["plans"], route_class=Route)


class PlanIn(Body):
    name: Any = None
    note: Any = None
    details: Any = None
    lines: Any = None
    course_ids: Any = None


class PlanExample(Body):
    """Lines as a form holds them, on a real run and sign-up date; without a run, on a total of your own."""

    run_id: Any = None
    rate_id: Any = None
    total: Any = None
    lines: Any = None
    signed_up: Any = None


@router.get("/plans")
def list_plans(request: Request, user: User = Depends(may("read"))) -> list[CenterPlan]:
    return run_read(request, user, plans.list_plans)


@router.post("/plans", status_code=201)
def make_plan(
    body: PlanIn, request: Request, user: User = Depends(may("keep fees")), key: Once | None = Depends(once)
) -> PlanDone:
    return run_act(request, user, lambda uow: plans.make_plan(uow, given(body)), once=key)


@router.patch("/plans/{plan_id}")
def change_plan(
    plan_id: int, body: Patch, request: Request, user: User = Depends(may("keep fees"))
) -> PlanDone:
    """Change a plan for sign-ups from now on; who agreed to it keeps what was agreed."""
    return run_act(request, user, lambda uow: plans.change_plan(uow, plan_id, given(body)))


@router.get("/plans/{plan_id}/log")
def plan_log(plan_id: int, request: Request, user: User = Depends(may("read"))) -> list[PlanChange]:
    return run_read(request, user, lambda uow: plans.plan_log(uow, plan_id))


@router.post("/plan-example")
def plan_example(body: PlanExample, request: Request, user: User = Depends(may("read"))) -> ExampleOut:
    """What a plan that is being typed would ask of somebody. Nothing is written."""
    return run_read(request, user, lambda uow: quotes.plan_example(uow, given(body)))
