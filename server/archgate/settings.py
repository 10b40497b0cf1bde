"""Settings, from the environment only; see docs/settings.md for each."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from ipaddress import ip_address, ip_network
from pathlib import Path
from typing import TypedDict
from urllib.parse import urlsplit

ROOT = Path(__file__).resolve().parents[2]


LOOPBACK = ("127.0.0.1", "localhost", "::1")


@dataclass(frozen=True)
class Settings:
    """`quick_hash` makes password hashing cheap and is for tests; `secure_cookie` is for use behind TLS.

    `hosts` are the names under which the server is asked for, beside loopback; `proxies` the addresses (or networks) of
    proxies that are believed when they say who asks. `wait` is for how many seconds a statement may go unanswered,
    `processes` how many `serve` starts. `private_webhooks` lets lists be sent on within the own network. The worker makes a
    backup in `backups` every `backup_hours` hours and keeps the newest. `payments` is where the payment service is asked, with
    which key, and `payments_secret` that by which its notices are signed; empty where cards are not taken.
    """

    database_url: str
    quick_hash: bool
    secure_cookie: bool
    web: Path
    hosts: tuple[str, ...] = ()
    proxies: tuple[str, ...] = ()
    wait: int = 7
    processes: int = 2
    private_webhooks: bool = False
    backups: Path | None = None
    backup_hours: int = 24
    backups_kept: int = 14
    backup_passphrase: str = ""
    payments: str = ""
    payments_key: str = ""
    payments_secret: str = ""

    def serves(self, host: str) -> bool:
        """Whether a Host header names this server; the port is not looked at."""
        name = host_name(host)
        return name is not None and (name in LOOPBACK or name in self.hosts or "*" in self.hosts)

    def trusts(self, address: str) -> bool:
        """Whether an address is that of a proxy of ours."""
        try:
            ip = ip_address(address)
        except ValueError:
            return False
        return any(ip in ip_network(proxy, strict=False) for proxy in self.proxies)


def host_name(host: str) -> str | None:
    """The name of a Host header without its port, in lower case; None when it is none."""
    match = re.fullmatch(r"(\[[0-9a-f:.]+\]|[a-z0-9._-]+)(:\d{1,5})?", host.strip().lower())
    return match[1].strip("[]").rstrip(".") if match else None


def words(text: str) -> tuple[str, ...]:
    return tuple(w.strip().lower() for w in text.split(",") if w.strip())


def settings_from(environment: dict[str, str] | None = None) -> Settings:
    """The settings. Raises ValueError with the sentence for what cannot be."""
    env = dict(os.environ) if environment is None else environment
    address = env.get("ARCHGATE_ADDRESS", "")
    own = host_name(urlsplit(address).netloc) if address else None
    proxies = words(env.get("ARCHGATE_PROXIES", ""))
    for proxy in proxies:
        try:
            ip_network(proxy, strict=False)
        except ValueError:
            raise ValueError(f'ARCHGATE_PROXIES names "{proxy}", which is no address or network.') from None
    return Settings(
        database_url=env.get("ARCHGATE_DATABASE_URL", ""),
        quick_hash=env.get("ARCHGATE_QUICK_HASH") == "1",
        secure_cookie=env.get("ARCHGATE_SECURE_COOKIE") == "1" or address.startswith("https://"),
        web=Path(env.get("ARCHGATE_WEB", str(ROOT / "web" / "dist"))),
        hosts=(*words(env.get("ARCHGATE_HOSTS", "")), *((own,) if own else ())),
        proxies=proxies,
        wait=number(env, "ARCHGATE_WAIT", 7, 1, 600),
        processes=number(env, "ARCHGATE_PROCESSES", max(2, os.cpu_count() or 2), 1, 64),
        backups=Path(env["ARCHGATE_BACKUPS"]) if env.get("ARCHGATE_BACKUPS") else None,
        backup_hours=number(env, "ARCHGATE_BACKUP_HOURS", 24, 1, 24 * 31),
        backups_kept=number(env, "ARCHGATE_BACKUPS_KEPT", 14, 1, 10_000),
        backup_passphrase=env.get("ARCHGATE_BACKUP_PASSPHRASE", ""),
        private_webhooks=env.get("ARCHGATE_PRIVATE_WEBHOOKS") == "1",
        **payments_from(env),
    )


class PaymentSettings(TypedDict):
    payments: str
    payments_key: str
    payments_secret: str


def payments_from(env: dict[str, str]) -> PaymentSettings:
    """Where the payment service is asked: all three settings, or none of them."""
    names = ("ARCHGATE_PAYMENTS", "ARCHGATE_PAYMENTS_KEY", "ARCHGATE_PAYMENTS_SECRET")
    where, key, secret = (env.get(name, "").strip() for name in names)
    if (where or key or secret) and not (where and key and secret):
        raise ValueError(f"{', '.join(names)} are set together, or none of them.")
    if where and not re.fullmatch(r"https?://\S+", where):
        raise ValueError(f'ARCHGATE_PAYMENTS is an address such as https://pay.example.org, not "{where}".')
    return PaymentSettings(payments=where.rstrip("/"), payments_key=key, payments_secret=secret)


def number(env: dict[str, str], name: str, usual: int, low: int, high: int) -> int:
    text = env.get(name, "")
    if not text:
        return usual
    if not text.isdecimal() or not low <= int(text) <= high:
        raise ValueError(f'{name} is a whole number from {low} to {high}, not "{text}".')
    return int(text)
