"""Undo: a new action that brings back what an earlier one changed, or says why it cannot.

Fields are restored when nothing later touched them. Enrollments and withdrawals are taken back by reversal,
within 30 minutes.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any, TypeAlias

from sqlalchemy import ColumnElement, Table, select
from sqlalchemy.exc import IntegrityError

from archgate.actions.across import merging
from archgate.actions.across.views import Undone
from archgate.actions.enrolling import (
    changing,
    enrollments,
    held_places,
    leaving,
    on_many,
    transfers,
    waitlist,
)
from archgate.actions.kernel import lookups
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, plain
from archgate.actions.messages import messages
from archgate.actions.money import accounts
from archgate.actions.runs import lifecycle
from archgate.actions.schedule import schedule
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core.quotes import quote_read
from archgate.tables import Base
from archgate.tables.base import JsonText, Moment, QuoteDocument
from archgate.tables.bulk import Batch
from archgate.tables.courses import Run
from archgate.tables.log import Change, RowChange
from archgate.tables.money import Payment
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting

MONEY_TIME = timedelta(minutes=30)
FIELD_ACTIONS = {
    "change a run",
    "change dates",
    "add a meeting",
    "take out a meeting",
    "move a run",
    "extend a run",
    "decide",
    "take off sale",
    "put on sale",
    "archive",
    "bring back",
    "change terms",
    "publish",
    "keep defaults",
}
WITH_FIELDS = {"change a person", "add a busy time", "take out a busy time", "import busy times", "close days",
               "open a day", "accept a clash", "tag a person", "make codes", "change codes", "make a plan", "change a plan",
               "keep a quote", "drop a quote", "change defaults", "swap a person", "add to a roster", "take off a roster", "change a role", "group people", "change a notice", "mark attendance",
               "remove a place", "remove an instructor",
               "show interest", "clear interest", "carry interest over", "change questions", "invite", "change a course"}  # fmt: skip
ADDED_ON_THE_SPOT = {"places", "instructors"}  # somebody else may use them by now
RISING = {"sequence"}  # of meetings: a calendar must see it rise, also on an undo
DERIVED = {"gates"}  # worked out anew after an undo, never restored


def undo(uow: UnitOfWork, key: str) -> Undone:
    """Take back the change with this key."""
    change = uow.session.scalar(select(Change).where(Change.key == key))
    if change is None:
        raise not_found("This change")
    if uow.session.scalar(select(Change.id).where(Change.undoes_id == change.id)):
        raise conflict("undone", "This was undone already.")
    if change.action in FIELD_ACTIONS:
        undo_fields(uow, change)
    elif change.action in WITH_FIELDS:
        restore_rows(uow, change)
    elif change.action in ("copy runs", "plan a season"):
        undo_new_runs(uow, change)
    elif change.action in TAKEN_BACK:
        if system_now() - change.entered_at > MONEY_TIME:
            raise conflict("too-late", "This can be undone for 30 minutes; withdraw or enroll instead.")
        TAKEN_BACK[change.action](uow, change)
    else:
        raise Problem(422, "no-undo", "This cannot be undone.")
    summary = f"Undid: {change.summary}"
    done = uow.log("undo", change.subject, change.subject_id, summary, undoes=change.id, run_id=change.run_id)
    letters = messages.correct(uow, change, done)
    return Undone(
        change=done.key,
        summary=f"{done.summary}.{' ' + letters}" if letters else done.summary,
        subject=change.subject,
        subject_id=change.subject_id,
    )


def later_change(uow: UnitOfWork, change: Change, table: str, row_id: int) -> str:
    """Who moved a row on since, in words, for the refusal."""
    query = select(Change).where(Change.id > change.id, Change.subject == change.subject,
                                 Change.subject_id == change.subject_id).order_by(Change.id)  # fmt: skip
    for later in uow.session.scalars(query):
        if any(r["table"] == table and r["id"] == row_id for r in later.rows):
            return f'"{later.summary}"'
    return "a later change"


def undo_fields(uow: UnitOfWork, change: Change) -> None:
    """Restore a run field by field, under its seat lock, and work its gates out anew."""
    run = lookups.get_run(uow, change.subject_id)
    row_of_seats = seats.lock_seats(uow, run)
    if change.action == "publish" and row_of_seats.taken:
        raise conflict("moved-on", "People are enrolled by now; take the run off sale instead.")
    restore_rows(uow, change)
    run = uow.session.get_one(Run, change.subject_id)
    if run.capacity < row_of_seats.taken:
        raise conflict(
            "moved-on",
            f"{row_of_seats.taken} seats are taken by now; the run cannot go back to {run.capacity}.",
        )
    schedule.settle_gates(uow, run)


def restore_rows(uow: UnitOfWork, change: Change) -> None:
    """Put every row of a change back, last first; refused when one is no longer as the change left it."""
    uow.session.expire_all()
    for row in reversed([r for r in change.rows if r["table"] not in DERIVED | {"run_seats"}]):
        if row["table"] in ADDED_ON_THE_SPOT and row["before"] is None:
            continue
        table = Base.metadata.tables[row["table"]]
        if set(row["before"] or ()) - set(table.c.keys()):
            raise conflict("moved-on", "This was done before the last upgrade and can no longer be undone.")
        key = next(iter(table.primary_key.columns))
        now = uow.session.execute(select(table).where(key == row["id"])).mappings().first()
        expected = row["after"]
        same = now is None if expected is None else now is not None and all(
            equal(now[k], v) for k, v in expected.items() if k not in RISING
        )  # fmt: skip
        if not same:
            raise conflict(
                "moved-on", f"It has moved on since: {later_change(uow, change, row['table'], row['id'])}."
            )
        try:
            restore(uow, table, row)
        except IntegrityError:
            raise conflict("moved-on", "It has moved on since: something depends on it by now.") from None
        uow.rows.append(
            {"table": row["table"], "id": row["id"], "before": row["after"], "after": row["before"]}
        )
    uow.session.expire_all()


def equal(held: object, logged: object) -> bool:
    """Whether a value from the database is the one in the log, which is plain JSON."""
    if isinstance(held, Decimal):
        return logged is not None and held == Decimal(str(logged))
    if isinstance(held, bool) or isinstance(logged, bool):
        return bool(held) == bool(logged)
    return bool(plain(held) == logged)


def restore(uow: UnitOfWork, table: Table, row: RowChange) -> None:  # type: ignore[explicit-any]  # a table of any columns
    """Put one row back as it was before a change."""
    before = row["before"]
    if before is None:
        uow.session.execute(table.delete().where(table.c.id == row["id"]))
        return
    values = {
        k: typed(table.c[k], v)
        for k, v in before.items()
        if table.c[k].computed is None and (k not in RISING or row["after"] is None)
    }
    if table.name == "meetings" and row["after"] is not None:
        values["sequence"] = table.c.sequence + 1
    if row["after"] is None:
        uow.session.execute(table.insert().values(**values))
    else:
        uow.session.execute(table.update().where(table.c.id == row["id"]).values(**values))


AnyColumn: TypeAlias = ColumnElement[Any]  # type: ignore[explicit-any]  # of whichever type its table gives it


def typed(column: AnyColumn, value: object) -> object:
    """A logged value as its column takes it."""
    if value is None:
        return None
    if isinstance(column.type, Moment):
        return datetime.fromisoformat(str(value))
    if isinstance(column.type, JsonText):
        return value
    if isinstance(column.type, QuoteDocument):
        return quote_read(value) if isinstance(value, dict) else None
    wanted = column.type.python_type
    if wanted is date:
        return date.fromisoformat(str(value))
    if wanted is time:
        return time.fromisoformat(str(value))
    return Decimal(str(value)) if wanted is Decimal else value


def undo_enroll(uow: UnitOfWork, change: Change) -> None:
    enrollment, run, _ = enrollments.locked_enrollment(uow, change.subject_id)
    if not enrollment.holds_seat:
        raise conflict("moved-on", f"{enrollment.person.name} no longer holds a seat on {run.code}.")
    leaving.end(uow, enrollment, "taken back", f"Undid the enrollment of {enrollment.person.name}")


def undo_withdraw(uow: UnitOfWork, change: Change) -> None:
    enrollment, run, row = enrollments.locked_enrollment(uow, change.subject_id)
    if enrollment.status not in ("withdrawn", "no-show"):
        raise conflict("moved-on", f"{enrollment.person.name} is not withdrawn any more.")
    leaving.seat_again(uow, enrollment, run, row, f"Undid the withdrawal of {enrollment.person.name}")


def undo_wait(uow: UnitOfWork, change: Change) -> None:
    row, _ = waitlist.locked(uow, change.subject_id)
    row.status, row.ended_at = "taken back", uow.now


def undo_offer(uow: UnitOfWork, change: Change) -> None:
    row, _ = waitlist.locked(uow, change.subject_id)
    if row.status != "offered":
        raise conflict("moved-on", f"{row.person.name} has no offer any more.")
    row.status, row.offer_until, row.asked_time = "waiting", None, False


def undo_leave(uow: UnitOfWork, change: Change) -> None:
    waitlist.back_in_line(uow, change.subject_id, "left")


def undo_seat(uow: UnitOfWork, change: Change) -> None:
    waitlist.back_in_line(uow, change.subject_id, "seated")


def undo_kept_back(uow: UnitOfWork, change: Change) -> None:
    """Keep back again what a change let go, or the other way round; refused when the seats are somebody's by now."""
    assert change.run_id is not None
    run, row = seats.lock_run(uow, change.run_id)
    was = seats.seats_of(uow, run, row).kept
    restore_rows(uow, change)
    run, row = seats.lock_run(uow, change.run_id)
    now = seats.seats_of(uow, run, row)
    if now.kept > was and now.taken + now.kept > now.whole:
        short = min(now.kept - was, now.taken + now.kept - now.whole)
        raise conflict("full", f"{short} of these seats are taken by now.")
    schedule.settle_gates(uow, run)


