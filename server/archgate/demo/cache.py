"""Under what name a finished demo center is kept: a hash of everything it was made from."""

from __future__ import annotations

import hashlib
from datetime import date
from pathlib import Path

SOURCES = Path(__file__).resolve().parents[1]


def key_of(today: date, quick: bool) -> str:
    """A hash of the sources (script, seed, migrations, actions, rules), the day, and how passwords are hashed."""
    digest = hashlib.sha256(f"{today} {quick}".encode())
    for path in sorted(SOURCES.rglob("*.py")):
        digest.update(path.relative_to(SOURCES).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:24]
