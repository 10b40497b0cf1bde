"""What somebody outside sends: what they ask of a run, who they are, their answers; and access codes and requests as staff keep
them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from archgate.actions.kernel.commands import AmountText, Command, Flag, Form, Id, Line, Reason, Words
from archgate.actions.runs.commands import LocalMoment

MOST_HEADS = 12  # of one sign-up without the staff
Told = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000)]
Answers = Annotated[
    dict[Annotated[str, StringConstraints(max_length=200)], Told], Field(max_length=12, title="The answers")
]
Email = Annotated[str, StringConstraints(strip_whitespace=True, max_length=254)]
CodeText = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)]


class PublicHeads(Command):
    rate_id: Id | None = None
    count: Annotated[int, Field(strict=True, ge=1, le=MOST_HEADS, title="The number of people")]


class PublicExtra(Command):
    extra_id: Id
    count: Annotated[int, Field(strict=True, ge=1, le=1000, title="The number")]


class PublicAsk(Command):
    """What is asked of a run: rates for heads, extras, a discount code, a payment plan. `access_code` is the run's own code."""

    people: Annotated[list[PublicHeads], Field(max_length=MOST_HEADS)] = Field(default_factory=list)
    extras: Annotated[list[PublicExtra], Field(max_length=30)] = Field(default_factory=list)
    code: CodeText = Field("", title="The discount code")
    plan_id: Id | None = Field(None, title="The payment plan")
    access_code: CodeText = Field("", title="The code")
    key: Line = ""  # of a link that leads to the run


class PublicPerson(PublicAsk):
    """Who signs up, and what they were asked."""

    given: Line = Field("", title="The given name")
    family: Line = Field("", title="The family name")
    email: Email = Field(title="The email")
    phone: Annotated[Line, Field(max_length=60)] = Field("", title="The phone number")
    answers: Answers = Field(default_factory=dict)
    note: Told = ""


class SignUpCommand(PublicPerson):
    """`total` is the total that was shown, `terms` the mark of the terms that were agreed to, `kept` the key of the seats kept
    meanwhile; `names` those of the other heads, as far as they are known."""

    total: AmountText = Field(title="The total")
    names: Annotated[list[Line], Field(max_length=MOST_HEADS)] = Field(default_factory=list)
    terms: Line = ""
    kept: Line = ""


class WaitCommand(PublicPerson):
    pass


class RequestCommand(PublicPerson):
    pass


class InterestedCommand(Command):
    """Somebody who wants to hear when sign-up opens; it is not a sign-up. `key` is that of a link that leads to the run."""

    given: Line = Field("", title="The given name")
    family: Line = Field("", title="The family name")
    email: Email = Field(title="The email")
    phone: Annotated[Line, Field(max_length=60)] = Field("", title="The phone number")
    answers: Answers = Field(default_factory=dict)
    key: Line = ""


class KeepSeatsCommand(Command):
    """Seats to be kept for some minutes, while the form is filled in."""

    email: Email = Field(title="The email")
    heads: Annotated[int, Field(strict=True, ge=1, le=MOST_HEADS, title="The number of people")]
    access_code: CodeText = ""
    key: Line = ""


class CodeTried(Command):
    access_code: CodeText = Field(title="The code")
    key: Line = ""


# --- kept by staff --------------------------------------------------------------------------------------------


class AccessCodeCommand(Command):
    """A new code of a run; without one given it is made."""

    label: Words = Field(title="The label")
    code: CodeText = Field("", title="The code")
    starts: LocalMoment | None = Field(None, title="From when it lets in")
    ends: LocalMoment | None = Field(None, title="Until when it lets in")
    most: Annotated[int, Field(strict=True, ge=1, le=100_000)] | None = Field(
        None, title="The number of uses"
    )


class AccessCodeFacts(Form):
    label: Words | None = Field(None, title="The label")
    starts: LocalMoment | None = Field(None, title="From when it lets in")
    ends: LocalMoment | None = Field(None, title="Until when it lets in")
    most: Annotated[int, Field(strict=True, ge=1, le=100_000)] | None = Field(
        None, title="The number of uses"
    )
    active: Flag | None = Field(None, title="Whether it lets in")


class AccessCodePatch(Command):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: AccessCodeFacts = Field(default_factory=AccessCodeFacts)
    set: AccessCodeFacts = Field(title="What to change")


class RequestDecision(Command):
    """What is decided of a request, with a word to whoever asked."""

    approve: Flag = Field(title="Whether it is approved")
    word: Reason = ""


class RehearseCommand(Command):
    """A kind of person, and what they would ask for at a moment (the center's local time; none is now). `tied`: invited to the run, or
    on it."""

    at: LocalMoment | None = Field(None, title="The moment")
    account: Flag = Field(default_factory=bool)
    tied: Flag = Field(default_factory=bool)
    tags: Annotated[list[Annotated[Words, Field(max_length=40)]], Field(max_length=20)] = Field(
        default_factory=list
    )
    organization_id: Id | None = Field(None, title="The organization")
    rate_id: Id | None = None
    plan_id: Id | None = Field(None, title="The payment plan")
    code: CodeText = Field("", title="The discount code")
    access_code: CodeText = Field("", title="The code")
    heads: Annotated[int, Field(strict=True, ge=1, le=50, title="The number of people")] = 1
