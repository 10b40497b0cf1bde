"""People as forms send them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import Command, Flag, Id, Line, LongText, Words


class PersonFacts(Command):
    """What is known of a person; what is left out is not said."""

    given: Line | None = Field(None, title="The given name")
    family: Line | None = Field(None, title="The family name")
    email: Annotated[Line, Field(max_length=254)] | None = None
    phone: Annotated[Line, Field(max_length=40)] | None = Field(None, title="The phone number")
    note: LongText | None = None
    health: LongText | None = Field(None, title="The remark on health")


class PersonCommand(PersonFacts):
    """Somebody new; `anyway`, though there is somebody with this name and email; `invite` them to a page of their own."""

    anyway: Flag = Field(default_factory=bool)
    invite: Flag = Field(default_factory=bool, title="Whether to invite them")


class PersonPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: PersonFacts = Field(default_factory=PersonFacts)
    set: PersonFacts = Field(title="What to change")


class NoteCommand(Command):
    text: Annotated[Words, Field(max_length=5000)] = Field(title="The note")


class TagsCommand(Command):
    """What kind of person somebody is."""

    tags: Annotated[list[Annotated[Line, Field(max_length=40)]], Field(max_length=20)]


class OrganizationFacts(Command):
    """What is left out stays as it is. `number`: of its taxes or its contract, as it wants it on papers."""

    name: Words | None = Field(None, title="The name")
    email: Annotated[str, Field(max_length=254)] | None = Field(None, title="The email")
    address: Annotated[LongText, Field(max_length=600)] | None = Field(None, title="The address")
    number: Annotated[Line, Field(max_length=60)] | None = Field(None, title="The number")


class OrganizationCommand(OrganizationFacts):
    name: Words = Field(title="The name")


class OrganizationPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    set: OrganizationFacts
    seen: OrganizationFacts = Field(default_factory=OrganizationFacts)


class MergeCommand(Command):
    """The other record, whose everything goes to this one."""

    gone_id: Id = Field(title="The other record")
