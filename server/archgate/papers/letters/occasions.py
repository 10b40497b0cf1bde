"""What letters are about: the values that each template is filled with. A class an occasion, its template beside it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time
from typing import ClassVar

from archgate.core.quotes import AgreedQuote


@dataclass(frozen=True)
class NamedRun:
    """A run as letters name it."""

    title: str
    code: str


@dataclass(frozen=True)
class Begins:
    """When the next meeting of a run is, on its place's clock."""

    day: date
    start: time
    place: str = ""


@dataclass(frozen=True)
class Appointment:
    """When and where one meeting is, on its place's clock; without an end where no place is known."""

    day: date
    start: time
    end: time | None = None
    place: str = ""


@dataclass(frozen=True)
class Owed:
    """One sum that is due: in the currency's smallest unit."""

    amount: int
    day: date


@dataclass(frozen=True)
class Span:
    """The days of a cohort."""

    first: date
    last: date


@dataclass(frozen=True)
class Occasion:
    """What a letter is about; `template` is the file it is written by."""

    template: ClassVar[str]


@dataclass(frozen=True)
class Enrolled(Occasion):
    """To a learner: where, every date ahead, what is due when, until when an unpaid seat is held (local time), a line of the office's
    own, and where to pay by card; `card_first`: the seat is held until a card is given for later sums."""

    template = "enrolled.txt"
    center: str
    name: str
    run: NamedRun
    begins: Begins | None
    span: Span | None
    dates: tuple[Appointment, ...]
    place: str
    currency: str
    dues: tuple[Owed, ...]
    held_until: datetime | None
    word: str = ""
    pay: str = ""
    card_first: bool = False


@dataclass(frozen=True)
class SomebodyEnrolled(Occasion):
    """To the payer, the instructors or the office; `dues` only to those whose business money is."""

    template = "somebody_enrolled.txt"
    name: str
    run: NamedRun
    begins: Begins | None
    currency: str
    dues: tuple[Owed, ...]


@dataclass(frozen=True)
class ListEnrolled(Occasion):
    """To the same, of a whole list at once."""

    template = "list_enrolled.txt"
    number: int
    names: tuple[str, ...]
    run: NamedRun
    begins: Begins | None


@dataclass(frozen=True)
class QuoteKept(Occasion):
    """To a person: what a course would cost, and through which day that stands."""

    template = "quote_kept.txt"
    center: str
    name: str
    run: NamedRun
    starts: date | None
    quote: AgreedQuote
    today: date
    through: date
    note: str


@dataclass(frozen=True)
class PaperDue:
    """A due sum as it stands on a paper, already written out."""

    amount: str
    what: str


@dataclass(frozen=True)
class PaperSent(Occasion):
    """To a payer, with the paper itself: an invoice, a credit note or a receipt."""

    template = "paper_sent.txt"
    center: str
    payer: str
    kind: str
    number: str
    total: str
    dues: tuple[PaperDue, ...]


@dataclass(frozen=True)
class SeatOffered(Occasion):
    """To a party in line: its seats, until when (local time), and the link to answer by."""

    template = "seat_offered.txt"
    center: str
    title: str
    heads: int
    until: datetime
    link: str


@dataclass(frozen=True)
class OfferLapsed(Occasion):
    template = "offer_lapsed.txt"
    center: str
    title: str


@dataclass(frozen=True)
class OfferTakenBack(Occasion):
    template = "offer_taken_back.txt"
    center: str
    title: str


@dataclass(frozen=True)
class OutOfLine(Occasion):
    """To somebody whose place in line the center has ended, with its reason where it said one."""

    template = "out_of_line.txt"
    center: str
    name: str
    run: NamedRun
    why: str


@dataclass(frozen=True)
class LineMoved(Occasion):
    """To somebody whose place in line is now that of another run."""

    template = "line_moved.txt"
    center: str
    name: str
    run: NamedRun
    there: NamedRun
    begins: Begins | None


@dataclass(frozen=True)
class HeldSeatLapsed(Occasion):
    """`card`: it was held for payment details, not for a payment."""

    template = "held_seat_lapsed.txt"
    center: str
    title: str
    card: bool


@dataclass(frozen=True)
class SignUpOpens(Occasion):
    """To somebody on the interest list. `for_others`: when it opens to everybody, in local time; None when it has."""

    template = "sign_up_opens.txt"
    center: str
    name: str
    title: str
    for_others: datetime | None
    begins: Begins | None
    link: str


@dataclass(frozen=True)
class OfRun(Occasion):
    """To everybody on a run: with `name` as a letter to them, without as a note to its instructor."""

    center: str
    run: NamedRun
    name: str


@dataclass(frozen=True)
class GoesAhead(OfRun):
    template = "goes_ahead.txt"
    begins: Begins | None


