"""Enrolling somebody: whether they may, at which price, in which seat; and naming the heads of a party."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import NoReturn

from sqlalchemy.orm.attributes import set_committed_value

from archgate.actions.enrolling import telling
from archgate.actions.enrolling.commands import EnrollCommand, PaidNow
from archgate.actions.enrolling.groups import Groups
from archgate.actions.enrolling.views import EnrolledView, LetterOut, NamedView, PaidView
from archgate.actions.fees import codes, kept_quotes, quotes, stock
from archgate.actions.fees import fees as run_fees
from archgate.actions.fees.commands import Ask
from archgate.actions.fees.views import quote_view
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import amount_of, command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.rows import put
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, cards, invoices, money, payments
from archgate.actions.money.commands import PartCommand, PaymentCommand
from archgate.actions.people import people
from archgate.actions.seats import made_of, parties, seats
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote
from archgate.core.rights import Right
from archgate.core.states import CardComes, EnrollmentStatus, Role, SignUp
from archgate.tables.base import Base
from archgate.tables.courses import Run
from archgate.tables.fees import EnrollmentExtra, Extra
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.seats import RunSeats

USUAL_HOLD = 48  # hours that a seat is held where the run does not say it


def payer_owner(
    uow: UnitOfWork, run: Run, person: Person, organization_id: int | None, payer_person_id: int | None = None
) -> str:
    """The account of whoever pays (`payments.owner_of`), or of another person; refused when there is no such payer."""
    if payer_person_id is not None:
        if organization_id is not None or run.client_id is not None:
            raise Problem(422, "two-payers", "One payer, please: a person or an organization.")
        return f"person:{people.get_person(uow, payer_person_id).id}"
    if lookups.lacks_organization(uow, organization_id):
        raise Problem(422, "no-organization", lookups.NO_ORGANIZATION)
    return payments.owner_of(run, person.id, organization_id) or f"person:{person.id}"


def refuse_twice(uow: UnitOfWork, run: Run, person: Person) -> parties.Ties:
    """Refuse somebody who is on the roster, or in line, already; else what ties them to the run."""
    ties = parties.ties_of(uow, run, person.id)
    refuse_tied(run, person, ties)
    return ties


def refuse_tied(run: Run, person: Person, ties: parties.Ties) -> None:
    if ties.enrolled:
        raise conflict("already-in", f"{person.name} is already on the roster of {run.code}.")
    if ties.waiting_id:
        raise conflict(
            "already-waiting", f"{person.name} waits for {run.code} already.", waiting_id=ties.waiting_id
        )


def enroll(
    uow: UnitOfWork,
    command: EnrollCommand,
    way_in: str = "desk",
    letters: bool = False,
    by_person: bool = False,
    others: Sequence[Person] | None = None,
    card: CardComes = CardComes.ON_FILE,
) -> EnrolledView:
    """Seat a party on a run, on the terms that were shown; heads without a name are named later.

    When the total has changed since it was shown, nothing is written and both are answered (409). The quote is kept word
    for word. With a kept quote its terms hold, whatever became of the fees since. `hold` keeps the seat only until the
    first payment; not said, as the run has it. With `letters` those that go out are shown. `by_person`: they did it themselves;
    `others` are the other heads, where they are known as people and not by their names; `card`: when a plan's payment details come.
    """
    person, expected = made_of.expect(uow, command.person_id, command.run_id)
    if expected and expected.full and command.held_place_id is None:
        refuse_full_run(uow, command, expected.run, expected.taken, person)
    if expected:
        money.look_ahead(uow, f"person:{person.id}", expected.run.currency)
    run, row = made_of.lock_run(uow, command.run_id)
    if row.taken >= run.capacity + run.overbook and command.held_place_id is None:
        refuse_full_run(uow, command, run, row.taken, person)
    early = quotes.EARLY if parties.told_early(uow, run, person.id) else ""
    special = quotes.special_of(uow, command.received_on, command.exception or early, command.set_aside_id)
    number = command.kept_quote_id
    kept = kept_quotes.standing(uow, number, run, person) if number else None
    organization_id = kept.organization_id if kept else command.organization_id
    state, ties = parties.seats_and_ties(uow, run, row.taken, person.id)
    refuse_tied(run, person, ties)
    group = command.set_aside_id
    if group is None and state.set_asides:
        group = seats.group_for(uow, run, person.id, organization_id)
    full = command.held_place_id is None and state.free_for(group) == 0
    refuse_sign_up(uow, run, state if full else None, special.exception)
    resolved = quotes.resolve_ask(
        uow, run, command_of(Ask, kept.ask) if kept else command, person, as_kept=kept is not None
    )
    owner = payer_owner(uow, run, person, organization_id, command.payer_person_id)
    payer = money.account_of(uow, owner, run.currency)
    if command.held_place_id is not None:
        seats.use_hold(uow, run, command.held_place_id, len(resolved.heads))
        state = seats.seats_of(uow, run, row)
        state = replace(state, waiting=())  # these seats were kept for them, whoever waits
    if kept:
        quotes.refuse_full(uow, resolved)
        priced = kept_quotes.quote_now(uow, kept, resolved)
    else:
        quotes.refuse_rates(uow, resolved, person, organization_id, special.received_on)
        priced = quotes.priced(uow, resolved, special.received_on)
    paying = people.get_person(uow, command.payer_person_id) if command.payer_person_id else person
    card_first = card_follows(uow, resolved, priced.total, paying, organization_id, card)
    if others is None:
        others = parties.people_named(uow, run, parties.names_typed(command.names), len(resolved.heads) - 1)
    coming = Coming(
        resolved,
        priced,
        person,
        payer,
        way_in,
        command.note,
        others=tuple(others),
        special=special,
        hold=command.hold,
        group_id=Groups(uow).of(run.id, command.group),
        card_first=card_first,
    )
    enrollment, seat = seat_at_price(uow, coming, state, command.total, group)
    if kept:
        kept_quotes.taken(uow, kept, enrollment)
    parties.leave_interest(uow, run, person.id, ties)
    act, said = (
        (Act.SIGN_UP, f"{person.name} signed up for {run.code}")
        if by_person
        else (Act.ENROLL, f"Enrolled {person.name} on {run.code}")
    )
    change = uow.log(act, enrollment.id, said, run_id=run.id)
    uow.session.flush()
    paid = pay_now(uow, enrollment, command.paid) if command.paid else None
    told = telling.tell_of(uow, change, enrollment, run, command.told, command.word)
    view = enrolled_view(uow, enrollment, seat, change, paid)
    if not letters:
        return view
    shown = [LetterOut(to=to.name, email=to.email, subject=x.subject, text=x.text) for to, x in told]
    return view.model_copy(update={"letters": shown})


def pay_now(uow: UnitOfWork, enrollment: Enrollment, paid: PaidNow) -> PaidView:
    """Take what is paid in the call, in the transaction that gives the seat: one without the other never stands. It settles this
    sign-up, its oldest installment first; what is more than it costs settles what else is oldest due, and is credit after."""
    uow.need(Right.TAKE_MONEY)
    faults: list[Fault] = []
    left = amount_of(paid.amount, enrollment.currency, "/paid/amount", faults) or 0
    if faults:
        raise Refused(faults)
    parts = []
    for i in sorted(enrollment.installments, key=lambda i: (i.due, i.n)):
        part = min(left, i.amount)
        left -= part
        if part:
            parts.append(PartCommand(id=i.id, amount=format_amount(part, enrollment.currency)))
    command = PaymentCommand(
        amount=paid.amount,
        method=paid.method,
        reference=paid.reference,
        anyway=paid.anyway,
        installments=parts if left == 0 else None,
    )
    try:
        done = accounts.take_payment(uow, enrollment.payer_id, command)
    except Refused as refused:
        raise Refused([Fault(f"/paid{f.at}", f.message) for f in refused.faults]) from None
    issued = invoices.receipt(uow, done.payment_id) if paid.receipt else None
    sent = invoices.send_if_possible(uow, issued.id) if issued else None
    return PaidView(
        payment_id=done.payment_id,
        amount=paid.amount,
        method=paid.method,
        receipt_id=issued.id if issued else None,
        receipt=issued.number if issued else None,
        sent_to=sent,
    )


def refuse_full_run(
    uow: UnitOfWork, command: EnrollCommand, run: Run, taken: int, person: Person
) -> NoReturn:
    """Refuse a sign-up for a run without a seat for anybody: whoever comes next is let at the row before it is said why."""
    uow.let_go()
    state, ties = parties.seats_and_ties(uow, run, taken, person.id)
    refuse_tied(run, person, ties)
    refuse_sign_up(uow, run, state, command.exception or "")
    raise conflict("full", core_seats.all_gone(state), place=len(state.waiting) + state.offers + 1)


@dataclass(frozen=True)
class Coming:
    """One enrollment on its way in: what is asked, at which price, who comes and who pays, and how it came about. `others` are
    the heads after the first that are named already; `hold`: the seat is held for the first payment only, or not; None as
    the run has it; `card_first`: it is held for payment details."""

    resolved: quotes.ResolvedAsk
    priced: AgreedQuote
    person: Person
    payer: Account
    way_in: str
    note: str = ""
    batch_id: int | None = None
    others: tuple[Person, ...] = ()
    special: quotes.Special = quotes.NOTHING_SPECIAL
    hold: bool | None = None
    group_id: int | None = None
    sentence_id: int | None = None
    order_number: str = ""
    contact: str = ""
    card_first: bool = False


def card_follows(
    uow: UnitOfWork,
    resolved: quotes.ResolvedAsk,
    total: int,
    paying: Person,
    organization_id: int | None,
    card: CardComes,
) -> bool:
    """Whether the seat is held until payment details are given. Where they must be on file, or cards are not taken, missing ones are
    refused."""
    if card is CardComes.ON_FILE or not cards.taken():
        quotes.refuse_missing_details(uow, resolved, total, paying, organization_id)
        return False
    if card is CardComes.ANEW:
        return quotes.needs_details(resolved, total)
    return quotes.details_missing(uow, resolved, total, paying, organization_id)


def seat_at_price(
    uow: UnitOfWork, coming: Coming, state: core_seats.Seats, total: str, group: int | None = None
) -> tuple[Enrollment, core_seats.Seated]:
    """Take seats of `state` and write the enrollment, if the total shown still holds; under the seat lock. `group` is the
    set-aside seats that whoever comes may take."""
    priced, run, heads = coming.priced, coming.resolved.run, len(coming.resolved.heads)
    quotes.refuse_other_total(priced, total)
    seat = core_seats.seats_for(state, heads, group)
    if isinstance(seat, core_seats.Waits):
        raise conflict("full", seat.why, place=seat.place)
    if isinstance(seat, core_seats.NoSeat):
        raise Problem(422, "too-large", seat.why)
    seats.take(uow, run.id, heads, priced.total)
    enrollment = seat_person(uow, coming, seat)
    hours = hold_hours(run, priced, coming.hold, coming.card_first)
    if hours is not None:
        enrollment.status, enrollment.hold_until = EnrollmentStatus.HELD, uow.now + timedelta(hours=hours)
        enrollment.card_first = coming.card_first
        uow.session.flush()
    return enrollment, seat


def hold_hours(run: Run, priced: AgreedQuote, hold: bool | None, card_first: bool) -> int | None:
    """For how many hours a seat is held until what is due at sign-up, or a card, has come; None where it is firm at once."""
    if card_first or (hold and priced.due_now > 0):
        return run.hold_hours or USUAL_HOLD
    return run.hold_hours if hold is None and priced.due_now > 0 else None


def enrolled_view(
    uow: UnitOfWork,
    enrollment: Enrollment,
    seat: core_seats.Seated,
    change: Change,
    paid: PaidView | None = None,
) -> EnrolledView:
    run = get_run(uow, enrollment.run_id)
    return EnrolledView(
        enrollment_id=enrollment.id,
        run_id=run.id,
        person_id=enrollment.person_id,
        name=enrollment.person.name,
        seat=seat.first,
        heads=enrollment.heads,
        capacity=run.capacity,
        held_until=uow.local(enrollment.hold_until),
        change=change.key,
        quote=quote_view(enrollment.quote),
        payment=paid,
    )


def refuse_sign_up(uow: UnitOfWork, run: Run, full: core_seats.Seats | None, exception: str = "") -> None:
    """Refuse, with the reason, when the run takes no sign-up at this moment; staff may all the same, with a reason: before it opens,
    after its close, and while the run is off sale.
    `full`: its seats, where none is free for whoever signs up."""
    state, why = run_fees.sign_up_of(uow, run, full is not None)
    if exception and run.known and state in (SignUp.CLOSED, SignUp.NOT_YET):
        return
    if full is not None and state is SignUp.FULL:
        seat = core_seats.seats_for(full, 1)
        sentence = seat.why if isinstance(seat, core_seats.Waits) else f"All {full.whole} seats are taken."
        raise conflict("full", sentence, place=len(full.waiting) + full.offers + 1)
    if state is not SignUp.OPEN:
        raise conflict("sign-up-shut", why)


def seat_person(uow: UnitOfWork, coming: Coming, seat: core_seats.Seated | None = None) -> Enrollment:
    """Write one enrollment with all that belongs to it."""
    return seat_people(uow, [(coming, seat)])[0]


def seat_people(
    uow: UnitOfWork, seated: Sequence[tuple[Coming, core_seats.Seated | None]]
) -> list[Enrollment]:
    """Write enrollments with their installments, their codes, their stock and their charges, by one statement a table however
    many they are; the caller holds the seat rows and counts."""
    enrollments = [enrollment_of(uow, coming, seat) for coming, seat in seated]
    put(uow, enrollments)
    places: list[Base] = []
    extras: list[Base] = []
    dues: list[Base] = []
    for enrollment, (coming, _) in zip(enrollments, seated, strict=True):
        parts = parts_of(uow, enrollment, coming)
        for whole, part in zip((places, extras, dues), parts.values(), strict=True):
            whole.extend(part)
        for name, rows in parts.items():
            set_committed_value(enrollment, name, rows)
    for rows in (places, extras, dues):
        put(uow, rows)
    for enrollment, (coming, _) in zip(enrollments, seated, strict=True):
        if coming.resolved.code:
            off = -sum(x.amount for x in coming.priced.of_kind("code"))
            codes.take(uow, coming.resolved.code, enrollment, off)
        stock.take_for(uow, enrollment, back=False, cause=f"{coming.person.name}, {coming.resolved.run.code}")
    causes = [f"{c.person.name}, {c.resolved.run.code}, {c.resolved.heads[0].label}" for c, _ in seated]
    money.charge_all(uow, list(zip(enrollments, causes, strict=True)))
    return enrollments


def enrollment_of(uow: UnitOfWork, coming: Coming, seat: core_seats.Seated | None) -> Enrollment:
    resolved, priced, special = coming.resolved, coming.priced, coming.special
    run, heads = resolved.run, resolved.heads
    return Enrollment(
        run_id=run.id,
        person_id=coming.person.id,
        payer_id=coming.payer.id,
        rate_id=heads[0].id,
        plan_id=resolved.plan.id,
        batch_id=coming.batch_id,
        user_id=uow.by,
        group_id=coming.group_id,
        sentence_id=coming.sentence_id,
        status=EnrollmentStatus.SEATED,
        set_aside_id=seat.set_aside if seat else None,
        received_on=special.received_on,
        exception=special.exception,
        way_in=coming.way_in,
        heads=len(heads),
        note=coming.note[:5000],
        signed_up=uow.today,
        enrolled_at=uow.now,
        currency=run.currency,
        total=priced.total,
        quote=priced,
        order_number=coming.order_number,
        contact=coming.contact,
    )


def parts_of(uow: UnitOfWork, enrollment: Enrollment, coming: Coming) -> dict[str, list[Base]]:
    """The other heads of an enrollment that has its number, its extras and its installments, not yet written."""
    priced, number = coming.priced, enrollment.id
    known = [p.id for p in coming.others]
    if priced.installments:
        first = min(i.due for i in priced.installments)
        uow.touched.note_opened(coming.payer.id, sum(i.amount for i in priced.installments), first)
    return {
        "places": [
            PartyPlace(
                enrollment_id=number,
                n=n,
                rate_id=rate.id,
                person_id=known[n - 2] if n - 2 < len(known) else None,
            )
            for n, rate in enumerate(coming.resolved.heads[1:], 2)
        ],
        "extras": [
            EnrollmentExtra(enrollment_id=number, extra_id=extra.id, quantity=count)
            for extra, count in taken_along(coming.resolved.run, priced)
        ],
        "installments": [
            Installment(
                enrollment_id=number, n=i.n, due=i.due, amount=i.amount, settle=i.settle, why=i.why,
                payer_id=coming.payer.id, open=i.amount,
            )
            for i in priced.installments
        ],
    }  # fmt: skip


def taken_along(run: Run, quote: AgreedQuote) -> list[tuple[Extra, int]]:
    """The extras that a quote charges for, required ones included."""
    rows = {x.code: x for x in run.extras}
    return [(rows[line.code], line.quantity) for line in quote.of_kind("extra")]


def refuse_no_learner(enrollment: Enrollment) -> None:
    """Refuse what only somebody with a seat can do: not seated any more, or on the roster in another role."""
    if not enrollment.holds_seat:
        raise conflict("not-seated", "This person no longer holds a seat here.")
    if enrollment.role != Role.LEARNER:
        raise conflict("no-learner", f"{enrollment.person.name} is {enrollment.role} here and holds no seat.")


def locked_enrollment(uow: UnitOfWork, enrollment_id: int) -> tuple[Enrollment, Run, RunSeats]:
    """An enrollment read under its run's seat lock."""
    enrollment = uow.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    run = get_run(uow, enrollment.run_id)
    row = seats.lock_seats(uow, run)
    uow.session.refresh(enrollment)
    return enrollment, run, row


