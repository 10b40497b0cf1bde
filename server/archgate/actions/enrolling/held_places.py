"""Seats kept back: places held without names until a day, seats set aside for a group, seats held for a first payment."""

from __future__ import annotations

from datetime import date

from sqlalchemy import or_, select

from archgate.actions.enrolling import leaving
from archgate.actions.enrolling.line_views import HeldDone, HeldOut, KeptBack, KeptBackDone, SetAsideOut
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.restoring import restore_rows
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import held
from archgate.actions.people import people
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.actions.seats.commands import HoldChangeCommand, HoldCommand, SetAsideCommand
from archgate.core import gates as core_gates
from archgate.core.faults import Fault, Refused
from archgate.core.schedule import day_text
from archgate.core.states import EnrollmentStatus, HoldStatus, RunStatus
from archgate.papers.letters.occasions import HeldSeatLapsed
from archgate.papers.letters.writing import written
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment
from archgate.tables.seats import HeldPlace, SetAside


def hold(uow: UnitOfWork, run_id: int, command: HoldCommand) -> HeldDone:
    """Hold so many places for somebody through a day, without names. They must be free now."""
    run = seats.run_to_change(uow, run_id)
    faults: list[Fault] = []
    many, last, note = command.seats, command.last, command.note or ""
    person_id, organization_id = command.person_id, command.organization_id
    person = people.get_person(uow, person_id) if person_id else None
    organization = uow.session.get(Organization, organization_id) if organization_id else None
    if lookups.lacks_organization(uow, organization_id):
        faults.append(Fault("/organization_id", lookups.NO_ORGANIZATION))
    whom = command.for_whom or (organization.name if organization else person.name if person else "")
    if not whom:
        faults.append(Fault("/for_whom", "Say who the places are for."))
    if last < uow.today:
        faults.append(Fault("/last", f"{day_text(last)} is past."))
    if run.status not in (RunStatus.PUBLISHED, RunStatus.OFF_SALE, RunStatus.DRAFT):
        faults.append(Fault("/seats", f"The run is {run.status}."))
    free = seats.seats_of(uow, run).free
    if many > free:
        faults.append(Fault("/seats", f"{free} seats are free."))
    if faults:
        raise Refused(faults)
    places = "1 place" if many == 1 else f"{many} places"
    sentence = f"Held {places} on {run.code} for {whom} through {day_text(last)}"
    row, change = place_held(uow, run, whom, many, last, sentence, note, person_id, organization_id)
    return held_view(row).widened(HeldDone, change=change.key)


def place_held(
    uow: UnitOfWork,
    run: Run,
    whom: str,
    many: int,
    last: date,
    sentence: str,
    note: str = "",
    person_id: int | None = None,
    organization_id: int | None = None,
) -> tuple[HeldPlace, Change]:
    """Places held through a day, written, under the run's lock; with what the log says of it."""
    row = HeldPlace(
        run_id=run.id,
        for_whom=whom,
        person_id=person_id,
        organization_id=organization_id,
        seats=many,
        last=last,
        note=note,
        status=HoldStatus.HELD,
        user_id=uow.by,
        made_at=uow.now,
    )
    uow.session.add(row)
    uow.session.flush()
    return row, uow.log(Act.HOLD_PLACES, row.id, sentence, run_id=run.id)


def locked_hold(uow: UnitOfWork, held_id: int) -> tuple[HeldPlace, Run]:
    row = uow.session.get(HeldPlace, held_id)
    if row is None:
        raise not_found("This hold")
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    if row.status != HoldStatus.HELD:
        raise conflict("not-held", f"These places are {row.status} by now.")
    return row, run


