"""Undo: a new action that brings back what an earlier one changed, or says why it cannot.

Fields are restored when nothing later touched them. Enrollments and withdrawals are taken back by reversal,
within 30 minutes.
"""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import select

# The groups whose acts have reversals of their own register them as they are imported.
import archgate.actions.across.merging
import archgate.actions.bulk.taking_back
import archgate.actions.enrolling.changing
import archgate.actions.enrolling.freed
import archgate.actions.enrolling.heads
import archgate.actions.enrolling.held_places
import archgate.actions.enrolling.on_many
import archgate.actions.enrolling.roles
import archgate.actions.enrolling.waitlist
import archgate.actions.enrolling.whole_line
import archgate.actions.money.accounts
import archgate.actions.runs.copying
import archgate.actions.runs.lifecycle
import archgate.actions.teaching.covering  # noqa: F401
from archgate.actions.across.views import Undone
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act, Subject, Undo, act_named
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.restoring import restore_rows
from archgate.actions.kernel.reversals import REVERSALS
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.schedule import gates
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core.rights import Right
from archgate.tables.courses import Run
from archgate.tables.log import Change

MONEY_TIME = timedelta(minutes=30)


def undo(uow: UnitOfWork, key: str) -> Undone:
    """Take back the change with this key."""
    change = uow.session.scalar(select(Change).where(Change.key == key))
    if change is None:
        raise not_found("This change")
    if uow.session.scalar(select(Change.id).where(Change.undoes_id == change.id)):
        raise conflict("undone", "This was undone already.")
    act = act_named(change.action)
    if uow.user is not None:
        uow.need(right_of(act))
    match act.undo:
        case Undo.RUN:
            undo_fields(uow, change)
        case Undo.ROWS:
            restore_rows(uow, change)
        case Undo.OWN:
            REVERSALS[act](uow, change)
        case Undo.SOON:
            if system_now() - change.entered_at > MONEY_TIME:
                raise conflict("too-late", "This can be undone for 30 minutes; withdraw or enroll instead.")
            REVERSALS[act](uow, change)
        case reason:
            raise Problem(422, "no-undo", f"This cannot be undone. {reason}")
    summary = f"Undid: {change.summary}"
    done = uow.log(
        Act.UNDO,
        change.subject_id,
        summary,
        undoes=change.id,
        run_id=change.run_id,
        subject=Subject(change.subject),
    )
    letters = messages.correct(uow, change, done)
    return Undone(
        change=done.key,
        summary=f"{done.summary}.{' ' + letters}" if letters else done.summary,
        subject=change.subject,
        subject_id=change.subject_id,
    )


# Whoever may do something may take it back. What is not named here is the right of its subject.
ACT_RIGHTS = {
    Act.MARK_ATTENDANCE: Right.ENROLL, Act.GROUP_PEOPLE: Right.ENROLL, Act.WITHDRAW_MANY: Right.ENROLL,
    Act.TRANSFER_MANY: Right.ENROLL, Act.CHANGE_A_NOTICE: Right.PLAN_RUNS, Act.CHANGE_TERMS: Right.KEEP_FEES,
    Act.KEEP_DEFAULTS: Right.KEEP_COURSES, Act.PUBLISH: Right.PUBLISH, Act.DECIDE: Right.PUBLISH,
    Act.CANCEL_A_RUN: Right.PUBLISH, Act.ARCHIVE: Right.PUBLISH, Act.BRING_BACK: Right.PUBLISH,
    Act.PUT_ON_SALE: Right.PUBLISH, Act.TAKE_OFF_SALE: Right.PUBLISH, Act.ASSIGN: Right.KEEP_TEACHING,
    Act.TAKE_COVER: Right.KEEP_TEACHING, Act.CHANGE_PAY: Right.KEEP_PAY, Act.SIGN_AN_AGREEMENT: Right.KEEP_PAY,
    Act.MARK_AS_PAID: Right.KEEP_PAY, Act.CLOSE_DAYS: Right.KEEP_PLACES, Act.CHANGE_DEFAULTS: Right.KEEP_FEES, Act.OPEN_A_DAY: Right.KEEP_PLACES,
    Act.SHOW_INTEREST: Right.ENROLL, Act.CLEAR_INTEREST: Right.ENROLL, Act.CARRY_INTEREST_OVER: Right.ENROLL,
    Act.CLEAR_THE_LINE: Right.ENROLL, Act.CARRY_THE_LINE_OVER: Right.ENROLL, Act.CHANGE_CATEGORIES: Right.KEEP_COURSES,
    Act.PUBLISH_A_COURSE: Right.PUBLISH, Act.TAKE_A_COURSE_OFF: Right.PUBLISH, Act.CHANGE_PUBLICATION: Right.PUBLISH,
    Act.KEEP_ACCESS_CODES: Right.ENROLL,
}  # fmt: skip
SUBJECT_RIGHTS = {
    Subject.RUN: Right.PLAN_RUNS, Subject.SEASON: Right.PLAN_RUNS, Subject.CENTER: Right.KEEP_SETTINGS,
    Subject.PLACE: Right.KEEP_PLACES, Subject.INSTRUCTOR: Right.KEEP_TEACHING, Subject.APPLICATION: Right.KEEP_TEACHING,
    Subject.COURSE: Right.KEEP_COURSES, Subject.CODE: Right.KEEP_FEES, Subject.PLAN: Right.KEEP_FEES,
    Subject.STOCK: Right.KEEP_FEES, Subject.PERSON: Right.KEEP_PEOPLE, Subject.ORGANIZATION: Right.KEEP_PEOPLE,
    Subject.ACCOUNT: Right.TAKE_MONEY, Subject.PAYMENT: Right.TAKE_MONEY, Subject.INVOICE: Right.TAKE_MONEY,
    Subject.SENTENCE: Right.KEEP_SENTENCES, Subject.REMINDER: Right.READ, Subject.WEBHOOK: Right.KEEP_SETTINGS,
}  # fmt: skip


def right_of(act: Act) -> Right:
    """The right that taking an act back needs."""
    return ACT_RIGHTS.get(act) or SUBJECT_RIGHTS.get(act.subject, Right.ENROLL)


def seated_less(change: Change) -> bool:
    """Whether taking a change back takes seats away from its run."""
    for row in change.rows:
        if row["table"] == "runs" and row["before"] and row["after"]:
            for name in ("capacity", "overbook"):
                was, now = row["before"].get(name), row["after"].get(name)
                if isinstance(was, int) and isinstance(now, int) and was < now:
                    return True
    return False


def undo_fields(uow: UnitOfWork, change: Change) -> None:
    """Restore a run field by field, under its seat lock, and work its gates out anew."""
    act, run = act_named(change.action), lookups.get_run(uow, change.subject_id)
    row_of_seats = seats.lock_seats(uow, run)
    if act is Act.PUBLISH and row_of_seats.taken:
        raise conflict("moved-on", "People are enrolled by now; take the run off sale instead.")
    restore_rows(uow, change)
    run = uow.session.get_one(Run, change.subject_id)
    whole, kept = run.capacity + run.overbook, seats.seats_of(uow, run, row_of_seats).kept
    if whole < row_of_seats.taken + kept and seated_less(change):
        held = f" and {kept} held, on offer or set aside" if kept else ""
        raise conflict(
            "moved-on",
            f"{row_of_seats.taken} seats are taken{held} by now; the run cannot go back to {whole}.",
        )
    gates.settle_gates(uow, run)
