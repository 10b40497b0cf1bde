"""Lists on their way onto runs: enrolled slice by slice.

Each slice is one transaction that takes and gives back the seat rows of its runs; what became of its rows is written in it.
So whatever ends in the middle (a worker, the server, the database) is gone on with where it stands, and nobody is lost or
enrolled twice. A list is in the hands of one worker at a time, who proves it in each slice under the list's own row.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert

from archgate.actions.bulk.judging import Judging, Line
from archgate.actions.bulk.on_runs import Priced
from archgate.actions.bulk.rows import GOING, in_hand, only_run, outcomes_of
from archgate.actions.enrolling import enrollments, telling, waitlist
from archgate.actions.enrolling.groups import Groups
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.rows import put
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money, payments
from archgate.actions.people import people
from archgate.actions.seats import parties, seats
from archgate.clock import system_now
from archgate.core import verdicts
from archgate.core.money import format_amount
from archgate.core.states import BatchStatus, LineOutcome, RowKind, Told, Verdict
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person, PersonNumber
from archgate.tables.roster import Enrollment

SLICE = 100  # rows of one transaction: what a sign-up at the desk waits for at most


class Stands(Exception):
    """A list cannot go on: it stands where it is, with the reason, until somebody has looked at it."""


@dataclass
class Slice:
    """The rows of a list that are enrolled together, and what is written of them."""

    uow: UnitOfWork
    batch: Batch
    judging: Judging
    coming: list[tuple[Line, verdicts.Judged]] = field(default_factory=list)
    waits: list[tuple[Line, verdicts.Judged]] = field(default_factory=list)
    outcomes: list[dict[str, object]] = field(default_factory=list)

    def settle(self, line: Line, outcome: LineOutcome, said: str, **written: object) -> None:
        """What became of a row."""
        blank = {
            "person_id": None,
            "enrollment_id": None,
            "waiting_id": None,
            "added": False,
            "change_key": "",
        }
        self.outcomes.append({
            "id": line.id, "batch_id": self.batch.id, "line": line.line, "cells": [], "outcome": outcome, "said": said,
            **blank, **written,
        })  # fmt: skip


SETTLE = insert(BatchRow)
SETTLED = ("outcome", "said", "person_id", "enrollment_id", "waiting_id", "added", "change_key")
SETTLE_ROWS = SETTLE.on_duplicate_key_update({name: SETTLE.inserted[name] for name in SETTLED})


def next_rows(uow: UnitOfWork, batch: Batch, size: int) -> list[BatchRow]:
    """The next rows that are still to come, by the index that has those without an outcome together: however many are done, they
    are not looked at."""
    left = (BatchRow.batch_id == batch.id, BatchRow.outcome.is_(None), BatchRow.verdict.in_(GOING))
    query = select(BatchRow).where(*left).order_by(BatchRow.line).limit(size)
    hinted = query.with_hint(BatchRow, "FORCE INDEX (ix_batch_rows_outcome)")
    return list(uow.session.scalars(hinted))


def slice_now(uow: UnitOfWork, batch: Batch, change: Change) -> None:
    """Enroll a list of one slice in the act that confirms it."""
    rows = next_rows(uow, batch, SLICE)
    enroll_rows(uow, batch, rows, change)
    finish(uow, batch, change)


def one_slice(uow: UnitOfWork, batch_id: int, worker: str, size: int = SLICE) -> bool:
    """Enroll the next rows of a list; False when there is nothing left to do, or it is no longer this worker's."""
    batch = in_hand(uow, batch_id, worker, BatchStatus.RUNNING)
    if batch is None:
        return False
    rows = next_rows(uow, batch, size)
    if not rows:
        change = uow.log(Act.ENROLL_LINES, batch.id, "", run_id=batch.run_id)
        finish(uow, batch, change)
        return False
    lines = f"{rows[0].line} to {rows[-1].line}" if len(rows) > 1 else str(rows[0].line)
    change = uow.log(
        Act.ENROLL_LINES, batch.id, f"Enrolled lines {lines} of {batch.file_name}", run_id=only_run(rows)
    )
    enroll_rows(uow, batch, rows, change)
    batch.alive_at = system_now()
    return True


