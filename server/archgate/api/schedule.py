"""Dates and lives of runs: meetings, moves, copies, seasons, clashes, decisions; the planner and calendars."""

from __future__ import annotations

import datetime
from typing import Annotated
from urllib.parse import quote

from fastapi import Depends, Path, Request, Response, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.across import planner
from archgate.actions.across.views import DaySheet, MonthList, PlannerOut
from archgate.actions.kernel.unit_of_work import Once, read_only
from archgate.actions.kernel.views import ClashOut, Done, Outcome
from archgate.actions.runs import copying, lifecycle, moving, patterns, season
from archgate.actions.runs.commands import (
    CancelMeetingCommand,
    CancelRunCommand,
    CopyCommand,
    DatesCommand,
    DecideCommand,
    ExtendCommand,
    MeetingPatch,
    MoveRunCommand,
    SeasonCommand,
)
from archgate.actions.runs.views import Copied, Figures, FileOut, PlannedDates, Season, Slot
from archgate.actions.schedule import calendars, kept_clashes
from archgate.actions.schedule.commands import AcceptClashCommand, EndPatternCommand, OneOffForm, PatternForm
from archgate.actions.schedule.views import FeedOut
from archgate.api.web import Subject, Token, may, once, run_act, run_read

router = Subject(tags=["schedule"])
read, plan = may("read"), may("plan runs")


# --- meetings and whole runs ------------------------------------------------------------------------------


@router.post("/runs/{run_id}/meetings")
def add_meeting(
    run_id: int, body: OneOffForm, request: Request, preview: bool = False, user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Outcome:  # fmt: skip
    """Add a one-off meeting; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: moving.add_meeting(uow, run_id, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


@router.patch("/meetings/{meeting_id}")
def change_meetings(
    meeting_id: int, body: MeetingPatch, request: Request, preview: bool = False, user: User = Depends(plan)
) -> Outcome:
    """Change one meeting, it and all later ones, or all; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: moving.change_meetings(uow, meeting_id, body), preview=preview)


@router.post("/meetings/{meeting_id}/cancel")
def cancel_meeting(
    meeting_id: int,
    body: CancelMeetingCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(plan),
) -> Outcome:
    """Cancel one meeting, held on another date instead or not at all."""
    return run_act(request, user, lambda uow: moving.cancel_meeting(uow, meeting_id, body), preview=preview)


@router.get("/meetings/{meeting_id}/free")
def free_slots(meeting_id: int, request: Request, user: User = Depends(read)) -> list[Slot]:
    """The next free times for a meeting's instructor and place."""
    return run_read(request, user, lambda uow: moving.suggest(uow, meeting_id))


