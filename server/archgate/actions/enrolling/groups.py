"""Groups inside a run."""

from __future__ import annotations

from sqlalchemy import func, select, update

from archgate.actions.enrolling.roster_views import Grouped, GroupOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, RunGroup

LONGEST = 100


class Groups:
    """Groups of runs by name, made when first named; under the lock of the run."""

    def __init__(self, uow: UnitOfWork) -> None:
        self.uow = uow
        self.known: dict[tuple[int, str], int] = {}

    def of(self, run_id: int, name: str) -> int | None:
        if not name:
            return None
        key = (run_id, name.casefold())
        if key not in self.known:
            session = self.uow.session
            named = select(RunGroup).where(RunGroup.run_id == run_id, RunGroup.name == name[:LONGEST])
            group = session.scalar(named)
            if group is None:
                group = RunGroup(run_id=run_id, name=name[:LONGEST])
                session.add(group)
                session.flush()
            self.known[key] = group.id
        return self.known[key]


def put_in_group(uow: UnitOfWork, run_id: int, name: str | None, enrollment_ids: list[int]) -> Grouped:
    """Put people of a roster into a group of the run, made when first named; without a name, out of theirs."""
    run = seats.run_to_change(uow, run_id)
    wanted = (name or "").strip()
    if len(wanted) > LONGEST:
        raise refuse("/name", "The name of a group has up to 100 characters.")
    if not 1 <= len(enrollment_ids) <= 20_000:
        raise refuse("/enrollment_ids", "Choose somebody.")
    rows = uow.session.execute(
        select(Enrollment.id, Enrollment.group_id).where(
            Enrollment.id.in_(enrollment_ids), Enrollment.run_id == run.id, Enrollment.live == 1
        )
    ).all()
    if len(rows) != len(set(enrollment_ids)):
        raise conflict("moved-on", "Somebody chosen is no longer on this roster.")
    into = Groups(uow).of(run.id, wanted)
    moved = [number for number, was in rows if was != into]
    uow.session.execute(update(Enrollment).where(Enrollment.id.in_(moved)).values(group_id=into))
    uow.rows += [
        {"table": "enrollments", "id": number, "before": {"group_id": was}, "after": {"group_id": into}}
        for number, was in rows
        if was != into
    ]
    for empty in uow.session.scalars(select(RunGroup).where(RunGroup.run_id == run.id)).all():
        if uow.session.scalar(select(Enrollment.id).where(Enrollment.group_id == empty.id).limit(1)) is None:
            uow.session.delete(empty)
    uow.session.flush()
    many = f"{len(rows)} {'person' if len(rows) == 1 else 'people'}"
    change = uow.log(
        Act.GROUP_PEOPLE, run.id, f"{many} of {run.code}: {f'group {wanted}' if wanted else 'no group'}"
    )
    return Grouped(change=change.key, people=len(rows), groups=groups_of(uow, run.id))


def groups_of(uow: UnitOfWork, run_id: int) -> list[GroupOut]:
    rows = uow.session.execute(
        select(RunGroup.id, RunGroup.name, func.count(Enrollment.id))
        .outerjoin(Enrollment, (Enrollment.group_id == RunGroup.id) & (Enrollment.live == 1))
        .where(RunGroup.run_id == run_id)
        .group_by(RunGroup.id, RunGroup.name)
        .order_by(RunGroup.name)
    )
    return [GroupOut(id=number, name=name, people=int(many)) for number, name, many in rows]


def group_lines(uow: UnitOfWork, run_id: int) -> tuple[str, list[list[str]]]:
    """Everybody on a run by group, for a file; those in none come last."""
    run = get_run(uow, run_id)
    query = (
        select(RunGroup.name, Person.name, Person.email, Person.phone, Enrollment.heads, Enrollment.role)
        .select_from(Enrollment)
        .join(Person, Person.id == Enrollment.person_id)
        .outerjoin(RunGroup, RunGroup.id == Enrollment.group_id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1)
        .order_by(RunGroup.name.is_(None), RunGroup.name, Person.family, Person.given)
    )
    lines = [["Group", "Name", "Email", "Phone", "Heads", "Role"]]
    for group, name, email, phone, heads, role in uow.session.execute(query):
        lines.append([group or "", name, email or "", phone or "", str(heads), str(role)])
    return run.code, lines
