"""Courses and runs that instructors prepare: by themselves on their own page, and by the office that publishes, returns or finishes."""

from __future__ import annotations

from fastapi import Depends, Request, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.courses import files
from archgate.actions.courses.commands import MarkdownCommand, TextPatch
from archgate.actions.courses.views import MarkdownOut, PictureOut
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.teaching import preparing, preparing_runs, reviewing
from archgate.actions.teaching.commands import (
    HandInCommand,
    OwnMeetingPatch,
    OwnRunCommand,
    OwnRunPatch,
    PrepareCommand,
    ReturnCommand,
    TitleCommand,
)
from archgate.actions.teaching.preparing_views import (
    CoursePreparation,
    OwnCourses,
    OwnPreparation,
    PreparationDone,
    Preparations,
)
from archgate.api.teaching_own import own_act, own_read, teaches
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.markdown import html_of

router = Subject(tags=["preparing"])
TEACHES = [Depends(teaches)]
MINE = "/own/teaching/preparations"


# --- by instructors -------------------------------------------------------------------------------------------


@router.get("/own/teaching/courses", dependencies=TEACHES)
def own_courses(request: Request) -> OwnCourses:
    """One's own courses, where their preparation stands, and what one may prepare."""
    return own_read(request, preparing.listed)


@router.post(MINE, status_code=201, dependencies=TEACHES)
def begin_preparation(body: PrepareCommand, request: Request) -> OwnPreparation:
    """Begin to prepare one of one's own courses, or a new one."""
    return own_act(request, lambda uow, person: preparing.begin(uow, person, body))


@router.get(MINE + "/{preparation_id}", dependencies=TEACHES)
def own_preparation(preparation_id: int, request: Request) -> OwnPreparation:
    return own_read(request, lambda uow, person: preparing.prepared(uow, person, preparation_id))


@router.patch(MINE + "/{preparation_id}/text", dependencies=TEACHES)
def write_preparation(preparation_id: int, body: TextPatch, request: Request) -> OwnPreparation:
    """Save fields of the course's draft, as far as the center allows; what was changed meanwhile conflicts."""
    return own_act(request, lambda uow, person: preparing.write(uow, person, preparation_id, body))


@router.put(MINE + "/{preparation_id}/title", dependencies=TEACHES)
def retitle_preparation(preparation_id: int, body: TitleCommand, request: Request) -> OwnPreparation:
    """Call a course that is not public yet otherwise."""
    return own_act(request, lambda uow, person: preparing.retitle(uow, person, preparation_id, body))


@router.post(MINE + "/{preparation_id}/pictures", status_code=201, dependencies=TEACHES)
def add_own_picture(preparation_id: int, file: UploadFile, request: Request) -> PictureOut:
    """Add a picture to what the course's text can show; it is made anew in two sizes."""
    own_read(request, lambda uow, person: preparing.prepared(uow, person, preparation_id))
    made = files.sizes_made(file.file.read(files.LARGEST + 1))
    return own_act(request, lambda uow, person: preparing.add_picture(uow, person, preparation_id, made))


@router.post("/own/teaching/markdown", dependencies=TEACHES)
def show_own_markdown(body: MarkdownCommand, request: Request) -> MarkdownOut:
    """What one writes in Markdown, as the public would see it."""
    return own_read(request, lambda uow, person: MarkdownOut(html=html_of(body.text)))


@router.post(MINE + "/{preparation_id}/hand-in", dependencies=TEACHES)
def hand_in(preparation_id: int, body: HandInCommand, request: Request) -> OwnPreparation:
    """Hand what was prepared to the office."""
    return own_act(request, lambda uow, person: preparing.hand_in(uow, person, preparation_id, body))


@router.post(MINE + "/{preparation_id}/take-back", dependencies=TEACHES)
def take_preparation_back(preparation_id: int, request: Request) -> OwnPreparation:
    """Take back what was handed in, before anybody has decided."""
    return own_act(request, lambda uow, person: preparing.take_back(uow, person, preparation_id))


@router.post(MINE + "/{preparation_id}/publish", dependencies=TEACHES)
def publish_own(preparation_id: int, request: Request) -> OwnCourses:
    """Publish without the office, for those whom the center trusts with it."""
    return own_act(request, lambda uow, person: preparing.publish_own(uow, person, preparation_id))


