"""A list in sums: what confirming it does by fate, kind, rate, run and payer; told from lines grouped by one statement."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import joinedload

from archgate.actions.bulk import reading
from archgate.actions.bulk.views import (
    BatchKind,
    BatchPayer,
    BatchRun,
    BatchSum,
)
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.money import format_amount
from archgate.core.states import BatchStatus, LineOutcome, RowKind, Verdict
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Run
from archgate.tables.people import Organization
from archgate.tables.seats import RunSeats

MOST_PAYERS = 20


class Many(NamedTuple):
    """Lines that have the same run, rate, payer and fate, summed up."""

    run: int | None
    rate: str
    currency: str
    payer: int | None
    verdict: Verdict | None
    outcome: LineOutcome | None
    kind: RowKind | None
    lines: int
    heads: int
    total: int
    dues: int
    new: int
    odd: int
    suggested: int

    @property
    def fate(self) -> str:
        return str(self.outcome or self.verdict or "")


def summed_up(uow: UnitOfWork, batch: Batch) -> list[Many]:
    """A list in sums, by one statement: from them everything is told that its page says of the whole."""
    by = (
        BatchRow.run_id, BatchRow.rate, BatchRow.currency, BatchRow.payer_id, BatchRow.verdict, BatchRow.outcome, BatchRow.kind,
    )  # fmt: skip
    sums = (
        func.count(), func.sum(BatchRow.heads), func.sum(BatchRow.total), func.sum(BatchRow.dues), func.sum(func.if_(BatchRow.is_new, 1, 0)),
        func.sum(func.if_(BatchRow.is_odd, 1, 0)), func.sum(func.if_(BatchRow.suggested != "", 1, 0)),
    )  # fmt: skip
    query = (
        select(*by, *sums)
        .where(BatchRow.batch_id == batch.id)
        .group_by(*by)
        .order_by(func.min(BatchRow.line))
    )
    return [Many(*row[:7], *map(int, row[7:])) for row in uow.session.execute(query)]


def counts_of(found: Iterable[Many]) -> dict[str, int]:
    """Lines by what becomes of them, or became."""
    counted = Counter[str]()
    for many in found:
        counted[many.fate] += many.lines
    return {str(name): counted[name] for name in (*LineOutcome, *Verdict) if counted[name]}


def kinds_of(batch: Batch, found: Iterable[Many]) -> list[BatchKind]:
    """What keeps lines from being enrolled, the most frequent first, with what can be decided on them."""
    if batch.status is not BatchStatus.JUDGED:
        return []
    lines, suggested = Counter[RowKind](), Counter[RowKind]()
    for many in found:
        if many.kind is not None and many.outcome is None:
            lines[many.kind] += many.lines
            suggested[many.kind] += many.suggested
    return [
        BatchKind(kind=kind, lines=n, decisions=reading.decisions_on(kind, suggested[kind] > 0))
        for kind, n in lines.most_common()
    ]


def of_interest(batch: Batch, found: Iterable[Many]) -> list[Many]:
    """The lines that sums are about: while a list is to come those that are still to be enrolled, afterwards those that were."""
    if batch.status in (BatchStatus.JUDGED, BatchStatus.JUDGING, BatchStatus.STOPPED, BatchStatus.RUNNING):
        return [m for m in found if m.fate == Verdict.WILL_ENROLL]
    return [m for m in found if m.outcome is LineOutcome.ENROLLED]


def sums_of(found: Iterable[Many]) -> list[BatchSum]:
    """Heads and money by rate, for the confirmation."""
    heads, totals = Counter[tuple[str, str]](), Counter[tuple[str, str]]()
    for m in found:
        heads[m.rate, m.currency] += m.heads
        totals[m.rate, m.currency] += m.total
    return [
        BatchSum(rate=rate, heads=n, total=format_amount(totals[rate, unit], unit), currency=unit)
        for (rate, unit), n in heads.items()
    ]


def runs_there(uow: UnitOfWork, ids: Collection[int | None]) -> dict[int, tuple[Run, int]]:
    """Runs by id, in the order of their codes, with how many seats of each are taken."""
    query = select(Run, RunSeats.taken).join(RunSeats, RunSeats.run_id == Run.id).where(Run.id.in_(ids))
    rows = uow.session.execute(query.options(joinedload(Run.course)).order_by(Run.code))
    return {run.id: (run, taken) for run, taken in rows}


def runs_of(there: Mapping[int, tuple[Run, int]], found: Sequence[Many]) -> list[BatchRun]:
    """What a list does to each of its runs."""
    meant = {m.run for m in found}
    return [run_of(*there[n], [m for m in found if m.run == n]) for n in there if n in meant]


def run_of(run: Run, taken: int, found: Sequence[Many]) -> BatchRun:
    coming = [m for m in found if m.fate == Verdict.WILL_ENROLL]
    return BatchRun(
        id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        sign_ups=sum(m.lines for m in coming),
        seats=sum(m.heads for m in coming),
        waits=sum(m.lines for m in found if m.fate == Verdict.WILL_WAIT),
        taken=taken,
        capacity=run.capacity,
        total=format_amount(sum(m.total for m in coming), run.currency),
        currency=run.currency,
    )


def payers_of(
    uow: UnitOfWork, there: Mapping[int, tuple[Run, int]], found: Sequence[Many]
) -> list[BatchPayer]:
    """Who pays how much: organizations by name, and all learners who pay for themselves as one. Of contract runs the client does."""
    lines, totals = Counter[tuple[int | None, str]](), Counter[tuple[int | None, str]]()
    for m in found:
        payer = (there[m.run][0].client_id if m.run is not None and m.run in there else None) or m.payer
        lines[payer, m.currency] += m.lines
        totals[payer, m.currency] += m.total
    ids = {payer for payer, _ in totals if payer is not None}
    named = select(Organization.id, Organization.name).where(Organization.id.in_(ids))
    names = {n: name for n, name in uow.session.execute(named)} if ids else {}  # noqa: C416
    return [
        BatchPayer(
            id=payer,
            name=names.get(payer or 0, "each learner"),
            sign_ups=lines[payer, unit],
            total=format_amount(total, unit),
            currency=unit,
        )
        for (payer, unit), total in totals.most_common(MOST_PAYERS)
    ]
