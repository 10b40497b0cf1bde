"""The center, its courses and their runs."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, LargeBinary, String
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import Decision, FoundBy, NumberFormat, PaperSize, RunKind, RunStatus, SignsUp
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Prose, Word, ascii_key
from archgate.tables.catalog import Category
from archgate.tables.fees import Extra, Rate
from archgate.tables.people import Organization
from archgate.tables.plans import Plan
from archgate.tables.schedule import Gate, Meeting, MeetingPattern, Place
from archgate.tables.teaching import RunTeacher


class Center(Base):
    """One row: what holds for the whole center. `clock_offset` (seconds) sets the business clock.

    `defaults` is what runs start from where their course says nothing. `region` is where public holidays are looked up ("US", "US-NY"), empty for none; `uid` ends the UIDs of calendars.
    `revision` rises whenever a payment plan of the center is another. A refund or write-off above `confirm_above` (smallest
    units; None: any sum) waits for a second person. `address`, the logo, `paper_size` and `number_format` are those of papers; `first_weekday` of
    calendars is 0 for Monday through 6.
    """

    __tablename__ = "center"
    id: Mapped[Key]
    name: Mapped[Name]
    time_zone: Mapped[str] = mapped_column(String(64))
    currency: Mapped[str] = mapped_column(String(3))
    clock_offset: Mapped[int] = mapped_column(default=0)
    demo_ready: Mapped[bool] = mapped_column(default=False)
    region: Mapped[Word] = mapped_column(default="")
    uid: Mapped[str] = mapped_column(ascii_key(40), default="")
    defaults: Mapped[Document] = mapped_column(default=dict)
    revision: Mapped[int] = mapped_column(default=0)
    confirm_above: Mapped[int | None] = mapped_column(BigInteger)
    address: Mapped[Prose] = mapped_column(default="")
    first_weekday: Mapped[int] = mapped_column(default=0)
    paper_size: Mapped[PaperSize] = mapped_column(default=PaperSize.LETTER)
    number_format: Mapped[NumberFormat] = mapped_column(default=NumberFormat.ENGLISH)
    logo_id: Mapped[int | None] = mapped_column(ForeignKey("center_logos.id"))


class CenterLogo(Base):
    """A logo for papers, made anew from what was given. One that papers were issued with stays when another comes."""

    __tablename__ = "center_logos"
    id: Mapped[Key]
    content: Mapped[bytes] = mapped_column(LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"))
    at: Mapped[datetime]


class Course(Base):
    """`defaults` is what its runs start from: capacity, smallest, place, instructor, fees and plans as documents.

    `draft` is its public text as it is being written, `published_n` the number of the version that the public reads; none
    while it has no public page. `summary` and `elsewhere` are those of the published text. `pending`: the draft is
    not what the public reads. Promoted courses come first.
    """

    __tablename__ = "courses"
    id: Mapped[Key]
    code: Mapped[str] = mapped_column(String(40), unique=True)
    title: Mapped[Name]
    summary: Mapped[Prose]
    questions: Mapped[list[str]] = mapped_column(default=list)
    category_id: Mapped[int | None] = mapped_column(ForeignKey("categories.id"), index=True)
    defaults: Mapped[Document]
    draft: Mapped[Document] = mapped_column(default=dict, deferred=True)
    published_n: Mapped[int | None]
    pending: Mapped[bool] = mapped_column(default=False)
    promoted: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]

    filed: Mapped[Category | None] = relationship()

    elsewhere: Mapped[str] = mapped_column(String(200), default="")

    @property
    def category(self) -> str:
        """The name of its category; empty without one."""
        return self.filed.name if self.filed else ""


class Attachment(Base):
    """A file kept with a run: the contract of a contract run. `removed_at`: taken off it; it is kept for the undo."""

    __tablename__ = "attachments"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    name: Mapped[Name]
    media: Mapped[Word]
    size: Mapped[int]
    content: Mapped[bytes] = mapped_column(
        LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"), deferred=True
    )
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]
    removed_at: Mapped[datetime | None]


class Run(Base):
    """One offering of a course. What people edit stands here; who sits where is locked in `run_seats`.

    `place` and `teachers` are the usual ones; every meeting carries its own. `windows` are the sign-up windows as their rules,
    [{"opens": rule, "closes": rule}]; a rule is {"on": date} or {"days_before": n}, none the usual one. `decision_rule`
    is the rule of the decision day. `starts_on` and `ends_on` belong to a cohort, `week_names` too; `access_days`
    count from the end of a cohort, or from the enrollment of an open run. `client_id` makes it a contract run.
    `overbook` seats beyond the capacity may be given. `line_rule` is "fit" or "strict"; with `auto_offer` seats that come
    free are offered for `offer_hours`. With `hold_hours` a seat is only held until the first payment. `told` are those who
    hear of an enrollment, none said as the center has it. `questions` are asked of those who wait or show interest, whose
    interest list opens `head_start_hours` before sign-up does. The public pages show it from `shown_from` until
    `shown_until`. `pay_deduct` is taken off the income before shares are paid; at
    `evaluated_at` learners were asked what they think of it.
    """

    __tablename__ = "runs"
    __table_args__ = (
        CheckConstraint("capacity >= 1 AND capacity <= 100000", name="capacity"),
        CheckConstraint("smallest >= 0 AND smallest <= capacity", name="smallest"),
    )
    id: Mapped[Key]
    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id"), index=True)
    code: Mapped[str] = mapped_column(String(40), unique=True)
    title: Mapped[Name]
    note: Mapped[Prose]
    kind: Mapped[RunKind]
    status: Mapped[RunStatus] = mapped_column(index=True)
    decision: Mapped[Decision]
    decision_until: Mapped[date | None]
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"))
    client_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    time_zone: Mapped[str] = mapped_column(String(64))
    currency: Mapped[str] = mapped_column(String(3))
    capacity: Mapped[int]
    smallest: Mapped[int]
    windows: Mapped[list[Document]]
    decision_rule: Mapped[Document | None]
    starts_on: Mapped[date | None]
    ends_on: Mapped[date | None]
    week_names: Mapped[list[str]] = mapped_column(default=list)
    access_days: Mapped[int | None]
    group_steps: Mapped[list[Document]] = mapped_column(default=list)
    taxes: Mapped[list[Document]] = mapped_column(default=list)
    receipt_note: Mapped[Prose] = mapped_column(default="")
    desk_notice: Mapped[Prose] = mapped_column(default="")
    notice_version: Mapped[int] = mapped_column(default=0)
    overbook: Mapped[int] = mapped_column(default=0)
    line_rule: Mapped[Word] = mapped_column(default="fit")
    auto_offer: Mapped[bool] = mapped_column(default=True)
    offer_hours: Mapped[int] = mapped_column(default=36)
    hold_hours: Mapped[int | None]
    told: Mapped[list[str] | None]
    questions: Mapped[list[str]] = mapped_column(default=list)
    head_start_hours: Mapped[int] = mapped_column(default=0)
    pay_deduct: Mapped[int] = mapped_column(default=0)
    evaluated_at: Mapped[datetime | None]
    interest_told_at: Mapped[datetime | None]
    found_by: Mapped[FoundBy] = mapped_column(default=FoundBy.EVERYONE)
    signs_up: Mapped[SignsUp] = mapped_column(default=SignsUp.EVERYONE)
    shown_from: Mapped[datetime | None]
    shown_until: Mapped[datetime | None]
    promoted: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]
    published_at: Mapped[datetime | None]

    course: Mapped[Course] = relationship()
    patterns: Mapped[list[MeetingPattern]] = relationship(
        cascade="all, delete-orphan", order_by="MeetingPattern.id"
    )
    all_meetings: Mapped[list[Meeting]] = relationship(
        cascade="all, delete-orphan", order_by="(Meeting.starts_at, Meeting.id)"
    )
    place: Mapped[Place | None] = relationship()
    teachers: Mapped[list[RunTeacher]] = relationship(cascade="all, delete-orphan", order_by="RunTeacher.n")
    client: Mapped[Organization | None] = relationship()
    gates: Mapped[list[Gate]] = relationship(cascade="all, delete-orphan", order_by="Gate.at")
    rates: Mapped[list[Rate]] = relationship(cascade="all, delete-orphan", order_by="Rate.position")
    extras: Mapped[list[Extra]] = relationship(cascade="all, delete-orphan", order_by="Extra.position")
    plans: Mapped[list[Plan]] = relationship(
        cascade="all, delete-orphan", order_by="(Plan.position, Plan.id)"
    )

    @property
    def meetings(self) -> list[Meeting]:
        """The meetings that are held; cancelled ones are kept in `all_meetings`."""
        return [m for m in self.all_meetings if m.cancelled_at is None]

    @property
    def known(self) -> bool:
        """Whether people know of it: on sale, or off sale with those who are in already."""
        return self.status in (RunStatus.PUBLISHED, RunStatus.OFF_SALE)

    @property
    def sign_up_opens(self) -> date | None:
        """The date on which the first sign-up window opens, where its rule is a date."""
        rule = self.windows[0].get("opens") if self.windows else None
        day = rule.get("on") if isinstance(rule, dict) else None
        return date.fromisoformat(day) if isinstance(day, str) else None
