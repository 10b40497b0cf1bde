"""Lists that go onto runs in one step."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from fastapi import Depends, Query, Request, Response, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.bulk import batches, confirming, reading, taking_back
from archgate.actions.bulk.commands import (
    BatchChangeCommand,
    ChooseCommand,
    DecideLinesCommand,
    EnrollBatchCommand,
    PasteCommand,
    RowFixForm,
    TakeBackCommand,
)
from archgate.actions.bulk.views import Batches, BatchOut, BatchRows, Chosen, Running
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.core.states import BatchStatus, ListSource
from archgate.papers import apart
from archgate.papers.lists import LARGEST_FILE, csv_file
from archgate.papers.rosters import xlsx_of

router = Subject(tags=["bulk"])
T = TypeVar("T")


@router.post("/runs/{run_id}/batches", status_code=201)
def create_batch(
    run_id: int, file: UploadFile, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """Read a list for a run; nobody is enrolled yet. Up to 10 MB, 50,000 lines, 200 cells a line and 10,000 characters a
    cell, read within 9 seconds and 300 MB of memory. One of more than 1,000 lines is judged in the background."""
    data, name = file.file.read(LARGEST_FILE + 1), file.filename or "list.csv"
    table = apart.list_of(data)
    return run_act(
        request, user, lambda uow: batches.after(uow, reading.create_batch(uow, run_id, name, data, table))
    )


@router.post("/batches", status_code=201)
def create_batch_of_runs(file: UploadFile, request: Request, user: User = Depends(may("enroll"))) -> BatchOut:
    """The same for a list of which each line names its run."""
    data, name = file.file.read(LARGEST_FILE + 1), file.filename or "list.csv"
    table = apart.list_of(data)
    return run_act(
        request, user, lambda uow: batches.after(uow, reading.create_batch(uow, None, name, data, table))
    )


@router.post("/batches/pasted", status_code=201)
def paste_batch(
    body: PasteCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    """The same for cells that were copied from a sheet, up to 4,000,000 characters."""
    data = body.text.encode()
    table = apart.list_of(data)
    return run_act(
        request,
        user,
        lambda uow: batches.after(
            uow, reading.create_batch(uow, body.run_id, body.name, data, table, ListSource.PASTED)
        ),
        once=key,
    )


@router.post("/batches/people", status_code=201)
def choose_people(
    body: ChooseCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    """A list of people who are known already."""
    return run_act(request, user, lambda uow: batches.after(uow, reading.choose_people(uow, body)), once=key)


@router.post("/batches/people/preview")
def preview_people(body: ChooseCommand, request: Request, user: User = Depends(may("enroll"))) -> Chosen:
    """How many people a choice holds, and the first of them."""
    return run_read(request, user, lambda uow: reading.preview_choice(uow, body))


@router.get("/batches")
def list_batches(
    request: Request,
    status: BatchStatus | None = None,
    run_id: int | None = Query(default=None, ge=1),
    before: int = Query(default=0, ge=0),
    user: User = Depends(may("read")),
) -> Batches:
    """Lists, newest first: who ran what when, and what became of it."""
    return run_read(request, user, lambda uow: batches.list_batches(uow, status, run_id, before))


@router.get("/batches/running")
def list_running(request: Request, user: User = Depends(may("read"))) -> Running:
    """The lists that are worked on just now."""
    return run_read(request, user, batches.at_work)


@router.get("/batches/template.csv", response_class=Response)
def template(user: User = Depends(may("read"))) -> Response:
    """A list to fill in, with every heading that is known."""
    headers = {"Content-Disposition": 'attachment; filename="list.csv"'}
    return Response(csv_file(batches.TEMPLATE), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/batches/{batch_id}")
def get_batch(batch_id: int, request: Request, user: User = Depends(may("read"))) -> BatchOut:
    return run_read(request, user, lambda uow: batches.batch_view(uow, batch_id))


@router.get("/batches/{batch_id}/rows")
def list_rows(
    batch_id: int,
    request: Request,
    only: str = Query(default="", max_length=60),
    q: str = Query(default="", max_length=100),
    after: int = Query(default=0, ge=0),
    user: User = Depends(may("read")),
) -> BatchRows:
    """A page of the lines after a line: all, those of a verdict or an outcome, `odd` ones, or those of `kind:` a kind."""
    return run_read(request, user, lambda uow: batches.batch_rows(uow, batch_id, only, after, q))


@router.get("/batches/{batch_id}/report.csv", response_class=Response)
def report_csv(batch_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """Every line with what became of it, as CSV."""
    name, content = run_read(request, user, lambda uow: written(uow, batch_id, csv_file))
    return Response(content, media_type="text/csv; charset=utf-8", headers=named(name, "csv"))


@router.get("/batches/{batch_id}/report.xlsx", response_class=Response)
def report_xlsx(batch_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """The same as a workbook."""
    name, content = run_read(request, user, lambda uow: written(uow, batch_id, lambda x: xlsx_of("List", x)))
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(content, media_type=kind, headers=named(name, "xlsx"))


def written(uow: UnitOfWork, batch_id: int, write: Callable[[list[list[str]]], T]) -> tuple[str, T]:
    name, lines = batches.report_lines(uow, batch_id)
    return name, write(list(lines))


def named(name: str, end: str) -> dict[str, str]:
    plain = "".join(
        c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in name.rpartition(".")[0] or name
    )
    return {"Content-Disposition": f'attachment; filename="{plain[:80] or "list"}-report.{end}"'}


@router.patch("/batches/{batch_id}")
def change_batch(
    batch_id: int, body: BatchChangeCommand, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """Read a list otherwise, or say what holds for all of it."""
    if body.sheet is not None:
        data = run_read(request, user, lambda uow: reading.file_of(uow, batch_id))
        table = apart.list_of(data, body.sheet)
        return run_act(request, user, lambda uow: batches.after(uow, reading.read_anew(uow, batch_id, table)))
    return run_act(request, user, lambda uow: batches.after(uow, reading.change_batch(uow, batch_id, body)))


@router.patch("/batches/{batch_id}/rows/{line}")
def fix_row(
    batch_id: int, line: int, body: RowFixForm, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """Correct a line in place."""
    return run_act(request, user, lambda uow: batches.after(uow, reading.fix_row(uow, batch_id, line, body)))


@router.post("/batches/{batch_id}/decide")
def decide_on_lines(
    batch_id: int, body: DecideLinesCommand, request: Request, user: User = Depends(may("enroll"))
) -> BatchOut:
    """One decision for all lines of a kind."""
    return run_act(request, user, lambda uow: batches.after(uow, reading.decide(uow, batch_id, body)[0]))


@router.post("/batches/{batch_id}/judge")
def judge_again(batch_id: int, request: Request, user: User = Depends(may("enroll"))) -> BatchOut:
    """Judge what is left of a list by how people, seats and terms are now."""
    return run_act(request, user, lambda uow: batches.after(uow, reading.judge_again(uow, batch_id)))


@router.post("/batches/{batch_id}/enroll")
def enroll_batch(
    batch_id: int,
    body: EnrollBatchCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    """Begin to enroll a list as it was shown; up to 100 lines are done with the answer, more by the worker."""
    return run_act(
        request,
        user,
        lambda uow: batches.after(uow, confirming.confirm(uow, batch_id, body.people, body.total, body.told)),
        once=key,
    )


@router.post("/batches/{batch_id}/stop")
def stop_batch(batch_id: int, request: Request, user: User = Depends(may("enroll"))) -> BatchOut:
    """Stop a list that is being enrolled, after the slice that is being written."""
    return run_act(request, user, lambda uow: batches.after(uow, confirming.stop(uow, batch_id)))


@router.post("/batches/{batch_id}/resume")
def resume_batch(
    batch_id: int,
    body: EnrollBatchCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    """Go on with a list that was stopped."""
    return run_act(
        request,
        user,
        lambda uow: batches.after(uow, confirming.resume(uow, batch_id, body.people, body.total)),
        once=key,
    )


@router.post("/batches/{batch_id}/take-back")
def take_batch_back(
    batch_id: int,
    body: TakeBackCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> BatchOut:
    """Take back what a list did, or some lines of it, as long as nothing later depends on them."""
    return run_act(
        request,
        user,
        lambda uow: batches.after(uow, taking_back.take_back(uow, batch_id, body.lines, body.only, body.q)),
        once=key,
    )
