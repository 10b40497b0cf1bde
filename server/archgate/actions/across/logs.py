"""What was done to a run, a person, an account, a course or in the whole center: newest first, each with its undo as long as there
is one, and with what changed from what to what."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import orjson
from sqlalchemy import ColumnElement, and_, exists, func, select, union
from sqlalchemy.orm import aliased

from archgate.actions.across.undo import MONEY_TIME
from archgate.actions.across.views import ChangedField, ChangeFields, LogLine, LogPage
from archgate.actions.courses import courses
from archgate.actions.kernel.acts import Act, Subject, Undo, act_named
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money.accounts import get_account
from archgate.actions.people import organizations
from archgate.actions.people.people import get_person, like
from archgate.clock import system_now
from archgate.core.states import LogOf
from archgate.documents.reader import Document
from archgate.tables.access import User
from archgate.tables.log import Change
from archgate.tables.money import Account, Invoice, Payment
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Interest, Waiting

PAGE = 60
SEARCHED = 100_000  # changes that the log of the center goes back
MOST_WORDS, MOST_FIELDS, MOST_LINES = 6, 100, 3_000


@dataclass(frozen=True)
class LogAsk:
    """Which changes of a log are asked for: those before a cursor, that hold every word, by one user (0: by itself)."""

    before: int | None = None
    words: str = ""
    user_id: int | None = None

    @property
    def parts(self) -> list[ColumnElement[bool]]:
        found: list[ColumnElement[bool]] = [
            Change.summary.like(like(word)) for word in self.words.split()[:MOST_WORDS]
        ]
        if self.before is not None:
            found.append(Change.id < self.before)
        if self.user_id is not None:
            found.append(Change.user_id.is_(None) if self.user_id == 0 else Change.user_id == self.user_id)
        return found


def log_page(uow: UnitOfWork, touches: Sequence[ColumnElement[bool]] | None, asked: LogAsk) -> LogPage:
    """A page of the changes that touch something, newest first."""
    rows = changes_of(uow, touches, asked, PAGE + 1)
    return LogPage(
        items=[
            LogLine(
                key=change.key,
                at=uow.local(change.at),
                by=name or by_a_person(change),
                summary=change.summary,
                undo=None if gone else undo_of(change),
                undone=gone,
            )
            for change, name, gone in rows[:PAGE]
        ],
        next=rows[PAGE - 1][0].id if len(rows) > PAGE else None,
    )


# What people outside do by a link or on a page of their own: nobody of the staff, nor the program by itself.
BY_THEMSELVES = (
    Act.APPLY_TO_TEACH, Act.SET_A_PASSWORD, Act.NEW_LINK, Act.OFFER_DECLINED, Act.TAKE_AN_OFFER, Act.ASK_FOR_TIME,
)  # fmt: skip


def by_a_person(change: Change) -> str | None:
    return "by themselves" if act_named(change.action) in BY_THEMSELVES else None


def changes_of(
    uow: UnitOfWork, touches: Sequence[ColumnElement[bool]] | None, asked: LogAsk, most: int
) -> list[tuple[Change, str | None, bool]]:
    """Changes with who made them and whether they were undone. Each of `touches` is looked for by an index of its own: for
    all of them at once the database would read the whole log. Without them it is everything, and words are looked for among
    the newest changes only."""
    later = aliased(Change)
    undone = exists().where(later.undoes_id == Change.id)
    query = select(Change, User.name, undone).outerjoin(User, User.id == Change.user_id)
    if touches is None:
        newest = uow.session.scalar(select(func.max(Change.id))) or 0
        query = query.where(Change.id > newest - SEARCHED, *asked.parts)
    else:
        ids = union(*(select(Change.id).where(part, *asked.parts) for part in touches)).subquery()
        query = query.join(ids, ids.c.id == Change.id)
    rows = uow.session.execute(query.order_by(Change.id.desc()).limit(most))
    return [(change, name, bool(gone)) for change, name, gone in rows]


def undo_of(change: Change) -> str | None:
    """The key by which a change is undone; None where it never is, or no longer. Whether something has moved on since is
    asked when it is tried."""
    act = act_named(change.action)
    if not isinstance(act.undo, Undo):
        return None
    late = act.undo is Undo.SOON and system_now() - change.entered_at > MONEY_TIME
    return None if late else change.key


def touches_of(uow: UnitOfWork, about: LogOf, number: int) -> list[ColumnElement[bool]] | None:
    """What stands in the log of something; None for everything."""
    match about:
        case LogOf.RUN:
            run = get_run(uow, number)
            return [Change.run_id == run.id, of(Subject.RUN, run.id)]
        case LogOf.ACCOUNT:
            return of_accounts(Account.id == get_account(uow, number).id)
        case LogOf.COURSE:
            return [of(Subject.COURSE, courses.get_course(uow, number).id)]
        case LogOf.PERSON:
            return of_person(get_person(uow, number))
        case LogOf.ORGANIZATION:
            found = organizations.get_organization(uow, number).id
            return [of(Subject.ORGANIZATION, found), *of_accounts(Account.organization_id == found)]
        case LogOf.CENTER:
            return None


def of(subject: Subject, number: int) -> ColumnElement[bool]:
    return and_(Change.subject == subject, Change.subject_id == number)


def log_of(uow: UnitOfWork, about: LogOf, number: int, asked: LogAsk | None = None) -> LogPage:
    """A page of the log of a run, a person, a payer's account, a course, or of the whole center."""
    return log_page(uow, touches_of(uow, about, number), asked or LogAsk())


