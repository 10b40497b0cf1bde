"""Leaving a run: withdrawn, not come, what is kept of it by the refund policy; a seat ended and taken again."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from archgate.actions.courses import courses, refund_policies
from archgate.actions.enrolling.commands import WithdrawCommand
from archgate.actions.enrolling.enrollments import locked_enrollment, refuse_no_learner
from archgate.actions.enrolling.views import Withdrawn
from archgate.actions.fees import codes, kept_quotes, stock
from archgate.actions.fees import fees as run_fees
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, money
from archgate.actions.schedule.gates import gate_at
from archgate.actions.seats import parties, seats
from archgate.core import refunds
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount, parse_amount
from archgate.core.states import EnrollmentStatus
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats


def leave(
    uow: UnitOfWork, enrollment: Enrollment, run: Run, command: WithdrawCommand
) -> tuple[Withdrawn, int]:
    """Give a seat back, under the run's lock; with the sum that is kept (`freed.withdraw`)."""
    refuse_no_learner(enrollment)
    name, no_show = enrollment.person.name, command.no_show
    policy = leaving_keeps(uow, enrollment, run, command.received_on, no_show)
    amount, reason = policy.amount, policy.why
    if command.keep is not None:
        amount, reason = kept_differently(enrollment, policy, command.keep, command.why or "")
    left = f"{name} did not come to {run.code}" if no_show else f"{name} withdrew from {run.code}"
    end(uow, enrollment, EnrollmentStatus.NO_SHOW if no_show else EnrollmentStatus.WITHDRAWN, left)
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    if amount:
        money.keep(uow, enrollment, amount, f"Kept of {run.code}: {reason}")
    uow.session.flush()
    accounts.settle_with_credit(uow, account)
    summary = left if no_show else f"Withdrew {name} from {run.code}"
    change = uow.log(Act.WITHDRAW, enrollment.id, summary, run_id=run.id)
    view = Withdrawn(
        change=change.key,
        enrollment_id=enrollment.id,
        name=name,
        run_id=run.id,
        taken_back=format_amount(enrollment.total - amount, enrollment.currency),
        kept=format_amount(amount, enrollment.currency),
        why=reason,
    )
    return view, amount


def day_received(uow: UnitOfWork, received_on: date | None) -> date:
    """The day on which word came: today, unless another one before it is said."""
    day = received_on or uow.today
    if day > uow.today:
        raise refuse("/received_on", "Word cannot have come after today.")
    return day


def leaving_keeps(
    uow: UnitOfWork, enrollment: Enrollment, run: Run, received_on: date | None, no_show: bool
) -> refunds.Kept:
    """What is kept of somebody who leaves: by the policy, or all of it when they did not come to what has begun."""
    if not no_show:
        return policy_keeps(uow, enrollment, run, day_received(uow, received_on))
    starts = gate_at(run, "starts")
    if starts is None or starts > uow.now:
        raise conflict("not-begun", f"{run.code} has not begun; nobody can have missed it yet.")
    return refunds.kept_of_no_show(enrollment.total)


def policy_of(uow: UnitOfWork, run: Run) -> refunds.Policy | None:
    """The refund policy of the course, else of the center."""
    form = courses.course_form(run.course).refunds or courses.center_form(uow).refunds
    return refund_policies.policy_of(form, run.currency) if form else None


def policy_keeps(
    uow: UnitOfWork, enrollment: Enrollment, run: Run, day: date, share: int | None = None
) -> refunds.Kept:
    """What the refund policy keeps of a sign-up that ends on a day, or of a `share` of its price."""
    policy = policy_of(uow, run)
    start = run_fees.start_of(uow, run)
    price = enrollment.total if share is None else share
    return refunds.kept_of(policy, price, start, day, enrollment.currency)


def kept_differently(
    enrollment: Enrollment, policy: refunds.Kept, keep: str, why: str, share: int | None = None
) -> tuple[int, str]:
    """What staff keep instead of what the policy says, of the price or of a `share` of it; a reason is needed where it differs."""
    faults = []
    amount, most = 0, enrollment.total if share is None else share
    try:
        amount = parse_amount(keep, enrollment.currency)
        if amount > most:
            sentence = f"At most the price, {format_amount(most, enrollment.currency)}, can be kept."
            faults.append(Fault("/keep", sentence))
    except ValueError as error:
        faults.append(Fault("/keep", str(error)))
    if not faults and amount != policy.amount and not why.strip():
        faults.append(Fault("/why", "Say why it differs from the refund policy."))
    if len(why) > 500:
        faults.append(Fault("/why", "The reason is longer than 500 characters."))
    if faults:
        raise Refused(faults)
    return amount, policy.why if amount == policy.amount else why.strip()


def end(uow: UnitOfWork, enrollment: Enrollment, status: EnrollmentStatus, cause: str) -> int:
    """End an enrollment under the seat lock: seat, code and stock back, charges reversed. Returns the sum taken back."""
    seats.take(uow, enrollment.run_id, -enrollment.seats)
    enrollment.status, enrollment.ended_at = status, uow.now
    uow.session.flush()
    codes.give_back(uow, enrollment)
    stock.take_for(uow, enrollment, back=True, cause=cause)
    if status is EnrollmentStatus.TAKEN_BACK:
        kept_quotes.open_again(uow, enrollment)
    return money.reverse_charges(uow, enrollment, cause)


def seat_again(uow: UnitOfWork, enrollment: Enrollment, run: Run, row: RunSeats, cause: str) -> None:
    """Undo a withdrawal: the same seats on the same terms, if they are still free."""
    state = replace(seats.seats_of(uow, run), waiting=(), taken=row.taken)
    seat = (
        core_seats.seats_for(state, enrollment.heads, enrollment.set_aside_id) if enrollment.seats else None
    )
    if isinstance(seat, core_seats.Waits | core_seats.NoSeat):
        raise conflict("full", f"The seat is gone: {seat.why[0].lower()}{seat.why[1:]}")
    if parties.live_on(uow, run.id, [enrollment.person_id]):
        raise conflict("already-in", f"{enrollment.person.name} has been enrolled anew meanwhile.")
    seats.take(uow, run.id, enrollment.seats)
    enrollment.status, enrollment.ended_at = EnrollmentStatus.SEATED, None
    uow.session.flush()
    money.no_longer_kept(uow, enrollment, cause)
    codes.take_again(uow, enrollment)
    stock.take_for(uow, enrollment, back=False, cause=cause)
    money.charge(uow, enrollment, cause)
    uow.session.flush()
    accounts.settle_with_credit(uow, accounts.get_account(uow, enrollment.payer_id, lock=True))


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.ENROLL)
def undo_enroll(uow: UnitOfWork, change: Change) -> None:
    enrollment, run, _ = locked_enrollment(uow, change.subject_id)
    if not enrollment.holds_seat:
        raise conflict("moved-on", f"{enrollment.person.name} no longer holds a seat on {run.code}.")
    end(uow, enrollment, EnrollmentStatus.TAKEN_BACK, f"Undid the enrollment of {enrollment.person.name}")
