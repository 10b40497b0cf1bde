"""The desk notice of a run: staff cannot miss it while enrolling, and acknowledge each version of it once."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import Deed
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.tables.courses import Run
from archgate.tables.roster import NoticeSeen

MOST = 2000


def notice_of(deed: Deed, run: Run) -> dict[str, Any]:
    """The notice, its version, and whether whoever looks has acknowledged it."""
    seen = False
    if run.desk_notice and deed.user:
        query = select(NoticeSeen.id).where(
            NoticeSeen.user_id == deed.user.id,
            NoticeSeen.run_id == run.id,
            NoticeSeen.version == run.notice_version,
        )
        seen = deed.session.scalar(query) is not None
    return {"text": run.desk_notice, "version": run.notice_version, "seen": seen}


def set_notice(deed: Deed, run_id: int, text: str) -> dict[str, Any]:
    """Put up another notice, or none; it has to be acknowledged anew."""
    run, said = seats.run_to_change(deed, run_id), text.strip()
    if len(said) > MOST:
        raise refuse("/text", f"The notice is longer than {MOST} characters.")
    if said == run.desk_notice:
        return {"change": None, **notice_of(deed, run)}
    run.desk_notice, run.notice_version = said, run.notice_version + 1
    deed.session.flush()
    change = deed.log("change a notice", "run", run.id, f"Desk notice of {run.code}: {said[:120] or 'none'}")
    return {"change": change.key, **notice_of(deed, run)}


def acknowledge(deed: Deed, run_id: int, version: int) -> dict[str, Any]:
    """Say that a version was read; once is enough."""
    run = seats.run_to_change(deed, run_id)
    if version != run.notice_version:
        raise refuse("/version", "The notice has changed meanwhile; read it again.")
    if not notice_of(deed, run)["seen"]:
        deed.session.add(NoticeSeen(user_id=deed.user_id, run_id=run.id, version=version, at=deed.now))
        deed.session.flush()
        deed.log("read a notice", "run", run.id, f"Read the desk notice of {run.code}")
    return notice_of(deed, run)
