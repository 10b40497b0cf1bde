"""Lists taken back: the whole, or chosen rows, slice by slice, each row as long as nothing later depends on it.

A row that cannot be taken back keeps what it made, says why, and is not in the way of the others. People who were added by
the list are removed again where nothing else holds them.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import BindParameter, bindparam, func, select, update

from archgate.actions.bulk.rows import (
    MADE,
    filter_of,
    get_batch,
    in_hand,
    only_run,
    outcomes_of,
    refuse_unless,
    waiting_rows,
)
from archgate.actions.bulk.running import SLICE
from archgate.actions.enrolling import leaving
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import money
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core.states import BatchStatus, EnrollmentStatus, LineOutcome, LineStatus
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.fees import KeptQuote
from archgate.tables.log import Change
from archgate.tables.messages import Call
from archgate.tables.money import Account, InvoicedEnrollment, Payment
from archgate.tables.own_pages import OwnPage
from archgate.tables.people import Note, Person, PersonNumber, PersonTag
from archgate.tables.roster import Attendance, Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.waitlist import Interest, Waiting

BACK = 50  # rows taken back by one transaction


def take_back(
    uow: UnitOfWork, batch_id: int, lines: Sequence[int] | None = None, only: str = "", q: str = ""
) -> Change:
    """Begin to take back what a list has done, or some lines of it: by number, by a filter (`rows.filter_of`); a few at once, many
    by the worker."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.ENROLLED, BatchStatus.STOPPED, BatchStatus.JUDGED)
    which = [BatchRow.batch_id == batch.id, BatchRow.outcome.in_(MADE), *filter_of(only, q)]
    which += [BatchRow.line.in_(lines)] if lines is not None else []
    wanted = uow.session.scalar(select(func.count()).where(*which)) or 0
    if not wanted:
        raise conflict(
            "nothing-to-take-back", "None of these lines holds a seat, or a place in line, any more."
        )
    uow.session.execute(update(BatchRow).where(*which).values(back=True))
    batch.status, batch.note, batch.worker, batch.alive_at = BatchStatus.TAKING_BACK, "", "", None
    batch.begun_at, batch.begun_done = uow.now, wanted
    what = "line" if wanted == 1 else "lines"
    change = uow.log(
        Act.TAKE_BACK_A_LIST, batch.id, f"Took back {wanted} {what} of {batch.file_name}", run_id=batch.run_id
    )
    uow.session.flush()
    if wanted <= SLICE:
        take_rows_back(uow, batch, next_back(uow, batch, SLICE), change)
        come_to_rest(uow, batch)
    return change


def next_back(uow: UnitOfWork, batch: Batch, size: int) -> list[BatchRow]:
    query = select(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.back)
    return list(uow.session.scalars(query.order_by(BatchRow.line.desc()).limit(size)))


def one_slice(uow: UnitOfWork, batch_id: int, worker: str) -> bool:
    """Take the next rows back; False when there is nothing left to do, or it is no longer this worker's."""
    batch = in_hand(uow, batch_id, worker, BatchStatus.TAKING_BACK)
    if batch is None:
        return False
    rows = next_back(uow, batch, BACK)
    if not rows:
        come_to_rest(uow, batch)
        return False
    lines = f"{rows[-1].line} to {rows[0].line}"
    change = uow.log(
        Act.TAKE_BACK_LINES, batch.id, f"Took back lines {lines} of {batch.file_name}", run_id=only_run(rows)
    )
    take_rows_back(uow, batch, rows, change)
    batch.alive_at = system_now()
    return True


def leave_the_rest(uow: UnitOfWork, batch: Batch) -> None:
    """Stop taking back: the rows that are still asked for keep what they made."""
    asked = [BatchRow.batch_id == batch.id, BatchRow.back]
    uow.session.execute(update(BatchRow).where(*asked).values(back=False))
    come_to_rest(uow, batch)


def come_to_rest(uow: UnitOfWork, batch: Batch) -> None:
    """Nothing more is to be taken back: the list stands as what is left of it."""
    uow.session.flush()
    left = outcomes_of(uow, batch)
    if batch.confirmed_at is not None and waiting_rows(uow, batch):
        batch.status = BatchStatus.STOPPED
    else:
        batch.status = BatchStatus.ENROLLED if any(left[o] for o in MADE) else BatchStatus.TAKEN_BACK
    batch.worker = ""


def take_rows_back(uow: UnitOfWork, batch: Batch, rows: Sequence[BatchRow], change: Change) -> None:
    """Take back what rows made, under the locks of their runs."""
    for run_id in sorted({r.run_id for r in rows if r.run_id}):
        seats.run_to_change(uow, run_id)
    signed = by_id(uow, [r.enrollment_id for r in rows if r.enrollment_id])
    lined = {
        w.id: w
        for w in uow.session.scalars(
            select(Waiting).where(Waiting.id.in_([r.waiting_id for r in rows if r.waiting_id] or [0]))
        )
    }
    held = what_holds(uow, signed)
    gone: list[BatchRow] = []
    for row in rows:
        row.back = False
        enrollment, waiting = signed.get(row.enrollment_id or 0), lined.get(row.waiting_id or 0)
        why = held.get(row.enrollment_id or 0, "") if enrollment else line_holds(waiting)
        if why:
            row.said = f"Not taken back: {why}"
            continue
        if enrollment:
            cause = f"Took back line {row.line} of {batch.file_name}"
            leaving.end(uow, enrollment, EnrollmentStatus.TAKEN_BACK, cause)
        elif waiting:
            waiting.status, waiting.ended_at = LineStatus.TAKEN_BACK, uow.now
        row.outcome, row.said = LineOutcome.TAKEN_BACK, "Taken back."
        gone.append(row)
    uow.session.flush()
    remove_people(uow, gone)
    people = [r.person_id for r in gone if r.person_id]
    if people:
        messages.take_back(uow, {r.change_key for r in gone}, people, change)


