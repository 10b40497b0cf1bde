"""Today: what needs a decision now, in order of date, from what is known; and the reminders of whoever looks."""

from __future__ import annotations

from datetime import date, timedelta

from sqlalchemy import func, literal, or_, select, union_all

from archgate.actions.access import requests
from archgate.actions.across import planner
from archgate.actions.across.commands import About, RemindCommand, SettleReminderCommand
from archgate.actions.across.views import (
    DraftNotReady,
    EndingHold,
    FailedWork,
    OpenOffer,
    ReminderOut,
    StandingList,
    TodayOut,
    UserName,
)
from archgate.actions.bulk.rows import GOING
from archgate.actions.center import backups
from archgate.actions.kernel import queue
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, card_views, paying_out
from archgate.actions.runs import lifecycle
from archgate.actions.runs.readiness import readiness
from archgate.actions.runs.views import Figures
from archgate.actions.schedule import kept_clashes, places
from archgate.actions.teaching import reviewing
from archgate.core.faults import Fault, Refused
from archgate.core.schedule import day_text
from archgate.core.states import (
    BatchStatus,
    Decision,
    HoldStatus,
    JobStatus,
    LineStatus,
    Preparing,
    RunStatus,
    WaitingMoney,
)
from archgate.tables.access import User
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Course, Run
from archgate.tables.jobs import Job
from archgate.tables.money import Account, CardPayment, MoneyWaiting
from archgate.tables.people import Person
from archgate.tables.schedule import Gate
from archgate.tables.seats import HeldPlace
from archgate.tables.teaching import Preparation
from archgate.tables.today import Reminder
from archgate.tables.waitlist import Waiting

DECISIONS_AHEAD = timedelta(days=14)
DRAFTS_AHEAD = timedelta(days=60)


def today(uow: UnitOfWork) -> TodayOut:
    """Everything that waits for somebody: decisions, clashes, failed work, drafts that are not ready, reminders."""
    broken, waits, of_cards = failed_and_waiting(uow)
    return TodayOut(
        date=uow.today,
        closed=places.closed_days(uow, uow.today, uow.today).get(uow.today),
        decisions=decisions(uow),
        clashes=[c for c in kept_clashes.of_center(uow) if c.accepted is None],
        offers=open_offers(uow),
        holds=ending_holds(uow),
        troubles=[*troubles(uow), *of_cards],
        failed=broken,
        drafts=drafts(uow),
        lists=lists(uow),
        requests=requests.listed(uow).requests if requests.count_open(uow.session) else [],
        money=[m for m in paying_out.waiting(uow) if m.mine or m.own] if MONEY in waits else [],
        prepared=reviewing.handed_in(uow) if PREPARED in waits else [],
        cards=card_views.refused(uow).items if CARDS in waits else [],
        reminders=reminders(uow),
        meetings=planner.listed(uow, uow.today, uow.today),
    )


def troubles(uow: UnitOfWork) -> list[str]:
    """What is wrong with the machinery itself, in sentences: nobody works the queue, the last backup is old."""
    timed = queue.timed_work(uow.session)
    sentences = (queue.nobody_works(uow.session, timed), backups.said_of_last(timed))
    return [s for s in sentences if s]


def decisions(uow: UnitOfWork) -> list[Figures]:
    """Runs whose decision day has come or is near, and published runs under their smallest number about to begin."""
    soon = uow.now + DECISIONS_AHEAD
    due = select(Gate.run_id).where(Gate.kind == "decision day", Gate.at <= soon)
    begin = select(Gate.run_id).where(Gate.kind == "starts", Gate.at > uow.now, Gate.at <= soon)
    later = select(Gate.run_id).where(Gate.kind == "starts", Gate.at > uow.now)
    query = select(Run).where(
        Run.status.in_((RunStatus.PUBLISHED, RunStatus.OFF_SALE)),
        Run.decision.in_((Decision.UNDECIDED, Decision.WAITS)),
        Run.id.in_(later),
        or_(Run.id.in_(due), Run.id.in_(begin) & (Run.smallest > 0)),
    )
    figures = [lifecycle.figures(uow, run) for run in uow.session.scalars(query)]
    figures = [f for f in figures if (f.day and f.day <= uow.today) or f.taken < f.smallest or f.day]
    return sorted(figures, key=lambda f: (f.day or f.start or date.min, f.run_id))


