"""Sending on by webhook: the interface, and the stand-in that takes deliveries instead of another system.

Signed as Standard Webhooks has it: the headers webhook-id, webhook-timestamp (Unix seconds) and webhook-signature, "v1,"
and the base64 of HMAC-SHA256 over "id.timestamp.body" with the secret. Source: the Standard Webhooks specification,
from memory. The stand-in refuses a wrong signature for good, and addresses at refused.example.org; it takes each id once.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
from typing import Protocol
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import system_now
from archgate.outside.mail import Trouble
from archgate.tables.outside import Webhook, WebhookStandIn

PREFIX = "whsec_"


def signature_of(secret: str, key: str, timestamp: int, body: str) -> str:
    """The value of webhook-signature. The secret is base64 after its prefix."""
    held = base64.b64decode(secret.removeprefix(PREFIX))
    digest = hmac.digest(held, f"{key}.{timestamp}.{body}".encode(), hashlib.sha256)
    return f"v1,{base64.b64encode(digest).decode()}"


class Webhooks(Protocol):
    def send(self, key: str, address: str, timestamp: int, signature: str, body: str) -> None: ...


class StandInWebhooks:
    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions

    def send(self, key: str, address: str, timestamp: int, signature: str, body: str) -> None:
        if (urlsplit(address).hostname or "") == "refused.example.org":
            raise Trouble("The other side refuses this address.", for_good=True)
        with self.sessions.begin() as session:
            known = session.scalars(select(Webhook.secret).where(Webhook.address == address)).all()
            if not any(hmac.compare_digest(signature, signature_of(s, key, timestamp, body)) for s in known):
                raise Trouble("The other side finds the signature wrong.", for_good=True)
            taken = {"key": key, "address": address, "signature": signature, "body": body, "at": system_now()}
            statement = insert(WebhookStandIn).values(taken)
            session.execute(statement.on_duplicate_key_update(key=WebhookStandIn.key))
