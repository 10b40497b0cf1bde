"""Finding runs, people and courses: the list of runs, the ribbon, and one field that finds anything."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import TypeVar

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    ScalarSelect,
    Select,
    SQLColumnExpression,
    String,
    and_,
    cast,
    exists,
    false,
    func,
    literal,
    null,
    or_,
    select,
    union_all,
)
from sqlalchemy.orm import InstrumentedAttribute, aliased, selectinload

from archgate.actions.across import person_pages
from archgate.actions.across.commands import RunsWanted
from archgate.actions.across.views import Found, FoundThing, Ribbon, RibbonBar, RunList
from archgate.actions.courses import courses
from archgate.actions.fees import fees
from archgate.actions.kernel.lookups import WITH_RUNS
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money.invoices import PREFIX
from archgate.actions.people import people
from archgate.actions.runs import showing
from archgate.actions.runs.views import RunLine
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.core.gates import teaching_at
from archgate.core.schedule import day_text
from archgate.core.states import FoundKind, RunKind, RunStatus
from archgate.tables import Base
from archgate.tables.courses import Course, Run
from archgate.tables.fees import DiscountCode, Extra
from archgate.tables.money import Account, Invoice
from archgate.tables.people import Organization, Person
from archgate.tables.schedule import Gate, Meeting, Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import Instructor
from archgate.tables.waitlist import Waiting


def list_runs(uow: UnitOfWork, wanted: RunsWanted) -> RunList:
    """Runs by first meeting, those without one last, a page at a time."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    query = (
        select(Run.id, starts.c.at)
        .join(RunSeats, RunSeats.run_id == Run.id)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .join(Course)
        .outerjoin(Place, Place.id == Run.place_id)
    )
    query = query.where(*fits(wanted.q))
    if wanted.status:
        query = query.where(Run.status == wanted.status)
    if wanted.since or wanted.until:
        query = query.where(meets_within(wanted.since or date.min, wanted.until or date.max))
    shown = "all" if wanted.status == "archived" and not wanted.teaching else wanted.teaching
    query = by_moment(query, uow.now, uow.today, wanted.sign_up, shown)
    ids = query.with_only_columns(Run.id).order_by(None).subquery()
    total = uow.session.scalar(select(func.count()).select_from(ids))
    if wanted.after:
        query = query.where(comes_after(wanted.after, starts.c.at))
    limit = max(1, min(wanted.limit, 200))
    # The page first, by what orders it; only then what its runs are.
    ordered = query.with_only_columns(Run.id, starts.c.at).order_by(
        starts.c.at.is_(None), starts.c.at, Run.id
    )
    page = uow.session.execute(ordered.limit(limit + 1)).all()
    cursor = None
    if len(page) > limit:
        number, at = page[limit - 1]
        cursor = f"{at.isoformat() if at else ''}|{number}"
    items = lines(uow, [number for number, _ in page[:limit]])
    return RunList(items=items, total=total or 0, next=cursor, today=uow.today)


# What a line of a list says of a run, loaded with the runs.
WHOLE = (
    *WITH_RUNS,
    selectinload(Run.all_meetings),
    selectinload(Run.gates),
    selectinload(Run.extras).joinedload(Extra.item),
)


def fits(q: str) -> list[ColumnElement[bool]]:
    """Runs that have each of the words in title, code, course or place; beside `Course` and `Place`."""
    return [
        or_(Run.title.like(like), Run.code.like(like), Course.title.like(like), Place.name.like(like))
        for like in (people.like(word) for word in q.split()[:6])
    ]


def lines(uow: UnitOfWork, run_ids: list[int]) -> list[RunLine]:
    """Runs as lists show them, in the order given."""
    if not run_ids:
        return []
    query = (
        select(Run, RunSeats.taken, seats.kept_back_of(uow.today, uow.now))
        .join(RunSeats, RunSeats.run_id == Run.id)
        .where(Run.id.in_(run_ids))
        .options(*WHOLE)
    )
    rows = {run.id: (run, taken, int(kept)) for run, taken, kept in uow.session.execute(query)}
    waiting = waiting_on(uow, run_ids)
    return [
        showing.run_line(uow, run, taken, waiting.get(run.id, 0), kept)
        for run, taken, kept in (rows[number] for number in run_ids)
    ]


