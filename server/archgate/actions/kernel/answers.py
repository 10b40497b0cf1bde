"""What answers share: plain values, what a change touches, the refusal of a lost update."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, time
from enum import StrEnum

from pydantic import BaseModel
from sqlalchemy import func, select

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome, Touch
from archgate.tables.courses import Run
from archgate.tables.roster import Enrollment


def shown(value: object) -> object:
    """A value as screens show and send it back: dates and times as text, to the minute; an enumeration by its word; of a document
    what is said in it, since one side writes nothing where the other leaves out."""
    if isinstance(value, time):
        return value.strftime("%H:%M")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, BaseModel):
        return shown(value.model_dump(mode="json", by_alias=True))
    if isinstance(value, dict):
        return {name: shown(v) for name, v in value.items() if v is not None}
    if isinstance(value, list | tuple):
        return [shown(v) for v in value]
    return str(value) if isinstance(value, StrEnum) else value


def refuse_lost_update(
    new: Mapping[str, object], seen: Mapping[str, object], now: Mapping[str, object]
) -> None:
    """Only a field that somebody else changed since it was seen conflicts; both values go back (409)."""
    both = {}
    for name, value in new.items():
        was, stands, wanted = shown(seen.get(name)), shown(now[name]), shown(value)
        if name in seen and stands not in (was, wanted):
            both[name] = {"seen": was, "now": stands, "yours": wanted}
    if both:
        names = ", ".join(name.replace("_", " ") for name in both)
        raise Problem(
            409, "changed-meanwhile", f"Somebody else changed this meanwhile: {names}.", fields=both
        )


def outcome(uow: UnitOfWork, run: Run, change_key: str | None, touches: list[Touch]) -> Outcome:
    """What a change to a run touches, for the margin: facts before and after, and how many are enrolled."""
    enrolled = uow.session.scalar(
        select(func.count()).select_from(Enrollment).where(Enrollment.run_id == run.id, Enrollment.live == 1)
    )
    return Outcome(change=change_key, run_id=run.id, touches=touches, enrolled=enrolled or 0)