@router.post("/runs/{run_id}/move")
def move_run(
    run_id: int, body: MoveRunCommand, request: Request, preview: bool = False, user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Outcome:  # fmt: skip
    """Move a whole run; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: moving.move_run(uow, run_id, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


@router.post("/runs/{run_id}/extend")
def extend_run(
    run_id: int, body: ExtendCommand, request: Request, preview: bool = False, user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Outcome:  # fmt: skip
    """Make a run longer at its end; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: moving.extend_run(uow, run_id, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


@router.post("/runs/{run_id}/patterns", status_code=201)
def add_pattern(
    run_id: int, body: PatternForm, request: Request, preview: bool = False, user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Outcome:  # fmt: skip
    """One meeting pattern more; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: patterns.add_pattern(uow, run_id, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


@router.put("/runs/{run_id}/patterns/{n}")
def change_pattern(
    run_id: int,
    n: int,
    body: PatternForm,
    request: Request,
    preview: bool = False,
    user: User = Depends(plan),
) -> Outcome:
    """A pattern becomes another for all that is ahead; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: patterns.change_pattern(uow, run_id, n, body), preview=preview)


@router.post("/runs/{run_id}/patterns/{n}/end")
def end_pattern(
    run_id: int, n: int, body: EndPatternCommand, request: Request, preview: bool = False,
    user: User = Depends(plan),
) -> Outcome:  # fmt: skip
    """A pattern ends with a day; its later meetings fall out."""
    return run_act(
        request, user, lambda uow: patterns.end_pattern(uow, run_id, n, body.last), preview=preview
    )


# --- many runs at once ------------------------------------------------------------------------------------


@router.post("/copies")
def copy_runs(
    body: CopyCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Copied:
    """Copy runs as drafts to new dates; with `preview` nothing is saved."""
    return run_act(
        request,
        user,
        lambda uow: copying.copy_runs(uow, body),
        preview=preview,
        once=None if preview else key,
    )


@router.post("/season/judge")
def judge_season(body: SeasonCommand, request: Request, user: User = Depends(plan)) -> Season:
    """Dates, faults and clashes of a season table; nothing is saved."""
    return run_act(request, user, lambda uow: season.plan_season(uow, body, False), preview=True)


@router.post("/season")
def plan_season(
    body: SeasonCommand, request: Request, user: User = Depends(plan), key: Once | None = Depends(once)
) -> Season:
    """Make every row of a season table a draft; all of them, or none."""
    return run_act(request, user, lambda uow: season.plan_season(uow, body, True), once=key)


# --- clashes ----------------------------------------------------------------------------------------------


@router.get("/clashes")
def list_clashes(request: Request, user: User = Depends(read)) -> list[ClashOut]:
    """Every clash from now on, by time; accepted ones too."""
    return run_read(request, user, kept_clashes.of_center)


@router.post("/clashes/accept")
def accept_clash(body: AcceptClashCommand, request: Request, user: User = Depends(plan)) -> Done:
    """Let a clash stand, with the reason."""
    return run_act(request, user, lambda uow: kept_clashes.accept(uow, body))


@router.post("/clashes/reopen")
def reopen_clash(body: AcceptClashCommand, request: Request, user: User = Depends(plan)) -> Done:
    return run_act(request, user, lambda uow: kept_clashes.reopen(uow, body.key))


@router.post("/schedule/plan")
def plan_dates(body: DatesCommand, request: Request, user: User = Depends(plan)) -> PlannedDates:
    """The dates that a form gives with the center's closed days, and their clashes; nothing is saved."""
    return run_act(request, user, lambda uow: season.plan_dates(uow, body), preview=True)


# --- the life of a run ------------------------------------------------------------------------------------


@router.get("/runs/{run_id}/figures")
def decision_figures(run_id: int, request: Request, user: User = Depends(read)) -> Figures:
    return run_read(request, user, lambda uow: lifecycle.figures(uow, lifecycle.get_run(uow, run_id)))


@router.post("/runs/{run_id}/decision")
def decide(
    run_id: int, body: DecideCommand, request: Request, preview: bool = False, user: User = Depends(plan)
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.decide(uow, run_id, body), preview=preview)


@router.post("/runs/{run_id}/off-sale")
def take_off_sale(
    run_id: int, request: Request, preview: bool = False, user: User = Depends(may("publish"))
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.set_sale(uow, run_id, False), preview=preview)


@router.post("/runs/{run_id}/on-sale")
def put_on_sale(
    run_id: int, request: Request, preview: bool = False, user: User = Depends(may("publish"))
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.set_sale(uow, run_id, True), preview=preview)


@router.post("/runs/{run_id}/cancel")
def cancel_run(
    run_id: int,
    body: CancelRunCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("publish")),
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.cancel_run(uow, run_id, body.why), preview=preview)


@router.post("/runs/{run_id}/archive")
def archive_run(
    run_id: int, request: Request, preview: bool = False, user: User = Depends(may("publish"))
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.archive(uow, run_id), preview=preview)


@router.post("/runs/{run_id}/bring-back")
def bring_back_run(
    run_id: int, request: Request, preview: bool = False, user: User = Depends(may("publish"))
) -> Outcome:
    return run_act(request, user, lambda uow: lifecycle.bring_back(uow, run_id), preview=preview)


@router.post("/runs/{run_id}/files", status_code=201)
def attach_file(run_id: int, file: UploadFile, request: Request, user: User = Depends(plan)) -> FileOut:
    """Keep the contract of a contract run: PDF, PNG or JPEG."""
    content = file.file.read()
    return run_act(request, user, lambda uow: lifecycle.attach(uow, run_id, file.filename or "", content))


@router.get("/files/{file_id}", response_class=Response)
def get_file(file_id: int, request: Request, user: User = Depends(read)) -> Response:
    name, media, content = run_read(request, user, lambda uow: lifecycle.file_of(uow, file_id))
    disposition = f"attachment; filename*=UTF-8''{quote(name)}"
    return Response(content, media_type=media, headers={"Content-Disposition": disposition})


@router.delete("/files/{file_id}")
def take_off_file(file_id: int, request: Request, user: User = Depends(plan)) -> Outcome:
    """Take a file off its run."""
    return run_act(request, user, lambda uow: lifecycle.take_off_file(uow, file_id))


# --- the planner and calendars ----------------------------------------------------------------------------


@router.get("/planner")
def get_planner(
    since: datetime.date, until: datetime.date, request: Request, user: User = Depends(read)
) -> PlannerOut:
    return run_read(request, user, lambda uow: planner.planner(uow, since, until))


@router.get("/days/{day}")
def get_day(day: datetime.date, request: Request, user: User = Depends(read)) -> DaySheet:
    """Everything held on a day, for the doors."""
    return run_read(request, user, lambda uow: planner.day_sheet(uow, day))


@router.get("/months/{month}")
def get_month(
    month: Annotated[str, Path(pattern=r"^(19[7-9]\d|20\d\d|21\d\d)-(0[1-9]|1[0-2])$")],
    request: Request,
    user: User = Depends(read),
) -> MonthList:
    return run_read(request, user, lambda uow: planner.month_list(uow, month))


@router.put("/feeds/{kind}/{subject_id}")
def get_feed(
    kind: str, subject_id: int, request: Request, renew: bool = False, user: User = Depends(plan)
) -> FeedOut:
    """The secret address of a calendar, made when first asked for; `renew` ends the old one."""
    return run_act(request, user, lambda uow: calendars.feed_of(uow, kind, subject_id, renew))


@router.get("/calendars/{token}.ics", response_class=Response)
def get_calendar(token: Token, request: Request) -> Response:
    """A calendar by its secret address: whoever knows it may read it, nothing else."""
    content = read_only(request.app.state.sessions, lambda uow: calendars.feed_content(uow, token))
    return Response(content, media_type="text/calendar; charset=utf-8")
