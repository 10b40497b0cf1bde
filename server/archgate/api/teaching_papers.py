"""What a run pays those who teach it; agreements, pay requests and statements."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.kernel.views import Done
from archgate.actions.teaching import papers, pay
from archgate.actions.teaching.commands import (
    AgreementCommand,
    AgreementTextCommand,
    DeductCommand,
    OnDayCommand,
    PayLineCommand,
    PayRequestCommand,
    PayTermsCommand,
)
from archgate.actions.teaching.views import PayRequestMade, PayRequestOut, RunTeaching, StatementOut
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.teaching import PayPaper, agreement_pdf, pay_csv, pay_pdf, pay_xlsx

router = Subject(tags=["pay of instructors"])
read, keep = may("read"), may("keep pay")
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@router.get("/runs/{run_id}/teaching")
def run_teaching(run_id: int, request: Request, user: User = Depends(read)) -> RunTeaching:
    """Who teaches a run, what it pays now and at each number of heads, and its papers."""
    return run_read(request, user, lambda uow: pay.teaching_of(uow, run_id))


@router.put("/runs/{run_id}/pay-terms/{instructor_id}")
def set_pay_terms(
    run_id: int, instructor_id: int, body: PayTermsCommand, request: Request, user: User = Depends(keep)
) -> Done:
    return run_act(request, user, lambda uow: pay.set_terms(uow, run_id, instructor_id, body))


@router.post("/runs/{run_id}/pay-lines", status_code=201)
def add_pay_line(
    run_id: int,
    body: PayLineCommand,
    request: Request,
    user: User = Depends(keep),
    key: Once | None = Depends(once),
) -> Done:
    return run_act(request, user, lambda uow: pay.add_line(uow, run_id, body), once=key)


@router.delete("/pay-lines/{line_id}")
def drop_pay_line(line_id: int, request: Request, user: User = Depends(keep)) -> Done:
    return run_act(request, user, lambda uow: pay.drop_line(uow, line_id))


@router.put("/runs/{run_id}/deduct")
def set_deduct(run_id: int, body: DeductCommand, request: Request, user: User = Depends(keep)) -> Done:
    """What the center takes of the income before shares are paid."""
    return run_act(request, user, lambda uow: pay.set_deduct(uow, run_id, body))


# --- pay requests -----------------------------------------------------------------------------------------


@router.post("/pay-requests", status_code=201)
def make_pay_request(
    body: PayRequestCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(keep),
    key: Once | None = Depends(once),
) -> PayRequestMade:
    """For a run, or for a month; with `preview` it is only shown. Once made it no longer changes."""
    return run_act(
        request, user, lambda uow: papers.make_request(uow, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


@router.get("/pay-requests")
def list_pay_requests(
    request: Request,
    run_id: int | None = None,
    instructor_id: int | None = None,
    user: User = Depends(read),
) -> list[PayRequestOut]:
    """The newest 200, of a run or of an instructor, or of all."""
    return run_read(request, user, lambda uow: papers.requests_of(uow, run_id, instructor_id))


@router.post("/pay-requests/{request_id}/paid")
def mark_paid(
    request_id: int, body: OnDayCommand, request: Request, user: User = Depends(keep)
) -> PayRequestMade:
    return run_act(request, user, lambda uow: papers.mark_paid(uow, request_id, body.on))


@router.get("/pay-requests/{request_id}/{name}", response_class=Response)
def pay_request_paper(request_id: int, name: str, request: Request, user: User = Depends(read)) -> Response:
    """request.pdf, request.csv or request.xlsx."""
    return pay_file(run_read(request, user, lambda uow: papers.request_paper(uow, request_id)), name)


def pay_file(paper: PayPaper, name: str) -> Response:
    """A pay paper as the file that its name says."""
    writers = {
        "pdf": (pay_pdf, "application/pdf"),
        "csv": (pay_csv, "text/csv; charset=utf-8"),
        "xlsx": (pay_xlsx, XLSX),
    }
    kind = name.rpartition(".")[2]
    if kind not in writers:
        raise Problem(422, "no-paper", f"There is no paper named {name[:40]}.")
    write, media = writers[kind]
    stem = paper.title.replace(" ", "-").lower()
    where = "inline" if kind == "pdf" else "attachment"
    headers = {"Content-Disposition": f'{where}; filename="{stem}.{kind}"'}
    return Response(write(paper), media_type=media, headers=headers)


@router.get("/instructors/{instructor_id}/statement")
def statement(instructor_id: int, request: Request, user: User = Depends(read)) -> StatementOut:
    """What was paid, what is asked for, and what is to be asked for of each run so far."""
    return run_read(request, user, lambda uow: papers.statement(uow, instructor_id))


@router.get("/instructors/{instructor_id}/statement/{name}", response_class=Response)
def statement_file(instructor_id: int, name: str, request: Request, user: User = Depends(read)) -> Response:
    """statement.pdf, statement.csv or statement.xlsx."""
    return pay_file(run_read(request, user, lambda uow: papers.statement_paper(uow, instructor_id)), name)


# --- agreements -------------------------------------------------------------------------------------------


@router.put("/agreement-text")
def set_agreement_text(
    body: AgreementTextCommand, request: Request, user: User = Depends(may("keep settings"))
) -> Done:
    """A new version of the center's own text, with fields in braces; earlier ones are kept."""
    return run_act(request, user, lambda uow: papers.set_text(uow, body))


@router.post("/runs/{run_id}/agreements", status_code=201)
def make_agreement(
    run_id: int,
    body: AgreementCommand,
    request: Request,
    user: User = Depends(keep),
    key: Once | None = Depends(once),
) -> Done:
    return run_act(request, user, lambda uow: papers.make_agreement(uow, run_id, body), once=key)


@router.post("/agreements/{agreement_id}/send", status_code=202)
def send_agreement(
    agreement_id: int, request: Request, user: User = Depends(keep), key: Once | None = Depends(once)
) -> Done:
    """To the instructor, as a PDF."""
    return run_act(request, user, lambda uow: papers.send_agreement(uow, agreement_id), once=key)


@router.post("/agreements/{agreement_id}/signed")
def sign_agreement(
    agreement_id: int, body: OnDayCommand, request: Request, user: User = Depends(keep)
) -> Done:
    return run_act(request, user, lambda uow: papers.sign_agreement(uow, agreement_id, body.on))


@router.get("/agreements/{agreement_id}/agreement.pdf", response_class=Response)
def agreement_file(agreement_id: int, request: Request, user: User = Depends(read)) -> Response:
    paper = run_read(request, user, lambda uow: papers.agreement_paper(uow, agreement_id))
    headers = {"Content-Disposition": 'inline; filename="agreement.pdf"'}
    return Response(agreement_pdf(paper), media_type="application/pdf", headers=headers)