@router.delete(MINE + "/{preparation_id}", dependencies=TEACHES)
def drop_preparation(preparation_id: int, request: Request) -> OwnCourses:
    """Give a preparation up: its draft runs are put away, and what one wrote is taken back."""
    return own_act(request, lambda uow, person: preparing.drop(uow, person, preparation_id))


@router.post(MINE + "/{preparation_id}/runs", status_code=201, dependencies=TEACHES)
def prepare_run(preparation_id: int, body: OwnRunCommand, request: Request) -> OwnPreparation:
    """Prepare a run of the course, taught by oneself."""
    return own_act(request, lambda uow, person: preparing_runs.add_run(uow, person, preparation_id, body))


@router.patch(MINE + "/{preparation_id}/runs/{run_id}", dependencies=TEACHES)
def change_prepared_run(
    preparation_id: int, run_id: int, body: OwnRunPatch, request: Request
) -> OwnPreparation:
    """Change facts of a run that is prepared, its price where they may, or plan its meetings anew."""
    return own_act(
        request, lambda uow, person: preparing_runs.change_run(uow, person, preparation_id, run_id, body)
    )


@router.patch(MINE + "/{preparation_id}/runs/{run_id}/meetings/{meeting_id}", dependencies=TEACHES)
def change_prepared_date(
    preparation_id: int, run_id: int, meeting_id: int, body: OwnMeetingPatch, request: Request
) -> OwnPreparation:
    """Put one date of a prepared run elsewhere."""
    return own_act(
        request,
        lambda uow, person: preparing_runs.change_date(uow, person, preparation_id, run_id, meeting_id, body),
    )


@router.delete(MINE + "/{preparation_id}/runs/{run_id}/meetings/{meeting_id}", dependencies=TEACHES)
def leave_prepared_date_out(
    preparation_id: int, run_id: int, meeting_id: int, request: Request
) -> OwnPreparation:
    """Take one date out of a prepared run."""
    return own_act(
        request,
        lambda uow, person: preparing_runs.leave_out(uow, person, preparation_id, run_id, meeting_id),
    )


@router.delete(MINE + "/{preparation_id}/runs/{run_id}", dependencies=TEACHES)
def drop_prepared_run(preparation_id: int, run_id: int, request: Request) -> OwnPreparation:
    """Put a run away that was prepared."""
    return own_act(request, lambda uow, person: preparing_runs.drop_run(uow, person, preparation_id, run_id))


# --- by the office --------------------------------------------------------------------------------------------


@router.get("/preparations")
def list_preparations(request: Request, user: User = Depends(may("read"))) -> Preparations:
    """What is in preparation, by whom and in what state; what was handed in first."""
    return run_read(request, user, reviewing.in_preparation)


@router.get("/courses/{course_id}/preparation")
def course_preparation(
    course_id: int, request: Request, user: User = Depends(may("read"))
) -> CoursePreparation:
    """The preparation that a course stands in, with what changed word by word and its runs."""
    return run_read(request, user, lambda uow: reviewing.of_course(uow, course_id))


@router.post("/preparations/{preparation_id}/publish")
def publish_preparation(
    preparation_id: int,
    request: Request,
    user: User = Depends(may("publish")),
    key: Once | None = Depends(once),
) -> PreparationDone:
    """Publish the course as it was handed in, with its runs: all of it, or nothing."""
    return run_act(request, user, lambda uow: reviewing.publish(uow, preparation_id), once=key)


@router.post("/preparations/{preparation_id}/return")
def return_preparation(
    preparation_id: int,
    body: ReturnCommand,
    request: Request,
    user: User = Depends(may("keep courses")),
    key: Once | None = Depends(once),
) -> PreparationDone:
    """Return what was handed in, with what is to be changed."""
    return run_act(request, user, lambda uow: reviewing.send_back(uow, preparation_id, body), once=key)


@router.post("/preparations/{preparation_id}/finish")
def finish_preparation(
    preparation_id: int,
    request: Request,
    user: User = Depends(may("keep courses")),
    key: Once | None = Depends(once),
) -> PreparationDone:
    """Go on with a preparation at the office, in whoever's hand it is."""
    return run_act(request, user, lambda uow: reviewing.finish(uow, preparation_id), once=key)
