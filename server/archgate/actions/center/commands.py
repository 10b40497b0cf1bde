"""The staff and the center's settings as forms send them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.access.commands import Secret
from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    EmptyIsNone,
    Flag,
    Form,
    Id,
    Line,
    LongText,
    Words,
)
from archgate.core.rights import Right
from archgate.core.states import NumberFormat, PaperSize

RoleName = Annotated[Words, Field(max_length=60)]


class InviteCommand(Command):
    """Somebody new on the staff; they are written to with a link to set a password."""

    name: Words = Field(title="The name")
    email: Annotated[Words, Field(max_length=254)] = Field(title="The email")
    role_id: Id = Field(title="The role")


class StaffFacts(Command):
    """What is left out stays as it is. `active` of false ends the account: they are signed out and cannot come in."""

    name: Words | None = Field(None, title="The name")
    email: Annotated[Words, Field(max_length=254)] | None = Field(None, title="The email")
    role_id: Id | None = Field(None, title="The role")
    active: Flag | None = None


class StaffPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    set: StaffFacts
    seen: StaffFacts = Field(default_factory=StaffFacts)


class RoleCommand(Command):
    """A role of the center: its name, what it allows, and whether it needs a code to sign in."""

    name: RoleName = Field(title="The name")
    rights: Annotated[list[Right], Field(max_length=60)]
    second_factor: Flag = Field(default_factory=bool)


class RoleFacts(Command):
    name: RoleName | None = Field(None, title="The name")
    rights: Annotated[list[Right], Field(max_length=60)] | None = None
    second_factor: Flag | None = None


class RolePatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    set: RoleFacts
    seen: RoleFacts = Field(default_factory=RoleFacts)


class OwnPasswordCommand(Command):
    """The password one has, and the one to be."""

    now: Secret = Field(title="The password you have")
    password: Secret = Field(title="The new password")


class FactorCodeCommand(Command):
    """A code of the second factor, or one of those that work once."""

    code: Line = Field(title="The code")


class CenterFacts(Form):
    """What is left out stays as it is. `confirm_above` of null: nothing waits for a second person."""

    name: Words | None = Field(None, title="The name")
    address: Annotated[LongText, Field(max_length=600)] | None = None
    time_zone: Line | None = Field(None, title="The time zone")
    currency: Line | None = Field(None, title="The currency")
    region: Line | None = Field(None, title="The region of public holidays")
    first_weekday: Annotated[int, Field(strict=True, ge=0, le=6)] | None = None
    paper_size: PaperSize | None = None
    number_format: NumberFormat | None = None
    confirm_above: Annotated[AmountText | None, EmptyIsNone] = Field(None, title="The sum")


class CenterPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    set: CenterFacts
    seen: CenterFacts = Field(default_factory=CenterFacts)
