"""What the roster, its groups, its attendance and its calls answer."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from archgate.actions.enrolling.line_views import WaitingOut
from archgate.actions.enrolling.views import LetterOut
from archgate.actions.kernel.commands import Moment, SignedText, View
from archgate.core.states import CallOutcome, Mark, Role


class Held(View):
    id: int
    date: date
    start: str
    past: bool


class Attending(View):
    """`marks` by meeting; `share` is the percent of the marked meetings that were attended, excused ones left out."""

    person_id: int
    enrollment_id: int
    name: str
    marks: dict[str, str]
    share: str | None


class AttendanceOut(View):
    run_id: int
    code: str
    marks: list[Mark]
    meetings: list[Held]
    people: list[Attending]


class AttendanceDone(AttendanceOut):
    change: str


class CallRow(View):
    person_id: int
    name: str
    phone: str | None
    email: str | None
    message: str | None
    outcome: CallOutcome | None
    note: str


class TeacherCall(View):
    """Somebody who would have taught, and how to reach them."""

    name: str
    phone: str | None


class CallList(View):
    meeting_id: int
    run_id: int
    run_code: str
    title: str
    date: date
    start: Moment
    cancelled: bool
    why: str
    instructors: list[TeacherCall]
    instructor_paid: bool | None
    people: list[CallRow]


class WithRole(View):
    """`said`: what becomes of seat and money; `total`: what a learner's seat costs."""

    change: str
    enrollment_id: int
    name: str
    role: Role
    run_id: int
    total: str | None = None
    said: str = ""


class GroupOut(View):
    id: int
    name: str
    people: int


class Grouped(View):
    change: str
    people: int
    groups: list[GroupOut]


class Gone(View):
    name: str
    at: Moment


class PartyHead(View):
    """A head of a party beside who signed up; without a name yet, nobody's."""

    n: int
    person_id: int | None
    name: str | None


class RosterRow(NamedTuple):
    """One enrollment of a roster, compact: an array in JSON, in the order of the roster's `columns`."""

    id: int
    person_id: int
    name: str
    email: str | None
    phone: str | None
    way_in: str
    batch: int | None
    rate: str
    payer: str | None
    total: SignedText
    owed: SignedText
    next_due: str | None
    next_amount: SignedText | None
    signed_up: str
    entered_by: str
    heads: int
    places: list[PartyHead]
    note: str
    role: Role
    group: int | None
    held_until: Moment | None
    set_aside: int | None
    received_on: str | None
    exception: str | None
    answers: dict[str, str]
    sentence: int | None


class SentenceRead(View):
    """A sentence by which people came onto a run, as it reads."""

    id: int
    text: str


class Roster(View):
    """`rows` hold the values of `columns`, in order."""

    run_id: int
    capacity: int
    smallest: int
    taken: int
    currency: str
    fees: str
    owed: str
    columns: list[str]
    rows: list[RosterRow]
    waiting: list[WaitingOut]
    withdrawn: list[Gone]
    groups: list[GroupOut]
    sentences: list[SentenceRead]
    free: int
    held: int
    offered: int
    set_aside: int
    chance_why: str
    revision: int


class Unlisted(View):
    person_id: int
    name: str
    way_in: str


class RosterCompared(View):
    """`without` are on the roster and not on the list, `missing` the other way round."""

    run_id: int
    without: list[Unlisted]
    missing: list[str]
    both: int


class TellDone(View):
    """`first`: the letter as the first of them gets it."""

    """`without` have no email and are called instead."""

    change: str
    told: int
    without: list[str]
    first: LetterOut
