"""Finding runs, people and courses: the list of runs, the ribbon, and one field that finds anything."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import TypeVar

from sqlalchemy import ColumnElement, ScalarSelect, Select, and_, exists, false, func, or_, select
from sqlalchemy.orm import InstrumentedAttribute, aliased, joinedload, selectinload

from archgate.actions.across import person_pages
from archgate.actions.across.commands import RunsWanted
from archgate.actions.across.views import Found, FoundThing, Ribbon, RibbonBar, RunList
from archgate.actions.courses import courses
from archgate.actions.fees import fees
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import people
from archgate.actions.runs import showing
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.core.gates import teaching_at
from archgate.core.schedule import day_text
from archgate.core.states import FoundKind, RunKind, RunStatus
from archgate.tables.courses import Course, Run
from archgate.tables.fees import DiscountCode, Extra, Rate
from archgate.tables.money import Account, Invoice
from archgate.tables.people import Organization
from archgate.tables.schedule import Gate, Meeting, Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import Instructor
from archgate.tables.waitlist import Waiting


def list_runs(uow: UnitOfWork, wanted: RunsWanted) -> RunList:
    """Runs by first meeting, those without one last, a page at a time."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    query = (
        select(Run, starts.c.at, RunSeats.taken, seats.kept_back_of(uow.today))
        .join(RunSeats, RunSeats.run_id == Run.id)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .join(Course)
        .outerjoin(Place, Place.id == Run.place_id)
    )
    for word in wanted.q.split()[:6]:
        like = people.like(word)
        query = query.where(
            or_(Run.title.like(like), Run.code.like(like), Course.title.like(like), Place.name.like(like))
        )
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
    loading = query.options(
        selectinload(Run.all_meetings),
        selectinload(Run.gates),
        selectinload(Run.course),
        joinedload(Run.place),
        joinedload(Run.instructor),
        joinedload(Run.client),
        selectinload(Run.rates).selectinload(Rate.early),
        selectinload(Run.extras).joinedload(Extra.item),
    ).order_by(starts.c.at.is_(None), starts.c.at, Run.id)
    rows = uow.session.execute(loading.limit(limit + 1)).all()
    cursor = None
    if len(rows) > limit:
        run, at, *_ = rows[limit - 1]
        cursor = f"{at.isoformat() if at else ''}|{run.id}"
    waiting = waiting_on(uow, [run.id for run, *_ in rows[:limit]])
    items = [
        showing.run_line(uow, run, taken, waiting.get(run.id, 0), int(kept))
        for run, _, taken, kept in rows[:limit]
    ]
    return RunList(items=items, total=total or 0, next=cursor, today=uow.today)


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
        select(Run, Course.title, begins_on, ends_on, RunSeats.taken, seats.kept_back_of(uow.today))
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
    kept = seats.kept_back_of(today)
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
        runs=list_runs(uow, RunsWanted(q=q, teaching="current", limit=5)).items
        or list_runs(uow, RunsWanted(q=q, limit=5)).items,
        people=person_pages.find_people(uow, q, 6),
        courses=[courses.course_view(c) for c in uow.session.scalars(courses_found)],
        others=others_found(uow, q),
    )


MOST_OTHERS = 3  # of each kind


def others_found(uow: UnitOfWork, q: str) -> list[FoundThing]:
    """Organizations, papers by their number, places, instructors and discount codes that fit all of the words."""

    def named(column: InstrumentedAttribute[str], plain: bool = False) -> list[ColumnElement[bool]]:
        """`plain`: the column holds plain characters only, and is compared with no others."""
        if plain and not q.isascii():
            return [false()]
        return [func.lower(column).like(people.like(word).lower()) for word in q.split()[:6]]

    def few(query: Select[R]) -> list[R]:
        return list(uow.session.scalars(query.limit(MOST_OTHERS)))

    def thing(
        kind: FoundKind, number: int, title: str, more: str = "", account: int | None = None
    ) -> FoundThing:
        return FoundThing(kind=kind, id=number, title=title, more=more, account_id=account)

    own = and_(Account.organization_id == Organization.id, Account.currency == uow.center.currency)
    organizations = select(Organization, Account.id).outerjoin(Account, own).where(*named(Organization.name))
    papers = select(Invoice).where(*named(Invoice.number, plain=True)).order_by(Invoice.id.desc())
    places = select(Place).where(*named(Place.name), Place.active).order_by(Place.name)
    teachers = select(Instructor).where(*named(Instructor.name), Instructor.active).order_by(Instructor.name)
    discounts = select(DiscountCode).where(*named(DiscountCode.code, plain=True)).order_by(DiscountCode.code)
    payers = uow.session.execute(organizations.order_by(Organization.name).limit(MOST_OTHERS))
    return [
        *(thing(FoundKind.ORGANIZATION, o.id, o.name, account=account) for o, account in payers),
        *(
            thing(FoundKind.PAPER, p.id, p.number, f"{p.kind} of {day_text(p.issued_on)}", p.account_id)
            for p in few(papers)
        ),
        *(thing(FoundKind.PLACE, p.id, p.name, p.kind) for p in few(places)),
        *(thing(FoundKind.INSTRUCTOR, t.id, t.name, t.phone or t.email or "") for t in few(teachers)),
        *(thing(FoundKind.CODE, c.id, c.code, c.note) for c in few(discounts)),
    ]
