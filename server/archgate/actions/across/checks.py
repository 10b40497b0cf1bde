"""Checks that run every night, in tests and by hand: the books balance, the seats count, the moments agree."""

from __future__ import annotations

from datetime import timedelta
from functools import partial

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, selectinload, sessionmaker

from archgate.actions.fees import codes, stock
from archgate.actions.kernel.unit_of_work import UnitOfWork, act, read_only, sweep_keys
from archgate.actions.money import accounts, invoices, money, owing
from archgate.actions.people import words
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core.schedule import Extra, built
from archgate.core.states import JobStatus
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.jobs import Job
from archgate.tables.schedule import Meeting

KEPT = timedelta(days=90)  # done and dropped work without a message


def moment_faults(uow: UnitOfWork) -> list[str]:
    """Coming meetings whose stored moment is no longer what the zone's rules give for their wall-clock time."""
    faults = []
    runs = {r.id: r for r in uow.session.scalars(select(Run))}
    for m in uow.session.scalars(select(Meeting).where(Meeting.starts_at > uow.now)):
        run = runs[m.run_id]
        if built(Extra(m.date, m.start, m.minutes), schedule.zone_of(run, m.place)).start != m.starts_at:
            faults.append(
                f"The meeting of {run.code} on {m.date} no longer starts at {m.start:%H:%M} by the clock."
            )
    return faults


def wrong_runs(uow: UnitOfWork) -> dict[Run, tuple[list[str], list[str]]]:
    """Runs, by id, whose stored gates are not those that their dates, fees and rules give, each once: with the gates too
    many and those that lack. Those of cancelled and archived runs stand as they were."""
    whole = (
        select(Run)
        .where(Run.status.not_in(schedule.CLOSED))
        .order_by(Run.id)
        .options(
            selectinload(Run.gates),
            selectinload(Run.all_meetings),
            selectinload(Run.rates).selectinload(Rate.early),
        )
    )
    by_run = {run: gates.wrong_gates(uow, run) for run in uow.session.scalars(whole)}
    return {run: wrong for run, wrong in by_run.items() if any(wrong)}


def gate_faults(uow: UnitOfWork) -> list[str]:
    """Runs with wrong gates, and which."""
    return [
        f"The gates of {run.code} are not those its dates and fees give:"
        f" too many {', '.join(many) or 'none'}; missing {', '.join(lack) or 'none'}."
        for run, (many, lack) in wrong_runs(uow).items()
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


def everything(uow: UnitOfWork) -> str:
    """All checks, in one sentence or with everything that is wrong."""
    wrong = [
        *money.ledger_faults(uow),
        *accounts.account_faults(uow),
        *owing.faults(uow),
        *words.faults(uow),
        *invoices.series_faults(uow),
        *seats.wrong_rows(uow),
        *moment_faults(uow),
        *gate_faults(uow),
        *stock.stock_faults(uow),
        *codes.uses_faults(uow),
    ]
    return " ".join(wrong[:50]) if wrong else "Everything agrees."


def sweep(uow: UnitOfWork) -> str:
    """Forget idempotency keys after a week, and work without a message that was done long ago."""
    sweep_keys(uow)
    old = uow.session.execute(
        delete(Job).where(
            Job.kind == "make link", Job.status == JobStatus.DONE, Job.done_at < system_now() - KEPT
        )
    )
    return f"Forgot {old.rowcount} done jobs."  # type: ignore[attr-defined]
