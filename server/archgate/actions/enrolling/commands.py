"""Enrolling somebody, and putting somebody in line."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.fees.commands import MOST_ROWS, Ask, ExtraAsked, HeadsAsked, Names
from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    Day,
    EmptyIsNone,
    Flag,
    Id,
    NullIsEmpty,
    Reason,
)
from archgate.core.states import Told

ASKED = ("people", "extras", "code")
Note = Annotated[str, Field(max_length=5000)]


class EnrollCommand(Ask):
    """`total` is the total the screen showed; `organization_id` or `payer_person_id` is the payer, when not the learner.
    `names` are those of the other heads, as far as they are known; with `kept_quote_id` the terms of that quote hold.
    `received_on`, with its reason as `exception`, is the day the form came in; `exception` alone lets somebody in after the
    close. `hold` keeps the seat until the first payment only, `held_place_id` takes it from places held, `told` says who
    hears of it."""

    run_id: Id
    person_id: Id
    total: AmountText
    organization_id: Id | None = None
    payer_person_id: Id | None = None
    note: Note = ""
    names: Names = Field(default_factory=list)
    kept_quote_id: Id | None = Field(None, title="The kept quote")
    received_on: Day | None = Field(None, title="The day it was received")
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    set_aside_id: Id | None = Field(None, title="The seats set aside")
    hold: Flag | None = None
    held_place_id: Id | None = Field(None, title="The held places")
    told: list[Told] | None = Field(None, title="Who is told")


class JoinCommand(Ask):
    """`head_start` is a rank before others, with its reason as `exception`; `answers` are to the run's own questions."""

    run_id: Id
    person_id: Id
    organization_id: Id | None = None
    payer_person_id: Id | None = None
    note: Note = ""
    received_on: Day | None = Field(None, title="The day it was received")
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    head_start: Annotated[int, Field(strict=True, ge=-100, le=100)] = 0
    answers: dict[str, str] = Field(default_factory=dict)


class ChangedAsk(Command):
    """What of an ask becomes another; what is not named stays."""

    people: Annotated[list[HeadsAsked], NullIsEmpty, Field(max_length=MOST_ROWS)] = Field(
        default_factory=list
    )
    extras: Annotated[list[ExtraAsked], NullIsEmpty, Field(max_length=MOST_ROWS)] = Field(
        default_factory=list
    )
    code: Annotated[Annotated[str, Field(max_length=60)] | None, EmptyIsNone] = None

    def over(self, ask: Ask) -> Ask:
        """The ask with what is named here."""
        named: dict[str, object] = {
            name: getattr(self, name) for name in ASKED if name in self.model_fields_set
        }
        return ask.model_copy(update=named)


class ChangeCommand(ChangedAsk):
    """`fresh`: all is priced as of now. `total` is the new total that was shown."""

    fresh: Flag = Field(default_factory=bool, title="Whether all is priced anew")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    total: AmountText | None = None


class TransferCommand(ChangedAsk):
    """`keep`: what is kept instead of the fee for a transfer, with `why` where it differs."""

    run_id: Id = Field(title="The run to move to")
    plan_id: Id | None = Field(None, title="The payment plan")
    keep: AmountText | None = Field(None, title="What is kept")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    total: AmountText | None = None
