"""The seat row of a run: locked and written before anything that changes who sits where."""

from __future__ import annotations

from sqlalchemy import func, select

from archgate.actions.transaction import Deed
from archgate.core import seats
from archgate.core.waitlist import Party, in_order
from archgate.tables.courses import Run
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting


def lock_seats(deed: Deed, run: Run) -> RunSeats:
    """Lock the run's seat row, and write it, before anything that changes who sits where.

    The written row is what a cluster certifies. The run itself is read anew under the lock.
    """
    query = select(RunSeats).where(RunSeats.run_id == run.id).with_for_update()
    row = deed.session.scalars(query.execution_options(populate_existing=True)).one()
    row.version += 1
    deed.session.flush()
    deed.session.refresh(run)
    return row


def party(row: Waiting) -> Party:
    """A stored place in line as the core sees it."""
    return Party(row.id, row.heads, row.joined_at)


def line_of(deed: Deed, run_id: int) -> list[Waiting]:
    """Who waits for a run, first in line first."""
    rows = deed.session.scalars(select(Waiting).where(Waiting.run_id == run_id, Waiting.live == 1)).all()
    by_id = {w.id: w for w in rows}
    return [by_id[p.id] for p in in_order([party(w) for w in rows])]


def seats_of(deed: Deed, run: Run) -> seats.Seats:
    """The seats of a run as they stand; certain only under the lock."""
    taken = deed.session.scalar(select(RunSeats.taken).where(RunSeats.run_id == run.id)) or 0
    return seats.Seats(run.capacity, taken, tuple(w.heads for w in line_of(deed, run.id)))


def live_heads(deed: Deed, run_id: int) -> int:
    """The heads of all live enrollments, which the seat row must agree with."""
    total = func.coalesce(func.sum(Enrollment.heads), 0)
    query = select(total).where(Enrollment.run_id == run_id, Enrollment.live == 1)
    return int(deed.session.scalar(query) or 0)
