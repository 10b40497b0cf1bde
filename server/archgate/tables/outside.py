"""Webhooks: where lists are sent on to, and what the stand-in of the other side took."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.orm import Mapped, mapped_column

from archgate.tables.base import Base, Key, Name, Prose, ascii_key


class Webhook(Base):
    """An address that lists are sent on to, signed with its own secret."""

    __tablename__ = "webhooks"
    id: Mapped[Key]
    name: Mapped[Name]
    address: Mapped[Prose]
    secret: Mapped[str] = mapped_column(ascii_key(80))
    active: Mapped[bool] = mapped_column(default=True)
    made_at: Mapped[datetime]


class WebhookStandIn(Base):
    """What the webhook stand-in took: it belongs to the outside and takes each id once, if the signature is right."""

    __tablename__ = "webhook_stand_in"
    key: Mapped[str] = mapped_column(ascii_key(80), primary_key=True)
    address: Mapped[Prose]
    signature: Mapped[Prose]
    body: Mapped[Prose]
    at: Mapped[datetime]
