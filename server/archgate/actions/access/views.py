"""What is answered about access."""

from __future__ import annotations

from datetime import date

from archgate.actions.enrolling.views import NextDue
from archgate.actions.kernel.commands import Moment, View
from archgate.actions.money.views import ToPay
from archgate.core.rights import Right
from archgate.core.states import PageStatus, RequestStatus, Told


class Me(View):
    """Who is signed in. `set_up`: their role needs a second factor, and nothing else is open to them until it is set up."""

    id: int
    name: str
    email: str
    role: str
    rights: list[Right]
    set_up: bool
    center: str
    time_zone: str
    currency: str
    first_weekday: int
    today: date
    now: Moment
    told: list[Told]


class OwnPageDone(View):
    change: str
    own_page: OwnPageState | None


class OwnLink(View):
    """What the link of an invitation shows. `stands`: a password can be set by it, else `said` says why not."""

    center: str
    name: str
    email: str
    stands: bool
    said: str


class Said(View):
    said: str


class OwnMeeting(View):
    """`address` and `map_link` are those of the place, `link` joins a meeting that is held online."""

    start: Moment
    minutes: int
    place: str
    address: str
    map_link: str
    link: str


class OwnDue(View):
    """A sum of the plan, and what is still open of it."""

    day: date
    amount: str
    open: str


class OwnCourse(View):
    """`held`: the seat is kept until the first payment. Money is left out where somebody else pays; `enrollment_id` is there where the
    learner can withdraw by themselves."""

    enrollment_id: int | None
    dues: list[OwnDue]

    title: str
    code: str
    heads: int
    held: bool
    meetings: list[OwnMeeting]
    access_until: date | None
    currency: str
    total: str | None
    owed: str | None
    next_due: NextDue | None


class OwnWaiting(View):
    """A place in line; with an open offer its page, and until when it can be answered."""

    title: str
    code: str
    place: int
    heads: int
    chance: str
    offer: str | None
    until: Moment | None


class OwnRequest(View):
    title: str
    code: str
    status: RequestStatus
    word: str


class OwnPast(View):
    title: str
    code: str
    first: date | None
    last: date | None
    status: str


class OwnWithdrawn(View):
    """What came of a withdrawal, or would: what is kept and why, what comes back as credit, what is still owed of what is kept."""

    title: str
    currency: str
    kept: str
    back: str
    owed: str
    why: str


class OwnFeed(View):
    path: str


class OwnPageOut(View):
    """`pay`: what may be paid by card; None where nothing is, or cards are not taken."""

    center: str
    name: str
    email: str | None
    today: date
    currency: str
    owed: str | None
    credit: str | None
    next_due: NextDue | None
    courses: list[OwnCourse]
    waiting: list[OwnWaiting]
    requests: list[OwnRequest]
    past: list[OwnPast]
    given: str
    family: str
    phone: str | None
    teaches: bool
    pay: ToPay | None


class OwnPageState(View):
    """`status`: invited, until the link is used; open, once a password is set."""

    email: str
    status: PageStatus
    sent: Moment
    link_until: Moment | None
