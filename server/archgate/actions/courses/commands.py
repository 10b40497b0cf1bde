"""Courses as forms send them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from archgate.actions.kernel.commands import (
    AmountText,
    Command,
    Days,
    Flag,
    Form,
    Id,
    Line,
    LongText,
    PercentText,
    Words,
)
from archgate.core.states import CourseLevel, PublicFact, SeatsShown


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
    """What holds for a course at once, beside its public text; `refunds` of null: the center's policy. A category that is
    `named` and not there yet is made at the top of the tree."""

    title: Words | None = None
    code: Annotated[Words, Field(max_length=40)] | None = None
    category_id: Id | None = Field(None, title="The category")
    named: Line | None = Field(None, title="The category")
    promoted: Flag | None = Field(None, title="Whether it comes first")
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


# --- the public text ------------------------------------------------------------------------------------------

MOST_PICTURES, MOST_DOCUMENTS = 12, 20
Markdown = Annotated[str, StringConstraints(max_length=20_000)]
Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=600)]
FileKey = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{32}$")]


class AskedOften(Command):
    """A question that people ask, and its answer (Markdown); shown once both are written."""

    question: Annotated[Line, Field(max_length=300)] = Field("", title="The question")
    answer: LongText = Field("", title="The answer")


class PictureUsed(Command):
    """A picture of the course, and what it shows, for those who do not see it."""

    key: FileKey = Field(title="The picture")
    alt: Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)] = Field(
        "", title="What the picture shows"
    )


class DocumentUsed(Command):
    key: FileKey = Field(title="The document")
    name: Words = Field(title="The name of the document")


class CourseText(Command):
    """What the public reads of a course. Description, program, requirements and for whom are Markdown. `hidden` are facts that its
    page leaves out; `seats_shown` of null: as the center says it."""

    subtitle: Line = ""
    summary: Short = ""
    description: Markdown = ""
    program: Markdown = ""
    highlights: Annotated[list[Words], Field(max_length=12)] = Field(default_factory=list)
    requirements: LongText = ""
    audience: LongText = Field("", title="For whom it is")
    asked: Annotated[list[AskedOften], Field(max_length=40)] = Field(
        default_factory=list, title="Questions and answers"
    )
    tags: Annotated[list[Annotated[Words, Field(max_length=40)]], Field(max_length=20)] = Field(
        default_factory=list
    )
    level: CourseLevel | None = None
    language: Annotated[str, StringConstraints(pattern=r"^([a-z]{2,3}(-[A-Z]{2})?)?$")] = "en"
    picture: PictureUsed | None = None
    gallery: Annotated[list[PictureUsed], Field(max_length=MOST_PICTURES)] = Field(default_factory=list)
    film: Line = Field("", title="The link to the film")
    documents: Annotated[list[DocumentUsed], Field(max_length=MOST_DOCUMENTS)] = Field(default_factory=list)
    elsewhere: Line = Field("", title="The link to sign-up elsewhere")
    hidden: Annotated[list[PublicFact], Field(max_length=20)] = Field(
        default_factory=list, title="What the page leaves out"
    )
    seats_shown: SeatsShown | None = Field(None, title="How seats are said")


class CourseCard(Command):
    """What a list of courses shows of one, beside its title and its dates."""

    subtitle: str = ""
    tags: list[str] = Field(default_factory=list)
    picture: PictureUsed | None = None
    hidden: list[PublicFact] = Field(default_factory=list)
    seats_shown: SeatsShown | None = None


class TextPatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: CourseText = Field(default_factory=CourseText)
    set: CourseText = Field(title="What to change")


class MarkdownCommand(Command):
    text: Markdown


class MarkCommand(Command):
    """What a version went to; empty takes the mark away."""

    mark: Line


class CategoryCommand(Command):
    """A category's name and its parent; without a parent it stands at the top."""

    name: Words = Field(title="The name")
    parent_id: Id | None = Field(None, title="The category above")


class CategoryMergeCommand(Command):
    into_id: Id = Field(title="The category to merge into")
