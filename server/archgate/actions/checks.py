"""Checks that run every night, in tests and by hand: the books balance, the seats count, the moments agree."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import delete, func, select

from archgate.actions import accounts, codes, invoices, money, schedule, stock
from archgate.actions.transaction import Deed, sweep_keys
from archgate.clock import system_now
from archgate.core.schedule import Extra, built
from archgate.tables.courses import Run
from archgate.tables.jobs import Job
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting
from archgate.tables.seats import RunSeats

KEPT = timedelta(days=90)  # done and dropped work without a message


def seat_faults(deed: Deed) -> list[str]:
    """Seat rows that differ from the heads of their live enrollments."""
    counted = (
        select(Enrollment.run_id, func.sum(Enrollment.heads).label("heads"))
        .where(Enrollment.live == 1, Enrollment.role == "learner")
        .group_by(Enrollment.run_id)
        .subquery()
    )
    heads = func.coalesce(counted.c.heads, 0)
    query = select(Run.code, RunSeats.taken, heads).join(RunSeats, RunSeats.run_id == Run.id)
    query = query.outerjoin(counted, counted.c.run_id == Run.id).where(RunSeats.taken != heads)
    return [
        f"{code} counts {taken} seats and has {int(real)}."
        for code, taken, real in deed.session.execute(query)
    ]


def moment_faults(deed: Deed) -> list[str]:
    """Coming meetings whose stored moment is no longer what the zone's rules give for their wall-clock time."""
    found = []
    runs = {r.id: r for r in deed.session.scalars(select(Run))}
    for m in deed.session.scalars(select(Meeting).where(Meeting.starts_at > deed.now)):
        run = runs[m.run_id]
        if built(Extra(m.date, m.start, m.minutes), schedule.zone_of(run, m.place)).start != m.starts_at:
            found.append(
                f"The meeting of {run.code} on {m.date} no longer starts at {m.start:%H:%M} by the clock."
            )
    return found


def everything(deed: Deed) -> str:
    """All checks, in one sentence or with everything that is wrong."""
    wrong = [
        *money.ledger_faults(deed),
        *accounts.account_faults(deed),
        *invoices.series_faults(deed),
        *seat_faults(deed),
        *moment_faults(deed),
        *stock.stock_faults(deed),
        *codes.uses_faults(deed),
    ]
    return " ".join(wrong[:50]) if wrong else "Everything agrees."


def sweep(deed: Deed) -> str:
    """Forget idempotency keys after a week, and work without a message that was done long ago."""
    sweep_keys(deed)
    old = deed.session.execute(
        delete(Job).where(Job.kind == "make link", Job.status == "done", Job.done_at < system_now() - KEPT)
    )
    return f"Forgot {old.rowcount} done jobs."  # type: ignore[attr-defined]