def change_hold(uow: UnitOfWork, held_id: int, command: HoldChangeCommand) -> HeldDone:
    """Hold more or fewer places, or longer; none is letting them go."""
    row, run = locked_hold(uow, held_id)
    faults: list[Fault] = []
    many, last = command.seats, command.last
    free = seats.seats_of(uow, run).free
    if many is not None and many > row.seats + free:
        faults.append(Fault("/seats", f"{free} more seats are free."))
    if last and last < uow.today:
        faults.append(Fault("/last", f"{day_text(last)} is past."))
    if faults:
        raise Refused(faults)
    row.last = last or row.last
    row.seats = row.seats if many is None else many
    if row.seats == 0:
        row.status, row.ended_at = HoldStatus.RELEASED, uow.now
    uow.session.flush()
    what = (
        "Let go of the places"
        if row.status == HoldStatus.RELEASED
        else f"Holds {row.seats} places through {day_text(row.last)}"
    )
    change = uow.log(
        Act.CHANGE_HELD_PLACES, row.id, f"{what} for {row.for_whom} on {run.code}", run_id=run.id
    )
    return held_view(row).widened(HeldDone, change=change.key)


def held_view(row: HeldPlace) -> HeldOut:
    return HeldOut(
        id=row.id,
        run_id=row.run_id,
        for_whom=row.for_whom,
        seats=row.seats,
        last=row.last,
        note=row.note,
        status=row.status,
        person_id=row.person_id,
        organization_id=row.organization_id,
    )


def kept_back(uow: UnitOfWork, run_id: int) -> KeptBack:
    """Everything that keeps seats of a run from being sold, and what is free for anybody."""
    run = get_run(uow, run_id)
    state = seats.seats_of(uow, run)
    rows = uow.session.scalars(
        select(HeldPlace)
        .where(HeldPlace.run_id == run.id, HeldPlace.status == HoldStatus.HELD, HeldPlace.until.is_(None))
        .order_by(HeldPlace.last)
    )
    used = {s.id: s.taken for s in state.set_asides}
    asides = uow.session.scalars(
        select(SetAside)
        .where(SetAside.run_id == run.id, SetAside.active)
        .order_by(SetAside.last, SetAside.id)
    )
    return KeptBack(
        capacity=run.capacity,
        overbook=run.overbook,
        taken=state.taken,
        held=state.held,
        offered=state.offered,
        free=state.free,
        holds=[held_view(r) for r in rows],
        set_asides=[
            SetAsideOut(
                id=a.id,
                name=a.name,
                seats=a.seats,
                last=a.last,
                days_before=a.days_before,
                tag=a.tag,
                organization_id=a.organization_id,
                taken=used.get(a.id, 0),
                over=a.last < uow.today,
            )
            for a in asides
        ],
    )


# --- seats set aside --------------------------------------------------------------------------------------


def set_aside(uow: UnitOfWork, run_id: int, command: SetAsideCommand) -> KeptBackDone:
    """Set seats aside for a named group through a day, or change that (`id`); zero seats ends it."""
    run = seats.run_to_change(uow, run_id)
    faults: list[Fault] = []
    name, many, organization_id = command.name, command.seats, command.organization_id
    last = last_of(uow, run, command, faults)
    tag = (command.tag or "").lower() or None
    row = uow.session.get(SetAside, command.id) if command.id else None
    if command.id and (row is None or row.run_id != run.id):
        raise not_found("This group of seats")
    if lookups.lacks_organization(uow, organization_id):
        faults.append(Fault("/organization_id", lookups.NO_ORGANIZATION))
    used = next((s.taken for s in seats.set_asides_of(uow, run.id) if row and s.id == row.id), 0)
    if many and last and last >= uow.today:
        state = seats.seats_of(uow, run)
        own = max(0, row.seats - used) if row and row.last >= uow.today else 0
        if many - used > state.free + own:
            faults.append(Fault("/seats", f"{state.free + own} seats are free to set aside."))
    if faults or last is None:
        raise Refused(faults)
    before = f"{row.seats} through {day_text(row.last)}" if row else "none"
    if row is None:
        row = SetAside(run_id=run.id)
        uow.session.add(row)
    row.name, row.seats, row.last, row.days_before = name, max(many, 1), last, command.days_before
    row.tag, row.organization_id, row.active = tag, organization_id, many > 0
    uow.session.flush()
    gates.settle_gates(uow, run)
    now = f"{many} through {day_text(last)}" if many else "none"
    change = uow.log(
        Act.SET_SEATS_ASIDE,
        row.id,
        f"Seats for {name} on {run.code}: {before}, now {now}",
        run_id=run.id,
    )
    return kept_back(uow, run.id).widened(KeptBackDone, change=change.key)


