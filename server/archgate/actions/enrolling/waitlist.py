"""The line of a full run: join it, leave it, and seat the next by hand. Offers to it are `actions.offers`."""

from __future__ import annotations

from dataclasses import replace
from datetime import time
from typing import Any

from archgate.actions.enrolling import enrollments, leaving
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import Ask, HeadsAsked
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import Deed
from archgate.actions.money import money
from archgate.actions.people import people
from archgate.actions.seats import parties, seats
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.schedule import moment_of
from archgate.core.waitlist import Rule, next_that_fits
from archgate.tables.courses import Run
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting


def join(deed: Deed, command: JoinCommand) -> dict[str, Any]:
    """Put a party in line with what it asks for: at the end, or where the day its form came in puts it. Refused while
    there is a seat for it. A head start is a rank before others and needs a reason."""
    person, run = people.present(deed, command.person_id), seats.run_to_change(deed, command.run_id)
    organization_id, head_start = command.organization_id, command.head_start
    special = quotes.special_of(deed, command.received_on, command.exception)
    if head_start and not special.exception:
        raise refuse("/head_start", "A head start is a rank up to 100, with a reason.")
    wish = quotes.wish_of(deed, run, command, person)
    enrollments.refuse_twice(deed, run, person)
    quotes.refuse_rates(deed, wish, person, organization_id, special.received_on)
    quotes.terms_for(deed, wish)
    state = seats.seats_of(deed, run)
    enrollments.refuse_sign_up(deed, run, None, special.exception)
    group = seats.group_for(deed, run, person.id, organization_id)
    seat = core_seats.seats_for(state, len(wish.heads), group)
    if isinstance(seat, core_seats.NoSeat):
        raise Problem(422, "too-large", seat.why)
    if isinstance(seat, core_seats.Seated):
        raise conflict("seat-free", f"There is a seat; {person.name} can be enrolled at once.")
    payer = money.account_of(
        deed,
        enrollments.payer_owner(deed, run, person, organization_id, command.payer_person_id),
        run.currency,
    )
    row = line_up(deed, wish, person, payer, command.note, "desk")
    parties.leave_interest(deed, run, person.id)
    if special.received_on:
        row.joined_at = moment_of(special.received_on, time(12), deed.zone)
    row.head_start, row.answers = head_start, read_answers(run.questions, command.answers)
    deed.session.flush()
    change = deed.log("wait", "waiting", row.id, f"{person.name} waits for {run.code}", run_id=run.id)
    return {
        "waiting_id": row.id,
        "run_id": run.id,
        "person_id": person.id,
        "name": person.name,
        "place": next(
            n for n, w in enumerate(seats.line_of(deed, run.id, offered=True), 1) if w.id == row.id
        ),
        "heads": len(wish.heads),
        "change": change.key,
    }


def read_answers(questions: list[str], given: dict[str, Any] | None) -> dict[str, str]:
    """Answers to a run's own questions, by question; what was not asked is refused."""
    held = given or {}
    unknown = [q for q in held if q not in questions]
    if unknown:
        raise refuse("/answers", f'"{unknown[0][:60]}" is not asked here.')
    if any(not isinstance(a, str) or len(a) > 1000 for a in held.values()):
        raise refuse("/answers", "An answer is a text of up to 1000 characters.")
    return {q: a.strip() for q, a in held.items() if a.strip()}


def line_up(
    deed: Deed, wish: quotes.Wish, person: Person, payer: Account, note: str, way_in: str,
    batch_id: int | None = None,
) -> Waiting:  # fmt: skip
    row = Waiting(
        run_id=wish.run.id, person_id=person.id, payer_id=payer.id, rate_id=wish.heads[0].id, plan_id=wish.plan.id,
        batch_id=batch_id, user_id=deed.user_id, status="waiting", way_in=way_in, heads=len(wish.heads),
        joined_at=deed.now, note=note, ask=wish.document,
    )  # fmt: skip
    deed.session.add(row)
    deed.session.flush()
    return row


def locked(deed: Deed, waiting_id: int) -> tuple[Waiting, Run]:
    """A party in line, read under its run's seat lock."""
    row = deed.session.get(Waiting, waiting_id)
    if row is None:
        raise not_found("This place in line")
    run = seats.run_to_change(deed, row.run_id)
    deed.session.refresh(row)
    if row.status not in ("waiting", "offered"):
        raise conflict("not-waiting", f"{row.person.name} no longer waits for {run.code}.")
    return row, run


