"""Sending on by webhook: the interface, and the stand-in that takes deliveries instead of another system.

Signed as Standard Webhooks has it: the headers webhook-id, webhook-timestamp (Unix seconds) and webhook-signature, "v1,"
and the base64 of HMAC-SHA256 over "id.timestamp.body" with the secret. Source: the Standard Webhooks specification,
from memory. The stand-in refuses a wrong signature for good, and addresses at refused.example.org; it takes each id once.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import socket
from ipaddress import ip_address
from typing import Protocol
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import system_now
from archgate.outside.mail import Trouble
from archgate.settings import settings_from
from archgate.tables.outside import Webhook, WebhookStandIn

PREFIX = "whsec_"


def signature_of(secret: str, key: str, timestamp: int, body: str) -> str:
    """The value of webhook-signature. The secret is base64 after its prefix."""
    secret_bytes = base64.b64decode(secret.removeprefix(PREFIX))
    digest = hmac.digest(secret_bytes, f"{key}.{timestamp}.{body}".encode(), hashlib.sha256)
    return f"v1,{base64.b64encode(digest).decode()}"


LOCAL_NAMES = (".local", ".localhost", ".internal", ".lan", ".home.arpa")


def is_private(host: str) -> bool:
    """Whether a host is this machine, or within a private, link-local or otherwise special network (RFC 1918, RFC 4193,
    RFC 6890, by Python's ipaddress), in whichever way its numbers are written: 127.1 and 2130706433 are loopback too."""
    name = host.strip("[]").rstrip(".").lower()
    if (
        name == "localhost"
        or name.endswith(LOCAL_NAMES)
        or ("." not in name and ":" not in name and not name.isdigit())
    ):
        return True
    try:
        address = ip_address(name)
    except ValueError:
        try:
            address = ip_address(socket.inet_aton(name))
        except (OSError, UnicodeEncodeError):
            return False
    mapped = getattr(address, "ipv4_mapped", None) or address
    return not mapped.is_global or mapped.is_multicast


def allowed(host: str) -> bool:
    """Whether lists may be sent on to a host; ARCHGATE_PRIVATE_WEBHOOKS=1 allows the own network too. Whoever really sends
    asks again for each address that the name stands for at that moment."""
    return settings_from().private_webhooks or not is_private(host)


class Webhooks(Protocol):
    def send(self, key: str, address: str, timestamp: int, signature: str, body: str) -> None: ...


class StandInWebhooks:
    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions

    def send(self, key: str, address: str, timestamp: int, signature: str, body: str) -> None:
        host = urlsplit(address).hostname or ""
        if not allowed(host):
            raise Trouble("The address is within the own network.", for_good=True)
        if host == "refused.example.org":
            raise Trouble("The other side refuses this address.", for_good=True)
        with self.sessions.begin() as session:
            known = session.scalars(select(Webhook.secret).where(Webhook.address == address)).all()
            if not any(hmac.compare_digest(signature, signature_of(s, key, timestamp, body)) for s in known):
                raise Trouble("The other side finds the signature wrong.", for_good=True)
            taken = {"key": key, "address": address, "signature": signature, "body": body, "at": system_now()}
            statement = insert(WebhookStandIn).values(taken)
            session.execute(statement.on_duplicate_key_update(key=WebhookStandIn.key))
