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


class Weekday(StrEnum):
    """A day of the week, Monday first, by its two letters of RFC 5545."""

    MO = "MO"
    TU = "TU"
    WE = "WE"
    TH = "TH"
    FR = "FR"
    SA = "SA"
    SU = "SU"


class PlaceKind(StrEnum):
    ROOM = "room"
    OUTDOORS = "outdoors"
    ONLINE = "online"


class OwnerKind(StrEnum):
    """Whose absences or closed times."""

    PLACE = "place"
    INSTRUCTOR = "instructor"


class Method(StrEnum):
    """How money comes in by hand; the first three also go back."""

    CASH = "cash"
    CHECK = "check"
    TRANSFER = "transfer"
    PURCHASE_ORDER = "purchase order"


class Scope(StrEnum):
    """Which meetings a change is of."""

    THIS = "this"
    LATER = "later"
    ALL = "all"


class Role(StrEnum):
    """What somebody is on a roster."""

    LEARNER = "learner"
    ASSISTANT = "assistant"
    INSTRUCTOR = "instructor"
    OBSERVER = "observer"


class Mark(StrEnum):
    """Attendance of a meeting."""

    PRESENT = "present"
    LATE = "late"
    LEFT_EARLY = "left early"
    EXCUSED = "excused"
    ABSENT = "absent"


class PaperKind(StrEnum):
    """What a roster is printed or written as."""

    CSV = "csv"
    XLSX = "xlsx"
    SIGN_IN = "sign-in"
    BADGES = "badges"
    CONTACTS = "contacts"


class Answer(StrEnum):
    """What somebody outside answers by a link."""

    TAKE = "take"
    DECLINE = "decline"
    TIME = "time"
    WAIT = "wait"


class CallOutcome(StrEnum):
    REACHED = "reached"
    LEFT_WORD = "left word"
    NO_ANSWER = "no answer"
    WRONG_NUMBER = "wrong number"


class OnClosure(StrEnum):
    """What becomes of a date of a pattern that falls on a closed day: left out, or held at the end instead."""

    SKIP = "skip"
    EXTEND = "extend"
