"""What instructors see and change of their own, on their own page: nothing of anybody else, nothing of the center's money."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import select

from archgate.actions.enrolling import attendance, roles
from archgate.actions.enrolling.commands import MarksCommand
from archgate.actions.enrolling.replies import by_the_person
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.schedule import calendars, clashes, places, schedule
from archgate.actions.schedule.commands import BusyCommand, HoursForm
from archgate.actions.teaching import evaluations, papers, rules
from archgate.actions.teaching.commands import OwnBiographyCommand, OwnHoursCommand
from archgate.actions.teaching.instructors import checked_hours, pictured
from archgate.actions.teaching.own_views import (
    OwnLearner,
    OwnRights,
    OwnRoster,
    OwnRosterMeeting,
    OwnRun,
    OwnTeaching,
    OwnTeachingMeeting,
)
from archgate.core.faults import Fault, Refused
from archgate.core.states import PlaceKind, Role, RunStatus
from archgate.papers.teaching import AgreementPaper, PayPaper
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.roster import Attendance
from archgate.tables.schedule import Meeting, OnlineLink
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import BusyTime, Instructor

BACK = timedelta(days=60)  # how long a run stays on the page after its end


def instructor_of(uow: UnitOfWork, person: Person, to_change: bool = False) -> Instructor:
    """The instructor that somebody is. Raises 403 for whoever is none, or does not teach here any more."""
    row = uow.session.scalar(select(Instructor).where(Instructor.person_id == person.id, Instructor.active))
    if row is None:
        raise Problem(403, "no-instructor", "This page is for those who teach here.")
    if to_change:
        lock_row(uow, Instructor, row.id)
    return row


def refuse_unless(uow: UnitOfWork, i: Instructor, right: str) -> None:
    if not rules.may(uow, i, right):
        raise Problem(403, "forbidden", "The center does this for you; please ask at the office.")


def rights_of(uow: UnitOfWork, i: Instructor) -> OwnRights:
    return OwnRights(
        biography=rules.may(uow, i, "own_biography"),
        availability=rules.may(uow, i, "own_availability"),
        attendance=rules.may(uow, i, "attendance"),
        rosters=rules.may(uow, i, "rosters"),
    )


def own_runs(uow: UnitOfWork, i: Instructor) -> list[Run]:
    """The runs that somebody teaches: those ahead, under way, and not long over; no drafts."""
    recent = select(Meeting.run_id).where(clashes.taught_by(i.id), Meeting.ends_at > uow.now - BACK)
    query = select(Run).where(Run.id.in_(recent), Run.status.in_((RunStatus.PUBLISHED, RunStatus.OFF_SALE)))
    return list(uow.session.scalars(query.order_by(Run.id).limit(60)))


def page(uow: UnitOfWork, person: Person) -> OwnTeaching:
    """All that an instructor sees of themselves."""
    i = instructor_of(uow, person)
    runs = own_runs(uow, i)
    ids = [r.id for r in runs]
    seated = select(RunSeats.run_id, RunSeats.taken).where(RunSeats.run_id.in_(ids))
    taken = {number: heads for number, heads in uow.session.execute(seated)}  # noqa: C416
    linked = select(OnlineLink.meeting_id, OnlineLink.link).join(Meeting, Meeting.id == OnlineLink.meeting_id)
    links = {n: link for n, link in uow.session.execute(linked.where(Meeting.run_id.in_(ids)))}  # noqa: C416
    ahead = sorted(
        (
            (m, run)
            for run in runs
            for m in run.meetings
            if m.ends_at > uow.now and any(t.instructor_id == i.id for t in m.teachers)
        ),
        key=lambda pair: pair[0].starts_at,
    )
    mine = [
        OwnTeachingMeeting(
            meeting_id=m.id,
            run_id=run.id,
            code=run.code,
            title=run.title or run.course.title,
            start=m.starts_at.astimezone(schedule.zone_of(run, m.place)).isoformat(),
            minutes=m.minutes,
            place=m.place.name if m.place else "",
            address=" ".join(m.place.address.split()) if m.place and m.place.kind != PlaceKind.ONLINE else "",
            part=next(t.part for t in m.teachers if t.instructor_id == i.id),
            taken=taken.get(run.id, 0),
            online=links.get(m.id),
        )
        for m, run in ahead[:60]
    ]
    return OwnTeaching(
        instructor_id=i.id,
        name=i.name,
        biography=i.biography,
        picture=bool(pictured(uow, [i.id])),
        rights=rights_of(uow, i),
        hours=[HoursForm.model_validate(h) for h in i.hours],
        absences=places.list_busy(uow, "instructor", i.id),
        meetings=mine,
        runs=[
            OwnRun(
                run_id=run.id,
                code=run.code,
                title=run.title or run.course.title,
                first=min((m.date for m in run.meetings), default=run.starts_on),
                last=max((m.date for m in run.meetings), default=run.ends_on),
                taken=taken.get(run.id, 0),
            )
            for run in runs
        ],
        statement=papers.statement(uow, i.id),
        evaluations=evaluations.evaluations_of(uow, i.id),
        agreements=papers.agreements_of(uow, instructor_id=i.id),
    )


def own_run(uow: UnitOfWork, i: Instructor, run_id: int) -> Run:
    """A run of one's own; any other is not there."""
    run = next((r for r in own_runs(uow, i) if r.id == run_id), None)
    if run is None:
        raise not_found("This run")
    return run


