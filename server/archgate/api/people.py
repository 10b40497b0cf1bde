"""People and organizations."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from archgate.actions import people
from archgate.actions.access import User
from archgate.actions.transaction import Once
from archgate.api.courses import given
from archgate.api.web import Body, may, once, run_act, run_look

router = APIRouter(tags=["people"])


class PersonOut(BaseModel):
    id: int
    given: str
    family: str
    name: str
    email: str | None
    phone: str | None
    note: str


class NextDue(BaseModel):
    due: str
    amount: str


class PersonFound(PersonOut):
    runs: int
    owed: str | None
    next_due: NextDue | None


class NewPerson(Body):
    given: Any = None
    family: Any = None
    email: Any = None
    phone: Any = None
    note: Any = None
    anyway: Any = None


class OrganizationOut(BaseModel):
    id: int
    name: str


class NewOrganization(BaseModel):
    name: str


@router.get("/people")
def find_people(
    request: Request, q: str = "", limit: int = 8, user: User = Depends(may("read"))
) -> list[PersonFound]:
    """People by parts of name, email or phone number."""
    return run_look(request, user, lambda deed: people.find_people(deed, q, max(1, min(limit, 50))))


@router.post("/people", status_code=201)
def create_person(
    body: NewPerson,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> PersonOut:
    return run_act(request, user, lambda deed: people.create_person(deed, given(body)), once=key)


@router.get("/organizations")
def find_organizations(
    request: Request, q: str = "", user: User = Depends(may("read"))
) -> list[OrganizationOut]:
    return run_look(request, user, lambda deed: people.find_organizations(deed, q))


@router.post("/organizations", status_code=201)
def create_organization(
    body: NewOrganization,
    request: Request,
    user: User = Depends(may("keep people")),
    key: Once | None = Depends(once),
) -> OrganizationOut:
    return run_act(request, user, lambda deed: people.create_organization(deed, body.name), once=key)
