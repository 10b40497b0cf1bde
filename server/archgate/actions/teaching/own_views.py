"""What an instructor sees on their own page: next meetings, rosters, what the center lets them do."""

from __future__ import annotations

from datetime import date

from archgate.actions.kernel.commands import Clock, Moment, View
from archgate.actions.schedule.commands import HoursForm
from archgate.actions.schedule.views import BusyOut
from archgate.actions.teaching.views import (
    AgreementOut,
    EvaluationsOut,
    MeetingTeachers,
    PayRequestOut,
    RunTeaching,
    StatementOut,
)
from archgate.core.states import (
    Part,
)


class OwnTeachingMeeting(View):
    meeting_id: int
    run_id: int
    code: str
    title: str
    start: Moment
    minutes: int
    place: str
    address: str
    part: Part
    taken: int
    online: str | None


class OwnRights(View):
    biography: bool
    availability: bool
    attendance: bool
    rosters: bool


class OwnRun(View):
    run_id: int
    code: str
    title: str
    first: date | None
    last: date | None
    taken: int


class OwnTeaching(View):
    """What an instructor sees of themselves."""

    instructor_id: int
    name: str
    biography: str
    picture: bool
    rights: OwnRights
    hours: list[HoursForm]
    absences: list[BusyOut]
    meetings: list[OwnTeachingMeeting]
    runs: list[OwnRun]
    statement: StatementOut
    evaluations: EvaluationsOut
    agreements: list[AgreementOut]


class FeedPath(View):
    path: str


class OwnLearner(View):
    """Somebody on the roster of one's own run: who they are, what is needed, and the mark of the meeting."""

    person_id: int
    name: str
    seats: int
    remark: str
    marks: dict[str, str]


class OwnRosterMeeting(View):
    id: int
    day: date
    start: Clock
    past: bool


class OwnRoster(View):
    run_id: int
    code: str
    title: str
    meetings: list[OwnRosterMeeting]
    people: list[OwnLearner]
    may_mark: bool


PayRequestOut.model_rebuild()
RunTeaching.model_rebuild()
MeetingTeachers.model_rebuild()
StatementOut.model_rebuild()
