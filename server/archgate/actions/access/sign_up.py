"""Signing up without the staff: onto a run, into its line, onto an interest list.

The rules are those of the desk. What depends on who somebody is (whether they are on the run already, wait for it, have used a
code, may have a member's rate) is said only to whoever is signed in to their own page; to anybody else every answer is the
same, and the letter to the address they gave says the rest. So no address can be asked about.
"""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import func, select

from archgate.actions.access import access_codes, confirming, own_pages
from archgate.actions.access import sign_up_form as form
from archgate.actions.access.public_commands import (
    InterestedCommand,
    PublicPerson,
    SignUpCommand,
    WaitCommand,
)
from archgate.actions.access.public_views import (
    InterestForm,
    SignedUp,
)
from archgate.actions.access.showing import Looker
from archgate.actions.courses import courses
from archgate.actions.enrolling import enrollments, interest, offers, telling, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, InterestCommand, JoinCommand
from archgate.actions.fees import codes, quotes
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_course
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.people import people
from archgate.actions.seats import made_of, parties, seats
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.names import folded
from archgate.core.quotes import AgreedQuote
from archgate.core.schedule import day_text
from archgate.core.states import CardComes, HoldStatus, Told, WayIn
from archgate.core.waitlist import Party, chances_of
from archgate.papers.letters.occasions import InLine, Interested, NotSignedUp
from archgate.papers.letters.writing import written
from archgate.tables.catalog import AccessCode
from archgate.tables.courses import Course, Run
from archgate.tables.log import Change
from archgate.tables.money import CardPayment
from archgate.tables.own_pages import OwnPage
from archgate.tables.people import Person
from archgate.tables.seats import HeldPlace
from archgate.tables.waitlist import Interest

WRITTEN = "We have written to {email}. The letter is your confirmation: please read it."


# --- who it is ------------------------------------------------------------------------------------------------


def person_faults(command: PublicPerson | InterestedCommand) -> list[Fault]:
    facts = {"given": command.given, "family": command.family, "email": command.email, "phone": command.phone}
    faults = people.person_faults(facts, "")
    if not command.email:
        faults.append(Fault("/email", "The email is missing."))
    return faults


def answer_faults(questions: list[str], answers: dict[str, str]) -> list[Fault]:
    return [
        Fault(f"/answers/{n}", "Please answer this.")
        for n, question in enumerate(questions)
        if not answers.get(question, "").strip()
    ]


def known(uow: UnitOfWork, given: str, family: str, email: str) -> Person | None:
    """The person of exactly this name and email, if there is one; the first of several."""
    name = folded(f"{given} {family}".strip())
    query = select(Person).where(Person.folded == name, Person.email == email, Person.there())
    return uow.session.scalar(query.order_by(Person.id).limit(1))


def person_of(uow: UnitOfWork, command: PublicPerson | InterestedCommand, looker: Looker) -> Person:
    """Who signs up: whoever is signed in, else the person of this name and email, else somebody new. A record that is there is not
    changed by what a stranger types."""
    if looker.person is not None:
        return looker.person
    return known_or_added(uow, command.given, command.family, command.email, command.phone)


def known_or_added(uow: UnitOfWork, given: str, family: str, email: str, phone: str) -> Person:
    return known(uow, given, family, email) or added(uow, given, family, email, phone)


def added(uow: UnitOfWork, given: str, family: str, email: str | None, phone: str) -> Person:
    person = people.new_person(given, family, email, phone or None, "", uow)
    uow.session.add(person)
    uow.session.flush()
    return person


# --- signing up -----------------------------------------------------------------------------------------------


