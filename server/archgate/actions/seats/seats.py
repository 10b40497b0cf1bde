"""The seat row of a run: locked and written before anything that changes who sits where."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Protocol

from sqlalchemy import (
    ColumnElement,
    Row,
    String,
    Subquery,
    bindparam,
    cast,
    func,
    literal,
    or_,
    select,
    update,
)
from sqlalchemy.orm import joinedload
from sqlalchemy.orm.attributes import set_committed_value

from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork, note_row
from archgate.core import seats
from archgate.core.states import HoldStatus, LineStatus, Role
from archgate.core.waitlist import Party, Rule, in_order
from archgate.tables.courses import Center, Run
from archgate.tables.people import PersonTag
from archgate.tables.roster import Enrollment
from archgate.tables.seats import HeldPlace, RunSeats, SetAside
from archgate.tables.waitlist import Waiting


def lock_seats(uow: UnitOfWork, run: Run) -> RunSeats:
    """Lock the run's seat row, and write it, before anything that changes who sits where.

    The written row is what a cluster certifies. The run itself is read anew under the lock.
    """
    row, _ = write_row(uow, run.id)
    uow.session.refresh(run)
    return row


def lock_run(uow: UnitOfWork, run_id: int) -> tuple[Run, RunSeats]:
    """The same by the run's id: the run is read once, under the lock."""
    row, _ = write_row(uow, run_id)
    return uow.session.get_one(Run, run_id, populate_existing=True), row


def run_to_change(uow: UnitOfWork, run_id: int) -> Run:
    """A run for an act that changes its dates, terms, gates, seats or people: locked first, read under the lock, so that
    of two at once the second sees what the first did. `transaction` refuses to write a run's rows without it."""
    return lock_run(uow, run_id)[0]


def is_locked(uow: UnitOfWork, run_id: int) -> bool:
    return run_id in uow.session.info.get("locked seats", {})


OF_RUN = RunSeats.run_id == bindparam("run")
WRITE = (
    update(RunSeats)
    .where(OF_RUN)
    .values(version=RunSeats.version + 1)
    .execution_options(synchronize_session=False)
)
READ = (
    select(RunSeats, select(Center.revision).scalar_subquery())
    .where(OF_RUN)
    .execution_options(populate_existing=True)
)


def write_row(uow: UnitOfWork, run_id: int) -> tuple[RunSeats, int]:
    """Lock the seat row of a run by writing it; the row, and the revision of what the center adds to runs."""
    uow.session.execute(WRITE, {"run": run_id})
    seat_row = uow.session.execute(READ, {"run": run_id}).one_or_none()
    if seat_row is None:
        raise not_found("This run")
    row, center_revision = seat_row
    uow.session.info.setdefault("locked seats", {})[run_id] = (
        row  # kept, or the session forgets it and reads it anew
    )
    return row, center_revision or 0


TAKE = update(RunSeats).where(OF_RUN).values(taken=RunSeats.taken + bindparam("heads"))


TAKE_NEW = TAKE.values(
    sign_ups=RunSeats.sign_ups + bindparam("sign_ups"), income=RunSeats.income + bindparam("total")
)


def take(uow: UnitOfWork, run_id: int, heads: int, total: int | None = None, sign_ups: int = 1) -> None:
    """Count so many heads more on a run, or fewer; under its lock, and logged as any other change. `total` is what so many new
    sign-ups come to; without it what the run brings is counted anew at the end of the act."""
    row = uow.session.get_one(RunSeats, run_id)
    before, after = row.taken, row.taken + heads
    if total is None:
        uow.touched.runs.add(run_id)
        uow.session.connection().execute(TAKE, {"run": run_id, "heads": heads})
    else:
        new = {"run": run_id, "heads": heads, "total": total, "sign_ups": sign_ups}
        uow.session.connection().execute(TAKE_NEW, new)
    set_committed_value(row, "taken", after)
    note_row(uow, row, {"taken": before}, {"taken": after})


def lock_both(uow: UnitOfWork, here: Run, there: Run) -> None:
    """Lock the seats of two runs, always in the order of their ids, so that two who cross never wait for each other."""
    for run in sorted({here, there}, key=lambda r: r.id):
        lock_seats(uow, run)


class InLine(Protocol):
    """What of a place in line the core looks at."""

    @property
    def id(self) -> int: ...
    @property
    def heads(self) -> int: ...
    @property
    def joined_at(self) -> datetime: ...
    @property
    def head_start(self) -> int: ...