def stand(uow: UnitOfWork, batch_id: int, worker: str, why: str) -> None:
    """Leave a list where it stands, with the reason."""
    batch = in_hand(uow, batch_id, worker, BatchStatus.RUNNING)
    if batch is None:
        return
    batch.status, batch.note, batch.worker = BatchStatus.STOPPED, why[:2000], ""
    uow.log(Act.STOP_A_LIST, batch.id, f"{batch.file_name} stands: {why}"[:2000], run_id=batch.run_id)


def not_enrolled(uow: UnitOfWork, batch_id: int, worker: str, why: str) -> None:
    """Pass over the next row of a list, which cannot be enrolled after all, with the reason."""
    batch = in_hand(uow, batch_id, worker, BatchStatus.RUNNING)
    if batch is None:
        return
    for row in next_rows(uow, batch, 1):
        row.outcome, row.said = LineOutcome.NOT_ENROLLED, why
        uow.log(
            Act.ENROLL_LINES, batch.id, f"Line {row.line} of {batch.file_name} was not enrolled: {why}"[:2000]
        )
    batch.alive_at = system_now()


def enroll_rows(uow: UnitOfWork, batch: Batch, rows: Sequence[BatchRow], change: Change) -> None:
    """Enroll rows, or line them up, as they were judged: under the locks of their people and runs, by one statement a table.

    Each is judged once more under the lock. Whoever came onto the run meanwhile is left as they are; for whom no seat is left
    waits. What would cost more or less than confirmed, or cannot be signed up any more, lets the whole list stand.
    """
    lock_people(uow, [r.person_id for r in rows if r.person_id])
    runs = {n: seats.run_to_change(uow, n) for n in sorted({r.run_id for r in rows if r.run_id})}
    under = Judging(uow, batch, batch.confirmed_at or uow.now, sure=True)
    for run in runs.values():
        under.on_run(run)
    by_id = {r.id: r for r in rows}
    lines = [Line(r.id, r.line, r.cells, r.fixed, r.odd) for r in rows]
    work = Slice(uow, batch, under)
    waits = frozenset(r.id for r in rows if r.verdict is Verdict.WILL_WAIT)
    for line, judged in under.judged(lines, lambda line, row: as_decided(row, by_id[line.id]), waits):
        sort_out(work, by_id[line.id], line, judged)
    write(work, change)
    uow.session.connection().execute(SETTLE_ROWS, work.outcomes)
    uow.session.expire_all()


def lock_people(uow: UnitOfWork, ids: Sequence[int]) -> None:
    """Keep people from being merged away meanwhile; people are locked before runs."""
    if ids:
        query = select(Person.id).where(Person.id.in_(ids)).order_by(Person.id)
        uow.session.execute(query.with_for_update(read=True)).all()


def as_decided(row: verdicts.Row, kept: BatchRow) -> verdicts.Row:
    """A row with who was meant when it was judged."""
    return row if kept.person_id is None else replace(row, person=kept.person_id)


def sort_out(work: Slice, kept: BatchRow, line: Line, judged: verdicts.Judged) -> None:
    if judged.kind is RowKind.SHUT:
        raise Stands(judged.why)
    if judged.verdict is Verdict.ALREADY_IN:
        work.settle(line, LineOutcome.ALREADY_IN, judged.why, person_id=judged.person)
    elif judged.verdict not in GOING:
        work.settle(line, LineOutcome.NOT_ENROLLED, judged.why, person_id=judged.person)
    else:
        on = work.judging.on[judged.run or 0]
        priced = on.price(judged.row, judged.rate or "")
        if isinstance(priced, list):
            raise Stands(f"Line {line.line}: {priced[0].why}")
        if priced[1].total != kept.total:
            unit = on.run.currency
            now, then = format_amount(priced[1].total, unit), format_amount(kept.total, unit)
            raise Stands(f"Line {line.line} comes to {now} now; {then} was confirmed. Judge the rest anew.")
        into = work.coming if judged.verdict is Verdict.WILL_ENROLL else work.waits
        into.append((line, judged))


