"""What a run is made of, read once for each of its revisions: its facts, dates, gates, rates, extras and payment plans.

A process keeps what it read of some runs. It is used only under the run's lock, by the revision that was read there, so
it is never older than the run; and nothing is kept of a transaction that has itself changed any of it, as that may be
rolled back. What is kept belongs to nobody: whoever uses it gets copies in their own session, without a statement. The
copies can be made before the lock (`expect`), so that nobody waits for that; they count if the revision is the same under it.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock
from weakref import WeakKeyDictionary

from sqlalchemy import Connection, Engine, bindparam, select
from sqlalchemy.orm import Session, selectinload
from sqlalchemy.orm.util import identity_key

from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import OF_CENTER, UnitOfWork, changed_wholes
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.tables.courses import Center, Run
from archgate.tables.fees import Rate
from archgate.tables.people import Person
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


@dataclass(frozen=True)
class Expected:
    """A run as it stood before its lock: its revisions, how many seats were taken, and its copy in the session."""

    revision: tuple[int, int]
    taken: int
    run: Run

    @property
    def full(self) -> bool:
        return self.taken >= self.run.capacity + self.run.overbook


SEATS = select(RunSeats).where(RunSeats.run_id == bindparam("run")).subquery()
# The person is kept from being merged away meanwhile; the run's seats are only looked at.
AS_IT_STANDS = (
    select(SEATS.c.taken).scalar_subquery(),
    select(SEATS.c.revision).scalar_subquery(),
    select(Center.revision).scalar_subquery(),
)
STANDS = select(*AS_IT_STANDS)
COMING = (
    select(Person, *AS_IT_STANDS)
    .where(Person.id == bindparam("person"))
    .with_for_update(read=True)
    .execution_options(populate_existing=True)
)


def expect(uow: UnitOfWork, person_id: int, run_id: int) -> tuple[Person, Expected | None]:
    """Somebody who comes to a run, present until the end of the act (`people.present`), and the run as it is before the
    lock, if it is kept: for what can be done, or refused, without keeping anybody waiting."""
    found = uow.session.execute(COMING, {"person": person_id, "run": run_id}).one_or_none()
    if found is None:
        raise not_found("This person")
    person, taken, revision, center_revision = found
    people.refuse_merged(uow, person)
    return person, expected_of(uow, run_id, taken, (revision, center_revision or 0))


def look_ahead(uow: UnitOfWork, run_id: int) -> Expected | None:
    """A run as it is before the lock, for acts of somebody who is not known yet; read and kept where it is not. Rows that are newer than
    the revision they were read by do no harm: that revision is never met again under the lock."""
    taken, revision, center_revision = uow.session.execute(STANDS, {"run": run_id}).one()
    return expected_of(uow, run_id, taken, (revision, center_revision or 0), fill=True)


def expected_of(
    uow: UnitOfWork, run_id: int, taken: int | None, revision: tuple[int, int], fill: bool = False
) -> Expected | None:
    engine = uow.session.get_bind()
    if taken is None or not isinstance(engine, Engine) or touched(uow.session, run_id):
        return None
    shelf = shelf_of(engine)
    made = shelf.get(run_id, revision)
    if made is None and fill:
        made = read(uow.session, run_id, revision)
        shelf.put(made)
    if made is None:
        return None
    expected = Expected(made.revision, taken, copied(uow, made))
    uow.session.info["expected"] = expected
    return expected


def touched(session: Session, run_id: int) -> bool:
    """Whether this transaction has read the run by itself, or changed what it is made of."""
    known = session.identity_map.get(identity_key(Run, run_id))
    return known is not None or bool(changed_wholes(session) & {run_id, OF_CENTER})


def copied(uow: UnitOfWork, made: MadeOf) -> Run:
    """What is kept, as copies in the session; they take the place of earlier ones."""
    run = uow.session.merge(made.run, load=False)
    uow.center_plans = [uow.session.merge(plan, load=False) for plan in made.plans]
    return run


def lock_run(uow: UnitOfWork, run_id: int) -> tuple[Run, RunSeats]:
    """Lock a run's seats, and have the run with all that it is made of: as kept where its revision is still the same. Whoever has done
    so in this act has it, without a question."""
    session, engine = uow.session, uow.session.get_bind()
    done: dict[int, tuple[Run, RunSeats]] = session.info.setdefault("read under lock", {})
    if run_id not in done:
        done[run_id] = locked_and_read(uow, run_id, engine)
    return done[run_id]


def locked_and_read(uow: UnitOfWork, run_id: int, engine: Engine | Connection) -> tuple[Run, RunSeats]:
    session = uow.session
    row, center_revision = seats.write_row(uow, run_id)
    revision = (row.revision, center_revision)
    expected: Expected | None = session.info.pop("expected", None)
    if expected is not None and expected.run.id != run_id:
        expected = None
    if expected is not None and expected.revision == revision:
        return expected.run, row
    if (expected is None and touched(session, run_id)) or not isinstance(engine, Engine):
        return session.get_one(Run, run_id, populate_existing=True), row
    shelf = shelf_of(engine)
    made = shelf.get(run_id, revision)
    if made is None:
        made = read(session, run_id, revision)
        shelf.put(made)
    return copied(uow, made), row
