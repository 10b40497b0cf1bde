"""Seats held for somebody, or set aside for a group."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import Command, Day, Days, Id, Line, Words


class HoldCommand(Command):
    """`last` is the last day; `for_whom` may be left out with a person or an organization."""

    seats: Annotated[int, Field(strict=True, ge=1, le=10_000)] = Field(title="The number of places")
    for_whom: Line | None = None
    last: Day = Field(title="The last day")
    note: Annotated[Line, Field(max_length=1000)] | None = None
    person_id: Id | None = Field(None, title="The person")
    organization_id: Id | None = Field(None, title="The organization")


class HoldChangeCommand(Command):
    """More or fewer places, or longer; none is letting them go."""

    seats: Annotated[int, Field(strict=True, ge=0, le=10_000)] | None = Field(
        None, title="The number of places"
    )
    last: Day | None = Field(None, title="The last day")


class SetAsideCommand(Command):
    """With `id` one that is there is changed; zero seats ends it. Through the day `last`, or so many days before the start."""

    id: Id | None = Field(None, title="The seats set aside")
    name: Words = Field(title="The name of the group")
    seats: Annotated[int, Field(strict=True, ge=0, le=100_000)] = Field(title="The number of seats")
    last: Day | None = Field(None, title="The last day")
    days_before: Days | None = Field(None, title="The days before the start")
    tag: Annotated[Line, Field(max_length=40)] | None = Field(None, title="The tag")
    organization_id: Id | None = Field(None, title="The organization")
