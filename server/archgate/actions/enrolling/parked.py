"""Calls put aside at the desk: kept for whoever put them aside, on every screen of theirs, until one is taken up."""

from __future__ import annotations

from sqlalchemy import delete, func, select

from archgate.actions.enrolling.commands import ParkCommand
from archgate.actions.enrolling.views import ParkedOut, ParkedState
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.clock import system_now
from archgate.core.faults import refuse
from archgate.tables.roster import ParkedCall

MOST = 20


def listed(uow: UnitOfWork) -> list[ParkedOut]:
    """One's own parked calls, the oldest first."""
    query = select(ParkedCall.id, ParkedCall.about, ParkedCall.at).where(ParkedCall.user_id == uow.user_id)
    rows = uow.session.execute(query.order_by(ParkedCall.at, ParkedCall.id).limit(MOST))
    return [ParkedOut(id=n, about=about, at=uow.local(at)) for n, about, at in rows]


def park(uow: UnitOfWork, command: ParkCommand) -> list[ParkedOut]:
    """Put a call aside."""
    mine = select(func.count()).select_from(ParkedCall).where(ParkedCall.user_id == uow.user_id)
    if (uow.session.scalar(mine) or 0) >= MOST:
        raise refuse("/about", f"At most {MOST} calls are parked; take one up first.")
    row = ParkedCall(user_id=uow.user_id, about=command.about, state=command.state, at=system_now())
    uow.session.add(row)
    uow.session.flush()
    return listed(uow)


def take_up(uow: UnitOfWork, call_id: int) -> ParkedState:
    """Take a call up, which takes it away: on two screens at once one of them gets it."""
    query = select(ParkedCall).where(ParkedCall.id == call_id, ParkedCall.user_id == uow.user_id)
    row = uow.session.scalar(query.with_for_update())
    if row is None:
        raise conflict("taken-up", "This call was taken up already, on another screen of yours.")
    uow.session.execute(delete(ParkedCall).where(ParkedCall.id == row.id))
    return ParkedState(state=row.state, parked=[p for p in listed(uow) if p.id != call_id])
