"""Live screens: what moved since a screen last asked."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import or_, select

from archgate.actions.across.views import ChangeOut, PulseOut
from archgate.actions.kernel import lookups
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.clock import system_now
from archgate.tables.access import User
from archgate.tables.log import Change

OVERLAP = timedelta(seconds=15)  # a change may be committed after one with a higher number
MOST = 50


def pulse(uow: UnitOfWork, seen: int, run_id: int | None = None) -> PulseOut:
    """Changes newer than `seen`, of one run or of all, newest last.

    Those of the last seconds come again, since transactions end out of order; the screen knows them by their key.
    """
    query = (
        select(Change, User.name)
        .outerjoin(User, User.id == Change.user_id)
        .where(or_(Change.id > seen, Change.entered_at > system_now() - OVERLAP))
        .order_by(Change.id.desc())
        .limit(MOST)
    )
    if run_id is not None:
        query = query.where(Change.run_id == run_id)
    changes = [
        ChangeOut(
            key=change.key,
            summary=change.summary,
            by=name,
            own=change.user_id == (uow.user.id if uow.user else None),
            at=change.entered_at,
            run_id=change.run_id,
        )
        for change, name in uow.session.execute(query)
    ]
    return PulseOut(revision=lookups.revision(uow), today=uow.today, changes=changes[::-1])