def open_offers(uow: UnitOfWork) -> list[OpenOffer]:
    """Offers to be answered, those who ask for time first, then by when they end."""
    query = (
        select(Waiting, Run)
        .join(Run, Run.id == Waiting.run_id)
        .where(Waiting.status == LineStatus.OFFERED, Waiting.live == 1)
        .order_by(Waiting.asked_time.desc(), Waiting.offer_until)
        .limit(50)
    )
    return [
        OpenOffer(
            run_id=run.id,
            code=run.code,
            title=run.title or run.course.title,
            person_id=w.person_id,
            name=w.person.name,
            phone=w.person.phone,
            heads=w.heads,
            asked_time=w.asked_time,
            until=uow.local(w.offer_until) or "",
        )
        for w, run in uow.session.execute(query)
    ]


def ending_holds(uow: UnitOfWork) -> list[EndingHold]:
    """Places held without names that lapse within a week."""
    query = (
        select(HeldPlace, Run)
        .join(Run, Run.id == HeldPlace.run_id)
        .where(
            HeldPlace.status == HoldStatus.HELD,
            HeldPlace.last <= uow.today + timedelta(days=7),
            HeldPlace.until.is_(None),
        )
        .order_by(HeldPlace.last)
        .limit(50)
    )
    return [
        EndingHold(
            run_id=run.id,
            code=run.code,
            title=run.title or run.course.title,
            for_whom=h.for_whom,
            seats=h.seats,
            last=h.last,
        )
        for h, run in uow.session.execute(query)
    ]


MONEY, REFUNDS, PREPARED, CARDS = "money waits", "refunds refused", "handed in", "cards refused"


def failed_and_waiting(uow: UnitOfWork) -> tuple[list[FailedWork], set[str], list[str]]:
    """Work that failed for good, by kind; what else waits for somebody (money for a second person, courses that were handed in, cards that
    were refused); and what of refunds to cards must be seen to: by one statement, as mostly there is nothing of it."""
    broken = (
        select(literal("work"), Job.kind, func.count())
        .where(Job.status == JobStatus.FAILED)
        .group_by(Job.kind)
    )
    waits = select(literal(MONEY), literal(""), func.count()).where(MoneyWaiting.status == WaitingMoney.WAITS)
    refunds = select(literal(REFUNDS), literal(""), func.count()).select_from(
        card_views.refused_refunds().subquery()
    )
    handed = select(literal(PREPARED), literal(""), func.count()).where(
        Preparation.status == Preparing.HANDED_IN
    )
    refused = select(literal(CARDS), literal(""), func.count()).select_from(
        card_views.refused_charges().with_only_columns(CardPayment.id).subquery()
    )
    whole = union_all(broken, waits, refunds, handed, refused)
    rows = [(what, kind, int(number)) for what, kind, number in uow.session.execute(whole)]
    found = [FailedWork(kind=kind, number=number) for what, kind, number in rows if what == "work"]
    many = {what: number for what, _, number in rows if what != "work" and number}
    return found, set(many), [card_views.refunds_said(many[REFUNDS])] if REFUNDS in many else []


MOST_LISTS = 20


def lists(uow: UnitOfWork) -> list[StandingList]:
    """Lists that stand in the middle, with how many lines are left and why."""
    left = (
        select(func.count())
        .where(BatchRow.batch_id == Batch.id, BatchRow.outcome.is_(None), BatchRow.verdict.in_(GOING))
        .scalar_subquery()
    )
    stopped = select(Batch.id, Batch.file_name, Batch.note, left).where(Batch.status == BatchStatus.STOPPED)
    rows = uow.session.execute(stopped.order_by(Batch.id).limit(MOST_LISTS))
    return [StandingList(id=n, name=name, why=why, left=int(many)) for n, name, why, many in rows]


