"""Courses as forms send them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    Days,
    Form,
    Line,
    LongText,
    PercentText,
    Words,
)


class RefundStepForm(Form):
    days_before: Days = Field(title="The days before the start")
    percent: PercentText = Field(title="The percent given back")


class RefundForm(Form):
    """Steps by days before the start, the fee kept in any case, the one for a transfer."""

    steps: Annotated[list[RefundStepForm], Field(max_length=12)] = Field(
        default_factory=list, title="The steps"
    )
    kept_fee: AmountText | None = Field(None, title="The kept fee")
    transfer_fee: AmountText | None = Field(None, title="The fee for a transfer")


class CourseFacts(Command):
    """What a course says of itself; `refunds` of null: the center's policy."""

    title: Words | None = None
    code: Annotated[Words, Field(max_length=40)] | None = None
    summary: LongText | None = None
    category: Line | None = None
    refunds: RefundForm | None = Field(None, title="The refund policy")


class CoursePatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: CourseFacts = Field(default_factory=CourseFacts)
    set: CourseFacts = Field(title="What to change")


class CourseForm(Command):
    """A course that is made with its first run."""

    code: Annotated[Line, Field(max_length=40)] | None = None
    title: Words = Field(title="The course title")
    summary: LongText | None = None
