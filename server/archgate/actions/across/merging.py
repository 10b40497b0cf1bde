"""Two records of one person made one: shown first, and taken back as long as nothing was done with that person since.

The kept record takes over everything of the other: sign-ups, places in line, money, messages, notes, tags, numbers.
"""

from __future__ import annotations

from typing import TypeAlias

from sqlalchemy import select, union

from archgate.actions.access import own_pages
from archgate.actions.across.views import Merged, Moved, TakenOver
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.restoring import restore_rows
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.actions.teaching import instructors
from archgate.core.faults import Refused
from archgate.core.money import format_amount
from archgate.documents.reader import Document
from archgate.tables.courses import Run
from archgate.tables.fees import CodeUse, KeptQuote
from archgate.tables.log import Change
from archgate.tables.messages import Call
from archgate.tables.money import Account
from archgate.tables.own_pages import OwnPage
from archgate.tables.people import Note, Person, PersonNumber, PersonTag
from archgate.tables.roster import Attendance, Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.seats import HeldPlace
from archgate.tables.today import Reminder
from archgate.tables.waitlist import Interest, Waiting

OfPerson: TypeAlias = (
    Enrollment
    | PartyPlace
    | Waiting
    | Interest
    | KeptQuote
    | CodeUse
    | Note
    | PersonNumber
    | PersonTag
    | Reminder
    | Attendance
    | Call
    | HeldPlace
    | OwnPage
)
MOVED: tuple[tuple[str, type[OfPerson]], ...] = (
    ("sign-ups", Enrollment),
    ("heads of parties", PartyPlace),
    ("places in line", Waiting),
    ("interest lists", Interest),
    ("kept quotes", KeptQuote),
    ("uses of codes", CodeUse),
    ("notes", Note),
    ("numbers with clients", PersonNumber),
    ("tags", PersonTag),
    ("reminders", Reminder),
    ("marks of attendance", Attendance),
    ("calls", Call),
    ("places held", HeldPlace),
    ("own pages", OwnPage),
)


def merge(uow: UnitOfWork, kept_id: int, gone_id: int) -> Merged:
    """Put everything of one record onto another. Both on one run, or in one line, has to be settled first."""
    if kept_id == gone_id:
        raise Problem(422, "same-record", "This is one record already.")
    both = {n: people.get_person(uow, n, to_change=True) for n in sorted({kept_id, gone_id})}
    kept, gone = both[kept_id], both[gone_id]
    if kept.merged_into_id or gone.merged_into_id:
        raise conflict("merged", "One of these records was merged already.")
    teaches = instructors.of_people(uow, (kept.id, gone.id))
    both_teach = len(teaches) == 2
    taught = instructors.runs_of(uow, teaches[gone.id].id) if both_teach else []
    for run_id in sorted({*runs_of(uow, (kept.id, gone.id)), *taught}):
        seats.run_to_change(uow, run_id)
    refuse_both(uow, kept, gone)
    moved = {}
    for label, table in MOVED:
        theirs = uow.session.scalars(select(table).where(table.person_id == gone.id)).all()
        rows = [row for row in theirs if isinstance(row, OfPerson)]
        for row in rows:
            if isinstance(row, PersonTag) and has_tag(uow, kept.id, row.tag):
                continue
            if isinstance(row, OwnPage) and own_pages.page_of(uow, kept.id):
                uow.session.delete(row)
                continue
            if isinstance(row, Attendance | Call) and has_mark(uow, kept.id, row):
                continue
            row.person_id = kept.id
        if rows:
            moved[label] = len(rows)
    uow.session.flush()
    accounts = move_accounts(uow, kept, gone)
    if accounts:
        moved["accounts"] = accounts
    if both_teach:
        instructors.move_everything(uow, teaches[kept.id], teaches[gone.id])
        instructors.retire(uow, teaches[gone.id])
        moved["runs and meetings taught"] = len(taught)
    elif gone.id in teaches:
        teaches[gone.id].person_id = kept.id
        moved["records of an instructor"] = 1
    taken = {}
    for fact in ("email", "phone"):
        if not getattr(kept, fact) and getattr(gone, fact):
            taken[fact] = getattr(gone, fact)
            setattr(kept, fact, getattr(gone, fact))
    kept.digits = kept.digits or gone.digits
    follow_email(uow, kept)
    if gone.note and gone.note not in kept.note:
        kept.note = f"{kept.note}\n{gone.note}".strip()
    if gone.health and gone.health not in kept.health:
        kept.health = f"{kept.health}\n{gone.health}".strip()
    gone.merged_into_id = kept.id
    uow.session.flush()
    change = uow.log(
        Act.MERGE_PEOPLE,
        kept.id,
        f"{gone.name} ({gone.email or gone.phone or 'no email'}) is {kept.name}",
    )
    return Merged(
        change=change.key,
        kept_id=kept.id,
        gone_id=gone.id,
        kept=kept.name,
        gone=gone.name,
        moved=[Moved(what=what, number=n) for what, n in moved.items()],
        taken_over=[TakenOver(what=what, value=value) for what, value in taken.items()],
        balance=format_amount(balance_of(uow, kept), uow.center.currency),
        currency=uow.center.currency,
    )


