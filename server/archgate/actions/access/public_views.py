"""What somebody outside is answered; and access codes and requests as staff see them."""

from __future__ import annotations

from datetime import date

from archgate.actions.kernel.commands import AmountText, Moment, View
from archgate.core.states import PageSetting, RequestStatus, SignUp


class PublicRate(View):
    """A rate with what one head pays now. `why_not`: why whoever looks cannot have it."""

    id: int
    label: str
    amount: AmountText
    why_not: str | None
    left: int | None


class PublicExtraOut(View):
    id: int
    label: str
    amount: AmountText
    required: bool
    most: int | None


class PublicDue(View):
    day: date
    amount: AmountText


class PublicPlan(View):
    id: int
    name: str
    note: str


class SignUpForm(View):
    """All that the form of a run needs. `act` is what can be done now: sign up, code, request, wait, interest or nothing, and `said`
    why. `terms` is what is agreed to as HTML, `terms_mark` its mark; `person` who is signed in."""

    run_id: int
    course_id: int
    title: str
    when: str
    first: date | None
    last: date | None
    where: str
    center: str
    currency: str
    state: SignUp
    act: str
    said: str
    seats: str
    rates: list[PublicRate]
    extras: list[PublicExtraOut]
    plans: list[PublicPlan]
    questions: list[str]
    terms: str
    terms_mark: str
    person: str | None
    email: str | None
    phone: str | None
    given: str
    family: str
    minutes: int
    most: int


class InterestForm(View):
    """What the form of a course's interest list asks, and who is signed in."""

    course_id: int
    title: str
    center: str
    questions: list[str]
    person: str | None
    email: str | None
    phone: str | None
    given: str
    family: str


class PublicLine(View):
    label: str
    amount: AmountText
    why: str


class PublicQuote(View):
    """What is asked costs, and when it is due; `card`: payment details are taken at sign-up, and charged on those days."""

    currency: str
    lines: list[PublicLine]
    taxes: list[PublicLine]
    total: AmountText
    due_now: AmountText
    dues: list[PublicDue]
    heads: int
    can: bool
    said: str
    card: bool


class KeptSeats(View):
    """Whether seats are kept, until when, and how many seconds that is; else why not."""

    kept: bool
    key: str
    until: Moment | None
    seconds: int
    said: str


class CodeFits(View):
    fits: bool
    said: str


class SignedUp(View):
    """What came of a sign-up, as far as it may be said to whoever sent it: the letter says the rest. `pay` is the key by which `pay_now`
    is paid by card at once; of nothing, a card is given that is charged later."""

    title: str
    said: str
    email: str
    total: AmountText
    currency: str
    dues: list[PublicDue]
    held_until: Moment | None
    calendar: str
    pay: str | None = None
    pay_now: AmountText | None = None
    place: int | None = None
    chance: str = ""


class AccessCodeOut(View):
    """A code without the code itself. `state` says in words whether it lets in now."""

    id: int
    label: str
    starts: str | None
    ends: str | None
    most: int | None
    used: int
    active: bool
    state: str


class CameByCode(View):
    enrollment_id: int
    person_id: int
    name: str
    at: Moment


class AccessCodeShown(AccessCodeOut):
    """A code as it is shown when asked for, with who came by it."""

    code: str
    users: list[CameByCode]


class RunCodes(View):
    codes: list[AccessCodeOut]
    link: str


class AccessCodeDone(AccessCodeShown):
    change: str


class RequestOut(View):
    """A request with what was asked for; decided ones say by whom."""

    id: int
    run_id: int
    run: str
    title: str
    name: str
    email: str
    phone: str
    heads: int
    rate: str
    total: AmountText | None
    currency: str
    answers: dict[str, str]
    note: str
    made: Moment
    status: RequestStatus
    decided: Moment | None
    by: str
    word: str
    free: int
    enrollment_id: int | None


class Requests(View):
    """Requests, those to decide on first, the oldest first of them; at most a page."""

    open: int
    requests: list[RequestOut]


class RequestDecided(RequestOut):
    change: str


class ReasonOut(View):
    """One reason, the setting that causes it, and what staff and public are told."""

    setting: PageSetting
    where: str
    staff: str
    public: str


class Rehearsed(View):
    """What somebody finds, can do and pays at a moment. `trouble`: why there is no price."""

    at: Moment
    finds: bool
    why_not_found: list[ReasonOut]
    signs_up: bool
    waits: bool
    why_not: list[ReasonOut]
    rate: str
    quote: PublicQuote | None
    trouble: str
    access_opens: str
    access_ends: date | None
    seats: int
