"""The two clocks: the system's, for sessions and retries, and the business clock, which may be set."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo


def system_now() -> datetime:
    return datetime.now(UTC)


def business_now(offset_seconds: int) -> datetime:
    """The moment the center lives in: the system's plus a stored offset."""
    return system_now() + timedelta(seconds=offset_seconds)


def offset_for(day: date, zone: ZoneInfo) -> int:
    """The offset that makes the business clock stand on `day` at the present time of day in `zone`."""
    now = system_now().astimezone(zone)
    wanted = datetime.combine(day, now.time(), zone)
    # In UTC: two local times of one zone are an hour apart where only one of them is in summer time.
    return round((wanted.astimezone(UTC) - now.astimezone(UTC)).total_seconds())