@dataclass(frozen=True)
class RunCancelled(OfRun):
    """`seat`: to those who had one. `planned`: the day of the next meeting that falls out. `back`: what they have paid, in the
    currency's smallest unit, and is theirs again."""

    template = "run_cancelled.txt"
    planned: date | None
    why: str
    seat: bool
    back: int = 0
    currency: str = ""


@dataclass(frozen=True)
class DateMoved:
    """What became of one date; `minutes` where only its length changed. One of `before` and `after` may be missing."""

    before: Appointment | None
    after: Appointment | None
    minutes: int | None = None


@dataclass(frozen=True)
class DatesMoved(OfRun):
    """`what` is new: dates, times, lengths or the place."""

    template = "dates_moved.txt"
    what: str
    moved: tuple[DateMoved, ...]


@dataclass(frozen=True)
class TeachingMoved(Occasion):
    """To an instructor: what became of their meetings; `gone` are no longer theirs, `won` are from now on."""

    template = "teaching_moved.txt"
    run: NamedRun
    moved: tuple[DateMoved, ...]
    gone: tuple[Appointment, ...]
    won: tuple[Appointment, ...]


@dataclass(frozen=True)
class OwnPageInvited(Occasion):
    template = "own_page_invited.txt"
    center: str
    name: str
    link: str
    through: date


@dataclass(frozen=True)
class PasswordLink(Occasion):
    template = "password_link.txt"
    center: str
    name: str
    link: str


@dataclass(frozen=True)
class StaffInvited(Occasion):
    """To somebody new on the staff, with the link to set a password."""

    template = "staff_invited.txt"
    center: str
    name: str
    email: str
    link: str
    through: date


@dataclass(frozen=True)
class AgreementSent(Occasion):
    """To an instructor, with the agreement as a paper."""

    template = "agreement_sent.txt"
    center: str
    name: str
    run: NamedRun


@dataclass(frozen=True)
class EvaluationAsked(Occasion):
    """To a learner after the last meeting."""

    template = "evaluation_asked.txt"
    center: str
    name: str
    run: NamedRun
    link: str


@dataclass(frozen=True)
class ApplicationTaken(Occasion):
    """To somebody who would like to teach."""

    template = "application_taken.txt"
    center: str
    name: str


@dataclass(frozen=True)
class TakenBack(Occasion):
    """To whoever got a letter of something that was undone since."""

    template = "taken_back.txt"
    about: str


@dataclass(frozen=True)
class NotSignedUp(Occasion):
    """To somebody for whom a sign-up came that could not be: why is theirs alone to know."""

    template = "not_signed_up.txt"
    center: str
    name: str
    run: NamedRun
    why: str


@dataclass(frozen=True)
class InLine(Occasion):
    """To somebody who joined the line of a full run: their place, and the chance in words."""

    template = "in_line.txt"
    center: str
    name: str
    run: NamedRun
    place: int
    chance: str


@dataclass(frozen=True)
class Interested(Occasion):
    """To somebody who wants to hear when sign-up opens."""

    template = "interested.txt"
    center: str
    name: str
    title: str


@dataclass(frozen=True)
class RequestCame(Occasion):
    """To somebody who asked for a seat."""

    template = "request_came.txt"
    center: str
    name: str
    run: NamedRun


@dataclass(frozen=True)
class RequestToDecide(Occasion):
    """To whoever of the staff decides on requests."""

    template = "request_to_decide.txt"
    name: str
    run: NamedRun
    heads: int


@dataclass(frozen=True)
class RequestRefused(Occasion):
    """To somebody whose request was refused, with a word where one was said."""

    template = "request_refused.txt"
    center: str
    name: str
    run: NamedRun
    word: str


@dataclass(frozen=True)
class PayLink(Occasion):
    """To a payer: what there is to pay, and where to pay it by card."""

    template = "pay_link.txt"
    center: str
    name: str
    said: str
    link: str


@dataclass(frozen=True)
class CardKept(Occasion):
    """To a payer: payment details are on file, the seat that waited for them is theirs, and when they are charged."""

    template = "card_kept.txt"
    center: str
    name: str
    run: NamedRun
    words: str
    currency: str
    dues: tuple[Owed, ...]


@dataclass(frozen=True)
class NotCharged(Occasion):
    """To a payer whose card was authorized for what is no longer owed."""

    template = "not_charged.txt"
    center: str
    name: str
    amount: int
    currency: str
    what: str
    why: str


@dataclass(frozen=True)
class PreparationReturned(Occasion):
    """To an instructor: what the office wants changed of a course that they prepare."""

    template = "preparation_returned.txt"
    center: str
    name: str
    title: str
    word: str
    link: str


@dataclass(frozen=True)
class PreparationPublished(Occasion):
    """To an instructor: what they prepared is public, with so many runs."""

    template = "preparation_published.txt"
    center: str
    name: str
    title: str
    runs: int
