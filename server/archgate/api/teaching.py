"""Instructors, who teaches what, cover, evaluations, applications, and the center's rules of teaching."""

from __future__ import annotations

from datetime import date

from fastapi import Depends, Request, Response, UploadFile

from archgate.actions.access import own_pages, staff
from archgate.actions.access.staff import User
from archgate.actions.access.views import Said
from archgate.actions.kernel.unit_of_work import Once, act, read_only
from archgate.actions.kernel.views import Done, Outcome
from archgate.actions.schedule import places
from archgate.actions.teaching import (
    applications,
    assigning,
    covering,
    evaluations,
    instructors,
    loads,
    settings,
)
from archgate.actions.teaching.commands import (
    AcceptCommand,
    ApplicationCommand,
    ApplicationNoteCommand,
    ApplyCommand,
    AssignCommand,
    CoverCallCommand,
    CoverCommand,
    EvaluateCommand,
    InstructorCommand,
    MergeInstructorsCommand,
    QuestionsCommand,
    RulesCommand,
    StepInCommand,
    TakeCoverCommand,
)
from archgate.actions.teaching.views import (
    AcceptedOut,
    Applications,
    ApplyPage,
    Candidates,
    CoverPlanOut,
    CoverPlans,
    CoverTaken,
    EvaluatePage,
    EvaluationsOut,
    InstructorOut,
    InstructorsMerged,
    InstructorWeek,
    Questions,
    RulesOut,
    Uncovered,
)
from archgate.api.web import Subject, Token, address_of, may, once, run_act, run_read
from archgate.core.states import ApplicationStatus, Part

router = Subject(tags=["teaching"])
read, keep, plan = may("read"), may("keep teaching"), may("plan runs")


# --- instructors ------------------------------------------------------------------------------------------


@router.get("/instructors")
def list_instructors(request: Request, user: User = Depends(read)) -> list[InstructorOut]:
    return run_read(request, user, instructors.list_instructors)


@router.post("/instructors", status_code=201)
def add_instructor(
    body: InstructorCommand, request: Request, user: User = Depends(keep), key: Once | None = Depends(once)
) -> InstructorOut:
    """Add an instructor: somebody new, or with `person_id` a person who is known already."""
    return run_act(request, user, lambda uow: own_pages.save_instructor(uow, None, body), once=key)


@router.get("/instructors/{instructor_id}")
def get_instructor(instructor_id: int, request: Request, user: User = Depends(read)) -> InstructorOut:
    return run_read(request, user, lambda uow: instructors.instructor_view(uow, instructor_id))


@router.patch("/instructors/{instructor_id}")
def change_instructor(
    instructor_id: int, body: InstructorCommand, request: Request, user: User = Depends(keep)
) -> InstructorOut:
    return run_act(request, user, lambda uow: own_pages.save_instructor(uow, instructor_id, body))


@router.delete("/instructors/{instructor_id}")
def remove_instructor(instructor_id: int, request: Request, user: User = Depends(keep)) -> Done:
    """Take an instructor out whom nothing needs; the person stays."""
    return run_act(request, user, lambda uow: places.remove(uow, "instructor", instructor_id))


@router.post("/instructors/{instructor_id}/merge")
def merge_instructors(
    instructor_id: int,
    body: MergeInstructorsCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(keep),
) -> InstructorsMerged:
    """Put everything of another record onto this one; with `preview` nothing is saved."""
    return run_act(request, user, lambda uow: instructors.merge(uow, instructor_id, body), preview=preview)


@router.get("/instructors/{instructor_id}/week")
def instructor_week(
    instructor_id: int, request: Request, day: date | None = None, user: User = Depends(read)
) -> InstructorWeek:
    """The week of a day, Monday to Sunday: hours, absences, meetings."""
    return run_read(request, user, lambda uow: loads.week_of(uow, instructor_id, day))


