"""What is known of backups: when the last whole one was made, and what Today says when it is old. System clock."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from archgate.clock import system_now
from archgate.core.schedule import day_text
from archgate.tables.jobs import TimedWork

ROW = "last backup"
OLD = timedelta(hours=36)


def note(session: Session, made_at: datetime | None, said: str) -> None:
    """Write down a backup that was made, or, without a moment, why there is none."""
    row = session.get(TimedWork, ROW)
    if row is None:
        row = TimedWork(name=ROW, due_at=system_now(), found="")
        session.add(row)
    row.last_at, row.found = made_at or row.last_at, said[:2000]


def said_of_last(timed: Mapping[str, TimedWork]) -> str:
    """Why somebody should look after the backups, in a sentence; empty while the last one is recent."""
    row = timed.get(ROW)
    if row is None or row.last_at is None:
        why = f" The last try: {row.found}" if row is not None and row.found else ""
        return f"There is no backup of this center yet. Set ARCHGATE_BACKUPS to a directory, or run ./archgate backup.{why}"
    if system_now() - row.last_at <= OLD:
        return ""
    return (
        f"The last backup is of {day_text(row.last_at.date())}, {row.last_at:%H:%M} UTC, more than {OLD // timedelta(hours=1)} hours"
        f" old. {row.found}"
    )
