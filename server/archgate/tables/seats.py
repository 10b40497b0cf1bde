"""The seat row of a run: locked first by whoever changes who sits where."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from archgate.core.states import HoldStatus
from archgate.tables.base import KEPT, Base, KeptUnits, Key, Name, Prose, ascii_key


class SetAside(Base):
    """Seats kept for a named group through a day: people with the tag, those an organization pays for, or by hand. With `days_before`
    the day follows the start of the run; `last` is then what it comes to."""

    __tablename__ = "set_asides"
    __table_args__ = (CheckConstraint("seats >= 1", name="seats"),)
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    name: Mapped[Name]
    seats: Mapped[int]
    last: Mapped[date]
    days_before: Mapped[int | None]
    tag: Mapped[str | None] = mapped_column(String(40))
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    active: Mapped[bool] = mapped_column(default=True)


class HeldPlace(Base):
    """Places held without names, for somebody, through a day. `status`: held, used, released, lapsed.

    With `until` they are kept for somebody outside who is filling in a sign-up, who knows them by a key, of which the hash is
    here; `email` and `client` (an address of the network) are whose they are.
    """

    __tablename__ = "held_places"
    __table_args__ = (
        CheckConstraint("seats >= 0", name="seats"),
        Index("ix_held_places_open", "run_id", "status"),
        Index("ix_held_places_until", "status", "until"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    for_whom: Mapped[Name]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"), index=True)
    organization_id: Mapped[int | None] = mapped_column(ForeignKey("organizations.id"))
    seats: Mapped[int]
    last: Mapped[date]
    note: Mapped[Prose]
    status: Mapped[HoldStatus]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    until: Mapped[datetime | None]
    key_hash: Mapped[str | None] = mapped_column(ascii_key(64), unique=True)
    email: Mapped[str] = mapped_column(String(254), default="")
    client: Mapped[str] = mapped_column(ascii_key(64), default="")
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class RunSeats(Base):
    """The row that is locked. `version` is written by whoever locks it; `revision` rises whenever what the run is made of
    (its facts, dates, gates, rates, extras, plans) is another: what was read under the lock stands as long as it does.
    `gone` are the learners' seats that were given up again; `sign_ups` those that stand, and `income` what they come to. `followed`: a sentence
    puts the run's people on another one."""

    __tablename__ = "run_seats"
    __table_args__ = (CheckConstraint("taken >= 0", name="taken"),)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), primary_key=True, autoincrement=False)
    taken: Mapped[int] = mapped_column(default=0)
    version: Mapped[int] = mapped_column(default=0)
    revision: Mapped[int] = mapped_column(default=0)
    gone: Mapped[int] = mapped_column(default=0, server_default="0", info=KEPT)
    sign_ups: Mapped[int] = mapped_column(default=0, server_default="0", info=KEPT)
    income: Mapped[KeptUnits]
    followed: Mapped[bool] = mapped_column(default=False, server_default="0", info=KEPT)
