"""One row of the season table, as typed, read as the form of a run with everything that is wrong or new about it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from archgate.actions.courses import courses
from archgate.actions.courses.forms import CourseDefaultsForm, DueForm, PlanForm, RateForm
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import FaultOut
from archgate.actions.runs.views import SeasonRow
from archgate.actions.schedule import schedule
from archgate.core.faults import Fault
from archgate.core.money import digits_of
from archgate.core.plans import NEEDS_START, DueKind
from archgate.core.schedule import WEEKDAYS, Meeting
from archgate.core.teaching import read_taught
from archgate.core.typed import read_clock, read_day, read_minutes, read_weekdays, read_whole
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Course
from archgate.tables.schedule import Place
from archgate.tables.teaching import Instructor

KINDS = ("dated", "cohort", "open")
ALL_NOW: Document = {"name": "All now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}


def column_of(at: str) -> str:
    """The column of the table that a fault of the form belongs to."""
    for start, column in (
        ("/pattern/first", "first"),
        ("/pattern/start", "start"),
        ("/pattern/minutes", "minutes"),
        ("/pattern/count", "number"),
        ("/pattern", "weekdays"),
        ("/capacity", "seats"),
        ("/smallest", "seats"),
        ("/rates", "rate"),
        ("/plans", "rate"),
        ("/access_days", "number"),
        ("/starts_on", "first"),
        ("/ends_on", "ends"),
    ):
        if at.startswith(start):
            return column
    return "course"


@dataclass(frozen=True)
class ReadRow:
    """A row of the table as read: what is wrong with it, its dates, what it names that is not there yet, and the form of its
    run, None while something is wrong."""

    faults: list[Fault]
    dates: list[Meeting]
    dropped: list[str]
    new: list[str]
    course: Course | None
    form: Document | None

    def shown(self, n: int) -> SeasonRow:
        return SeasonRow(
            n=n,
            empty=False,
            faults=[FaultOut(at=f.at, message=f.message) for f in self.faults],
            dates=[m.start.isoformat() for m in self.dates],
            dropped=self.dropped,
            clashes=[],
            course=self.course.title if self.course else None,
            new=self.new,
        )


def read_row(uow: UnitOfWork, row: Reader, by_name: dict[str, Course]) -> ReadRow:
    """A row with what is wrong with it; its dates are worked out once all of it can be read."""
    reading = RowReading(uow, row, by_name)
    form = reading.form()
    pattern = form.get("pattern")
    dates, dropped = reading.dates_of(pattern) if pattern and not reading.faults else ([], [])
    whole = form if not reading.faults else None
    return ReadRow(reading.faults, dates, dropped, reading.new_names(), reading.course, whole)


class RowReading:
    """A row while it is read, column by column; `faults` are what was wrong so far."""

    def __init__(self, uow: UnitOfWork, row: Reader, by_name: dict[str, Course]) -> None:
        self.uow, self.row, self.faults = uow, row, list[Fault]()
        self.course = self.read_course(by_name)
        self.usual: CourseDefaultsForm = courses.course_form(self.course)
        self.kind = self.read_kind()

    def text(self, column: str) -> str:
        typed = self.row.value.get(column)
        return " ".join(str(typed).split()) if typed is not None else ""

    def wrong(self, column: str, said: str) -> None:
        self.faults.append(Fault(f"{self.row.at}/{column}", said))

    def read_course(self, by_name: dict[str, Course]) -> Course | None:
        name = self.text("course")
        course = by_name.get(name.casefold())
        if course is None:
            self.wrong("course", f'There is no course "{name}".' if name else "Which course?")
        return course

    def read_kind(self) -> str:
        kind = self.text("kind").casefold() or "dated"
        if kind not in KINDS:
            self.wrong("kind", "The kind is dated, cohort or open.")
        return kind

    def form(self) -> Document:
        """The form of the run, as far as the row can be read."""
        form: Document = {"course_id": self.course.id if self.course else None, "kind": self.kind}
        return form | self.when() | self.where() | self.terms()

    # --- when ---------------------------------------------------------------------------------------------

    def when(self) -> Document:
        """The days of a run by its kind, and its pattern of meetings where it has one."""
        first, ends = self.first(), self.ends()
        pattern = self.pattern(first)
        number = read_whole(self.text("number"))
        if self.kind == "open":
            if number is None:
                self.wrong("number", "Of an open run, this is the number of days of access.")
            return {"access_days": number}
        if first is None:
            return {}
        days = {"starts_on": first.isoformat(), "ends_on": ends.isoformat() if ends else None}
        return (days if self.kind == "cohort" else {}) | ({"pattern": pattern} if pattern else {})

    def first(self) -> date | None:
        typed = self.text("first")
        first = read_day(typed, self.uow.today)
        if first is None and self.kind != "open":
            sentence = (
                f'"{typed}" is not a date, like 14 Sep 2027.' if typed else "The first date is missing."
            )
            self.wrong("first", sentence)
        return first

    def ends(self) -> date | None:
        ends = read_day(self.text("ends"), self.uow.today) if self.text("ends") else None
        if self.kind == "cohort" and ends is None:
            self.wrong("ends", "A cohort needs its last day.")
        return ends

    def pattern(self, first: date | None) -> Document | None:
        """The pattern of meetings; only a dated run must have one."""
        weekdays = read_weekdays(self.text("weekdays"))
        if weekdays is None:
            self.wrong("weekdays", f'"{self.text("weekdays")}" are not weekdays, like Tue, Thu.')
        number, start = read_whole(self.text("number")), read_clock(self.text("start"))
        minutes = read_minutes(self.text("minutes"))
        if self.kind == "dated":
            self.needed("number", number, "number of meetings")
            self.needed("start", start, "start time")
            self.needed("minutes", minutes, "length")
        if not (first and start and minutes and (number or self.kind == "dated")):
            return None
        return {
            "first": first.isoformat(),
            "start": start,
            "minutes": minutes,
            "count": number,
            "on_closure": "extend",
            "weekdays": [WEEKDAYS[d] for d in weekdays] if weekdays else None,
        }

    def needed(self, column: str, value: int | str | None, what: str) -> None:
        if value is None:
            typed = self.text(column)
            self.wrong(column, f'"{typed}" is no {what}.' if typed else f"The {what} is missing.")

    def dates_of(self, pattern: object) -> tuple[list[Meeting], list[str]]:
        """The meetings of a pattern, closed days regarded, and what they took from it."""
        probe = Reader({"pattern": pattern}, "", [], "pattern")
        _, plan = schedule.planned(self.uow, probe, self.uow.zone, need=True)
        if plan is None or probe.faults:
            for fault in probe.faults:
                self.wrong(column_of(fault.at), fault.message)
            return [], []
        return list(plan.meetings), [d.why for d in plan.dropped]

    # --- where, with whom -----------------------------------------------------------------------------------

    def where(self) -> Document:
        """The room, the instructor and the seats."""
        form: Document = {}
        for column, key in (("room", "place"), ("instructor", "instructor")):
            if self.text(column):
                form[key] = self.text(column)
        typed = self.text("seats")
        if typed:
            form["capacity"] = read_whole(typed)
            if form["capacity"] is None:
                self.wrong("seats", f'"{typed}" is no number of seats.')
        elif self.course and not self.usual.capacity:
            self.wrong("seats", "The seats are missing; this course has no usual number.")
        return form

    def new_names(self) -> list[str]:
        """The room and the instructor, where nobody has named them so far."""
        look_up = self.uow.session.scalar
        room, teacher = self.text("room"), self.text("instructor")
        new = []
        if room and not look_up(select(Place.id).where(Place.name == room)):
            new.append(room)
        new += [
            t.name
            for t in read_taught(teacher)
            if not look_up(select(Instructor.id).where(Instructor.name == t.name))
        ]
        return new

    # --- terms ----------------------------------------------------------------------------------------------

    def terms(self) -> Document:
        """The rates and payment plans, where they differ from the course's."""
        rates = [document(r) for r in self.usual.rates or ()]
        plans = list(self.usual.plans or ())
        form: Document = {}
        if self.text("rate"):
            rates = [self.first_rate(), *rates[1:]]
            form["rates"] = rates
        elif self.course and not rates:
            self.wrong("rate", "The fee is missing; this course has no usual one.")
        if self.kind == "open":
            # It has no start: steps and plan lines that count from one do not come along.
            plans = [p for p in plans if not needs_start(p)]
            form |= {"rates": [without_start(r) for r in rates], "plans": [document(p) for p in plans]}
        if self.course and not plans:
            form["plans"] = [ALL_NOW]
        return form

    def first_rate(self) -> Document:
        """The fee as typed, under the name of the course's first rate."""
        amount = self.text("rate").lstrip("$ ").replace(",", "")
        digits = digits_of(self.uow.center.currency)
        if re.fullmatch(r"\d+", amount) and digits:
            amount += "." + "0" * digits
        label = (self.usual.rates[0].label if self.usual.rates else None) or "Standard"
        return {"label": label, "amount": amount}


def without_start(rate: Document) -> Document:
    """A rate without the early steps that count the days before the start."""
    form = RateForm.model_validate(rate)
    steps = [document(s) for s in form.early or () if s.days_before is None]
    return {**rate, "early": steps}


def needs_start(plan: PlanForm) -> bool:
    """Whether a line of a plan falls due by the start."""
    dues: list[DueForm] = [line.due for line in plan.lines or ()]
    return any(DueKind(kind) in NEEDS_START for due in dues for kind in due.model_fields_set)
