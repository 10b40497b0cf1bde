"""Lists that go onto a run in one step."""

from __future__ import annotations

from fastapi import Depends, Query, Request, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.bulk import bulk
from archgate.actions.bulk.commands import BatchChangeCommand, EnrollBatchCommand, RowFixForm
from archgate.actions.bulk.views import BatchOut, BatchRows
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers import apart
from archgate.papers.lists import LARGEST_FILE

router = Subject(tags=["bulk"])


@router.post("/runs/{run_id}/batches", status_code=201)
def create_batch(
    run_id: int, file: UploadFile, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """Read and judge a list; nobody is enrolled yet. Up to 10 MB, 20,000 lines, 200 cells a line and 10,000 characters a
    cell, read within 9 seconds and 300 MB of memory."""
    data = file.file.read(LARGEST_FILE + 1)
    table, name = apart.list_of(data), file.filename or "list.csv"
    return run_act(request, user, lambda uow: bulk.create_batch(uow, run_id, name, data, table))


@router.get("/batches/{batch_id}")
def get_batch(batch_id: int, request: Request, user: User = Depends(may("read"))) -> BatchOut:
    return run_read(request, user, lambda uow: bulk.batch_view(uow, batch_id))


@router.get("/batches/{batch_id}/rows")
def list_rows(
    batch_id: int,
    request: Request,
    only: str = Query(default="", max_length=40),
    after: int = Query(default=0, ge=0),
    user: User = Depends(may("read")),
) -> BatchRows:
    """A page of the lines after a line: all, those of a verdict, or `odd` ones."""
    return run_read(request, user, lambda uow: bulk.batch_rows(uow, batch_id, only, after))


@router.patch("/batches/{batch_id}")
def change_batch(
    batch_id: int, body: BatchChangeCommand, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    return run_act(request, user, lambda uow: bulk.change_batch(uow, batch_id, body))


@router.patch("/batches/{batch_id}/rows/{line}")
def fix_row(
    batch_id: int, line: int, body: RowFixForm, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """Correct a line in place."""
    return run_act(request, user, lambda uow: bulk.fix_row(uow, batch_id, line, body))


@router.post("/batches/{batch_id}/enroll")
def enroll_batch(
    batch_id: int,
    body: EnrollBatchCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    return run_act(
        request, user, lambda uow: bulk.enroll_batch(uow, batch_id, body.people, body.total), once=key
    )
