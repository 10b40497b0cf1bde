"""Rows put back as they were before a change, from the log."""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, TypeAlias

from sqlalchemy import ColumnElement, Table, select
from sqlalchemy.exc import IntegrityError

from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork, note_restored_part, plain
from archgate.core.quotes import quote_read
from archgate.documents.reader import Document
from archgate.tables import Base
from archgate.tables.base import JsonText, Moment, QuoteDocument
from archgate.tables.log import Change, RowChange
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import MeetingTeacher

ADDED_ON_THE_SPOT = {"places", "instructors"}  # somebody else may use them by now
RISING = {"sequence"}  # of meetings: a calendar must see it rise, also on an undo
DERIVED = {"gates"}  # worked out anew after an undo, never restored
AnyColumn: TypeAlias = ColumnElement[Any]  # type: ignore[explicit-any]  # of whichever type its table gives it


def later_change(uow: UnitOfWork, change: Change, table: str, row_id: int) -> str:
    """Who moved a row on since, in words, for the refusal."""
    query = (
        select(Change)
        .where(
            Change.id > change.id, Change.subject == change.subject, Change.subject_id == change.subject_id
        )
        .order_by(Change.id)
    )
    for later in uow.session.scalars(query):
        if any(r["table"] == table and r["id"] == row_id for r in later.rows):
            return f'"{later.summary}"'
    return "a later change"


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
        same = (
            now is None
            if expected is None
            else now is not None and all(equal(now[k], v) for k, v in expected.items() if k not in RISING)
        )
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


def equal(present: object, logged: object) -> bool:
    """Whether a value from the database is the one in the log, which is plain JSON."""
    if isinstance(present, Decimal):
        return logged is not None and present == Decimal(str(logged))
    if isinstance(present, bool) or isinstance(logged, bool):
        return bool(present) == bool(logged)
    return bool(plain(present) == logged)


def restore(uow: UnitOfWork, table: Table, row: RowChange) -> None:  # type: ignore[explicit-any]  # a table of any columns
    """Put one row back as it was before a change."""
    before = row["before"]
    facts = {**(row["after"] or {}), **(before or {})}
    note_restored(uow, table.name, row["id"], facts)
    note_restored_part(uow.session, table.name, row["id"], facts)
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


def note_restored(uow: UnitOfWork, table: str, number: int, facts: Document) -> None:
    """What is kept beside a row that is put back is brought up to date, too; `facts` are those before and after."""
    touched = uow.touched

    def said(name: str) -> int | None:
        value = facts.get(name)
        return value if isinstance(value, int) else None

    match table:
        case "enrollments":
            columns = select(Enrollment.run_id, Enrollment.payer_id, Enrollment.person_id)
            stored = uow.session.execute(columns.where(Enrollment.id == number)).one_or_none()
            known = (said("run_id"), said("payer_id"), said("person_id"))
            for run_id, payer_id, person_id in (known, stored or (None, None, None)):
                if run_id is not None and payer_id is not None and person_id is not None:
                    touched.note_enrollment(number, run_id, payer_id, person_id)
                    touched.rosters.add(run_id)
        case "people":
            touched.people.add(number)
        case "installments":
            of = said("enrollment_id") or uow.session.scalar(
                select(Installment.enrollment_id).where(Installment.id == number)
            )
            if of is not None:
                touched.enrollments.add(of)
        case "party_places":
            columns_of_head = select(PartyPlace.enrollment_id, PartyPlace.person_id)
            head = uow.session.execute(columns_of_head.where(PartyPlace.id == number)).one_or_none()
            for enrollment_id, head_id in ((said("enrollment_id"), said("person_id")), head or (None, None)):
                if enrollment_id is not None:
                    touched.note_head(enrollment_id, head_id)
        case "meetings":
            run = said("run_id") or uow.session.scalar(select(Meeting.run_id).where(Meeting.id == number))
            if run is not None:
                touched.dated.add(run)
        case "meeting_teachers":
            meeting = said("meeting_id") or uow.session.scalar(
                select(MeetingTeacher.meeting_id).where(MeetingTeacher.id == number)
            )
            of_meeting = uow.session.scalar(select(Meeting.run_id).where(Meeting.id == meeting))
            if of_meeting is not None:
                touched.dated.add(of_meeting)
        case "runs":
            touched.dated.add(number)
        case "places":
            touched.places.add(number)
        case "instructors":
            touched.instructors.add(number)
        case "busy_times":
            touched.note_busy(said("place_id"), said("instructor_id"))
        case "closures" | "center":
            touched.closed_days = True


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