def runs_of(uow: UnitOfWork, person_ids: tuple[int, ...]) -> list[int]:
    """The runs on which these people have, or had, anything, by id: the order in which runs are locked."""
    named = select(Enrollment.run_id).join(PartyPlace, PartyPlace.enrollment_id == Enrollment.id)
    parts = [
        select(table.run_id).where(table.person_id.in_(person_ids))
        for table in (Enrollment, Waiting, HeldPlace, KeptQuote)
    ]
    listed = select(Interest.run_id).where(Interest.person_id.in_(person_ids), Interest.run_id.is_not(None))
    marked = (
        select(Meeting.run_id)
        .join(Attendance, Attendance.meeting_id == Meeting.id)
        .where(Attendance.person_id.in_(person_ids))
    )
    every = union(*parts, named.where(PartyPlace.person_id.in_(person_ids)), listed, marked).subquery()
    return list(uow.session.scalars(select(every.c.run_id).order_by(every.c.run_id)))


def follow_email(uow: UnitOfWork, kept: Person) -> None:
    """The page that is kept is signed in to by the kept email, unless somebody else does so by it."""
    try:
        own_pages.follow_email(uow, kept)
    except Refused as refused:
        raise conflict("own-page", refused.faults[0].message) from None


def refuse_both(uow: UnitOfWork, kept: Person, gone: Person) -> None:
    """Nobody sits on one run twice, nor waits in one line twice."""
    for table, where in (
        (Enrollment, "hold a seat on"),
        (Waiting, "wait for"),
        (Interest, "are on the list of"),
    ):
        column = Interest.list_key if table is Interest else table.run_id
        mine = select(column).where(table.person_id == kept.id, table.live == 1)
        both = uow.session.scalar(
            select(column).where(table.person_id == gone.id, table.live == 1, column.in_(mine))
        )
        if both is not None:
            code = both if isinstance(both, str) else uow.session.get_one(Run, both).code
            raise conflict("both", f"Both records {where} {code}; end one of them first.")


def has_tag(uow: UnitOfWork, person_id: int, tag: str) -> bool:
    return (
        uow.session.scalar(select(PersonTag.id).where(PersonTag.person_id == person_id, PersonTag.tag == tag))
        is not None
    )


def has_mark(uow: UnitOfWork, person_id: int, row: Attendance | Call) -> bool:
    table = type(row)
    query = select(table.id).where(table.person_id == person_id, table.meeting_id == row.meeting_id)
    return uow.session.scalar(query) is not None


def move_accounts(uow: UnitOfWork, kept: Person, gone: Person) -> int:
    """The other record's accounts belong to the kept person from now on; where both have one, they stand side by side."""
    rows = uow.session.scalars(select(Account).where(Account.person_id == gone.id)).all()
    own = set(uow.session.scalars(select(Account.currency).where(Account.owner == f"person:{kept.id}")))
    for row in rows:
        row.person_id = kept.id
        if row.currency not in own:
            row.owner = f"person:{kept.id}"
    return len(rows)


def balance_of(uow: UnitOfWork, person: Person) -> int:
    ids = list(uow.session.scalars(select(Account.id).where(Account.person_id == person.id)))
    return sum(money.balances(uow, ids).values())


def refuse_moved_on(uow: UnitOfWork, change: Change) -> None:
    """Refuse to take a merge back once anything was done with either record since."""
    both = {change.subject_id, *(r["id"] for r in change.rows if r["table"] == "people")}
    query = select(Change).where(Change.id > change.id).order_by(Change.id)
    for later in uow.session.scalars(query):
        for row in later.rows:
            facts: Document = {**(row["before"] or {}), **(row["after"] or {})}
            if facts.get("person_id") in both or (row["table"] == "people" and row["id"] in both):
                raise conflict("moved-on", f'Something was done with this person since: "{later.summary}".')


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.MERGE_PEOPLE)
def undo_merge(uow: UnitOfWork, change: Change) -> None:
    refuse_moved_on(uow, change)
    restore_rows(uow, change)
