"""What is answered about teaching."""

from __future__ import annotations

from datetime import date

from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.actions.kernel.views import ClashOut
from archgate.actions.schedule.commands import HoursForm
from archgate.actions.schedule.views import BusyOut
from archgate.core.states import (
    AgreementStatus,
    ApplicationStatus,
    CoverAim,
    CoverAnswer,
    CoverStatus,
    Employment,
    Fit,
    Level,
    Part,
    PayKind,
    QuestionKind,
)


class PayOut(View):
    """How somebody is paid; `text` says it in words."""

    kind: PayKind
    amount: str | None
    percent: str | None
    text: str


class QualificationOut(View):
    course_id: int | None
    course: str | None
    category: str | None
    level: Level


class InstructorOut(View):
    id: int
    person_id: int
    name: str
    full_name: str
    email: str | None
    phone: str | None
    employment: Employment
    biography: str
    picture: bool
    hours: list[HoursForm]
    most_hours: str | None
    pay: PayOut | None
    qualifications: list[QualificationOut]
    active: bool
    publishes: bool
    has_page: bool


class InstructorsMerged(View):
    """What becomes of two records of one instructor; with a preview nothing has happened yet."""

    change: str
    kept: str
    gone: str
    moved: list[str]
    clashes: list[ClashOut]


# --- weeks, candidates ------------------------------------------------------------------------------------


class HeldMeeting(View):
    """A meeting as those who teach see it, at its own place's time."""

    meeting_id: int
    run_id: int
    code: str
    title: str
    day: date
    start: Clock
    end: Clock
    place: str


class WeekMeeting(HeldMeeting):
    part: Part
    clash: bool


class InstructorWeek(View):
    """A week of an instructor: when they can teach, when they are away, what they teach."""

    monday: date
    hours: str
    most_hours: str | None
    season_hours: str
    season: str
    availability: list[HoursForm]
    absences: list[BusyOut]
    meetings: list[WeekMeeting]


class MarksOut(View):
    """Marks of learners: never an average without its count and spread. None of them below the smallest number of answers."""

    count: int
    average: str | None
    spread: str | None
    shown: bool
    fewest: int


class Candidate(View):
    """Somebody who might teach, and what speaks for and against it; `free` None: no date to ask for."""

    instructor_id: int
    name: str
    employment: Employment
    free: bool
    why_not: list[str]
    fit: Fit
    week_hours: str
    season_hours: str
    over_week: bool
    cost: str | None
    why_cost: str
    marks: MarksOut
    answer: CoverAnswer | None
    why: str


class Candidates(View):
    """Who could teach, best first; `rule` says by what they are ordered."""

    run_id: int
    currency: str
    meetings: int
    season: str
    rule: str
    candidates: list[Candidate]


# --- what a run pays --------------------------------------------------------------------------------------


class TeacherOut(View):
    """Somebody who teaches a run: their part, their meetings and hours, how they are paid and where that comes from."""

    instructor_id: int
    name: str
    email: str | None
    phone: str | None
    part: Part
    usual: bool
    meetings: int
    hours: str
    pay: PayOut | None
    own_terms: bool
    own_hours: str | None


class PayLineOut(View):
    label: str
    amount: str
    why: str


class PayExtraOut(View):
    id: int
    instructor_id: int
    label: str
    quantity: str
    unit: str


class PaidOut(View):
    """What somebody is paid for a run, what of it was asked for, and what is left: of the whole run, and of what counts by
    today."""

    instructor_id: int
    name: str
    lines: list[PayLineOut]
    total: str
    requested: str
    due: str
    due_now: str


class AtSeatsOut(View):
    heads: int
    income: str
    pay: str
    center: str


class AgreementOut(View):
    id: int
    run_id: int
    run_code: str
    instructor_id: int
    instructor: str
    version: int
    status: AgreementStatus
    made: Moment
    sent: Moment | None
    signed_on: date | None
    latest: bool


class PayRequestOut(View):
    id: int
    number: str
    instructor_id: int
    instructor: str
    run_id: int | None
    run_code: str | None
    through: date
    currency: str
    total: str
    made: Moment
    paid_on: date | None
    lines: list[RequestLineOut]


class RequestLineOut(View):
    run_id: int
    run_code: str
    label: str
    why: str
    amount: str
    correction: bool


class PayRequestMade(View):
    change: str
    request: PayRequestOut


