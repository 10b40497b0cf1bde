"""What the tests make for themselves: runs, people and whole rosters, each test its own, none ever emptied."""

from __future__ import annotations

import itertools
import json
import os
import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.across import checks
from archgate.actions.courses import texts
from archgate.actions.courses.commands import TextPatch
from archgate.actions.enrolling import enrollments, roster
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork, act, read_only
from archgate.actions.people import people
from archgate.actions.people.commands import PersonCommand
from archgate.actions.runs import making, publication, showing
from archgate.actions.runs.commands import PublicationPatch, RunCommand

PASSWORD = "a long enough word"
# When the tests begin in the test center, whatever day it is outside: 10 in the morning of 20 August 2027, New York time.
MORNING = datetime(2027, 8, 20, 14, tzinfo=UTC)
TODAY = MORNING.date()
DATA = Path(__file__).parent / "data"
number = itertools.count(1001)  # of one width, so that names sort as they were made


def shown(answer: Any) -> Any:
    """An answer as a screen gets it: views as their JSON."""
    if isinstance(answer, BaseModel):
        return json.loads(answer.model_dump_json(by_alias=True))
    return [shown(x) for x in answer] if isinstance(answer, list) else answer


@dataclass(frozen=True)
class Office:
    """Acts as one user at one business moment."""

    sessions: sessionmaker[Session]
    user: Any
    at: datetime

    def act(
        self, action: Callable[[UnitOfWork], Any], once: Once | None = None, preview: bool = False
    ) -> Any:
        return shown(act(self.sessions, action, self.user, once=once, preview=preview, at=self.at))

    def read(self, reading: Callable[[UnitOfWork], Any]) -> Any:
        return shown(read_only(self.sessions, reading, self.user, at=self.at))

    def later(self, **time: float) -> Office:
        return replace(self, at=self.at + timedelta(**time))


@dataclass
class Looked:
    """What of a database was found to agree: the highest ids when the test at hand began to look, and when it last did."""

    test: str = ""
    before: dict[str, int] = field(default_factory=dict)
    last: dict[str, int] = field(default_factory=dict)


LOOKED: dict[int, Looked] = {}


def agrees(office: Office) -> None:
    """The books, seats, moments and gates of all that was written since another test last looked; the older rows of a worker's
    database are looked at once more when its tests are over."""
    looked, test = LOOKED.setdefault(id(office.sessions), Looked()), os.environ["PYTEST_CURRENT_TEST"]
    if looked.test != test:
        looked.test, looked.before = test, looked.last
    looked.last, faults = office.read(lambda d: faults_since(d, looked.before))
    assert faults == []


def faults_since(uow: UnitOfWork, before: dict[str, int]) -> tuple[dict[str, int], list[str]]:
    """The highest ids now, and what is wrong above those of before, or in what is not looked at by ids."""
    last: dict[str, int] = {}
    faults: list[str] = []
    for part in checks.PARTS:
        if part.of is not None:
            last[part.name] = uow.session.scalar(select(func.max(part.of.__table__.c.id))) or 0
            faults += part.faults(uow, Span(before.get(part.name, 0), last[part.name]))
        elif part.name != "clashes":  # as many as there are meetings
            faults += part.faults(uow, ALL)
    return last, faults


def run_form(**changes: Any) -> dict[str, Any]:
    """A flyer: eight Tuesday evenings from 14 September 2027, 240.00, 210.00 through 27 August."""
    n = next(number)
    form = {
        "course": {"code": f"T{n}", "title": f"Test course {n}"},
        "place": f"Hall {n}",  # a room of its own: only what a test is about clashes
        "capacity": 14,
        "smallest": 6,
        "pattern": {
            "first": "2027-09-14", "start": "17:30", "minutes": 105, "weekdays": ["TU"], "count": 8,
        },
        "rates": [{"amount": "240.00", "early": [{"days_before": 18, "amount": "210.00"}]}],
        "plans": [{
            "name": "Halves",
            "lines": [
                {"percent": "50", "due": {"after_sign_up": 0}},
                {"percent": "50", "due": {"after_sign_up": 30}},
            ],
        }],
    }  # fmt: skip
    return {**form, **changes}


def a_draft(office: Office, **changes: Any) -> dict[str, Any]:
    return office.act(lambda uow: making.create_run(uow, command_of(RunCommand, run_form(**changes))))


def a_run(office: Office, **changes: Any) -> dict[str, Any]:
    """A published run."""
    run = a_draft(office, **changes)
    office.act(lambda uow: making.publish_run(uow, run["id"]))
    return office.read(lambda uow: showing.run_view(uow, run["id"]))


def a_person(office: Office, **facts: Any) -> dict[str, Any]:
    n = next(number)
    body = {"given": f"Given{n}", "family": f"Family{n}", "email": f"p{n}@example.org", **facts}
    return office.act(
        lambda uow: people.create_person(uow, command_of(PersonCommand, {**body, "anyway": True}))
    )


def enrolled(office: Office, run: dict[str, Any], person: dict[str, Any] | None = None, **how: Any) -> Any:
    """Enrolls somebody at the price shown at that moment."""
    somebody = person or a_person(office)
    quote = office.read(lambda uow: quotes.quote_run(uow, run["id"], QuoteCommand()))
    return office.act(
        lambda uow: enrollments.enroll(
            uow,
            command_of(
                EnrollCommand,
                {"run_id": run["id"], "person_id": somebody["id"], "total": quote["total"], **how},
            ),
        )
    )


def wrote(office: Office, course: dict[str, Any], **facts: Any) -> Any:
    """Some fields of a course's draft."""
    return office.act(lambda d: texts.write(d, course["id"], command_of(TextPatch, {"set": facts})))


def published(office: Office, course: dict[str, Any], **facts: Any) -> Any:
    """A course whose page is public."""
    wrote(office, course, **{"summary": "What it is.", **facts})
    return office.act(lambda d: texts.publish(d, course["id"]))


def public_run(office: Office, **changes: Any) -> dict[str, Any]:
    """A run that is on sale, of a course with a public page."""
    run = a_run(office, **changes)
    published(office, run["course"])
    return run


def shown_as(office: Office, run: dict[str, Any], **how: Any) -> Any:
    """Says who finds a run and who signs up for it."""
    return office.act(
        lambda d: publication.change_publication(d, run["id"], command_of(PublicationPatch, {"set": how}))
    )


def roster_of(office: Office, run: dict[str, Any]) -> list[dict[str, Any]]:
    found = office.read(lambda uow: roster.roster(uow, run["id"]))
    return [dict(zip(found["columns"], row, strict=True)) for row in found["rows"]]


def taken(office: Office, run: dict[str, Any]) -> int:
    return office.read(lambda uow: showing.run_view(uow, run["id"]))["taken"]


def at_once(acts: list[Callable[[], Any]]) -> list[Any]:
    """Do all of these at the same moment, each in a thread of its own; what came of each, problems included."""
    go, outcomes = threading.Barrier(len(acts), timeout=20), []

    def one(do: Callable[[], Any]) -> None:
        go.wait()
        try:
            outcomes.append(do())
        except Exception as error:
            outcomes.append(error)

    threads = [threading.Thread(target=one, args=(do,), daemon=True) for do in acts]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert len(outcomes) == len(acts), "some never came back"
    return outcomes
