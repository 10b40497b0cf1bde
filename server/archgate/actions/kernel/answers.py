"""What answers share: plain values, what a change touches, the refusal of a lost update."""

from __future__ import annotations

from datetime import time
from typing import Any

from sqlalchemy import func, select

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome, Touch
from archgate.tables.courses import Run
from archgate.tables.roster import Enrollment


def shown(value: Any) -> str:
    """A value as screens show and send it back: dates and times as text, to the minute."""
    if isinstance(value, time):
        return value.strftime("%H:%M")
    return value.isoformat() if hasattr(value, "isoformat") else value


def refuse_lost_update(new: dict[str, Any], seen: dict[str, Any], now: dict[str, Any]) -> None:
    """Only a field that somebody else changed since it was seen conflicts; both values go back (409)."""
    both = {
        name: {"seen": seen[name], "now": now[name], "yours": shown(value)}
        for name, value in new.items()
        if name in seen and shown(now[name]) != seen[name] and shown(now[name]) != shown(value)
    }
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
