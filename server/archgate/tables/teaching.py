"""Instructors: who they are and what they can teach, who teaches what, what they are paid, and what is asked about them."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import (
    CheckConstraint,
    Computed,
    ForeignKey,
    Index,
    LargeBinary,
    Numeric,
    String,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import (
    AgreementStatus,
    ApplicationStatus,
    CoverAim,
    CoverAnswer,
    CoverStatus,
    Employment,
    Level,
    Part,
    PayKind,
    Preparing,
    QuestionKind,
)
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Percent, Prose, Units, ascii_key
from archgate.tables.people import Person

Quantity = Numeric(13, 6)


class Instructor(Base):
    """Somebody who teaches: a person of the center, with what only teachers have.

    `name` is the short one under which they stand on schedules; email and phone are the person's. `hours` are the weekly hours at
    which they can teach, [{"weekday", "from", "to"}]; none: at any time. `most_minutes` bounds a week. The usual pay is one of
    an amount and a percent, by `pay_kind`; none said: to be agreed for each run. `publishes`: trusted to publish what they prepare
    without the office.
    """

    __tablename__ = "instructors"
    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), unique=True)
    name: Mapped[str] = mapped_column(String(200), unique=True)
    employment: Mapped[Employment] = mapped_column(default=Employment.FREELANCE)
    biography: Mapped[Prose] = mapped_column(default="")
    hours: Mapped[list[dict[str, str]]] = mapped_column(default=list)
    most_minutes: Mapped[int | None]
    pay_kind: Mapped[PayKind | None]
    pay_amount: Mapped[Units] = mapped_column(default=0)
    pay_percent: Mapped[Percent] = mapped_column(default=Decimal(0))
    active: Mapped[bool] = mapped_column(default=True)
    publishes: Mapped[bool] = mapped_column(default=False)

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)

    @property
    def email(self) -> str | None:
        return self.person.email

    @property
    def phone(self) -> str | None:
        return self.person.phone


class InstructorPicture(Base):
    """The picture of an instructor, as it was made anew from what was given: a JPEG of at most 480 by 480 pixels."""

    __tablename__ = "instructor_pictures"
    instructor_id: Mapped[int] = mapped_column(
        ForeignKey("instructors.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )
    content: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"))
    at: Mapped[datetime]


class Qualification(Base):
    """What somebody can teach: a course, or all courses of a category; and whether they lead or assist."""

    __tablename__ = "qualifications"
    __table_args__ = (CheckConstraint("(course_id IS NULL) <> (category = '')", name="one_subject"),)
    id: Mapped[Key]
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    course_id: Mapped[int | None] = mapped_column(ForeignKey("courses.id"), index=True)
    category: Mapped[Name] = mapped_column(default="")
    level: Mapped[Level]


class RunTeacher(Base):
    """Who usually teaches a run, in their order; new meetings take them over."""

    __tablename__ = "run_teachers"
    __table_args__ = (UniqueConstraint("run_id", "instructor_id"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    part: Mapped[Part]
    n: Mapped[int]

    instructor: Mapped[Instructor] = relationship(lazy="joined", innerjoin=True)


class PatternTeacher(Base):
    """Who teaches the meetings of a pattern, where they are not the run's."""

    __tablename__ = "pattern_teachers"
    __table_args__ = (UniqueConstraint("pattern_id", "instructor_id"),)
    id: Mapped[Key]
    pattern_id: Mapped[int] = mapped_column(ForeignKey("meeting_patterns.id", ondelete="CASCADE"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    part: Mapped[Part]
    n: Mapped[int]

    instructor: Mapped[Instructor] = relationship(lazy="joined", innerjoin=True)


class MeetingTeacher(Base):
    """Who teaches a meeting, in their order, and as what."""

    __tablename__ = "meeting_teachers"
    __table_args__ = (
        UniqueConstraint("meeting_id", "instructor_id"),
        Index("ix_meeting_teachers_whose", "instructor_id", "meeting_id"),
    )
    id: Mapped[Key]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id", ondelete="CASCADE"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"))
    part: Mapped[Part]
    n: Mapped[int]

    instructor: Mapped[Instructor] = relationship(lazy="joined", innerjoin=True)


class BusyTime(Base):
    """A time at which an instructor is away, or a place is closed. `source` names the calendar it came from."""

    __tablename__ = "busy_times"
    __table_args__ = (
        CheckConstraint("(instructor_id IS NULL) <> (place_id IS NULL)", name="one_owner"),
        CheckConstraint("ends_at > starts_at", name="order"),
        Index("ix_busy_instructor", "instructor_id", "starts_at"),
        Index("ix_busy_place", "place_id", "starts_at"),
    )
    id: Mapped[Key]
    instructor_id: Mapped[int | None] = mapped_column(ForeignKey("instructors.id"))
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"))
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    all_day: Mapped[bool] = mapped_column(default=False)
    label: Mapped[Name]
    source: Mapped[str] = mapped_column(ascii_key(64), default="")


