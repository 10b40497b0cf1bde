"""Who teaches: names as people write them, and who is fit for a part.

Several names stand in one text with semicolons between them, each with its part in brackets where it is not the lead:
"I. Marchetti; P. Hallam (assistant)".
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal

from archgate.core.states import Fit, Level, Part

MOST_TEACHERS = 12  # of one meeting


@dataclass(frozen=True)
class Taught:
    """Somebody by name, and their part."""

    name: str
    part: Part = Part.LEAD

    @property
    def text(self) -> str:
        return self.name if self.part is Part.LEAD else f"{self.name} ({self.part})"


IN_BRACKETS = re.compile(r"\s*\((lead|assistant|substitute)\)\s*$", re.IGNORECASE)


def read_taught(text: str) -> tuple[Taught, ...]:
    """The names of a text, in their order, nobody twice; what stands in brackets and is no part belongs to the name.

    >>> [t.text for t in read_taught("I. Marchetti;  P. Hallam (Assistant); i. marchetti")]
    ['I. Marchetti', 'P. Hallam (assistant)']
    """
    found: dict[str, Taught] = {}
    for piece in text.split(";"):
        part = IN_BRACKETS.search(piece)
        name = " ".join(IN_BRACKETS.sub("", piece).split())
        if name:
            found.setdefault(name.casefold(), Taught(name, Part(part[1].lower()) if part else Part.LEAD))
    return tuple(found.values())


def taught_text(taught: Iterable[Taught]) -> str:
    return "; ".join(t.text for t in taught)


@dataclass(frozen=True)
class Can:
    """What somebody can teach, as it is written down: a course, or all courses of a category."""

    course_id: int | None
    category: str
    level: Level


def fit_for(cans: Iterable[Can], course_id: int, category: str, part: Part) -> Fit:
    """Whether somebody is qualified for a part in a course. Whoever leads may assist; a substitute leads.

    Where nothing at all is written down about somebody, it is not known. What is said of a course goes before what is said
    of its category.
    """
    written = list(cans)
    if not written:
        return Fit.UNKNOWN
    of_course = [c for c in written if c.course_id == course_id]
    of_category = [
        c
        for c in written
        if c.course_id is None and category and c.category.casefold() == category.casefold()
    ]
    levels = {c.level for c in of_course or of_category}
    enough = {Level.LEADS, Level.ASSISTS} if part is Part.ASSISTANT else {Level.LEADS}
    return Fit.YES if levels & enough else Fit.NO


def hours_text(minutes: int) -> str:
    """Hours as people write them.

    >>> hours_text(1080), hours_text(450), hours_text(105)
    ('18', '7.5', '1.75')
    """
    return format((Decimal(minutes) / 60).quantize(Decimal("0.01"), rounding=ROUND_HALF_UP).normalize(), "f")


MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


@dataclass(frozen=True)
class Season:
    """The season by which loads are compared: the quarter of a year that a day is in."""

    first: date
    last: date
    text: str


def season_of(day: date) -> Season:
    """The quarter of a day.

    >>> season_of(date(2026, 11, 27)).text
    'Oct to Dec 2026'
    """
    month = (day.month - 1) // 3 * 3 + 1
    first = date(day.year, month, 1)
    after = date(day.year + month // 10, (month + 2) % 12 + 1, 1)
    return Season(first, after - timedelta(days=1), f"{MONTHS[month - 1]} to {MONTHS[month + 1]} {day.year}")


def trend_of(years: Sequence[tuple[int, Decimal]]) -> str:
    """How marks moved from the year before the last to the last one, in words; a tenth of a mark is none.

    >>> trend_of([(2025, Decimal("4.2")), (2026, Decimal("4.5"))])
    'up from 4.2 in 2025'
    """
    if len(years) < 2:
        return ""
    (_, last), (year, before) = years[-1], years[-2]
    if abs(last - before) <= Decimal("0.1"):
        return f"about as in {year}"
    return f"{'up' if last > before else 'down'} from {before} in {year}"


@dataclass(frozen=True)
class Tally:
    """Marks in sums: by how many people, how many marks, their sum, and the sum of their squares."""

    people: int = 0
    marks: int = 0
    total: int = 0
    squares: int = 0

    def plus(self, other: Tally) -> Tally:
        """Both together; the people of both are others."""
        return Tally(
            self.people + other.people,
            self.marks + other.marks,
            self.total + other.total,
            self.squares + other.squares,
        )


def mean_and_spread(tally: Tally) -> tuple[Decimal, Decimal]:
    """The average of marks and their sample standard deviation (0 of a single one), both to one decimal, half up.

    >>> mean_and_spread(Tally(3, 3, 5 + 4 + 3, 25 + 16 + 9))
    (Decimal('4.0'), Decimal('1.0'))
    """
    n = tally.marks
    # n times the sum of squared deviations is a whole number: nothing is lost before the root.
    apart = n * tally.squares - tally.total**2
    varied = Decimal(apart) / (n * (n - 1)) if n > 1 else Decimal(0)
    tenth = Decimal("0.1")
    mean = Decimal(tally.total) / n
    return mean.quantize(tenth, rounding=ROUND_HALF_UP), varied.sqrt().quantize(tenth, rounding=ROUND_HALF_UP)
