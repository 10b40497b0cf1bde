"""Settings, from the environment only; see docs/settings.md for each."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


@dataclass(frozen=True)
class Settings:
    """`quick_hash` makes password hashing cheap and is for tests; `secure_cookie` is for use behind TLS."""

    database_url: str
    quick_hash: bool
    secure_cookie: bool
    web: Path


def settings_from(environment: dict[str, str] | None = None) -> Settings:
    env = dict(os.environ) if environment is None else environment
    return Settings(
        database_url=env.get("ARCHGATE_DATABASE_URL", ""),
        quick_hash=env.get("ARCHGATE_QUICK_HASH") == "1",
        secure_cookie=env.get("ARCHGATE_SECURE_COOKIE") == "1",
        web=Path(env.get("ARCHGATE_WEB", str(ROOT / "web" / "dist"))),
    )
