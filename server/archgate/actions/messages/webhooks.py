"""Where lists are sent on to, and sending them: a job with a stable key for each address."""

from __future__ import annotations

import base64
import secrets
from typing import Any
from urllib.parse import urlsplit

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session

from archgate.actions.kernel import queue
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages.views import WebhookDone, WebhookMade, WebhookOut
from archgate.clock import system_now
from archgate.core.faults import Fault, Refused
from archgate.core.reader import Reader
from archgate.outside.webhooks import PREFIX, allowed, signature_of
from archgate.tables.outside import Webhook


def add(uow: UnitOfWork, body: dict[str, Any]) -> WebhookMade:
    """Add an address; its secret is shown this once only."""
    faults: list[Fault] = []
    top = Reader(body, "", faults, "name address")
    name = (top.text("name", "The name", need=True) or "").strip()
    address = (top.text("address", "The address", need=True) or "").strip()
    try:
        parts = urlsplit(address)
    except ValueError:
        parts = urlsplit("")
    if address and (parts.scheme not in ("http", "https") or not parts.hostname or len(address) > 500):
        top.fault("address", "The address begins with https:// and names a host.")
    elif address and not allowed(parts.hostname or ""):
        top.fault("address", "The address is within the own network; lists are sent on to the outside only.")
    if len(name) > 200:
        top.fault("name", "The name is longer than 200 characters.")
    if faults:
        raise Refused(faults)
    secret = PREFIX + base64.b64encode(secrets.token_bytes(24)).decode()
    row = Webhook(name=name, address=address, secret=secret, made_at=uow.now)
    uow.session.add(row)
    uow.session.flush()
    change = uow.log("add a webhook", "webhook", row.id, f"Lists can be sent on to {name}")
    return view(row).widened(WebhookMade, change=change.key, secret=secret)


def view(row: Webhook) -> WebhookOut:
    return WebhookOut(id=row.id, name=row.name, address=row.address)


def listed(uow: UnitOfWork) -> list[WebhookOut]:
    return [
        view(r) for r in uow.session.scalars(select(Webhook).where(Webhook.active).order_by(Webhook.name))
    ]


def remove(uow: UnitOfWork, webhook_id: int) -> WebhookDone:
    row = uow.session.get(Webhook, webhook_id)
    if row is None or not row.active:
        raise not_found("This address")
    row.active = False
    uow.session.flush()
    change = uow.log("remove a webhook", "webhook", row.id, f"Nothing is sent on to {row.name} any more")
    return view(row).widened(WebhookDone, change=change.key)


def send_on(uow: UnitOfWork, webhook_id: int, kind: str, data: dict[str, Any], change_key: str) -> None:
    """Queue one delivery of an event, {"type", "timestamp", "data"}, to be sent by the worker."""
    row = uow.session.get(Webhook, webhook_id)
    if row is None or not row.active:
        raise conflict("no-webhook", "There is no such address any more.")
    body = orjson.dumps({"type": kind, "timestamp": uow.now.isoformat(), "data": data}).decode()
    what = {"about": f"{row.name}: {kind}", "webhook_id": row.id, "body": body}
    queue.queue(uow, "send webhook", f"webhook:{change_key}:{row.id}", what, change=change_key)


def delivery(session: Session, key: str, what: dict[str, Any]) -> tuple[str, int, str, str]:
    """Address, timestamp, signature and body of a queued delivery."""
    row = session.get_one(Webhook, what["webhook_id"])
    timestamp = int(system_now().timestamp())
    return row.address, timestamp, signature_of(row.secret, key, timestamp, what["body"]), what["body"]
