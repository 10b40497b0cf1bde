"""Organizations: found and added."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import people
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.people.views import OrganizationOut
from archgate.tables.people import Organization


def find_organizations(
    uow: UnitOfWork, q: str, include: int | None = None, limit: int = 20
) -> list[OrganizationOut]:
    """Organizations by a part of the name; `include` is one that stands first in any case, as it is chosen already."""
    query = select(Organization).order_by(Organization.name).limit(limit)
    for word in q.split()[:6]:
        query = query.where(Organization.name.like(people.like(word)))
    rows = list(uow.session.scalars(query))
    chosen = uow.session.get(Organization, include) if include else None
    if chosen is not None:
        rows = [chosen, *(o for o in rows if o.id != chosen.id)]
    return [OrganizationOut(id=o.id, name=o.name) for o in rows]


def create_organization(uow: UnitOfWork, command: OrganizationCommand) -> OrganizationOut:
    """Add an organization; the name is unique without regard to case."""
    name = " ".join(command.name.split())
    if uow.session.scalar(select(Organization).where(Organization.name == name)):
        raise Problem(409, "same-organization", f'There is already an organization named "{name}".')
    row = Organization(name=name, created_at=uow.now)
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.ADD_AN_ORGANIZATION, row.id, f"Added {name}")
    return OrganizationOut(id=row.id, name=row.name)
