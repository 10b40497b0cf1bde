"""Messages to people: written with what they tell, sent by the worker after a minute."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, CompoundSelect, func, insert, select
from sqlalchemy.orm import Session, joinedload

from archgate.actions.kernel import queue, signing
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages.views import MessageOut, Outbox
from archgate.core.faults import refuse
from archgate.core.reader import Document
from archgate.core.schedule import day_text
from archgate.papers.invoices import Paper, pdf_of
from archgate.tables.courses import Run
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Invoice
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Meeting

WAIT = timedelta(seconds=60)  # while an undo still keeps a message from going out


@dataclass(frozen=True)
class Letter:
    """What one person is written; nothing without an email, they are called instead."""

    email: str | None
    name: str
    subject: str
    body: str
    person_id: int | None = None


def write(
    uow: UnitOfWork, change: Change, email: str | None, name: str, subject: str, body: str, person_id: int | None = None,
    run_id: int | None = None, meeting_id: int | None = None, invoice_id: int | None = None,
) -> bool:  # fmt: skip
    """Write one message of a change; nothing for somebody without an email, who is called instead."""
    if not email:
        return False
    job = queue.queue(
        uow, "send message", key_of(change, person_id, name, meeting_id), {"about": f"{name}: {subject}"},
        WAIT, change.key, run_id,
    )  # fmt: skip
    message = Message(
        job_id=job.id, person_id=person_id, run_id=run_id, meeting_id=meeting_id, to_name=name[:200], to_email=email,
        subject=subject[:200], body=body, made_at=uow.now, invoice_id=invoice_id,
    )  # fmt: skip
    uow.session.add(message)
    return True


def key_of(change: Change, person_id: int | None, name: str, meeting_id: int | None) -> str:
    number = f"{person_id or name}".encode("ascii", "ignore").decode()[:30]
    return f"message:{change.key}:{number}:{meeting_id or 0}"


def write_all(
    uow: UnitOfWork, change: Change, letters: list[Letter], run_id: int, meeting_id: int | None = None
) -> int:
    """Write to many people at once, as a change nobody was told of yet; how many have an email and are written to."""
    keyed = {key_of(change, x.person_id, x.name, meeting_id): x for x in letters if x.email}
    about: list[tuple[str, Document]] = [
        (key, {"about": f"{x.name}: {x.subject}"}) for key, x in keyed.items()
    ]
    ids = queue.queue_new(uow, "send message", about, WAIT, change.key, run_id)
    rows = [
        {"job_id": ids[key], "person_id": x.person_id, "run_id": run_id, "meeting_id": meeting_id, "to_name": x.name[:200],
         "to_email": x.email, "subject": x.subject[:200], "body": x.body, "made_at": uow.now}
        for key, x in keyed.items()
    ]  # fmt: skip
    if rows:
        uow.session.execute(insert(Message), rows)
    return len(rows)


def ids_on(run_id: int) -> CompoundSelect[int]:
    """Everybody on a run whose name is known, parties' named heads included, as a selection of their ids."""
    live = select(Enrollment.person_id).where(Enrollment.run_id == run_id, Enrollment.live == 1)
    named = (
        select(PartyPlace.person_id)
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(Enrollment.run_id == run_id, Enrollment.live == 1, PartyPlace.person_id.is_not(None))
    )
    return live.union(named)


def when_of(meeting: Meeting) -> str:
    """When and where a meeting is, as letters say it."""
    where = meeting.place.name if meeting.place else ""
    address = (
        " ".join(meeting.place.address.split()) if meeting.place and meeting.place.address_public else ""
    )
    place = ", ".join(x for x in (where, address) if x)
    if meeting.place is None:
        return f"{day_text(meeting.date)}, {meeting.start:%H:%M}"
    zone = ZoneInfo(meeting.place.time_zone)
    starts, ends = meeting.starts_at.astimezone(zone), meeting.ends_at.astimezone(zone)
    return f"{day_text(meeting.date)}, {starts:%H:%M} to {ends:%H:%M}, {place}"


def in_when_cancelled(meeting: Meeting) -> tuple[ColumnElement[bool], ...]:
    """Which sign-ups a cancelled meeting was meant for: those that live and were there before it fell out."""
    before = () if meeting.cancelled_at is None else (Enrollment.enrolled_at <= meeting.cancelled_at,)
    return (Enrollment.live == 1, *before)


def people_of_meeting(uow: UnitOfWork, meeting: Meeting) -> list[Person]:
    """Everybody whom a meeting was meant for, by name; of one that is held, everybody on the run."""
    signed = select(Enrollment.id).where(Enrollment.run_id == meeting.run_id, *in_when_cancelled(meeting))
    own = select(Enrollment.person_id).where(Enrollment.id.in_(signed))
    named = select(PartyPlace.person_id).where(
        PartyPlace.enrollment_id.in_(signed), PartyPlace.person_id.is_not(None)
    )
    query = select(Person).where(Person.id.in_(own.union(named)))
    return list(uow.session.scalars(query.order_by(Person.family, Person.given)))


