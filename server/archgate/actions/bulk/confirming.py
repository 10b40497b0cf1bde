"""Lists confirmed, stopped and gone on with."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select

from archgate.actions.bulk import judging, taking_back
from archgate.actions.bulk.rows import get_batch, refuse_unless, rows_done, waiting_rows
from archgate.actions.bulk.running import SLICE, slice_now
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.states import BatchStatus, RowKind, Told, Verdict
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.log import Change


def sums_shown(uow: UnitOfWork, batch: Batch) -> tuple[int, str]:
    """How many sign-ups confirming makes, and what they come to by currency: "5040.00", or "5040.00 USD, 90.00 EUR"."""
    rows = uow.session.execute(
        select(BatchRow.currency, func.count(), func.sum(BatchRow.total))
        .where(
            BatchRow.batch_id == batch.id,
            BatchRow.verdict == Verdict.WILL_ENROLL,
            BatchRow.outcome.is_(None),
        )
        .group_by(BatchRow.currency)
        .order_by(BatchRow.currency)
    ).all()
    return sum(int(n) for _, n, _ in rows), money_text(
        [(unit, int(t)) for unit, _, t in rows], uow.center.currency
    )


def money_text(sums: Sequence[tuple[str, int]], usual: str) -> str:
    """Sums by currency in one text; of one currency without its name."""
    if len(sums) == 1:
        return format_amount(sums[0][1], sums[0][0])
    return ", ".join(f"{format_amount(t, unit)} {unit}" for unit, t in sums) or format_amount(0, usual)


# --- confirmed --------------------------------------------------------------------------------------------


def confirm(
    uow: UnitOfWork, batch_id: int, people_shown: int, total_shown: str, told: Sequence[Told] | None = None
) -> Change:
    """Begin to enroll everybody whose verdict is `will enroll`, and to line up those who will wait.

    `people_shown` and `total_shown` are what was confirmed; when either differs by now, nothing is written and both are answered
    (409). A list of one slice is enrolled at once, a longer one by the worker. `told`: who hears of it; None as the run has it.
    """
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED)
    wrong = judging.faults_of_columns(batch)
    if wrong:
        raise Refused([Fault("/columns", w) for w in wrong])
    if batch.judged_after is None or (batch.lines <= judging.AT_ONCE and judging.has_moved(uow, batch)):
        judging.judge_now(uow, batch)
        refuse_unless(batch, BatchStatus.JUDGED)
    number, total = sums_shown(uow, batch)
    if (people_shown, total_shown) != (number, total):
        sentence = f"It was {people_shown} sign-ups for {total_shown} when it was shown and is {number} for {total} now."
        raise conflict(
            "batch-changed",
            sentence,
            shown={"people": people_shown, "total": total_shown},
            now={"people": number, "total": total},
        )
    left = waiting_rows(uow, batch)
    if not left:
        raise Problem(422, "nobody", shut_why(uow, batch) or "Nobody on this list would be enrolled.")
    batch.people_shown, batch.total_shown, batch.confirmed_at = number, total, uow.now
    batch.told = None if told is None else [str(t) for t in told]
    change = begin(uow, batch, Act.ENROLL_A_LIST, f"Began to enroll {left} lines of {batch.file_name}")
    batch.change_key = change.key
    uow.session.flush()
    if left <= SLICE:
        slice_now(uow, batch, change)
    return change


def shut_why(uow: UnitOfWork, batch: Batch) -> str:
    """Why nobody of a list can sign up, where that is the reason."""
    why = select(BatchRow.why).where(BatchRow.batch_id == batch.id, BatchRow.kind == RowKind.SHUT)
    return uow.session.scalar(why.limit(1)) or ""


def begin(uow: UnitOfWork, batch: Batch, what: Act, summary: str) -> Change:
    batch.status, batch.note = BatchStatus.RUNNING, ""
    batch.begun_at, batch.begun_done = uow.now, rows_done(uow, batch)
    batch.worker, batch.alive_at = "", None
    return uow.log(what, batch.id, summary, run_id=batch.run_id)


def stop(uow: UnitOfWork, batch_id: int) -> Change:
    """Have a list that is enrolled, or taken back, stop after the slice that is being written."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.RUNNING, BatchStatus.TAKING_BACK)
    if batch.status is BatchStatus.TAKING_BACK:
        taking_back.leave_the_rest(uow, batch)
        return uow.log(
            Act.STOP_A_LIST, batch.id, f"Stopped taking back {batch.file_name}", run_id=batch.run_id
        )
    batch.status, batch.note, batch.worker = BatchStatus.STOPPED, "Stopped by you.", ""
    if uow.user is not None and uow.user.id != batch.user_id:
        batch.note = f"Stopped by {uow.user.name}."
    return uow.log(Act.STOP_A_LIST, batch.id, f"Stopped {batch.file_name}", run_id=batch.run_id)


def resume(uow: UnitOfWork, batch_id: int, people_shown: int, total_shown: str) -> Change:
    """Go on with a list that was stopped, at the prices of now: what is shown must still be so, and where a line comes to another
    sum the list stands again and says so."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.STOPPED)
    number, total = sums_shown(uow, batch)
    if (people_shown, total_shown) != (number, total):
        raise conflict(
            "batch-changed",
            f"{number} sign-ups for {total} are left, not {people_shown} for {total_shown}.",
            shown={"people": people_shown, "total": total_shown},
            now={"people": number, "total": total},
        )
    batch.confirmed_at = uow.now
    left = waiting_rows(uow, batch)
    change = begin(uow, batch, Act.RESUME_A_LIST, f"Went on with {left} lines of {batch.file_name}")
    uow.session.flush()
    if left <= SLICE:
        slice_now(uow, batch, change)
    return change