def by_id(uow: UnitOfWork, ids: Collection[int]) -> dict[int, Enrollment]:
    if not ids:
        return {}
    query = select(Enrollment).where(Enrollment.id.in_(ids)).execution_options(populate_existing=True)
    return {e.id: e for e in uow.session.scalars(query)}


def line_holds(waiting: Waiting | None) -> str:
    """Why a place in line cannot be taken back; empty when it can."""
    if waiting is None or waiting.status is LineStatus.WAITING:
        return ""
    if waiting.status is LineStatus.OFFERED:
        return "a seat is on offer to them."
    return "they have a seat by now." if waiting.status is LineStatus.SEATED else "they left the line."


def what_holds(uow: UnitOfWork, signed: dict[int, Enrollment]) -> dict[int, str]:
    """Why sign-ups cannot be taken back, by their id: something later depends on them. Those that can are left out."""
    if not signed:
        return {}
    ids, session = list(signed), uow.session
    why = {e.id: "the seat is held no longer." for e in signed.values() if not e.holds_seat}
    later = select(Change.subject_id, Change.summary).where(
        Change.subject == "enrollment", Change.subject_id.in_(ids)
    )
    for number, summary in session.execute(later.order_by(Change.id)):
        why[number] = f"{summary}."
    at = select(Attendance.person_id, Meeting.run_id).join(Meeting, Meeting.id == Attendance.meeting_id)
    people = {(e.run_id, e.person_id): e.id for e in signed.values()}
    marked = at.where(Attendance.person_id.in_({e.person_id for e in signed.values()}))
    for person, run in session.execute(marked):
        if (run, person) in people:
            why[people[run, person]] = "attendance was marked."
    named = select(PartyPlace.enrollment_id).where(
        PartyPlace.enrollment_id.in_(ids), PartyPlace.person_id.is_not(None)
    )
    why.update(dict.fromkeys(session.scalars(named), "heads of the party were named."))
    billed = (
        select(InvoicedEnrollment.enrollment_id)
        .where(InvoicedEnrollment.enrollment_id.in_(ids))
        .group_by(InvoicedEnrollment.enrollment_id)
        .having(func.sum(InvoicedEnrollment.amount) != 0)
    )
    why.update(dict.fromkeys(session.scalars(billed), "it was invoiced; issue a credit note first."))
    why.update(dict.fromkeys(money.paid_of(uow, ids), "a payment settles it; take that back first."))
    return why


IDS: BindParameter[list[int]] = bindparam("ids", expanding=True)
# What else may hold somebody whom a list had added.
HOLDERS = (
    select(Enrollment.person_id).where(
        Enrollment.status != EnrollmentStatus.TAKEN_BACK, Enrollment.person_id.in_(IDS)
    ),
    select(Waiting.person_id).where(Waiting.status != LineStatus.TAKEN_BACK, Waiting.person_id.in_(IDS)),
    select(PartyPlace.person_id).where(PartyPlace.person_id.in_(IDS)),
    select(Interest.person_id).where(Interest.person_id.in_(IDS)),
    select(Note.person_id).where(Note.person_id.in_(IDS)),
    select(PersonTag.person_id).where(PersonTag.person_id.in_(IDS)),
    select(OwnPage.person_id).where(OwnPage.person_id.in_(IDS)),
    select(KeptQuote.person_id).where(KeptQuote.person_id.in_(IDS)),
    select(Call.person_id).where(Call.person_id.in_(IDS)),
    select(Account.person_id)
    .join(Payment, Payment.account_id == Account.id)
    .where(Account.person_id.in_(IDS)),
    select(Person.merged_into_id).where(Person.merged_into_id.in_(IDS)),
)


def remove_people(uow: UnitOfWork, gone: Sequence[BatchRow]) -> None:
    """Remove whom these rows had added where nothing else holds them: their record stays for the books, and is found no more."""
    ids = {r.person_id for r in gone if r.added and r.person_id}
    for holds in HOLDERS:
        if ids:
            ids -= {n for n in uow.session.scalars(holds, {"ids": sorted(ids)}) if n is not None}
    if not ids:
        return
    for number in uow.session.scalars(select(PersonNumber).where(PersonNumber.person_id.in_(ids))):
        uow.session.delete(number)
    for person in uow.session.scalars(select(Person).where(Person.id.in_(ids))):
        person.removed_at = uow.now


@reverses(Act.ENROLL_A_LIST)
def undo_list(uow: UnitOfWork, change: Change) -> None:
    """Undo of a list: everything it did is taken back, row by row."""
    batch = get_batch(uow, change.subject_id, to_change=True)
    if batch.status is BatchStatus.RUNNING:
        batch.status = BatchStatus.STOPPED
    take_back(uow, batch.id)
