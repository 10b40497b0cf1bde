"""A list and its rows: found, counted, and filtered by what becomes of them, or became, and by name."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from sqlalchemy import ColumnElement, func, select

from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.people import people
from archgate.core.faults import Fault, Refused
from archgate.core.states import BatchStatus, LineOutcome, RowKind, Verdict
from archgate.tables.bulk import Batch, BatchRow

ODD = "odd"
KIND = "kind:"
GOING = (Verdict.WILL_ENROLL, Verdict.WILL_WAIT)
AT_WORK = (BatchStatus.JUDGING, BatchStatus.RUNNING, BatchStatus.TAKING_BACK)
MADE = (LineOutcome.ENROLLED, LineOutcome.WAITING)  # what can be taken back


def filter_of(only: str, q: str) -> list[ColumnElement[bool]]:
    """The condition of a filter: a verdict or an outcome, `odd`, or `kind:` with a kind; and a part of the name."""
    which: list[ColumnElement[bool]] = []
    if only == ODD:
        which.append(BatchRow.is_odd.is_(True))
    elif only.startswith(KIND) and only.removeprefix(KIND) in set(RowKind):
        which += [BatchRow.kind == RowKind(only.removeprefix(KIND)), BatchRow.outcome.is_(None)]
    elif only in set(Verdict):
        which += [BatchRow.verdict == Verdict(only), BatchRow.outcome.is_(None)]
    elif only in set(LineOutcome):
        which.append(BatchRow.outcome == LineOutcome(only))
    elif only:
        raise Refused([Fault("/only", "There is no such filter.")])
    which += [BatchRow.name.like(people.like(word)) for word in q.split()[:5]]
    return which


def get_batch(uow: UnitOfWork, batch_id: int, to_change: bool = False) -> Batch:
    """A list; `to_change` locks its row."""
    batch = lock_row(uow, Batch, batch_id) if to_change else uow.session.get(Batch, batch_id)
    if batch is None:
        raise not_found("This list")
    return batch


def in_hand(uow: UnitOfWork, batch_id: int, worker: str, status: BatchStatus) -> Batch | None:
    """A list under its own row's lock, if a worker still has it in hand for this."""
    batch = get_batch(uow, batch_id, to_change=True)
    return batch if batch.status is status and batch.worker == worker else None


def only_run(rows: Sequence[BatchRow]) -> int | None:
    runs = {r.run_id for r in rows}
    return next(iter(runs)) if len(runs) == 1 else None


def refuse_unless(batch: Batch, *states: BatchStatus) -> None:
    """Refuse what cannot be done with a list as it is now, in the sentence that says how it is."""
    if batch.status in states:
        return
    sentence = {
        BatchStatus.JUDGING: "This list is being judged; wait until that is done.",
        BatchStatus.RUNNING: "This list is being enrolled; stop it first.",
        BatchStatus.TAKING_BACK: "This list is being taken back; stop that first, or wait until it is done.",
        BatchStatus.ENROLLED: "This list has been enrolled already.",
        BatchStatus.TAKEN_BACK: "This list was taken back; read it again to enroll it anew.",
        BatchStatus.STOPPED: "This list was stopped in the middle; go on with it, or take back what was enrolled.",
        BatchStatus.JUDGED: "This list is not being enrolled.",
    }[batch.status]
    raise conflict("batch-done", sentence)


def waiting_rows(uow: UnitOfWork, batch: Batch) -> int:
    """How many rows of a list are still to be enrolled or lined up."""
    query = select(func.count()).where(
        BatchRow.batch_id == batch.id, BatchRow.verdict.in_(GOING), BatchRow.outcome.is_(None)
    )
    return uow.session.scalar(query) or 0


def rows_done(uow: UnitOfWork, batch: Batch) -> int:
    query = select(func.count()).where(BatchRow.batch_id == batch.id, BatchRow.outcome.is_not(None))
    return uow.session.scalar(query) or 0


def outcomes_of(uow: UnitOfWork, batch: Batch) -> Counter[LineOutcome]:
    query = (
        select(BatchRow.outcome, func.count()).where(BatchRow.batch_id == batch.id).group_by(BatchRow.outcome)
    )
    return Counter({o: int(n) for o, n in uow.session.execute(query) if o is not None})
