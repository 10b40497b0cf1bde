"""Who hears of an enrollment, and of what."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import ColumnElement, func, select

from archgate.actions.courses import courses
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts, cards, held
from archgate.actions.schedule import schedule
from archgate.core.states import Told
from archgate.papers.letters.occasions import Begins, Enrolled, ListEnrolled, Owed, SomebodyEnrolled, Span
from archgate.papers.letters.writing import Letter, written
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import Instructor, MeetingTeacher


def told_of(uow: UnitOfWork, run: Run, told: Sequence[Told] | None = None) -> list[Told]:
    """Who hears of an enrollment: as said for this one, else as the run, else as the center has it."""
    for chosen in (told, run.told, courses.center_form(uow).told):
        if chosen is not None:
            return [Told(who) for who in chosen]
    return []


def tell_of(
    uow: UnitOfWork,
    change: Change,
    enrollment: Enrollment,
    run: Run,
    told: Sequence[Told] | None,
    word: str = "",
) -> list[tuple[messages.Addressee, Letter]]:
    """Write to those who hear of an enrollment, to the learner with a line of one's own; the letters."""
    hear = told_of(uow, run, told)
    if not hear:
        return []
    person = enrollment.person
    letters: list[tuple[messages.Addressee, Letter]] = []
    if Told.LEARNER in hear:
        letters.append((messages.to_person(person), letter_of(uow, enrollment, run, word)))
    account = accounts.get_account(uow, enrollment.payer_id)
    for to, owes in others_told(uow, run, hear, [account]):
        letter = written(
            SomebodyEnrolled(
                person.name,
                messages.named(run),
                begins(uow, run),
                enrollment.currency,
                owed(enrollment) if owes else (),
            )
        )
        letters.append((to, letter))
    for to, letter in letters:
        messages.write(uow, change, to, letter, run.id)
    return letters


ENROLLED = "enrolled"


def queue_letters(uow: UnitOfWork, change: Change, enrollments: Sequence[Enrollment], run: Run) -> int:
    """Put the letters to the learners of a list in line; how many there are. They are put into words when they are sent."""
    if not enrollments:
        return 0
    subject = letter_of(uow, enrollments[0], run).subject
    letters = [(messages.to_person(e.person), e.id) for e in enrollments]
    return messages.queue_all(uow, change, ENROLLED, subject, letters, run.id)


def in_words(uow: UnitOfWork, message: Message) -> Letter:
    enrollment = uow.session.get_one(Enrollment, message.enrollment_id)
    return letter_of(uow, enrollment, get_run(uow, enrollment.run_id))


messages.IN_WORDS[ENROLLED] = in_words


MOST_NAMES, MOST_PAYERS = 200, 20


def tell_others_of_many(
    uow: UnitOfWork, change: Change, run: Run, hear: Sequence[Told], *which: ColumnElement[bool]
) -> None:
    """One letter of all to everybody who hears of many enrollments of a run beside the learners. `which` ones they are."""
    of = select(Enrollment.id).where(Enrollment.run_id == run.id, *which)
    number = uow.session.scalar(select(func.count()).select_from(of.subquery())) or 0
    first = select(Person.name).join(Enrollment, Enrollment.person_id == Person.id)
    names = first.where(Enrollment.run_id == run.id, *which).order_by(Enrollment.id).limit(MOST_NAMES)
    paying = select(Enrollment.payer_id).where(Enrollment.run_id == run.id, *which).distinct()
    payers = uow.session.scalars(paying.limit(MOST_PAYERS)).all()  # one payer, or each person pays
    named = tuple(uow.session.scalars(names))
    letter = written(ListEnrolled(number, named, messages.named(run), begins(uow, run)))
    for to, _ in others_told(uow, run, hear, [accounts.get_account(uow, n) for n in sorted(payers)]):
        messages.write(uow, change, to, letter, run.id)


def begins(uow: UnitOfWork, run: Run, placed: bool = False) -> Begins | None:
    """When a run's next meeting is, with its place where a letter does not name that otherwise."""
    first = next((m for m in schedule.ordered(run) if m.starts_at > uow.now), None)
    if first is None:
        return None
    return Begins(first.date, first.start, first.place.name if placed and first.place else "")


def owed(enrollment: Enrollment) -> tuple[Owed, ...]:
    return tuple(Owed(i.amount, i.due) for i in enrollment.quote.installments)


def letter_of(uow: UnitOfWork, enrollment: Enrollment, run: Run, word: str = "") -> Letter:
    """What a learner is written of their enrollment: every date ahead with its place, or a cohort's days; what is due when; and a
    line of one's own."""
    person, until = enrollment.person, enrollment.hold_until
    return written(
        Enrolled(
            center=uow.center.name,
            name=person.given or person.name,
            run=messages.named(run),
            begins=begins(uow, run),
            span=Span(run.starts_on, run.ends_on) if run.starts_on and run.ends_on else None,
            dates=tuple(messages.appointment(m) for m in schedule.ordered(run) if m.ends_at > uow.now),
            place=run.place.name if run.place else "",
            currency=enrollment.currency,
            dues=owed(enrollment),
            held_until=until.astimezone(uow.zone) if until else None,
            word=word.strip(),
            pay=pay_link(uow, enrollment),
            card_first=held.waits_for_card(uow, enrollment),
        )
    )


def pay_link(uow: UnitOfWork, enrollment: Enrollment) -> str:
    """Where the learner pays what is due by card; empty where somebody else pays, nothing is due, or cards are not taken."""
    if not enrollment.quote.installments or not cards.taken():
        return ""
    account = uow.session.get_one(Account, enrollment.payer_id)
    return cards.link_of(account) if account.person_id == enrollment.person_id else ""


def others_told(
    uow: UnitOfWork, run: Run, hear: Sequence[Told], payers: Sequence[Account]
) -> list[tuple[messages.Addressee, bool]]:
    """Who hears of enrollments beside the learners, and whether money is their business."""
    others: list[tuple[messages.Addressee, bool]] = []
    if Told.PAYER in hear:
        for account in payers:
            if account.organization_id:
                payer = uow.session.get_one(Organization, account.organization_id)
                others.append((messages.Addressee(payer.name, payer.email), True))
    if Told.INSTRUCTORS in hear:
        of_run = select(MeetingTeacher.instructor_id).join(Meeting, Meeting.id == MeetingTeacher.meeting_id)
        of_run = of_run.where(Meeting.run_id == run.id, Meeting.cancelled_at.is_(None))
        query = select(Instructor).where(Instructor.id.in_(of_run)).order_by(Instructor.name)
        others += [(messages.Addressee(t.name, t.email), False) for t in uow.session.scalars(query)]
    if Told.OFFICE in hear:
        others.append((messages.Addressee(uow.center.name, courses.center_form(uow).office_email), True))
    return others
