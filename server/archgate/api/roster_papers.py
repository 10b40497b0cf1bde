"""What leaves a roster: files, papers, letters, and its comparison with another list."""

from __future__ import annotations

from fastapi import Depends, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.enrolling import roster
from archgate.actions.enrolling.commands import CompareCommand, PaperCommand, TellCommand
from archgate.actions.enrolling.roster_views import RosterCompared, TellDone
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.core.states import PaperKind
from archgate.papers import rosters as papers
from archgate.papers.lists import csv_file

router = Subject(tags=["roster"])
MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


@router.post("/runs/{run_id}/compare")
def compare_roster(
    run_id: int, body: CompareCommand, request: Request, user: User = Depends(may("read"))
) -> RosterCompared:
    """The roster beside a pasted list. Nothing is written."""
    return run_read(request, user, lambda uow: roster.compare(uow, run_id, body.text))


@router.post("/runs/{run_id}/roster-file", response_class=Response)
def roster_file(
    run_id: int, body: PaperCommand, request: Request, user: User = Depends(may("read"))
) -> Response:
    """The roster, or those chosen of it, as a file or a paper."""
    return file_of(request, user, run_id, body)


@router.get("/runs/{run_id}/papers/{kind}", response_class=Response)
def roster_paper(
    run_id: int,
    kind: str,
    request: Request,
    meeting_id: int | None = None,
    remarks: bool = False,
    health: bool = False,
    user: User = Depends(may("read")),
) -> Response:
    """The whole roster: roster.csv, roster.xlsx, sign-in.pdf, badges.pdf or contacts.pdf."""
    name = kind.removesuffix(".pdf").removeprefix("roster.")
    if name not in tuple(PaperKind):
        raise Problem(422, "no-paper", f"There is no paper named {name[:40]}.")
    command = PaperCommand(kind=PaperKind(name), meeting_id=meeting_id, remarks=remarks, health=health)
    return file_of(request, user, run_id, command)


def file_of(request: Request, user: User, run_id: int, body: PaperCommand) -> Response:
    ids = body.enrollment_ids
    if body.kind in MEDIA:
        code, lines = run_read(
            request, user, lambda uow: roster.lines_of(uow, run_id, ids, body.remarks, body.health)
        )
        data: str | bytes = csv_file(lines) if body.kind == "csv" else papers.xlsx_of(code, lines)
        headers = {"Content-Disposition": f'attachment; filename="roster.{body.kind}"'}
        return Response(data, media_type=MEDIA[body.kind], headers=headers)
    content = run_read(
        request,
        user,
        lambda uow: roster.paper_of(uow, run_id, body.kind, body.meeting_id, body.remarks, ids, body.health),
    )
    headers = {"Content-Disposition": f'inline; filename="{body.kind}.pdf"'}
    return Response(papers.pdf_of(body.kind, content), media_type="application/pdf", headers=headers)


@router.post("/runs/{run_id}/tell")
def tell(
    run_id: int,
    body: TellCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
    preview: bool = False,
) -> TellDone:
    """Write to everybody on a roster, or to those chosen. In a preview nothing is written."""
    return run_act(
        request,
        user,
        lambda uow: roster.tell(uow, run_id, body.subject, body.body, body.enrollment_ids),
        once=key,
        preview=preview,
    )
