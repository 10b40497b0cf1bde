"""What the line, offers, interest lists and seats kept back answer."""

from __future__ import annotations

from datetime import date

from archgate.actions.fees.views import QuoteView
from archgate.actions.kernel.commands import Moment, View
from archgate.core.states import HoldStatus, LineStatus


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


class LineCleared(Cleared):
    told: int


class LineCarried(LineCleared):
    """`stayed`: who is on the other run, or in its line, already."""

    to: str
    stayed: list[str]


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


class PersonWaits(View):
    waiting_id: int
    run_id: int
    code: str
    title: str
    heads: int
    place: int
    joined: Moment


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
    """`over`: its last day is past, and its seats are anybody's. With `days_before` the last day follows the start."""

    id: int
    name: str
    seats: int
    last: date
    days_before: int | None
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
    by_hand: bool
    offers: int
    chance: str | None
    chance_range: list[str] | None
    answers: dict[str, str]
    head_start: int
