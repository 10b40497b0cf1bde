"""Lists of people: which column is which fact, and what becomes of every line.

A line is judged before anything is written. Its verdict is one of `will enroll`, `will wait` (no seat is left for
it), `already in` (left as it is), `needs fixing` (with every reason) and `left out` (empty, or a total). A line
takes as many seats as its party says; the person named on it comes first, the other heads are named later. What is
odd but does no harm is said beside the verdict.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from archgate.core.names import digits_of, folded, split_name
from archgate.core.seats import LARGEST_PARTY, NoSeat, Seated, Seats, seated_in, seats_for

WILL_ENROLL = "will enroll"
WILL_WAIT = "will wait"
ALREADY_IN = "already in"
NEEDS_FIXING = "needs fixing"
LEFT_OUT = "left out"
VERDICTS = (WILL_ENROLL, WILL_WAIT, ALREADY_IN, NEEDS_FIXING, LEFT_OUT)

FACTS = ("given", "family", "name", "email", "phone", "number", "department", "rate", "party", "remarks")

# Headings as such lists write them, without case, accents and punctuation (common practice, no source).
HEADINGS: dict[str, tuple[str, ...]] = {
    "given": ("first name", "given name", "forename", "firstname", "given", "first"),
    "family": ("last name", "family name", "surname", "lastname", "family", "last"),
    "name": ("name", "full name", "learner", "participant", "person", "name last first", "last first", "student"),
    "email": ("email", "e mail", "mail", "email address", "e mail address", "work email"),
    "phone": ("phone", "telephone", "phone number", "mobile", "cell", "tel"),
    "number": ("personnel no", "personnel number", "staff no", "staff number", "employee no", "employee number",
               "employee id", "staff id", "personnel id"),
    "department": ("department", "dept", "unit", "team", "division"),
    "rate": ("rate", "fee", "price", "tariff", "fee type"),
    "party": ("party", "party size", "heads", "seats", "places", "number of people", "people"),
    "remarks": ("remarks", "remark", "notes", "note", "comment", "comments"),
}  # fmt: skip
# A longer heading that holds one of these words is that fact too: "Contact email", "Home phone".
WORDS = {"email": {"email", "mail"}, "phone": {"phone", "mobile", "telephone"}}
TOTALS = {"total", "totals", "sum", "subtotal", "grand total"}
FORMULA = ("=", "+", "-", "@", "\t", "\r", "＝", "＋", "－", "＠")  # how a cell begins that a sheet would run


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


def column_faults(columns: Mapping[str, int], width: int) -> list[str]:
    """Why a list cannot be read with these columns; empty when it can."""
    wrong = []
    if "name" not in columns and not ("given" in columns and "family" in columns):
        wrong.append(
            "No column holds the name: pick one for the name, or one each for given and family name."
        )
    if not {"email", "number", "phone"} & set(columns):
        wrong.append(
            "No column tells people of the same name apart: pick one for the email, phone or staff number."
        )
    if any(i < 0 or i >= width for i in columns.values()):
        wrong.append("A column is picked that the list does not have.")
    if len(set(columns.values())) < len(columns):
        wrong.append("One column is picked for two facts.")
    return wrong


@dataclass(frozen=True)
class Row:
    """One line of a list, read. `party` is None when it is no number of heads; `rate` is the word as written."""

    line: int
    given: str = ""
    family: str = ""
    email: str | None = None
    phone: str | None = None
    number: str | None = None
    department: str = ""
    rate: str = ""
    party: int | None = 1
    remarks: str = ""
    no_email: bool = False
    somebody_new: bool = False
    odd: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return f"{self.given} {self.family}".strip()


def party_of(text: str) -> int | None:
    """So many heads; an empty cell is one. None for what is no number from 1 to the largest party."""
    if not text:
        return 1
    match = re.fullmatch(r"(\d{1,4})(\.0+)?", text)
    return int(match[1]) if match and 1 <= int(match[1]) <= LARGEST_PARTY else None


def read_row(
    line: int,
    cells: Sequence[str],
    columns: Mapping[str, int],
    fixed: Mapping[str, str] | None = None,
    strange: str = "",
) -> Row:
    """The facts of a line, with what was corrected by hand (`fixed`). A staff number stays text with its zeros.
    `strange`: what the reader of the file found odd about it."""
    fixed = fixed or {}
    odd: list[str] = [strange] if strange else []

    def cell(fact: str) -> str:
        if fact in fixed:
            return fixed[fact].strip()
        i = columns.get(fact, -1)
        return cells[i].strip() if 0 <= i < len(cells) else ""

    given, family = split_name(cell("name")) if "name" in columns else (cell("given"), cell("family"))
    given, family = fixed.get("given", given).strip(), fixed.get("family", family).strip()
    raw = cells[columns["email"]] if "email" in columns and columns["email"] < len(cells) else ""
    if "email" not in fixed and raw != raw.strip():
        odd.append("Spaces around the email were taken off.")
    for text, what in ((given, "given name"), (family, "family name"), (cell("remarks"), "remark")):
        if text.startswith(FORMULA):
            odd.append(f'The {what} begins like a formula ("{text[0]}"); it is kept as plain text.')
    return Row(
        line, given, family, cell("email") or None, cell("phone") or None, cell("number") or None,
        cell("department"), cell("rate"), party_of(cell("party")), cell("remarks"),
        fixed.get("no_email") == "yes", fixed.get("somebody_new") == "yes", tuple(odd),
    )  # fmt: skip


@dataclass(frozen=True)
class Known:
    """People the center knows who may be meant, and who of them is on the run already.

    By staff number (person, name); by (folded name, email in lower case); by (folded name, phone digits). `emails` says
    whose an email in lower case is here, by the names of all who have it.
    """

    by_number: Mapping[str, tuple[int, str]] = field(default_factory=dict)
    by_email: Mapping[tuple[str, str], int] = field(default_factory=dict)
    by_phone: Mapping[tuple[str, str], int] = field(default_factory=dict)
    emails: Mapping[str, str] = field(default_factory=dict)
    on_roster: frozenset[int] = frozenset()
    waiting: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Verdict:
    """What becomes of a line; `person` is the known person meant, None for somebody new."""

    row: Row
    verdict: str
    why: str
    person: int | None = None
    rate: str | None = None
    seat: Seated | None = None


@dataclass(frozen=True)
class Terms:
    """What lines are judged against: rates by folded code and label, the seats as they stand with those who wait, and
    whose set-aside seats a person (None: somebody new) may have."""

    rates: Mapping[str, str]
    usual: str
    seats: Seats
    group_of: Callable[[int | None], int | None] = lambda person: None


def row_faults(
    row: Row, cells: Sequence[str], width: int, terms: Terms, email_fault: Callable[[str], str | None]
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
    elif not row.number and not row.no_email:
        wrong.append("The email is missing. Add one, or tick that there is none.")
    elif not row.number and not row.phone:
        wrong.append("There is neither email, phone nor staff number to know the person by.")
    if row.number and len(row.number) > 60:
        wrong.append("The staff number is longer than 60 characters.")
    if row.party is None:
        wrong.append(f"The party is no number of heads from 1 to {LARGEST_PARTY}.")
    if row.rate and folded(row.rate) not in terms.rates:
        known = ", ".join(dict.fromkeys(terms.rates.values()))
        wrong.append(f'There is no rate "{row.rate}"; the run has {known}.')
    return wrong


def left_out(row: Row, cells: Sequence[str]) -> str | None:
    """Why a line is nobody: empty, or a sum under the list."""
    if not any(c.strip() for c in cells):
        return "The line is empty."
    first = next(c for c in cells if c.strip())
    if folded(first).rstrip("0123456789 ") in TOTALS and not row.email:
        return "It is a total, not a person."
    return None


def keys_of(row: Row) -> list[tuple[str, ...]]:
    """By what a line is known again: staff number, name with email, and, without either, name with phone."""
    keys: list[tuple[str, ...]] = []
    if row.number:
        keys.append(("number", row.number))
    if row.email:
        keys.append(("email", folded(row.name), row.email.lower()))
    if not keys and row.phone:
        keys.append(("phone", folded(row.name), digits_of(row.phone)))
    return keys


def meant(row: Row, known: Known) -> int | None:
    """The person a line means, if the center knows one."""
    if row.somebody_new:
        return None
    if row.number and row.number in known.by_number:
        return known.by_number[row.number][0]
    if row.email:
        return known.by_email.get((folded(row.name), row.email.lower()))
    return known.by_phone.get((folded(row.name), digits_of(row.phone))) if row.phone else None


def judge(
    rows: Iterable[tuple[int, Sequence[str], Mapping[str, str] | None, str]],
    columns: Mapping[str, int],
    width: int,
    known: Known,
    terms: Terms,
    email_fault: Callable[[str], str | None],
    rate_fault: Callable[[str, int | None, int], str | None] = lambda rate, person, heads: None,
) -> list[Verdict]:
    """A verdict for every line (number, cells, corrections, what was odd to its reader), in order; earlier lines get the
    seats.

    Who is seated, waits or never can be is what `core.seats.seats_for` says of the seats as the lines before have left
    them. A line that repeats an earlier one needs fixing, and the earlier line is named. `rate_fault` says
    why a person (None: somebody new) cannot have a rate for so many heads; it is asked in order, once a line.
    """
    verdicts: list[Verdict] = []
    seen: dict[tuple[str, ...], int] = {}
    state = terms.seats
    for line, cells, fixed, strange in rows:
        row = read_row(line, cells, columns, fixed, strange)
        nobody = None if fixed else left_out(row, cells)
        if nobody:
            verdicts.append(Verdict(row, LEFT_OUT, nobody))
            continue
        person = meant(row, known)
        wrong = row_faults(row, cells, width, terms, email_fault)
        wrong += repeated(row, seen) + doubts(row, person, known)
        rate = terms.rates.get(folded(row.rate), terms.usual) if row.rate else terms.usual
        in_already = person in known.on_roster or person in known.waiting
        if not wrong and not in_already:
            refused = rate_fault(rate, person, row.party or 1)
            size = seats_for(state, row.party or 1)
            wrong += [refused] if refused else []
            wrong += [size.why] if isinstance(size, NoSeat) else []
        verdict, state = placed(row, person, rate, state, terms.group_of, known, wrong)
        verdicts.append(verdict)
    return verdicts


def repeated(row: Row, seen: dict[tuple[str, ...], int]) -> list[str]:
    """That a line repeats an earlier one, by what it is known by; it is remembered for the lines after it."""
    earlier = next((seen[k] for k in keys_of(row) if k in seen), None)
    for key in keys_of(row):
        seen.setdefault(key, row.line)
    return [f"It repeats line {earlier}."] if earlier else []


def doubts(row: Row, person: int | None, known: Known) -> list[str]:
    """That a staff number or an email is somebody else's here."""
    sentences = []
    holder = known.by_number.get(row.number or "")
    if holder and row.name and folded(holder[1]) != folded(row.name):
        sentences.append(f"Number {row.number} is {holder[1]} here, not {row.name}.")
    names = known.emails.get(row.email.lower()) if row.email else None
    if person is None and names is not None and not row.somebody_new:
        sentences.append(
            f"{row.email} is {names} here, not {row.name}: mend the name, or say that it is somebody new."
        )
    return sentences