def write(work: Slice, change: Change) -> None:
    """Write everybody who comes: who is new, their numbers, their payers' accounts, their sign-ups or places in line, letters."""
    uow = work.uow
    both = [*work.coming, *work.waits]
    if not both:
        return
    persons, added = people_of(uow, [judged for _, judged in both])
    keep_numbers(uow, [(judged, person) for (_, judged), person in zip(both, persons, strict=True)])
    groups = Groups(uow)
    come: dict[int, list[tuple[Line, verdicts.Judged, Person, bool]]] = {}
    wait: dict[int, list[tuple[Line, verdicts.Judged, Person, bool]]] = {}
    for n, ((line, judged), person) in enumerate(zip(both, persons, strict=True)):
        into = come if n < len(work.coming) else wait
        into.setdefault(judged.run or 0, []).append((line, judged, person, added[n]))
    for run_id in sorted({*come, *wait}):
        run = work.judging.on[run_id].run
        seat_rows(work, run, come.get(run_id, []), groups, change)
        line_up_rows(work, run, wait.get(run_id, []), groups, change)
        ids = [person.id for _, _, person, _ in [*come.get(run_id, []), *wait.get(run_id, [])]]
        parties.leave_interest_all(uow, run, ids)


def people_of(uow: UnitOfWork, judged: Sequence[verdicts.Judged]) -> tuple[list[Person], list[bool]]:
    """The people of rows, new ones added; two new rows of one person on several runs are one person."""
    ids = {j.person for j in judged if j.person}
    known = {p.id: p for p in uow.session.scalars(select(Person).where(Person.id.in_(ids)))} if ids else {}
    fresh: dict[tuple[str | int | None, ...], Person] = {}
    found, added = [], []
    for j in judged:
        row = j.row
        if j.person:
            found.append(known[j.person])
            added.append(False)
            continue
        keys = verdicts.keys_of(row, 0, j.payer) or [("line", row.line)]
        twin = None if row.somebody_new else next((fresh[k] for k in keys if k in fresh), None)
        person = twin or people.new_person(row.given, row.family, row.email, row.phone, "", uow)
        for key in keys:
            fresh.setdefault(key, person)
        found.append(person)
        added.append(twin is None)
    put(uow, [p for p, new in zip(found, added, strict=True) if new])
    return found, added


def keep_numbers(uow: UnitOfWork, rows: Sequence[tuple[verdicts.Judged, Person]]) -> None:
    """Remember staff numbers for the next list, each with whose number it is; one that somebody has already stays theirs."""
    wanted = {(j.payer, j.row.number): (j, person) for j, person in reversed(rows) if j.row.number}
    if not wanted:
        return
    numbers = {number for _, number in wanted}
    query = select(PersonNumber.organization_id, PersonNumber.number).where(PersonNumber.number.in_(numbers))
    there = {(whose, number) for whose, number in uow.session.execute(query)}
    put(uow, [
        PersonNumber(
            organization_id=j.payer, person_id=person.id, number=j.row.number or "", department=j.row.department[:200]
        )
        for key, (j, person) in wanted.items() if key not in there
    ])  # fmt: skip


def seat_rows(
    work: Slice,
    run: Run,
    rows: Sequence[tuple[Line, verdicts.Judged, Person, bool]],
    groups: Groups,
    change: Change,
) -> None:
    """Seat the rows that come onto one run."""
    if not rows:
        return
    uow, batch = work.uow, work.batch
    seated = []
    for judged, person, asked, account, (group, order, contact) in asked_of(work, run, rows, groups):
        resolved, priced = asked
        coming = enrollments.Coming(
            resolved, priced, person, account, "list", judged.row.remarks, batch.id,
            group_id=group, order_number=order, contact=contact,
        )  # fmt: skip
        seated.append((coming, judged.seat))
    made = enrollments.seat_people(uow, seated)
    seats.take(uow, run.id, sum(e.heads for e in made), sum(e.total for e in made), len(made))
    for (line, _, person, new), enrollment in zip(rows, made, strict=True):
        who = "Added" if new else "Known"
        has = "a seat" if enrollment.heads == 1 else f"{enrollment.heads} seats"
        work.settle(line, LineOutcome.ENROLLED, f"{who}; has {has}.", person_id=person.id, enrollment_id=enrollment.id,
                    added=new, change_key=change.key)  # fmt: skip
    if Told.LEARNER in told_of(uow, batch, run):
        telling.queue_letters(uow, change, made, run)