def leave(deed: Deed, waiting_id: int) -> dict[str, Any]:
    """Take a party out of the line."""
    row, run = locked(deed, waiting_id)
    row.status, row.ended_at = "left", deed.now
    change = deed.log(
        "leave the line", "waiting", row.id, f"{row.person.name} left the line of {run.code}", run_id=run.id
    )
    return {"change": change.key, "waiting_id": row.id, "name": row.person.name, "run_id": run.id}


def seat_quote(deed: Deed, waiting_id: int) -> dict[str, Any]:
    """What seating a party now would cost, on its own rate and plan."""
    row = deed.session.get(Waiting, waiting_id)
    if row is None:
        raise not_found("This place in line")
    return quotes.sign_up_quote(deed, wish_of(deed, get_run(deed, row.run_id), row))


def wish_of(deed: Deed, run: Run, row: Waiting) -> quotes.Wish:
    """What a party asked for when it joined the line; rates and plan hold for it also when taken off the run since."""
    usual = Ask(people=[HeadsAsked(rate_id=row.rate_id, count=row.heads)], plan_id=row.plan_id)
    return quotes.wish_of(deed, run, command_of(Ask, row.ask) if row.ask else usual, row.person, held=True)


def refuse_out_of_turn(deed: Deed, run: Run, row: Waiting, state: core_seats.Seats, why: str) -> None:
    """Refuse a party whom the free seats do not fit, and one that is not next unless there is a reason."""
    line = seats.line_of(deed, run.id)
    group = group_of(deed, run, row)
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
        said = f"{first} is next in line and comes first." if first else "Nobody fits the free seats in turn."
        raise conflict("not-next", f"{said} Out of turn, say why.")


def group_of(deed: Deed, run: Run, row: Waiting) -> int | None:
    payer = deed.session.get_one(Account, row.payer_id)
    return seats.group_for(deed, run, row.person_id, payer.organization_id)


def seat(deed: Deed, waiting_id: int, total: str, why: str = "") -> dict[str, Any]:
    """Seat a party in line at today's price: the next that fits, one with an offer, or out of turn with a reason.

    `total` is what the screen showed.
    """
    row, run = locked(deed, waiting_id)
    if row.status == "waiting":
        refuse_out_of_turn(deed, run, row, seats.seats_of(deed, run), why)
    enrolled = seat_row(deed, row, run, total)
    change = deed.log(
        "seat from the line",
        "waiting",
        row.id,
        f"Seated {row.person.name} from the line of {run.code}{f', out of turn: {why.strip()}' if why.strip() else ''}",
        run_id=run.id,
    )
    return {**enrolled, "change": change.key}


def seat_row(deed: Deed, row: Waiting, run: Run, total: str) -> dict[str, Any]:
    """Seat a party whose turn it is, under the lock; the seats of its own offer are free for it."""
    if run.status != "published":
        raise conflict("sign-up-shut", f"The run is {run.status}.")
    state = seats.seats_of(deed, run)
    if row.status == "offered":
        state = replace(state, offered=state.offered - row.heads)
    wish = wish_of(deed, run, row)
    quotes.refuse_full(deed, wish)
    payer = deed.session.get_one(Account, row.payer_id)
    priced = quotes.priced(deed, wish)
    enrollment, enrolled = enrollments.seat_at_price(
        deed, replace(state, waiting=()), wish, row.person, payer, priced, total, row.note, "waitlist", row.batch_id,
        group=group_of(deed, run, row),
    )  # fmt: skip
    row.status, row.ended_at, row.enrollment_id = "seated", deed.now, enrollment.id
    deed.session.flush()
    return enrolled


def back_in_line(deed: Deed, waiting_id: int, was: str) -> Waiting:
    """Undo of leaving or being seated: the same place in line, by when the party joined."""
    row = deed.session.get_one(Waiting, waiting_id)
    run = seats.run_to_change(deed, row.run_id)
    deed.session.refresh(row)
    if row.status != was:
        raise conflict("moved-on", f"{row.person.name} has moved on since.")
    if was == "seated":
        enrollment = deed.session.get_one(Enrollment, row.enrollment_id)
        if not enrollment.holds_seat:
            raise conflict("moved-on", f"{row.person.name} no longer holds the seat.")
        leaving.end(deed, enrollment, "taken back", f"Undid the seat of {row.person.name}")
    else:
        enrollments.refuse_twice(deed, run, row.person)
    row.status, row.ended_at, row.enrollment_id, row.offer_until = "waiting", None, None, None
    deed.session.flush()
    return row
