"""Who hears of an enrollment, and what the letters say."""

from __future__ import annotations

from collections.abc import Sequence

from archgate.actions.courses import courses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts
from archgate.actions.schedule import schedule
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.core.states import Told
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment


def told_of(uow: UnitOfWork, run: Run, told: Sequence[Told] | None = None) -> list[str]:
    """Who hears of an enrollment: as said for this one, else as the run, else as the center has it."""
    for held in (told, run.told, courses.center_form(uow).told):
        if held is not None:
            return [str(who) for who in held]
    return []


def tell_of(
    uow: UnitOfWork, change: Change, enrollment: Enrollment, run: Run, told: Sequence[Told] | None
) -> None:
    """Write to those who hear of an enrollment."""
    hear = told_of(uow, run, told)
    if not hear:
        return
    person = enrollment.person
    if "learner" in hear:
        letter = letter_of(uow, enrollment, run)
        messages.write(uow, change, letter.email, letter.name, letter.subject, letter.body, person.id, run.id)
    subject = f"{person.name} on {run.title or run.course.title}"
    said = f"{person.name} is enrolled on {named(run)}{begins(uow, run)}."
    account = accounts.get_account(uow, enrollment.payer_id)
    for name, email, owes in others_told(uow, run, hear, [account]):
        body = f"{said}{owed_text(enrollment) if owes else ''}"
        messages.write(uow, change, email, name, subject, body, run_id=run.id)


def tell_of_many(uow: UnitOfWork, change: Change, enrollments: Sequence[Enrollment], run: Run) -> None:
    """Write to those who hear of the sign-ups of a list: to each learner, and one letter of all to everybody else."""
    hear = told_of(uow, run)
    if not hear or not enrollments:
        return
    if "learner" in hear:
        messages.write_all(uow, change, [letter_of(uow, e, run) for e in enrollments], run.id)
    many = f"{len(enrollments)} {'person' if len(enrollments) == 1 else 'people'}"
    names = "\n".join(e.person.name for e in enrollments[:200])
    more = f"\nand {len(enrollments) - 200} more" if len(enrollments) > 200 else ""
    body = f"{many} of a list are enrolled on {named(run)}{begins(uow, run)}:\n\n{names}{more}"
    accounts_of = [
        accounts.get_account(uow, number) for number in dict.fromkeys(e.payer_id for e in enrollments)
    ][:20]  # a list has one payer, or each person pays
    for name, email, _ in others_told(uow, run, hear, accounts_of):
        messages.write(
            uow, change, email, name, f"{many} on {run.title or run.course.title}", body, run_id=run.id
        )


def named(run: Run) -> str:
    return f"{run.title or run.course.title} ({run.code})"


def begins(uow: UnitOfWork, run: Run) -> str:
    first = next((m for m in schedule.ordered(run) if m.starts_at > uow.now), None)
    return f", from {day_text(first.date)} at {first.start:%H:%M}" if first else ""


def owed_text(enrollment: Enrollment) -> str:
    due = "".join(
        f"\n{format_amount(i.amount, enrollment.currency)} on {day_text(i.due)}"
        for i in enrollment.quote.installments
    )
    return f"\n\nWhat is due, in {enrollment.currency}:{due}" if due else ""


def letter_of(uow: UnitOfWork, enrollment: Enrollment, run: Run) -> messages.Letter:
    """What a learner is written of their sign-up: where, every date ahead, what is due when."""
    person = enrollment.person
    held = enrollment.hold_until.astimezone(uow.zone) if enrollment.hold_until else None
    until = (
        f"\n\nThe seat is held until {day_text(held.date())} at {held:%H:%M} for the first payment."
        if held
        else ""
    )
    body = (
        f"Dear {person.given or person.name},\n\nyou are enrolled on {named(run)}{begins(uow, run)}."
        f"{dates_text(uow, run)}{owed_text(enrollment)}{until}\n\n{uow.center.name}"
    )
    return messages.Letter(
        person.email, person.name, f"Enrolled on {run.title or run.course.title}", body, person.id
    )


def dates_text(uow: UnitOfWork, run: Run) -> str:
    """Every date ahead of a run with its place, as a letter lists them; a cohort's days, where it has no dates."""
    coming = [m for m in schedule.ordered(run) if m.ends_at > uow.now]
    lines = [f"- {messages.when_of(m)}" for m in coming]
    if run.starts_on and run.ends_on:
        lines.insert(0, f"- From {day_text(run.starts_on)} through {day_text(run.ends_on)}")
    if not lines:
        return f"\n\nPlace: {run.place.name}" if run.place else ""
    return "\n\nThe dates:\n" + "\n".join(lines)


def others_told(
    uow: UnitOfWork, run: Run, hear: list[str], payers: Sequence[Account]
) -> list[tuple[str, str | None, bool]]:
    """Who hears of sign-ups beside the learners: name, email, and whether money is their business."""
    found: list[tuple[str, str | None, bool]] = []
    if "payer" in hear:
        for account in payers:
            if account.organization_id:
                payer = uow.session.get_one(Organization, account.organization_id)
                found.append((payer.name, payer.email, True))
    if "instructors" in hear:
        teachers = {m.instructor for m in run.meetings if m.instructor}
        found += [(t.name, t.email, False) for t in sorted(teachers, key=lambda t: t.name)]
    if "office" in hear:
        found.append((uow.center.name, courses.center_form(uow).office_email, True))
    return found
