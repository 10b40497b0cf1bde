"""A list that is put onto runs: pasted, chosen, read otherwise, corrected, decided on, confirmed, taken back."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import Command, Flag, Form, Id, Line
from archgate.core.states import Role, RowDecision, RowKind, SentenceKind, Told

Cell = Annotated[str, Field(max_length=500)] | None
MOST_PASTED = 4_000_000  # characters
MOST_LINES = 50_000


class PasteCommand(Command):
    """Cells as they were copied from a sheet; without a run each line names its own."""

    text: Annotated[str, Field(min_length=1, max_length=MOST_PASTED)] = Field(title="What was pasted")
    name: Line = "pasted cells"
    run_id: Id | None = None


class ChooseCommand(Command):
    """People who are known already, for a run: everybody, or those of whom all that is said holds; `but` are left out.

    `role`: what they are on a roster, of `of_run_id` or of any; `group`: of that run.
    """

    run_id: Id
    role: Role | None = None
    tag: Annotated[Line, Field(max_length=40)] | None = None
    organization_id: Id | None = None
    of_run_id: Id | None = None
    group: Annotated[Line, Field(max_length=100)] | None = None
    but_tag: Annotated[Line, Field(max_length=40)] | None = Field(None, title="The tag that is left out")
    but_run_id: Id | None = Field(None, title="The run whose people are left out")


class BatchChangeCommand(Command):
    """Which column holds which fact, null for none; which sheet; and what holds for every row that says nothing else."""

    columns: dict[str, Annotated[int, Field(strict=True, ge=0, le=1000)] | None] | None = None
    sheet: Line | None = None
    organization_id: Id | None = None
    rate: Line | None = None
    plan: Line | None = None
    code: Annotated[Line, Field(max_length=40)] | None = None
    extras: Annotated[Line, Field(max_length=500)] | None = None
    group_name: Annotated[Line, Field(max_length=100)] | None = Field(None, title="The group")
    order_number: Annotated[Line, Field(max_length=100)] | None = Field(None, title="The purchase order")
    contact: Line | None = None


class RowFixForm(Form):
    """What is corrected in a line; an empty body takes the corrections back. `person`: the id of whoever is meant."""

    given: Cell = None
    family: Cell = None
    email: Cell = None
    phone: Cell = None
    number: Cell = None
    rate: Cell = None
    party: Cell = None
    remarks: Cell = None
    run: Cell = None
    group: Cell = None
    extras: Cell = None
    code: Cell = None
    plan: Cell = None
    payer: Cell = None
    order: Cell = None
    contact: Cell = None
    no_email: Cell = None
    somebody_new: Cell = None
    person: Cell = None
    left_out: Cell = None


class DecideLinesCommand(Command):
    """One decision for all lines of a kind."""

    kind: RowKind
    decision: RowDecision


class EnrollBatchCommand(Command):
    """What the person confirmed: so many sign-ups for so much, and who is told; null as each run has it."""

    people: Annotated[int, Field(strict=True, ge=0)]
    total: Annotated[str, Field(max_length=400)]
    told: Annotated[list[Told], Field(max_length=10)] | None = None


class TakeBackCommand(Command):
    """Which lines are taken back: by number, null is all of them, or those of a filter, as lines are shown by it."""

    lines: Annotated[list[Annotated[int, Field(strict=True, ge=1)]], Field(max_length=MOST_LINES)] | None = (
        None
    )
    only: Annotated[str, Field(max_length=60)] = ""
    q: Annotated[str, Field(max_length=100)] = ""


class SentenceTermsCommand(Command):
    """What can be changed of a sentence. Without `rate` it is free of charge; `assistants` of a follow-on one go too; `leaves`: who
    is no longer what it goes by is taken off again."""

    group: Annotated[Line, Field(max_length=100)] = ""
    rate: Annotated[Line, Field(max_length=40)] | None = None
    assistants: Flag = False
    leaves: Flag = False


class SentenceCommand(SentenceTermsCommand):
    """A standing enrollment goes by a tag, an organization, or everybody who is added; a follow-on one by a run. `all_now`: whoever
    is it already goes too."""

    kind: SentenceKind
    target_id: Id = Field(title="The run")
    source_id: Id | None = Field(None, title="The run that is followed")
    tag: Annotated[Line, Field(max_length=40)] | None = Field(None, title="The tag")
    organization_id: Id | None = Field(None, title="The organization")
    all_now: Flag = False