def party(row: InLine) -> Party[int]:
    """A stored place in line, whole or only these facts of it, as the core sees it."""
    return Party(row.id, row.heads, row.joined_at, row.head_start)


def line_of(uow: UnitOfWork, run_id: int, offered: bool = False) -> list[Waiting]:
    """Who waits for a run, first in line first; with `offered` also those who have an offer to answer."""
    query = select(Waiting).where(Waiting.run_id == run_id, Waiting.live == 1)
    rows = uow.session.scalars(query.options(joinedload(Waiting.person))).all()
    by_id = {w.id: w for w in rows if offered or w.status == LineStatus.WAITING}
    return [by_id[p.id] for p in in_order([party(w) for w in by_id.values()])]


LINE_AND_KEPT = (
    select(
        cast(Waiting.status, String(20)).label("status"),
        Waiting.id,
        Waiting.heads,
        Waiting.joined_at,
        Waiting.head_start,
    )
    .where(Waiting.run_id == bindparam("run"), Waiting.live == 1)
    .union_all(
        select(literal("held"), HeldPlace.id, HeldPlace.seats, HeldPlace.made_at, literal(0)).where(
            HeldPlace.run_id == bindparam("run"),
            HeldPlace.status == HoldStatus.HELD,
            HeldPlace.last >= bindparam("today"),
            or_(HeldPlace.until.is_(None), HeldPlace.until > bindparam("now")),
        ),
        select(literal("set aside"), SetAside.id, SetAside.seats, literal(None), literal(0)).where(
            SetAside.run_id == bindparam("run"), SetAside.active
        ),
    )
)


def seats_of(uow: UnitOfWork, run: Run, row: RunSeats | None = None) -> seats.Seats:
    """The seats of a run as they stand; certain only under the lock, when `row` is the locked row."""
    session = uow.session
    taken = row.taken if row else session.scalar(select(RunSeats.taken).where(RunSeats.run_id == run.id)) or 0
    rows = session.execute(LINE_AND_KEPT, {"run": run.id, "today": uow.today, "now": uow.now}).all()
    return seats_from(uow, run, taken, rows)


LineAndKept = Row[str, int, int, datetime, int]


def seats_from(uow: UnitOfWork, run: Run, taken: int, rows: Sequence[LineAndKept]) -> seats.Seats:
    """The seats of a run by what was read of its line and of seats kept (`LINE_AND_KEPT`)."""
    line = in_order([party(row) for row in rows if row.status == "waiting"])
    return seats.Seats(
        run.capacity,
        taken,
        tuple(p.heads for p in line),
        run.overbook,
        sum(row.heads for row in rows if row.status == "held"),
        sum(row.heads for row in rows if row.status == "offered"),
        tuple(set_asides_of(uow, run.id)) if any(row.status == "set aside" for row in rows) else (),
        uow.today,
        Rule(run.line_rule),
        sum(row.status == "offered" for row in rows),
    )


def set_asides_of(uow: UnitOfWork, run_id: int) -> list[seats.SetAside]:
    """The seats set aside on a run, with how many of each its group has taken."""
    rows = uow.session.scalars(
        select(SetAside)
        .where(SetAside.run_id == run_id, SetAside.active)
        .order_by(SetAside.last, SetAside.id)
    ).all()
    if not rows:
        return []
    used = dict(
        uow.session.execute(
            select(Enrollment.set_aside_id, func.sum(Enrollment.heads))
            .where(Enrollment.live == 1, Enrollment.set_aside_id.in_([r.id for r in rows]))
            .group_by(Enrollment.set_aside_id)
        ).all()
    )
    return [seats.SetAside(r.id, r.name, r.seats, r.last, int(used.get(r.id, 0))) for r in rows]


