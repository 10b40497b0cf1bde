"""Links of online meetings: asked for when a published run has one, kept when the worker got it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from archgate.actions.kernel import queue
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.clock import system_now
from archgate.core.states import PlaceKind
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting, OnlineLink


def ask_for_links(uow: UnitOfWork, run: Run, change_key: str = "") -> int:
    """Put in line a link for every coming online meeting of a run that people know of and that has none."""
    if not run.known:
        return 0
    has = set(
        uow.session.scalars(
            select(OnlineLink.meeting_id)
            .join(Meeting, Meeting.id == OnlineLink.meeting_id)
            .where(Meeting.run_id == run.id)
        )
    )
    wanted = [
        m
        for m in run.meetings
        if m.place and m.place.kind == PlaceKind.ONLINE and m.id not in has and m.ends_at > uow.now
    ]
    for m in wanted:
        about = f"{run.code}, {m.date.isoformat()}"
        queue.queue(
            uow,
            "make link",
            f"link:{uow.center.uid}:{m.id}",
            {"meeting_id": m.id, "about": about},
            change=change_key,
            run_id=run.id,
        )
    return len(wanted)


def keep(session: Session, meeting_id: int, link: str, host_key: str) -> None:
    """Keep the link of a meeting that still exists."""
    if session.get(Meeting, meeting_id) is not None and session.get(OnlineLink, meeting_id) is None:
        session.add(OnlineLink(meeting_id=meeting_id, link=link, host_key=host_key, made_at=system_now()))
