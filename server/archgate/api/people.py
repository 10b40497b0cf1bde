"""People and organizations."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions.access import own_pages
from archgate.actions.access.staff import User
from archgate.actions.across import merging, person_pages
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork
from archgate.actions.people import organizations, people
from archgate.api.web import Body, In, Patch, Route, may, once, run_act, run_read
from archgate.api.web import given as given_of

router = APIRouter(tags=["people"], route_class=Route)


class PersonOut(BaseModel):
    id: int
    given: str
    family: str
    name: str
    email: str | None
    phone: str | None
    note: str
    merged_into_id: int | None


class NextDue(BaseModel):
    due: str
    amount: str


class PersonFound(PersonOut):
    runs: int
    owed: str | None
    credit: str | None
    next_due: NextDue | None


class NewPerson(Body):
    given: Any = None
    family: Any = None
    email: Any = None
    phone: Any = None
    note: Any = None
    anyway: Any = None
    invite: Any = None


class OrganizationOut(BaseModel):
    id: int
    name: str


class PersonNear(PersonOut):
    why: str


class PersonChanged(PersonOut):
    change: str


class StaffNumber(BaseModel):
    organization: str
    number: str
    department: str


class PersonRun(BaseModel):
    """A run a person signed up for, or (`guest`) was named on by somebody else's party."""

    enrollment_id: int
    run_id: int
    code: str
    title: str
    first: str | None
    last: str | None
    status: str
    decision: str
    access_until: str | None
    heads: int
    guest: bool
    payer: str | None
    signed_up: str
    currency: str
    total: str
    owed: str
    next_due: NextDue | None


class PersonWaits(BaseModel):
    waiting_id: int
    run_id: int
    code: str
    title: str
    heads: int
    place: int
    joined: str


class NoteOut(BaseModel):
    at: str
    by: str
    text: str


class LogLine(BaseModel):
    at: str
    by: str | None
    summary: str


class OwnPageState(BaseModel):
    """`status`: invited, until the link is used; open, once a password is set."""

    email: str
    status: str
    sent: str
    link_until: str | None


class PersonPage(PersonOut):
    owed: str | None
    credit: str | None
    next_due: NextDue | None
    currency: str
    numbers: list[StaffNumber]
    tags: list[str]
    enrollments: list[PersonRun]
    waiting: list[PersonWaits]
    notes: list[NoteOut]
    log: list[LogLine]
    own_page: OwnPageState | None


class NewNote(In):
    text: str


class Notes(BaseModel):
    notes: list[NoteOut]


class NewOrganization(In):
    name: str


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
    def reading(uow: UnitOfWork) -> dict[str, Any]:
        return {**person_pages.person_page(uow, person_id), "own_page": own_pages.state_of(uow, person_id)}

    return run_read(request, user, reading)  # type: ignore[no-any-return]


@router.patch("/people/{person_id}")
def change_person(
    person_id: int, body: Patch, request: Request, user: User = Depends(may("keep people"))
) -> PersonChanged:
    return run_act(request, user, lambda uow: own_pages.change_person(uow, person_id, given_of(body)))


@router.post("/people/{person_id}/notes", status_code=201)
def add_note(
    person_id: int,
    body: NewNote,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> Notes:
    return run_act(request, user, lambda uow: people.add_note(uow, person_id, body.text), once=key)


@router.post("/people", status_code=201)
def create_person(
    body: NewPerson,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> PersonOut:
    return run_act(request, user, lambda uow: own_pages.new_person(uow, given_of(body)), once=key)


@router.get("/organizations")
def find_organizations(
    request: Request, q: str = "", include: int | None = None, user: User = Depends(may("read"))
) -> list[OrganizationOut]:
    """Up to 20 by a part of the name, by name; `include` stands first in any case."""
    return run_read(request, user, lambda uow: organizations.find_organizations(uow, q, include))


@router.post("/organizations", status_code=201)
def create_organization(
    body: NewOrganization,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> OrganizationOut:
    return run_act(request, user, lambda uow: organizations.create_organization(uow, body.name), once=key)


class Tags(In):
    tags: list[str]


class Tagged(BaseModel):
    change: str
    tags: list[str]


@router.get("/tags")
def list_tags(request: Request, user: User = Depends(may("read"))) -> list[str]:
    """Every tag that some person has."""
    return run_read(request, user, people.known_tags)


@router.put("/people/{person_id}/tags")
def tag_person(
    person_id: int, body: Tags, request: Request, user: User = Depends(may("keep people"))
) -> Tagged:
    """What kind of person somebody is to the center; it decides which rates they may have."""
    return run_act(request, user, lambda uow: people.tag_person(uow, person_id, body.tags))


class PersonMessage(BaseModel):
    id: int
    to: str
    email: str
    subject: str
    body: str
    run_id: int | None
    at: str
    status: str
    invoice_id: int | None


class Moved(BaseModel):
    what: str
    number: int


class TakenOver(BaseModel):
    what: str
    value: str


class MergeIn(In):
    """The other record, whose everything goes to this one."""

    gone_id: int


class Merged(BaseModel):
    change: str
    kept_id: int
    gone_id: int
    kept: str
    gone: str
    moved: list[Moved]
    taken_over: list[TakenOver]
    balance: str
    currency: str


@router.get("/people/{person_id}/messages")
def person_messages(
    person_id: int, request: Request, user: User = Depends(may("read"))
) -> list[PersonMessage]:
    """What was written to this person, newest first."""
    return run_read(request, user, lambda uow: person_pages.messages_of(uow, person_id))


@router.post("/people/{person_id}/merge")
def merge(
    person_id: int,
    body: MergeIn,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> Merged:
    """Make two records of one person one; with `preview` nothing is saved. It can be undone until the next act on the person."""
    return run_act(
        request, user, lambda uow: merging.merge(uow, person_id, body.gone_id), once=key, preview=preview
    )
