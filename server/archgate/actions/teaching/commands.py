"""What the acts of teaching take."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import (
    AmountText,
    Clock,
    Command,
    Day,
    EmptyIsNone,
    Flag,
    Form,
    Id,
    Line,
    LongText,
    NumberText,
    PercentText,
    Reason,
    Why,
    Words,
)
from archgate.actions.schedule.commands import HoursForm, Minutes
from archgate.core.states import (
    ApplicationStatus,
    CoverAim,
    CoverAnswer,
    Employment,
    Level,
    Part,
    PayKind,
    QuestionKind,
    Weekday,
)

Biography = Annotated[LongText, Field(title="The biography")]
Text = Annotated[str, Field(max_length=20_000)]
Email = Annotated[Line, Field(max_length=254)]
Phone = Annotated[Line, Field(max_length=40)]
WeeklyHours = Annotated[list[HoursForm], Field(max_length=50)]


class PayForm(Command):
    """How somebody is paid: by an amount, or for a share by a percent."""

    kind: PayKind = Field(title="The kind of pay")
    amount: AmountText | None = Field(None, title="The amount")
    percent: PercentText | None = Field(None, title="The share")


class QualificationForm(Command):
    """A course, or a category, and whether somebody leads or assists in it."""

    course_id: Id | None = None
    category: Line | None = None
    level: Level = Level.LEADS


class InstructorCommand(Command):
    """What is left out stays as it is. `person_id` makes somebody an instructor who is known already. `pay` of null: to be
    agreed for each run; `most_hours` of null: as many as there are."""

    name: Words | None = Field(None, title="The name")
    person_id: Id | None = None
    email: Email | None = Field(None, title="The email")
    phone: Phone | None = Field(None, title="The phone number")
    employment: Employment | None = None
    biography: Biography | None = None
    hours: WeeklyHours | None = Field(None, title="The weekly hours")
    most_hours: NumberText | None = Field(None, title="The most hours a week")
    pay: PayForm | None = Field(None, title="The usual pay")
    qualifications: Annotated[list[QualificationForm], Field(max_length=200)] | None = Field(
        None, title="What they can teach"
    )
    active: Flag | None = None
    publishes: Flag | None = None


class MergeInstructorsCommand(Command):
    """The record that goes; everything of it becomes the other's."""

    gone_id: Id


class TeacherForm(Command):
    instructor_id: Id
    part: Part = Part.LEAD


class AssignCommand(Command):
    """Who teaches a run as usual; or with `pattern_n` the meetings of that pattern that are ahead; or with `meeting_id` that
    one. `seen` is who taught it when the form was opened, as text."""

    teachers: Annotated[list[TeacherForm], Field(max_length=12)] = Field(title="Those who teach")
    pattern_n: Annotated[int, Field(strict=True, ge=1, le=100)] | None = None
    meeting_id: Id | None = None
    seen: Annotated[str, Field(max_length=3000)] | None = None


# --- cover ------------------------------------------------------------------------------------------------


class CoverCommand(Command):
    """Somebody is away from a day through another (with `instructor_id`, and `absence` to write it down), or a season's
    meetings have nobody yet."""

    instructor_id: Id | None = None
    first: Day = Field(alias="from", title="The first day")
    last: Day = Field(alias="through", title="The last day")
    aim: CoverAim = CoverAim.COST
    unknown: Flag = False
    absence: Line | None = Field(None, title="The reason of the absence")


class TakeCoverCommand(Command):
    """Which meetings of a proposal are taken; none said: all that are covered."""

    meeting_ids: Annotated[list[Id], Field(max_length=500)] | None = None


class CoverCallCommand(Command):
    answer: CoverAnswer


class StepInCommand(Command):
    """Who takes a meeting, and in whose place; without one, a meeting that has nobody."""

    instructor_id: Id
    away_id: Id | None = None


# --- pay and papers ---------------------------------------------------------------------------------------


class PayTermsCommand(Command):
    """How somebody is paid for a run; `pay` of null: as usual. `hours` stand instead of those they teach."""

    pay: PayForm | None = Field(None, title="The pay")
    hours: NumberText | None = Field(None, title="The hours")


class PayLineCommand(Command):
    instructor_id: Id
    label: Words = Field(title="The description")
    quantity: NumberText = Field(title="The quantity")
    unit: NumberText = Field(title="The price of one")


class DeductCommand(Command):
    amount: AmountText = Field(title="What is deducted")


class PayRequestCommand(Command):
    """The pay of somebody for a run, or without one for all their runs through the end of a month such as 2027-09."""

    instructor_id: Id
    run_id: Id | None = None
    month: Annotated[str, Field(pattern=r"^\d{4}-\d{2}$")] | None = Field(None, title="The month")


class OnDayCommand(Command):
    on: Day = Field(title="The day")


class AgreementTextCommand(Command):
    text: Text = Field(title="The text")


class AgreementCommand(Command):
    instructor_id: Id


# --- evaluations, applications, rules ---------------------------------------------------------------------