def meets_within(first: date, last: date) -> ColumnElement[bool]:
    """Runs that meet, or are between first and last meeting, on one of these days."""
    met = select(Meeting.run_id).where(Meeting.cancelled_at.is_(None)).group_by(Meeting.run_id)
    met = met.having(func.max(Meeting.date) >= first, func.min(Meeting.date) <= last)
    return or_(Run.id.in_(met), and_(Run.starts_on <= last, Run.ends_on >= first))


def comes_after(cursor: str, moment: ColumnElement[datetime]) -> ColumnElement[bool]:
    """Runs that stand behind a cursor in the order of the list: by first meeting, those without one last."""
    text, _, number = cursor.partition("|")
    try:
        at, last = datetime.fromisoformat(text) if text else None, int(number)
    except ValueError:
        raise Problem(422, "cursor", "This page of the list no longer exists; start at the first.") from None
    behind = and_(moment.is_not_distinct_from(at), Run.id > last)
    return or_(moment > at, behind, moment.is_(None)) if at else behind


SEASON = (timedelta(days=70), timedelta(days=160))  # what the ribbon shows before and after today


def ribbon(uow: UnitOfWork) -> Ribbon:
    """The runs of the season around today, as the ribbon draws them, by first meeting."""
    first, last = uow.today - SEASON[0], uow.today + SEASON[1]
    dates = schedule.spans_of_runs()
    begins_on = func.coalesce(Run.starts_on, dates.c.first)
    ends_on = func.greatest(
        func.coalesce(Run.ends_on, dates.c.last), func.coalesce(dates.c.last, Run.ends_on)
    )
    query = (
        select(Run, Course.title, begins_on, ends_on, RunSeats.taken, seats.kept_back_of(uow.today, uow.now))
        .outerjoin(dates, dates.c.run_id == Run.id)
        .join(Course, Course.id == Run.course_id)
        .join(RunSeats, RunSeats.run_id == Run.id)
        .where(ends_on >= first, begins_on <= last, Run.status != RunStatus.ARCHIVED)
        .options(selectinload(Run.gates))
        .order_by(begins_on, Run.id)
        .limit(500)
    )
    bars = []
    for run, title, begins, ends, taken, kept in uow.session.execute(query):
        published = run.published_at.astimezone(uow.zone).date() if run.published_at else None
        ruled = min((g.day for g in run.gates if g.kind == "sign-up opens"), default=None)
        opens = max(filter(None, (ruled, published)), default=None) if published else None
        sign_up, _ = fees.sign_up_of(uow, run, taken + int(kept) >= run.capacity + run.overbook)
        starts, over = gates.gate_at(run, "starts"), gates.gate_at(run, "ends")
        bars.append(
            RibbonBar(
                id=run.id,
                code=run.code,
                title=run.title or title,
                status=run.status,
                decision=schedule.decision_text(run),
                sign_up=sign_up,
                teaching=teaching_at(uow.now, starts, over),
                first=begins,
                last=ends,
                opens=opens,
                taken=taken,
                capacity=run.capacity,
            )
        )
    return Ribbon(from_=first, to=last, bars=bars)


def waiting_on(uow: UnitOfWork, run_ids: list[int]) -> dict[int, int]:
    """How many heads wait for each of these runs."""
    query = select(Waiting.run_id, func.sum(Waiting.heads)).where(
        Waiting.run_id.in_(run_ids), Waiting.live == 1
    )
    return {run: int(heads) for run, heads in uow.session.execute(query.group_by(Waiting.run_id))}


R = TypeVar("R")
Q = TypeVar("Q", bound="Select[*tuple[object, ...]]")


