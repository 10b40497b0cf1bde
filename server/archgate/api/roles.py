"""Roles, groups and attendance on a roster, the desk notice, and the roster beside another list."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request, Response
from pydantic import BaseModel

from archgate.actions.access.staff import User
from archgate.actions.enrolling import attendance, groups, on_many, roles, roster
from archgate.actions.kernel import lookups
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.runs import notices
from archgate.api.web import In, Route, may, once, run_act, run_look
from archgate.papers import rosters as papers
from archgate.papers.lists import csv_file

router = APIRouter(tags=["roster"], route_class=Route)


class RoleIn(In):
    """`role` is assistant, instructor or observer."""

    person_id: int
    role: str


class RoleChange(In):
    role: str


class WithRole(BaseModel):
    change: str
    enrollment_id: int
    name: str
    role: str
    run_id: int


class GroupIn(In):
    """Without a name, out of their groups."""

    name: str | None = None
    enrollment_ids: list[int]


class GroupOut(BaseModel):
    id: int
    name: str
    people: int


class Grouped(BaseModel):
    change: str
    people: int
    groups: list[GroupOut]


class Held(BaseModel):
    id: int
    date: str
    start: str
    past: bool


class Attending(BaseModel):
    """`marks` by meeting; `share` is the percent of the marked meetings that were attended, excused ones left out."""

    person_id: int
    enrollment_id: int
    name: str
    marks: dict[str, str]
    share: str | None


class AttendanceOut(BaseModel):
    run_id: int
    code: str
    marks: list[str]
    meetings: list[Held]
    people: list[Attending]


class AttendanceDone(AttendanceOut):
    change: str


class MarksIn(In):
    """By person: present, late, left early, excused, absent, or null to take a mark back."""

    marks: dict[int, str | None]
    anyway: bool = False


class CompareIn(In):
    """Names or emails, one a line."""

    text: str


class Unlisted(BaseModel):
    person_id: int
    name: str
    way_in: str


class RosterCompared(BaseModel):
    """`without` are on the roster and not on the list, `missing` the other way round."""

    run_id: int
    without: list[Unlisted]
    missing: list[str]
    both: int


class NoticeIn(In):
    text: str


class NoticeRead(In):
    version: int


class NoticeOut(BaseModel):
    """`seen`: whoever looks has acknowledged this version."""

    text: str
    version: int
    seen: bool


class NoticeDone(NoticeOut):
    change: str | None


class TellIn(In):
    """Those chosen, or everybody on the roster when none is named."""

    subject: str
    body: str
    enrollment_ids: list[int] | None = None


class TellDone(BaseModel):
    """`without` have no email and are called instead."""

    change: str
    told: int
    without: list[str]


@router.post("/runs/{run_id}/roles", status_code=201)
def add_with_role(
    run_id: int,
    body: RoleIn,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> WithRole:
    """Put somebody on a roster who is no learner: without seat and price."""
    return run_act(
        request, user, lambda deed: roles.add_with_role(deed, run_id, body.person_id, body.role), once=key
    )


@router.put("/enrollments/{enrollment_id}/role")
def set_role(
    enrollment_id: int, body: RoleChange, request: Request, user: User = Depends(may("enroll"))
) -> WithRole:
    return run_act(request, user, lambda deed: roles.set_role(deed, enrollment_id, body.role))


@router.post("/enrollments/{enrollment_id}/take-off")
def take_off(enrollment_id: int, request: Request, user: User = Depends(may("enroll"))) -> WithRole:
    """Take somebody who is no learner off a roster."""
    return run_act(request, user, lambda deed: roles.take_off(deed, enrollment_id))


@router.post("/runs/{run_id}/groups")
def put_in_group(
    run_id: int, body: GroupIn, request: Request, user: User = Depends(may("enroll"))
) -> Grouped:
    """Put people of a roster into a group, made when first named."""
    return run_act(
        request, user, lambda deed: groups.put_in_group(deed, run_id, body.name, body.enrollment_ids)
    )


@router.get("/runs/{run_id}/attendance")
def get_attendance(run_id: int, request: Request, user: User = Depends(may("read"))) -> AttendanceOut:
    return run_look(request, user, lambda deed: attendance.attendance(deed, run_id))


@router.put("/meetings/{meeting_id}/attendance")
def mark(
    meeting_id: int, body: MarksIn, request: Request, user: User = Depends(may("enroll"))
) -> AttendanceDone:
    """Say who was at a meeting."""
    return run_act(request, user, lambda deed: attendance.mark(deed, meeting_id, body.marks, body.anyway))


@router.post("/runs/{run_id}/compare")
def compare_roster(
    run_id: int, body: CompareIn, request: Request, user: User = Depends(may("read"))
) -> RosterCompared:
    """The roster beside a pasted list. Nothing is written."""
    return run_look(request, user, lambda deed: roster.compare(deed, run_id, body.text))


@router.get("/runs/{run_id}/notice")
def get_notice(run_id: int, request: Request, user: User = Depends(may("read"))) -> NoticeOut:
    """The desk notice of a run."""
    return run_look(request, user, lambda deed: notices.notice_of(deed, lookups.get_run(deed, run_id)))


@router.put("/runs/{run_id}/notice")
def set_notice(
    run_id: int, body: NoticeIn, request: Request, user: User = Depends(may("plan runs"))
) -> NoticeDone:
    """Put up another desk notice, or none; it has to be read anew."""
    return run_act(request, user, lambda deed: notices.set_notice(deed, run_id, body.text))


@router.post("/runs/{run_id}/notice/read")
def acknowledge(
    run_id: int, body: NoticeRead, request: Request, user: User = Depends(may("enroll"))
) -> NoticeOut:
    """Say that this version was read."""
    return run_act(request, user, lambda deed: notices.acknowledge(deed, run_id, body.version))


class ManyIn(In):
    enrollment_ids: list[int]
    why: str = ""


class MoveManyIn(In):
    enrollment_ids: list[int]
    to_run_id: int


class OneOfMany(BaseModel):
    enrollment_id: int
    name: str
    kept: str
    credit: str
    owed: str
    why: str


class ManyDone(BaseModel):
    """What it does to each, and to all together."""

    change: str
    currency: str
    people: list[OneOfMany]
    kept: str
    credit: str
    owed: str


class ManyMoved(ManyDone):
    to: str
    to_run_id: int


class FileIn(In):
    """`kind` is csv, xlsx, sign-in, badges or contacts; of those chosen, or all. Remarks only where ticked."""

    kind: str
    enrollment_ids: list[int] | None = None
    meeting_id: int | None = None
    remarks: bool = False


@router.post("/runs/{run_id}/withdraw-many")
def withdraw_many(
    run_id: int,
    body: ManyIn,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> ManyDone:
    """Withdraw everybody chosen, each by the refund policy; with `preview` nothing is saved."""
    return run_act(
        request,
        user,
        lambda deed: on_many.withdraw(deed, run_id, body.enrollment_ids, body.why),
        once=key,
        preview=preview,
    )


@router.post("/runs/{run_id}/move-many")
def move_many(
    run_id: int,
    body: MoveManyIn,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> ManyMoved:
    """Move everybody chosen to another run, the money with them; with `preview` nothing is saved."""
    return run_act(
        request,
        user,
        lambda deed: on_many.move(deed, run_id, body.enrollment_ids, body.to_run_id),
        once=key,
        preview=preview,
    )


@router.post("/runs/{run_id}/roster-file", response_class=Response)
def roster_file(run_id: int, body: FileIn, request: Request, user: User = Depends(may("read"))) -> Response:
    """The roster, or those chosen of it, as a file or a paper."""
    return file_of(request, user, run_id, body)


@router.get("/runs/{run_id}/papers/{kind}", response_class=Response)
def roster_paper(
    run_id: int,
    kind: str,
    request: Request,
    meeting_id: int | None = None,
    remarks: bool = False,
    user: User = Depends(may("read")),
) -> Response:
    """The whole roster: roster.csv, roster.xlsx, sign-in.pdf, badges.pdf or contacts.pdf."""
    name = kind.removesuffix(".pdf").removeprefix("roster.")
    return file_of(request, user, run_id, FileIn(kind=name, meeting_id=meeting_id, remarks=remarks))


MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


def file_of(request: Request, user: User, run_id: int, body: FileIn) -> Response:
    ids = body.enrollment_ids
    if body.kind in MEDIA:
        code, lines = run_look(request, user, lambda deed: roster.lines_of(deed, run_id, ids, body.remarks))
        data: str | bytes = csv_file(lines) if body.kind == "csv" else papers.xlsx_of(code, lines)
        headers = {"Content-Disposition": f'attachment; filename="roster.{body.kind}"'}
        return Response(data, media_type=MEDIA[body.kind], headers=headers)
    if body.kind not in papers.PAPERS:
        raise Problem(422, "no-paper", f"There is no paper named {body.kind[:40]}.")
    held = run_look(
        request,
        user,
        lambda deed: roster.paper_of(deed, run_id, body.kind, body.meeting_id, body.remarks, ids),
    )
    headers = {"Content-Disposition": f'inline; filename="{body.kind}.pdf"'}
    return Response(papers.pdf_of(body.kind, held), media_type="application/pdf", headers=headers)


@router.post("/runs/{run_id}/tell")
def tell(
    run_id: int,
    body: TellIn,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> TellDone:
    """Write to everybody on a roster, or to those chosen."""
    return run_act(
        request,
        user,
        lambda deed: roster.tell(deed, run_id, body.subject, body.body, body.enrollment_ids),
        once=key,
    )
