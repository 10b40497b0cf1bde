"""What is answered about people."""

from __future__ import annotations

from archgate.actions.kernel.commands import Moment, View


class PersonOut(View):
    id: int
    given: str
    family: str
    name: str
    email: str | None
    phone: str | None
    note: str
    merged_into_id: int | None


class OrganizationOut(View):
    id: int
    name: str
    email: str | None
    address: str
    number: str


class OrganizationChanged(OrganizationOut):
    change: str


class PersonNear(PersonOut):
    why: str


class PersonChanged(PersonOut):
    change: str


class NoteOut(View):
    at: Moment
    by: str
    text: str


class Notes(View):
    notes: list[NoteOut]


class Tagged(View):
    change: str
    tags: list[str]
