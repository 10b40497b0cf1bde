"""What a run is made of, read once for each of its revisions: its facts, dates, gates, rates, extras and payment plans.

A process keeps what it read of some runs. It is used only under the run's lock, by the revision that was read there, so
it is never older than the run; and nothing is kept of a transaction that has itself changed any of it, as that may be
rolled back. What is kept belongs to nobody: whoever uses it gets copies in their own session, without a statement.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock
from weakref import WeakKeyDictionary

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session, selectinload
from sqlalchemy.orm.util import identity_key

from archgate.actions.kernel.unit_of_work import OF_CENTER, UnitOfWork, changed_wholes
from archgate.actions.seats import seats
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.plans import Plan
from archgate.tables.seats import RunSeats

MOST_KEPT = 64  # runs; what enrolls at the same time is rarely more


@dataclass(frozen=True)
class MadeOf:
    """A run with all that it is made of, and the plans of the center, as of these revisions."""

    revision: tuple[int, int]
    run: Run
    plans: tuple[Plan, ...]


class Shelf:
    """What is kept of one database, the longest unused going first."""

    def __init__(self) -> None:
        self.lock, self.kept = Lock(), OrderedDict[int, MadeOf]()

    def get(self, run_id: int, revision: tuple[int, int]) -> MadeOf | None:
        with self.lock:
            known = self.kept.get(run_id)
            if known is None or known.revision != revision:
                return None
            self.kept.move_to_end(run_id)
            return known

    def put(self, made: MadeOf) -> None:
        with self.lock:
            self.kept[made.run.id] = made
            self.kept.move_to_end(made.run.id)
            while len(self.kept) > MOST_KEPT:
                self.kept.popitem(last=False)


SHELVES: WeakKeyDictionary[Engine, Shelf] = WeakKeyDictionary()
GUARD = Lock()


def shelf_of(engine: Engine) -> Shelf:
    with GUARD:
        return SHELVES.setdefault(engine, Shelf())


def read(session: Session, run_id: int, revision: tuple[int, int]) -> MadeOf:
    """Read it all by a session of its own on the same connection, so that nobody holds these objects."""
    lines = selectinload(Plan.lines)
    whole = (
        select(Run)
        .where(Run.id == run_id)
        .options(
            selectinload(Run.all_meetings),
            selectinload(Run.gates),
            selectinload(Run.rates).selectinload(Rate.early),
            selectinload(Run.extras),
            selectinload(Run.plans).options(lines),
        )
    )
    of_center = select(Plan).where(Plan.run_id.is_(None), Plan.active).order_by(Plan.position, Plan.id)
    with Session(session.connection(), expire_on_commit=False, autoflush=False) as own:
        made = MadeOf(revision, own.scalars(whole).one(), tuple(own.scalars(of_center.options(lines))))
        own.expunge_all()
    return made


def lock_run(uow: UnitOfWork, run_id: int) -> tuple[Run, RunSeats]:
    """Lock a run's seats, and have the run with all that it is made of: as kept where its revision is still the same."""
    row, center_revision = seats.write_row(uow, run_id)
    session, engine = uow.session, uow.session.get_bind()
    known = session.identity_map.get(identity_key(Run, run_id))
    if changed_wholes(session) & {run_id, OF_CENTER} or known is not None or not isinstance(engine, Engine):
        return session.get_one(Run, run_id, populate_existing=True), row
    revision = (row.revision, center_revision)
    shelf = shelf_of(engine)
    made = shelf.get(run_id, revision)
    if made is None:
        made = read(session, run_id, revision)
        shelf.put(made)
    run = session.merge(made.run, load=False)
    uow.center_plans = [session.merge(plan, load=False) for plan in made.plans]
    return run, row
