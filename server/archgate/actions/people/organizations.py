"""Organizations: found, added and changed."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.problems import Problem, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.people import people
from archgate.actions.people.commands import OrganizationCommand, OrganizationFacts, OrganizationPatch
from archgate.actions.people.views import OrganizationChanged, OrganizationOut
from archgate.core.faults import refuse
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
    return [organization_view(o) for o in rows]


def organization_view(o: Organization) -> OrganizationOut:
    return OrganizationOut(id=o.id, name=o.name, email=o.email, address=o.address, number=o.number)


def get_organization(uow: UnitOfWork, organization_id: int, to_change: bool = False) -> Organization:
    row = (
        lock_row(uow, Organization, organization_id)
        if to_change
        else uow.session.get(Organization, organization_id)
    )
    if row is None:
        raise not_found("This organization")
    return row


def checked(uow: UnitOfWork, facts: OrganizationFacts, own: int | None, at: str) -> dict[str, object]:
    """What is said of an organization, as it is kept; the name is unique without regard to case."""
    new = {n: v for n, v in said_of(facts).items() if v is not None}
    if facts.name is not None:
        new["name"] = " ".join(facts.name.split())
        same = uow.session.scalar(select(Organization).where(Organization.name == new["name"]))
        if same is not None and same.id != own:
            raise Problem(
                409, "same-organization", f'There is already an organization named "{same.name}".', id=same.id
            )
    if facts.email is not None:
        new["email"] = facts.email.strip() or None
        if facts.email.strip() and people.email_fault(facts.email.strip()):
            raise refuse(f"{at}/email", f'"{facts.email.strip()}" is not an email address.')
    return new


def create_organization(uow: UnitOfWork, command: OrganizationCommand) -> OrganizationOut:
    """Add an organization, with its address and number as far as they are known."""
    row = Organization(created_at=uow.now, **checked(uow, command, None, ""))
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.ADD_AN_ORGANIZATION, row.id, f"Added {row.name}")
    return organization_view(row)


def change_organization(
    uow: UnitOfWork, organization_id: int, command: OrganizationPatch
) -> OrganizationChanged:
    """Change what is known of an organization; papers that were issued keep what they say."""
    row = get_organization(uow, organization_id, to_change=True)
    new = checked(uow, command.set, row.id, "/set")
    now: dict[str, object] = {n: getattr(row, n) or "" for n in OrganizationFacts.model_fields}
    refuse_lost_update({n: v or "" for n, v in new.items()}, said_of(command.seen), now)
    told = ", ".join(n for n, v in new.items() if (v or "") != now[n]) or "nothing"
    for name, value in new.items():
        setattr(row, name, value)
    uow.session.flush()
    change = uow.log(Act.CHANGE_AN_ORGANIZATION, row.id, f"Changed {told} of {row.name}")
    return organization_view(row).widened(OrganizationChanged, change=change.key)
