"""Money as forms send it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    Day,
    EmptyIsNone,
    Flag,
    Id,
    Line,
    Reason,
    Why,
)
from archgate.core.states import Method, WhatToPay


class PayerCommand(Command):
    """A person or an organization."""

    person_id: Id | None = None
    organization_id: Id | None = None


class PartCommand(Command):
    """What of a payment settles an installment."""

    id: Id = Field(title="The installment")
    amount: AmountText = Field(title="The part")


class PaymentCommand(Command):
    """`installments` chooses what is settled; without it the oldest due. `fee`: what a bank kept of it. `anyway`: though a check
    of this number came in before."""

    amount: AmountText = Field(title="The amount")
    method: Method = Field(title="The method")
    reference: Line | None = None
    received_on: Day | None = Field(None, title="The day it came in")
    installments: Annotated[list[PartCommand], Field(max_length=200)] | None = Field(
        None, title="The installments"
    )
    fee: Annotated[AmountText | None, EmptyIsNone] = Field(None, title="What the bank kept")
    anyway: Flag | None = None


class RefundCommand(Command):
    amount: AmountText = Field(title="The amount")
    method: Method = Field(title="The method")
    why: Why = Field(title="The reason")


class WriteOffCommand(Command):
    installment_id: Id = Field(title="The installment")
    why: Why = Field(title="The reason")


class WhyCommand(Command):
    why: Why = Field(title="The reason")


class SendCommand(Command):
    """`email`: another address than the payer's; of an organization it is kept."""

    email: Annotated[Line, Field(max_length=254)] | None = None


class IssueCommand(Command):
    """`send`: the payer gets it by email."""

    send: Flag = Field(default_factory=bool)


class ConfirmCommand(Command):
    """`confirm` of false refuses, with a word why."""

    confirm: Flag
    said: Reason | None = None


class PayByCardCommand(Command):
    """What is paid by card. `keep`: the card is kept on file for later sums; `on_file`: the one on file is charged now."""

    what: WhatToPay = Field(title="What is paid")
    keep: Flag = Field(default_factory=bool)
    on_file: Flag = Field(default_factory=bool)


class ChargeCommand(Command):
    """A sum that is charged from what is on file."""

    amount: AmountText = Field(title="The amount")
