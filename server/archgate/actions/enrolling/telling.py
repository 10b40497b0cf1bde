"""Who hears of an enrollment, and of what."""

from __future__ import annotations

from collections.abc import Sequence

from archgate.actions.courses import courses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts
from archgate.actions.schedule import schedule
from archgate.core.states import Told
from archgate.papers.letters.occasions import Begins, Enrolled, ListEnrolled, Owed, SomebodyEnrolled, Span
from archgate.papers.letters.writing import Letter, written
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment


def told_of(uow: UnitOfWork, run: Run, told: Sequence[Told] | None = None) -> list[Told]:
    """Who hears of an enrollment: as said for this one, else as the run, else as the center has it."""
    for chosen in (told, run.told, courses.center_form(uow).told):
        if chosen is not None:
            return [Told(who) for who in chosen]
    return []


def tell_of(
    uow: UnitOfWork, change: Change, enrollment: Enrollment, run: Run, told: Sequence[Told] | None
) -> None:
    """Write to those who hear of an enrollment."""
    hear = told_of(uow, run, told)
    if not hear:
        return
    person = enrollment.person
    if Told.LEARNER in hear:
        messages.write(uow, change, messages.to_person(person), letter_of(uow, enrollment, run), run.id)
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
        messages.write(uow, change, to, letter, run.id)


def tell_of_many(uow: UnitOfWork, change: Change, enrollments: Sequence[Enrollment], run: Run) -> None:
    """Write to those who hear of the enrollments of a list: to each learner, and one letter of all to everybody else."""
    hear = told_of(uow, run)
    if not hear or not enrollments:
        return
    if Told.LEARNER in hear:
        letters = [(messages.to_person(e.person), letter_of(uow, e, run)) for e in enrollments]
        messages.write_all(uow, change, letters, run.id)
    names = tuple(e.person.name for e in enrollments[:200])
    letter = written(ListEnrolled(len(enrollments), names, messages.named(run), begins(uow, run)))
    accounts_of = [
        accounts.get_account(uow, number) for number in dict.fromkeys(e.payer_id for e in enrollments)
    ][:20]  # a list has one payer, or each person pays
    for to, _ in others_told(uow, run, hear, accounts_of):
        messages.write(uow, change, to, letter, run.id)


def begins(uow: UnitOfWork, run: Run, placed: bool = False) -> Begins | None:
    """When a run's next meeting is, with its place where a letter does not name that otherwise."""
    first = next((m for m in schedule.ordered(run) if m.starts_at > uow.now), None)
    if first is None:
        return None
    return Begins(first.date, first.start, first.place.name if placed and first.place else "")


def owed(enrollment: Enrollment) -> tuple[Owed, ...]:
    return tuple(Owed(i.amount, i.due) for i in enrollment.quote.installments)


def letter_of(uow: UnitOfWork, enrollment: Enrollment, run: Run) -> Letter:
    """What a learner is written of their enrollment: every date ahead with its place, or a cohort's days; what is due when."""
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
        )
    )


def others_told(
    uow: UnitOfWork, run: Run, hear: list[Told], payers: Sequence[Account]
) -> list[tuple[messages.Addressee, bool]]:
    """Who hears of enrollments beside the learners, and whether money is their business."""
    others: list[tuple[messages.Addressee, bool]] = []
    if Told.PAYER in hear:
        for account in payers:
            if account.organization_id:
                payer = uow.session.get_one(Organization, account.organization_id)
                others.append((messages.Addressee(payer.name, payer.email), True))
    if Told.INSTRUCTORS in hear:
        teachers = {m.instructor for m in run.meetings if m.instructor}
        others += [
            (messages.Addressee(t.name, t.email), False) for t in sorted(teachers, key=lambda t: t.name)
        ]
    if Told.OFFICE in hear:
        others.append((messages.Addressee(uow.center.name, courses.center_form(uow).office_email), True))
    return others
