"""Moving a sign-up: to another run, with its money; or to another person, on the same seat."""

from __future__ import annotations

from archgate.actions.enrolling import enrollments, freed, leaving
from archgate.actions.enrolling.commands import TransferCommand
from archgate.actions.enrolling.views import Swapped, Transferred
from archgate.actions.fees import fees, quotes
from archgate.actions.fees import plans as run_plans
from archgate.actions.fees.commands import Ask, ExtraAsked, HeadsAsked
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, money
from archgate.actions.people import people
from archgate.actions.seats import parties, seats
from archgate.core import refunds
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.states import EnrollmentStatus
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats


def both_locked(uow: UnitOfWork, enrollment_id: int, run_id: int) -> tuple[Enrollment, Run, Run]:
    """A sign-up, its run, and another one, with the seats of both locked in the order of their ids."""
    enrollment = uow.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    here, there = get_run(uow, enrollment.run_id), get_run(uow, run_id)
    seats.lock_both(uow, here, there)
    uow.session.refresh(enrollment)
    return enrollment, here, there


def transfer(uow: UnitOfWork, enrollment_id: int, command: TransferCommand) -> Transferred:
    """Move a sign-up to another run, at today's price there; what was paid moves along.

    The ask is the same as far as the other run has it (rates and extras by their codes, the plan by its name), unless
    the command says another. The policy's fee for a transfer is kept, or another sum with a reason. What was paid settles
    the kept fee first, then the new sign-up; more is credit. `total` is what the screen showed.
    """
    enrollment, here, there = both_locked(uow, enrollment_id, command.run_id)
    moved = move(uow, enrollment, here, there, command)[0]
    freed.settle(uow, here, enrollment.heads, command.seat, enrollment.person.name)
    return moved


def move(
    uow: UnitOfWork, enrollment: Enrollment, here: Run, there: Run, command: TransferCommand
) -> tuple[Transferred, refunds.Settled]:
    """`transfer`, under the locks of both runs; with what becomes of the money."""
    person, named = enrollment.person, refuse_move(uow, enrollment, here, there)
    asked = command.over(ask_there(uow, enrollment, there))
    if command.plan_id is not None:
        asked = asked.model_copy(update={"plan_id": command.plan_id})
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    policy = refunds.kept_of_transfer(leaving.policy_of(uow, here), enrollment.total, enrollment.currency)
    kept, reason = policy.amount, policy.why
    if command.keep is not None:
        kept, reason = leaving.kept_differently(enrollment, policy, command.keep, command.why or "")
    paid = money.paid_of(uow, [enrollment.id]).get(enrollment.id, 0)
    leaving.end(
        uow, enrollment, EnrollmentStatus.MOVED, f"{person.name} moved from {here.code} to {there.code}"
    )
    if kept:
        money.keep(uow, enrollment, kept, f"Kept of {here.code}: {reason}")
    resolved = quotes.resolve_ask(uow, there, asked, person)
    if len(resolved.heads) != enrollment.heads:
        raise Refused(
            [Fault("/people", f"The party has {enrollment.heads} heads, not {len(resolved.heads)}.")]
        )
    enrollments.refuse_sign_up(uow, there, None, command.exception or "")
    quotes.refuse_rates(uow, resolved, person, account.organization_id)
    priced = quotes.priced(uow, resolved)
    quotes.refuse_missing_details(uow, resolved, priced.total, person, account.organization_id)
    total = command.total or format_amount(priced.total, priced.currency)
    coming = enrollments.Coming(
        resolved, priced, person, account, "transfer", enrollment.note, others=tuple(named),
        order_number=enrollment.order_number, contact=enrollment.contact,
    )  # fmt: skip
    new, seat = enrollments.seat_at_price(uow, coming, seats.seats_of(uow, there), total)
    new.came_from_id = enrollment.id
    uow.session.flush()
    accounts.settle_with_credit(uow, account, [enrollment.id, new.id])
    open_now = sum(part for _, part in money.open_installments(uow, [new.id]).get(new.id, []))
    change = uow.log(
        Act.TRANSFER,
        new.id,
        f"Moved {person.name} from {here.code} to {there.code}{f': {command.exception}' if command.exception else ''}",
        run_id=there.id,
    )
    currency, carried = new.currency, new.total - open_now
    becomes = refunds.Settled(kept, max(0, paid - kept - carried), open_now)
    view = enrollments.enrolled_view(uow, new, seat, change).widened(
        Transferred,
        to=there.code,
        currency=currency,
        total_before=format_amount(enrollment.total, currency),
        paid=format_amount(paid, currency),
        kept=format_amount(kept, currency),
        why=reason,
        carried=format_amount(carried, currency),
        owed=format_amount(becomes.owed, currency),
        credit=format_amount(becomes.credit, currency),
        account_id=account.id,
    )
    return view, becomes


