"""Courses and runs as the public pages show them: only what whoever looks may find, and only what the course chooses to show."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import ColumnElement, Select, and_, func, or_, select
from sqlalchemy.orm import defaultload, joinedload, selectinload

from archgate.actions.courses import courses
from archgate.actions.courses.commands import CourseCard, PictureUsed
from archgate.actions.fees import fees, plans
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import publication
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.core import fees as core_fees
from archgate.core import gates as core_gates
from archgate.core import plans as core_plans
from archgate.core import publication as core
from archgate.core.faults import Refused
from archgate.core.money import format_amount
from archgate.core.schedule import WEEKDAY_NAMES
from archgate.core.states import (
    Decision,
    FoundBy,
    PlaceKind,
    PublicFact,
    RunKind,
    RunStatus,
    SeatsShown,
    SignsUp,
    SignUp,
)
from archgate.papers.pages import values
from archgate.tables.catalog import CoursePicture
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.people import Person
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Gate, Meeting
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import RunTeacher
from archgate.tables.waitlist import Interest, Waiting

FEW = 3  # seats left or fewer are few
AFTER_SIGN_UP = "The address is given after sign-up."


@dataclass(frozen=True)
class Looker:
    """Who looks: somebody signed in to their own page, with the runs they are tied to; or anybody."""

    person: Person | None = None
    tied: frozenset[int] = frozenset()

    def visitor(self, run_id: int, code: bool = False) -> core.Visitor:
        return core.Visitor(self.person is not None, run_id in self.tied, code)


ANYBODY = Looker()


def looker_of(uow: UnitOfWork, person: Person | None) -> Looker:
    """Somebody with what ties them to runs: a seat, also as a named head, a place in line, an invitation."""
    if person is None:
        return ANYBODY
    own = select(Enrollment.run_id).where(Enrollment.person_id == person.id, Enrollment.live == 1)
    named = (
        select(Enrollment.run_id)
        .join(PartyPlace, PartyPlace.enrollment_id == Enrollment.id)
        .where(PartyPlace.person_id == person.id, Enrollment.live == 1)
    )
    waiting = select(Waiting.run_id).where(Waiting.person_id == person.id, Waiting.live == 1)
    invited = select(Interest.run_id).where(
        Interest.person_id == person.id, Interest.live == 1, Interest.run_id.is_not(None)
    )
    every = own.union_all(named, waiting, invited)
    return Looker(person, frozenset(n for n in uow.session.scalars(every) if n is not None))


def found_in_sql(uow: UnitOfWork, looker: Looker) -> ColumnElement[bool]:
    """`core.publication.why_not_found` as a condition on runs, for lists; a test holds the two together."""
    found = [FoundBy.EVERYONE] + ([FoundBy.ACCOUNT] if looker.person else [])
    open_to = and_(
        Run.status == RunStatus.PUBLISHED,
        Run.found_by.in_(found),
        or_(Run.shown_from.is_(None), Run.shown_from <= uow.now),
        or_(Run.shown_until.is_(None), Run.shown_until > uow.now),
    )
    tied = and_(Run.id.in_(looker.tied), Run.status.in_((RunStatus.PUBLISHED, RunStatus.OFF_SALE)))
    return or_(open_to, tied) if looker.tied else open_to


def not_over(uow: UnitOfWork) -> ColumnElement[bool]:
    """Runs that one can still come to: not ended, and not begun with sign-up closed for good."""

    def gate(kind: str) -> Select[int]:
        return select(Gate.id).where(Gate.run_id == Run.id, Gate.kind == kind)

    over = gate("ends").where(Gate.at <= uow.now).exists()
    begun = gate("starts").where(Gate.at <= uow.now).exists()
    closes = gate("sign-up closes")
    shut = and_(closes.exists(), ~closes.where(Gate.at > uow.now).exists())
    return and_(~over, ~and_(begun, shut))


SHOWN = (
    joinedload(Run.place),
    joinedload(Run.course),
    selectinload(Run.teachers).joinedload(RunTeacher.instructor),
    selectinload(Run.gates),
    selectinload(Run.rates).joinedload(Rate.early),
    selectinload(Run.extras),
)
WHOLE = (
    selectinload(Run.all_meetings).joinedload(Meeting.place),
    defaultload(Run.all_meetings).lazyload(Meeting.teachers),
    selectinload(Run.plans).joinedload(Plan.lines),
)


@dataclass(frozen=True)
class Held:
    """When a run meets, in short: how often, from which day to which, on which weekdays (0 for Monday), and at what time where that
    is the same each time."""

    number: int = 0
    first: date | None = None
    last: date | None = None
    weekdays: tuple[int, ...] = ()
    start: time | None = None
    minutes: int | None = None


def held_by_run(uow: UnitOfWork, ids: Collection[int]) -> dict[int, Held]:
    """The same of many runs by one statement, without reading their meetings."""
    held = Meeting.run_id.in_(ids) & Meeting.cancelled_at.is_(None)
    rows = uow.session.execute(
        select(
            Meeting.run_id, func.count(), func.min(Meeting.date), func.max(Meeting.date),
            func.group_concat(func.weekday(Meeting.date).distinct()), func.min(Meeting.start),
            func.max(Meeting.start), func.min(Meeting.minutes), func.max(Meeting.minutes),
        ).where(held).group_by(Meeting.run_id)
    )  # fmt: skip
    return {
        run_id: Held(
            int(n), first, last, tuple(sorted(int(d) for d in str(days).split(","))),
            start if start == latest else None, int(short) if short == long else None,
        )
        for run_id, n, first, last, days, start, latest, short, long in rows
    }  # fmt: skip


def held_of(meetings: Sequence[Meeting]) -> Held:
    if not meetings:
        return Held()
    starts, lengths = {m.start for m in meetings}, {m.minutes for m in meetings}
    return Held(
        len(meetings), meetings[0].date, meetings[-1].date, tuple(sorted({m.date.weekday() for m in meetings})),
        starts.pop() if len(starts) == 1 else None, lengths.pop() if len(lengths) == 1 else None,
    )  # fmt: skip


@dataclass(frozen=True)
class Taken:
    """The seats of a run that somebody has, and those kept for others."""

    taken: int
    kept: int


def runs_shown(uow: UnitOfWork, ids: Collection[int], whole: bool = False) -> list[tuple[Run, Taken]]:
    """Runs with all that lists say of them, by their start; `whole`: with every date and their plans, as pages do."""
    rows = uow.session.execute(
        select(Run, RunSeats.taken, seats.kept_back_of(uow.today, uow.now))
        .join(RunSeats, RunSeats.run_id == Run.id)
        .where(Run.id.in_(ids))
        .options(*SHOWN, *(WHOLE if whole else ()))
    ).unique()
    return sorted(
        ((run, Taken(int(taken), int(kept))) for run, taken, kept in rows), key=lambda r: starts_of(r[0])
    )


def starts_of(run: Run) -> tuple[bool, datetime | None, int]:
    """By when runs stand in a list: those with a start first, by it."""
    starts = gates.gate_at(run, "starts")
    return (starts is None, starts, run.id)


def is_personal(rate: Rate) -> bool:
    """Whether who one is decides about a rate."""
    return bool(rate.tags or rate.organization_id or rate.past_course_id)


def public_rates(run: Run) -> list[Rate]:
    """The rates that anybody may have: no condition on who one is, nothing to agree on."""
    return [r for r in fees.rates_of(run) if not (r.by_agreement or is_personal(r))]


def picture_of(used: PictureUsed | None, sizes: dict[str, tuple[int, int]]) -> values.Picture | None:
    if used is None or used.key not in sizes:
        return None
    address = f"/catalog/pictures/{used.key}"
    return values.Picture(f"{address}-small.jpg", f"{address}-large.jpg", *sizes[used.key], used.alt)


def sizes_of(uow: UnitOfWork, keys: Collection[str]) -> dict[str, tuple[int, int]]:
    """Width and height of pictures, by their keys."""
    if not keys:
        return {}
    query = select(CoursePicture.key, CoursePicture.width, CoursePicture.height)
    return {key: (w, h) for key, w, h in uow.session.execute(query.where(CoursePicture.key.in_(keys)))}


def run_shown(
    uow: UnitOfWork,
    run: Run,
    taken: Taken,
    card: CourseCard,
    address: str,
    looker: Looker = ANYBODY,
    held: Held | None = None,
    code: bool = False,
) -> values.RunShown:
    """A run as a page shows it: with every date, plan and rate; or with what one line says, where `held` says when it meets."""
    whole = held is None
    hidden = set(card.hidden)
    free = run.capacity + run.overbook - taken.taken - taken.kept
    state, _ = fees.sign_up_of(uow, run, free <= 0)
    meetings = schedule.ordered(run) if held is None else []
    held = held_of(meetings) if held is None else held
    zone = schedule.zone_of(run, run.place)
    opens, closes = publication.window_of(run)
    first, last = days_of(run, held)
    act, said = act_of(uow, run, state, looker, code)
    show_dates = PublicFact.DATES not in hidden
    return values.RunShown(
        id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        kind=run.kind,
        first=first if show_dates else None,
        last=last if show_dates else None,
        when=when_text(run, held) if show_dates else "",
        meetings=held.number,
        dates=tuple(date_shown(run, m) for m in meetings) if whole and show_dates else (),
        where=None if PublicFact.PLACE in hidden else where_of(run, looker, meetings),
        teachers=()
        if PublicFact.INSTRUCTORS in hidden
        else tuple(
            values.Teacher(t.instructor.name, t.instructor.biography if whole else "") for t in run.teachers
        ),
        price=None if PublicFact.PRICE in hidden else price_of(uow, run),
        rates=rates_said(uow, run) if whole and PublicFact.PRICE not in hidden else (),
        plans=plans_said(uow, run) if whole and not hidden & {PublicFact.PLANS, PublicFact.PRICE} else (),
        seats=None if PublicFact.SEATS in hidden else seats_said(uow, run, free, card.seats_shown),
        state=state,
        said=said,
        acts=act,
        opens=opens.astimezone(uow.zone) if opens and opens > uow.now else None,
        closes=last_minute(closes.astimezone(uow.zone)) if closes and closes > uow.now else None,
        decided={Decision.GOING_AHEAD: "It goes ahead."}.get(run.decision, ""),
        access_days=run.access_days if run.kind is RunKind.OPEN else None,
        calendar=f"/catalog/runs/{run.id}/dates.ics" if held.number and show_dates else "",
        address=f"{address}#run-{run.id}",
        zone=str(zone) if zone.key != uow.zone.key else "",
    )


def last_minute(local: datetime) -> datetime:
    """How the end of a day is said: 23:59, not the first moment of the next one."""
    return local - timedelta(minutes=1) if (local.hour, local.minute) == (0, 0) else local


def start_of(run: Run) -> date | None:
    """The day on which a run starts, by its gate: a list has not read its meetings."""
    return next((g.day for g in run.gates if g.kind == "starts"), None)


def days_of(run: Run, held: Held) -> tuple[date | None, date | None]:
    return (run.starts_on, run.ends_on) if run.kind is RunKind.COHORT else (held.first, held.last)


def when_text(run: Run, held: Held) -> str:
    """The rhythm of a run in words: "8 Tuesdays, 18:30 to 20:30"; an end by the clock of the wall."""
    if not held.number:
        return "" if run.kind is not RunKind.OPEN else "Start any day, at your own pace"
    clock = ""
    if held.start is not None and held.minutes is not None:
        end = (datetime.combine(date.min, held.start) + timedelta(minutes=held.minutes)).time()
        clock = f", {held.start:%H:%M} to {end:%H:%M}"
    days = [WEEKDAY_NAMES[d] for d in held.weekdays]
    if held.number == 1:
        return f"{days[0]}{clock}"
    if len(days) == 1:
        return f"{held.number} {days[0]}s{clock}"
    if len(days) == 2:
        return f"{held.number} meetings, {days[0]}s and {days[1]}s{clock}"
    return f"{held.number} meetings{clock}"


def date_shown(run: Run, m: Meeting) -> values.Date:
    zone = schedule.zone_of(run, m.place)
    other = m.place.name if m.place and m.place_id != run.place_id else ""
    return values.Date(m.starts_at.astimezone(zone), m.ends_at.astimezone(zone), other)


def where_of(run: Run, looker: Looker, meetings: Sequence[Meeting] = ()) -> values.Where | None:
    place = run.place or next((m.place for m in meetings if m.place), None)
    if place is None:
        return None
    if place.kind is PlaceKind.ONLINE:
        return values.Where("Online", online=True, said="The link is sent before each meeting.")
    if not place.address_public and run.id not in looker.tied:
        return values.Where(place.name, said=AFTER_SIGN_UP if place.address else "")
    link = place.map_link if place.map_link.startswith("https://") else ""
    return values.Where(place.name, " ".join(place.address.split()), link)


def price_of(uow: UnitOfWork, run: Run) -> values.Price | None:
    """What anybody pays now for one head, all in, through which day, and what then."""
    rates = public_rates(run)
    if not rates:
        return None
    terms, day, start = fees.core_fees(run), uow.today, start_of(run)
    ask = core_fees.Ask((core_fees.Heads(rates[0].code, 1),))
    try:
        total = core_fees.total_on(terms, ask, day, start)
        change = core_fees.next_change_of(terms, ask, day, start, uow.zone, total)
    except Refused:
        return None
    until = schedule.day_before(core_gates.local_day(change.at, uow.zone)) if change else None
    then = format_amount(change.total, run.currency) if change else None
    return values.Price(format_amount(total, run.currency), run.currency, until, then)


def rates_said(uow: UnitOfWork, run: Run) -> tuple[tuple[str, str], ...]:
    """Every rate that is offered with what one head pays now; those for members say so by their label."""
    terms, start = fees.core_fees(run), start_of(run)
    said = []
    for rate in fees.rates_of(run):
        if rate.by_agreement:
            continue
        try:
            ask = core_fees.Ask((core_fees.Heads(rate.code, 1),))
            said.append(
                (rate.label, format_amount(core_fees.total_on(terms, ask, uow.today, start), run.currency))
            )
        except Refused:
            continue
    return tuple(said)


def plans_said(uow: UnitOfWork, run: Run) -> tuple[values.PlanSaid, ...]:
    """The payment plans with their sums and dates for one head at the first rate who signs up today."""
    rates = public_rates(run)
    if not rates:
        return ()
    terms, start = fees.core_fees(run), start_of(run)
    try:
        ask = core_fees.Ask((core_fees.Heads(rates[0].code, 1),))
        total = core_fees.total_on(terms, ask, uow.today, start)
    except Refused:
        return ()
    said = []
    for plan in plans.offered(uow, run):
        try:
            due = core_plans.installments_of(plans.core_lines(plan), total, uow.today, start, run.currency)
        except Refused:
            continue
        dues = tuple((i.due, format_amount(i.amount, run.currency)) for i in due.installments)
        said.append(values.PlanSaid(plan.name, plan.note, dues))
    return tuple(said)


def seats_said(uow: UnitOfWork, run: Run, free: int, how: SeatsShown | None) -> values.Seats | None:
    """How many seats are left, as the course says it, else the center; none where it says nothing."""
    shown = how or courses.center_form(uow).seats_shown or SeatsShown.NUMBER
    if run.kind is RunKind.OPEN or run.capacity >= 100_000:
        return None
    left = max(0, free)
    if left == 0:
        return values.Seats("No seats left", 0 if shown is SeatsShown.NUMBER else None, gone=True)
    if shown is SeatsShown.NONE:
        return None
    if shown is SeatsShown.FEW:
        return values.Seats("A few seats left") if left <= FEW else values.Seats("Seats left")
    return values.Seats("1 seat left" if left == 1 else f"{left} seats left", left)


def act_of(uow: UnitOfWork, run: Run, state: SignUp, looker: Looker, code: bool = False) -> tuple[str, str]:
    """What a page offers to do with a run, and the sentence beside it: the answer of `core.publication`."""
    page = publication.settings_of(run)
    reasons = core.why_no_sign_up(page, looker.visitor(run.id, code), state, "")
    if page.elsewhere:
        return "elsewhere", ""
    if run.status is not RunStatus.PUBLISHED or state is SignUp.CLOSED:
        return "", "Sign-up has closed."
    if page.client or page.signs_up is SignsUp.STAFF:
        return "", reasons[0].public if reasons else ""
    if state is SignUp.NOT_YET:
        return "interest", "Sign-up is not open yet."
    if page.signs_up is SignsUp.REQUEST:
        return "request", "Seats are given on request."
    if page.signs_up is SignsUp.CODE and not code:
        return "code", "Signing up needs a code."
    if state is SignUp.FULL:
        return "wait", "All seats are taken; you can wait for one."
    return "sign up", ""