def placed(
    row: Row, person: int | None, rate: str, state: Seats, group_of: Callable[[int | None], int | None], known: Known,
    wrong: list[str],
) -> tuple[Verdict, Seats]:  # fmt: skip
    """The verdict on a line that is somebody, and the seats after it."""
    heads, who = row.party or 1, "Known" if person else "New"
    if wrong:
        return Verdict(row, NEEDS_FIXING, " ".join(wrong), person, rate), state
    if person in known.on_roster:
        return Verdict(row, ALREADY_IN, "Already on the roster; left as it is.", person, rate), state
    if person in known.waiting:
        return Verdict(row, ALREADY_IN, "Already waiting; left as it is.", person, rate), state
    group = group_of(person)
    decided = seats_for(state, heads, group)
    assert not isinstance(decided, NoSeat)  # it is among what is wrong
    if isinstance(decided, Seated):
        after = seated_in(state, decided)
        taken = "a seat" if heads == 1 else f"{heads} seats, {heads - 1} to be named later"
        of = next((f", set aside for {s.name}" for s in after.set_asides if s.id == decided.set_aside), "")
        return Verdict(row, WILL_ENROLL, f"{who}; gets {taken}{of}.", person, rate, decided), after
    after = replace(state, waiting=(*state.waiting, heads))
    place, free = len(after.waiting) + after.offers, after.free_for(group)
    sentence = f"{who}; {heads} needed, {free} free: waits as number {place} in line."
    return Verdict(row, WILL_WAIT, sentence, person, rate), after
