"""Values of a run that its course's next runs start from."""

from __future__ import annotations

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

DEFAULTED = ("place", "instructor", "capacity", "smallest", *fees.TERMS)


def default_values(run: Run) -> Document:
    """The values of a run that a course may keep as defaults for its next runs, as a form sends them."""
    facts = {name: fact_of(run, name) for name in DEFAULTED if name not in fees.TERMS}
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
    get_course(uow, run.course_id, to_change=True)
    run.course.defaults = {**run.course.defaults, **{n: values[n] for n in names}}
    told = ", ".join(names)
    change = uow.log(
        Act.KEEP_DEFAULTS, run.id, f"Made the {told} of {run.code} the defaults of {run.course.code}"
    )
    touches = [Touch(label="New runs of the course start with", before=None, after=told)]
    return outcome(uow, run, change.key, touches)
