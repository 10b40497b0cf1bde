"""Lists of people: what becomes of every line, judged before anything is written.

A line takes as many seats as its party says; the person named on it comes first, the other heads are named later. What
is odd but does no harm is said beside the verdict. Lines are judged in their order: earlier ones get the seats.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from difflib import get_close_matches

from archgate.core.names import HIDDEN, digits_of, folded, split_name
from archgate.core.seats import LARGEST_PARTY, NoSeat, Seated, Seats, seated_in, seats_for
from archgate.core.states import RowKind, Verdict

TOTALS = {"total", "totals", "sum", "subtotal", "grand total"}
FORMULA = ("=", "+", "-", "@", "\t", "\r", "＝", "＋", "－", "＠")  # how a cell begins that a sheet would run
CUT = re.compile(r"\d(?:[.,]\d+)?[eE]\+\d{1,3}")  # 1.2E+9: a long number as a sheet shows it, its end lost
MOST_EXTRAS = 20  # kinds of them on one line


@dataclass(frozen=True)
class Row:
    """One line of a list, read. `party` is None when it is no number of heads; `rate`, `run`, `plan`, `payer` and the extras
    are words as written. `person`: who it was decided to be; `somebody_new`: that it is nobody known."""

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
    run: str = ""
    group: str = ""
    extras: tuple[tuple[str, int], ...] = ()
    code: str = ""
    plan: str = ""
    payer: str = ""
    order: str = ""
    contact: str = ""
    no_email: bool = False
    somebody_new: bool = False
    person: int | None = None
    left_out: bool = False
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


def extras_of(text: str) -> tuple[tuple[str, int], ...]:
    """Extras of one cell, with how many of each: "Lunch; 2 x Book". A number alone means nothing.

    >>> extras_of("Lunch; 2 x Book")
    (('Lunch', 1), ('Book', 2))
    """
    found = []
    for part in re.split(r"[;,\n]", text):
        match = re.fullmatch(r"\s*(?:(\d{1,3})\s*[x×]\s*)?(.*?)(?:\s*[x×]\s*(\d{1,3}))?\s*", part, re.DOTALL)
        if match and match[2]:
            found.append((match[2], int(match[1] or match[3] or 1)))
    return tuple(found[:MOST_EXTRAS])


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

    def seen(fact: str, what: str) -> str:
        """A cell of one line without signs that show nothing, which would make two names of one."""
        text = cell(fact)
        plain = " ".join(HIDDEN.sub("", text).split())
        if HIDDEN.search(text):
            odd.append(f"Signs that cannot be seen were taken out of the {what}.")
        return plain

    given, family = (
        split_name(seen("name", "name"))
        if "name" in columns
        else (seen("given", "given name"), seen("family", "family name"))
    )
    given, family = fixed.get("given", given).strip(), fixed.get("family", family).strip()
    raw = cells[columns["email"]] if "email" in columns and columns["email"] < len(cells) else ""
    if "email" not in fixed and raw != raw.strip():
        odd.append("Spaces around the email were taken off.")
    phone, remarks = seen("phone", "phone"), cell("remarks")
    for text, what in ((given, "given name"), (family, "family name"), (remarks, "remark")):
        if text.startswith(FORMULA):
            odd.append(f'The {what} begins like a formula ("{text[0]}"); it is kept as plain text.')
    if CUT.fullmatch(phone):
        odd.append(f"The phone {phone} was cut by a spreadsheet; it is left out.")
        phone = ""
    person = fixed.get("person", "")
    return Row(
        line, given, family, seen("email", "email") or None, phone or None, seen("number", "staff number") or None,
        seen("department", "department"), seen("rate", "rate"), party_of(cell("party")), remarks, seen("run", "run"),
        seen("group", "group"), extras_of(cell("extras")), seen("code", "code"), seen("plan", "plan"), seen("payer", "payer"),
        seen("order", "purchase order"), seen("contact", "contact"), fixed.get("no_email") == "yes",
        fixed.get("somebody_new") == "yes", int(person) if person.isdecimal() else None, fixed.get("left_out") == "yes",
        tuple(odd),
    )  # fmt: skip


# --- who is meant -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Somebody:
    """Somebody the center knows, as far as it matters who is meant."""

    id: int
    name: str
    folded: str


@dataclass(frozen=True)
class Known:
    """People the center knows who may be meant, and who of them is on a run already (run, person).

    By whose staff number it is and the number; by email in lower case, all who have it; by (folded name, phone digits).
    `ids` are those that somebody picked.
    """

    by_number: Mapping[tuple[int | None, str], Somebody] = field(default_factory=dict)
    by_email: Mapping[str, Sequence[Somebody]] = field(default_factory=dict)
    by_phone: Mapping[tuple[str, str], Somebody] = field(default_factory=dict)
    ids: frozenset[int] = frozenset()
    on_roster: frozenset[tuple[int, int]] = frozenset()
    waiting: frozenset[tuple[int, int]] = frozenset()


@dataclass(frozen=True)
class Fault:
    """What keeps a line from being enrolled; `suggested` what may be meant for a fact."""

    kind: RowKind
    why: str
    fact: str = ""
    suggested: str = ""


@dataclass(frozen=True)
class Judged:
    """What becomes of a line; `person` is the known person meant, None for somebody new. `near` may be meant, if it is unsure.
    `new`: it is the first line of somebody new."""

    row: Row
    verdict: Verdict
    why: str
    person: int | None = None
    run: int | None = None
    rate: str | None = None
    payer: int | None = None
    seat: Seated | None = None
    kind: RowKind | None = None
    fact: str = ""
    suggested: str = ""
    near: tuple[int, ...] = ()
    new: bool = False


def meant(row: Row, known: Known, whose: int | None) -> int | None:
    """The person a line means, if the center knows one: who was picked; by the staff number, name and email, or, where there is
    no email, name and phone."""
    if row.person is not None:
        return row.person if row.person in known.ids else None
    if row.somebody_new:
        return None
    name = folded(row.name)
    holder = known.by_number.get((whose, row.number)) if row.number else None
    if holder and (not name or holder.folded == name):
        return holder.id
    if row.email:
        return next((s.id for s in known.by_email.get(row.email.lower(), ()) if s.folded == name), None)
    twin = known.by_phone.get((name, digits_of(row.phone))) if row.phone else None
    return twin.id if twin else None


def doubt(
    row: Row, person: int | None, known: Known, whose: int | None
) -> tuple[Fault, tuple[int, ...]] | None:
    """That somebody known may be meant: the staff number or the email is somebody else's here, or somebody of the same name and
    phone has another email."""
    if row.somebody_new or row.person is not None or not row.name:
        return None
    holder = known.by_number.get((whose, row.number or ""))
    if holder and holder.folded != folded(row.name):
        why = f"Number {row.number} is {holder.name} here, not {row.name}."
        return Fault(RowKind.OTHER_NUMBER, why), (holder.id,)
    if person is not None or row.email is None:
        return None
    shared = known.by_email.get(row.email.lower(), ())
    if shared:
        names = " and ".join(sorted(s.name for s in shared)[:3])
        why = f"{row.email} is {names} here, not {row.name}."
        return Fault(RowKind.SAME_EMAIL, why), tuple(s.id for s in shared[:3])
    twin = known.by_phone.get((folded(row.name), digits_of(row.phone))) if row.phone else None
    if twin:
        why = f"{twin.name} with the same phone is known here with another email, or none."
        return Fault(RowKind.SAME_PHONE, why), (twin.id,)
    return None


def keys_of(row: Row, run: int | None, whose: int | None) -> list[tuple[str | int | None, ...]]:
    """By what a line is known again among those for its run: staff number, name with email, and, without either, name with
    phone; of somebody who was picked, who they are."""
    keys: list[tuple[str | int | None, ...]] = []
    if row.person is not None:
        keys.append((run, "person", row.person))
    if row.number:
        keys.append((run, "number", whose, row.number))
    if row.email:
        keys.append((run, "email", folded(row.name), row.email.lower()))
    if not keys and row.phone:
        keys.append((run, "phone", folded(row.name), digits_of(row.phone)))
    return keys


# --- judging ----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Terms:
    """What lines for one run are judged against: its rates by folded code and label, whose set-aside seats a person (None:
    somebody new) may have when somebody pays, why nobody can sign up (`shut`), and what is wrong with what a line asks for
    (`faults`: of a row at a rate for a person). `took` is told of each line that gets a seat."""

    run: int
    code: str
    rates: Mapping[str, str]
    usual: str
    shut: str = ""
    group_of: Callable[[int | None, int | None], int | None] = lambda person, payer: None
    faults: Callable[[Row, str, int | None, int | None], list[Fault]] = lambda row, rate, person, payer: []
    took: Callable[[Row, str], None] = lambda row, rate: None


@dataclass
class Judge:
    """Judges one line after the other. `terms_of` gives the terms of a run by the word a line has for it ("" for none), or why
    there are none; `payer_of` the organization of a word, or what is wrong with it. `sure`: it was decided before who is who."""

    terms_of: Callable[[str], Terms | Fault]
    payer_of: Callable[[str], int | Fault | None]
    email_fault: Callable[[str], str | None]
    width: int
    seats: dict[int, Seats] = field(default_factory=dict)
    sure: bool = False
    seen: dict[tuple[str | int | None, ...], int] = field(default_factory=dict)
    newcomers: set[tuple[str | int | None, ...]] = field(default_factory=set)

    def judge(
        self, row: Row, cells: Sequence[str], known: Known, touched: bool = False, waits: bool = False
    ) -> Judged:
        """The verdict on a line. `touched`: it was corrected, so it is somebody even where its cells are empty. `waits`: it was
        decided that it waits, so it does though there be a seat.

        Who is seated, waits or never can be is what `core.seats.seats_for` says of the seats as the lines before have left
        them. A line that repeats an earlier one needs fixing, and the earlier line is named.
        """
        nobody = "Left out by you." if row.left_out else None if touched else left_out(row, cells)
        if nobody:
            return Judged(row, Verdict.LEFT_OUT, nobody)
        terms, payer = self.terms_of(row.run), self.payer_of(row.payer)
        wrong = self.row_faults(row, cells)
        whose = None if isinstance(payer, Fault) else payer
        wrong += [payer] if isinstance(payer, Fault) else []
        if isinstance(terms, Fault):
            return refused(row, [*wrong, terms])
        person = meant(row, known, whose)
        wrong += self.rate_faults(row, terms) + self.repeated(row, terms.run, whose)
        rate = (terms.rates.get(folded(row.rate)) if row.rate else None) or terms.usual
        said = Judged(row, Verdict.ALREADY_IN, "", person, terms.run, rate, whose)
        if not wrong and person is not None:
            if (terms.run, person) in known.on_roster:
                return replace(said, why="Already on the roster; left as it is.")
            if (terms.run, person) in known.waiting:
                return replace(said, why="Already waiting; left as it is.")
        unsure = None if wrong or self.sure else doubt(row, person, known, whose)
        if unsure:
            fault, near = unsure
            return replace(said, verdict=Verdict.UNSURE, why=fault.why, kind=fault.kind, near=near)
        if not wrong:
            wrong = (
                [Fault(RowKind.SHUT, terms.shut)] if terms.shut else terms.faults(row, rate, person, whose)
            )
        size = seats_for(self.seats[terms.run], row.party or 1)
        if not wrong and isinstance(size, NoSeat):
            wrong = [Fault(RowKind.TOO_LARGE, size.why)]
        return refused(row, wrong, said) if wrong else self.placed(self.known_or_new(said), terms, waits)

    def known_or_new(self, said: Judged) -> Judged:
        """Whether a line is the first of somebody new; on several runs they are new once."""
        if said.person is not None:
            return said
        keys = keys_of(said.row, None, said.payer)
        new = said.row.somebody_new or not self.newcomers.intersection(keys)
        self.newcomers.update(keys)
        return replace(said, new=new)

    def placed(self, said: Judged, terms: Terms, waits: bool = False) -> Judged:
        """The verdict on a line with which nothing is wrong; the seats stand as it leaves them."""
        state, heads, who = self.seats[terms.run], said.row.party or 1, "Known" if said.person else "New"
        group = terms.group_of(said.person, said.payer)
        decided = seats_for(state, heads, group)
        assert not isinstance(decided, NoSeat)  # it is among what is wrong
        if isinstance(decided, Seated) and not waits:
            after = seated_in(state, decided)
            self.seats[terms.run] = after
            terms.took(said.row, said.rate or terms.usual)
            taken = "a seat" if heads == 1 else f"{heads} seats, {heads - 1} to be named later"
            of = next(
                (f", set aside for {s.name}" for s in after.set_asides if s.id == decided.set_aside), ""
            )
            return replace(said, verdict=Verdict.WILL_ENROLL, why=f"{who}; gets {taken}{of}.", seat=decided)
        after = replace(state, waiting=(*state.waiting, heads))
        self.seats[terms.run] = after
        place, free = len(after.waiting) + after.offers, after.free_for(group)
        sentence = f"{who}; {heads} needed, {free} free: waits as number {place} in line."
        return replace(said, verdict=Verdict.WILL_WAIT, why=sentence)

    def row_faults(self, row: Row, cells: Sequence[str]) -> list[Fault]:
        """What must be mended in a line, whatever its run; all at once."""
        wrong = []
        if len(cells) > self.width and any(c.strip() for c in cells[self.width :]):
            wrong.append(Fault(RowKind.CELLS, f"The line has {len(cells)} cells, the headings {self.width}."))
        if not row.name:
            wrong.append(Fault(RowKind.NO_NAME, "The name is missing."))
        elif len(row.given) > 200 or len(row.family) > 200:
            wrong.append(Fault(RowKind.TOO_LONG, "The name is longer than 200 characters."))
        if row.email:
            fault = self.email_fault(row.email)
            if fault:
                mended = mended_email(row.email)
                better = mended if mended != row.email and self.email_fault(mended) is None else ""
                wrong.append(Fault(RowKind.BAD_EMAIL, fault, "email", better))
        elif not row.number and not row.no_email and row.person is None:
            wrong.append(
                Fault(RowKind.NO_EMAIL, "The email is missing. Add one, or tick that there is none.")
            )
        elif not row.number and not row.phone and row.person is None and not row.somebody_new:
            wrong.append(
                Fault(
                    RowKind.NOT_KNOWN_BY,
                    "There is neither email, phone nor staff number to know the person by.",
                )
            )
        if row.number and (len(row.number) > 60 or CUT.fullmatch(row.number)):
            long = (
                "is longer than 60 characters"
                if len(row.number) > 60
                else f"{row.number} was cut by a spreadsheet"
            )
            wrong.append(Fault(RowKind.BAD_NUMBER, f"The staff number {long}.", "number"))
        for text, most, what in (
            (row.phone, 40, "phone"), (row.department, 200, "department"), (row.group, 100, "group"),
            (row.order, 100, "purchase order"), (row.contact, 200, "contact"), (row.remarks, 5000, "remark"),
        ):  # fmt: skip
            if text and len(text) > most:
                wrong.append(Fault(RowKind.TOO_LONG, f"The {what} is longer than {most} characters."))
        if row.party is None:
            why = f"The party is no number of heads from 1 to {LARGEST_PARTY}."
            wrong.append(Fault(RowKind.BAD_PARTY, why, "party"))
        return wrong

    def rate_faults(self, row: Row, terms: Terms) -> list[Fault]:
        if not row.rate or folded(row.rate) in terms.rates:
            return []
        known = ", ".join(dict.fromkeys(terms.rates.values()))
        why = f'There is no rate "{row.rate}"; the run has {known}.'
        return [Fault(RowKind.NO_RATE, why, "rate", nearest(row.rate, terms.rates))]

    def repeated(self, row: Row, run: int, whose: int | None) -> list[Fault]:
        """That a line repeats an earlier one of its run, by what it is known by; it is remembered for the lines after it."""
        keys = keys_of(row, run, whose)
        earlier = next((self.seen[k] for k in keys if k in self.seen), None)
        for key in keys:
            self.seen.setdefault(key, row.line)
        return [Fault(RowKind.REPEATED, f"It repeats line {earlier}.")] if earlier else []


def refused(row: Row, wrong: Sequence[Fault], said: Judged | None = None) -> Judged:
    """A line that needs fixing: every reason; its kind, and what is suggested, are the first's."""
    said = said or Judged(row, Verdict.NEEDS_FIXING, "")
    first = next((f for f in wrong if f.suggested), wrong[0])
    return replace(
        said, verdict=Verdict.NEEDS_FIXING, why=" ".join(f.why for f in wrong), kind=wrong[0].kind, fact=first.fact,
        suggested=first.suggested if len(wrong) == 1 or first is wrong[0] else "",
    )  # fmt: skip


def left_out(row: Row, cells: Sequence[str]) -> str | None:
    """Why a line is nobody: empty, or a sum under the list."""
    if not any(c.strip() for c in cells):
        return "The line is empty."
    first = next(c for c in cells if c.strip())
    if folded(first).rstrip("0123456789 ") in TOTALS and not row.email:
        return "It is a total, not a person."
    return None


# --- what may be meant ------------------------------------------------------------------------------------


def nearest(word: str, known: Mapping[str, str]) -> str:
    """The known word that is written most nearly like one that is not known, by its value; "" if none is near."""
    close = get_close_matches(folded(word), list(known), 1, 0.7)
    return known[close[0]] if close else ""


def mended_email(text: str) -> str:
    """An address without what slips in while typing or copying: "mailto:", brackets, commas for points, points at its ends, a
    second sign, spaces.

    >>> mended_email("<ana@example,org>.")
    'ana@example.org'
    """
    plain = re.sub(r"^mailto:", "", text.strip(), flags=re.IGNORECASE)
    plain = re.sub(r"[\s<>()\[\]\"']", "", plain).replace(",", ".").replace("@@", "@")
    return re.sub(r"\.{2,}", ".", plain).strip(".;:")
