"""Terms of a run, plans of the center, codes and defaults: what changes them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.courses.forms import CenterDefaultsForm, PlanFacts, PlanLineForm, TermsForm
from archgate.actions.fees.views import ExtraOut, GroupStepIO, PlanOut, RateOut, TaxIO
from archgate.actions.kernel.commands import AmountText, Command, Day, Flag, Form, Id, Line, PercentText


class TermsSeen(Form):
    """The terms that the person saw, as the run shows them."""

    rates: list[RateOut] | None = None
    extras: list[ExtraOut] | None = None
    group: list[GroupStepIO] | None = None
    taxes: list[TaxIO] | None = None
    plans: list[PlanOut] | None = None


class TermsPatch(Command):
    """`set` holds the new lists, `seen` those the person saw: only what changed meanwhile conflicts."""

    seen: TermsSeen = Field(default_factory=TermsSeen)
    set: TermsForm = Field(title="What to change")


class CenterDefaultsPatch(Command):
    """`set` holds the new values, null to forget one; `seen` those the person saw."""

    seen: CenterDefaultsForm = Field(default_factory=CenterDefaultsForm)
    set: CenterDefaultsForm = Field(title="What to change")


Courses = Annotated[list[Id], Field(max_length=500)]


class PlanCommand(PlanFacts):
    """A plan of the center, for any run or for some courses."""

    course_ids: Courses | None = None


class PlanChangeForm(PlanCommand):
    active: Flag | None = Field(None, title="Whether it is in use")


class PlanPatch(Command):
    seen: PlanChangeForm = Field(default_factory=PlanChangeForm)
    set: PlanChangeForm = Field(title="What to change")


class PlanExampleCommand(Form):
    """Lines as a form holds them, on a real run and sign-up date; without a run, on a total of your own."""

    run_id: Id | None = Field(None, title="The run")
    rate_id: Id | None = Field(None, title="The rate")
    total: Annotated[str, Field(max_length=30)] | None = Field(None, title="The total")
    lines: Annotated[list[PlanLineForm], Field(max_length=60)] | None = Field(None, title="The lines")
    signed_up: Day | None = Field(None, title="The sign-up date")


class CodeCommand(Form):
    """`number` makes a set of single-use codes; `on` are codes of rates and extras, none said is every rate."""

    code: Annotated[Line, Field(max_length=60)] | None = Field(None, title="The code")
    note: Line | None = None
    percent: PercentText | None = Field(None, title="The percent off")
    off: AmountText | None = Field(None, title="The amount off")
    first: Day | None = Field(None, alias="from", title="The first day")
    to: Day | None = Field(None, title="The last day")
    most: Annotated[int, Field(strict=True, ge=1, le=10**6)] | None = Field(None, title="The number of uses")
    most_each: Annotated[int, Field(strict=True, ge=1, le=1000)] | None = Field(
        None, title="The number of uses of one person"
    )
    course_ids: Courses | None = None
    run_ids: Courses | None = None
    on: Annotated[list[Line], Field(max_length=60)] | None = Field(None, title="What it is on")
    active: Flag | None = None
    number: Annotated[int, Field(strict=True, ge=2, le=2000)] | None = Field(
        None, title="The number of codes"
    )
