"""Lists of people: which column is which fact, and what becomes of every line.

A line is judged before anything is written. Its verdict is one of `will enroll`, `already in`, `no seat left`
and `needs fixing`, with the sentence that says why.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

WILL_ENROLL = "will enroll"
ALREADY_IN = "already in"
NO_SEAT = "no seat left"
NEEDS_FIXING = "needs fixing"

FACTS = ("given", "family", "name", "email", "phone", "number", "department")

# Headings as such lists write them, without case, accents and punctuation (common practice, no source).
HEADINGS: dict[str, tuple[str, ...]] = {
    "given": ("first name", "given name", "forename", "firstname", "given", "first"),
    "family": ("last name", "family name", "surname", "lastname", "family", "last"),
    "name": ("name", "full name", "learner", "participant", "person", "name last first", "last first"),
    "email": ("email", "e mail", "mail", "email address", "e mail address", "work email"),
    "phone": ("phone", "telephone", "phone number", "mobile", "cell", "tel"),
    "number": ("personnel no", "personnel number", "staff no", "staff number", "employee no", "employee number",
               "employee id", "staff id", "personnel id"),
    "department": ("department", "dept", "unit", "team", "division"),
}  # fmt: skip


def folded(text: str) -> str:
    """Lower case, without accents and punctuation: how headings and names are compared."""
    plain = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return " ".join(re.findall(r"[^\W_]+", plain.casefold()))


def columns_of(headings: Sequence[str]) -> dict[str, int]:
    """Which column holds which fact, by its heading. The first fitting column wins; a column serves one fact."""
    found: dict[str, int] = {}
    for fact, words in HEADINGS.items():
        for i, heading in enumerate(headings):
            if folded(heading) in words and i not in found.values():
                found[fact] = i
                break
    if "given" in found and "family" in found:
        found.pop("name", None)
    return found


def column_faults(columns: Mapping[str, int], width: int) -> list[str]:
    """Why a list cannot be read with these columns; empty when it can."""
    wrong = []
    if "name" not in columns and not ("given" in columns and "family" in columns):
        wrong.append(
            "No column holds the name: pick one for the name, or one each for given and family name."
        )
    if not {"email", "number"} & set(columns):
        wrong.append(
            "No column tells people of the same name apart: pick one for the email or the staff number."
        )
    if any(i < 0 or i >= width for i in columns.values()):
        wrong.append("A column is picked that the list does not have.")
    if len(set(columns.values())) < len(columns):
        wrong.append("One column is picked for two facts.")
    return wrong


@dataclass(frozen=True)
class Row:
    """One line of a list, read."""

    line: int
    given: str = ""
    family: str = ""
    email: str | None = None
    phone: str | None = None
    number: str | None = None
    department: str = ""

    @property
    def name(self) -> str:
        return f"{self.given} {self.family}".strip()


def split_name(text: str) -> tuple[str, str]:
    """Given and family name of "Last, First", or of "First Last" with the last word as family name."""
    family, comma, given = text.partition(",")
    if comma:
        return " ".join(given.split()), " ".join(family.split())
    words = text.split()
    return " ".join(words[:-1]), words[-1] if words else ""


def read_row(line: int, cells: Sequence[str], columns: Mapping[str, int]) -> Row:
    """The facts of a line; the staff number stays text, with its leading zeros."""

    def cell(fact: str) -> str:
        i = columns.get(fact, -1)
        return cells[i].strip() if 0 <= i < len(cells) else ""

    given, family = split_name(cell("name")) if "name" in columns else (cell("given"), cell("family"))
    return Row(
        line,
        given,
        family,
        cell("email") or None,
        cell("phone") or None,
        cell("number") or None,
        cell("department"),
    )


@dataclass(frozen=True)
class Known:
    """People the center knows who may be meant: by staff number, and by (folded name, email in lower case)."""

    by_number: Mapping[str, tuple[int, str]] = field(default_factory=dict)
    by_email: Mapping[tuple[str, str], int] = field(default_factory=dict)
    on_roster: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Verdict:
    """What becomes of a line; `person` is the known person meant, None for somebody new."""

    row: Row
    verdict: str
    why: str
    person: int | None = None


def row_faults(
    row: Row, cells: Sequence[str], width: int, email_fault: Callable[[str], str | None]
) -> list[str]:
    """What must be mended in a line, all at once."""
    wrong = []
    if len(cells) > width and any(c.strip() for c in cells[width:]):
        wrong.append(f"The line has {len(cells)} cells, the headings {width}.")
    if not row.name:
        wrong.append("The name is missing.")
    elif len(row.given) > 200 or len(row.family) > 200:
        wrong.append("The name is longer than 200 characters.")
    if row.email:
        fault = email_fault(row.email)
        wrong += [fault] if fault else []
    if not row.email and not row.number:
        wrong.append("There is neither an email nor a staff number to know the person by.")
    if row.number and len(row.number) > 60:
        wrong.append("The staff number is longer than 60 characters.")
    return wrong


def judge(
    rows: Iterable[tuple[int, Sequence[str]]],
    columns: Mapping[str, int],
    width: int,
    known: Known,
    free: int,
    email_fault: Callable[[str], str | None],
) -> list[Verdict]:
    """A verdict for every line, in order; earlier lines get the seats.

    A person is known by staff number first, then by name and email together. A line that repeats an earlier
    one needs fixing.
    """
    verdicts: list[Verdict] = []
    numbers: dict[str, int] = {}
    emails: dict[tuple[str, str], int] = {}
    for line, cells in rows:
        row = read_row(line, cells, columns)
        wrong = row_faults(row, cells, width, email_fault)
        key = (folded(row.name), row.email.lower()) if row.email else None
        earlier = numbers.get(row.number) if row.number else None
        earlier = earlier or (emails.get(key) if key else None)
        if earlier and not wrong:
            wrong.append(f"It repeats line {earlier}.")
        if row.number:
            numbers.setdefault(row.number, line)
        if key:
            emails.setdefault(key, line)
        meant = known.by_number.get(row.number) if row.number else None
        if meant and folded(meant[1]) != folded(row.name) and row.name:
            wrong.append(f"Number {row.number} is {meant[1]} here, not {row.name}.")
        person = meant[0] if meant else (known.by_email.get(key) if key else None)
        if wrong:
            verdicts.append(Verdict(row, NEEDS_FIXING, " ".join(wrong), person))
        elif person in known.on_roster:
            verdicts.append(Verdict(row, ALREADY_IN, "Already on the roster; left as it is.", person))
        elif free <= 0:
            verdicts.append(Verdict(row, NO_SEAT, "All seats are taken by then.", person))
        else:
            free -= 1
            why = "Known; gets a seat." if person else "New; is added and gets a seat."
            verdicts.append(Verdict(row, WILL_ENROLL, why, person))
    return verdicts
