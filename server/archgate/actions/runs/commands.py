"""Runs as forms send them: made, changed, moved, copied, decided."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Self

from pydantic import (
    AfterValidator,
    Field,
    ModelWrapValidatorHandler,
    StringConstraints,
    ValidationError,
    model_validator,
)

from archgate.actions.courses.commands import CourseForm
from archgate.actions.courses.forms import TermsForm
from archgate.actions.kernel.commands import (
    Clock,
    Command,
    Day,
    Days,
    Flag,
    Form,
    Id,
    Line,
    LongText,
    Reason,
    with_missing,
)
from archgate.actions.schedule.commands import DatesForm, Minutes
from archgate.core.states import Decision, FoundBy, RunKind, Scope, SignsUp, Told, Weekday
from archgate.core.waitlist import Rule


def real_day(text: str) -> str:
    """Refuse a day that no month has: 31 April."""
    datetime.fromisoformat(text)
    return text


Seats = Annotated[int, Field(strict=True, ge=1, le=100_000)]
Least = Annotated[int, Field(strict=True, ge=0, le=100_000)]
AccessDays = Annotated[int, Field(strict=True, ge=0, le=36_600)]
Hours = Annotated[int, Field(strict=True, ge=1, le=24 * 60)]
WeekNames = Annotated[list[Line], Field(max_length=520)]


class GateForm(Form):
    """When a gate is: on a date, or so many days before the start."""

    on: Day | None = None
    days_before: Days | None = Field(None, title="The days before the start")


class WindowForm(Form):
    """A stretch of sign-up; without `opens` from publication, without `closes` through the day before the start."""

    opens: GateForm | None = Field(None, title="The opening of sign-up")
    closes: GateForm | None = Field(None, title="The close of sign-up")


class RunFacts(Form):
    """What is said of a run, beside its dates and fees; what is left out stays, or is taken from the course."""

    code: Annotated[Line, Field(max_length=40)] | None = Field(None, title="The run code")
    title: Line | None = None
    note: LongText | None = None
    receipt_note: Annotated[Line, Field(max_length=1000)] | None = Field(None, title="The receipt note")
    place: Line | None = None
    instructor: Line | None = None
    capacity: Seats | None = Field(None, title="The number of seats")
    smallest: Least | None = Field(None, title="The smallest number")
    sign_up_opens: Day | None = Field(None, title="The day sign-up opens")
    windows: Annotated[list[WindowForm], Field(max_length=12)] | None = Field(
        None, title="The sign-up windows"
    )
    decision_rule: GateForm | None = Field(None, title="The decision day")
    week_names: WeekNames | None = Field(None, title="The names of the weeks")
    access_days: AccessDays | None = Field(None, title="The days of access")
    client_id: Id | None = Field(None, title="The client")
    overbook: Least | None = Field(None, title="The seats beyond the capacity")
    line_rule: Rule | None = Field(None, title="The rule of the line")
    auto_offer: Flag | None = Field(None, title="Whether seats are offered by themselves")
    offer_hours: Hours | None = Field(None, title="The hours of an offer")
    hold_hours: Hours | None = Field(None, title="The hours a seat is held")
    told: Annotated[list[Told], Field(max_length=10)] | None = Field(None, title="Who is told")
    time_zone: Line | None = Field(None, title="The time zone")


class RunPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: RunFacts = Field(default_factory=RunFacts)
    set: RunFacts = Field(title="What to change")


class RunCommand(RunFacts, DatesForm, TermsForm):
    """A new run of a course, or with a new course."""

    course_id: Id | None = Field(None, title="The course")
    course: CourseForm | None = Field(None, title="The course")
    kind: RunKind | None = Field(None, title="The kind of run")
    starts_on: Day | None = Field(None, title="The first day")
    ends_on: Day | None = Field(None, title="The last day")
    currency: Annotated[Line, Field(max_length=3)] | None = Field(None, title="The currency")

    @model_validator(mode="wrap")
    @classmethod
    def seats_too(cls, data: object, handler: ModelWrapValidatorHandler[Self]) -> Self:
        """A new course has no usual number of seats: that it is missing is said together with whatever else is wrong."""
        try:
            return handler(data)
        except ValidationError as error:
            typed: Mapping[str, object] = data if isinstance(data, dict) else {}
            asked = typed.get("kind") != RunKind.OPEN and typed.get("capacity") is None
            if typed.get("course_id") is None and asked:
                raise with_missing(error, "capacity") from None
            raise


class KindCommand(Command):
    """What a draft becomes: a cohort with its first and last day, an open run with its days of access."""

    kind: RunKind = Field(title="The kind of run")
    starts_on: Day | None = Field(None, title="The first day")
    ends_on: Day | None = Field(None, title="The last day")
    access_days: AccessDays | None = Field(None, title="The days of access")


class DatesCommand(DatesForm):
    """A run's form as far as it is filled, to see its dates."""

    place: Line | None = None
    instructor: Line | None = None
    capacity: Seats | None = Field(None, title="The number of seats")
    time_zone: Line | None = Field(None, title="The time zone")


