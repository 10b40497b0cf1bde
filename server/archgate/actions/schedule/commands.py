"""Places, instructors, absences and closed days as forms send them; and meetings."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import Clock, Command, Day, Flag, Form, Line, Reason, Words
from archgate.core.states import OnClosure, PlaceKind, Weekday

Many = Annotated[int, Field(strict=True, ge=1, le=100_000)]
Paragraph = Annotated[Line, Field(max_length=2000)]


class PlaceCommand(Command):
    """What is left out stays as it is; `seats` of null: no limit."""

    name: Words | None = Field(None, title="The name")
    kind: PlaceKind | None = None
    seats: Many | None = Field(None, title="The seats")
    facts: Paragraph | None = None
    address: Paragraph | None = None
    address_public: Flag | None = None
    map_link: Paragraph | None = None
    time_zone: Words | None = None
    active: Flag | None = None


class HoursForm(Command):
    """Hours of one weekday at which somebody can teach."""

    weekday: Weekday = Field(title="The weekday")
    start: Clock = Field(alias="from", title="The time from")
    end: Clock = Field(alias="to", title="The time to")


class BusyCommand(Command):
    """Whole days from one through another, or hours of one day."""

    first: Day = Field(alias="from", title="The first day")
    through: Day | None = Field(None, title="The last day")
    start: Clock | None = Field(None, title="The time from")
    end: Clock | None = Field(None, title="The time to")
    label: Line | None = None


class ClosureCommand(Command):
    """Days of the center's own, from one through another."""

    first: Day = Field(alias="from", title="The first day")
    through: Day | None = Field(None, title="The last day")
    label: Line | None = None


class RegionCommand(Command):
    region: Annotated[Line, Field(max_length=20)]


class DayStateCommand(Command):
    closed: Flag


class AcceptClashCommand(Command):
    key: Annotated[str, Field(max_length=120)]
    reason: Reason = ""


Minutes = Annotated[int, Field(strict=True, ge=1, le=7 * 24 * 60)]
Nth = Annotated[int, Field(strict=True, ge=1, le=10_000)]


class PatternForm(Form):
    """A meeting pattern: from a first date, on weekdays, for a number of meetings or through a last day."""

    first: Day = Field(title="The first date")
    start: Clock = Field(title="The start time")
    minutes: Minutes = Field(title="The length in minutes")
    weekdays: Annotated[list[Weekday], Field(max_length=7)] | None = Field(None, title="The weekday")
    every_weeks: Annotated[int, Field(strict=True, ge=1, le=520)] | None = Field(
        None, title="Every so many weeks"
    )
    count: Annotated[int, Field(strict=True, ge=1, le=5000)] | None = Field(
        None, title="The number of meetings"
    )
    until: Day | None = Field(None, title="The last day")
    on_closure: OnClosure | None = Field(None, title="What happens on a closure")
    instructor: Line | None = Field(None, title="The instructor")
    room: Line | None = Field(None, title="The room")


class EndPatternCommand(Command):
    last: Day = Field(title="The last day")


class OneOffForm(Form):
    """A meeting by itself."""

    date: Day = Field(title="The date")
    start: Clock = Field(title="The start time")
    minutes: Minutes = Field(title="The length in minutes")
    instructor: Line | None = Field(None, title="The instructor")
    room: Line | None = Field(None, title="The room")


class DateChangeForm(Form):
    """What is other by hand about the n-th date that patterns give."""

    n: Nth = Field(title="The number of the meeting")
    date: Day | None = Field(None, title="The date")
    start: Clock | None = Field(None, title="The start time")
    minutes: Minutes | None = Field(None, title="The length in minutes")
    dropped: Flag | None = Field(None, title="Left out")
    instructor: Line | None = Field(None, title="The instructor")
    room: Line | None = Field(None, title="The room")


class DatesForm(Form):
    """The dates of a run: one pattern or several, one-off meetings, changes by hand."""

    pattern: PatternForm | None = Field(None, title="The meeting pattern")
    patterns: Annotated[list[PatternForm], Field(max_length=60)] | None = Field(None, title="The patterns")
    extra: Annotated[list[OneOffForm], Field(max_length=500)] | None = Field(
        None, title="The one-off meetings"
    )
    changes: Annotated[list[DateChangeForm], Field(max_length=5000)] | None = Field(
        None, title="The changed dates"
    )