def of_person(person: Person) -> list[ColumnElement[bool]]:
    listed = select(Interest.id).where(Interest.person_id == person.id)
    enrollments = select(Enrollment.id).where(Enrollment.person_id == person.id)
    line = select(Waiting.id).where(Waiting.person_id == person.id)
    return [
        of(Subject.PERSON, person.id),
        and_(Change.subject == Subject.ENROLLMENT, Change.subject_id.in_(enrollments)),
        and_(Change.subject == Subject.WAITING, Change.subject_id.in_(line)),
        and_(Change.subject == Subject.INTEREST, Change.subject_id.in_(listed)),
        *of_accounts(Account.person_id == person.id),
    ]


def of_accounts(which: ColumnElement[bool]) -> list[ColumnElement[bool]]:
    """Changes of accounts, of their payments and of their papers."""
    own = select(Account.id).where(which)
    paid = select(Payment.id).join(Account, Account.id == Payment.account_id).where(which)
    papers = select(Invoice.id).join(Account, Account.id == Invoice.account_id).where(which)
    return [
        and_(Change.subject == Subject.ACCOUNT, Change.subject_id.in_(own)),
        and_(Change.subject == Subject.PAYMENT, Change.subject_id.in_(paid)),
        and_(Change.subject == Subject.INVOICE, Change.subject_id.in_(papers)),
    ]


# --- from what to what ------------------------------------------------------------------------------------

HIDDEN_FIELDS = {
    "id",
    "key",
    "uid",
    "folded",
    "digits",
    "sort",
    "n",
    "turn",
    "revision",
    "sequence",
    "user_id",
    "made_by",
}
UNSAID_FIELDS = {"health"}  # that it changed is told, not what it says: a log is read and exported by many
FIELD_WORDS = {"health": "remark on health"}
NAMING = ("name", "label", "title", "code", "text", "day", "date", "amount", "status")
TABLE_WORDS = {"people": "person", "run_seats": "seats", "entries": "entry of the books", "center": "center"}


def whats_in(change: Change) -> list[ChangedField]:
    """What a change changed, field by field, from what to what; of a row that was added or taken out, what names it."""
    found = []
    for row in change.rows or []:
        what = TABLE_WORDS.get(row["table"], row["table"].replace("_", " ").removesuffix("s"))
        before, after = row["before"], row["after"]
        if before is None or after is None:
            names = naming(after or before or {})
            found.append(
                ChangedField(
                    what=what,
                    field="",
                    before="" if before is None else names,
                    after="" if after is None else names,
                )
            )
            continue
        for name in sorted({*before, *after}):
            was, now = before.get(name), after.get(name)
            if was != now and name not in HIDDEN_FIELDS and not name.endswith("_id"):
                words = FIELD_WORDS.get(name, name.replace("_", " ").removesuffix(" at"))
                if name in UNSAID_FIELDS:
                    was, now = (was and "a remark"), (now and "a remark")
                found.append(ChangedField(what=what, field=words, before=said(was), after=said(now)))
    return found[:MOST_FIELDS]


def naming(facts: Document) -> str:
    """What a row is called, as far as it says so."""
    return ", ".join(said(facts[n]) for n in NAMING if facts.get(n) not in (None, "")) or "one"


def said(value: object) -> str:
    """A value of the log in words."""
    if value is None or value == "" or value == []:
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict | list):
        return orjson.dumps(value).decode()[:300]
    return str(value)[:300]


def change_shown(uow: UnitOfWork, key: str) -> ChangeFields:
    """One change, field by field."""
    row = uow.session.scalar(select(Change).where(Change.key == key))
    if row is None:
        raise not_found("This change")
    # The rows of an act stand with its last entry; an act of several entries tells all of them there.
    return ChangeFields(summary=row.summary, fields=whats_in(row))


def lines(uow: UnitOfWork, about: LogOf, number: int, asked: LogAsk) -> list[list[str]]:
    """A log as lines of a CSV file, newest first."""
    rows = changes_of(uow, touches_of(uow, about, number), asked, MOST_LINES)
    head = ["When", "Who", "What", "From what to what", "Undone"]
    return [head] + [
        [
            uow.local(change.at),
            name or by_a_person(change) or "by itself",
            change.summary,
            "; ".join(field_text(f) for f in whats_in(change)),
            "undone" if gone else "",
        ]
        for change, name, gone in rows
    ]


def field_text(f: ChangedField) -> str:
    if not f.field:
        return f"{f.what} {f.after or f.before} {'added' if f.after else 'taken out'}"
    return f"{f.what}, {f.field}: {f.before} to {f.after}"
