"""Roles and groups on a roster."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.enrolling import groups, roles
from archgate.actions.enrolling.commands import AddWithRoleCommand, GroupCommand, RoleCommand
from archgate.actions.enrolling.roster_views import Grouped, WithRole
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.lists import csv_file

router = Subject(tags=["roster"])


@router.post("/runs/{run_id}/roles", status_code=201)
def add_with_role(
    run_id: int,
    body: AddWithRoleCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> WithRole:
    """Put somebody on a roster who is no learner: without seat and price."""
    return run_act(
        request, user, lambda uow: roles.add_with_role(uow, run_id, body.person_id, body.role), once=key
    )


@router.put("/enrollments/{enrollment_id}/role")
def set_role(
    enrollment_id: int,
    body: RoleCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> WithRole:
    """Another role; who becomes a learner takes a seat and pays, who no longer is one gives it back."""
    return run_act(
        request, user, lambda uow: roles.set_role(uow, enrollment_id, body), once=key, preview=preview
    )


@router.post("/enrollments/{enrollment_id}/take-off")
def take_off(enrollment_id: int, request: Request, user: User = Depends(may("enroll"))) -> WithRole:
    """Take somebody who is no learner off a roster."""
    return run_act(request, user, lambda uow: roles.take_off(uow, enrollment_id))


@router.post("/runs/{run_id}/groups")
def put_in_group(
    run_id: int, body: GroupCommand, request: Request, user: User = Depends(may("enroll"))
) -> Grouped:
    """Put people of a roster into a group, made when first named."""
    return run_act(
        request, user, lambda uow: groups.put_in_group(uow, run_id, body.name, body.enrollment_ids)
    )


@router.get("/runs/{run_id}/groups.csv", response_class=Response)
def groups_csv(run_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """Everybody on a run by group, as CSV."""
    code, lines = run_read(request, user, lambda uow: groups.group_lines(uow, run_id))
    headers = {"Content-Disposition": f'attachment; filename="{code}-groups.csv"'}
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=headers)