def asked_of(
    work: Slice, run: Run, rows: Sequence[tuple[Line, verdicts.Judged, Person, bool]], groups: Groups
) -> Iterator[tuple[verdicts.Judged, Person, Priced, Account, tuple[int | None, str, str]]]:
    """Of rows that come onto one run: who, what at which price, who pays, and group, purchase order and contact of the row, or
    those of the whole list."""
    batch, on = work.batch, work.judging.on[run.id]
    owners = [owner_of(run, judged, person) for _, judged, person, _ in rows]
    accounts = money.accounts_of(work.uow, owners, run.currency)
    for (_, judged, person, _), owner in zip(rows, owners, strict=True):
        row, priced = judged.row, on.price(judged.row, judged.rate or "")
        assert not isinstance(priced, list)
        group = groups.of(run.id, row.group or batch.group_name)
        said = (group, (row.order or batch.order_number)[:100], (row.contact or batch.contact)[:200])
        yield judged, person, priced, accounts[owner], said


def told_of(uow: UnitOfWork, batch: Batch, run: Run) -> list[Told]:
    return telling.told_of(uow, run, None if batch.told is None else [Told(t) for t in batch.told])


def owner_of(run: Run, judged: verdicts.Judged, person: Person) -> str:
    return payments.owner_of(run, person.id, judged.payer) or f"person:{person.id}"


def line_up_rows(
    work: Slice,
    run: Run,
    rows: Sequence[tuple[Line, verdicts.Judged, Person, bool]],
    groups: Groups,
    change: Change,
) -> None:
    """Put the rows in line for which their run has no seat."""
    if not rows:
        return
    uow, batch = work.uow, work.batch
    made = [
        waitlist.waiting_of(
            uow, asked[0], person, account, judged.row.remarks[:5000], "list", batch.id,
            group_id=group, order_number=order, contact=contact,
        )
        for judged, person, asked, account, (group, order, contact) in asked_of(work, run, rows, groups)
    ]  # fmt: skip
    put(uow, made)
    for (line, judged, person, new), waiting in zip(rows, made, strict=True):
        said = f"{'Added' if new else 'Known'}; {judged.why.partition('; ')[2] or 'waits in line.'}"
        work.settle(line, LineOutcome.WAITING, said, person_id=person.id, waiting_id=waiting.id, added=new,
                    change_key=change.key)  # fmt: skip


def finish(uow: UnitOfWork, batch: Batch, change: Change) -> None:
    """A list is done: it says so, and those who hear of it beside the learners are written to, one letter a run."""
    uow.session.flush()
    batch.status, batch.enrolled_at, batch.worker = BatchStatus.ENROLLED, uow.now, ""
    counts = outcomes_of(uow, batch)
    lined = f" and put {counts[LineOutcome.WAITING]} in line" if counts[LineOutcome.WAITING] else ""
    on = f" on {uow.session.get_one(Run, batch.run_id).code}" if batch.run_id else ""
    change.summary = f"Enrolled {counts[LineOutcome.ENROLLED]} people of {batch.file_name}{lined}{on}"
    runs = uow.session.scalars(
        select(BatchRow.run_id)
        .where(BatchRow.batch_id == batch.id, BatchRow.outcome == LineOutcome.ENROLLED)
        .distinct()
    )
    for run_id in sorted(n for n in runs if n is not None):
        tell_others(uow, batch, lookups.get_run(uow, run_id), change)


def tell_others(uow: UnitOfWork, batch: Batch, run: Run, change: Change) -> None:
    hear = [t for t in told_of(uow, batch, run) if t is not Told.LEARNER]
    if not hear:
        return
    telling.tell_others_of_many(uow, change, run, hear, Enrollment.batch_id == batch.id)
