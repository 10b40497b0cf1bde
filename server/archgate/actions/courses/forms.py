"""What runs cost, as forms send it and as courses and the center keep it for new runs: rates, extras, group steps, taxes, plans."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.courses.commands import RefundForm
from archgate.actions.kernel.commands import AmountText, Day, Days, Flag, Form, Id, Line, PercentText, Words
from archgate.core.plans import Settle
from archgate.core.states import Role, SeatsShown, Told
from archgate.core.waitlist import Rule


class EarlyStepForm(Form):
    until: Day | None = Field(None, title="The last day of the step")
    days_before: Days | None = Field(None, title="The days before the start")
    amount: AmountText | None = Field(None, title="The early price")
    off: AmountText | None = Field(None, title="The amount off")
    percent: PercentText | None = Field(None, title="The percent off")


class SaleForm(Form):
    first: Day | None = Field(None, alias="from", title="The first day of the sale")
    to: Day | None = Field(None, title="The last day of the sale")
    amount: AmountText = Field(title="The sale price")


class RateForm(Form):
    """A rate with who may have it, when, and for how many heads. A code is made from the label."""

    code: Annotated[Words, Field(max_length=40)] | None = Field(None, title="The rate's code")
    label: Line | None = Field(None, title="The label")
    amount: AmountText | None = Field(None, title="The amount")
    early: Annotated[list[EarlyStepForm], Field(max_length=20)] | None = Field(None, title="The early steps")
    sale: SaleForm | None = None
    by_agreement: Flag | None = Field(None, title="Whether it is agreed case by case")
    tags: Annotated[list[Annotated[Words, Field(max_length=40)]], Field(max_length=20)] | None = Field(
        None, title="The kinds of people"
    )
    organization_id: Id | None = Field(None, title="The organization")
    past_course_id: Id | None = Field(None, title="The course taken")
    offered_from: Day | None = Field(None, title="The first day")
    offered_to: Day | None = Field(None, title="The last day")
    most: Annotated[int, Field(strict=True, ge=1, le=100_000)] | None = Field(
        None, title="The number of seats at this rate"
    )


class ExtraForm(Form):
    """`item` is the stock item it is taken from."""

    code: Annotated[Words, Field(max_length=40)] | None = Field(None, title="The extra's code")
    label: Line | None = Field(None, title="The name of the extra")
    amount: AmountText | None = Field(None, title="The amount")
    required: Flag | None = Field(None, title="Whether it is required")
    most: Annotated[int, Field(strict=True, ge=1, le=10**6)] | None = Field(
        None, title="The most of one sign-up"
    )
    item: Line | None = Field(None, title="The stock item")


class GroupStepForm(Form):
    people: Annotated[int, Field(strict=True, ge=1, le=10**6)] = Field(
        alias="from", title="The number of people"
    )
    percent: PercentText = Field(title="The percent off")


class TaxForm(Form):
    """`on`: the codes of rates and extras that bear it; none said is all of them."""

    name: Words = Field(title="The name of the tax")
    percent: PercentText = Field(title="The percent")
    included: Flag | None = Field(None, title="Whether it is in the price")
    on: Annotated[list[Line], Field(max_length=60)] | None = Field(None, title="What it is on")


Number = Annotated[int, Field(strict=True, ge=0, le=36_600)]


class DueForm(Form):
    """When a line falls due: one of these."""

    on: Day | None = Field(None, title="The due date")
    after_sign_up: Number | None = Field(None, title="The number of days or months")
    before_start: Number | None = Field(None, title="The number of days or months")
    after_start: Number | None = Field(None, title="The number of days or months")
    months_after_sign_up: Number | None = Field(None, title="The number of days or months")
    months_after_start: Number | None = Field(None, title="The number of days or months")


class PlanLineForm(Form):
    percent: PercentText | None = Field(None, title="The percent")
    amount: AmountText | None = Field(None, title="The amount")
    parts: Annotated[int, Field(strict=True, ge=1, le=10**6)] | None = Field(None, title="The parts")
    rest: Flag | None = Field(None, title="The rest")
    due: DueForm = Field(title="When the line is due")
    settle: Settle | None = Field(None, title="Where the line is settled")


class PlanFacts(Form):
    """`details`: payment details are taken at sign-up."""

    name: Words | None = Field(None, title="The name of the plan")
    note: Annotated[Line, Field(max_length=2000)] | None = None
    details: Flag | None = Field(None, title="Whether payment details are taken at sign-up")
    lines: Annotated[list[PlanLineForm], Field(max_length=60)] | None = Field(None, title="The lines")


class PlanForm(PlanFacts):
    """A plan of a run; with `id` one that is there."""

    id: Id | None = Field(None, title="The plan")


class TermsForm(Form):
    """What a run costs: each list as a whole."""

    rates: Annotated[list[RateForm], Field(max_length=20)] | None = Field(None, title="The rates")
    extras: Annotated[list[ExtraForm], Field(max_length=30)] | None = Field(None, title="The extras")
    group: Annotated[list[GroupStepForm], Field(max_length=100)] | None = Field(None, title="The group steps")
    taxes: Annotated[list[TaxForm], Field(max_length=20)] | None = Field(None, title="The taxes")
    plans: Annotated[list[PlanForm], Field(max_length=12)] | None = Field(None, title="The payment plans")


class LineRulesForm(TermsForm):
    """How seats and the line are given on new runs, and what role somebody has who comes onto a roster without a seat."""

    overbook: Annotated[int, Field(strict=True, ge=0, le=100_000)] | None = Field(
        None, title="The seats beyond the capacity"
    )
    line_rule: Rule | None = Field(None, title="The rule of the line")
    auto_offer: Flag | None = Field(None, title="Whether seats are offered by themselves")
    offer_hours: Annotated[int, Field(strict=True, ge=1, le=24 * 60)] | None = Field(
        None, title="The hours of an offer"
    )
    hold_hours: Annotated[int, Field(strict=True, ge=1, le=24 * 60)] | None = Field(
        None, title="The hours a seat is held"
    )
    role: Role | None = Field(None, title="The role without a seat")
    told: Annotated[list[Told], Field(max_length=10)] | None = Field(None, title="Who is told")
    access_days: Annotated[int, Field(strict=True, ge=0, le=36_600)] | None = Field(
        None, title="The days of access"
    )


class GateRule(Form):
    days_before: Days | None = Field(None, title="The days before the start")


class WindowRule(Form):
    opens: GateRule | None = None
    closes: GateRule | None = None


class CenterDefaultsForm(LineRulesForm):
    """What runs start from where their course says nothing."""

    refunds: RefundForm | None = Field(None, title="The refund policy")
    office_email: Annotated[Line, Field(max_length=254)] | None = Field(None, title="The office's email")
    seats_shown: SeatsShown | None = Field(None, title="How seats are said to the public")
    terms: Annotated[str, Field(max_length=20_000)] | None = Field(None, title="The terms people agree to")
    quote_days: Annotated[int, Field(strict=True, ge=1, le=365)] | None = Field(
        None, title="The days a quote is kept"
    )


class CourseDefaultsForm(LineRulesForm):
    """What the next runs of a course start from."""

    place: Line | None = None
    instructor: Line | None = None
    capacity: Annotated[int, Field(strict=True, ge=1, le=100_000)] | None = None
    smallest: Annotated[int, Field(strict=True, ge=0, le=100_000)] | None = None
    time_zone: Line | None = None
    windows: Annotated[list[WindowRule], Field(max_length=12)] | None = None
    decision_rule: GateRule | None = None
    refunds: RefundForm | None = Field(None, title="The refund policy")
