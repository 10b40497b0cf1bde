"""Where lists are sent on to, and sending them: a job with a stable key for each address."""

from __future__ import annotations

import base64
import secrets
from urllib.parse import urlsplit

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session

from archgate.actions.kernel import queue
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages.commands import WebhookCommand
from archgate.actions.messages.views import WebhookDone, WebhookMade, WebhookOut
from archgate.clock import system_now
from archgate.core.faults import refuse
from archgate.documents.reader import Document
from archgate.outside.webhooks import PREFIX, allowed, signature_of
from archgate.tables.outside import Webhook


def add(uow: UnitOfWork, command: WebhookCommand) -> WebhookMade:
    """Add an address; its secret is shown this once only."""
    name, address = command.name, command.address
    try:
        parts = urlsplit(address)
    except ValueError:
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise refuse("/address", "The address begins with https:// and names a host.")
    if not allowed(parts.hostname):
        sentence = "The address is within the own network; lists are sent on to the outside only."
        raise refuse("/address", sentence)
    secret = PREFIX + base64.b64encode(secrets.token_bytes(24)).decode()
    row = Webhook(name=name, address=address, secret=secret, made_at=uow.now)
    uow.session.add(row)
    uow.session.flush()
    change = uow.log(Act.ADD_A_WEBHOOK, row.id, f"Lists can be sent on to {name}")
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
    change = uow.log(Act.REMOVE_A_WEBHOOK, row.id, f"Nothing is sent on to {row.name} any more")
    return view(row).widened(WebhookDone, change=change.key)


def send_on(uow: UnitOfWork, webhook_id: int, kind: str, data: Document, change_key: str) -> None:
    """Queue one delivery of an event, {"type", "timestamp", "data"}, to be sent by the worker."""
    row = uow.session.get(Webhook, webhook_id)
    if row is None or not row.active:
        raise conflict("no-webhook", "There is no such address any more.")
    body = orjson.dumps({"type": kind, "timestamp": uow.now.isoformat(), "data": data}).decode()
    what = {"about": f"{row.name}: {kind}", "webhook_id": row.id, "body": body}
    queue.queue(uow, "send webhook", f"webhook:{change_key}:{row.id}", what, change=change_key)


def delivery(session: Session, key: str, what: Document) -> tuple[str, int, str, str]:
    """Address, timestamp, signature and body of a queued delivery."""
    row = session.get_one(Webhook, int(str(what["webhook_id"])))
    timestamp, body = int(system_now().timestamp()), str(what["body"])
    return row.address, timestamp, signature_of(row.secret, key, timestamp, body), body