class Groups:
    """Whose set-aside seats somebody may have: by a tag, or because the organization pays. Read once for all of a list,
    or for `only` one person."""

    def __init__(self, uow: UnitOfWork, run: Run, only: int | None = None) -> None:
        query = select(SetAside).where(SetAside.run_id == run.id, SetAside.active, SetAside.last >= uow.today)
        self.rows = uow.session.scalars(query.order_by(SetAside.last, SetAside.id)).all()
        tags = {row.tag for row in self.rows if row.tag}
        tagged = select(PersonTag.tag, PersonTag.person_id).where(PersonTag.tag.in_(tags))
        if only is not None:
            tagged = tagged.where(PersonTag.person_id == only)
        self.tagged = {(tag, person) for tag, person in uow.session.execute(tagged)} if tags else set()

    def of(self, person_id: int | None, organization_id: int | None) -> int | None:
        for row in self.rows:
            if (row.tag, person_id) in self.tagged or (
                row.organization_id and row.organization_id == organization_id
            ):
                return row.id
        return None


def group_for(uow: UnitOfWork, run: Run, person_id: int | None, organization_id: int | None) -> int | None:
    return Groups(uow, run, person_id or 0).of(person_id, organization_id)


def live_heads(uow: UnitOfWork, run_id: int) -> int:
    """The heads of all live enrollments of learners on a run."""
    counted = heads_by_run()
    return int(uow.session.scalar(select(counted.c.heads).where(counted.c.run_id == run_id)) or 0)


def heads_by_run(span: Span = ALL) -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """The heads of all live enrollments of learners, by run: what the seat rows must agree with."""
    query = select(Enrollment.run_id, func.sum(Enrollment.heads).label("heads"))
    return (
        query.where(Enrollment.live == 1, Enrollment.role == Role.LEARNER, span.holds(Enrollment.run_id))
        .group_by(Enrollment.run_id)
        .subquery()
    )


def wrong_rows(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """What is wrong with the seat rows of all runs (`core.seats.check_seats`), each with its run."""
    counted, whole = heads_by_run(span), Run.capacity + Run.overbook
    heads = func.coalesce(counted.c.heads, 0)
    query = (
        select(Run.code, whole, RunSeats.taken, heads)
        .join(RunSeats, RunSeats.run_id == Run.id)
        .outerjoin(counted, counted.c.run_id == Run.id)
        .where(span.holds(Run.id), or_(RunSeats.taken != heads, RunSeats.taken > whole))
        .order_by(Run.code)
    )
    return [
        f"{code}: {wrong}"
        for code, most, taken, real in uow.session.execute(query)
        for wrong in seats.check_seats(most, taken, int(real))
    ]


def held_for(uow: UnitOfWork, run: Run, held_id: int) -> int:
    """How many places are still held under a hold of this run."""
    row = uow.session.get(HeldPlace, held_id)
    return row.seats if row and row.run_id == run.id and row.status == HoldStatus.HELD else 0


def use_hold(uow: UnitOfWork, run: Run, held_id: int, heads: int) -> None:
    """Take so many of held places for a sign-up; under the run's lock, before its seats are counted."""
    row = uow.session.get(HeldPlace, held_id)
    if row is None or row.run_id != run.id or row.status != HoldStatus.HELD:
        raise conflict("not-held", "These places are not held any more.")
    if heads > row.seats:
        raise conflict("held-fewer", f"{row.seats} places are held for {row.for_whom}, not {heads}.")
    row.seats -= heads
    if row.seats == 0:
        row.status, row.ended_at = HoldStatus.USED, uow.now
    uow.session.flush()


def kept_back_of(today: date, now: datetime) -> ColumnElement[int]:
    """The seats of each run of a query that are held, on offer or set aside, as an SQL expression beside `Run`."""
    held_places = select(func.coalesce(func.sum(HeldPlace.seats), 0)).where(
        HeldPlace.run_id == Run.id,
        HeldPlace.status == HoldStatus.HELD,
        HeldPlace.last >= today,
        or_(HeldPlace.until.is_(None), HeldPlace.until > now),
    )
    offered = select(func.coalesce(func.sum(Waiting.heads), 0)).where(
        Waiting.run_id == Run.id, Waiting.status == LineStatus.OFFERED, Waiting.live == 1
    )
    used = select(func.coalesce(func.sum(Enrollment.heads), 0)).where(
        Enrollment.set_aside_id == SetAside.id, Enrollment.live == 1
    )
    left = func.greatest(0, SetAside.seats - used.correlate(SetAside).scalar_subquery())
    aside = select(func.coalesce(func.sum(left), 0)).where(
        SetAside.run_id == Run.id, SetAside.active, SetAside.last >= today
    )
    parts = [q.correlate(Run).scalar_subquery() for q in (held_places, offered, aside)]
    return parts[0] + parts[1] + parts[2]
