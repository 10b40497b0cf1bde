"""Enumerations of what is stored: states of records, and closed sets of words."""

from __future__ import annotations

from enum import StrEnum


class Told(StrEnum):
    """Who hears of an enrollment."""

    LEARNER = "learner"
    PAYER = "payer"
    INSTRUCTORS = "instructors"
    OFFICE = "office"


class LineKind(StrEnum):
    """What a line of a quote is."""

    RATE = "rate"
    GROUP = "group"
    EXTRA = "extra"
    CODE = "code"
    CREDIT = "credit"  # what a meeting that fell out was worth