def undo_name(uow: UnitOfWork, change: Change) -> None:
    """Take a named head back, if nobody else was named there since."""
    row = next(r for r in change.rows if r["table"] == "party_places")
    place = uow.session.get_one(PartyPlace, row["id"])
    before, after = row["before"] or {}, row["after"] or {}
    if place.person_id != after.get("person_id"):
        raise conflict("moved-on", "Somebody else was named there since.")
    earlier = before.get("person_id")
    place.person_id = earlier if isinstance(earlier, int) else None


def undo_batch(uow: UnitOfWork, change: Change) -> None:
    """Take back every seat of a list that is still as the list made it; all of it, or nothing."""
    batch = uow.session.get_one(Batch, change.subject_id)
    seats.run_to_change(uow, batch.run_id)
    rows = uow.session.scalars(select(Enrollment).where(Enrollment.batch_id == batch.id)).all()
    gone = [e.person.name for e in rows if not e.holds_seat]
    if gone:
        raise conflict("moved-on", f"It has moved on since: {', '.join(gone[:3])} no longer holds the seat.")
    for enrollment in rows:
        leaving.end(uow, enrollment, "taken back", f"Undid the list {batch.file_name}")
    for waiting in uow.session.scalars(
        select(Waiting).where(Waiting.batch_id == batch.id, Waiting.live == 1)
    ):
        waiting.status, waiting.ended_at = "taken back", uow.now
    batch.status, batch.report, batch.enrolled_at = "judged", None, None


