"""Checks that run every night, in tests and by hand: the books balance, the seats count, the moments agree."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session, selectinload, sessionmaker

from archgate.actions.across.views import Checked
from archgate.actions.fees import codes, stock
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork, act, read_only, sweep_keys
from archgate.actions.money import accounts, cards, invoices, money, owing
from archgate.actions.people import words
from archgate.actions.schedule import gates, kept_clashes, schedule
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core.schedule import Extra, built
from archgate.core.states import JobStatus
from archgate.tables import Base
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.jobs import CheckRound, Job, TimedWork
from archgate.tables.money import Account, Posting
from archgate.tables.people import Person
from archgate.tables.plans import Installment
from archgate.tables.schedule import Meeting

KEPT = timedelta(days=90)  # done and dropped work without a message


def moment_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """Coming meetings whose stored moment is no longer what the zone's rules give for their wall-clock time."""
    faults = []
    coming = select(Meeting).where(Meeting.starts_at > uow.now, span.holds(Meeting.id))
    for m in uow.session.scalars(coming.options(selectinload(Meeting.place))):
        run = uow.session.get_one(Run, m.run_id)
        if built(Extra(m.date, m.start, m.minutes), schedule.zone_of(run, m.place)).start != m.starts_at:
            faults.append(
                f"The meeting of {run.code} on {m.date} no longer starts at {m.start:%H:%M} by the clock."
            )
    return faults


def wrong_runs(uow: UnitOfWork, span: Span = ALL) -> dict[Run, tuple[list[str], list[str]]]:
    """Runs, by id, whose stored gates are not those that their dates, fees and rules give, each once: with the gates too
    many and those that lack. Those of cancelled and archived runs stand as they were."""
    whole = (
        select(Run)
        .where(Run.status.not_in(schedule.CLOSED), span.holds(Run.id))
        .order_by(Run.id)
        .options(
            selectinload(Run.gates),
            selectinload(Run.all_meetings),
            selectinload(Run.rates).selectinload(Rate.early),
        )
    )
    by_run = {run: gates.wrong_gates(uow, run) for run in uow.session.scalars(whole)}
    return {run: wrong for run, wrong in by_run.items() if any(wrong)}


def gate_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """Runs with wrong gates, and which."""
    return [
        f"The gates of {run.code} are not those its dates and fees give:"
        f" too many {', '.join(many) or 'none'}; missing {', '.join(lack) or 'none'}."
        for run, (many, lack) in wrong_runs(uow, span).items()
    ]


def heal_gates(sessions: sessionmaker[Session]) -> int:
    """Settle the gates of runs anew where a migration, or a double of old, left them other than they should be; each run
    in a transaction of its own. How many were."""

    def settle(uow: UnitOfWork, run_id: int) -> None:
        gates.settle_gates(uow, seats.run_to_change(uow, run_id))

    wrong = read_only(sessions, lambda uow: [run.id for run in wrong_runs(uow)])
    for run_id in wrong:
        act(sessions, partial(settle, run_id=run_id))
    return len(wrong)


def heal(sessions: sessionmaker[Session]) -> int:
    """What a migration may have left other than it should be: gates, and the clashes that are kept. How much was."""
    lost = read_only(sessions, kept_clashes.faults)
    if lost:
        act(sessions, kept_clashes.keep_all)
    return heal_gates(sessions) + len(lost)


@dataclass(frozen=True)
class Part:
    """A check, worked through by slices of so many ids of a table; `of` None: small enough to be done at once."""

    name: str
    faults: Callable[[UnitOfWork, Span], list[str]]
    of: type[Base] | None = None
    step: int = 0


def whole(faults: Callable[[UnitOfWork], list[str]]) -> Callable[[UnitOfWork, Span], list[str]]:
    return lambda uow, _: faults(uow)


PARTS = (
    Part("postings sum to zero", money.ledger_faults, Posting, 20_000),
    Part("accounts owe what is open", accounts.account_faults, Account, 5_000),
    Part("what is kept of installments", owing.installment_faults, Installment, 20_000),
    Part("what is kept of accounts", owing.account_faults, Account, 5_000),
    Part("what is kept of runs", owing.run_faults, Run, 50),
    Part("people are found", words.faults, Person, 20_000),
    Part("payments by card are booked", whole(cards.card_faults)),
    Part("numbers have no gap", whole(invoices.series_faults)),
    Part("seats", seats.wrong_rows, Run, 50),
    Part("moments of meetings", moment_faults, Meeting, 2_000),
    Part("gates", gate_faults, Run, 50),
    Part("clashes", whole(kept_clashes.faults)),
    Part("stock", whole(stock.stock_faults)),
    Part("codes", whole(codes.uses_faults)),
)
MOST_SAID = 50


