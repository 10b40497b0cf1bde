"""What is answered about access."""

from __future__ import annotations

from datetime import date

from archgate.actions.enrolling.views import NextDue
from archgate.actions.kernel.commands import Moment, View
from archgate.core.rights import Right
from archgate.core.states import PageStatus, Told


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
    start: Moment
    minutes: int
    place: str


class OwnCourse(View):
    """`held`: the seat is kept until the first payment. Money is left out where somebody else pays."""

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
    title: str
    code: str
    place: int
    heads: int


class OwnPageOut(View):
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
    teaches: bool


class OwnPageState(View):
    """`status`: invited, until the link is used; open, once a password is set."""

    email: str
    status: PageStatus
    sent: Moment
    link_until: Moment | None