# --- pay --------------------------------------------------------------------------------------------------


class PayTerm(Base):
    """How an instructor is paid for a run, where it is not their usual pay. `minutes` stands instead of those they teach."""

    __tablename__ = "pay_terms"
    __table_args__ = (UniqueConstraint("run_id", "instructor_id"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    kind: Mapped[PayKind]
    amount: Mapped[Units]
    percent: Mapped[Percent]
    minutes: Mapped[int | None]


class PayLine(Base):
    """A line beside the terms: preparation, mileage. `unit` counts whole currency and may have more decimals than it."""

    __tablename__ = "pay_lines"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    label: Mapped[Name]
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    unit: Mapped[Decimal] = mapped_column(Quantity)


class PayRequest(Base):
    """What an instructor is to be paid, as it was worked out when it was asked for; it no longer changes. `through` is the last
    day it counts, `run_id` the run it is for; None: all runs of a month."""

    __tablename__ = "pay_requests"
    id: Mapped[Key]
    number: Mapped[str] = mapped_column(ascii_key(20), unique=True)
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    through: Mapped[date]
    currency: Mapped[str] = mapped_column(String(3))
    total: Mapped[Units]
    made_at: Mapped[datetime]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    paid_on: Mapped[date | None]

    lines: Mapped[list[PayRequestLine]] = relationship(
        cascade="all, delete-orphan", order_by="PayRequestLine.id"
    )
    instructor: Mapped[Instructor] = relationship()


class PayRequestLine(Base):
    """A line of a pay request; a correction where an earlier request of the same run said otherwise."""

    __tablename__ = "pay_request_lines"
    id: Mapped[Key]
    request_id: Mapped[int] = mapped_column(ForeignKey("pay_requests.id"), index=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    label: Mapped[Name]
    why: Mapped[Prose]
    amount: Mapped[Units]
    correction: Mapped[bool] = mapped_column(default=False)


class AgreementText(Base):
    """A version of the center's own text of a teaching agreement, with fields in braces; the newest is used."""

    __tablename__ = "agreement_texts"
    id: Mapped[Key]
    text: Mapped[Prose]
    made_at: Mapped[datetime]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))


class Agreement(Base):
    """The teaching agreement of somebody for a run, as it was made: later versions stand beside it."""

    __tablename__ = "agreements"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    version: Mapped[int]
    text_id: Mapped[int] = mapped_column(ForeignKey("agreement_texts.id"))
    text: Mapped[Prose]
    status: Mapped[AgreementStatus]
    made_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    signed_on: Mapped[date | None]

    instructor: Mapped[Instructor] = relationship()


# --- cover ------------------------------------------------------------------------------------------------


class CoverPlan(Base):
    """A proposal who takes meetings that have nobody: those of an instructor who is away, or of a season's runs. It is worked
    out by the worker. `bound` is the least that any proposal could come to; `greedy` what taking the best for each in turn comes to."""

    __tablename__ = "cover_plans"
    id: Mapped[Key]
    instructor_id: Mapped[int | None] = mapped_column(ForeignKey("instructors.id"), index=True)
    first: Mapped[date]
    last: Mapped[date]
    aim: Mapped[CoverAim]
    unknown: Mapped[bool] = mapped_column(default=False)
    status: Mapped[CoverStatus] = mapped_column(index=True)
    value: Mapped[Units] = mapped_column(default=0)
    bound: Mapped[Units] = mapped_column(default=0)
    greedy: Mapped[Units] = mapped_column(default=0)
    said: Mapped[Prose] = mapped_column(default="")
    made_at: Mapped[datetime]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))

    lines: Mapped[list[CoverLine]] = relationship(cascade="all, delete-orphan", order_by="CoverLine.n")


class CoverLine(Base):
    """One meeting of a proposal: who takes it and why; nobody, and which rule stands in the way."""

    __tablename__ = "cover_lines"
    __table_args__ = (UniqueConstraint("plan_id", "meeting_id"),)
    id: Mapped[Key]
    plan_id: Mapped[int] = mapped_column(ForeignKey("cover_plans.id"))
    n: Mapped[int]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id", ondelete="CASCADE"), index=True)
    instructor_id: Mapped[int | None] = mapped_column(ForeignKey("instructors.id"), index=True)
    cost: Mapped[Units | None]
    why: Mapped[Prose] = mapped_column(default="")
    taken: Mapped[bool] = mapped_column(default=False)


class CoverCall(Base):
    """Whether somebody was asked to take a meeting, and what they said."""

    __tablename__ = "cover_calls"
    __table_args__ = (UniqueConstraint("meeting_id", "instructor_id"),)
    id: Mapped[Key]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id", ondelete="CASCADE"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    answer: Mapped[CoverAnswer]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]


# --- evaluations ------------------------------------------------------------------------------------------


