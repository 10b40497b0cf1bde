"""Messages to people: written with what they tell, sent by the worker after a minute."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, CompoundSelect, func, insert, select, update
from sqlalchemy.orm import Session, joinedload

from archgate.actions.kernel import queue, signing
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages.views import MessageOut, Outbox
from archgate.clock import business_now
from archgate.core.faults import refuse
from archgate.core.schedule import day_text
from archgate.core.states import JobStatus
from archgate.documents.reader import Document
from archgate.outside.mail import Mailing
from archgate.papers.invoices import Paper, pdf_of
from archgate.papers.letters.occasions import Appointment, NamedRun, OfRun, TakenBack
from archgate.papers.letters.writing import Letter, html_of, written
from archgate.papers.teaching import AgreementPaper, agreement_pdf
from archgate.tables.courses import Center, CenterLogo, Run
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Invoice
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import Agreement

NOBODY: Mapping[int, OfRun] = {}
WAIT = timedelta(seconds=60)  # while an undo still keeps a message from going out


@dataclass(frozen=True)
class Addressee:
    """Whom a letter goes to; nobody without an email, they are called instead. `person_id`: None for staff and instructors."""

    name: str
    email: str | None
    person_id: int | None = None


def to_person(person: Person) -> Addressee:
    return Addressee(person.name, person.email, person.id)


def write(
    uow: UnitOfWork,
    change: Change,
    to: Addressee,
    letter: Letter,
    run_id: int | None = None,
    invoice_id: int | None = None,
    agreement_id: int | None = None,
) -> None:
    """Write one letter of a change; nothing for somebody without an email, who is called instead."""
    if not to.email:
        return
    job = queue.queue(
        uow,
        "send message",
        key_of(change, to),
        {"about": f"{to.name}: {letter.subject}"},
        WAIT,
        change.key,
        run_id,
    )
    message = Message(
        job_id=job.id,
        person_id=to.person_id,
        run_id=run_id,
        to_name=to.name[:200],
        to_email=to.email,
        subject=letter.subject[:200],
        body=letter.text,
        made_at=uow.now,
        invoice_id=invoice_id,
        agreement_id=agreement_id,
    )
    uow.session.add(message)


def key_of(change: Change, to: Addressee, meeting_id: int | None = None) -> str:
    number = f"{to.person_id or to.name}".encode("ascii", "ignore").decode()[:30]
    return f"message:{change.key}:{number}:{meeting_id or 0}"


def write_all(
    uow: UnitOfWork,
    change: Change,
    letters: Sequence[tuple[Addressee, Letter]],
    run_id: int,
    meeting_id: int | None = None,
) -> int:
    """Write to many people at once, as a change nobody was told of yet; how many have an email and are written to."""
    rows: list[tuple[Addressee, dict[str, object]]] = [
        (to, {"meeting_id": meeting_id, "subject": letter.subject[:200], "body": letter.text})
        for to, letter in letters
    ]
    return put_in_line(uow, change, rows, run_id, meeting_id)


def put_in_line(
    uow: UnitOfWork,
    change: Change,
    letters: Sequence[tuple[Addressee, dict[str, object]]],
    run_id: int,
    meeting_id: int | None = None,
) -> int:
    """Messages to those who have an email, with what else is kept of each, by one statement; how many."""
    keyed = {key_of(change, to, meeting_id): (to, facts) for to, facts in letters if to.email}
    about: list[tuple[str, Document]] = [
        (key, {"about": f"{to.name}: {facts['subject']}"}) for key, (to, facts) in keyed.items()
    ]
    ids = queue.queue_new(uow, "send message", about, WAIT, change.key, run_id)
    rows = [
        {
            "job_id": ids[key],
            "person_id": to.person_id,
            "run_id": run_id,
            "to_name": to.name[:200],
            "to_email": to.email,
            "made_at": uow.now,
            **facts,
        }
        for key, (to, facts) in keyed.items()
    ]
    if rows:
        uow.session.flush()
        uow.session.connection().execute(insert(Message), rows)
    return len(rows)


# How a letter that was queued by its occasion alone is put into words; each group registers its own.
IN_WORDS: dict[str, Callable[[UnitOfWork, Message], Letter]] = {}


def queue_all(
    uow: UnitOfWork,
    change: Change,
    occasion: str,
    subject: str,
    letters: Sequence[tuple[Addressee, int]],
    run_id: int,
) -> int:
    """Put letters of one occasion in line, each by the enrollment it is of; they are put into words when they are sent. How many
    have an email and are written to."""
    rows: list[tuple[Addressee, dict[str, object]]] = [
        (to, {"enrollment_id": number, "occasion": occasion, "subject": subject[:200], "body": ""})
        for to, number in letters
    ]
    return put_in_line(uow, change, rows, run_id)


def letter_in(uow: UnitOfWork, message: Message) -> Letter:
    """What a message says: as it was written, or by its occasion."""
    if not message.occasion:
        return Letter(message.subject, message.body)
    return IN_WORDS[message.occasion](uow, message)


def named(run: Run) -> NamedRun:
    """A run as letters name it."""
    return NamedRun(run.title or run.course.title, run.code)


def ids_on(run_id: int) -> CompoundSelect[int]:
    """Everybody on a run whose name is known, parties' named heads included, as a selection of their ids."""
    live = select(Enrollment.person_id).where(Enrollment.run_id == run_id, Enrollment.live == 1)
    named = (
        select(PartyPlace.person_id)
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(Enrollment.run_id == run_id, Enrollment.live == 1, PartyPlace.person_id.is_not(None))
    )
    return live.union(named)


