"""What is answered about schedule."""

from __future__ import annotations

from datetime import date, datetime

from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.core.states import PlaceKind


class PlaceOut(View):
    id: int
    name: str
    kind: PlaceKind
    seats: int | None
    facts: str
    address: str
    address_public: bool
    map_link: str
    time_zone: str
    active: bool


class BusyOut(View):
    id: int
    label: str
    all_day: bool
    source: str
    start: Moment
    end: Moment


class Imported(View):
    change: str
    added: int
    replaced: int
    window: str


class ClosureDay(View):
    day: date
    label: str
    public: bool
    closed: bool
    id: int | None


class ClosureYear(View):
    year: int
    region: str
    days: list[ClosureDay]


class ClosureChange(View):
    change: str
    meetings: int


class FeedOut(View):
    kind: str
    subject_id: int
    name: str
    path: str
    made_at: datetime


class PlannedMeeting(View):
    """`clock` is the time that was meant, also where the change of clocks skips it and the meeting starts later."""

    n: int
    of: int
    date: date
    weekday: str
    start: Moment
    end: Moment
    clock: Clock
    minutes: int
    instructor: str | None
    room: str | None
    warnings: list[str]


class MeetingOut(PlannedMeeting):
    id: int
    by_hand: bool
    pattern_n: int | None
    online: bool
    link: str | None
    host_key: str | None


class PatternOut(View):
    n: int
    first: date
    start: Clock
    minutes: int
    weekdays: list[str]
    every_weeks: int
    count: int | None
    until: date | None
    on_closure: str
    room: str | None
    instructor: str | None