def refuse_move(uow: UnitOfWork, enrollment: Enrollment, here: Run, there: Run) -> list[Person]:
    """Refuse what cannot move: no seat, the same run, another currency, somebody who is there already; else the named heads
    of the party besides the first."""
    person = enrollment.person
    enrollments.refuse_no_learner(enrollment)
    if here.id == there.id:
        raise Refused([Fault("/run_id", f"{person.name} is on {there.code} already.")])
    if here.currency != there.currency:
        raise Refused([Fault("/run_id", f"{there.code} is in {there.currency}; money cannot move along.")])
    named = [p.person for p in enrollment.places if p.person]
    enrollments.refuse_twice(uow, there, person)
    for other in named:
        if parties.live_on(uow, there.id, [other.id]):
            raise conflict("already-in", f"{other.name} is already on the roster of {there.code}.")
    return named


def ask_there(uow: UnitOfWork, enrollment: Enrollment, there: Run) -> Ask:
    """What a sign-up asks for, in the rates, extras and plans of another run; what that run has not is left out."""
    usual = quotes.usual_rate(uow, there, enrollment.person)
    rates = {r.code: r for r in fees.rates_of(there)}
    extras = {x.code: x for x in there.extras if x.active}
    plan = uow.session.get_one(Plan, enrollment.plan_id)
    offered = run_plans.offered(uow, there)
    same = next((p for p in offered if p.id == plan.id or p.name == plan.name), None)
    quote = enrollment.quote
    return Ask(
        people=[
            HeadsAsked(rate_id=rates.get(x.code, usual).id, count=x.quantity) for x in quote.of_kind("rate")
        ],
        extras=[
            ExtraAsked(extra_id=extras[x.code].id, count=x.quantity)
            for x in quote.of_kind("extra")
            if x.code in extras
        ],
        plan_id=same.id if same else None,
    )


@reverses(Act.TRANSFER)
def undo_transfer(uow: UnitOfWork, change: Change) -> None:
    bring_back(uow, change.subject_id)


def bring_back(uow: UnitOfWork, enrollment_id: int) -> None:
    """Take a transfer back: the seat there is given back, the one here taken again if it is still free."""
    new = uow.session.get_one(Enrollment, enrollment_id)
    old = uow.session.get_one(Enrollment, new.came_from_id)
    new, there, here = both_locked(uow, enrollment_id, old.run_id)
    uow.session.refresh(old)
    if not new.holds_seat or old.status != EnrollmentStatus.MOVED:
        raise conflict("moved-on", f"{new.person.name} no longer holds the seat on {there.code}.")
    cause = f"Undid the transfer of {new.person.name}"
    leaving.end(uow, new, EnrollmentStatus.TAKEN_BACK, cause)
    freed.not_free(uow, here, new.enrolled_at, old.heads)
    leaving.seat_again(uow, old, here, uow.session.get_one(RunSeats, here.id), cause)


def swap(uow: UnitOfWork, enrollment_id: int, person_id: int) -> Swapped:
    """Give a seat to another person on the same terms; whoever pays stays the same."""
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    enrollments.refuse_no_learner(enrollment)
    before, person = enrollment.person, people.get_person(uow, person_id)
    if before.id == person.id:
        raise Problem(422, "same-person", f"{person.name} holds this seat already.")
    enrollments.refuse_twice(uow, run, person)
    enrollment.person_id = person.id
    uow.session.flush()
    uow.session.refresh(enrollment, ["person"])
    payer = accounts.payer_name(uow, uow.session.get_one(Account, enrollment.payer_id))
    change = uow.log(
        Act.SWAP_A_PERSON,
        enrollment.id,
        f"{person.name} takes the seat of {before.name} on {run.code}",
        run_id=run.id,
    )
    return Swapped(
        change=change.key,
        enrollment_id=enrollment.id,
        name=person.name,
        before=before.name,
        payer=payer,
        run_id=run.id,
    )
