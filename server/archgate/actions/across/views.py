"""What is answered about across."""

from __future__ import annotations

from datetime import date, datetime
from typing import TypeAlias

from pydantic import Field

from archgate.actions.access.public_views import RequestOut
from archgate.actions.access.views import OwnPageState
from archgate.actions.courses.views import CourseOut
from archgate.actions.enrolling.line_views import PersonWaits
from archgate.actions.enrolling.views import PersonRun
from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.actions.kernel.views import ClashOut
from archgate.actions.money.views import CardPaymentOut, MoneyWaitsOut, Owed
from archgate.actions.people.views import NoteOut, OrganizationOut, PersonOut
from archgate.actions.runs.views import Figures, RunLine
from archgate.actions.teaching.preparing_views import PreparationLine
from archgate.core.states import FoundKind, RunStatus, SignUp, Teaching


class Undone(View):
    change: str
    summary: str
    subject: str
    subject_id: int


class Checked(View):
    found: str


class ChangeOut(View):
    key: str
    summary: str
    by: str | None
    own: bool
    at: datetime
    run_id: int | None


class PulseOut(View):
    revision: int
    today: date
    changes: list[ChangeOut]


class FoundThing(View):
    """Something else that fits; an organization, and a paper by its number, lead to an account."""

    kind: FoundKind
    id: int
    title: str
    more: str
    account_id: int | None


class Found(View):
    runs: list[RunLine]
    people: list[PersonFound]
    courses: list[CourseOut]
    others: list[FoundThing]


class RibbonBar(View):
    id: int
    code: str
    title: str
    status: RunStatus
    decision: str
    sign_up: SignUp
    teaching: Teaching
    first: date
    last: date
    opens: date | None
    taken: int
    capacity: int


class Ribbon(View):
    """The season around today: the runs in it, by first meeting."""

    from_: date = Field(alias="from")
    to: date
    bars: list[RibbonBar]


class PersonFound(PersonOut, Owed):
    runs: int


class StaffNumber(View):
    organization: str
    number: str
    department: str


class LogLine(View):
    """One change; `undo` is the key by which it is taken back, None where there is no undo, or none any more."""

    key: str
    at: Moment
    by: str | None
    summary: str
    undo: str | None
    undone: bool


class ChangedField(View):
    """A field of something that changed; without a `field` the thing itself was added (no `before`) or taken out."""

    what: str
    field: str
    before: str
    after: str


class ChangeFields(View):
    summary: str
    fields: list[ChangedField]


class LogPage(View):
    """A page of changes, newest first; `next` is the cursor of the page after it."""

    items: list[LogLine]
    next: int | None


class PersonPage(PersonOut, Owed):
    currency: str
    health: str
    numbers: list[StaffNumber]
    tags: list[str]
    enrollments: list[PersonRun]
    waiting: list[PersonWaits]
    notes: list[NoteOut]
    own_page: OwnPageState | None
    instructor_id: int | None


class Moved(View):
    what: str
    number: int


class TakenOver(View):
    what: str
    value: str


class Merged(View):
    change: str
    kept_id: int
    gone_id: int
    kept: str
    gone: str
    moved: list[Moved]
    taken_over: list[TakenOver]
    balance: str
    currency: str


class ReminderOut(View):
    id: int
    day: date
    text: str
    done: bool
    run_id: int | None
    person_id: int | None
    course_id: int | None
    account_id: int | None
    about: str
    by: str
    to: str


class CourseRun(View):
    """A run of a course in one line."""

    id: int
    code: str
    first: date | None
    last: date | None
    status: RunStatus
    taken: int
    capacity: int


class OrganizationAccount(View):
    """An account of an organization: what it owes, negative where the center does."""

    id: int
    currency: str
    balance: str
    open: str


class OrganizationPerson(View):
    """Somebody the organization sends: by its own number for them, or as a learner whom it pays for."""

    id: int
    name: str
    email: str | None
    number: str
    department: str
    runs: int


class OrganizationPage(OrganizationOut):
    """An organization with its accounts, the people it sends, its contract runs, and its rates by whom they are for."""

    accounts: list[OrganizationAccount]
    people: list[OrganizationPerson]
    people_total: int
    runs: list[CourseRun]


class Sum(View):
    currency: str
    amount: str


class PastRuns(View):
    """What the runs of a course that are over came to."""

    runs: int
    taken: int
    capacity: int
    income: list[Sum]


class CoursePage(CourseOut):
    """A course with its runs, the newest first; `waiting`: how many wait for it or show interest."""

    runs: list[CourseRun]
    waiting: int
    past: PastRuns


class CatalogLine(View):
    """A course in the staff's catalog. `pending`: what is written differs from what the public reads."""

    id: int
    code: str
    title: str
    category_id: int | None
    public: bool
    pending: bool
    promoted: bool
    runs: int


class RunList(View):
    items: list[RunLine]
    total: int
    next: str | None
    today: date


class Lane(View):
    id: int
    name: str
    seats: int | None


PlannerCell: TypeAlias = int | str | bool | list[int] | None


class PlannerOut(View):
    """Runs and meetings in compact rows, by the columns named."""

    since: date
    until: date
    today: date
    run_columns: list[str]
    runs: list[list[PlannerCell]]
    meeting_columns: list[str]
    meetings: list[list[PlannerCell]]
    places: list[Lane]
    instructors: list[Lane]
    closed: dict[str, str]
    clashing: list[int]


class ListedMeeting(View):
    id: int
    run_id: int
    code: str
    title: str
    date: date
    start: Clock
    end: Clock
    place: str
    instructor: str
    taken: int
    capacity: int
    cancelled: bool
    why: str
    decision: str


class DaySheet(View):
    date: date
    closed: str | None
    meetings: list[ListedMeeting]


class MonthList(View):
    month: str
    closed: dict[str, str]
    meetings: list[ListedMeeting]


class FailedWork(View):
    kind: str
    number: int


class DraftNotReady(View):
    run_id: int
    code: str
    title: str
    start: date | None
    wrong: str
    more: int


class OpenOffer(View):
    """An offer to be answered; `asked_time`: they ask for longer."""

    run_id: int
    code: str
    title: str
    person_id: int
    name: str
    phone: str | None
    heads: int
    asked_time: bool
    until: Moment


class EndingHold(View):
    run_id: int
    code: str
    title: str
    for_whom: str
    seats: int
    last: date


class StandingList(View):
    """A list that was stopped in the middle, or stands by itself."""

    id: int
    name: str
    why: str
    left: int


class TodayOut(View):
    date: date
    closed: str | None
    troubles: list[str]
    offers: list[OpenOffer]
    holds: list[EndingHold]
    decisions: list[Figures]
    clashes: list[ClashOut]
    failed: list[FailedWork]
    drafts: list[DraftNotReady]
    lists: list[StandingList]
    requests: list[RequestOut]
    money: list[MoneyWaitsOut]
    prepared: list[PreparationLine]
    cards: list[CardPaymentOut]
    reminders: list[ReminderOut]
    meetings: list[ListedMeeting]


class UserName(View):
    id: int
    name: str
