"""The one way a transaction is run: begun, retried, logged, made safe to repeat, committed.

An action is a function of a UnitOfWork. It may be run more than once: when MariaDB gives up waiting for a lock (1205,
which rolls back one statement only), finds a deadlock (1213) or a cluster refuses to certify (also 1213), all
of it is rolled back and the whole action runs again. So it is when a unique key says that somebody else did the
same at the same moment: the action then sees it and answers in words.
"""

from __future__ import annotations

import random
import secrets
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from datetime import time as time_of_day
from decimal import Decimal
from functools import cache
from typing import TypeVar, overload
from zoneinfo import ZoneInfo

import orjson
from pydantic import BaseModel
from sqlalchemy import bindparam, delete, event, insert, inspect, update
from sqlalchemy.exc import DBAPIError, IntegrityError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, object_session, sessionmaker

from archgate.actions.kernel.acts import Act, Subject
from archgate.actions.kernel.kept import KEEPERS, Touched
from archgate.actions.kernel.problems import Problem
from archgate.clock import business_now, system_now
from archgate.core.quotes import AgreedQuote, document_of
from archgate.core.rights import Right, refusal
from archgate.documents.reader import Document
from archgate.tables import Base
from archgate.tables.access import RecoveryCode, SignIn, SignInLimit, User, UserSession
from archgate.tables.bulk import BatchRow, SentenceDue
from archgate.tables.catalog import AccessCode, CourseDocument, CoursePicture, StrangerKey
from archgate.tables.courses import Attachment, Center, CenterLogo, Run
from archgate.tables.fees import EarlyStep, Rate
from archgate.tables.fees import Extra as SoldExtra
from archgate.tables.jobs import Job, TimedWork
from archgate.tables.log import Change, IdempotencyKey, RowChange
from archgate.tables.messages import Message
from archgate.tables.money import CardPayment, CardRefund
from archgate.tables.own_pages import OwnPageSession
from archgate.tables.people import Person
from archgate.tables.plans import Plan, PlanLine
from archgate.tables.roster import Enrollment, ParkedCall, RunGroup
from archgate.tables.schedule import Feed, Gate, Meeting, MeetingPattern, OnlineLink
from archgate.tables.seats import HeldPlace, RunSeats, SetAside
from archgate.tables.teaching import EvaluationAnswer, EvaluationAsked, InstructorPicture, RunTeacher
from archgate.tables.waitlist import Waiting

T = TypeVar("T")
Sessions = sessionmaker[Session]
RETRIED = {1205, 1213, 1020}
TRIES = 6
KEY_LIFE = timedelta(days=7)
UNLOGGED = (
    Change, IdempotencyKey, UserSession, SignInLimit, BatchRow, SentenceDue, Job, TimedWork, Message, OnlineLink, Feed, Attachment,
    OwnPageSession, SignIn, RecoveryCode, CenterLogo, ParkedCall, InstructorPicture, EvaluationAnswer, EvaluationAsked,
    CoursePicture, CourseDocument, StrangerKey, CardPayment, CardRefund,
)  # fmt: skip


UNDER_THE_RUN = (
    Meeting,
    MeetingPattern,
    Gate,
    Rate,
    SoldExtra,
    Plan,
    SetAside,
    HeldPlace,
    Enrollment,
    Waiting,
    RunGroup,
    RunTeacher,
    AccessCode,
)


# The driver's and the server's words for "gone" and "too many".
LOST = {2002, 2003, 2006, 2013, 2014, 1040, 1053, 1927}


def is_database_trouble(error: BaseException) -> bool:
    """Whether the database was not there, did not answer in time, or had no connection to give."""
    if isinstance(error, PoolTimeout):
        return True
    if isinstance(error, DBAPIError):
        lost = isinstance(error, OperationalError) and _code(error) in LOST
        return error.connection_invalidated or lost
    return False


@dataclass(frozen=True)
class Once:
    """What makes twice once: the key from the form, and the hash of what was sent where."""

    key: str
    body_hash: str
    status: int = 200


