"""The line of a full run: join it, leave it, and seat the next by hand. Offers to it are `actions.offers`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import time

from archgate.actions.enrolling import enrollments, leaving
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.enrolling.groups import Groups
from archgate.actions.enrolling.line_views import LeftView, LinedView
from archgate.actions.enrolling.views import EnrolledView
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import Ask, HeadsAsked
from archgate.actions.fees.views import SeatQuoteView
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import cards, money
from archgate.actions.people import people
from archgate.actions.seats import parties, seats
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.schedule import moment_of
from archgate.core.states import EnrollmentStatus, LineStatus, RunStatus, WayIn
from archgate.core.waitlist import Rule, next_that_fits
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting


def join(uow: UnitOfWork, command: JoinCommand) -> LinedView:
    """Put a party in line with what it asks for: at the end, or where the day its form came in puts it. Refused while
    there is a seat for it. A head start is a rank before others and needs a reason."""
    person, run = people.present(uow, command.person_id), seats.run_to_change(uow, command.run_id)
    organization_id, head_start = command.organization_id, command.head_start
    early = quotes.EARLY if parties.told_early(uow, run, person.id) else ""
    special = quotes.special_of(uow, command.received_on, command.exception or early)
    if head_start and not special.exception:
        raise refuse("/head_start", "A head start is a rank up to 100, with a reason.")
    resolved = quotes.resolve_ask(uow, run, command, person)
    enrollments.refuse_twice(uow, run, person)
    quotes.refuse_rates(uow, resolved, person, organization_id, special.received_on)
    quotes.terms_for(uow, resolved)
    state = seats.seats_of(uow, run)
    enrollments.refuse_sign_up(uow, run, None, special.exception)
    group = seats.group_for(uow, run, person.id, organization_id)
    seat = core_seats.seats_for(state, len(resolved.heads), group)
    if isinstance(seat, core_seats.NoSeat):
        raise Problem(422, "too-large", seat.why)
    if isinstance(seat, core_seats.Seated):
        raise conflict("seat-free", f"There is a seat; {person.name} can be enrolled at once.")
    payer = money.account_of(
        uow,
        enrollments.payer_owner(uow, run, person, organization_id, command.payer_person_id),
        run.currency,
    )
    group_id = Groups(uow).of(run.id, command.group)
    row = waiting_of(uow, resolved, person, payer, command.note, "desk", group_id=group_id)
    uow.session.add(row)
    uow.session.flush()
    parties.leave_interest(uow, run, person.id)
    if special.received_on:
        row.joined_at = moment_of(special.received_on, time(12), uow.zone)
    row.head_start, row.answers = head_start, read_answers(run.questions, command.answers)
    uow.session.flush()
    change = uow.log(Act.WAIT, row.id, f"{person.name} waits for {run.code}", run_id=run.id)
    line = seats.line_of(uow, run.id, offered=True)
    return LinedView(
        waiting_id=row.id,
        run_id=run.id,
        person_id=person.id,
        name=person.name,
        place=next(n for n, w in enumerate(line, 1) if w.id == row.id),
        heads=len(resolved.heads),
        change=change.key,
    )


def read_answers(questions: list[str], given: Mapping[str, str] | None) -> dict[str, str]:
    """Answers to a run's own questions, by question; what was not asked is refused."""
    answers = given or {}
    unknown = [q for q in answers if q not in questions]
    if unknown:
        raise refuse("/answers", f'"{unknown[0][:60]}" is not asked here.')
    if any(len(a) > 1000 for a in answers.values()):
        raise refuse("/answers", "An answer is a text of up to 1000 characters.")
    return {q: a.strip() for q, a in answers.items() if a.strip()}


