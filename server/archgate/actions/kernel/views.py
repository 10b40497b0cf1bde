"""What is answered about kernel."""

from __future__ import annotations

from datetime import date, datetime

from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.core.states import JobStatus


class FaultOut(View):
    """What is wrong, at its JSON pointer."""

    at: str
    message: str


class ClashRun(View):
    id: int
    code: str
    title: str


class ClashOut(View):
    """A clash with its sentence; `accepted` is the reason why somebody lets it stand."""

    key: str
    kind: str
    who: str
    instructor_id: int | None
    text: str
    run: ClashRun | None
    meeting_id: int | None
    n: int | None
    other: ClashRun | None
    other_meeting_id: int | None
    other_n: int | None
    date: date
    start: Moment
    end: Moment
    accepted: str | None


class Touch(View):
    """One fact that a change touches; `money`: what it was and becomes are sums of the run's currency."""

    label: str
    before: str | None
    after: str | None
    money: bool = False


class DateFacts(View):
    date: date
    start: Clock
    minutes: int
    place: str | None
    instructor: str | None


class MovedDate(View):
    """A meeting before and after; None where there is none."""

    meeting_id: int
    before: DateFacts | None
    after: DateFacts | None


class MovedInstallment(View):
    name: str
    amount: str
    before: date
    after: date


class MovedInstallments(View):
    number: int
    examples: list[MovedInstallment]


class DueBack(View):
    """What one sign-up gets back as credit when its run is cancelled; `why` also says what is no longer owed."""

    name: str
    amount: str
    why: str


class Outcome(View):
    """What a change did, or with `preview` would do; `change` is the key for undo."""

    change: str | None
    run_id: int
    touches: list[Touch]
    enrolled: int
    dates: list[MovedDate] = []
    made: list[ClashOut] = []
    healed: list[ClashOut] = []
    installments: MovedInstallments | None = None
    told: int = 0
    call_list: int | None = None
    due_back: list[DueBack] = []


class Done(View):
    change: str


class Jobs(View):
    jobs: list[JobOut]
    counts: dict[JobStatus, int]
    rounds: list[Round]


class JobOut(View):
    id: int
    kind: str
    status: JobStatus
    tries: int
    trouble: str
    about: str
    run_id: int | None
    made_at: datetime
    due_at: datetime


class Round(View):
    name: str
    last_at: datetime | None
    found: str


class GuidePage(View):
    """A page of the guide: `html` holds text, lists and links inside the application only."""

    name: str
    title: str
    html: str