@router.put("/instructors/{instructor_id}/picture")
def set_picture(instructor_id: int, file: UploadFile, request: Request, user: User = Depends(keep)) -> Done:
    """A JPEG, PNG or WebP file of at most 8 MB; it is made anew, small and upright."""
    made = instructors.picture_made(file.file.read(instructors.LARGEST_PICTURE + 1))
    return run_act(request, user, lambda uow: instructors.set_picture(uow, instructor_id, made))


@router.delete("/instructors/{instructor_id}/picture")
def drop_picture(instructor_id: int, request: Request, user: User = Depends(keep)) -> Done:
    return run_act(request, user, lambda uow: instructors.set_picture(uow, instructor_id, None))


@router.get("/instructors/{instructor_id}/picture.jpg", response_class=Response)
def picture(instructor_id: int, request: Request, user: User = Depends(read)) -> Response:
    found = run_read(request, user, lambda uow: instructors.picture_of(uow, instructor_id))
    return Response(found.getvalue(), media_type="image/jpeg")


@router.get("/instructors/{instructor_id}/evaluations")
def instructor_evaluations(
    instructor_id: int, request: Request, user: User = Depends(read)
) -> EvaluationsOut:
    """What learners said, with counts and spread; nothing below the smallest number of answers."""
    return run_read(request, user, lambda uow: evaluations.evaluations_of(uow, instructor_id))


# --- who teaches what -------------------------------------------------------------------------------------


@router.get("/runs/{run_id}/candidates")
def candidates(
    run_id: int,
    request: Request,
    pattern_n: int | None = None,
    meeting_id: int | None = None,
    part: Part = Part.LEAD,
    user: User = Depends(read),
) -> Candidates:
    """Everybody who might teach a run, a pattern's coming meetings or one meeting; best first, each with why."""
    return run_read(request, user, lambda uow: assigning.candidates(uow, run_id, pattern_n, meeting_id, part))