def last_of(uow: UnitOfWork, run: Run, command: SetAsideCommand, faults: list[Fault]) -> date | None:
    """The last day on which seats are set aside: as said, or so many days before the start, which there must be."""
    if (command.last is None) == (command.days_before is None):
        faults.append(Fault("/last", "Say through which day, or how many days before the start."))
        return None
    last = core_gates.last_early_day(command.last, command.days_before, schedule.start_day(uow, run))
    if last is None:
        faults.append(Fault("/days_before", "The run has no start to count days from; give a day."))
    return last


# --- by the clock -----------------------------------------------------------------------------------------


def due_runs(uow: UnitOfWork) -> list[int]:
    """The runs on which something that was kept back runs out."""
    ended = or_(HeldPlace.last < uow.today, HeldPlace.until <= uow.now)
    lapsed = select(HeldPlace.run_id).where(HeldPlace.status == HoldStatus.HELD, ended)
    unpaid = select(Enrollment.run_id).where(
        Enrollment.status == EnrollmentStatus.HELD, Enrollment.hold_until <= uow.now
    )
    return sorted(uow.session.scalars(lapsed.union(unpaid)))


def let_go(uow: UnitOfWork, run_id: int) -> int:
    """End what has run out on a run: held places, and seats whose first payment never came."""
    run = seats.run_to_change(uow, run_id)
    ended = or_(HeldPlace.last < uow.today, HeldPlace.until <= uow.now)
    rows = uow.session.scalars(
        select(HeldPlace).where(HeldPlace.run_id == run.id, HeldPlace.status == HoldStatus.HELD, ended)
    ).all()
    for row in rows:
        row.status, row.ended_at = HoldStatus.LAPSED, uow.now
        if row.until is not None:
            continue  # kept for minutes only, while somebody was filling in a form: nobody's business
        uow.log(
            Act.HELD_PLACES_LAPSE,
            row.id,
            f"{row.seats} places held for {row.for_whom} on {run.code} lapsed",
            run_id=run.id,
        )
    unpaid = uow.session.scalars(
        select(Enrollment).where(
            Enrollment.run_id == run.id,
            Enrollment.status == EnrollmentStatus.HELD,
            Enrollment.hold_until <= uow.now,
        )
    ).all()
    for enrollment in unpaid:
        name, title = enrollment.person.name, run.title or run.course.title
        card = held.waits_for_card(uow, enrollment)
        what = "gave no card" if card else "did not pay"
        leaving.end(uow, enrollment, EnrollmentStatus.LAPSED, f"{name} {what} in time for {run.code}")
        change = uow.log(
            Act.A_HELD_SEAT_LAPSES,
            enrollment.id,
            f"{name} {what} in time; the seat on {run.code} is free",
            run_id=run.id,
        )
        letter = written(HeldSeatLapsed(uow.center.name, title, card))
        messages.write(uow, change, messages.to_person(enrollment.person), letter, run.id)
    uow.session.flush()
    return len(rows) + len(unpaid)


@reverses(Act.HOLD_PLACES)
def undo_hold(uow: UnitOfWork, change: Change) -> None:
    row, _ = locked_hold(uow, change.subject_id)
    row.status, row.ended_at = HoldStatus.RELEASED, uow.now


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.CHANGE_HELD_PLACES, Act.SET_SEATS_ASIDE)
def undo_kept_back(uow: UnitOfWork, change: Change) -> None:
    """Keep back again what a change let go, or the other way round; refused when the seats are somebody's by now."""
    assert change.run_id is not None
    run, row = seats.lock_run(uow, change.run_id)
    was = seats.seats_of(uow, run, row).kept
    restore_rows(uow, change)
    run, row = seats.lock_run(uow, change.run_id)
    now = seats.seats_of(uow, run, row)
    if now.kept > was and now.taken + now.kept > now.whole:
        short = min(now.kept - was, now.taken + now.kept - now.whole)
        raise conflict("full", f"{short} of these seats are taken by now.")
    gates.settle_gates(uow, run)