@dataclass
class UnitOfWork:
    """One action under way. `now` is the business moment; nothing in an action reads another clock."""

    session: Session
    center: Center
    user: User | None
    now: datetime
    new_names: frozenset[str] | None = (
        None  # of places and instructors that may be added; None: whoever acts knows
    )
    unknown: list[dict[str, str]] = field(
        default_factory=list
    )  # what was named and is not there, to be asked about
    entries: list[Change] = field(default_factory=list)
    rows: list[RowChange] = field(default_factory=list)
    center_plans: list[Plan] | None = None  # where they are known without asking
    touched: Touched = field(default_factory=Touched)
    over: bool = False  # its locks were let go of: it can only be refused now

    @property
    def zone(self) -> ZoneInfo:
        return ZoneInfo(self.center.time_zone)

    @property
    def today(self) -> date:
        return self.now.astimezone(self.zone).date()

    @overload
    def local(self, moment: datetime) -> str: ...
    @overload
    def local(self, moment: None) -> None: ...
    @overload
    def local(self, moment: datetime | None) -> str | None: ...
    def local(self, moment: datetime | None) -> str | None:
        """A moment as screens read it: ISO 8601 with the center's offset; none stays none."""
        return moment.astimezone(self.zone).isoformat() if moment else None

    def need(self, right: Right) -> None:
        """Refuse whoever's role lacks a right, where the address alone does not decide it."""
        if self.user is None or not self.user.may(right):
            raise Problem(403, "forbidden", refusal(self.user.role.name if self.user else "nobody", right))

    def let_go(self) -> None:
        """End the transaction, and all its locks, for an act that will be refused: nobody waits while the reason is worked
        out. What was read stays as it was read; nothing can be written any more."""
        self.session.connection().exec_driver_sql("ROLLBACK")
        self.over = True

    @property
    def user_id(self) -> int:
        assert self.user is not None
        return self.user.id

    @property
    def by(self) -> int | None:
        """Who of the staff acts; None where somebody outside does."""
        return self.user.id if self.user else None

    def log(
        self,
        act: Act,
        subject_id: int,
        summary: str,
        undoes: int | None = None,
        run_id: int | None = None,
        subject: Subject | None = None,
    ) -> Change:
        """Write down what was done; the rows before and after are added by themselves. `run_id`: whose screens move;
        `subject`: what it is about where an act can be about several kinds of things."""
        about = subject or act.subject
        change = Change(
            key=secrets.token_hex(12),
            at=self.now,
            entered_at=system_now(),
            user_id=self.by,
            action=str(act),
            subject=str(about),
            subject_id=subject_id,
            run_id=subject_id if about is Subject.RUN else run_id,
            summary=summary,
            rows=[],
            undoes_id=undoes,
        )
        self.entries.append(change)
        return change


def lock_row(uow: UnitOfWork, table: type[T], key: int) -> T | None:
    """A row that stands by itself (a person, a course, a plan, the center), locked and read anew: whoever changes it
    compares what was seen under this lock. Rows of a run are changed under the run's (`seats.run_to_change`)."""
    return uow.session.get(table, key, with_for_update=True, populate_existing=True)


