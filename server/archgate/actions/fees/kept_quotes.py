"""Kept quotes: a quote that stands for somebody through a day, word for word, whatever happens to the fees meanwhile.

It holds the price, not a seat. It is sent as a message, followed up by a reminder, and taken by enrolling from it.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from sqlalchemy import select

from archgate.actions.courses import courses
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import Ask, KeepCommand
from archgate.actions.fees.views import (
    KeptDone,
    KeptOut,
    KeptSent,
    RunQuoteView,
    quote_view,
    run_quote_view,
    seat_quote_view,
)
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import payments
from archgate.actions.people import people
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote
from archgate.core.schedule import day_text
from archgate.core.states import QuoteStatus
from archgate.papers.letters.occasions import QuoteKept
from archgate.papers.letters.writing import Letter, written
from archgate.papers.words import money_text
from archgate.tables.courses import Run
from archgate.tables.fees import KeptQuote
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.today import Reminder

USUAL_DAYS = 14
FOLLOW_UP = timedelta(days=3)  # before the last day


def usual_last(uow: UnitOfWork) -> date:
    """Through which day a quote is kept unless said otherwise."""
    return uow.today + timedelta(days=courses.center_form(uow).quote_days or USUAL_DAYS)


def keep(uow: UnitOfWork, command: KeepCommand) -> KeptSent:
    """Keep a quote for a person."""
    run, person = get_run(uow, command.run_id), people.get_person(uow, command.person_id)
    organization_id, note, follow_up = command.organization_id, command.note, command.follow_up
    last = command.last or usual_last(uow)
    faults = []
    if last < uow.today:
        faults.append(Fault("/last", "A quote cannot end before today."))
    if follow_up and not uow.today <= follow_up <= last:
        faults.append(Fault("/follow_up", f"Follow up from today through {day_text(last)}."))
    if command.send and not person.email:
        faults.append(Fault("/send", f"{person.name} has no email; read the quote out instead."))
    if lookups.lacks_organization(uow, organization_id):
        faults.append(Fault("/organization_id", lookups.NO_ORGANIZATION))
    if faults:
        raise Refused(faults)
    resolved = quotes.resolve_ask(uow, run, command, person)
    quotes.refuse_rates(uow, resolved, person, organization_id)
    quote = quotes.priced(uow, resolved)
    quotes.refuse_other_total(quote, command.total)
    row = KeptQuote(
        run_id=run.id,
        person_id=person.id,
        organization_id=organization_id,
        user_id=uow.user_id,
        ask=resolved.document,
        quote=quote,
        note=note,
        last=last,
        status=QuoteStatus.OPEN,
        kept_at=uow.now,
    )
    if follow_up is None and last > uow.today:
        follow_up = max(uow.today + timedelta(days=1), last - FOLLOW_UP)
    if follow_up:
        reminder = Reminder(
            user_id=uow.user_id,
            made_by=uow.user_id,
            run_id=run.id,
            person_id=person.id,
            day=follow_up,
            text=f"Quote of {money_text(quote.total, quote.currency)} for {person.name} stands through {day_text(last)}.",
            made_at=uow.now,
            done_at=None,
        )
        uow.session.add(reminder)
        uow.session.flush()
        row.reminder_id = reminder.id
    uow.session.add(row)
    uow.session.flush()
    change = uow.log(
        Act.KEEP_A_QUOTE,
        row.id,
        f"Kept a quote of {format_amount(quote.total, quote.currency)} on {run.code} for {person.name} through {day_text(last)}",
        run_id=run.id,
    )
    if command.send:
        messages.write(uow, change, messages.to_person(person), letter_of(uow, run, person, row), run.id)
    return kept_view(uow, row).widened(KeptSent, change=change.key, sent=command.send)


def letter_of(uow: UnitOfWork, run: Run, person: Person, row: KeptQuote) -> Letter:
    """A kept quote as a letter."""
    return written(
        QuoteKept(
            center=uow.center.name,
            name=person.name,
            run=messages.named(run),
            starts=run.meetings[0].date if run.meetings else None,
            quote=row.quote,
            today=uow.today,
            through=row.last,
            note=row.note,
        )
    )


def get_kept(uow: UnitOfWork, quote_id: int) -> KeptQuote:
    row = uow.session.get(KeptQuote, quote_id)
    if row is None:
        raise not_found("This quote")
    return row


def kept_view(uow: UnitOfWork, row: KeptQuote) -> KeptOut:
    run, person = uow.session.get_one(Run, row.run_id), uow.session.get_one(Person, row.person_id)
    return KeptOut(
        id=row.id,
        run_id=run.id,
        run=run.code,
        title=run.title or run.course.title,
        person_id=person.id,
        name=person.name,
        organization_id=row.organization_id,
        note=row.note,
        last=row.last,
        status="lapsed" if row.status == QuoteStatus.OPEN and row.last < uow.today else row.status,
        ask=Ask.model_validate(row.ask),
        quote=quote_view(row.quote),
        total=format_amount(row.quote.total, row.quote.currency),
        currency=row.quote.currency,
        kept_at=uow.local(row.kept_at),
        enrollment_id=row.enrollment_id,
    )


def list_kept(
    uow: UnitOfWork, person_id: int | None = None, run_id: int | None = None, every: bool = False
) -> list[KeptOut]:
    """Kept quotes by their last day: those that stand, or all."""
    query = select(KeptQuote).order_by(KeptQuote.last, KeptQuote.id)
    if not every:
        query = query.where(KeptQuote.status == QuoteStatus.OPEN, KeptQuote.last >= uow.today)
    for column, value in ((KeptQuote.person_id, person_id), (KeptQuote.run_id, run_id)):
        if value is not None:
            query = query.where(column == value)
    return [kept_view(uow, r) for r in uow.session.scalars(query.limit(300))]


def drop(uow: UnitOfWork, quote_id: int) -> KeptDone:
    """Drop a quote: it no longer stands, and nobody is reminded of it."""
    row = get_kept(uow, quote_id)
    if row.status != QuoteStatus.OPEN:
        raise conflict("not-open", f"This quote is {row.status}.")
    row.status = QuoteStatus.DROPPED
    settle_reminder(uow, row, done=True)
    name = uow.session.get_one(Person, row.person_id).name
    change = uow.log(Act.DROP_A_QUOTE, row.id, f"Dropped the quote for {name}", run_id=row.run_id)
    return kept_view(uow, row).widened(KeptDone, change=change.key)


def settle_reminder(uow: UnitOfWork, row: KeptQuote, done: bool) -> None:
    if row.reminder_id:
        uow.session.get_one(Reminder, row.reminder_id).done_at = uow.now if done else None


def standing(uow: UnitOfWork, quote_id: int, run: Run, person: Person) -> KeptQuote:
    """A quote that this person may sign up on now; refused with the reason."""
    row = get_kept(uow, quote_id)
    if (row.run_id, row.person_id) != (run.id, person.id):
        raise conflict("other-quote", "This quote was kept for another run or person.")
    if row.status != QuoteStatus.OPEN:
        raise conflict("not-open", f"This quote is {row.status}.")
    if row.last < uow.today:
        raise conflict("lapsed", f"This quote stood through {day_text(row.last)}.")
    return row


def quote_now(uow: UnitOfWork, row: KeptQuote, resolved: quotes.ResolvedAsk) -> AgreedQuote:
    """The quote as kept, with what is due if the sign-up were today."""
    due = quotes.due_of(uow, resolved, row.quote.total, uow.today)
    return replace(row.quote, next_change=None).due_as(due)


def kept_quote(uow: UnitOfWork, quote_id: int) -> RunQuoteView:
    """A kept quote as the desk shows it: its terms, what is due when signing up today, and whether there is a seat."""
    row = get_kept(uow, quote_id)
    run, person = get_run(uow, row.run_id), people.get_person(uow, row.person_id)
    standing(uow, quote_id, run, person)
    resolved = quotes.resolve_ask(uow, run, command_of(Ask, row.ask), person, as_kept=True)
    quote = quote_now(uow, row, resolved)
    words = payments.words_of(uow, run, person, row.organization_id)
    seat = quotes.seat_view(uow, resolved, quote.total, words)
    return run_quote_view(seat_quote_view(quote, seat), [])


def taken(uow: UnitOfWork, row: KeptQuote, enrollment: Enrollment) -> None:
    row.status, row.enrollment_id = QuoteStatus.TAKEN, enrollment.id
    settle_reminder(uow, row, done=True)


def open_again(uow: UnitOfWork, enrollment: Enrollment) -> None:
    """When a sign-up from a quote is taken back, the quote stands again."""
    row = uow.session.scalar(select(KeptQuote).where(KeptQuote.enrollment_id == enrollment.id))
    if row:
        row.status, row.enrollment_id = QuoteStatus.OPEN, None
        settle_reminder(uow, row, done=False)