def waiting_of(
    uow: UnitOfWork,
    resolved: quotes.ResolvedAsk,
    person: Person,
    payer: Account,
    note: str,
    way_in: str,
    batch_id: int | None = None,
    sentence_id: int | None = None,
    group_id: int | None = None,
    order_number: str = "",
    contact: str = "",
) -> Waiting:
    """A place in line, not yet written. Group, purchase order and contact are kept for the seat."""
    return Waiting(
        run_id=resolved.run.id,
        person_id=person.id,
        payer_id=payer.id,
        rate_id=resolved.heads[0].id,
        plan_id=resolved.plan.id,
        batch_id=batch_id,
        sentence_id=sentence_id,
        group_id=group_id,
        order_number=order_number,
        contact=contact,
        user_id=uow.by,
        status=LineStatus.WAITING,
        way_in=way_in,
        heads=len(resolved.heads),
        joined_at=uow.now,
        note=note,
        ask=resolved.document,
    )


def locked(uow: UnitOfWork, waiting_id: int) -> tuple[Waiting, Run]:
    """A party in line, read under its run's seat lock."""
    row = uow.session.get(Waiting, waiting_id)
    if row is None:
        raise not_found("This place in line")
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    if row.status not in (LineStatus.WAITING, LineStatus.OFFERED):
        raise conflict("not-waiting", f"{row.person.name} no longer waits for {run.code}.")
    return row, run


def leave(uow: UnitOfWork, waiting_id: int) -> LeftView:
    """Take a party out of the line."""
    row, run = locked(uow, waiting_id)
    row.status, row.ended_at = LineStatus.LEFT, uow.now
    change = uow.log(
        Act.LEAVE_THE_LINE, row.id, f"{row.person.name} left the line of {run.code}", run_id=run.id
    )
    return LeftView(change=change.key, waiting_id=row.id, name=row.person.name, run_id=run.id)


def seat_quote(uow: UnitOfWork, waiting_id: int) -> SeatQuoteView:
    """What seating a party now would cost, on its own rate and plan."""
    row = uow.session.get(Waiting, waiting_id)
    if row is None:
        raise not_found("This place in line")
    return quotes.sign_up_quote(uow, resolve_ask(uow, get_run(uow, row.run_id), row))


def resolve_ask(uow: UnitOfWork, run: Run, row: Waiting) -> quotes.ResolvedAsk:
    """What a party asked for when it joined the line; rates and plan hold for it also when taken off the run since."""
    usual = Ask(people=[HeadsAsked(rate_id=row.rate_id, count=row.heads)], plan_id=row.plan_id)
    return quotes.resolve_ask(
        uow, run, command_of(Ask, row.ask) if row.ask else usual, row.person, as_kept=True
    )


def refuse_out_of_turn(uow: UnitOfWork, run: Run, row: Waiting, state: core_seats.Seats, why: str) -> None:
    """Refuse a party whom the free seats do not fit, and one that is not next unless there is a reason."""
    line = [w for w in seats.line_of(uow, run.id) if not w.by_hand]
    group = group_of(uow, run, row)
    own, free = state.left_of(group), state.free_for(group)
    if own and row.heads <= min(own, free):
        return
    if row.heads > free:
        raise conflict("full", f"No seat is free for {row.person.name}; {free} of {state.whole} are free.")
    if len(why) > 500:
        raise refuse("/why", "The reason is longer than 500 characters.")
    following = next_that_fits([seats.party(w) for w in line], state.free, Rule(run.line_rule))
    if not why.strip() and (following is None or following.id != row.id):
        first = next((w.person.name for w in line if following and w.id == following.id), None)
        sentence = (
            f"{first} is next in line and comes first." if first else "Nobody fits the free seats in turn."
        )
        raise conflict("not-next", f"{sentence} Out of turn, say why.")


def group_of(uow: UnitOfWork, run: Run, row: Waiting) -> int | None:
    payer = uow.session.get_one(Account, row.payer_id)
    return seats.group_for(uow, run, row.person_id, payer.organization_id)


