"""Calendars to subscribe to, by a secret address that can be renewed, and busy times taken from a calendar file."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import CompoundSelect, Row, null, select
from sqlalchemy.orm import joinedload

from archgate.actions.kernel.acts import Act, Subject
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import clashes, places, schedule, teachers
from archgate.actions.schedule.views import FeedOut, Imported
from archgate.core.faults import refuse
from archgate.core.schedule import day_text
from archgate.core.states import RunStatus
from archgate.papers.calendars import Entry, Taken, calendar_of
from archgate.tables.courses import Course, Run
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Feed, Meeting, OnlineLink

KINDS = ("all", "run", "place", "instructor")
OWN = "person"  # the calendar of a learner, made on their own page
BACK = timedelta(days=400)  # how far a feed goes back
IMPORTED = (timedelta(days=31), timedelta(days=800))  # busy times before and after today


def name_of(uow: UnitOfWork, kind: str, subject_id: int) -> str:
    if kind == "all":
        return uow.center.name
    name = None
    if kind == "run":
        run = uow.session.get(Run, subject_id)
        name = f"{run.code} {run.title or run.course.title}" if run else None
    elif kind == OWN:
        person = uow.session.get(Person, subject_id)
        name = person.name if person else None
    elif kind in ("place", "instructor"):
        name = places.owner_of(uow, kind, subject_id).name
    if name is None:
        raise not_found("This calendar")
    return name


def feed_of(uow: UnitOfWork, kind: str, subject_id: int, renew: bool = False, own: bool = False) -> FeedOut:
    """The secret address of a calendar, made when first asked for; renewing ends the old one. `own`: of a learner, for themselves."""
    if kind not in ((OWN,) if own else KINDS):
        raise not_found("This calendar")
    subject_id = 0 if kind == "all" else subject_id
    name = name_of(uow, kind, subject_id)
    feed = uow.session.scalar(select(Feed).where(Feed.kind == kind, Feed.subject_id == subject_id))
    if feed is None:
        feed = Feed(kind=kind, subject_id=subject_id)
        uow.session.add(feed)
        renew = True
    if renew:
        feed.token, feed.made_at = secrets.token_urlsafe(24), uow.now
        uow.log(
            Act.MAKE_A_CALENDAR_ADDRESS,
            subject_id or 1,
            f"Made a calendar address for {name}",
            subject=Subject(kind if kind != "all" else "center"),
        )
    uow.session.flush()
    return FeedOut(
        kind=kind,
        subject_id=subject_id,
        name=name,
        path=f"/api/v1/calendars/{feed.token}.ics",
        made_at=feed.made_at,
    )


def feed_content(uow: UnitOfWork, token: str) -> bytes:
    """What stands at a secret address now. Drafts are tentative and only in the calendars of the office, not of a run."""
    feed = uow.session.scalar(select(Feed).where(Feed.token == token))
    if feed is None:
        raise not_found("This calendar")
    query = (
        select(Meeting, Run, Course.title, OnlineLink.link)
        .join(Run, Run.id == Meeting.run_id)
        .join(Course, Course.id == Run.course_id)
        .outerjoin(OnlineLink, OnlineLink.meeting_id == Meeting.id)
        .where(Meeting.ends_at > uow.now - BACK, Run.status != RunStatus.ARCHIVED)
        .options(joinedload(Meeting.place))
        .order_by(Meeting.starts_at, Meeting.id)
    )
    whose = {
        "run": Meeting.run_id == feed.subject_id,
        "place": Meeting.place_id == feed.subject_id,
        "instructor": clashes.taught_by(feed.subject_id),
        OWN: Meeting.run_id.in_(runs_of(feed.subject_id)),
    }.get(feed.kind)
    if whose is not None:
        query = query.where(whose)
    if feed.kind in ("run", OWN):
        query = query.where(Run.status != RunStatus.DRAFT)
    entries = entries_of(uow, uow.session.execute(query).all())
    name = name_of(uow, feed.kind, feed.subject_id)
    return calendar_of(
        name, f"Meetings of {name}", f"calendar-{feed.id}@{uow.center.uid or 'center'}.archgate", entries
    )


def runs_of(person_id: int) -> CompoundSelect[int]:
    """The runs that somebody is on, also as a named head."""
    own = select(Enrollment.run_id).where(Enrollment.person_id == person_id, Enrollment.live == 1)
    named = select(Enrollment.run_id).join(PartyPlace, PartyPlace.enrollment_id == Enrollment.id)
    return own.union(named.where(PartyPlace.person_id == person_id, Enrollment.live == 1))


def entries_of(uow: UnitOfWork, rows: Sequence[Row[Meeting, Run, str, str | None]]) -> list[Entry]:
    """Meetings as entries of a calendar, each with its run, the title of its course and its link, numbered within the run."""
    counts: dict[int, list[int]] = {}
    run_ids = {run.id for _, run, _, _ in rows}
    live = select(Meeting.run_id, Meeting.id).where(
        Meeting.run_id.in_(run_ids), Meeting.cancelled_at.is_(None)
    )
    for run_id, meeting_id in uow.session.execute(live.order_by(Meeting.starts_at, Meeting.id)):
        counts.setdefault(run_id, []).append(meeting_id)
    entries = []
    for m, run, title, link in rows:
        zone = schedule.zone_of(run, m.place)
        persons = counts.get(run.id, [])
        number = f" ({persons.index(m.id) + 1} of {len(persons)})" if m.id in persons else ""
        about = [
            f"{run.code}",
            f"with {teachers.text_of(m.teachers)}" if m.teachers else "",
            link or "",
            m.cancel_why,
        ]
        where = m.place.name if m.place else ""
        if m.place and m.place.address and m.place.address_public:
            where = f"{where}, {' '.join(m.place.address.split())}"
        status = (
            "CANCELLED" if m.cancelled_at else "TENTATIVE" if run.status == RunStatus.DRAFT else "CONFIRMED"
        )
        entries.append(
            Entry(
                f"meeting-{m.id}@{uow.center.uid or 'center'}.archgate",
                m.starts_at.astimezone(zone),
                m.ends_at.astimezone(zone),
                f"{run.title or title}{number}",
                where,
                "\n".join(a for a in about if a),
                m.sequence,
                status,
                uow.now,
                link or "",
            )
        )
    return entries


def public_calendar(uow: UnitOfWork, run: Run, title: str, page: str) -> bytes:
    """The dates of a run as a calendar file for the public: with its page, without links to join and without private addresses.
    The entries are those of every other calendar of the run, by their UIDs."""
    query = select(Meeting, Run, Course.title).join(Run, Run.id == Meeting.run_id)
    query = query.join(Course, Course.id == Run.course_id).where(Meeting.run_id == run.id)
    rows = uow.session.execute(
        query.add_columns(null()).options(joinedload(Meeting.place)).order_by(Meeting.starts_at, Meeting.id)
    ).all()
    uid = f"run-{run.id}@{uow.center.uid or 'center'}.archgate"
    return calendar_of(title, f"{title}: {page}", uid, entries_of(uow, rows))


def window(uow: UnitOfWork) -> tuple[ZoneInfo, date, date]:
    """The center's zone, and between which days the times of a calendar file are taken."""
    return uow.zone, uow.today - IMPORTED[0], uow.today + IMPORTED[1]