def undo_new_runs(uow: UnitOfWork, change: Change) -> None:
    """Take back runs that were made together: all of them, while each is a draft that nobody touched since."""
    made = [r["id"] for r in change.rows if r["table"] == "runs" and r["before"] is None]
    there = uow.session.scalars(select(Run.id).where(Run.id.in_(made)).order_by(Run.id)).all()
    runs = [seats.run_to_change(uow, run_id) for run_id in there]
    touched = [r.code for r in runs if r.status != "draft"]
    later = uow.session.scalar(select(Change).where(Change.run_id.in_(made), Change.id > change.id))
    if touched or later or len(runs) < len(made):
        raise conflict(
            "moved-on",
            f"It has moved on since: {touched[0] + ' is published' if touched else (later.summary if later else 'one of them is gone')}.",
        )
    for run in runs:
        uow.session.delete(uow.session.get_one(RunSeats, run.id))
        uow.session.flush()
        uow.session.delete(run)


def undo_payment(uow: UnitOfWork, change: Change) -> None:
    payment = uow.session.get_one(Payment, change.subject_id)
    accounts.get_account(uow, payment.account_id, lock=True)
    accounts.take_back(uow, payment, "Undid the payment")


def undo_merge(uow: UnitOfWork, change: Change) -> None:
    merging.refuse_moved_on(uow, change)
    restore_rows(uow, change)


def undo_sign_up(uow: UnitOfWork, change: Change) -> None:
    changing.undo_change(uow, change, change.subject_id, f"Undid: {change.summary}")


def undo_transfer(uow: UnitOfWork, change: Change) -> None:
    transfers.undo_transfer(uow, change.subject_id)


def undo_cancel_run(uow: UnitOfWork, change: Change) -> None:
    lifecycle.uncancel(uow, change)


TAKEN_BACK: dict[str, Callable[[UnitOfWork, Change], None]] = {
    "enroll": undo_enroll,
    "withdraw": undo_withdraw,
    "enroll a list": undo_batch,
    "wait": undo_wait,
    "offer a seat": undo_offer,
    "hold places": held_places.undo_hold,
    "change held places": undo_kept_back,
    "set seats aside": undo_kept_back,
    "leave the line": undo_leave,
    "seat from the line": undo_seat,
    "name a head": undo_name,
    "cancel a run": undo_cancel_run,
    "take a payment": undo_payment,
    "change a sign-up": undo_sign_up,
    "give back a meeting": changing.undo_credit,
    "transfer": undo_transfer,
    "merge people": undo_merge,
    "withdraw many": on_many.undo_withdraw,
    "transfer many": on_many.undo_move,
}
