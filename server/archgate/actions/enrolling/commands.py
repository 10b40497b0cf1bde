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
    Line,
    NullIsEmpty,
    Reason,
    Whole,
    Words,
)
from archgate.core.states import Answer, CallOutcome, Mark, Method, PaperKind, Role, SeatGoes, Told

MOST_CHOSEN = 20_000
ASKED = ("people", "extras", "code")
Note = Annotated[str, Field(max_length=5000)]


class PaidNow(Command):
    """Money that is handed over, or promised by its reference, while somebody is enrolled. `receipt`: it is issued, and sent
    where the payer has an email."""

    amount: AmountText = Field(title="The amount")
    method: Method = Field(title="The method")
    reference: Line | None = None
    anyway: Flag | None = None
    receipt: Flag = Field(default_factory=bool)


class EnrollCommand(Ask):
    """`total` is the total the screen showed; `organization_id` or `payer_person_id` is the payer, when not the learner.
    `names` are those of the other heads, as far as they are known; with `kept_quote_id` the terms of that quote hold.
    `received_on`, with its reason as `exception`, is the day the form came in; `exception` alone lets somebody in after the
    close. `hold` keeps the seat until the first payment only, `held_place_id` takes it from places held, `told` says who
    hears of it, `word` a line of one's own in the learner's letter; `group` is one of the run, made when first named."""

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
    group: Annotated[Line, Field(max_length=100)] = Field("", title="The group")
    word: Annotated[str, Field(max_length=1000)] = Field("", title="The line of one's own")
    paid: PaidNow | None = Field(None, title="What is paid now")


class JoinCommand(Ask):
    """`head_start` is a rank before others, with its reason as `exception`; `answers` are to the run's own questions; `group` is
    the one to come into with the seat."""

    run_id: Id
    person_id: Id
    organization_id: Id | None = None
    payer_person_id: Id | None = None
    note: Note = ""
    received_on: Day | None = Field(None, title="The day it was received")
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    head_start: Annotated[int, Field(strict=True, ge=-100, le=100)] = 0
    answers: dict[str, str] = Field(default_factory=dict)
    group: Annotated[Line, Field(max_length=100)] = Field("", title="The group")


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


class FreedSeat(Command):
    """What becomes of the seats that an act frees where somebody waits. `to` next (as when nothing is said): those next in line;
    keep: held back through `last`, with `why` for whom; chosen: offered to `waiting_id`, out of turn with `why`."""

    to: SeatGoes = Field(title="Who gets the seat")
    last: Day | None = Field(None, title="The last day")
    waiting_id: Id | None = Field(None, title="Who of the line")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")


class TransferCommand(ChangedAsk):
    """`keep`: what is kept instead of the fee for a transfer, with `why` where it differs. `exception`: the reason to move them there
    though sign-up is shut or the run off sale. `seat`: what becomes of the one they leave."""

    run_id: Id = Field(title="The run to move to")
    plan_id: Id | None = Field(None, title="The payment plan")
    keep: AmountText | None = Field(None, title="What is kept")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    total: AmountText | None = None
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason for the exception")
    seat: FreedSeat | None = Field(None, title="The seat that comes free")


class WithdrawCommand(Command):
    """`keep`: what is kept instead of what the refund policy says, with `why` where it differs. `no_show`: they did not come,
    and all is kept; `received_on` is the day word came, today unless said. `seat`: what becomes of the seat."""

    keep: AmountText | None = Field(None, title="What is kept")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    received_on: Day | None = Field(None, title="The day word came")
    no_show: Flag = Field(default_factory=bool)
    seat: FreedSeat | None = Field(None, title="The seat that comes free")


class AddHeadCommand(Command):
    """One head more of a party, named or not, at a rate (that of who signed up, when none is said). `total` is the new total that
    was shown; `exception`: the reason, where sign-up is shut."""

    rate_id: Id | None = None
    person_id: Id | None = Field(None, title="The person")
    total: AmountText | None = None
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason for the exception")


class WithdrawHeadCommand(Command):
    """`keep`: what is kept instead of what the refund policy says of the head's share, with `why` where it differs."""

    keep: AmountText | None = Field(None, title="What is kept")
    why: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason")
    received_on: Day | None = Field(None, title="The day word came")
    seat: FreedSeat | None = Field(None, title="The seat that comes free")


class NamePlaceCommand(Command):
    person_id: Id = Field(title="The person")


class GiveBackCommand(Command):
    """`total`: the sum of all that was shown."""

    total: AmountText | None = None


class PeopleOfRunCommand(Command):
    """People chosen on a roster, by their enrollments."""

    enrollment_ids: Annotated[list[Id], Field(max_length=MOST_CHOSEN)] = Field(title="Those chosen")


class WithdrawManyCommand(PeopleOfRunCommand):
    why: Reason = Field("", title="The reason")