def window_of(uow: UnitOfWork, kind: str, owner_id: int) -> tuple[ZoneInfo, date, date]:
    """The same for an instructor or a place, in its own zone."""
    return places.zone_of_owner(uow, places.owner_of(uow, kind, owner_id)), *window(uow)[1:]


def window_text(uow: UnitOfWork) -> str:
    _, first, last = window(uow)
    return f"from {day_text(first)} through {day_text(last)}; what repeats before or after is not taken"


def import_busy(uow: UnitOfWork, kind: str, owner_id: int, file_name: str, times: list[Taken]) -> Imported:
    """Take the busy times of a calendar file, as it was read before, for an instructor, or the closed times of a place."""
    spans = [(t.start, t.end, t.all_day, t.label) for t in times]
    key, replaced = places.take_busy(uow, kind, owner_id, file_name, spans)
    return Imported(change=key, added=len(spans), replaced=replaced, window=window_text(uow))


def import_closures(uow: UnitOfWork, file_name: str, times: list[Taken]) -> Imported:
    """Close the days that a calendar file, as it was read before, marks: every day a whole-day entry covers."""
    whole = [t for t in times if t.all_day]
    if not whole:
        raise refuse("/file", "The calendar has no whole days; closures are whole days.")
    _, first, last_day = window(uow)
    days = {}
    for t in whole:
        day, last = (
            max(first, t.start.astimezone(uow.zone).date()),
            min(last_day, (t.end - timedelta(seconds=1)).astimezone(uow.zone).date()),
        )
        while day <= last:
            days[day] = t.label
            day += timedelta(days=1)
    known = {c.day for c in uow.session.scalars(select(places.Closure).where(places.Closure.day.in_(days)))}
    for day, label in days.items():
        if day not in known:
            uow.session.add(places.Closure(day=day, label=label, teach=False))
    added = len(days) - len(known)
    change = uow.log(Act.CLOSE_DAYS, 1, f"Closed {added} days from {file_name}")
    return Imported(change=change.key, added=added, replaced=0, window=window_text(uow))