def sign_up(uow: UnitOfWork, run_id: int, command: SignUpCommand, looker: Looker) -> SignedUp:
    """Sign somebody up at the total that was shown, in the seats kept for them or in free ones. Refused by the rules of the desk;
    what only the person themselves may know goes to their address."""
    ahead = made_of.look_ahead(uow, run_id)
    there = form.found(uow, run_id, looker, command.access_code, command.key)
    refuse_person_and_answers(uow, there.run, command)
    refuse_shut(uow, there, bool(command.kept), ahead)
    person = person_of(uow, command, looker)
    made = form.resolved(uow, there.run, command, looker.person)
    others = names_given(uow, command.names, len(made.heads) - 1)
    run, row = made_of.lock_run(uow, run_id)
    held = form.held_by(uow, run, command.kept)
    if held is None and seats.seats_of(uow, run, row).free == 0:
        # Whoever stood in line for the lock in vain gives it back at once.
        raise conflict("full", "All seats are taken; you can wait for one.")
    private = private_reason(uow, run, made, person)
    if private:
        if looker.person is not None:
            raise conflict("private", private)
        return not_signed_up(uow, run, made, person, private, held, command)
    if there.code is not None:
        use_code(uow, run, there.code)
    if held is not None and held.seats != len(made.heads):
        held = settle_hold(uow, run, held, len(made.heads))
    body = {
        **made.document,
        "run_id": run.id,
        "person_id": person.id,
        "total": command.total,
        "note": command.note,
        "held_place_id": held.id if held else None,
        "told": [*dict.fromkeys([Told.LEARNER, *telling.told_of(uow, run)])],
        "word": calendar_word(run),
    }
    body = {k: v for k, v in body.items() if v is not None}
    way = WayIn.CODE if there.code is not None else WayIn.PURCHASE
    card = CardComes.ANEW if looker.person is None else CardComes.FOLLOWS
    done = enrollments.enroll(
        uow, command_of(EnrollCommand, body), way, by_person=True, others=others, card=card
    )
    enrollment = uow.session.get_one(enrollments.Enrollment, done.enrollment_id)
    enrollment.access_code_id = there.code.id if there.code else None
    enrollment.answers = agreed_answers(uow, run, command)
    uow.session.flush()
    first_letter(uow, person)
    if enrollment.total:
        confirming.queue_invoice(uow, enrollment, done.change)
    pay = confirming.payment_now(uow, run, enrollment.quote, enrollment, enrollment.card_first)
    return signed_up(uow, run, enrollment.quote, command.email, uow.local(enrollment.hold_until), pay)


def refuse_person_and_answers(uow: UnitOfWork, run: Run, command: SignUpCommand) -> None:
    faults = person_faults(command) + answer_faults(run.questions, command.answers)
    mark = form.terms_mark(courses.center_form(uow).terms or "")
    if mark and command.terms != mark:
        faults.append(Fault("/terms", "Please read the terms and agree to them."))
    if faults:
        raise Refused(faults)


def refuse_shut(uow: UnitOfWork, there: form.Found, kept: bool, ahead: made_of.Expected | None) -> None:
    """Refuse before anything is locked or written: sign-up shut, not for whoever asks, or no seat for anybody. So nobody stands in line
    for the run's lock in vain, as far as can be seen from here."""
    full = ahead is not None and ahead.full
    if not full and not kept:
        full = seats.seats_of(uow, there.run).free == 0
    _, _, reasons = form.now_of(uow, there, full)
    if reasons:
        raise conflict("sign-up-shut", reasons[0].public)
    if full and not kept:
        raise conflict("full", "All seats are taken; you can wait for one.")


def names_given(uow: UnitOfWork, names: list[str], most: int) -> tuple[Person, ...]:
    """The other heads by the names that were typed. They are new records always: whom the center knows is not to be asked."""
    typed = parties.names_typed(names)
    if len(typed) > most:
        raise Refused([Fault("/names", f"There are {most} others; {len(typed)} names are given.")])
    others = []
    for n, text in enumerate(typed):
        given, family, email = parties.name_parts(text)
        wrong = "A name is missing." if not family else people.email_fault(email) if email else None
        if wrong:
            raise Refused([Fault(f"/names/{n}", wrong)])
        others.append(added(uow, given, family, email, ""))
    return tuple(others)


def private_reason(uow: UnitOfWork, run: Run, made: quotes.ResolvedAsk, person: Person) -> str:
    """Why exactly this person cannot sign up, which is nobody else's business; empty when they can."""
    ties = parties.ties_of(uow, run, person.id)
    if ties.enrolled:
        return "You are on this course date already."
    if ties.waiting_id:
        return "You wait for a seat on this course date already."
    try:
        codes.refuse_person(uow, made.code, person.id)
    except Refused as refused:
        return refused.faults[0].message.replace("This person has", "You have")
    return ""


def not_signed_up(
    uow: UnitOfWork,
    run: Run,
    made: quotes.ResolvedAsk,
    person: Person,
    why: str,
    held: HeldPlace | None,
    command: SignUpCommand,
) -> SignedUp:
    """The same answer as if it had been done, and a letter that says why not; nothing else is written. What a stranger may see is
    refused first: the total that changed, the seat that is gone."""
    priced = quotes.priced(uow, made)
    quotes.refuse_other_total(priced, command.total)
    state = seats.seats_of(uow, run)
    if held is None and not isinstance(core_seats.seats_for(state, len(made.heads)), core_seats.Seated):
        raise conflict("full", "All seats are taken; you can wait for one.")
    if held is not None:
        held.status, held.ended_at = HoldStatus.RELEASED, uow.now
    write_why_not(uow, run, person, why, f"Somebody signed up for {run.code} once more")
    card_first = quotes.needs_details(made, priced.total)
    hours = enrollments.hold_hours(run, priced, None, card_first)
    until = uow.now + timedelta(hours=hours) if hours else None
    pay = confirming.payment_now(uow, run, priced, None, card_first)
    return signed_up(uow, run, priced, command.email, uow.local(until), pay)