class QuestionForm(Command):
    id: Id | None = None
    text: Words = Field(title="The question")
    kind: QuestionKind = QuestionKind.MARK


class QuestionsCommand(Command):
    questions: Annotated[list[QuestionForm], Field(max_length=20)] = Field(title="The questions")


class AnswerForm(Command):
    """An answer about one instructor: a mark from 1 to 5, or words."""

    instructor_id: Id
    question_id: Id
    mark: Annotated[int, Field(strict=True, ge=1, le=5)] | None = Field(None, title="The mark")
    words: Annotated[str, Field(max_length=2000)] = ""


class EvaluateCommand(Command):
    answers: Annotated[list[AnswerForm], Field(max_length=240)] = Field(title="The answers")


class RulesCommand(Command):
    """What is left out stays as it is."""

    applications_open: Flag | None = None
    application_questions: Annotated[list[Words], Field(max_length=20)] | None = Field(
        None, title="The questions"
    )
    own_biography: Flag | None = None
    own_availability: Flag | None = None
    attendance: Flag | None = None
    rosters: Flag | None = None
    prepare_text: Flag | None = None
    prepare_pictures: Flag | None = None
    prepare_outline: Flag | None = None
    prepare_prices: Flag | None = None
    evaluate: Flag | None = None
    fewest_answers: Annotated[int, Field(strict=True, ge=1, le=50)] | None = Field(
        None, title="The smallest number of answers"
    )


class ApplyCommand(Command):
    """What somebody says who would like to teach; `answers` to the questions in their order."""

    given: Line = ""
    family: Line = ""
    email: Email = Field(title="The email")
    phone: Phone = ""
    answers: Annotated[list[Annotated[str, Field(max_length=4000)]], Field(max_length=20)] = Field(
        default_factory=list, title="The answers"
    )


class ApplicationCommand(Command):
    status: ApplicationStatus
    seen: ApplicationStatus | None = None


class ApplicationNoteCommand(Command):
    text: Annotated[Reason, Field(min_length=1)] = Field(title="The note")


class AcceptCommand(Command):
    """From an application to an instructor: the name on schedules, and whether they are invited to their own page."""

    name: Words = Field(title="The name")
    invite: Flag = True


# --- by the instructor ------------------------------------------------------------------------------------


class OwnBiographyCommand(Command):
    biography: Biography


class OwnHoursCommand(Command):
    hours: WeeklyHours = Field(title="The weekly hours")


# --- prepared ---------------------------------------------------------------------------------------------


class PrepareCommand(Command):
    """A course that is there, or the title of a new one."""

    course_id: Id | None = None
    title: Words | None = Field(None, title="The title")


class TitleCommand(Command):
    """Another title of a course that is not public yet; `seen` is the one the person saw."""

    title: Words = Field(title="The title")
    seen: Words = ""


class HandInCommand(Command):
    """`said`: a word to the office."""

    said: Reason = ""


class ReturnCommand(Command):
    """What the office wants changed."""

    word: Why = Field(title="What is to be changed")


class OwnPattern(Form):
    """The meetings of a run as an instructor plans them: each week from a first date, on its weekday or on those said."""

    first: Day = Field(title="The first date")
    start: Clock = Field(title="The start time")
    minutes: Minutes = Field(title="The length in minutes")
    weekdays: Annotated[list[Weekday], Field(max_length=7)] = Field(
        default_factory=list, title="The weekdays"
    )
    count: Annotated[int, Field(strict=True, ge=1, le=200)] = Field(title="The number of meetings")


Capacity = Annotated[int, Field(strict=True, ge=1, le=2000)]
Price = Annotated[AmountText | None, EmptyIsNone]


class OwnRunCommand(OwnPattern):
    """A run that an instructor prepares: its meetings, seats, place, and the price where they may say it."""

    capacity: Capacity = Field(title="The number of seats")
    place: Line = ""
    amount: Price = Field(None, title="The price")
    note: Reason = ""


class OwnRunFacts(Form):
    capacity: Capacity | None = Field(None, title="The number of seats")
    place: Line | None = None
    amount: Price = Field(None, title="The price")
    note: Reason | None = None


class OwnRunPatch(Command):
    """`set` holds the new values, `seen` those the person saw; `pattern` plans the meetings anew, in place of
    `pattern_seen`."""

    seen: OwnRunFacts = Field(default_factory=OwnRunFacts)
    set: OwnRunFacts = Field(default_factory=OwnRunFacts)
    pattern: OwnPattern | None = None
    pattern_seen: OwnPattern | None = None


class OwnMeetingFacts(Form):
    date: Day | None = Field(None, title="The date")
    start: Clock | None = Field(None, title="The start time")
    minutes: Minutes | None = Field(None, title="The length in minutes")


class OwnMeetingPatch(Command):
    """One date of a prepared run by itself: the new values, and those the person saw."""

    seen: OwnMeetingFacts = Field(default_factory=OwnMeetingFacts)
    set: OwnMeetingFacts = Field(title="What to change")