def plain(value: object) -> object:
    """A column's value as JSON can hold it."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    if isinstance(value, date | time_of_day):
        return value.isoformat()
    if isinstance(value, AgreedQuote):
        return document_of(value)
    return str(value) if isinstance(value, Decimal) else value


# Hashes and secrets stay out of the log, and what is only kept beside other rows (`tables.base.KEPT`).
HIDDEN = {"password", "totp_secret", "totp_step"}


@cache
def _key_name(kind: type[Base]) -> str:
    return str(inspect(kind).primary_key[0].key)


def _key_of(obj: Base) -> int:
    return getattr(obj, _key_name(type(obj)))  # type: ignore[no-any-return]


def note_row(uow: UnitOfWork, obj: Base, before: Document | None, after: Document | None) -> None:
    """Log a row: what of it was, and what it became."""
    uow.rows.append({"table": obj.__tablename__, "id": _key_of(obj), "before": before, "after": after})


def note_new(uow: UnitOfWork, obj: Base) -> None:
    """Log a row that was written past the session."""
    note_row(uow, obj, None, _columns(obj))


@cache
def _logged(kind: type[Base]) -> tuple[str, ...]:
    """The columns of a table that the log shows."""
    attributes = inspect(kind).column_attrs
    return tuple(a.key for a in attributes if a.key not in HIDDEN and not a.columns[0].info.get("kept"))


def _columns(obj: Base) -> Document:
    loaded = inspect(obj).dict
    return {key: plain(loaded[key]) for key in _logged(type(obj)) if key in loaded}


@event.listens_for(Base, "before_delete", propagate=True)
def _note_deleted(mapper: object, connection: object, obj: Base) -> None:
    """Orphans are found only while flushing, so deleted rows are noted one by one as they go."""
    session = object_session(obj)
    uow = session.info.get("uow") if session else None
    if uow is not None and not isinstance(obj, UNLOGGED):
        note_row(uow, obj, _columns(obj), None)


class Unlocked(AssertionError):
    """An act that writes rows of a run without the run's lock: a mistake of ours, found by any test that walks there."""


def _of_run(obj: object) -> int | None:
    """The run whose lock a row needs before it is written; None for rows that no run's order depends on."""
    if isinstance(obj, Run):
        return obj.id
    return obj.run_id if isinstance(obj, UNDER_THE_RUN) else None


# What a run is made of: when a row of these is written, the run's revision rises, or the center's for its own plans.
MADE_OF = (Run, Meeting, MeetingPattern, Gate, Rate, EarlyStep, SoldExtra, Plan, PlanLine, RunTeacher)
OF_CENTER = 0


def _whose(session: Session, obj: object) -> int | None:
    """The run that a row is part of, `OF_CENTER` for plans of the center; None for rows that no run is made of, and for
    parts whose whole is written in the same flush."""
    if isinstance(obj, EarlyStep):
        obj = session.get(Rate, obj.rate_id) if obj.rate_id else None
    elif isinstance(obj, PlanLine):
        obj = session.get(Plan, obj.plan_id) if obj.plan_id else None
    if isinstance(obj, Plan) and obj.run_id is None:
        return OF_CENTER
    return _of_run(obj)


def changed_wholes(session: Session) -> set[int]:
    """The runs whose facts this transaction has written so far, and `OF_CENTER`."""
    changed: set[int] = session.info.setdefault("changed wholes", set())
    return changed


WHOLES = {kind.__tablename__: kind for kind in MADE_OF}


def note_restored_part(session: Session, table: str, number: int, facts: Document) -> None:
    """A row of what a run is made of that is written past the session: its run's revision rises all the same, else whoever keeps the
    run would sell it by what it was. `facts` are those of the row, as far as they are known; of a row that is there it is read."""
    kind = WHOLES.get(table)
    if kind is None:
        return
    row = session.get(kind, number)
    if row is None:
        known = {
            name: facts.get(name) for name in ("id", "run_id", "rate_id", "plan_id") if hasattr(kind, name)
        }
        row = kind(**known)
    whose = _whose(session, row)
    if whose is not None:
        changed_wholes(session).add(whose)


def _raise_revisions(session: Session) -> None:
    """Last of all, so that the center's row is held for the commit only."""
    changed = changed_wholes(session)
    runs = sorted(changed - {OF_CENTER})
    if runs:
        risen = update(RunSeats).where(RunSeats.run_id.in_(runs)).values(revision=RunSeats.revision + 1)
        session.execute(risen.execution_options(synchronize_session=False))
    if OF_CENTER in changed:
        risen = update(Center).values(revision=Center.revision + 1)
        session.execute(risen.execution_options(synchronize_session=False))


