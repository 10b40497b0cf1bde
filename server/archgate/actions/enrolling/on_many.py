"""One act for many people of a roster, in one transaction: all of it, or nothing and why."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from archgate.actions.enrolling import freed, leaving, transfers
from archgate.actions.enrolling.commands import TransferCommand, WithdrawCommand
from archgate.actions.enrolling.views import ManyDone, ManyMoved, OneOfMany
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.seats import seats
from archgate.core import refunds
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.states import EnrollmentStatus, Role
from archgate.tables.log import Change
from archgate.tables.roster import Enrollment

MOST = 2000
MOST_WHY = 200


def chosen_of(uow: UnitOfWork, run_id: int, ids: list[int]) -> list[Enrollment]:
    """The learners' sign-ups of a run that were chosen; all of them still there."""
    if not 1 <= len(ids) <= MOST:
        raise refuse("/enrollment_ids", f"Choose from 1 to {MOST} people.")
    query = select(Enrollment).where(
        Enrollment.id.in_(ids),
        Enrollment.run_id == run_id,
        Enrollment.live == 1,
        Enrollment.role == Role.LEARNER,
    )
    read = (Enrollment.person, Enrollment.installments, Enrollment.extras, Enrollment.places)
    query = query.options(*(selectinload(x) for x in read)).order_by(Enrollment.id)
    rows = list(uow.session.scalars(query))
    if len(rows) != len(set(ids)):
        raise conflict("moved-on", "Somebody chosen no longer holds a seat here.")
    return rows


@dataclass(frozen=True)
class Done:
    """One of many who left or moved, and what became of their money."""

    enrollment_id: int
    name: str
    why: str
    becomes: refunds.Settled


def summed(rows: list[Done], change: Change, currency: str) -> ManyDone:
    """What an act does to each and to all, by kept, credit and what stays owed."""
    all_of = refunds.settled_together(row.becomes for row in rows)
    people = [
        OneOfMany(
            enrollment_id=row.enrollment_id, name=row.name, why=row.why, **texts_of(row.becomes, currency)
        )
        for row in rows
    ]
    return ManyDone(change=change.key, currency=currency, people=people, **texts_of(all_of, currency))


def texts_of(becomes: refunds.Settled, currency: str) -> dict[str, str]:
    return {name: format_amount(amount, currency) for name, amount in asdict(becomes).items()}


def withdraw(uow: UnitOfWork, run_id: int, ids: list[int], why: str = "") -> ManyDone:
    """Withdraw everybody chosen, each by the refund policy; `why` goes to the log."""
    why = why.strip()
    if len(why) > MOST_WHY:
        raise refuse("/why", f"The reason is longer than {MOST_WHY} characters.")
    run = seats.run_to_change(uow, run_id)
    paid, rows = money.paid_of(uow, ids), []
    for enrollment in chosen_of(uow, run.id, ids):
        done, kept = leaving.leave(uow, enrollment, run, WithdrawCommand())
        becomes = refunds.settled(paid.get(enrollment.id, 0), kept)
        rows.append(Done(done.enrollment_id, done.name, done.why, becomes))
    tail = f": {why}" if why else ""
    change = uow.log(Act.WITHDRAW_MANY, run.id, f"Withdrew {len(rows)} from {run.code}{tail}")
    return summed(rows, change, run.currency)


def move(
    uow: UnitOfWork, run_id: int, ids: list[int], to_run_id: int, exception: str | None = None
) -> ManyMoved:
    """Move everybody chosen to another run, each at today's price there, the money with them; with a reason also where sign-up
    is shut."""
    run, there = get_run(uow, run_id), get_run(uow, to_run_id)
    seats.lock_both(uow, run, there)
    rows = []
    for enrollment in chosen_of(uow, run.id, ids):
        name = enrollment.person.name
        one = TransferCommand(run_id=there.id, exception=exception)
        try:
            done, becomes = transfers.move(uow, enrollment, run, there, one)
        except Problem as problem:
            raise conflict("one-cannot", f"{name}: {problem.detail}") from None
        rows.append(Done(done.enrollment_id, done.name, done.why, becomes))
    change = uow.log(
        Act.TRANSFER_MANY,
        there.id,
        f"Moved {len(rows)} from {run.code} to {there.code}",
        run_id=there.id,
    )
    done_to = summed(rows, change, there.currency)
    return done_to.widened(ManyMoved, to=there.code, to_run_id=there.id)


@reverses(Act.WITHDRAW_MANY)
def undo_withdraw(uow: UnitOfWork, change: Change) -> None:
    """Seat everybody again who was withdrawn together; all of them, or nobody."""
    run = get_run(uow, change.subject_id)
    row = seats.lock_seats(uow, run)
    for number in ended_in(change, EnrollmentStatus.WITHDRAWN):
        enrollment = uow.session.get_one(Enrollment, number)
        uow.session.refresh(enrollment)
        if enrollment.status != EnrollmentStatus.WITHDRAWN:
            raise conflict("moved-on", f"{enrollment.person.name} is not withdrawn any more.")
        freed.not_free(uow, run, enrollment.ended_at, enrollment.seats)
        leaving.seat_again(uow, enrollment, run, row, f"Undid: {change.summary}")


@reverses(Act.TRANSFER_MANY)
def undo_move(uow: UnitOfWork, change: Change) -> None:
    """Take back every transfer of those that were moved together."""
    gone = ended_in(change, EnrollmentStatus.MOVED)
    query = select(Enrollment.id).where(
        Enrollment.came_from_id.in_(gone), Enrollment.run_id == change.subject_id
    )
    for number in uow.session.scalars(query.order_by(Enrollment.id.desc())).all():
        transfers.bring_back(uow, number)


def ended_in(change: Change, status: EnrollmentStatus) -> list[int]:
    """The sign-ups that a change ended with a status."""
    return sorted(
        {
            r["id"]
            for r in change.rows
            if r["table"] == "enrollments"
            and r["before"] is not None
            and (r["after"] or {}).get("status") == status
        }
    )
