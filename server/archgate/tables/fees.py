"""Rates and their early-bird steps, extras and their stock, discount codes and kept quotes."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import Boolean, CheckConstraint, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.quotes import AgreedQuote
from archgate.core.states import QuoteStatus
from archgate.documents.reader import Document
from archgate.tables.base import Base, Key, Name, Percent, Prose, Units, Word, ascii_key


class EarlyStep(Base):
    __tablename__ = "early_steps"
    __table_args__ = (
        CheckConstraint("(until IS NULL) <> (days_before IS NULL)", name="one_end"),
        CheckConstraint(
            "(amount IS NOT NULL) + (off IS NOT NULL) + (percent IS NOT NULL) = 1", name="one_price"
        ),
    )
    id: Mapped[Key]
    rate_id: Mapped[int] = mapped_column(ForeignKey("rates.id"), index=True)
    until: Mapped[date | None]
    days_before: Mapped[int | None]
    amount: Mapped[Units | None]
    off: Mapped[Units | None]
    percent: Mapped[Percent | None]


class Rate(Base):
    """A rate that somebody holds is never deleted; taken off the run, it is inactive.

    `tags`, `organization_id` and `past_course_id` say who may have it, `offered_from` and `offered_to` when, `most` for
    how many heads of the run. `by_agreement`: staff may enter another amount, with a reason.
    """

    __tablename__ = "rates"
    __table_args__ = (UniqueConstraint("run_id", "code"), CheckConstraint("amount >= 0", name="amount"))
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    code: Mapped[Word]
    label: Mapped[Name]
    amount: Mapped[Units]
    position: Mapped[int]
    active: Mapped[bool] = mapped_column(default=True)
    sale_from: Mapped[date | None]
    sale_to: Mapped[date | None]
    sale_amount: Mapped[Units | None]
    by_agreement: Mapped[bool] = mapped_column(default=False)
    tags: Mapped[list[str]] = mapped_column(default=list)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    past_course_id: Mapped[int | None] = mapped_column(ForeignKey("courses.id"))
    offered_from: Mapped[date | None]
    offered_to: Mapped[date | None]
    most: Mapped[int | None]
    early: Mapped[list[EarlyStep]] = relationship(cascade="all, delete-orphan", order_by="EarlyStep.id")


class StockItem(Base):
    """Something kept in stock for the whole center. `on_hand` is the sum of its moves and never below zero."""

    __tablename__ = "stock_items"
    __table_args__ = (CheckConstraint("on_hand >= 0", name="on_hand"),)
    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(200), unique=True)
    on_hand: Mapped[int]


class StockMove(Base):
    """The stock ledger. Rows are only ever added: the database itself refuses to change or delete them."""

    __tablename__ = "stock_moves"
    __table_args__ = (CheckConstraint("quantity <> 0", name="quantity"),)
    id: Mapped[Key]
    item_id: Mapped[int] = mapped_column(ForeignKey("stock_items.id"), index=True)
    quantity: Mapped[int]
    at: Mapped[datetime]
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"), index=True)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    cause: Mapped[Prose]


class Extra(Base):
    """Something a run offers beside the seat. One that somebody took is never deleted, only inactive."""

    __tablename__ = "extras"
    __table_args__ = (UniqueConstraint("run_id", "code"), CheckConstraint("amount >= 0", name="amount"))
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    code: Mapped[Word]
    label: Mapped[Name]
    amount: Mapped[Units]
    required: Mapped[bool]
    most: Mapped[int | None]
    item_id: Mapped[int | None] = mapped_column(ForeignKey("stock_items.id"))
    position: Mapped[int]
    active: Mapped[bool] = mapped_column(default=True)
    item: Mapped[StockItem | None] = relationship()


class EnrollmentExtra(Base):
    __tablename__ = "enrollment_extras"
    __table_args__ = (
        UniqueConstraint("enrollment_id", "extra_id"),
        CheckConstraint("quantity > 0", name="quantity"),
    )
    id: Mapped[Key]
    enrollment_id: Mapped[int] = mapped_column(ForeignKey("enrollments.id"))
    extra_id: Mapped[int] = mapped_column(ForeignKey("extras.id"), index=True)
    quantity: Mapped[int]
    extra: Mapped[Extra] = relationship()


class DiscountCode(Base):
    """A discount code. `uses` counts the live sign-ups under it and is taken by a conditional update.

    `course_ids`, `run_ids`: where it holds; both empty is everywhere. `on_codes` are the codes of rates and extras it is
    on, none said is every rate and no extra. `series` is the name of the numbered set it belongs to.
    """

    __tablename__ = "discount_codes"
    __table_args__ = (
        CheckConstraint("(percent IS NULL) <> (off IS NULL)", name="one_reduction"),
        CheckConstraint("uses >= 0 AND (most IS NULL OR uses <= most)", name="uses"),
        Index("ix_discount_codes_series", "series"),
    )
    id: Mapped[Key]
    code: Mapped[str] = mapped_column(ascii_key(40), unique=True)
    note: Mapped[Name]
    percent: Mapped[Percent | None]
    off: Mapped[Units | None]
    currency: Mapped[str] = mapped_column(ascii_key(3))
    first: Mapped[date | None]
    last: Mapped[date | None]
    most: Mapped[int | None]
    most_each: Mapped[int | None]
    uses: Mapped[int]
    active: Mapped[bool]
    course_ids: Mapped[list[int]]
    run_ids: Mapped[list[int]]
    on_codes: Mapped[list[str] | None]
    series: Mapped[Name]
    made_at: Mapped[datetime]


class CodeUse(Base):
    """One sign-up under a code and what it took off; `live` ends when the seat is given back."""

    __tablename__ = "code_uses"
    __table_args__ = (UniqueConstraint("enrollment_id"), Index("ix_code_uses_person", "code_id", "person_id"))
    id: Mapped[Key]
    code_id: Mapped[int] = mapped_column(ForeignKey("discount_codes.id"))
    enrollment_id: Mapped[int] = mapped_column(ForeignKey("enrollments.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    amount: Mapped[Units]
    live: Mapped[bool] = mapped_column(Boolean)
    at: Mapped[datetime]


class KeptQuote(Base):
    """A quote that was kept for somebody through a day. `ask` is what was asked, `quote` what was answered, word for word."""

    __tablename__ = "kept_quotes"
    __table_args__ = (Index("ix_kept_quotes_open", "status", "last"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    reminder_id: Mapped[int | None] = mapped_column(ForeignKey("reminders.id"))
    enrollment_id: Mapped[int | None] = mapped_column(ForeignKey("enrollments.id"))
    ask: Mapped[Document]
    quote: Mapped[AgreedQuote]
    note: Mapped[Prose]
    last: Mapped[date]
    status: Mapped[QuoteStatus]  # "open", "taken", "dropped"; past its last day an open one has lapsed
    kept_at: Mapped[datetime]
