"""Enrolling, withdrawing and the roster of a run."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from archgate.actions import courses, fees, money
from archgate.actions.problems import Problem, conflict, not_found
from archgate.actions.transaction import Deed
from archgate.core import gates, seats
from archgate.core.documents import strict_date
from archgate.core.money import format_amount, parse_amount
from archgate.tables.access import User
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment, Plan
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats


def payer_owner(deed: Deed, person: Person, organization_id: int | None) -> str:
    if organization_id is None:
        return f"person:{person.id}"
    if deed.session.get(Organization, organization_id) is None:
        raise Problem(422, "no-organization", "There is no such organization.")
    return f"organization:{organization_id}"


def enroll(
    deed: Deed,
    run_id: int,
    person_id: int,
    total: str,
    rate_id: int | None = None,
    plan_id: int | None = None,
    organization_id: int | None = None,
) -> dict[str, Any]:
    """Seat one person on a run, on the terms that were shown.

    `total` is the total the screen showed; when it has changed since, nothing is written and both are
    answered (409). The quote is kept word for word.
    """
    run, person = courses.get_run(deed, run_id), deed.session.get(Person, person_id)
    if person is None:
        raise not_found("This person")
    row = courses.lock_seats(deed, run)
    rate, plan = fees.rate_of(run, rate_id), fees.plan_of(run, plan_id)
    if live_on(deed, run.id, [person.id]):
        raise conflict("already-in", f"{person.name} is already on the roster of {run.code}.")
    quote, due = fees.terms_for(deed, run, rate, plan, 1)
    view = fees.quote_view(quote, due)
    if view["total"] != total:
        said = f"The total was {total} when it was shown and is {view['total']} now."
        raise conflict("total-changed", said, shown=total, now=view["total"], quote=view)
    refuse_sign_up(deed, run, row.taken)
    seat = seats.seats_for(seats.Seats(run.capacity, row.taken), 1)
    if isinstance(seat, seats.NoSeat):
        raise conflict("full", seat.why)
    payer = money.account_of(deed, payer_owner(deed, person, organization_id), run.currency)
    row.taken += 1
    enrollment = seat_person(deed, run, person, payer, rate, plan, quote.total, view, "desk")
    change = deed.log("enroll", "enrollment", enrollment.id, f"Enrolled {person.name} on {run.code}")
    return {
        "enrollment_id": enrollment.id,
        "run_id": run.id,
        "person_id": person.id,
        "name": person.name,
        "seat": seat.first,
        "capacity": run.capacity,
        "change": change.key,
        "quote": view,
    }


def refuse_sign_up(deed: Deed, run: Run, taken: int) -> None:
    """Refuse, with the reason, when the run takes no sign-up at this moment."""
    state, why = fees.sign_up_of(deed, run, taken >= run.capacity)
    if state is gates.SignUp.FULL:
        raise conflict("full", f"All {run.capacity} seats are taken.")
    if state is not gates.SignUp.OPEN:
        raise conflict("sign-up-shut", why)


def live_on(deed: Deed, run_id: int, person_ids: list[int]) -> set[int]:
    """Which of these people hold a seat on the run."""
    if not person_ids:
        return set()
    query = select(Enrollment.person_id).where(
        Enrollment.run_id == run_id, Enrollment.live == 1, Enrollment.person_id.in_(person_ids)
    )
    return set(deed.session.scalars(query))


def seat_person(
    deed: Deed,
    run: Run,
    person: Person,
    payer: Account,
    rate: Rate,
    plan: Plan,
    total: int,
    view: dict[str, Any],
    way_in: str,
    batch_id: int | None = None,
) -> Enrollment:
    """Write one enrollment with its installments and its charge; the caller holds the seat row and counts."""
    enrollment = Enrollment(
        run_id=run.id,
        person_id=person.id,
        payer_id=payer.id,
        rate_id=rate.id,
        plan_id=plan.id,
        batch_id=batch_id,
        user_id=deed.user_id,
        status="seated",
        way_in=way_in,
        heads=1,
        signed_up=deed.today,
        enrolled_at=deed.now,
        currency=run.currency,
        total=total,
        quote=view,
        installments=[
            Installment(
                n=i["n"],
                due=strict_date(i["due"]),
                amount=parse_amount(i["amount"], run.currency),
                settle=i["settle"],
                why=i["why"],
            )
            for i in view["installments"]
        ],
    )
    deed.session.add(enrollment)
    deed.session.flush()
    money.charge(deed, enrollment, f"{person.name}, {run.code}, {rate.label}")
    return enrollment


def locked_enrollment(deed: Deed, enrollment_id: int) -> tuple[Enrollment, Run, Any]:
    """An enrollment read under its run's seat lock."""
    enrollment = deed.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    run = courses.get_run(deed, enrollment.run_id)
    row = courses.lock_seats(deed, run)
    deed.session.refresh(enrollment)
    return enrollment, run, row


