"""A list that is put onto a run: read otherwise, corrected, confirmed."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import AmountText, Command, Form, Id

Cell = Annotated[str, Field(max_length=500)] | None


class BatchChangeCommand(Command):
    """Which column holds which fact, null for none; whose people they are."""

    columns: dict[str, Annotated[int, Field(strict=True, ge=0, le=1000)] | None] | None = None
    organization_id: Id | None = None


class RowFixForm(Form):
    """What is corrected in a line; an empty body takes the corrections back."""

    given: Cell = None
    family: Cell = None
    email: Cell = None
    phone: Cell = None
    number: Cell = None
    rate: Cell = None
    party: Cell = None
    remarks: Cell = None
    no_email: Cell = None
    somebody_new: Cell = None


class EnrollBatchCommand(Command):
    """What the person confirmed: so many people for so much."""

    people: Annotated[int, Field(strict=True, ge=0)]
    total: AmountText
