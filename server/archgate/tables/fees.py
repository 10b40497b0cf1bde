"""Rates and their early-bird steps."""

from __future__ import annotations

from datetime import date

from sqlalchemy import CheckConstraint, ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.tables.base import Base, Key, Name, Percent, Units, Word


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
    """A rate that somebody holds is never deleted; taken off the run, it is inactive."""

    __tablename__ = "rates"
    __table_args__ = (UniqueConstraint("run_id", "code"), CheckConstraint("amount >= 0", name="amount"))
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    code: Mapped[Word]
    label: Mapped[Name]
    amount: Mapped[Units]
    position: Mapped[int]
    active: Mapped[bool] = mapped_column(default=True)
    early: Mapped[list[EarlyStep]] = relationship(cascade="all, delete-orphan", order_by="EarlyStep.id")
