"""What the stand-in keeps, in a database of its own. Card numbers are never kept: their treatment and last two digits are."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import BigInteger, Engine, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from archgate.core.states import ServiceStatus
from archgate.tables.base import Moment, State


class Base(DeclarativeBase):
    type_annotation_map = {datetime: Moment(), int: BigInteger(), ServiceStatus: State(ServiceStatus)}


class ServicePayment(Base):
    """A payment that was asked for. `asked` is what was asked, word for word: under one key nothing else can be asked."""

    __tablename__ = "payments"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(80), unique=True)
    asked: Mapped[str] = mapped_column(Text)
    page: Mapped[str] = mapped_column(String(64), unique=True)
    amount: Mapped[int]
    currency: Mapped[str] = mapped_column(String(3))
    words: Mapped[str] = mapped_column(String(300))
    keep: Mapped[bool]
    back: Mapped[str] = mapped_column(String(600))
    status: Mapped[ServiceStatus]
    treatment: Mapped[str] = mapped_column(String(80), default="")
    ending: Mapped[str] = mapped_column(String(2), default="")
    holder: Mapped[str] = mapped_column(String(200), default="")
    token: Mapped[str] = mapped_column(String(80), default="")
    said: Mapped[str] = mapped_column(String(300), default="")
    fee: Mapped[int] = mapped_column(default=0)
    made_at: Mapped[datetime]
    until: Mapped[datetime]


class OnFile(Base):
    """A card kept for later charges, under its token."""

    __tablename__ = "on_file"
    token: Mapped[str] = mapped_column(String(80), primary_key=True)
    treatment: Mapped[str] = mapped_column(String(80))
    ending: Mapped[str] = mapped_column(String(2))
    holder: Mapped[str] = mapped_column(String(200))
    made_at: Mapped[datetime]


class ServiceRefund(Base):
    __tablename__ = "refunds"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(80), unique=True)
    payment_id: Mapped[int] = mapped_column(ForeignKey("payments.id"))
    amount: Mapped[int]
    said: Mapped[str] = mapped_column(String(300))
    at: Mapped[datetime]


class ServiceNotice(Base):
    """A notice to the center, sent until it is answered; `copies` are still to be sent of it."""

    __tablename__ = "notices"
    __table_args__ = (UniqueConstraint("number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(String(80))
    body: Mapped[str] = mapped_column(Text)
    due_at: Mapped[datetime] = mapped_column(index=True)
    copies: Mapped[int] = mapped_column(index=True)
    tries: Mapped[int] = mapped_column(default=0)


def make_tables(engine: Engine) -> None:
    Base.metadata.create_all(engine)