def write_why_not(uow: UnitOfWork, run: Run, person: Person, why: str, what: str) -> None:
    """Tell only the person themselves why nothing was done, by a letter to the address that is known of them."""
    change = uow.log(Act.KEEP_A_SEAT, run.id, f"{what}; {person.name} was written to")
    letter = NotSignedUp(uow.center.name, person.given or person.name, messages.named(run), why)
    messages.write(uow, change, messages.to_person(person), written(letter), run.id)


def use_code(uow: UnitOfWork, run: Run, code: AccessCode) -> None:
    """Count one use of a code, under the run's lock; of two at once for its last use the second hears that it is used up."""
    uow.session.refresh(code)
    if access_codes.why_not(uow, code):
        raise Refused([Fault("/access_code", "This code lets nobody in any more.")])
    code.used += 1
    uow.session.flush()


def settle_hold(uow: UnitOfWork, run: Run, held: HeldPlace, heads: int) -> HeldPlace | None:
    """Seats kept for another number of people: fewer are let go of, more come from what is free, as far as it is."""
    more = heads - held.seats
    if more > 0 and more > seats.seats_of(uow, run).free:
        held.status, held.ended_at = HoldStatus.RELEASED, uow.now
        uow.session.flush()
        return None
    held.seats = heads
    uow.session.flush()
    return held


def agreed_answers(uow: UnitOfWork, run: Run, command: SignUpCommand) -> dict[str, str]:
    """The answers to the run's questions, and to which terms they agreed, when."""
    answers = {q: command.answers[q].strip() for q in run.questions if command.answers.get(q, "").strip()}
    if command.terms:
        answers["Agreed to the terms"] = f"{day_text(uow.today)}, wording {command.terms}"
    return answers


def calendar_word(run: Run) -> str:
    if not run.meetings:
        return ""
    return f"All dates as a calendar file:\n{signing.address()}/catalog/runs/{run.id}/dates.ics"


def first_letter(uow: UnitOfWork, person: Person) -> None:
    """Invite somebody new to their own page; whoever has one, or shares an address with one who has, is not written to again."""
    if not person.email:
        return
    has = select(func.count()).select_from(OwnPage)
    if uow.session.scalar(has.where((OwnPage.person_id == person.id) | (OwnPage.email == person.email))):
        return
    own_pages.send_invitation(uow, person, person.email, None)


def signed_up(
    uow: UnitOfWork,
    run: Run,
    priced: AgreedQuote,
    email: str,
    held_until: str | None,
    pay: CardPayment | None = None,
) -> SignedUp:
    return SignedUp(
        title=run.title or run.course.title,
        said=WRITTEN.format(email=email),
        email=email,
        total=format_amount(priced.total, priced.currency),
        currency=priced.currency,
        dues=form.dues_of(priced),
        held_until=held_until,
        calendar=f"/catalog/runs/{run.id}/dates.ics" if run.meetings else "",
        pay=pay.key if pay else None,
        pay_now=format_amount(pay.amount, pay.currency) if pay else None,
    )


# --- the line and the lists -----------------------------------------------------------------------------------


def wait(uow: UnitOfWork, run_id: int, command: WaitCommand, looker: Looker) -> SignedUp:
    """Put somebody in line for a full run, with the place and the chance they have. The answer is the same for whoever is in line,
    or on the run, already."""
    there = form.found(uow, run_id, looker, command.access_code, command.key)
    faults = person_faults(command) + answer_faults(there.run.questions, command.answers)
    if faults:
        raise Refused(faults)
    refuse_waiting(uow, there)
    person = person_of(uow, command, looker)
    made = form.resolved(uow, there.run, command, looker.person)
    run = seats.run_to_change(uow, run_id)
    state = seats.seats_of(uow, run)
    seat = core_seats.seats_for(state, len(made.heads))
    if isinstance(seat, core_seats.Seated):
        raise conflict("free", "Seats are free again; sign up instead.")
    if isinstance(seat, core_seats.NoSeat):
        raise Refused([Fault("/people", seat.why)])
    private = private_reason(uow, run, made, person)
    answer = waits(uow, run, made, command.email, seat.place, state)
    if private:
        if looker.person is not None:
            raise conflict("private", private)
        write_why_not(uow, run, person, private, f"Somebody joined the line of {run.code} once more")
        return answer
    body = {
        **made.document,
        "run_id": run.id,
        "person_id": person.id,
        "note": command.note,
        "answers": {q: a for q, a in command.answers.items() if q in run.questions},
    }
    lined = waitlist.join(uow, command_of(JoinCommand, {k: v for k, v in body.items() if v is not None}))
    change = uow.entries[-1]
    letter_of_line(uow, run, person, lined.place, answer.chance, change)
    return answer


