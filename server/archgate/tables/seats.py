"""The seat row of a run: locked first by whoever changes who sits where."""

from __future__ import annotations

from sqlalchemy import CheckConstraint, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base


class RunSeats(Base):
    __tablename__ = "run_seats"
    __table_args__ = (CheckConstraint("taken >= 0", name="taken"),)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), primary_key=True, autoincrement=False)
    taken: Mapped[int] = mapped_column(default=0)
    version: Mapped[int] = mapped_column(default=0)
