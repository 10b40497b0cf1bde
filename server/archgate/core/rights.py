"""What the staff may do: the rights there are.

A right reads after "may". Which role holds which rights is the center's own table; every address of the API names one right.
"""

from __future__ import annotations

from collections.abc import Collection
from enum import StrEnum


class Right(StrEnum):
    """One thing that a role allows; the words say what it covers."""

    words: str

    def __new__(cls, word: str, words: str) -> Right:
        made = str.__new__(cls, word)
        made._value_ = word
        made.words = words
        return made

    READ = "read", "see runs, rosters, people, accounts and reports"
    ENROLL = "enroll", "enroll, move and withdraw people, keep lines, offers and held places"
    KEEP_PEOPLE = "keep people", "add and change people and organizations, write to them"
    TAKE_MONEY = "take money", "take payments, issue invoices and receipts"
    PAY_BACK = "pay back", "pay money back, write off, take a payment back"
    CONFIRM_MONEY = "confirm money", "confirm what somebody else wants to pay back or write off"
    PLAN_RUNS = "plan runs", "make runs, plan and move their dates, copy them"
    PUBLISH = "publish", "publish, decide, cancel and archive runs"
    KEEP_COURSES = "keep courses", "change courses and their defaults"
    KEEP_FEES = "keep fees", "change rates, plans, codes, taxes and stock"
    KEEP_PLACES = "keep places", "change places and closed days"
    KEEP_TEACHING = "keep teaching", "keep instructors, assign, cover, applications"
    ADD_INSTRUCTORS = "add instructors", "put instructors on a roster"
    KEEP_PAY = "keep pay", "see and change what instructors are paid"
    KEEP_SENTENCES = "keep sentences", "keep the sentences that enroll people by themselves"
    KEEP_SETTINGS = "keep settings", "change the settings and rules of the center"
    KEEP_STAFF = "keep staff", "invite, change and end staff users and their roles"


BY_WORD = {right.value: right for right in Right}


def right_named(word: str) -> Right:
    """The right of a word; a word that is none is a fault of ours (KeyError)."""
    return BY_WORD[word]


def in_order(rights: Collection[str]) -> list[Right]:
    """Rights in the order in which they are listed, each once; a word that is none of them is left out."""
    return [right for right in Right if right.value in rights]


def refusal(role: str, right: Right) -> str:
    """What somebody hears whose role lacks a right.

    >>> refusal("desk", Right.PAY_BACK)
    'The role desk may not pay back: pay money back, write off, take a payment back.'
    """
    return f"The role {role} may not {right}: {right.words}."