def _refuse_unlocked(session: Session) -> None:
    """Rows of a run are written only under its lock (`seats.run_to_change`), or together with the run itself."""
    locked = session.info.get("locked seats", {})
    fresh = session.info.setdefault("made runs", set())
    for obj in session.new:
        if isinstance(obj, Run):
            fresh.add(obj)
    made = {run.id for run in fresh}
    touched = [*session.new, *session.deleted, *(x for x in session.dirty if session.is_modified(x))]
    for obj in touched:
        _refuse_one(obj, {*locked, *made})


def _refuse_one(obj: object, locked: set[int]) -> None:
    run_id = _of_run(obj)
    if run_id is not None and run_id not in locked:
        raise Unlocked(f"{type(obj).__name__} of run {run_id} is written without the run's lock.")


def refuse_unlocked_rows(session: Session, rows: Sequence[Base]) -> None:
    """The same for rows that are written past the session."""
    made = {run.id for run in session.info.get("made runs", set())}
    locked = {*session.info.get("locked seats", {}), *made}
    for row in {_of_run(row): row for row in rows}.values():
        _refuse_one(row, locked)


def _record(uow: UnitOfWork) -> None:
    """Collect every row the session touches, before and after, for the log."""
    session = uow.session
    session.info["uow"] = uow

    @event.listens_for(session, "before_flush")
    def _before(session: Session, context: object, instances: object) -> None:
        _refuse_unlocked(session)
        written = [*session.new, *session.deleted, *(x for x in session.dirty if session.is_modified(x))]
        wholes = {_whose(session, x) for x in written if isinstance(x, MADE_OF)}
        changed_wholes(session).update(number for number in wholes if number is not None)
        for obj in session.dirty:
            if isinstance(obj, UNLOGGED) or not session.is_modified(obj):
                continue
            before: Document = {}
            after: Document = {}
            kind: type[Base] = type(obj)
            for key in _logged(kind):
                history = inspect(obj).attrs[key].history
                if history.has_changes() and history.deleted:
                    before[key] = plain(history.deleted[0])
                    after[key] = plain(history.added[0] if history.added else None)
            if before:
                note_row(uow, obj, before, after)

    @event.listens_for(session, "after_flush")
    def _after(session: Session, context: object) -> None:
        for obj in (*session.new, *session.deleted, *(x for x in session.dirty if session.is_modified(x))):
            uow.touched.note(obj)
        for obj in session.new:
            if isinstance(obj, Person):
                uow.touched.added.add(obj.id)
            if not isinstance(obj, UNLOGGED):
                note_row(uow, obj, None, _columns(obj))


def _stored(session: Session, user: User | None, once: Once) -> Document | None:
    """The answer already given for this key; a different body under the same key is refused."""
    stored: IdempotencyKey | StrangerKey | None
    if user is None:
        stored = session.get(StrangerKey, once.key)
    else:
        stored = session.get(IdempotencyKey, (user.id, once.key))
    if stored is None:
        return None
    if stored.body_hash != once.body_hash:
        raise Problem(422, "key-reused", "This form was already sent with other content; open it anew.")
    return stored.answer


def _code(error: DBAPIError) -> int | None:
    args = getattr(error.orig, "args", ())
    return args[0] if args and isinstance(args[0], int) else None


# Put together once, as they are part of every act.
NEW_KEY, LOG, NEW_STRANGER_KEY = insert(IdempotencyKey), insert(Change), insert(StrangerKey)
ANSWERED = (
    update(IdempotencyKey)
    .where(IdempotencyKey.user_id == bindparam("of_user"), IdempotencyKey.key == bindparam("of_key"))
    .values(answer=bindparam("answer"))
)
ANSWERED_STRANGER = (
    update(StrangerKey).where(StrangerKey.key == bindparam("of_key")).values(answer=bindparam("answer"))
)


def _write_key(session: Session, user: User | None, once: Once) -> None:
    """Write a key down; one that is there already lets nobody by."""
    facts = {"key": once.key, "body_hash": once.body_hash, "at": system_now()}
    if user is None:
        session.connection().execute(NEW_STRANGER_KEY, facts)
    else:
        session.connection().execute(NEW_KEY, {**facts, "user_id": user.id, "status": once.status})