def roster(uow: UnitOfWork, person: Person, run_id: int) -> OwnRoster:
    """Who is on a run of one's own: names, seats and marks; no addresses, no money, no notes of the staff."""
    i = instructor_of(uow, person)
    refuse_unless(uow, i, "rosters")
    run = own_run(uow, i, run_id)
    own = [m for m in schedule.ordered(run) if any(t.instructor_id == i.id for t in m.teachers)]
    marks: dict[int, dict[str, str]] = {}
    rows = select(Attendance).where(Attendance.meeting_id.in_([m.id for m in own]))
    for row in uow.session.scalars(rows):
        marks.setdefault(row.person_id, {})[str(row.meeting_id)] = row.status
    return OwnRoster(
        run_id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        meetings=[
            OwnRosterMeeting(id=m.id, day=m.date, start=m.start, past=m.starts_at <= uow.now) for m in own
        ],
        people=[
            OwnLearner(
                person_id=p.id,
                name=p.name,
                seats=e.heads if e.person_id == p.id else 1,
                remark="" if e.role is Role.LEARNER else str(e.role),
                marks=marks.get(p.id, {}),
            )
            for e, p in roles.people_of(uow, run)
        ],
        may_mark=rules.may(uow, i, "attendance"),
    )


def mark(uow: UnitOfWork, person: Person, meeting_id: int, command: MarksCommand) -> OwnRoster:
    """Mark who was at a meeting of one's own."""
    i = instructor_of(uow, person)
    refuse_unless(uow, i, "attendance")
    m = uow.session.get(Meeting, meeting_id)
    if m is None or not any(t.instructor_id == i.id for t in m.teachers):
        raise not_found("This meeting")
    own_run(uow, i, m.run_id)
    attendance.mark(uow, meeting_id, command.marks, anyway=False)
    uow.entries[-1].summary = f"{i.name}: {uow.entries[-1].summary}"
    return roster(uow, person, m.run_id)


def set_biography(uow: UnitOfWork, person: Person, command: OwnBiographyCommand) -> OwnTeaching:
    i = instructor_of(uow, person, to_change=True)
    refuse_unless(uow, i, "own_biography")
    i.biography = command.biography
    uow.log(Act.CHANGE_ONE_S_OWN, i.id, f"{i.name} changed their biography")
    by_the_person(uow)
    return page(uow, person)


def set_hours(uow: UnitOfWork, person: Person, command: OwnHoursCommand) -> OwnTeaching:
    """The weekly hours at which they can teach."""
    i = instructor_of(uow, person, to_change=True)
    refuse_unless(uow, i, "own_availability")
    faults = list[Fault]()
    hours = checked_hours(command.hours, faults)
    if faults:
        raise Refused(faults)
    i.hours = hours
    uow.log(Act.CHANGE_ONE_S_OWN, i.id, f"{i.name} changed their weekly hours")
    by_the_person(uow)
    return page(uow, person)


def add_absence(uow: UnitOfWork, person: Person, command: BusyCommand) -> OwnTeaching:
    """Say that one is away; the office sees the meetings it touches as clashes."""
    i = instructor_of(uow, person, to_change=True)
    refuse_unless(uow, i, "own_availability")
    places.add_busy(uow, "instructor", i.id, command)
    by_the_person(uow)
    return page(uow, person)


def drop_absence(uow: UnitOfWork, person: Person, busy_id: int) -> OwnTeaching:
    i = instructor_of(uow, person, to_change=True)
    refuse_unless(uow, i, "own_availability")
    row = uow.session.get(BusyTime, busy_id)
    if row is None or row.instructor_id != i.id:
        raise not_found("This absence")
    places.remove_busy(uow, busy_id)
    by_the_person(uow)
    return page(uow, person)


def feed(uow: UnitOfWork, person: Person, renew: bool) -> str:
    """The secret address of one's own calendar; renewing ends the old one."""
    i = instructor_of(uow, person)
    path = calendars.feed_of(uow, "instructor", i.id, renew).path
    by_the_person(uow)
    return path


def statement_paper(uow: UnitOfWork, person: Person) -> PayPaper:
    return papers.statement_paper(uow, instructor_of(uow, person).id)


def agreement(uow: UnitOfWork, person: Person, agreement_id: int) -> AgreementPaper:
    """An agreement of one's own; any other is not there."""
    i = instructor_of(uow, person)
    if all(a.id != agreement_id for a in papers.agreements_of(uow, instructor_id=i.id)):
        raise not_found("This agreement")
    return papers.agreement_paper(uow, agreement_id)