def by_moment(query: Q, now: datetime, today: date, sign_up: str, teaching: str) -> Q:
    """Filter runs by their derived states; `core.gates` says the same of a single run, and a test compares."""

    def at(kind: str) -> ScalarSelect[datetime]:
        return select(func.min(Gate.at)).where(Gate.run_id == Run.id, Gate.kind == kind).scalar_subquery()

    starts, ends = at("starts"), at("ends")
    published, open_run = Run.status == RunStatus.PUBLISHED, Run.kind == RunKind.OPEN
    opening, closing = aliased(Gate), aliased(Gate)
    shut_still = exists().where(
        opening.run_id == closing.run_id,
        opening.kind == "sign-up opens",
        opening.n == closing.n,
        opening.at > now,
    )
    window = exists().where(
        closing.run_id == Run.id, closing.kind == "sign-up closes", closing.at > now, ~shut_still
    )
    closes = exists().where(Gate.run_id == Run.id, Gate.kind == "sign-up closes").correlate(Run)
    coming = exists().where(Gate.run_id == Run.id, Gate.kind == "sign-up opens", Gate.at > now).correlate(Run)
    kept = seats.kept_back_of(today, now)
    begun = and_(published, or_(window, and_(open_run, ~closes, ~coming)))
    no_start = and_(~open_run, ~closes)
    states = {
        "": None,
        "open": and_(begun, RunSeats.taken + kept < Run.capacity + Run.overbook),
        "full": and_(begun, RunSeats.taken + kept >= Run.capacity + Run.overbook),
        "closed": or_(
            Run.status.in_((RunStatus.OFF_SALE, RunStatus.CANCELLED, RunStatus.ARCHIVED)),
            and_(published, ~begun, ~coming, ~no_start),
        ),
        "not yet": or_(Run.status == RunStatus.DRAFT, and_(published, ~begun, or_(coming, no_start))),
    }
    phases = {
        "": Run.status != RunStatus.ARCHIVED,
        "before": or_(starts.is_(None), starts > now),
        "running": and_(starts <= now, ends > now),
        "ended": ends <= now,
        "current": and_(or_(ends.is_(None), ends > now), Run.status != RunStatus.ARCHIVED),
        "all": None,
    }
    if sign_up not in states or teaching not in phases:
        raise Problem(422, "filter", "There is no such filter.")
    wanted = [c for c in (states[sign_up], phases[teaching]) if c is not None]
    return query.where(*wanted) if wanted else query


def find(uow: UnitOfWork, q: str) -> Found:
    """Whatever fits the words typed: runs, people, courses and everything else that has a name, a few of each."""
    words = q.split()
    if not words:
        return Found(runs=[], people=[], courses=[], others=[])
    courses_found = select(Course).order_by(Course.title).limit(4)
    for word in words[:6]:
        like = people.like(word)
        courses_found = courses_found.where(or_(Course.title.like(like), Course.code.like(like)))
    return Found(
        runs=runs_found(uow, q),
        people=person_pages.find_people(uow, q, 6),
        courses=[courses.course_view(c) for c in uow.session.scalars(courses_found)],
        others=others_found(uow, q),
    )


MOST_RUNS = 5


def runs_found(uow: UnitOfWork, q: str) -> list[RunLine]:
    """Runs that fit all of the words, by first meeting: those that are not over, else any."""
    starts, ends = (
        select(Gate.run_id, func.min(Gate.at).label("at"))
        .where(Gate.kind == kind)
        .group_by(Gate.run_id)
        .subquery()
        for kind in ("starts", "ends")
    )
    over = or_(ends.c.at <= uow.now, Run.status == RunStatus.ARCHIVED)
    found = (
        select(Run.id, func.coalesce(over, False))
        .join(Course, Course.id == Run.course_id)
        .outerjoin(Place, Place.id == Run.place_id)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .outerjoin(ends, ends.c.run_id == Run.id)
        .where(*fits(q))
        .order_by(func.coalesce(over, False), starts.c.at.is_(None), starts.c.at, Run.id)
        .limit(MOST_RUNS)
    )
    rows = uow.session.execute(found).all()
    going = [number for number, is_over in rows if not is_over] or [number for number, _ in rows]
    return lines(uow, going)


