"""Payment plans, their lines, and the installments of enrollments."""

from __future__ import annotations

from datetime import date

from sqlalchemy import BigInteger, CheckConstraint, Computed, ForeignKey, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.tables.base import KEPT, Base, KeptUnits, Key, Name, Percent, Prose, Units, Word


class PlanLine(Base):
    __tablename__ = "plan_lines"
    __table_args__ = (
        UniqueConstraint("plan_id", "position"),
        CheckConstraint(
            "(percent IS NOT NULL) + (amount IS NOT NULL) + (parts IS NOT NULL) + rest = 1", name="one_share"
        ),
    )
    id: Mapped[Key]
    plan_id: Mapped[int] = mapped_column(ForeignKey("plans.id"))
    position: Mapped[int]
    percent: Mapped[Percent | None]
    amount: Mapped[Units | None]
    parts: Mapped[int | None]
    rest: Mapped[bool]
    due_kind: Mapped[Word]
    due_number: Mapped[int]
    due_on: Mapped[date | None]
    settle: Mapped[Word]


class Plan(Base):
    """A way to pay. One of the center (`run_id` is None) serves any run, or those of `course_ids` where some are named.

    A plan that somebody agreed to keeps its lines for good: a change makes a new row that `replaces_id` ties to it.
    `details`: payment details are taken at sign-up.
    """

    __tablename__ = "plans"
    id: Mapped[Key]
    run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    name: Mapped[Name]
    note: Mapped[Prose] = mapped_column(default="")
    active: Mapped[bool] = mapped_column(default=True)
    position: Mapped[int] = mapped_column(default=0)
    details: Mapped[bool] = mapped_column(default=False)
    course_ids: Mapped[list[int]] = mapped_column(default=list)
    replaces_id: Mapped[int | None] = mapped_column(ForeignKey("plans.id"))
    lines: Mapped[list[PlanLine]] = relationship(cascade="all, delete-orphan", order_by="PlanLine.position")


class Installment(Base):
    """One sum an enrollment owes by a date.

    `kind`: "plan" as agreed at sign-up, open while the seat is held; "kept" of the refund policy, open after a
    withdrawal; "void" a kept one that no longer holds.

    `payer_id` is the account of the enrollment's payer, `open` what is not settled of it yet, `open_due` when that is due:
    kept by `money.owing`.
    """

    __tablename__ = "installments"
    __table_args__ = (
        UniqueConstraint("enrollment_id", "n"),
        CheckConstraint("amount > 0", name="amount"),
        Index("ix_installments_open", "open_due", "id", "open"),
        Index("ix_installments_payer", "payer_id", "open_due", "open"),
    )
    id: Mapped[Key]
    enrollment_id: Mapped[int] = mapped_column(ForeignKey("enrollments.id"))
    n: Mapped[int]
    due: Mapped[date] = mapped_column(index=True)
    amount: Mapped[Units]
    settle: Mapped[Word]
    why: Mapped[Prose]
    kind: Mapped[Word] = mapped_column(default="plan")
    payer_id: Mapped[int | None] = mapped_column(BigInteger, info=KEPT)
    open: Mapped[KeptUnits]
    open_due: Mapped[date | None] = mapped_column(Computed("IF(open > 0, due, NULL)", persisted=True))
