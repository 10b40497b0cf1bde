"""Personal links: what they name is in the address, signed, so that nobody can make one up or change it.

The secret comes from ARCHGATE_SECRET, or from a file that is made on first use and stays on the machine.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import os
import re
import secrets
from functools import lru_cache
from pathlib import Path

from archgate.settings import ROOT

FILE = ROOT / "var" / "secret"


@lru_cache
def secret(file: Path = FILE) -> bytes:
    told = os.environ.get("ARCHGATE_SECRET")
    if told:
        return told.encode()
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True)
        made = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(made, "w") as out:
            out.write(secrets.token_hex(32))
    return file.read_bytes()


def address() -> str:
    """Where people reach the center, for links in messages; empty where nobody has said so."""
    return os.environ.get("ARCHGATE_ADDRESS", "").rstrip("/")


LINK = re.compile(r"\S*/(own|pay|reply|evaluate|password)/[A-Za-z0-9._-]+")


def without_links(text: str) -> str:
    """A letter as staff see it: a personal link in it is somebody's key, and only theirs."""
    return LINK.sub("(their personal link)", text)


def signature(text: str) -> str:
    return base64.urlsafe_b64encode(hmac.digest(secret(), text.encode(), hashlib.sha256)[:18]).decode()


def token_for(kind: str, number: int, turn: int) -> str:
    """The token of a link: "o12.1.signature" is the first offer to the party 12 in line."""
    payload = f"{kind}{number}.{turn}"
    return f"{payload}.{signature(payload)}"


def token_read(token: str) -> tuple[str, int, int] | None:
    """Kind, number and turn of a token; None when it was not made here."""
    payload, _, given = token.rpartition(".")
    if not payload.isascii() or not hmac.compare_digest(signature(payload).encode(), given.encode()):
        return None
    number, _, turn = payload[1:].partition(".")
    return (payload[0], int(number), int(turn)) if number.isdecimal() and turn.isdecimal() else None
