"""The call list of a cancelled meeting: whom to call, and what came of it."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from archgate.actions.enrolling.roster_views import CallList, CallRow, TeacherCall
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.schedule import teachers
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.core.schedule import day_text
from archgate.core.states import CallOutcome
from archgate.tables.courses import Run
from archgate.tables.jobs import Job
from archgate.tables.messages import Call, Message
from archgate.tables.schedule import Meeting


def call_list(uow: UnitOfWork, meeting_id: int) -> CallList:
    """Whom to call about a meeting that falls out: phone, what was sent, what came of calling."""
    meeting = uow.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = uow.session.get_one(Run, meeting.run_id)
    calls = {c.person_id: c for c in uow.session.scalars(select(Call).where(Call.meeting_id == meeting_id))}
    query = select(Message).join(Job).options(joinedload(Message.job)).where(Message.meeting_id == meeting_id)
    sent = {m.person_id: m for m in uow.session.scalars(query.order_by(Message.id))}
    zone = ZoneInfo(meeting.place.time_zone if meeting.place else run.time_zone)
    rows = []
    for person in messages.people_of_meeting(uow, meeting):
        call, message = calls.get(person.id), sent.get(person.id)
        rows.append(
            CallRow(
                person_id=person.id,
                name=person.name,
                phone=person.phone,
                email=person.email,
                message=messages.message_view(uow, message).status if message else None,
                outcome=call.outcome if call else None,
                note=call.note if call else "",
            )
        )
    return CallList(
        meeting_id=meeting.id,
        run_id=run.id,
        run_code=run.code,
        title=run.title or run.course.title,
        date=meeting.date,
        start=meeting.starts_at.astimezone(zone).isoformat(),
        cancelled=meeting.cancelled_at is not None,
        why=meeting.cancel_why,
        instructors=[TeacherCall(name=i.name, phone=i.phone) for i in meeting.instructors],
        instructor_paid=meeting.instructor_paid,
        people=rows,
    )


def note_call(uow: UnitOfWork, meeting_id: int, person_id: int, outcome: CallOutcome, note: str) -> CallList:
    """Write down what came of a call; again for the same person replaces it."""
    shown = call_list(uow, meeting_id)
    name = next((p.name for p in shown.people if p.person_id == person_id), None)
    if name is None:
        raise not_found("This person on the call list")
    if len(note) > 500:
        raise refuse("/note", "The note is longer than 500 characters.")
    row = uow.session.scalar(select(Call).where(Call.meeting_id == meeting_id, Call.person_id == person_id))
    row = row or Call(meeting_id=meeting_id, person_id=person_id)
    row.outcome, row.note, row.user_id, row.at = outcome, note.strip(), uow.user_id, uow.now
    uow.session.add(row)
    when = day_text(uow.session.get_one(Meeting, meeting_id).date)
    uow.log(Act.NOTE_A_CALL, shown.run_id, f"Called {name} about {shown.run_code} on {when}: {outcome}")
    return call_list(uow, meeting_id)


def set_paid(uow: UnitOfWork, meeting_id: int, paid: bool) -> CallList:
    """Whether the instructor is still paid for a meeting that fell out."""
    meeting = uow.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = seats.run_to_change(uow, meeting.run_id)
    if meeting.cancelled_at is None:
        raise conflict("not-cancelled", "This meeting is held; only for a cancelled one is it a question.")
    meeting.instructor_paid = paid
    uow.log(
        Act.CHANGE_A_MEETING,
        run.id,
        f"{teachers.text_of(meeting.teachers) or 'The instructor'} {'is still' if paid else 'is not'} paid for the meeting of {run.code} on {day_text(meeting.date)}",
    )
    return call_list(uow, meeting_id)