def name_place(uow: UnitOfWork, enrollment_id: int, n: int, person_id: int) -> NamedView:
    """Name a head of a party; nobody sits twice on one run."""
    person = people.present(uow, person_id)
    enrollment, run, _ = locked_enrollment(uow, enrollment_id)
    if not enrollment.holds_seat:
        raise conflict("not-seated", "This party no longer holds its seats.")
    place = next((p for p in enrollment.places if p.n == n), None)
    if place is None:
        raise not_found("This place of the party")
    refuse_twice(uow, run, person)
    place.person_id = person.id
    change = uow.log(
        Act.NAME_A_HEAD,
        enrollment.id,
        f"Named {person.name} as head {n} of the party of {enrollment.person.name} on {run.code}",
        run_id=run.id,
    )
    return NamedView(change=change.key, enrollment_id=enrollment.id, n=n, name=person.name)


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.NAME_A_HEAD)
def undo_name(uow: UnitOfWork, change: Change) -> None:
    """Take a named head back, if nobody else was named there since."""
    row = next(r for r in change.rows if r["table"] == "party_places")
    place = uow.session.get_one(PartyPlace, row["id"])
    before, after = row["before"] or {}, row["after"] or {}
    if place.person_id != after.get("person_id"):
        raise conflict("moved-on", "Somebody else was named there since.")
    earlier = before.get("person_id")
    place.person_id = earlier if isinstance(earlier, int) else None
