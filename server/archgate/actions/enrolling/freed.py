"""What becomes of the seats that somebody gives back: the next in line is offered them, they are kept, or somebody of the line gets
them out of turn. Without a word the worker goes down the line within seconds."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import select

from archgate.actions.enrolling import held_places, leaving, offers
from archgate.actions.enrolling.commands import FreedSeat, WithdrawCommand
from archgate.actions.enrolling.enrollments import locked_enrollment
from archgate.actions.enrolling.views import CouldHave, Withdrawal, Withdrawn
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import money
from archgate.actions.seats import seats
from archgate.core import refunds
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.core.states import EnrollmentStatus, HoldStatus, LineStatus, SeatGoes
from archgate.core.waitlist import Rule, next_that_fits
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.roster import Enrollment
from archgate.tables.seats import HeldPlace
from archgate.tables.waitlist import Waiting

MOST_SHOWN = 50


def withdraw(uow: UnitOfWork, enrollment_id: int, command: WithdrawCommand | None = None) -> Withdrawn:
    """Give a seat back and take back its charge, less what the refund policy keeps; staff may differ with a reason.

    `received_on`: the day on which word of it came, which the policy counts from. `no_show`: they did not come, and all
    is kept. What was paid settles what is kept first; the rest is credit of the payer's account. `seat` says who gets the seat.
    """
    command = command or WithdrawCommand()
    enrollment, run, _ = locked_enrollment(uow, enrollment_id)
    heads, name = enrollment.seats, enrollment.person.name
    gone = leaving.leave(uow, enrollment, run, command)[0]
    said = settle(uow, run, heads, command.seat, name)
    return gone.model_copy(update={"seat": said})


def settle(uow: UnitOfWork, run: Run, heads: int, wish: FreedSeat | None, who: str) -> str:
    """Do with `heads` freed seats of a run, under its lock, what was wished; what was done, in a sentence, empty for nothing."""
    if wish is None or not heads:
        return ""
    if wish.to is SeatGoes.KEEP:
        return keep(uow, run, heads, wish, who)
    if wish.to is SeatGoes.CHOSEN:
        row = uow.session.get(Waiting, wish.waiting_id or 0)
        if row is None or row.run_id != run.id:
            raise Refused([Fault("/seat/waiting_id", "Say who of the line gets the seat.")])
        made = offers.offer(uow, row.id, wish.why or "")
        return f"{made.name} has an offer."
    if run.auto_offer:
        names = offers.go_down(uow, run.id).offered
        return f"{' and '.join(names)} {'has' if len(names) == 1 else 'have'} an offer." if names else ""
    following = next((w.id for w, turn in who_could(uow, run, 0) if turn), None)
    return f"{offers.offer(uow, following).name} has an offer." if following is not None else ""


def keep(uow: UnitOfWork, run: Run, heads: int, wish: FreedSeat, who: str) -> str:
    """Hold freed seats back, so that nobody of the line is offered them, through a day."""
    if wish.last is None or wish.last < uow.today:
        sentence = "Say through which day it is kept." if wish.last is None else "That day is past."
        raise Refused([Fault("/seat/last", sentence)])
    whom = wish.why or f"whoever follows {who}"
    many = "the seat" if heads == 1 else f"{heads} seats"
    sentence = f"Kept {many} of {who} on {run.code} for {whom} through {day_text(wish.last)}"
    held_places.place_held(uow, run, whom[:200], heads, wish.last, sentence)
    return f"{many[0].upper()}{many[1:]} stays held through {day_text(wish.last)}."


def who_could(uow: UnitOfWork, run: Run, heads: int) -> list[tuple[Waiting, bool]]:
    """Who of the line fits the seats that an act would free, in order, with a mark at the next in turn."""
    free = seats.seats_of(uow, run).free + heads
    line = seats.line_of(uow, run.id)
    in_turn = [seats.party(w) for w in line if not w.by_hand]
    following = next_that_fits(in_turn, free, Rule(run.line_rule))
    return [(w, following is not None and w.id == following.id) for w in line if w.heads <= free]


def not_free(uow: UnitOfWork, run: Run, since: datetime | None, heads: int) -> None:
    """Before a seat is taken again by an undo: what was done with it since is taken back, as far as that is needed. Places kept by the
    same act are let go; an offer that nobody answered yet goes back to its place in line, its letter dropped or corrected."""
    if since is None:
        return
    held = uow.session.scalars(
        select(HeldPlace).where(
            HeldPlace.run_id == run.id, HeldPlace.status == HoldStatus.HELD, HeldPlace.made_at == since
        )
    )
    for place in held:
        place.status, place.ended_at = HoldStatus.RELEASED, uow.now
    uow.session.flush()
    offered = [
        w
        for w in seats.line_of(uow, run.id, offered=True)
        if w.status == LineStatus.OFFERED and w.offered_at is not None and w.offered_at >= since
    ]
    for row in sorted(offered, key=lambda w: (w.offered_at or since, w.id), reverse=True):
        if seats.seats_of(uow, run).free >= heads:
            return
        no_longer_offered(uow, run, row)


def no_longer_offered(uow: UnitOfWork, run: Run, row: Waiting) -> None:
    row.status, row.offer_until, row.asked_time = LineStatus.WAITING, None, False
    uow.session.flush()
    made = uow.session.scalars(
        select(Change.key).where(
            Change.action == Act.OFFER_A_SEAT,
            Change.subject == Act.OFFER_A_SEAT.subject,
            Change.subject_id == row.id,
        )
    ).all()
    sentence = (
        f"The seat offered to {row.person.name} on {run.code} was taken again; they keep their place in line"
    )
    change = uow.log(Act.TAKE_AN_OFFER_BACK, row.id, sentence, run_id=run.id)
    messages.take_back(uow, made[-1:], [row.person_id], change)


def line_after(uow: UnitOfWork, run: Run, heads: int) -> str:
    """Who in line gets the seats that come free, in a sentence; empty when nobody waits."""
    line = seats.line_of(uow, run.id)
    if not line:
        return ""
    could = who_could(uow, run, heads)
    following = next((w.person.name for w, turn in could if turn), None)
    if following is not None:
        how = "is offered it" if run.auto_offer else "can be given it by hand"
        return f"{following} is next in line and {how}."
    if any(w.by_hand for w, _ in could):
        return "Whoever fits had an offer before, and is offered a seat by hand only."
    free = seats.seats_of(uow, run).free + heads
    return f"Nobody in line fits {free} {'seat' if free == 1 else 'seats'}."


def withdrawal(
    uow: UnitOfWork,
    enrollment_id: int,
    received_on: date | None = None,
    no_show: bool = False,
    heads: int | None = None,
) -> Withdrawal:
    """What a withdrawal would do with the money (what is kept and why, what was paid, what becomes credit or stays
    owed), and with the line: of `heads` seats where not all are given back."""
    enrollment = uow.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    run = get_run(uow, enrollment.run_id)
    policy = leaving.leaving_keeps(uow, enrollment, run, received_on, no_show)
    paid, currency = money.paid_of(uow, [enrollment.id]).get(enrollment.id, 0), enrollment.currency
    money_of = refunds.settled(paid, policy.amount)
    return Withdrawal(
        enrollment_id=enrollment.id,
        name=enrollment.person.name,
        currency=currency,
        account_id=enrollment.payer_id,
        total=format_amount(enrollment.total, currency),
        paid=format_amount(paid, currency),
        kept=format_amount(policy.amount, currency),
        why=policy.why,
        credit=format_amount(money_of.credit, currency),
        owed=format_amount(money_of.owed, currency),
        line=line_after(uow, run, heads or enrollment.heads),
        could=[
            CouldHave(waiting_id=w.id, name=w.person.name, heads=w.heads, next=turn)
            for w, turn in who_could(uow, run, heads or enrollment.heads)[:MOST_SHOWN]
        ],
    )


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.WITHDRAW)
def undo_withdraw(uow: UnitOfWork, change: Change) -> None:
    enrollment, run, row = locked_enrollment(uow, change.subject_id)
    if enrollment.status not in (EnrollmentStatus.WITHDRAWN, EnrollmentStatus.NO_SHOW):
        raise conflict("moved-on", f"{enrollment.person.name} is not withdrawn any more.")
    not_free(uow, run, enrollment.ended_at, enrollment.seats)
    leaving.seat_again(uow, enrollment, run, row, f"Undid the withdrawal of {enrollment.person.name}")