@router.put("/runs/{run_id}/teachers")
def assign(
    run_id: int,
    body: AssignCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Outcome:
    """Put people to teach a run, a pattern or a meeting, each with a part; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: assigning.assign(uow, run_id, body),
        preview=preview, once=None if preview else key,
    )  # fmt: skip


# --- cover ------------------------------------------------------------------------------------------------


@router.get("/cover")
def uncovered(
    request: Request,
    first: date | None = None,
    last: date | None = None,
    instructor_id: int | None = None,
    user: User = Depends(read),
) -> Uncovered:
    """The meetings that somebody's absence would uncover; without `instructor_id` those that have nobody. Without days: those
    of the absence that is written down, else a week, and a quarter for meetings that have nobody."""
    return run_read(request, user, lambda uow: covering.uncovered(uow, instructor_id, first, last))


@router.get("/cover-plans")
def cover_plans(request: Request, user: User = Depends(read)) -> CoverPlans:
    return run_read(request, user, covering.plans)


@router.post("/cover-plans", status_code=201)
def ask_for_cover(
    body: CoverCommand, request: Request, user: User = Depends(plan), key: Once | None = Depends(once)
) -> CoverPlanOut:
    """Ask for a proposal, and with `absence` write down that somebody is away. The worker works it out."""
    return run_act(request, user, lambda uow: covering.ask_for(uow, body), once=key)


@router.get("/cover-plans/{cover_id}")
def cover_plan(cover_id: int, request: Request, user: User = Depends(read)) -> CoverPlanOut:
    return run_read(request, user, lambda uow: covering.plan_view(uow, covering.get_plan(uow, cover_id)))


@router.post("/cover-plans/{cover_id}/take")
def take_cover(
    cover_id: int,
    body: TakeCoverCommand,
    request: Request,
    user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> CoverTaken:
    """Put those of a proposal to teach, all or some; each is looked at again first."""
    return run_act(request, user, lambda uow: covering.take(uow, cover_id, body), once=key)


@router.put("/meetings/{meeting_id}/cover-calls/{instructor_id}")
def note_cover_call(
    meeting_id: int, instructor_id: int, body: CoverCallCommand, request: Request, user: User = Depends(plan)
) -> Done:
    """Asked, accepted or declined; again takes its place."""
    return run_act(request, user, lambda uow: covering.note_call(uow, meeting_id, instructor_id, body))


@router.post("/meetings/{meeting_id}/step-in")
def step_in(
    meeting_id: int,
    body: StepInCommand,
    request: Request,
    user: User = Depends(plan),
    key: Once | None = Depends(once),
) -> Done:
    """Whoever accepted takes the meeting, in the place of who is away."""
    return run_act(
        request,
        user,
        lambda uow: covering.step_in(uow, meeting_id, body.away_id, body.instructor_id),
        once=key,
    )


# --- evaluations ------------------------------------------------------------------------------------------


@router.put("/evaluation-questions")
def set_evaluation_questions(
    body: QuestionsCommand, request: Request, user: User = Depends(may("keep settings"))
) -> Questions:
    return run_act(request, user, lambda uow: evaluations.set_questions(uow, body))


@router.get("/evaluate/{token}")
def evaluate_page(token: Token, request: Request) -> EvaluatePage:
    """What a learner sees behind the link of a letter."""
    return read_only(request.app.state.sessions, lambda uow: evaluations.page(uow, token))


@router.get("/evaluate/{token}/{instructor_id}.jpg", response_class=Response)
def evaluate_picture(token: Token, instructor_id: int, request: Request) -> Response:
    """The picture of somebody who is asked about."""
    found = read_only(request.app.state.sessions, lambda uow: evaluations.picture(uow, token, instructor_id))
    return Response(found.getvalue(), media_type="image/jpeg")


@router.post("/evaluate/{token}")
def evaluate(token: Token, body: EvaluateCommand, request: Request) -> EvaluatePage:
    """A learner's answers, once, kept without their name."""
    return act(request.app.state.sessions, lambda uow: evaluations.answer(uow, token, body))


# --- applications and rules -------------------------------------------------------------------------------


@router.get("/apply")
def apply_page(request: Request) -> ApplyPage:
    """Whether applications to teach are taken, and what is asked."""
    return read_only(request.app.state.sessions, applications.page)


@router.post("/apply", status_code=202)
def apply_to_teach(body: ApplyCommand, request: Request) -> Said:
    """Apply to teach. The answer is the same whether the center knows the applicant or not."""
    sessions = request.app.state.sessions
    limits = staff.limits_of(f"apply {body.email}", address_of(request), None)
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    act(sessions, lambda uow: applications.apply(uow, body))
    return Said(said="Thank you: your application has arrived. We will write to you.")


@router.get("/applications")
def list_applications(
    request: Request,
    status: ApplicationStatus | None = None,
    before: int | None = None,
    user: User = Depends(read),
) -> Applications:
    return run_read(request, user, lambda uow: applications.listed(uow, status, before))


@router.patch("/applications/{application_id}")
def set_application(
    application_id: int, body: ApplicationCommand, request: Request, user: User = Depends(keep)
) -> Done:
    return run_act(request, user, lambda uow: applications.set_status(uow, application_id, body))


@router.post("/applications/{application_id}/notes", status_code=201)
def note_on_application(
    application_id: int, body: ApplicationNoteCommand, request: Request, user: User = Depends(keep)
) -> Done:
    return run_act(request, user, lambda uow: applications.add_note(uow, application_id, body))


@router.post("/applications/{application_id}/instructor", status_code=201)
def accept_application(
    application_id: int,
    body: AcceptCommand,
    request: Request,
    user: User = Depends(keep),
    key: Once | None = Depends(once),
) -> AcceptedOut:
    """From an application to an instructor, and to an own page, in one step."""
    return run_act(request, user, lambda uow: own_pages.accept(uow, application_id, body), once=key)


@router.get("/teaching-rules")
def teaching_rules(request: Request, user: User = Depends(read)) -> RulesOut:
    return run_read(request, user, settings.shown)


@router.patch("/teaching-rules")
def change_teaching_rules(
    body: RulesCommand, request: Request, user: User = Depends(may("keep settings"))
) -> RulesOut:
    return run_act(request, user, lambda uow: settings.change(uow, body))