MOST_OTHERS = 3  # of each kind


def others_found(uow: UnitOfWork, q: str) -> list[FoundThing]:
    """Organizations, papers by their number, places, instructors and discount codes that fit all of the words; by one
    statement, a few of each."""

    def named(column: InstrumentedAttribute[str], plain: bool = False) -> list[ColumnElement[bool]]:
        """`plain`: the column holds plain characters only, and is compared with no others."""
        if plain and not q.isascii():
            return [false()]
        return [func.lower(column).like(people.like(word).lower()) for word in q.split()[:6]]

    def few(
        kind: FoundKind,
        table: type[Base],
        title: InstrumentedAttribute[str],
        more: SQLColumnExpression[str] | SQLColumnExpression[str | None],
        account: SQLColumnExpression[int] | SQLColumnExpression[int | None],
        *which: SQLColumnExpression[bool],
        newest: bool = False,
    ) -> Select[str, int, str, str | None, int | None]:
        key = table.__table__.c.id
        # As plain text of the connection: the columns are compared by rules of their own, which a union does not mix.
        words = (cast(title, String(250)).label("title"), cast(more, String(250)).label("more"))
        query = select(literal(str(kind)).label("kind"), key.label("id"), *words, account.label("account"))
        query = query.where(*which)
        if kind is FoundKind.ORGANIZATION:
            query = query.outerjoin(Account, own)
        found = query.order_by(key.desc() if newest else title, key).limit(MOST_OTHERS).subquery()
        return select(found.c.kind, found.c.id, found.c.title, found.c.more, found.c.account)

    own = and_(Account.organization_id == Organization.id, Account.currency == uow.center.currency)
    nothing: ColumnElement[int] = cast(null(), BigInteger)
    paper: ColumnElement[str] = func.concat(Invoice.kind, " of ", cast(Invoice.issued_on, String(10)))
    reach = select(func.coalesce(Person.phone, Person.email)).where(Person.id == Instructor.person_id)
    statement = union_all(
        few(
            FoundKind.ORGANIZATION,
            Organization,
            Organization.name,
            literal(""),
            Account.id,
            *named(Organization.name),
        ),
        few(FoundKind.PAPER, Invoice, Invoice.number, paper, Invoice.account_id, *numbered(q), newest=True),
        few(
            FoundKind.PLACE,
            Place,
            Place.name,
            cast(Place.kind, String(20)),
            nothing,
            *named(Place.name),
            Place.active,
        ),
        few(
            FoundKind.INSTRUCTOR,
            Instructor,
            Instructor.name,
            reach.scalar_subquery(),
            nothing,
            *named(Instructor.name),
            Instructor.active,
        ),
        few(
            FoundKind.CODE,
            DiscountCode,
            DiscountCode.code,
            DiscountCode.note,
            nothing,
            *named(DiscountCode.code, True),
        ),
    )
    return [
        FoundThing(kind=FoundKind(kind), id=number, title=title, more=said(kind, more), account_id=account)
        for kind, number, title, more, account in uow.session.execute(statement)
    ]


def said(kind: str, more: str | None) -> str:
    """What stands beside a thing; the day of a paper as it is said."""
    if kind != FoundKind.PAPER or not more:
        return more or ""
    what, _, day = more.rpartition(" of ")
    return f"{what} of {day_text(date.fromisoformat(day))}"


def numbered(q: str) -> list[ColumnElement[bool]]:
    """Papers by the beginning of their number, or by its digits alone: INV-000012, inv-0000 or 12. By the index, since there
    are as many papers as there were payments."""
    words = q.split()
    if len(words) != 1 or not q.isascii():
        return [false()]
    word = words[0].upper()
    if word.isdigit():
        return [Invoice.number.in_([f"{name}-{int(word):06d}" for name in PREFIX.values()])]
    named = any(word.startswith(f"{name}-") or word == name for name in PREFIX.values())
    return [Invoice.number.like(people.like(word)[1:])] if named else [false()]
