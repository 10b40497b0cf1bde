"""What is asked of a run: rates for heads, extras, a code, a plan."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    Day,
    Days,
    EmptyIsNone,
    Id,
    NullIsEmpty,
    PercentText,
    Reason,
    Whole,
    Why,
    Words,
)
from archgate.core.seats import LARGEST_PARTY

MOST_ROWS = 50
Names = Annotated[list[Annotated[str, Field(max_length=300)]], NullIsEmpty, Field(max_length=LARGEST_PARTY)]


class AgreedPrice(Command):
    """A price per head that staff agreed, and why."""

    amount: AmountText = Field(title="The amount agreed")
    reason: Why


class HeadsAsked(Command):
    """Heads at one rate; without a rate the first that is offered."""

    rate_id: Id | None = None
    count: Annotated[int, Field(strict=True, ge=1, le=LARGEST_PARTY, title="The number of people")]
    agreed: AgreedPrice | None = Field(None, title="What was agreed")


class ExtraAsked(Command):
    extra_id: Id
    count: Annotated[int, Field(strict=True, ge=1, le=10**6, title="The number")]


class Ask(Command):
    """What is asked of a run. `rate_id` and `heads` are the short form of `people`; `waive` is why the seats cost nothing."""

    people: Annotated[list[HeadsAsked], NullIsEmpty, Field(max_length=MOST_ROWS)] = Field(
        default_factory=list
    )
    extras: Annotated[list[ExtraAsked], NullIsEmpty, Field(max_length=MOST_ROWS)] = Field(
        default_factory=list
    )
    code: Annotated[Annotated[str, Field(max_length=60)] | None, EmptyIsNone] = None
    plan_id: Id | None = Field(None, title="The payment plan")
    rate_id: Id | None = None
    heads: Whole | None = Field(None, title="The number of heads")
    waive: Why | None = Field(None, title="The reason")


class QuoteCommand(Ask):
    """Beside the ask: who it is for, whose money it is, the names of the other heads, and the day it is asked for."""

    person_id: Id | None = None
    organization_id: Id | None = None
    names: Names = Field(default_factory=list)
    day: Day | None = None
    received_on: Day | None = Field(None, title="The day it was received")
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    set_aside_id: Id | None = Field(None, title="The seats set aside")
    held_place_id: Id | None = Field(None, title="The held places")


class KeepCommand(Ask):
    """`total` is what the screen showed, `last` the day through which the quote stands, `follow_up` the day to ask again."""

    run_id: Id
    person_id: Id
    organization_id: Id | None = None
    total: AmountText = Field(title="The total that was shown")
    last: Day | None = Field(None, title="The last day")
    note: Annotated[str, Field(max_length=2000)] = ""
    send: Annotated[bool, Field(strict=True, title="Whether to send it")] = False
    follow_up: Day | None = Field(None, title="The day to follow up")


class StockCommand(Command):
    """`add` is how many come in (or go out, negative); `counted` what a count found. One of both."""

    name: Words = Field(title="The name of the item")
    add: Whole | None = Field(None, title="How many come in")
    counted: Annotated[int, Field(strict=True, ge=0, le=10**6)] | None = Field(
        None, title="How many were counted"
    )
    cause: Reason | None = Field(None, title="The cause")


class EarlyCommand(Command):
    """The early-bird planner's inputs; `rounding` is the amount that the regular price is rounded to. The currency is the
    center's, where it is not a run's."""

    currency: Annotated[str, Field(max_length=3)] | None = None
    fee: AmountText = Field(title="Today's fee")
    share: PercentText = Field(title="The share that signs up early")
    target: AmountText = Field(title="The target income per seat")
    days: Days = Field(title="The days before the start")
    rounding: AmountText = Field(title="The rounding")