class RunTeaching(View):
    """Who teaches a run and what it pays: now, and with each number of heads. `agreed` is false where somebody's pay is
    still to be agreed; the sums then leave them out. `trouble`: why nothing can be worked out."""

    run_id: int
    code: str
    currency: str
    taught_by: str
    teachers: list[TeacherOut]
    unstaffed: int
    patterns: list[PatternTeachers]
    meetings: list[MeetingTeachers]
    agreed: bool
    trouble: str
    income: str
    payment_fees: str
    deduct: str
    paid: list[PaidOut]
    extra: list[PayExtraOut]
    pay: str
    center: str
    heads: int
    each: str
    each_why: str
    seats: list[AtSeatsOut]
    break_even: int | None
    saved_if_cancelled: str
    agreements: list[AgreementOut]
    requests: list[PayRequestOut]


class PatternTeachers(View):
    n: int
    text: str
    taught_by: str


class MeetingTeachers(View):
    id: int
    n: int
    date: date
    start: Clock
    taught_by: str
    teachers: list[MeetingTeacherOut]
    past: bool


class MeetingTeacherOut(View):
    instructor_id: int
    name: str
    part: Part


class StatementOut(View):
    """What an instructor was paid and is to be paid, by request; and what is not asked for yet."""

    instructor_id: int
    name: str
    currency: str
    requests: list[PayRequestOut]
    open: list[PaidRunOut]
    paid: str
    asked: str
    not_asked: str


class PaidRunOut(View):
    run_id: int
    run_code: str
    title: str
    total: str
    requested: str
    due: str


# --- cover ------------------------------------------------------------------------------------------------


class CoverLineOut(View):
    meeting_id: int
    run_id: int
    code: str
    title: str
    day: date
    start: Clock
    place: str
    instructor_id: int | None
    instructor: str | None
    cost: str | None
    why: str
    taken: bool
    moved_on: bool


class CoverPlanOut(View):
    id: int
    instructor_id: int | None
    instructor: str | None
    first: date
    last: date
    aim: CoverAim
    unknown: bool
    status: CoverStatus
    said: str
    currency: str
    total: str
    greedy: str
    bound: str
    covered: int
    made: Moment
    lines: list[CoverLineOut]


class CoverPlans(View):
    plans: list[CoverPlanOut]


class UncoveredMeeting(HeldMeeting):
    taught_by: str


class Uncovered(View):
    """The meetings that have nobody: of an instructor between two days, or of all runs. `away`: an absence in all of these
    days is written down already."""

    instructor_id: int | None
    instructor: str | None
    first: date
    last: date
    away: bool
    meetings: list[UncoveredMeeting]


class CoverTaken(View):
    change: str
    taken: int
    left: int
    plan: CoverPlanOut


# --- evaluations ------------------------------------------------------------------------------------------


class QuestionOut(View):
    id: int
    text: str
    kind: QuestionKind


class Questions(View):
    questions: list[QuestionOut]


class YearMarks(View):
    year: int
    marks: MarksOut


class QuestionMarks(View):
    question: str
    marks: MarksOut


class RunWords(View):
    run_code: str
    day: date
    words: list[str]


class EvaluationsOut(View):
    """What learners said of an instructor: in all, by question, by year; in words where enough answered."""

    instructor_id: int
    name: str
    marks: MarksOut
    trend: str
    by_question: list[QuestionMarks]
    by_year: list[YearMarks]
    words: list[RunWords]


class EvaluateWhom(View):
    instructor_id: int
    name: str
    picture: bool


class EvaluatePage(View):
    """What a learner sees behind the link: the questions, and about whom; `said` where it can no longer be answered."""

    center: str
    title: str
    day: date
    questions: list[QuestionOut]
    instructors: list[EvaluateWhom]
    said: str


# --- applications and rules -------------------------------------------------------------------------------


class RulesOut(View):
    applications_open: bool
    application_questions: list[str]
    own_biography: bool
    own_availability: bool
    attendance: bool
    rosters: bool
    prepare_text: bool
    prepare_pictures: bool
    prepare_outline: bool
    prepare_prices: bool
    evaluate: bool
    fewest_answers: int
    questions: list[QuestionOut]
    agreement_text: str
    agreement_version: int
    agreement_fields: list[str]


class ApplyPage(View):
    center: str
    open: bool
    questions: list[str]


class AnswerOut(View):
    question: str
    answer: str


class ApplicationNoteOut(View):
    by: str
    at: Moment
    text: str


class ApplicationOut(View):
    id: int
    name: str
    given: str
    family: str
    email: str
    phone: str | None
    status: ApplicationStatus
    made: Moment
    answers: list[AnswerOut]
    notes: list[ApplicationNoteOut]
    instructor_id: int | None
    known: str


class Applications(View):
    open: bool
    counts: dict[ApplicationStatus, int]
    applications: list[ApplicationOut]
    next: int | None


class AcceptedOut(View):
    change: str
    instructor: InstructorOut
    invited: bool