def said(wrong: list[str]) -> str:
    """What is wrong in one text, or that nothing is."""
    return " ".join(wrong[:MOST_SAID]) if wrong else "Everything agrees."


def everything(uow: UnitOfWork) -> str:
    """All checks of all rows, at once: for tests, and for a center just brought back."""
    return said([fault for part in PARTS for fault in part.faults(uow, ALL)])


def next_span(uow: UnitOfWork, part: Part, after: int) -> Span | None:
    """The next slice of a part that begins after an id; None when there is none."""
    if part.of is None:
        return ALL if after == 0 else None
    key = part.of.__table__.c.id
    last = uow.session.scalar(select(func.max(key))) or 0
    first = uow.session.scalar(select(func.min(key)).where(key > after))
    return None if first is None or first > last else Span(first - 1, first - 1 + part.step)


def one_slice(uow: UnitOfWork, part: Part, after: int) -> tuple[Span | None, list[str]]:
    """The next slice of a part and what is wrong in it; no slice: the part is done."""
    span = next_span(uow, part, after)
    return span, part.faults(uow, span) if span else []


CHECK = "check the books and the seats"
LOST = timedelta(seconds=60)  # a check that left no word for so long has ended in the middle


def begin(session: Session, now: datetime) -> CheckRound | None:
    """The check to go on with: one that was ended in the middle, else a new one; None while somebody is at it."""
    row = session.scalar(select(CheckRound).order_by(CheckRound.id.desc()).limit(1).with_for_update())
    if row is None or row.done_at is not None or row.begun_at < now - timedelta(days=1):
        row = CheckRound(begun_at=now, part=0, after=0, found=[], alive_at=now)
        session.add(row)
        session.flush()
        return row
    if row.alive_at > now - LOST:
        return None
    row.alive_at = now
    return row


def ask_for(uow: UnitOfWork) -> Checked:
    """Have everything checked at once; what the last check found, and that another begins."""
    row = uow.session.get(TimedWork, CHECK)
    if row is None:
        row = TimedWork(name=CHECK, found="")
        uow.session.add(row)
    row.due_at = system_now()
    return Checked(found=f"A check begins in a moment. Before: {row.found or 'never'}")


def in_slices(sessions: sessionmaker[Session], tell: Callable[[str], None] = lambda text: None) -> str | None:
    """All checks, slice by slice, each in a transaction that holds up nobody; where it stands is written down after each, so
    that one that is ended in the middle goes on from there. What it found; None when another is at it."""
    with sessions.begin() as session:
        row = begin(session, system_now())
        if row is None:
            return None
        number, part, after, found = row.id, row.part, row.after, list(row.found)
    while part < len(PARTS):
        span, wrong = read_only(sessions, partial(one_slice, part=PARTS[part], after=after))
        found += wrong[: MOST_SAID - len(found)]
        part, after = (part, span.last) if span and span is not ALL else (part + 1, 0)
        with sessions.begin() as session:
            row = session.get_one(CheckRound, number)
            row.part, row.after, row.found, row.alive_at = part, after, found, system_now()
        tell(f"{PARTS[min(part, len(PARTS) - 1)].name}, after {after:,}")
    with sessions.begin() as session:
        session.get_one(CheckRound, number).done_at = system_now()
        session.execute(update(TimedWork).where(TimedWork.name == CHECK).values(found=said(found)))
    return said(found)


def sweep(uow: UnitOfWork) -> str:
    """Forget idempotency keys after a week, and work without a message that was done long ago."""
    sweep_keys(uow)
    kept_clashes.sweep(uow)
    old = uow.session.execute(
        delete(Job).where(
            Job.kind == "make link", Job.status == JobStatus.DONE, Job.done_at < system_now() - KEPT
        )
    )
    return f"Forgot {old.rowcount} done jobs."  # type: ignore[attr-defined]
