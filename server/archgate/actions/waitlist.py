"""The line of a full run: join it, leave it, and seat the next by hand."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from archgate.actions import money, people, quotes, roster, seats
from archgate.actions.problems import conflict, not_found
from archgate.actions.schedule import get_run
from archgate.actions.transaction import Deed
from archgate.core import seats as core_seats
from archgate.core.waitlist import next_that_fits
from archgate.tables.courses import Run
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting


def join(
    deed: Deed,
    run_id: int,
    person_id: int,
    organization_id: int | None = None,
    note: str = "",
    **ask: Any,
) -> dict[str, Any]:
    """Put a party at the end of the line with what it asks for. Refused while there is a seat for it."""
    run, person = get_run(deed, run_id), people.get_person(deed, person_id)
    seats.lock_seats(deed, run)
    wish = quotes.wish_of(deed, run, ask, person)
    roster.refuse_twice(deed, run, person)
    quotes.refuse_rates(deed, wish, person, organization_id)
    quotes.terms_for(deed, wish)
    state = seats.seats_of(deed, run)
    roster.refuse_sign_up(deed, run, full=False)
    if isinstance(core_seats.seats_for(state, len(wish.heads)), core_seats.Seated):
        raise conflict("seat-free", f"There is a seat; {person.name} can be enrolled at once.")
    payer = money.account_of(deed, roster.payer_owner(deed, run, person, organization_id), run.currency)
    row = line_up(deed, wish, person, payer, note, "desk")
    change = deed.log("wait", "waiting", row.id, f"{person.name} waits for {run.code}", run_id=run.id)
    return {
        "waiting_id": row.id,
        "run_id": run.id,
        "person_id": person.id,
        "name": person.name,
        "place": len(state.waiting) + 1,
        "heads": len(wish.heads),
        "change": change.key,
    }


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
    run = get_run(deed, row.run_id)
    seats.lock_seats(deed, run)
    deed.session.refresh(row)
    if row.status != "waiting":
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
    usual = {"people": [{"rate_id": row.rate_id, "count": row.heads}], "plan_id": row.plan_id}
    return quotes.wish_of(deed, run, row.ask or usual, row.person, held=True)


def seat(deed: Deed, waiting_id: int, total: str) -> dict[str, Any]:
    """Seat the next party in line that fits, at today's price; `total` is what the screen showed."""
    row, run = locked(deed, waiting_id)
    line = seats.line_of(deed, run.id)
    state = seats.seats_of(deed, run)
    following = next_that_fits([seats.party(w) for w in line], state.free)
    if following is None:
        raise conflict(
            "full", f"No seat is free for anybody in line; {state.free} of {state.capacity} are free."
        )
    if following.id != row.id:
        name = next(w.person.name for w in line if w.id == following.id)
        raise conflict("not-next", f"{name} is next in line and comes first.")
    if run.status != "published":
        raise conflict("sign-up-shut", f"The run is {run.status}.")
    wish = wish_of(deed, run, row)
    quotes.refuse_full(deed, wish)
    line_apart = core_seats.Seats(state.capacity, state.taken)  # it is this party's turn
    payer = deed.session.get_one(Account, row.payer_id)
    priced = roster.price_of(deed, wish)
    enrolled = roster.seat_at_price(
        deed, line_apart, wish, row.person, payer, priced, total, row.note, "waitlist", row.batch_id
    )
    row.status, row.ended_at, row.enrollment_id = "seated", deed.now, enrolled["enrollment_id"]
    change = deed.log(
        "seat from the line",
        "waiting",
        row.id,
        f"Seated {row.person.name} from the line of {run.code}",
        run_id=run.id,
    )
    return {**enrolled, "change": change.key}


def back_in_line(deed: Deed, waiting_id: int, was: str) -> Waiting:
    """Undo of leaving or being seated: the same place in line, by when the party joined."""
    row = deed.session.get_one(Waiting, waiting_id)
    run = get_run(deed, row.run_id)
    seats.lock_seats(deed, run)
    deed.session.refresh(row)
    if row.status != was:
        raise conflict("moved-on", f"{row.person.name} has moved on since.")
    if was == "seated":
        enrollment = deed.session.get_one(Enrollment, row.enrollment_id)
        if enrollment.status != "seated":
            raise conflict("moved-on", f"{row.person.name} no longer holds the seat.")
        roster.end(deed, enrollment, "taken back", f"Undid the seat of {row.person.name}")
    else:
        roster.refuse_twice(deed, run, row.person)
    row.status, row.ended_at, row.enrollment_id = "waiting", None, None
    deed.session.flush()
    return row


def line_view(deed: Deed, run: Run) -> list[dict[str, Any]]:
    """Who waits, in order, and who of them the free seats fit next."""
    line = seats.line_of(deed, run.id)
    free = seats.seats_of(deed, run).free
    following = next_that_fits([seats.party(w) for w in line], free)
    owners = dict(
        deed.session.execute(
            select(Account.id, Organization.name)
            .join(Organization, Organization.id == Account.organization_id)
            .where(Account.id.in_([w.payer_id for w in line]))
        ).all()
    )
    labels = {r.id: r.label for r in run.rates}
    return [
        {
            "id": w.id,
            "person_id": w.person_id,
            "name": w.person.name,
            "email": w.person.email,
            "phone": w.person.phone,
            "heads": w.heads,
            "place": n,
            "joined": w.joined_at.astimezone(deed.zone).isoformat(),
            "rate": labels.get(w.rate_id, ""),
            "payer": owners.get(w.payer_id),
            "way_in": w.way_in,
            "note": w.note,
            "next": following is not None and following.id == w.id,
            "fits": w.heads <= free,
        }
        for n, w in enumerate(line, 1)
    ]
