"""Discount codes: one, or a numbered set as a CSV file, with who used them."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.fees import codes
from archgate.actions.fees.term_commands import CodeCommand
from archgate.actions.fees.views import CodeDone, CodeOut, CodeUses
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.lists import csv_file

router = Subject(tags=["fees"])


@router.get("/codes")
def list_codes(request: Request, user: User = Depends(may("read"))) -> list[CodeOut]:
    return run_read(request, user, codes.list_codes)


@router.post("/codes", status_code=201)
def make_code(
    body: CodeCommand,
    request: Request,
    user: User = Depends(may("keep fees")),
    key: Once | None = Depends(once),
) -> CodeDone:
    """Make one code, or a numbered set of single-use ones."""
    return run_act(request, user, lambda uow: codes.make_code(uow, body), once=key)


@router.get("/codes/{code_id}")
def get_code(code_id: int, request: Request, user: User = Depends(may("read"))) -> CodeUses:
    return run_read(request, user, lambda uow: codes.code_uses(uow, code_id))


@router.put("/codes/{code_id}")
def change_code(
    code_id: int, body: CodeCommand, request: Request, user: User = Depends(may("keep fees"))
) -> CodeDone:
    """Change a code, or with it its whole set, for sign-ups from now on."""
    return run_act(request, user, lambda uow: codes.change_code(uow, code_id, body))


@router.get("/codes/{code_id}/list.csv", response_class=Response)
def code_list(code_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """A set of codes as a CSV file, with who used which."""
    name, lines = run_read(request, user, lambda uow: codes.code_lines(uow, code_id))
    headers = {"Content-Disposition": f'attachment; filename="{name}.csv"'}
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=headers)