def seat(uow: UnitOfWork, waiting_id: int, total: str, why: str = "") -> EnrolledView:
    """Seat a party in line at today's price: the next that fits, one with an offer, or out of turn with a reason.

    `total` is what the screen showed.
    """
    row, run = locked(uow, waiting_id)
    if row.status == LineStatus.WAITING:
        refuse_out_of_turn(uow, run, row, seats.seats_of(uow, run), why)
    enrollment, seat = seat_row(uow, row, run, total, why.strip())
    change = uow.log(
        Act.SEAT_FROM_THE_LINE,
        row.id,
        f"Seated {row.person.name} from the line of {run.code}{f', out of turn: {why.strip()}' if why.strip() else ''}",
        run_id=run.id,
    )
    return enrollments.enrolled_view(uow, enrollment, seat, change)


def seat_row(
    uow: UnitOfWork, row: Waiting, run: Run, total: str, why: str = "", way_in: WayIn = WayIn.WAITLIST
) -> tuple[Enrollment, core_seats.Seated]:
    """Seat a party whose turn it is, under the lock; the seats of its own offer are free for it. On a run that is off sale with a
    reason only. `way_in`: by an offer they took, or from the line by the staff."""
    if run.status != RunStatus.PUBLISHED and not (run.known and why):
        raise conflict("sign-up-shut", f"The run is {run.status}; say why they get a seat all the same.")
    state = seats.seats_of(uow, run)
    if row.status == LineStatus.OFFERED:
        state = replace(state, offered=state.offered - row.heads)
    resolved = resolve_ask(uow, run, row)
    quotes.refuse_full(uow, resolved)
    payer = uow.session.get_one(Account, row.payer_id)
    priced = quotes.priced(uow, resolved)
    coming = enrollments.Coming(
        resolved, priced, row.person, payer, way_in, row.note, row.batch_id,
        group_id=row.group_id, sentence_id=row.sentence_id, order_number=row.order_number, contact=row.contact,
        card_first=cards.taken() and quotes.details_missing(uow, resolved, priced.total, row.person, payer.organization_id),
    )  # fmt: skip
    enrollment, seat = enrollments.seat_at_price(
        uow, coming, replace(state, waiting=()), total, group_of(uow, run, row)
    )
    row.status, row.ended_at, row.enrollment_id = LineStatus.SEATED, uow.now, enrollment.id
    uow.session.flush()
    return enrollment, seat


def back_in_line(uow: UnitOfWork, waiting_id: int, was: LineStatus) -> Waiting:
    """Undo of leaving or being seated: the same place in line, by when the party joined."""
    row = uow.session.get_one(Waiting, waiting_id)
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    if row.status != was:
        raise conflict("moved-on", f"{row.person.name} has moved on since.")
    if was == "seated":
        enrollment = uow.session.get_one(Enrollment, row.enrollment_id)
        if not enrollment.holds_seat:
            raise conflict("moved-on", f"{row.person.name} no longer holds the seat.")
        leaving.end(uow, enrollment, EnrollmentStatus.TAKEN_BACK, f"Undid the seat of {row.person.name}")
    else:
        enrollments.refuse_twice(uow, run, row.person)
    row.status, row.ended_at, row.enrollment_id, row.offer_until = LineStatus.WAITING, None, None, None
    uow.session.flush()
    return row


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.WAIT)
def undo_wait(uow: UnitOfWork, change: Change) -> None:
    row, _ = locked(uow, change.subject_id)
    row.status, row.ended_at = LineStatus.TAKEN_BACK, uow.now


@reverses(Act.OFFER_A_SEAT)
def undo_offer(uow: UnitOfWork, change: Change) -> None:
    row, _ = locked(uow, change.subject_id)
    if row.status != LineStatus.OFFERED:
        raise conflict("moved-on", f"{row.person.name} has no offer any more.")
    row.status, row.offer_until, row.asked_time = LineStatus.WAITING, None, False
    row.by_hand = True  # else it would be offered to them anew by itself, within seconds


@reverses(Act.LEAVE_THE_LINE)
def undo_leave(uow: UnitOfWork, change: Change) -> None:
    back_in_line(uow, change.subject_id, LineStatus.LEFT)


@reverses(Act.SEAT_FROM_THE_LINE)
def undo_seat(uow: UnitOfWork, change: Change) -> None:
    back_in_line(uow, change.subject_id, LineStatus.SEATED)
