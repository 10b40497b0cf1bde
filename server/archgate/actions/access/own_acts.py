"""What a learner does on their own page: withdraw by the refund policy, keep their own data, change the password, make a calendar
address. By the session of the page, never by a number in the address alone."""

from __future__ import annotations

from sqlalchemy import delete

from archgate.actions.access import own_pages, staff
from archgate.actions.access.commands import OwnFactsCommand, OwnPasswordCommand, OwnWithdrawCommand
from archgate.actions.access.views import OwnFeed, OwnWithdrawn, Said
from archgate.actions.enrolling import freed
from archgate.actions.enrolling.commands import FreedSeat, WithdrawCommand
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, card_views, money
from archgate.actions.money.commands import PayByCardCommand
from archgate.actions.people import people
from archgate.actions.people.commands import PersonPatch
from archgate.actions.schedule import calendars, gates
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount, parse_amount
from archgate.core.states import Role, SeatGoes
from archgate.tables.courses import Run
from archgate.tables.money import CardPayment
from archgate.tables.own_pages import OwnPageSession
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment


def withdraw(
    uow: UnitOfWork, person: Person, enrollment_id: int, command: OwnWithdrawCommand
) -> OwnWithdrawn:
    """Give one's own seat back, at the sum that was shown: what the refund policy keeps, and what comes back as credit. The seat goes
    to whoever is next in line. Refused where somebody else pays, whose business the money is."""
    enrollment = uow.session.get(Enrollment, enrollment_id)
    if enrollment is None or enrollment.person_id != person.id:
        raise not_found("This sign-up")
    account = accounts.get_account(uow, enrollment.payer_id)
    run = uow.session.get_one(Run, enrollment.run_id)
    if account.person_id != person.id:
        raise conflict("other-payer", "Somebody else pays for this seat; please call us.")
    if not enrollment.holds_seat or enrollment.role is not Role.LEARNER:
        raise conflict("not-seated", "You no longer hold a seat here.")
    if gates.has_ended(run, uow.now):
        raise conflict("ended", "This course is over.")
    paid = money.paid_of(uow, [enrollment.id]).get(enrollment.id, 0)
    gone = freed.withdraw(uow, enrollment.id, WithdrawCommand(seat=FreedSeat(to=SeatGoes.NEXT)))
    if command.kept is not None and command.kept != gone.kept:
        raise conflict(
            "total-changed", f"What is kept was {command.kept} when it was shown and is {gone.kept} now."
        )
    kept = parse_amount(gone.kept, enrollment.currency)
    back = max(0, paid - kept)
    return OwnWithdrawn(
        title=run.title or run.course.title,
        currency=enrollment.currency,
        kept=gone.kept,
        back=format_amount(back, enrollment.currency),
        owed=format_amount(max(0, kept - paid), enrollment.currency),
        why=gone.why,
    )


def pay(uow: UnitOfWork, person: Person, command: PayByCardCommand) -> CardPayment:
    """Pay by card what one owes oneself: on the payment service's page, or from what is on file."""
    account = own_pages.own_account(uow, person)
    if account is None:
        raise refuse("/what", "Nothing is open on your account.")
    return card_views.pay(uow, account, command, own=True)


def change_facts(uow: UnitOfWork, person: Person, command: OwnFactsCommand) -> Said:
    """Keep one's own name and phone number; the email is what one signs in by, and is changed by the staff."""
    facts = {"given": command.given, "family": command.family, "phone": command.phone or None}
    try:
        people.change_person(uow, person.id, command_of(PersonPatch, {"set": facts}))
    except Refused as refused:
        raise Refused([Fault(f.at.removeprefix("/set"), f.message) for f in refused.faults]) from None
    return Said(said="Your data is kept.")


def change_password(
    uow: UnitOfWork, person: Person, token: str, command: OwnPasswordCommand, quick: bool
) -> Said:
    """Set another password, by the one that holds; other browsers are signed out."""
    row = own_pages.page_of(uow, person.id)
    if row is None or not row.password:
        raise Problem(401, "signed-out", "Sign in to see your page.")
    uow.session.refresh(row, with_for_update=True)
    if not staff.hasher(quick).verify(command.now, row.password):
        raise refuse("/now", "This is not the password you have now.")
    weak = staff.password_fault(command.password)
    if weak:
        raise refuse("/password", weak)
    if command.password.casefold() == row.email.casefold():
        raise refuse("/password", "The email is not a password.")
    row.password = staff.hasher(quick).hash(command.password)
    others = OwnPageSession.token_hash != staff.token_hash(token)
    uow.session.execute(delete(OwnPageSession).where(OwnPageSession.own_page_id == row.id, others))
    uow.log(Act.SET_A_PASSWORD, person.id, f"{person.name} changed the password of their own page")
    return Said(said="The password is changed; other browsers are signed out.")


def calendar(uow: UnitOfWork, person: Person, renew: bool) -> OwnFeed:
    """The secret address at which one's own dates stand as a calendar."""
    feed = calendars.feed_of(uow, calendars.OWN, person.id, renew, own=True)
    return OwnFeed(path=feed.path)