class MoveManyCommand(PeopleOfRunCommand):
    """`exception`: the reason to move them there though sign-up is shut or the run off sale."""

    to_run_id: Id = Field(title="The run to move to")
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason for the exception")


class GroupCommand(PeopleOfRunCommand):
    """Without a name, out of their groups."""

    name: Annotated[Line | None, Field(max_length=100)] = Field(None, title="The name of the group")


class RoleCommand(Command):
    """Who becomes a learner takes a seat at today's price: `total` is the one that was shown, `exception` the reason where sign-up is
    shut. `seat`: what becomes of the one a learner leaves."""

    role: Role = Field(title="The role")
    total: AmountText | None = None
    exception: Annotated[Reason | None, EmptyIsNone] = Field(None, title="The reason for the exception")
    seat: FreedSeat | None = Field(None, title="The seat that comes free")


class AddWithRoleCommand(Command):
    """Somebody who is no learner."""

    role: Role = Field(title="The role")
    person_id: Id = Field(title="The person")


class MarksCommand(Command):
    """Marks by person; null takes a mark back. `anyway`: also of a meeting that is still ahead."""

    marks: Annotated[dict[int, Mark | None], Field(max_length=MOST_CHOSEN)] = Field(title="The mark")
    anyway: Flag = Field(default_factory=bool)


class CallCommand(Command):
    """What came of a call."""

    outcome: CallOutcome = Field(title="What came of the call")
    note: Reason = Field("", title="The note")


class PaidCommand(Command):
    paid: Flag


class InterestCommand(Command):
    """A run or a course, and who; `answers` by question."""

    run_id: Id | None = Field(None, title="The run")
    course_id: Id | None = Field(None, title="The course")
    person_id: Id = Field(title="The person")
    note: Annotated[Line | None, Field(max_length=1000)] = None
    answers: dict[str, str] | None = None


class QuestionsCommand(Command):
    """The own questions of a list, and for a run the head start before sign-up opens to others."""

    questions: Annotated[list[Words], Field(max_length=12)] | None = None
    head_start_hours: Annotated[int, Field(strict=True, ge=0, le=24 * 60)] | None = Field(
        None, title="The head start in hours"
    )


class WhichCommand(Command):
    """`ids` names some of a list; without it all."""

    ids: Annotated[list[Id], Field(max_length=MOST_CHOSEN)] | None = None


class CarryCommand(Command):
    to_run_id: Id = Field(title="The run")


class SendOnCommand(Command):
    webhook_id: Id = Field(title="The address")
    tag: Line = ""


class ClearLineCommand(WhichCommand):
    """Those named, or everybody in line. `tell`: they are written to, with `why`."""

    why: Reason = Field("", title="The reason")
    tell: Flag = Field(title="Whether they are told")


class CarryLineCommand(WhichCommand):
    """Those named, or everybody in line, to another run of the course. `tell`: they are written to."""

    to_run_id: Id = Field(title="The run")
    tell: Flag = Field(title="Whether they are told")


class OfferCommand(Command):
    """Out of turn, the reason."""

    why: Reason = Field("", title="The reason")


class MoreTimeCommand(Command):
    hours: Whole


class SeatCommand(Command):
    """The total that was shown; out of turn, the reason."""

    total: AmountText
    why: Reason = Field("", title="The reason")


class ReplyCommand(Command):
    """Take (with the total that was shown) or decline; time for an offer, wait for an invitation to a full run."""

    answer: Answer = Field(title="The answer")
    total: Annotated[str, Field(max_length=40, json_schema_extra={"format": "amount"})] = ""


class CompareCommand(Command):
    """Names or emails, one a line."""

    text: Annotated[str, Field(max_length=2_000_000)]


class TellCommand(Command):
    """Those chosen, or everybody on the roster when none is named."""

    subject: Words = Field(title="The subject")
    body: Annotated[Words, Field(max_length=20_000)] = Field(title="The text")
    enrollment_ids: Annotated[list[Id], Field(max_length=MOST_CHOSEN)] | None = None


class PaperCommand(Command):
    """Of those chosen, or all; notes on the sign-ups, and remarks on health, only where each is ticked. A sign-in sheet is of a
    meeting."""

    kind: PaperKind
    enrollment_ids: Annotated[list[Id], Field(max_length=MOST_CHOSEN)] | None = None
    meeting_id: Id | None = None
    remarks: Flag = Field(default_factory=bool)
    health: Flag = Field(default_factory=bool)


class ParkCommand(Command):
    """A call as the desk keeps it: `state` is the desk's own text, `about` what it is called."""

    about: Annotated[Words, Field(max_length=200)] = Field(title="What the call is about")
    state: Annotated[str, Field(min_length=2, max_length=16_000)] = Field(title="The call")