def _keep_answer(session: Session, user: User | None, once: Once, result: object) -> None:
    answer = {"of_key": once.key, "answer": {"answer": orjson.loads(orjson.dumps(result, default=as_json))}}
    if user is None:
        session.connection().execute(ANSWERED_STRANGER, answer)
    else:
        session.connection().execute(ANSWERED, {**answer, "of_user": user.id})


def act(
    sessions: sessionmaker[Session],
    action: Callable[[UnitOfWork], T],
    user: User | None = None,
    once: Once | None = None,
    preview: bool = False,
    at: datetime | None = None,
    new_names: frozenset[str] | None = None,
) -> T:
    """Run an action as one transaction and return its answer.

    With `once`, the answer is stored in the same transaction and given again when the key comes again. With
    `preview`, everything is worked out and then rolled back. `at` sets the business moment (demo, tests).
    """
    for attempt in range(1, TRIES + 1):
        with sessions() as session:
            try:
                center = session.get_one(Center, 1)
                if once:
                    # The first time it is only written: a key that is there already brings us here again.
                    answer = _stored(session, user, once) if attempt > 1 else None
                    if answer is not None:
                        return answer["answer"]  # type: ignore[return-value]  # kept as JSON, read as the same answer
                    _write_key(session, user, once)
                work = UnitOfWork(session, center, user, at or business_now(center.clock_offset), new_names)
                _record(work)
                result = action(work)
                assert not work.over, "an act that let go of its locks is refused"
                session.flush()
                if work.unknown:
                    raise unknown_names(work.unknown)
                if preview:
                    session.rollback()
                    return result
                for change in work.entries:
                    change.rows = work.rows if change is work.entries[-1] else []
                if work.entries:
                    session.connection().execute(LOG, [facts_of(change) for change in work.entries])
                for keep in KEEPERS:
                    keep(work)
                _raise_revisions(session)
                if once:
                    _keep_answer(session, user, once, result)
                session.commit()
                return result
            except IntegrityError:
                # Somebody did the same at the same moment: run again, the action now sees it and says so.
                session.rollback()
                if attempt == TRIES:
                    raise
            except OperationalError as error:
                session.rollback()
                if _code(error) not in RETRIED or attempt == TRIES:
                    raise
                time.sleep(random.uniform(0.01, 0.05) * attempt)
    raise AssertionError("unreachable")


def facts_of(change: Change) -> Document:
    """What of a log entry is written."""
    return {a.key: getattr(change, a.key) for a in inspect(Change).column_attrs if a.key != "id"}


def as_json(value: object) -> object:
    """A view inside an answer, or a row of one, as JSON can hold it."""
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json", by_alias=True)
    if isinstance(value, tuple):
        return list(value)
    raise TypeError(f"{type(value).__name__} is no answer.")


def unknown_names(names: list[dict[str, str]]) -> Problem:
    """The question before a place or an instructor is added whom nobody has named so far."""
    questions = " ".join(f"There is no {n['kind']} \u201c{n['name']}\u201d{n['hint']}." for n in names[:5])
    return Problem(
        409, "unknown-name", f"{questions} Add {'it' if len(names) == 1 else 'them'}?", names=names
    )


def read_only(
    sessions: sessionmaker[Session],
    reading: Callable[[UnitOfWork], T],
    user: User | None = None,
    at: datetime | None = None,
) -> T:
    """Read, in one transaction that writes nothing."""
    with sessions() as session:
        center = session.get_one(Center, 1)
        return reading(UnitOfWork(session, center, user, at or business_now(center.clock_offset)))


def sweep_keys(uow: UnitOfWork) -> None:
    """Forget keys older than seven days."""
    for keys in (IdempotencyKey, StrangerKey):
        uow.session.execute(delete(keys).where(keys.at < system_now() - KEY_LIFE))
