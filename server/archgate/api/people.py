"""People and organizations."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access import own_pages
from archgate.actions.access.staff import User
from archgate.actions.across import merging, organization_pages, person_pages
from archgate.actions.across.views import Merged, OrganizationPage, PersonFound, PersonPage
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.messages.views import MessageOut
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import (
    MergeCommand,
    NoteCommand,
    OrganizationCommand,
    OrganizationPatch,
    PersonCommand,
    PersonPatch,
    TagsCommand,
)
from archgate.actions.people.views import (
    Notes,
    OrganizationChanged,
    OrganizationOut,
    PersonChanged,
    PersonNear,
    PersonOut,
    Tagged,
)
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["people"])


@router.get("/people")
def find_people(
    request: Request, q: str = "", limit: int = 8, user: User = Depends(may("read"))
) -> list[PersonFound]:
    """People by parts of name, email or phone number."""
    return run_read(request, user, lambda uow: person_pages.find_people(uow, q, max(1, min(limit, 50))))


@router.get("/people/near")
def near(
    request: Request,
    given: str = "",
    family: str = "",
    email: str = "",
    phone: str = "",
    user: User = Depends(may("read")),
) -> list[PersonNear]:
    """People who may be the one being typed."""
    return run_read(request, user, lambda uow: people.near(uow, given, family, email, phone))


@router.get("/people/{person_id}")
def person_page(person_id: int, request: Request, user: User = Depends(may("read"))) -> PersonPage:
    return run_read(request, user, lambda uow: person_pages.person_page(uow, person_id))


@router.patch("/people/{person_id}")
def change_person(
    person_id: int, body: PersonPatch, request: Request, user: User = Depends(may("keep people"))
) -> PersonChanged:
    return run_act(request, user, lambda uow: own_pages.change_person(uow, person_id, body))


@router.post("/people/{person_id}/notes", status_code=201)
def add_note(
    person_id: int,
    body: NoteCommand,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> Notes:
    return run_act(request, user, lambda uow: people.add_note(uow, person_id, body), once=key)


@router.post("/people", status_code=201)
def create_person(
    body: PersonCommand,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> PersonOut:
    return run_act(request, user, lambda uow: own_pages.new_person(uow, body), once=key)


@router.get("/organizations")
def find_organizations(
    request: Request, q: str = "", include: int | None = None, user: User = Depends(may("read"))
) -> list[OrganizationOut]:
    """Up to 20 by a part of the name, by name; `include` stands first in any case."""
    return run_read(request, user, lambda uow: organizations.find_organizations(uow, q, include))


@router.post("/organizations", status_code=201)
def create_organization(
    body: OrganizationCommand,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> OrganizationOut:
    return run_act(request, user, lambda uow: organizations.create_organization(uow, body), once=key)


@router.get("/organizations/{organization_id}")
def organization(
    organization_id: int, request: Request, user: User = Depends(may("read"))
) -> OrganizationPage:
    """An organization with its accounts, the people it sends and its contract runs."""
    return run_read(request, user, lambda uow: organization_pages.organization_page(uow, organization_id))


@router.patch("/organizations/{organization_id}")
def change_organization(
    organization_id: int,
    body: OrganizationPatch,
    request: Request,
    user: User = Depends(may("keep people")),
) -> OrganizationChanged:
    """Change what is known of an organization; what `set` does not name stays."""
    return run_act(request, user, lambda uow: organizations.change_organization(uow, organization_id, body))


@router.get("/tags")
def list_tags(request: Request, user: User = Depends(may("read"))) -> list[str]:
    """Every tag that some person has."""
    return run_read(request, user, people.known_tags)


@router.put("/people/{person_id}/tags")
def tag_person(
    person_id: int, body: TagsCommand, request: Request, user: User = Depends(may("keep people"))
) -> Tagged:
    """What kind of person somebody is to the center; it decides which rates they may have."""
    return run_act(request, user, lambda uow: people.tag_person(uow, person_id, body))


@router.get("/people/{person_id}/messages")
def person_messages(person_id: int, request: Request, user: User = Depends(may("read"))) -> list[MessageOut]:
    """What was written to this person, newest first."""
    return run_read(request, user, lambda uow: person_pages.messages_of(uow, person_id))


@router.post("/people/{person_id}/merge")
def merge(
    person_id: int,
    body: MergeCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> Merged:
    """Make two records of one person one; with `preview` nothing is saved. It can be undone until the next act on the person."""
    return run_act(
        request, user, lambda uow: merging.merge(uow, person_id, body.gone_id), once=key, preview=preview
    )