def refuse_waiting(uow: UnitOfWork, there: form.Found) -> None:
    """Refuse whoever could not sign up either, if there were seats."""
    _, _, reasons = form.now_of(uow, there, True)
    if reasons:
        raise conflict("sign-up-shut", reasons[0].public)


def waits(
    uow: UnitOfWork, run: Run, made: quotes.ResolvedAsk, email: str, place: int, state: core_seats.Seats
) -> SignedUp:
    priced = quotes.priced(uow, made)
    answer = signed_up(uow, run, priced, email, None)
    said = chance_text(uow, run, len(made.heads), state)
    return answer.model_copy(update={"place": place, "chance": said, "dues": [], "calendar": ""})


def chance_text(uow: UnitOfWork, run: Run, heads: int, state: core_seats.Seats) -> str:
    """The honest chance of a party that joins the line now, in words: between what it lies, and how sure that is."""
    leaving = offers.leave_rate(uow)
    line = [seats.party(w) for w in seats.line_of(uow, run.id, offered=True)]
    mine = Party(0, heads, uow.now, 0)
    out = state.whole - state.free
    low, high = (
        chances_of([*line, mine], state.whole, out, rate)[-1] for rate in (leaving.range[0], leaving.range[1])
    )
    return offers.chance_said(str(low), str(high))


def letter_of_line(
    uow: UnitOfWork, run: Run, person: Person, place: int, chance: str, change: Change
) -> None:
    letter = written(InLine(uow.center.name, person.given or person.name, messages.named(run), place, chance))
    messages.write(uow, change, messages.to_person(person), letter, run.id)


def interested(
    uow: UnitOfWork, course_id: int | None, run_id: int | None, command: InterestedCommand, looker: Looker
) -> SignedUp:
    """Put somebody on the interest list of a run that is not open yet, or of a course. It is not a sign-up, and the answer says so; it is
    the same for whoever is on the list already."""
    run = form.found(uow, run_id, looker, "", command.key).run if run_id is not None else None
    course = run.course if run is not None else public_course(uow, course_id or 0)
    questions = run.questions if run is not None else course.questions
    faults = person_faults(command) + answer_faults(questions, command.answers)
    if faults:
        raise Refused(faults)
    if run is not None:
        shut = interest.takes_names(uow, run)
        if shut:
            raise conflict("list-shut", shut.replace("enroll them instead", "sign up instead"))
    person = person_of(uow, command, looker)
    body = {
        **({"run_id": run.id} if run is not None else {"course_id": course.id}),
        "person_id": person.id,
        "answers": {q: a for q, a in command.answers.items() if q in questions},
    }
    listed = select(Interest.id).where(
        Interest.list_key == interest.list_key(run, course),
        Interest.person_id == person.id,
        Interest.live == 1,
    )
    if uow.session.scalar(listed) is None:
        interest.show_interest(uow, command_of(InterestCommand, body))
        letter = written(Interested(uow.center.name, person.given or person.name, course.title))
        messages.write(uow, uow.entries[-1], messages.to_person(person), letter, run.id if run else None)
    return SignedUp(
        title=(run.title if run else "") or course.title,
        said=f"You will hear at {command.email} when sign-up opens. You are not signed up, and you owe nothing.",
        email=command.email,
        total="0.00",
        currency=uow.center.currency,
        dues=[],
        held_until=None,
        calendar="",
    )


def public_course(uow: UnitOfWork, course_id: int) -> Course:
    """A course that has a public page; another is as if it were not there."""
    course = get_course(uow, course_id)
    if course.published_n is None:
        raise not_found("This course")
    return course


def interest_form(uow: UnitOfWork, course_id: int, looker: Looker) -> InterestForm:
    """What the form of a course's interest list asks."""
    course, person = public_course(uow, course_id), looker.person
    return InterestForm(
        course_id=course.id,
        title=course.title,
        center=uow.center.name,
        questions=course.questions,
        person=(person.given or person.name) if person else None,
        email=person.email if person else None,
        phone=person.phone if person else None,
        given=person.given if person else "",
        family=person.family if person else "",
    )
