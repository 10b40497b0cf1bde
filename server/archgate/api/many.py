"""Withdrawing and moving many of a roster at once."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import on_many
from archgate.actions.enrolling.commands import MoveManyCommand, WithdrawManyCommand
from archgate.actions.enrolling.views import ManyDone, ManyMoved
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act

router = Subject(tags=["roster"])


@router.post("/runs/{run_id}/withdraw-many")
def withdraw_many(
    run_id: int,
    body: WithdrawManyCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> ManyDone:
    """Withdraw everybody chosen, each by the refund policy; with `preview` nothing is saved."""
    return run_act(
        request,
        user,
        lambda uow: on_many.withdraw(uow, run_id, body.enrollment_ids, body.why),
        once=key,
        preview=preview,
    )


@router.post("/runs/{run_id}/move-many")
def move_many(
    run_id: int,
    body: MoveManyCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> ManyMoved:
    """Move everybody chosen to another run, the money with them; with `preview` nothing is saved."""
    return run_act(
        request,
        user,
        lambda uow: on_many.move(uow, run_id, body.enrollment_ids, body.to_run_id, body.exception),
        once=key,
        preview=preview,
    )
