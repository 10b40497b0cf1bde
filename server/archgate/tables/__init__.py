"""The mapped classes of every subject. Importing this package knows them all."""

from archgate.tables import (
    access,
    bulk,
    courses,
    fees,
    jobs,
    log,
    messages,
    money,
    outside,
    people,
    plans,
    roster,
    schedule,
    seats,
    teaching,
    today,
    waitlist,
)
from archgate.tables.base import Base

__all__ = [
    "Base",
    "access",
    "bulk",
    "courses",
    "fees",
    "jobs",
    "log",
    "messages",
    "money",
    "outside",
    "people",
    "plans",
    "roster",
    "schedule",
    "seats",
    "teaching",
    "today",
    "waitlist",
]
