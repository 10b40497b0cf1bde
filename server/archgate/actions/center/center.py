"""The center itself: its one row, made before anything else, and its business clock."""

from __future__ import annotations

import secrets
from datetime import date
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import business_now, offset_for
from archgate.tables.courses import Center


def make_center(sessions: sessionmaker[Session], name: str, time_zone: str, currency: str) -> None:
    """Make the center's row if there is none yet."""
    with sessions.begin() as session:
        if session.get(Center, 1) is None:
            session.add(
                Center(
                    id=1,
                    name=name,
                    time_zone=time_zone,
                    currency=currency,
                    clock_offset=0,
                    demo_ready=False,
                    region="",
                    uid=secrets.token_hex(8),
                )
            )


def center_of(sessions: sessionmaker[Session]) -> Center | None:
    with sessions() as session:
        return session.scalar(select(Center))


def set_clock(sessions: sessionmaker[Session], day: date | None, may_go_back: bool) -> date:
    """Set the business clock to a day (None: leave it) and return the center's today.

    Raises ValueError when the clock would go back, since what has happened cannot unhappen.
    """
    with sessions.begin() as session:
        center = session.get_one(Center, 1)
        zone = ZoneInfo(center.time_zone)
        today = business_now(center.clock_offset).astimezone(zone).date()
        if day is None or day == today:
            return today
        if day < today and not may_go_back:
            raise ValueError(f"The center's day is {today} already; going back to {day} needs --fresh.")
        center.clock_offset = offset_for(day, zone)
        return day


def demo_done(sessions: sessionmaker[Session]) -> None:
    with sessions.begin() as session:
        session.get_one(Center, 1).demo_ready = True