class MeetingFacts(Command):
    """What is left out stays; an empty text takes the instructor or the room away."""

    date: Day | None = Field(None, title="The date")
    start: Clock | None = Field(None, title="The start time")
    minutes: Minutes | None = Field(None, title="The length in minutes")
    instructor: Line | None = None
    room: Line | None = None


class MeetingPatch(Command):
    """`scope` is this, later or all; `set` the new values, `seen` those the person saw."""

    seen: MeetingFacts = Field(default_factory=MeetingFacts)
    set: MeetingFacts = Field(title="What to change")
    scope: Scope | None = Field(None, title="Which meetings")


class ReplacementForm(MeetingFacts):
    """The meeting held instead; what is left out is as of the one that falls out."""

    date: Day = Field(title="The date")


class CancelMeetingCommand(Command):
    """Why, and on which date it is held instead, if it is."""

    why: Reason | None = None
    replacement: ReplacementForm | None = None


class MoveRunCommand(Command):
    """One of days, weeks, or the new first date."""

    days: Annotated[int, Field(strict=True, ge=-3660, le=3660)] | None = Field(None, title="The days")
    weeks: Annotated[int, Field(strict=True, ge=-520, le=520)] | None = Field(None, title="The weeks")
    first: Day | None = Field(None, title="The new first date")


class ExtendCommand(Command):
    """So many further meetings, or a cohort's later last day."""

    meetings: Annotated[int, Field(strict=True, ge=1, le=200)] | None = Field(
        None, title="The number of meetings"
    )
    ends_on: Day | None = Field(None, title="The new last day")


class RunToCopy(Command):
    id: Id = Field(title="The run")
    first: Day | None = Field(None, title="The new first date")


class CopyChanges(Command):
    """What is other in a copy of one run: its rhythm, number of meetings, time, place or instructor. What is left out stays."""

    weekdays: Annotated[list[Weekday], Field(max_length=7)] | None = Field(None, title="The weekday")
    every_weeks: Annotated[int, Field(strict=True, ge=1, le=520)] | None = Field(
        None, title="Every so many weeks"
    )
    count: Annotated[int, Field(strict=True, ge=1, le=2000)] | None = Field(
        None, title="The number of meetings"
    )
    start: Clock | None = Field(None, title="The start time")
    minutes: Minutes | None = Field(None, title="The length in minutes")
    place: Line | None = None
    instructor: Line | None = None


class CopyCommand(Command):
    """Runs by id with their new first dates, or a course's or a season's runs moved by weeks. `changes` are of one run's copy."""

    runs: Annotated[list[RunToCopy], Field(max_length=120)] | None = Field(None, title="The runs")
    course_id: Id | None = Field(None, title="The course")
    since: Day | None = Field(None, title="The first day of the season")
    until: Day | None = Field(None, title="The last day of the season")
    weeks: Annotated[int, Field(strict=True, ge=-520, le=520)] | None = Field(None, title="The weeks")
    changes: CopyChanges | None = Field(None, title="What is other in the copy")


Cell = Annotated[Line, Field(max_length=200)] | Annotated[int, Field(strict=True, ge=0, le=10**9)] | None


class SeasonLine(Form):
    """A row of the season table, as it was typed or pasted."""

    course: Cell = None
    kind: Cell = None
    first: Cell = None
    weekdays: Cell = None
    number: Cell = None
    start: Cell = None
    minutes: Cell = None
    room: Cell = None
    instructor: Cell = None
    seats: Cell = None
    rate: Cell = None
    ends: Cell = None


class SeasonCommand(Command):
    rows: Annotated[list[SeasonLine], Field(max_length=120)] = Field(title="The rows")


class DecideCommand(Command):
    """Waiting takes the day until which; `seen` is the decision that the person saw."""

    decision: Decision = Field(title="The decision")
    until: Day | None = Field(None, title="The day until which it waits")
    seen: Decision | None = None


class CancelRunCommand(Command):
    why: Reason = ""


class KeepDefaultsCommand(Command):
    """Which values of a run become defaults of its course."""

    names: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=20)]


class NoticeCommand(Command):
    text: Annotated[str, Field(max_length=5000)]


class NoticeReadCommand(Command):
    version: Annotated[int, Field(strict=True, ge=0)]


LocalMoment = Annotated[
    str,
    StringConstraints(
        pattern=r"^(19|20|21)\d\d-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])T([01]\d|2[0-3]):[0-5]\d$"
    ),
    AfterValidator(real_day),
]  # the center's local time to the minute, like 2027-03-01T09:00


class PublicationFacts(Form):
    """Who finds a run and who signs up for it, and when it is public; a moment of null: from now on, or without an end."""

    found_by: FoundBy | None = Field(None, title="Who finds it")
    signs_up: SignsUp | None = Field(None, title="Who signs up")
    shown_from: LocalMoment | None = Field(None, title="From when it is public")
    shown_until: LocalMoment | None = Field(None, title="Until when it is public")
    promoted: Flag | None = Field(None, title="Whether it comes first")


class PublicationPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: PublicationFacts = Field(default_factory=PublicationFacts)
    set: PublicationFacts = Field(title="What to change")