def appointment(meeting: Meeting) -> Appointment:
    """When and where a meeting is, on its place's clock; the address only where it is public."""
    place = meeting.place
    if place is None:
        return Appointment(meeting.date, meeting.start)
    zone = ZoneInfo(place.time_zone)
    starts, ends = meeting.starts_at.astimezone(zone), meeting.ends_at.astimezone(zone)
    address = " ".join(place.address.split()) if place.address_public else ""
    where = ", ".join(x for x in (place.name, address) if x)
    return Appointment(meeting.date, starts.time(), ends.time(), where)


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
    return by_name(uow, own.union(named))


def people_on(uow: UnitOfWork, run_id: int) -> list[Person]:
    return by_name(uow, ids_on(run_id))


def by_name(uow: UnitOfWork, ids: CompoundSelect[int]) -> list[Person]:
    """The people of a selection of ids, by name. Joined: looked for in it, everybody would be read."""
    chosen = ids.subquery()
    query = select(Person).join(chosen, chosen.c[0] == Person.id)
    return list(uow.session.scalars(query.order_by(Person.family, Person.given)))


def number_on(uow: UnitOfWork, run_id: int) -> int:
    return uow.session.scalar(select(func.count()).select_from(ids_on(run_id).subquery())) or 0


def tell_run(
    uow: UnitOfWork,
    run: Run,
    change: Change,
    occasion: OfRun,
    meeting_id: int | None = None,
    instructor: bool = True,
    of_each: Mapping[int, OfRun] = NOBODY,
) -> int:
    """Write to everybody on a run and, with `instructor`, to its usual ones; how many people are told, by message or by
    phone. `of_each`: what the letter of somebody says beside, by person."""
    people = people_on(uow, run.id)
    letters = [(to_person(p), written(replace(of_each.get(p.id, occasion), name=p.name))) for p in people]
    for teacher in run.teachers if instructor else ():
        to = Addressee(teacher.instructor.name, teacher.instructor.email)
        letters.append((to, written(replace(occasion, name=""))))
    write_all(uow, change, letters, run.id, meeting_id)
    return len(people)


def correct(uow: UnitOfWork, undone: Change, correction: Change) -> str:
    """After an undo: what is still in line is dropped; who was told already gets a correction. What became of the letters,
    in a sentence, empty where there were none."""
    waiting = (
        uow.session.scalar(
            select(func.count())
            .select_from(Message)
            .join(Job)
            .where(Job.change_key == undone.key, Job.status == JobStatus.QUEUED, Job.tries == 0)
        )
        or 0
    )
    queue.drop(uow, undone.key)
    sent = uow.session.scalars(
        select(Message)
        .join(Job)
        .where(Job.change_key == undone.key, Job.status.in_((JobStatus.DONE, JobStatus.RUNNING)))
    ).all()
    for m in sent:
        write(
            uow,
            correction,
            Addressee(m.to_name, m.to_email, m.person_id),
            written(TakenBack(m.subject)),
            m.run_id,
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


def take_back(
    uow: UnitOfWork, change_keys: Collection[str], person_ids: Collection[int], correction: Change
) -> None:
    """What some changes told these people: what is still in line is dropped; who was told already gets a correction."""
    of = (Job.change_key.in_(change_keys), Message.person_id.in_(person_ids))
    waiting = select(Job.id).join(Message, Message.job_id == Job.id)
    unsent = uow.session.scalars(
        waiting.where(*of, Job.status == JobStatus.QUEUED, Job.tries == 0).with_for_update(of=Job)
    ).all()
    if unsent:
        uow.session.execute(update(Job).where(Job.id.in_(unsent)).values(status=JobStatus.DROPPED))
    sent = uow.session.scalars(
        select(Message).join(Job).where(*of, Job.status.in_((JobStatus.DONE, JobStatus.RUNNING)))
    ).all()
    for m in sent:
        letter = written(TakenBack(m.subject))
        write(uow, correction, Addressee(m.to_name, m.to_email, m.person_id), letter, m.run_id)


def mailing(session: Session, key: str) -> Mailing:
    """The letter behind a job, as the mail service takes it."""
    message = session.scalars(select(Message).join(Job).where(Job.key == key)).one()
    paper = None
    if message.invoice_id:
        invoice = session.get_one(Invoice, message.invoice_id)
        said = Paper.model_validate(invoice.document)
        logo = session.get(CenterLogo, said.logo) if said.logo else None
        paper = (f"{invoice.number}.pdf", pdf_of(said, logo.content if logo else None))
    center = session.get_one(Center, 1)
    if message.agreement_id:
        row = session.get_one(Agreement, message.agreement_id)
        made = row.made_at.astimezone(ZoneInfo(center.time_zone)).date()
        whom = row.instructor.person.name
        page = AgreementPaper(center.name, "Teaching agreement", whom, day_text(made), row.text, "")
        paper = (f"agreement-{row.id}.pdf", agreement_pdf(page))
    letter = letter_in(UnitOfWork(session, center, None, business_now(center.clock_offset)), message)
    return Mailing(message.to_email, letter.subject, letter.text, html_of(letter), paper)


WORDS = {"queued": "waits", "running": "being sent", "done": "sent"}


def message_view(uow: UnitOfWork, m: Message) -> MessageOut:
    return MessageOut(
        id=m.id,
        to=m.to_name,
        email=m.to_email,
        subject=m.subject,
        body=signing.without_links(letter_in(uow, m).text),
        run_id=m.run_id,
        person_id=m.person_id,
        at=uow.local(m.made_at),
        status=WORDS.get(m.job.status, m.job.status),
        trouble=m.job.trouble,
        sent_at=uow.local(m.job.done_at) if m.job.status == JobStatus.DONE else None,
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
    counted = select(func.count()).select_from(Message)
    if wanted:
        counted = counted.join(Job).where(Job.status.in_(wanted))
    total = uow.session.scalar(counted) or 0
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
