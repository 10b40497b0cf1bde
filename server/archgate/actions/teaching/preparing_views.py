"""Courses and runs in preparation, as their instructors and the office see them."""

from __future__ import annotations

from datetime import date

from archgate.actions.courses.commands import CourseText
from archgate.actions.courses.views import FieldCompared, PictureOut, TextFault
from archgate.actions.kernel.commands import AmountText, Clock, Moment, View
from archgate.actions.teaching.commands import OwnPattern
from archgate.core.states import (
    PrepareRight,
    Preparing,
    RunStatus,
)


class PreparedDate(View):
    meeting_id: int
    day: date
    start: Clock
    minutes: int


class PreparedRunOut(View):
    """A run that stands in a preparation. `lacks`: what keeps it from being published; `pattern`: how its dates were planned, where one
    pattern gives them."""

    run_id: int
    code: str
    status: RunStatus
    first: date | None
    last: date | None
    meetings: int
    start: Clock | None
    place: str
    capacity: int
    price: AmountText | None
    currency: str
    lacks: list[str]
    note: str
    pattern: OwnPattern | None
    dates: list[PreparedDate]


class PreparationLine(View):
    """A preparation in one line: what, by whom, in whose hand since when."""

    id: int
    course_id: int
    code: str
    title: str
    instructor_id: int
    instructor: str
    status: Preparing
    since: Moment
    changed: list[str]
    runs: int


class Preparations(View):
    """What is in preparation, what was handed in first, the oldest of it first; and what was decided of late."""

    items: list[PreparationLine]
    decided: list[PreparationLine]


class PreparationOut(PreparationLine):
    """A preparation as the office sees it: what of the course changed since it was begun, word by word, its runs, and what was said."""

    said: str
    word: str
    fields: list[FieldCompared]
    prepared: list[PreparedRunOut]
    faults: list[TextFault]
    public: bool


class PreparationDone(PreparationOut):
    change: str


class CoursePreparation(View):
    """The preparation that a course stands in, if it does."""

    preparation: PreparationOut | None


class OwnCourse(View):
    """A course that an instructor may prepare, and where that stands; `preparation_id` of none: it can be begun."""

    course_id: int
    title: str
    public: bool
    preparation_id: int | None
    status: Preparing | None
    word: str
    by: str


class OwnCourses(View):
    """One's own courses, and what one may prepare."""

    courses: list[OwnCourse]
    rights: list[PrepareRight]
    publishes: bool


class OwnPreparation(View):
    """A preparation as whoever prepares it sees it: the text as it stands, the fields they may write, their runs, what the office said."""

    id: int
    course_id: int
    title: str
    public: bool
    status: Preparing
    writes: bool
    rights: list[PrepareRight]
    publishes: bool
    text: CourseText
    fields: list[str]
    changed: list[str]
    pictures: list[PictureOut]
    said: str
    word: str
    runs: list[PreparedRunOut]
    faults: list[TextFault]
    places: list[str]
    currency: str
