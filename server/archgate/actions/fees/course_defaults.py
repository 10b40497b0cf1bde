"""Values of a run that its course's next runs start from."""

from __future__ import annotations

import orjson

from archgate.actions.fees import fees
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome, Touch
from archgate.actions.schedule import teachers
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused
from archgate.documents.reader import Document
from archgate.tables.courses import Run

LINE_RULES = ("overbook", "line_rule", "auto_offer", "offer_hours", "hold_hours")
FACTS = (
    "place",
    "instructor",
    "capacity",
    "smallest",
    "access_days",
    "windows",
    "decision_rule",
    "told",
    "time_zone",
    *LINE_RULES,
)
DEFAULTED = (*FACTS, *fees.TERMS)
ON_DATES = ("windows", "decision_rule")


WORDS = {
    "smallest": "smallest number", "capacity": "number of seats", "access_days": "days of access", "windows": "sign-up windows",
    "decision_rule": "decision day", "told": "list of who is told", "time_zone": "time zone", "overbook": "seats beyond the capacity",
    "line_rule": "rule of the line", "auto_offer": "way seats are offered", "offer_hours": "hours of an offer",
    "hold_hours": "hours a seat is held", "group": "group prices", "plans": "payment plans",
}  # fmt: skip


def default_values(run: Run) -> Document:
    """The values of a run that a course may keep as defaults for its next runs, as a form sends them."""
    facts = {name: fact_of(run, name) for name in FACTS}
    return {**facts, **fees.terms_document(run)}


def fact_of(run: Run, name: str) -> object:
    """A fact of a run as a form sends it; places and instructors by their name."""
    if name == "place":
        return run.place.name if run.place else ""
    if name == "instructor":
        return teachers.text_of(run.teachers)
    fact: object = getattr(run, name)
    return fact


def keep_defaults(uow: UnitOfWork, run_id: int, names: list[str]) -> Outcome:
    """Make values of a run what the course's next runs start from. Other runs stay as they are."""
    run = seats.run_to_change(uow, run_id)
    unknown = [n for n in names if n not in DEFAULTED]
    if unknown or not names:
        raise Refused([Fault("/names", f"A course keeps only these: {', '.join(DEFAULTED)}.")])
    values = default_values(run)
    dated = [n for n in names if n in ON_DATES and '"on"' in orjson.dumps(values[n]).decode()]
    if dated:
        sentence = "Gates on a date are of this run alone; count them from the start to make them a default."
        raise Refused([Fault("/names", sentence)])
    get_course(uow, run.course_id, to_change=True)
    run.course.defaults = {**run.course.defaults, **{n: values[n] for n in names}}
    told = ", ".join(WORDS.get(n, n) for n in names)
    change = uow.log(
        Act.KEEP_DEFAULTS, run.id, f"Made the {told} of {run.code} the defaults of {run.course.code}"
    )
    touches = [Touch(label="New runs of the course start with", before=None, after=told)]
    return outcome(uow, run, change.key, touches)