def withdraw(deed: Deed, enrollment_id: int) -> dict[str, Any]:
    """Give a seat back and take back its charge."""
    enrollment, run, _ = locked_enrollment(deed, enrollment_id)
    if enrollment.status != "seated":
        raise conflict("not-seated", "This person no longer holds a seat here.")
    name = enrollment.person.name
    back = end(deed, enrollment, "withdrawn", f"{name} withdrew from {run.code}")
    change = deed.log("withdraw", "enrollment", enrollment.id, f"Withdrew {name} from {run.code}")
    return {
        "change": change.key,
        "enrollment_id": enrollment.id,
        "name": name,
        "run_id": run.id,
        "taken_back": format_amount(back, enrollment.currency),
    }


def end(deed: Deed, enrollment: Enrollment, status: str, cause: str) -> int:
    """End an enrollment under the seat lock: seat back, charges reversed. Returns the sum taken back."""
    deed.session.get_one(RunSeats, enrollment.run_id).taken -= enrollment.heads
    enrollment.status, enrollment.ended_at = status, deed.now
    deed.session.flush()
    return money.reverse_charges(deed, enrollment, cause)


def seat_again(deed: Deed, enrollment: Enrollment, run: Run, row: Any, cause: str) -> None:
    """Undo a withdrawal: the same seat on the same terms, if one is still free."""
    seat = seats.seats_for(seats.Seats(run.capacity, row.taken), enrollment.heads)
    if isinstance(seat, seats.NoSeat):
        raise conflict("full", f"The seat is gone: {seat.why[0].lower()}{seat.why[1:]}")
    if live_on(deed, run.id, [enrollment.person_id]):
        raise conflict("already-in", f"{enrollment.person.name} has been enrolled anew meanwhile.")
    row.taken += enrollment.heads
    enrollment.status, enrollment.ended_at = "seated", None
    deed.session.flush()
    money.charge(deed, enrollment, cause)


ROSTER_COLUMNS = [
    "id",
    "person_id",
    "name",
    "email",
    "phone",
    "way_in",
    "batch",
    "rate",
    "payer",
    "total",
    "owed",
    "next_due",
    "next_amount",
    "signed_up",
    "entered_by",
]


def roster(deed: Deed, run_id: int) -> dict[str, Any]:
    """The whole roster in compact rows, in the order in which the seats were taken, and who withdrew."""
    run = courses.get_run(deed, run_id)
    query = (
        select(Enrollment, Account, Organization.name, User.name)
        .join(Account, Account.id == Enrollment.payer_id)
        .join(User, User.id == Enrollment.user_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(Enrollment.run_id == run.id)
        .options(selectinload(Enrollment.person))
        .order_by(Enrollment.enrolled_at, Enrollment.id)
    )
    found = deed.session.execute(query).all()
    labels = {r.id: r.label for r in run.rates}
    due = money.open_installments(deed, [e.id for e, *_ in found if e.live])
    rows, gone = [], []
    for enrollment, _, organization, user in found:
        person = enrollment.person
        if enrollment.live is None:
            if enrollment.status == "withdrawn" and enrollment.ended_at:
                gone.append(
                    {"name": person.name, "at": enrollment.ended_at.astimezone(deed.zone).isoformat()}
                )
            continue
        still = due.get(enrollment.id, [])
        coming = money.next_due(still, run.currency) or {"due": None, "amount": None}
        rows.append(
            [
                enrollment.id,
                person.id,
                person.name,
                person.email,
                person.phone,
                enrollment.way_in,
                enrollment.batch_id,
                rate_label(enrollment, labels),
                organization,
                format_amount(enrollment.total, run.currency),
                format_amount(sum(left for _, left in still), run.currency),
                coming["due"],
                coming["amount"],
                enrollment.signed_up.isoformat(),
                user,
            ]
        )
    seats_now = fees.seats_of(deed, run)
    owed = sum(left for rows_ in due.values() for _, left in rows_)
    return {
        "run_id": run.id,
        "capacity": run.capacity,
        "smallest": run.smallest,
        "taken": seats_now.taken,
        "currency": run.currency,
        "fees": format_amount(sum(e.total for e, *_ in found if e.live), run.currency),
        "owed": format_amount(owed, run.currency),
        "columns": ROSTER_COLUMNS,
        "rows": rows,
        "withdrawn": gone,
    }


def rate_label(enrollment: Enrollment, labels: dict[int, str]) -> str:
    """The rate as agreed, saying so when the early price applied."""
    line = next((x for x in enrollment.quote.get("lines", []) if x["kind"] == "rate"), None)
    label = labels.get(enrollment.rate_id, "")
    return f"{label}, early" if line and line["early"] else label


def enrollment_view(deed: Deed, enrollment_id: int) -> dict[str, Any]:
    """One enrollment with the quote as agreed."""
    enrollment = deed.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    return {
        "id": enrollment.id,
        "run_id": enrollment.run_id,
        "person_id": enrollment.person_id,
        "name": enrollment.person.name,
        "status": enrollment.status,
        "signed_up": enrollment.signed_up.isoformat(),
        "quote": enrollment.quote,
    }
