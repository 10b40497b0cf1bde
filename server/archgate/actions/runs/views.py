"""What is answered about runs."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import Field

from archgate.actions.courses.views import CourseOut
from archgate.actions.fees.views import GateDay, Origin, PriceLine, PriceNow, TermsView
from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.actions.kernel.views import ClashOut, FaultOut
from archgate.actions.schedule.views import MeetingOut, PatternOut, PlannedMeeting
from archgate.core.states import (
    Decision,
    FoundBy,
    PageSetting,
    Role,
    RunKind,
    RunStatus,
    SignsUp,
    SignUp,
    Teaching,
    Told,
)


class NoticeOut(View):
    """`seen`: whoever looks has acknowledged this version."""

    text: str
    version: int
    seen: bool


class NoticeDone(NoticeOut):
    change: str | None


class NextMeeting(View):
    date: date
    start: Clock
    end: Clock
    place: str


class RunLine(View):
    """What stands on every line that shows a run."""

    id: int
    code: str
    title: str
    course_title: str
    course_code: str
    kind: RunKind
    status: RunStatus
    decision: Decision
    decision_until: date | None
    decision_day: date | None
    starts_on: date | None
    ends_on: date | None
    access_days: int | None
    client: str | None
    sign_up: SignUp
    sign_up_why: str
    teaching: Teaching
    place: str
    instructor: str
    time_zone: str
    currency: str
    first: date | None
    last: date | None
    meetings: int
    hours: str
    next_meeting: NextMeeting | None
    capacity: int
    smallest: int
    taken: int
    kept: int
    waiting: int
    price: PriceNow | None


class RuleIO(View):
    """When a gate is: on a date, or so many days before the start."""

    on: str | None = None
    days_before: int | None = None


class WindowIO(View):
    """A stretch of sign-up; without `opens` from publication, without `closes` through the day before the start."""

    opens: RuleIO | None = None
    closes: RuleIO | None = None


class CancelledMeeting(View):
    id: int
    date: date
    start: Clock
    why: str


class NamedWeek(View):
    name: str
    from_: date = Field(alias="from")
    to: date
    meetings: int


class FileOut(View):
    id: int
    name: str
    media: str
    size: int
    at: datetime


class GateOut(View):
    kind: str
    rule: str
    day: date
    at: datetime
    label: str


class Finding(FaultOut):
    """An error keeps the run from being published; a warning is worth a look."""

    error: bool


class RunOut(RunLine, TermsView):
    course: CourseOut
    own_title: str
    note: str
    receipt_note: str
    overbook: int
    line_rule: str
    auto_offer: bool
    offer_hours: int
    hold_hours: int | None
    told: list[Told] | None
    questions: list[str]
    notice: NoticeOut
    sign_up_opens: date | None
    windows: list[WindowIO]
    decision_rule: RuleIO | None
    week_names: list[str]
    named_weeks: list[NamedWeek]
    usual_role: Role
    client_id: int | None
    files: list[FileOut]
    weeks: int
    patterns: list[PatternOut]
    dates: list[MeetingOut]
    cancelled: list[CancelledMeeting]
    clashes: list[ClashOut]
    gates: list[GateOut]
    price_line: list[PriceLine]
    origins: dict[str, Origin]
    readiness: list[Finding]
    now: Moment


class Slot(View):
    date: date
    start: Clock
    why: str


class CopiedRun(View):
    run_id: int
    from_id: int
    code: str
    new_code: str
    title: str
    shift: int
    before: list[str]
    after: list[str]
    dropped: list[str]
    clashes: list[ClashOut]
    left_behind: list[str]
    gates: list[GateDay]


class Copied(View):
    change: str
    runs: list[CopiedRun]


class SeasonRow(View):
    n: int
    empty: bool
    faults: list[FaultOut]
    dates: list[str]
    dropped: list[str]
    clashes: list[str]
    course: str | None
    new: list[str]

    @classmethod
    def nothing(cls, n: int) -> SeasonRow:
        """A row in which nothing is typed."""
        return cls(n=n, empty=True, faults=[], dates=[], dropped=[], clashes=[], course=None, new=[])


class MadeRun(View):
    id: int
    code: str


class Season(View):
    rows: list[SeasonRow]
    runs: int
    faults: int
    change: str | None
    made: list[MadeRun]


class DroppedDate(View):
    date: date
    why: str


class PlannedDates(View):
    meetings: list[PlannedMeeting]
    hours: str
    first: date | None
    last: date | None
    weeks: int
    dropped: list[DroppedDate]
    warnings: list[str]
    clashes: list[ClashOut]


class Figures(View):
    """What a decision is weighed up with."""

    run_id: int
    code: str
    title: str
    decision: str
    until: date | None
    day: date | None
    smallest: int
    capacity: int
    taken: int
    firm: int
    unpaid: int
    held: int
    kept: int
    unnamed: int
    waiting: int
    currency: str
    income: str
    paid: str
    hours_saved: str
    start: date | None
    people: int


class MendOut(View):
    """One way out of a contradiction: what the button says, and what it sets; with none, another page mends it."""

    label: str
    found_by: FoundBy | None
    signs_up: SignsUp | None
    unset: str | None


class ContradictionOut(View):
    setting: PageSetting
    sentence: str
    mends: list[MendOut]


class PublicationOut(View):
    """Who finds a run and who signs up. Moments are the center's local times, as they are typed."""

    run_id: int
    found_by: FoundBy
    signs_up: SignsUp
    shown_from: str | None
    shown_until: str | None
    promoted: bool
    sentence: str
    codes: int
    course_public: bool
    contradictions: list[ContradictionOut]


class PublicationChanged(PublicationOut):
    change: str