class EvaluationQuestion(Base):
    """A question of the center's about a run and who taught it. One that is no longer asked keeps its answers."""

    __tablename__ = "evaluation_questions"
    id: Mapped[Key]
    text: Mapped[Name]
    kind: Mapped[QuestionKind]
    n: Mapped[int]
    active: Mapped[bool] = mapped_column(default=True)


class EvaluationAsked(Base):
    """Who was asked about a run, and whether they answered; what they answered stands elsewhere, without their name."""

    __tablename__ = "evaluations_asked"
    __table_args__ = (UniqueConstraint("run_id", "person_id"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    asked_at: Mapped[datetime]
    answered: Mapped[bool] = mapped_column(default=False)


class EvaluationAnswer(Base):
    """An answer about somebody who taught a run; nothing in it says whose. `day` is the run's last day; `sheet`, made up, holds
    together what one person answered, so that people are counted and not answers."""

    __tablename__ = "evaluation_answers"
    __table_args__ = (
        CheckConstraint("mark IS NULL OR (mark >= 1 AND mark <= 5)", name="mark"),
        Index("ix_evaluation_answers_whose", "instructor_id", "question_id"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"))
    question_id: Mapped[int] = mapped_column(ForeignKey("evaluation_questions.id"))
    sheet: Mapped[str] = mapped_column(ascii_key(16))
    day: Mapped[date]
    mark: Mapped[int | None]
    words: Mapped[Prose] = mapped_column(default="")


# --- applications and the center's rules ------------------------------------------------------------------


class TeachingRules(Base):
    """One row: what the center says of teaching. The rights are those of freelance and outside instructors; the employed
    have them all. `fewest_answers`: below so many, no average and no words are shown."""

    __tablename__ = "teaching_rules"
    id: Mapped[Key]
    applications_open: Mapped[bool] = mapped_column(default=False)
    application_questions: Mapped[list[str]] = mapped_column(default=list)
    own_biography: Mapped[bool] = mapped_column(default=True)
    own_availability: Mapped[bool] = mapped_column(default=True)
    attendance: Mapped[bool] = mapped_column(default=True)
    rosters: Mapped[bool] = mapped_column(default=True)
    evaluate: Mapped[bool] = mapped_column(default=True)
    prepare_text: Mapped[bool] = mapped_column(default=True)
    prepare_pictures: Mapped[bool] = mapped_column(default=True)
    prepare_outline: Mapped[bool] = mapped_column(default=True)
    prepare_prices: Mapped[bool] = mapped_column(default=False)
    fewest_answers: Mapped[int] = mapped_column(default=3)


class Application(Base):
    """Somebody who would like to teach. `answers` are to the questions as they were asked, [{"question", "answer"}]."""

    __tablename__ = "applications"
    id: Mapped[Key]
    given: Mapped[Name]
    family: Mapped[Name]
    email: Mapped[str] = mapped_column(String(254), index=True)
    phone: Mapped[str | None] = mapped_column(String(40))
    answers: Mapped[list[dict[str, str]]] = mapped_column(default=list)
    status: Mapped[ApplicationStatus] = mapped_column(index=True)
    made_at: Mapped[datetime]
    turn: Mapped[int] = mapped_column(default=1)
    instructor_id: Mapped[int | None] = mapped_column(ForeignKey("instructors.id"))


class ApplicationNote(Base):
    """A note on an application: who wrote it and when. Never edited."""

    __tablename__ = "application_notes"
    id: Mapped[Key]
    application_id: Mapped[int] = mapped_column(ForeignKey("applications.id"), index=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    text: Mapped[Prose]


class Preparation(Base):
    """A course that an instructor prepares, with its runs: one at a time of each course. `before` is the course's title and text as they
    stood when it was begun, `wrote` what the instructor has written since, by field; `said` what was said when it was handed in, `word` what the office said when it came back."""

    __tablename__ = "preparations"
    __table_args__ = (
        UniqueConstraint("course_id", "live"),
        Index("ix_preparations_status", "status", "handed_at"),
    )
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("instructors.id"), index=True)
    status: Mapped[Preparing]
    live: Mapped[int | None] = mapped_column(
        Computed("IF(status IN ('draft', 'handed in', 'returned'), 1, NULL)", persisted=True)
    )
    before: Mapped[Document] = mapped_column(deferred=True)
    wrote: Mapped[Document] = mapped_column(deferred=True)
    said: Mapped[Prose] = mapped_column(default="")
    word: Mapped[Prose] = mapped_column(default="")
    begun_at: Mapped[datetime]
    handed_at: Mapped[datetime | None]
    decided_at: Mapped[datetime | None]
    decided_by: Mapped[int | None] = mapped_column(ForeignKey("users.id"))


class PreparedRun(Base):
    """A draft run that stands in a preparation. `unpriced`: whoever prepared it may not say what it costs, and nothing else says it."""

    __tablename__ = "prepared_runs"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), primary_key=True, autoincrement=False)
    preparation_id: Mapped[int] = mapped_column(ForeignKey("preparations.id"), index=True)
    unpriced: Mapped[bool] = mapped_column(default=False)