def drafts(uow: UnitOfWork) -> list[DraftNotReady]:
    """Drafts that begin soon, or were to begin of late, and have something to mend."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    query = (
        select(Run, starts.c.at)
        .outerjoin(starts, starts.c.run_id == Run.id)
        .where(
            Run.status == RunStatus.DRAFT,
            or_(
                starts.c.at.is_(None), starts.c.at.between(uow.now - DECISIONS_AHEAD, uow.now + DRAFTS_AHEAD)
            ),
        )
        .order_by(starts.c.at.is_(None), starts.c.at, Run.id)
        .limit(40)
    )
    waiting = []
    for run, at in uow.session.execute(query):
        wrong = [f.message for f in readiness(uow, run)]
        if wrong:
            waiting.append(
                DraftNotReady(
                    run_id=run.id,
                    code=run.code,
                    title=run.title or run.course.title,
                    start=at.astimezone(uow.zone).date() if at else None,
                    wrong=wrong[0],
                    more=len(wrong) - 1,
                )
            )
    return waiting


REMINDED: dict[str, type[Run | Person | Course | Account]] = {
    "run_id": Run, "person_id": Person, "course_id": Course, "account_id": Account,
}  # fmt: skip


# --- reminders --------------------------------------------------------------------------------------------


def reminder_view(uow: UnitOfWork, row: Reminder) -> ReminderOut:
    return ReminderOut(
        id=row.id,
        day=row.day,
        text=row.text,
        done=row.done_at is not None,
        run_id=row.run_id,
        person_id=row.person_id,
        course_id=row.course_id,
        account_id=row.account_id,
        about=about_text(uow, row),
        by=uow.session.get_one(User, row.made_by).name,
        to=uow.session.get_one(User, row.user_id).name,
    )


def about_text(uow: UnitOfWork, row: Reminder) -> str:
    """What a reminder is about, by its name."""
    if row.run_id:
        return uow.session.get_one(Run, row.run_id).code
    if row.person_id:
        return uow.session.get_one(Person, row.person_id).name
    if row.course_id:
        return uow.session.get_one(Course, row.course_id).title
    return accounts.payer_name(uow, accounts.get_account(uow, row.account_id)) if row.account_id else ""


def reminders(uow: UnitOfWork, about: About | None = None) -> list[ReminderOut]:
    """One's own reminders of today and before; or all that are open about something."""
    query = select(Reminder).where(Reminder.done_at.is_(None)).order_by(Reminder.day, Reminder.id)
    named = about.named if about else {}
    for name, number in named.items():
        query = query.where(getattr(Reminder, name) == number)
    if not named:
        query = query.where(Reminder.user_id == uow.user_id, Reminder.day <= uow.today)
    return [reminder_view(uow, r) for r in uow.session.scalars(query.limit(200))]


def remind(uow: UnitOfWork, command: RemindCommand) -> ReminderOut:
    """Put a reminder in somebody's list, one's own unless said otherwise."""
    named = command.named
    gone = [
        Fault(f"/{name}", f"There is no such {name.removesuffix('_id')}.")
        for name, number in named.items()
        if uow.session.get(REMINDED[name], number) is None
    ]
    if command.user_id is not None and uow.session.get(User, command.user_id) is None:
        gone.append(Fault("/user_id", "There is no such user."))
    if len(named) > 1:
        gone += [Fault(f"/{name}", "A reminder is about one thing.") for name in list(named)[1:]]
    if gone:
        raise Refused(gone)
    row = Reminder(
        user_id=command.user_id or uow.user_id,
        made_by=uow.user_id,
        **named,
        day=command.day,
        text=command.text,
        made_at=uow.now,
        done_at=None,
    )
    uow.session.add(row)
    uow.session.flush()
    uow.log(
        Act.REMIND,
        row.id,
        f"A reminder for {day_text(row.day)}: {row.text[:80]}",
        run_id=row.run_id,
    )
    return reminder_view(uow, row)


def settle_reminder(uow: UnitOfWork, reminder_id: int, command: SettleReminderCommand) -> ReminderOut:
    """Tick a reminder off, take that back, or put it off to another day."""
    row = uow.session.get(Reminder, reminder_id)
    if row is None or uow.user_id not in (row.user_id, row.made_by):
        raise not_found("This reminder")
    if command.done is not None:
        if row.done_at is not None and command.done:
            raise conflict("done", "This is done already.")
        row.done_at = uow.now if command.done else None
    if command.day:
        row.day = command.day
    uow.log(
        Act.SETTLE_A_REMINDER,
        row.id,
        f"{'Done' if row.done_at else 'Open'}: {row.text[:80]}",
        run_id=row.run_id,
    )
    return reminder_view(uow, row)


def users(uow: UnitOfWork) -> list[UserName]:
    """Whose lists there are."""
    return [
        UserName(id=u.id, name=u.name)
        for u in uow.session.scalars(select(User).where(User.active).order_by(User.name))
    ]
