"""What is answered when somebody is enrolled, waits or leaves the line."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from archgate.actions.fees.views import QuoteLineView, QuoteView, TaxView
from archgate.actions.kernel.commands import Moment, SignedText, View
from archgate.actions.money.views import NextDue
from archgate.core.states import CallOutcome, EnrollmentStatus, HoldStatus, LineStatus, Mark, Role


class EnrolledView(View):
    """`seat` is the first of its seats, `held_until` in the center's time, where it is held for the first payment only."""

    enrollment_id: int
    run_id: int
    person_id: int
    name: str
    seat: int
    heads: int
    capacity: int
    held_until: Moment | None
    change: str
    quote: QuoteView


class LinedView(View):
    waiting_id: int
    run_id: int
    person_id: int
    name: str
    place: int
    heads: int
    change: str


class LeftView(View):
    change: str
    waiting_id: int
    name: str
    run_id: int


class NamedView(View):
    change: str
    enrollment_id: int
    n: int
    name: str


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


class CallList(View):
    meeting_id: int
    run_id: int
    run_code: str
    title: str
    date: date
    start: Moment
    cancelled: bool
    why: str
    instructor: str | None
    instructor_phone: str | None
    instructor_paid: bool | None
    people: list[CallRow]


class Withdrawal(View):
    """What a withdrawal does with the money; `credit` goes to the payer's account, `owed` stays to be paid. `line` says who
    gets the seat next."""

    enrollment_id: int
    name: str
    currency: str
    account_id: int
    total: str
    paid: str
    kept: str
    why: str
    credit: str
    owed: str
    line: str


class Withdrawn(View):
    change: str
    enrollment_id: int
    name: str
    run_id: int
    taken_back: str
    kept: str
    why: str


class PlanRow(View):
    due: date
    amount: str
    left: str


class HeadsAt(View):
    rate_id: int | None
    count: int


class ExtraTaken(View):
    extra_id: int
    count: int


class SignUpOut(View):
    """One sign-up as agreed; `people`, `extras` and `code` are what it asks for, `plan` its installments as they stand."""

    id: int
    run_id: int
    person_id: int
    name: str
    status: EnrollmentStatus
    role: Role
    held_until: Moment | None
    heads: int
    signed_up: date
    way_in: str
    note: str
    came_from: str | None
    account_id: int
    payer: str
    quote: QuoteView
    people: list[HeadsAt]
    extras: list[ExtraTaken]
    code: str | None
    plan: list[PlanRow]


class SignUpChanged(View):
    """The total and the installments before and after; with `preview` nothing is saved. `credit` is that of the account."""

    change: str
    enrollment_id: int
    name: str
    currency: str
    total_before: str
    total: str
    lines: list[QuoteLineView]
    taxes: list[TaxView]
    before: list[PlanRow]
    after: list[PlanRow]
    credit: str


class Transferred(EnrolledView):
    """`carried` is what settles the new sign-up, `credit` what is left of what was paid, `owed` what is open there."""

    account_id: int
    to: str
    currency: str
    total_before: str
    paid: str
    kept: str
    why: str
    carried: str
    owed: str
    credit: str


class Swapped(View):
    change: str
    enrollment_id: int
    run_id: int
    name: str
    before: str
    payer: str


class MeetingCredit(View):
    """`amount` is taken off the sign-up; `credit` is what of it is free on the account, the rest was still owed."""

    name: str
    account_id: int
    amount: str
    credit: str


class GivenBack(View):
    change: str
    currency: str
    total: str
    people: list[MeetingCredit]


class InterestDone(View):
    change: str
    id: int
    name: str
    what: str
    said: str


class Interested(View):
    id: int
    person_id: int
    name: str
    email: str | None
    phone: str | None
    joined: Moment
    note: str
    answers: dict[str, str]
    told: bool


class NextRun(View):
    id: int
    code: str
    title: str


class InterestList(View):
    """`shut`: why it takes no names any more; `tells_at`: when everybody is told by itself."""

    run_id: int | None
    course_id: int
    title: str
    code: str
    questions: list[str]
    shut: str | None
    said: str
    tells_at: Moment | None
    head_start_hours: int
    told_at: Moment | None
    people: list[Interested]
    next_runs: list[NextRun]


class InterestListDone(InterestList):
    change: str


class Cleared(View):
    change: str
    people: int


class CarriedOver(Cleared):
    to: str


class Demand(View):
    """`open`: runs of the course with room now; `coming`: runs whose sign-up has not opened."""

    course_id: int
    code: str
    title: str
    interested: int
    waiting: int
    open: list[str]
    coming: list[str]


class OneOfMany(View):
    enrollment_id: int
    name: str
    kept: str
    credit: str
    owed: str
    why: str


class ManyDone(View):
    """What it does to each, and to all together."""

    change: str
    currency: str
    people: list[OneOfMany]
    kept: str
    credit: str
    owed: str


class ManyMoved(ManyDone):
    to: str
    to_run_id: int


class OfferDone(View):
    change: str
    waiting_id: int
    name: str
    run_id: int


class ReplyPage(View):
    """An offer, or the invitation of somebody on an interest list, as its page shows it. `stands`: it can still be
    answered, else `said` says what became of it. `full`: an invitation leads to the line."""

    kind: str
    full: bool
    center: str
    name: str
    title: str
    heads: int
    place: str
    first: str | None
    stands: bool
    said: str
    until: str | None
    asked_time: bool
    currency: str
    quote: QuoteView | None


class PersonRun(View):
    """A run a person signed up for, or (`guest`) was named on by somebody else's party."""

    enrollment_id: int
    run_id: int
    code: str
    title: str
    first: date | None
    last: date | None
    status: EnrollmentStatus
    decision: str
    access_until: date | None
    heads: int
    guest: bool
    payer: str | None
    signed_up: date
    currency: str
    total: str
    owed: str
    next_due: NextDue | None


class PersonWaits(View):
    waiting_id: int
    run_id: int
    code: str
    title: str
    heads: int
    place: int
    joined: Moment


class WithRole(View):
    change: str
    enrollment_id: int
    name: str
    role: Role
    run_id: int


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
    """`without` have no email and are called instead."""

    change: str
    told: int
    without: list[str]


class HeldOut(View):
    id: int
    run_id: int
    for_whom: str
    seats: int
    last: date
    note: str
    status: HoldStatus
    person_id: int | None
    organization_id: int | None


class HeldDone(HeldOut):
    change: str


class SetAsideOut(View):
    """`over`: its last day is past, and its seats are anybody's."""

    id: int
    name: str
    seats: int
    last: date
    tag: str | None
    organization_id: int | None
    taken: int
    over: bool


class KeptBack(View):
    """What keeps seats from being sold; `free` is what anybody can have."""

    capacity: int
    overbook: int
    taken: int
    held: int
    offered: int
    free: int
    holds: list[HeldOut]
    set_asides: list[SetAsideOut]


class KeptBackDone(KeptBack):
    change: str


class WaitingOut(View):
    """`next`: the free seats fit this party, and nobody before it. `status` is waiting or offered, `until` the end of the
    offer; `chance` is from 0 to 1, of those who have no offer."""

    id: int
    person_id: int
    name: str
    email: str | None
    phone: str | None
    heads: int
    place: int
    joined: Moment
    rate: str
    payer: str | None
    way_in: str
    note: str
    next: bool
    fits: bool
    status: LineStatus
    until: Moment | None
    asked_time: bool
    offers: int
    chance: str | None
    chance_range: list[str] | None
    answers: dict[str, str]
    head_start: int