def people_on(uow: UnitOfWork, run_id: int) -> list[Person]:
    query = select(Person).where(Person.id.in_(ids_on(run_id))).order_by(Person.family, Person.given)
    return list(uow.session.scalars(query))


def number_on(uow: UnitOfWork, run_id: int) -> int:
    return uow.session.scalar(select(func.count()).select_from(ids_on(run_id).subquery())) or 0


def tell_run(
    uow: UnitOfWork,
    run: Run,
    change: Change,
    subject: str,
    body: str,
    meeting_id: int | None = None,
    instructor: bool = True,
) -> int:
    """Write to everybody on a run and, with `instructor`, to its usual one; how many people are told, by message or by
    phone."""
    people = people_on(uow, run.id)
    letters = [
        Letter(p.email, p.name, subject, f"Dear {p.name},\n\n{body}\n\n{uow.center.name}", p.id)
        for p in people
    ]
    write_all(uow, change, letters, run.id, meeting_id)
    if instructor and run.instructor and run.instructor.email:
        write(uow, change, run.instructor.email, run.instructor.name, subject, body, None, run.id, meeting_id)
    return len(people)


def correct(uow: UnitOfWork, undone: Change, correction: Change) -> str:
    """After an undo: what is still in line is dropped; who was told already gets a correction. What became of the letters,
    in a sentence, empty where there were none."""
    waiting = uow.session.scalar(
        select(func.count()).select_from(Message).join(Job)
        .where(Job.change_key == undone.key, Job.status == "queued", Job.tries == 0)
    ) or 0  # fmt: skip
    queue.drop(uow, undone.key)
    sent = uow.session.scalars(
        select(Message).join(Job).where(Job.change_key == undone.key, Job.status.in_(("done", "running")))
    ).all()
    for m in sent:
        body = f'Please set aside our message "{m.subject}": it was taken back, and what held before holds again.'
        write(
            uow,
            correction,
            m.to_email,
            m.to_name,
            f"Correction: {m.subject}",
            body,
            m.person_id,
            m.run_id,
            m.meeting_id,
        )
    dropped = (
        f"{waiting} {'letter was' if waiting == 1 else 'letters were'} dropped before going out."
        if waiting
        else ""
    )
    righted = (
        f"{len(sent)} {'letter' if len(sent) == 1 else 'letters'} had gone out; a correction follows."
        if sent
        else ""
    )
    return f"{dropped} {righted}".strip()


def send(session: Session, key: str) -> tuple[str, str, str, tuple[str, bytes] | None]:
    """Address, subject and body of the message behind a job, and the paper that goes with it: its file name and content."""
    message = session.scalars(select(Message).join(Job).where(Job.key == key)).one()
    paper = None
    if message.invoice_id:
        invoice = session.get_one(Invoice, message.invoice_id)
        paper = (f"{invoice.number}.pdf", pdf_of(Paper.model_validate(invoice.document)))
    return message.to_email, message.subject, message.body, paper


WORDS = {"queued": "waits", "running": "being sent", "done": "sent"}


def message_view(uow: UnitOfWork, m: Message) -> MessageOut:
    return MessageOut(
        id=m.id,
        to=m.to_name,
        email=m.to_email,
        subject=m.subject,
        body=signing.without_links(m.body),
        run_id=m.run_id,
        person_id=m.person_id,
        at=uow.local(m.made_at),
        status=WORDS.get(m.job.status, m.job.status),
        trouble=m.job.trouble,
        sent_at=uow.local(m.job.done_at) if m.job.status == "done" else None,
        job_id=m.job_id,
        invoice_id=m.invoice_id,
    )


def outbox(uow: UnitOfWork, status: str = "", before: int | None = None, limit: int = 100) -> Outbox:
    """Messages, newest first: what waits, what was sent, what failed."""
    states = {
        "": None,
        "waits": ("queued", "running"),
        "sent": ("done",),
        "failed": ("failed",),
        "dropped": ("dropped",),
    }
    if status not in states:
        raise refuse("/status", "There is no such filter.")
    query = select(Message).join(Job).options(joinedload(Message.job)).order_by(Message.id.desc())
    wanted = states[status]
    if wanted:
        query = query.where(Job.status.in_(wanted))
    total = (
        uow.session.scalar(select(func.count()).select_from(query.order_by(None).options().subquery())) or 0
    )
    if before is not None:
        query = query.where(Message.id < before)
    rows = uow.session.scalars(query.limit(max(1, min(limit, 200)) + 1)).all()
    more = len(rows) > limit
    return Outbox(
        items=[message_view(uow, m) for m in rows[:limit]],
        total=total,
        next=rows[limit - 1].id if more else None,
    )


# --- the call list of a cancelled meeting -----------------------------------------------------------------
