"""Seats that are held until a first payment, or payment details, have come: which they are, and when they are firm."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.seats import seats
from archgate.core.cards import makes_firm
from archgate.core.states import EnrollmentStatus
from archgate.tables.money import Account
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment


def seats_of(uow: UnitOfWork, account_id: int) -> list[Enrollment]:
    """The sign-ups of a payer whose seats are held until the first payment."""
    query = select(Enrollment).where(
        Enrollment.payer_id == account_id, Enrollment.status == EnrollmentStatus.HELD
    )
    return list(uow.session.scalars(query.order_by(Enrollment.run_id, Enrollment.id)))


def locked_seats(uow: UnitOfWork, account: Account) -> list[Enrollment]:
    """The held seats of a payer, under the locks of their runs. One that came while the account was waited for is locked now; a deadlock,
    should there be one, runs all of it again."""
    rows = seats_of(uow, account.id)
    for enrollment in rows:
        if not seats.is_locked(uow, enrollment.run_id):
            seats.run_to_change(uow, enrollment.run_id)
            uow.session.refresh(enrollment)
    return [e for e in rows if e.status is EnrollmentStatus.HELD]


def waits_for_card(uow: UnitOfWork, enrollment: Enrollment) -> bool:
    """Whether a seat is held until payment details are given: its sign-up was to bring some, and its plan takes them still."""
    plan = uow.session.get(Plan, enrollment.plan_id) if enrollment.card_first else None
    return plan is not None and plan.details and enrollment.status is EnrollmentStatus.HELD


def confirm(uow: UnitOfWork, account: Account) -> None:
    """Seats that are held are taken for good once what they wait for has come; see `core.cards.makes_firm`."""
    for enrollment in locked_seats(uow, account):
        still = money.open_installments(uow, [enrollment.id]).get(enrollment.id, [])
        due, left = any(i.due <= uow.today for i, _ in still), sum(part for _, part in still)
        if makes_firm(due, waits_for_card(uow, enrollment), left):
            enrollment.status, enrollment.hold_until = EnrollmentStatus.SEATED, None
    uow.session.flush()


def card_given(uow: UnitOfWork, account: Account) -> list[Enrollment]:
    """Payment details came: held seats wait for them no longer. Those that are firm by it."""
    waited = [e for e in locked_seats(uow, account) if waits_for_card(uow, e)]
    for enrollment in waited:
        enrollment.card_first = False
    confirm(uow, account)
    return [e for e in waited if e.status is EnrollmentStatus.SEATED]
