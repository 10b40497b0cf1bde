"""Which column of a list is which fact: by its heading, or by what its cells hold."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence

from archgate.core.names import digits_of, folded

FACTS = (
    "given", "family", "name", "email", "phone", "number", "department", "rate", "party", "remarks", "run", "group", "extras",
    "code", "plan", "payer", "order", "contact",
)  # fmt: skip

# Headings as such lists write them, without case, accents and punctuation (common practice, no source).
HEADINGS: dict[str, tuple[str, ...]] = {
    "given": ("first name", "given name", "given names", "forename", "firstname", "given", "first", "learner first name",
              "participant first name", "christian name"),
    "family": ("last name", "family name", "surname", "lastname", "family", "last", "learner last name",
               "participant last name", "second name"),
    "name": ("name", "full name", "learner", "participant", "person", "name last first", "last first", "student", "learner name",
             "participant name", "name of learner", "name of participant", "attendee", "attendee name", "employee", "employee name",
             "first and last name", "last name first name", "surname first name", "name and surname"),
    "email": ("email", "e mail", "mail", "email address", "e mail address", "work email"),
    "phone": ("phone", "telephone", "phone number", "mobile", "cell", "tel", "telephone number", "mobile number", "cell phone"),
    "number": ("personnel no", "personnel number", "staff no", "staff number", "employee no", "employee number",
               "employee id", "staff id", "personnel id", "member no", "member number", "membership no", "membership number",
               "member id", "payroll no", "payroll number", "badge no", "badge number"),
    "department": ("department", "dept", "unit", "team", "division"),
    "rate": ("rate", "fee", "price", "tariff", "fee type", "rate code", "price group", "category of fee"),
    "party": ("party", "party size", "heads", "seats", "places", "number of people", "people", "number of seats",
              "number of places", "how many"),
    "remarks": ("remarks", "remark", "notes", "note", "comment", "comments"),
    "run": ("run", "run code", "course code", "code of the run", "class code", "course", "class"),
    "group": ("group", "group name", "subgroup"),
    "extras": ("extras", "extra", "options", "extra items", "materials"),
    "code": ("code", "discount code", "discount", "voucher", "promo code", "promotion code"),
    "plan": ("plan", "payment plan", "payment terms", "terms of payment", "installments"),
    "payer": ("payer", "paid by", "bill to", "invoice to", "organization", "organisation", "company", "employer"),
    "order": ("purchase order", "purchase order no", "purchase order number", "po", "po number", "po no", "order no",
              "order number", "cost center"),
    "contact": ("contact", "contact person", "payer contact", "billing contact", "ordered by"),
}  # fmt: skip
# A longer heading that holds one of these words is that fact too: "Contact email", "Home phone".
WORDS = {"email": {"email", "mail"}, "phone": {"phone", "mobile", "telephone"}}


def columns_of(headings: Sequence[str]) -> dict[str, int]:
    """Which column holds which fact, by its heading. The first fitting column wins; a column serves one fact."""
    columns: dict[str, int] = {}
    for fact, words in HEADINGS.items():
        for i, heading in enumerate(headings):
            if folded(heading) in words and i not in columns.values():
                columns[fact] = i
                break
    for fact, telling in WORDS.items():
        for i, heading in enumerate(headings):
            if fact not in columns and i not in columns.values() and telling & set(folded(heading).split()):
                columns[fact] = i
    if "given" in columns and "family" in columns:
        columns.pop("name", None)
    return columns


def guessed_columns(rows: Sequence[Sequence[str]]) -> dict[str, int]:
    """Which column holds which fact in a list without headings, by what most of its first lines hold: an email has an @, a
    phone at least six digits and nothing but signs beside them, a name neither. Two columns of names side by side are given
    and family name; everything else is for the person to pick."""
    looked = rows[:50]
    width = max((len(r) for r in looked), default=0)

    def mostly(i: int, fits: Callable[[str], bool]) -> bool:
        cells = [r[i].strip() for r in looked if i < len(r) and r[i].strip()]
        return bool(cells) and 2 * sum(map(fits, cells)) > len(cells)

    kinds = {
        "email": lambda c: "@" in c,
        "phone": lambda c: len(digits_of(c)) >= 6 and not re.search(r"[^\W\d_]", c),
        "name": lambda c: not re.search(r"[\d@]", c),
    }
    fitting = {kind: [i for i in range(width) if mostly(i, fits)] for kind, fits in kinds.items()}
    guessed = {kind: columns[0] for kind, columns in fitting.items() if columns and kind != "name"}
    names = fitting["name"]
    if len(names) > 1 and names[1] == names[0] + 1 and not mostly(names[0], lambda c: " " in c or "," in c):
        return {**guessed, "given": names[0], "family": names[1]}
    return {**guessed, "name": names[0]} if names else guessed


def column_faults(columns: Mapping[str, int], width: int, needs_run: bool = False) -> list[str]:
    """Why a list cannot be read with these columns; empty when it can. `needs_run`: it is for no run of its own, so that
    each line has to name its run."""
    wrong = []
    if "name" not in columns and not ("given" in columns and "family" in columns):
        wrong.append(
            "No column holds the name: pick one for the name, or one each for given and family name."
        )
    if not {"email", "number", "phone"} & set(columns):
        wrong.append(
            "No column tells people of the same name apart: pick one for the email, phone or staff number."
        )
    if needs_run and "run" not in columns:
        wrong.append("No column names the run: pick the one with its code, or put the list on one run.")
    if any(i < 0 or i >= width for i in columns.values()):
        wrong.append("A column is picked that the list does not have.")
    if len(set(columns.values())) < len(columns):
        wrong.append("One column is picked for two facts.")
    return wrong
