"""Attendance: who was at which meeting."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select

from archgate.actions.enrolling import roles
from archgate.actions.enrolling.roster_views import AttendanceDone, AttendanceOut, Attending, Held
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import schedule
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.core.schedule import day_text
from archgate.core.states import Mark
from archgate.tables.roster import Attendance
from archgate.tables.schedule import Meeting

THERE = ("present", "late", "left early")


def attendance(uow: UnitOfWork, run_id: int) -> AttendanceOut:
    """Who was at which meeting, and the share of the marked meetings each attended."""
    run = get_run(uow, run_id)
    meetings = schedule.ordered(run)
    marks: dict[int, dict[int, str]] = {}
    for row in uow.session.scalars(
        select(Attendance).where(Attendance.meeting_id.in_([m.id for m in meetings] or [0]))
    ):
        marks.setdefault(row.person_id, {})[row.meeting_id] = row.status
    return AttendanceOut(
        run_id=run.id,
        code=run.code,
        marks=list(Mark),
        meetings=[
            Held(id=m.id, date=m.date, start=f"{m.start:%H:%M}", past=m.starts_at <= uow.now)
            for m in meetings
        ],
        people=[
            Attending(
                person_id=p.id,
                enrollment_id=e.id,
                name=p.name,
                marks={str(k): v for k, v in marks.get(p.id, {}).items()},
                share=share_of(marks.get(p.id, {})),
            )
            for e, p in roles.people_of(uow, run)
        ],
    )


def share_of(marks: dict[int, str]) -> str | None:
    """The share of somebody's marked meetings that were attended, in whole percent half up; excused ones do not count."""
    counted = [m for m in marks.values() if m != "excused"]
    if not counted:
        return None
    there = sum(m in THERE for m in counted)
    return str((200 * there + len(counted)) // (2 * len(counted)))


def mark(
    uow: UnitOfWork, meeting_id: int, marks: Mapping[int, Mark | None], anyway: bool = False
) -> AttendanceDone:
    """Say who was at a meeting; None takes a mark back. Every mark is of somebody on the roster. A meeting that is on a later
    day is asked about first (409), unless `anyway`."""
    meeting = uow.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = seats.run_to_change(uow, meeting.run_id)
    if meeting.cancelled_at is not None:
        raise conflict("not-held", "This meeting was cancelled.")
    if not anyway and meeting.starts_at.astimezone(uow.zone).date() > uow.today:
        raise conflict(
            "ahead", f"This meeting is on {day_text(meeting.date)}, still ahead. Mark it all the same?"
        )
    known = {p.id for _, p in roles.people_of(uow, run)}
    for person_id in marks:
        if person_id not in known:
            raise refuse(f"/marks/{person_id}", "This person is not on the roster.")
    by = uow.user.id if uow.user else None
    standing = {
        a.person_id: a
        for a in uow.session.scalars(
            select(Attendance).where(
                Attendance.meeting_id == meeting.id, Attendance.person_id.in_(marks or [0])
            )
        )
    }
    for person_id, status in marks.items():
        row = standing.get(person_id)
        if status is None:
            if row:
                uow.session.delete(row)
        elif row is None:
            uow.session.add(
                Attendance(
                    meeting_id=meeting.id,
                    person_id=person_id,
                    status=status,
                    user_id=by,
                    at=uow.now,
                )
            )
        else:
            row.status, row.user_id, row.at = status, by, uow.now
    uow.session.flush()
    change = uow.log(
        Act.MARK_ATTENDANCE,
        run.id,
        f"Attendance of {run.code} on {day_text(meeting.date)}: {len(marks)} marked",
    )
    return attendance(uow, run.id).widened(AttendanceDone, change=change.key)
