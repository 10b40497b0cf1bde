"""The season table: one row a run, typed or pasted, judged as it is typed and saved as drafts in one go."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, date
from zoneinfo import ZoneInfo

from sqlalchemy import select

from archgate.actions.courses import courses
from archgate.actions.courses.forms import DueForm, RateForm
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of, document
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import FaultOut
from archgate.actions.runs import making
from archgate.actions.runs.commands import DatesCommand, RunCommand, SeasonCommand
from archgate.actions.runs.views import MadeRun, PlannedDates, Season, SeasonRow
from archgate.actions.schedule import clashes, schedule
from archgate.core.documents import schedule_document
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import digits_of
from archgate.core.plans import NEEDS_START, DueKind
from archgate.core.reader import ZONES, Document, Reader
from archgate.core.schedule import MONTH_NAMES, WEEKDAY_NAMES, WEEKDAYS, Meeting
from archgate.tables.courses import Course
from archgate.tables.schedule import Place
from archgate.tables.teaching import Instructor

MOST_ROWS = 120
ROW_KEYS = "course kind first weekdays number start minutes room instructor seats rate ends"
LEAST = 30  # minutes; "2" in the column of lengths is two hours, "90" is minutes
DAY_WORDS = {
    **{name.casefold(): n for n, name in enumerate(WEEKDAY_NAMES)},
    **{name[:3].casefold(): n for n, name in enumerate(WEEKDAY_NAMES)},
    **{code.casefold(): n for n, code in enumerate(WEEKDAYS)},
    "tues": 1, "weds": 2, "thur": 3, "thurs": 3,
}  # fmt: skip


def plan_season(uow: UnitOfWork, command: SeasonCommand, save: bool) -> Season:
    """Judge the rows of a season table, one run each; with `save` make all of them drafts, or none."""
    rows = [Reader(document(line), f"/rows/{n}", [], ROW_KEYS) for n, line in enumerate(command.rows)]
    by_name = {}
    for c in uow.session.scalars(select(Course)):
        by_name[c.code.casefold()] = by_name[c.title.casefold()] = c
    judged: list[SeasonRow] = []
    planned: list[tuple[int, Document, ReadRow]] = []
    for n, row in enumerate(rows):
        if not any(str(v or "").strip() for v in row.value.values()):
            judged.append(
                SeasonRow(
                    n=n,
                    empty=True,
                    faults=[],
                    dates=[],
                    dropped=[],
                    clashes=[],
                    course=None,
                    new=[],
                )
            )
            continue
        read = read_row(uow, row, by_name)
        judged.append(read.shown(n))
        if read.form is not None:
            planned.append((n, read.form, read))
    judged = mark_clashes(uow, judged, planned)
    wrong = [Fault(f.at, f.message) for j in judged for f in j.faults]
    answer = Season(rows=judged, runs=len(planned), faults=len(wrong), change=None, made=[])
    if not save:
        return answer
    if wrong:
        raise Refused(wrong)
    if not planned:
        raise refuse("/rows", "There is no run in the table yet.")
    made: list[MadeRun] = []
    for n, form, _ in planned:
        try:
            run = making.make_run(uow, command_of(RunCommand, form))
        except Refused as refused:
            raise Refused(
                [Fault(f"/rows/{n}/{column_of(f.at)}", f.message) for f in refused.faults]
            ) from None
        made.append(MadeRun(id=run.id, code=run.code))
    change = uow.log(
        Act.PLAN_A_SEASON,
        made[0].id,
        f"Planned {len(made)} run{'' if len(made) == 1 else 's'} as drafts",
    )
    return answer.widened(Season, change=change.key, made=made)


def column_of(at: str) -> str:
    """The column of the table that a fault of the form belongs to."""
    for start, column in (("/pattern/first", "first"), ("/pattern/start", "start"), ("/pattern/minutes", "minutes"),
                          ("/pattern/count", "number"), ("/pattern", "weekdays"), ("/capacity", "seats"),
                          ("/smallest", "seats"), ("/rates", "rate"), ("/plans", "rate"), ("/access_days", "number"),
                          ("/starts_on", "first"), ("/ends_on", "ends")):  # fmt: skip
        if at.startswith(start):
            return column
    return "course"


def cell(row: Reader, key: str) -> str:
    held = row.value.get(key)
    return " ".join(str(held).split()) if held is not None else ""


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
    """One row of the table as the form of a run, with everything that is wrong or new about it."""
    found: list[Fault] = []

    def wrong(key: str, said: str) -> None:
        found.append(Fault(f"{row.at}/{key}", said))

    name = cell(row, "course")
    course = by_name.get(name.casefold())
    if not name:
        wrong("course", "Which course?")
    elif course is None:
        wrong("course", f'There is no course "{name}".')
    kind = cell(row, "kind").casefold() or "dated"
    if kind not in ("dated", "cohort", "open"):
        wrong("kind", "The kind is dated, cohort or open.")
    first = read_day(cell(row, "first"), uow.today)
    if first is None and kind != "open":
        wrong(
            "first",
            f'"{cell(row, "first")}" is not a date, like 14 Sep 2027.'
            if cell(row, "first")
            else "The first date is missing.",
        )
    weekdays = read_weekdays(cell(row, "weekdays"))
    if weekdays is None:
        wrong("weekdays", f'"{cell(row, "weekdays")}" are not weekdays, like Tue, Thu.')
    number = read_whole(cell(row, "number"))
    start = read_clock(cell(row, "start"))
    minutes = read_minutes(cell(row, "minutes"))
    if kind == "dated":
        for key, held, what in (
            ("number", number, "number of meetings"),
            ("start", start, "start time"),
            ("minutes", minutes, "length"),
        ):
            if held is None:
                wrong(
                    key, f'"{cell(row, key)}" is no {what}.' if cell(row, key) else f"The {what} is missing."
                )
    ends = read_day(cell(row, "ends"), uow.today) if cell(row, "ends") else None
    if kind == "cohort" and ends is None:
        wrong("ends", "A cohort needs its last day.")
    if kind == "open" and number is None:
        wrong("number", "Of an open run, this is the number of days of access.")
    form: Document = {"course_id": course.id if course else None, "kind": kind}
    pattern: Document | None = None
    if kind == "open":
        form["access_days"] = number
    elif first:
        if kind == "cohort":
            form |= {"starts_on": first.isoformat(), "ends_on": ends.isoformat() if ends else None}
        if start and minutes and (kind == "dated" or number):
            form["pattern"] = pattern = {
                "first": first.isoformat(),
                "start": start,
                "minutes": minutes,
                "count": number,
                "on_closure": "extend",
                "weekdays": [WEEKDAYS[d] for d in weekdays] if weekdays else None,
            }
    usual = courses.course_form(course)
    if cell(row, "seats"):
        form["capacity"] = read_whole(cell(row, "seats"))
        if form["capacity"] is None:
            wrong("seats", f'"{cell(row, "seats")}" is no number of seats.')
    elif course and not usual.capacity:
        wrong("seats", "The seats are missing; this course has no usual number.")
    for column, key in (("room", "place"), ("instructor", "instructor")):
        if cell(row, column):
            form[key] = cell(row, column)
    rates = [document(r) for r in usual.rates or ()]
    if cell(row, "rate"):
        amount = cell(row, "rate").lstrip("$ ").replace(",", "")
        digits = digits_of(uow.center.currency)
        if re.fullmatch(r"\d+", amount) and digits:
            amount += "." + "0" * digits
        label = (usual.rates[0].label if usual.rates else None) or "Standard"
        rates = [{"label": label, "amount": amount}, *rates[1:]]
        form["rates"] = rates
    elif course and not rates:
        wrong("rate", "The fee is missing; this course has no usual one.")
    plans_of_course = usual.plans or []
    if kind == "open":
        # It has no start: steps and plan lines that count from one do not come along.
        form["rates"] = [without_start(r) for r in rates]
        plans_of_course = [p for p in plans_of_course if not any(needs_start(x.due) for x in p.lines or ())]
        form["plans"] = [document(p) for p in plans_of_course]
    if course and not plans_of_course:
        form["plans"] = [{"name": "All now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}]
    dates: list[Meeting] = []
    dropped: list[str] = []
    if pattern and not found:
        probe = Reader({"pattern": pattern}, "", [], "pattern")
        _, plan = schedule.planned(uow, probe, uow.zone, need=True)
        if plan is None or probe.faults:
            for f in probe.faults:
                wrong(column_of(f.at), f.message)
        else:
            dates, dropped = list(plan.meetings), [d.why for d in plan.dropped]
    new = [
        cell(row, column)
        for column, table in (("room", Place), ("instructor", Instructor))
        if cell(row, column)
        and not uow.session.scalar(select(table.id).where(table.name == cell(row, column)))
    ]
    return ReadRow(found, dates, dropped, new, course, form if not found else None)


def without_start(rate: Document) -> Document:
    """A rate without the early steps that count the days before the start."""
    form = RateForm.model_validate(rate)
    steps = [document(s) for s in form.early or () if s.days_before is None]
    return {**rate, "early": steps}


def needs_start(due: DueForm) -> bool:
    return any(DueKind(kind) in NEEDS_START for kind in due.model_fields_set)


def mark_clashes(
    uow: UnitOfWork, judged: list[SeasonRow], planned: list[tuple[int, Document, ReadRow]]
) -> list[SeasonRow]:
    """The rows with what they would clash with: each other, and everything planned already."""
    where = {p.name.casefold(): p for p in uow.session.scalars(select(Place))}
    teachers = {i.name.casefold(): i.id for i in uow.session.scalars(select(Instructor))}
    invented: dict[str, int] = {}
    new: dict[int, str] = {}
    rows: list[clashes.Row] = []
    owner: dict[int, int] = {}
    small: list[clashes.Clash] = []
    for n, form, read in planned:
        usual = courses.course_form(read.course)
        named = str(form.get("place") or usual.place or "")
        taught = str(form.get("instructor") or usual.instructor or "")
        room, teacher = named.casefold(), taught.casefold()
        place = where.get(room)
        place_id = place.id if place else new_id(invented, new, "p", named) if room else None
        teacher_id = teachers.get(teacher) or (new_id(invented, new, "i", taught) if teacher else None)
        asked = form.get("capacity")
        seats = asked if isinstance(asked, int) else usual.capacity or 0
        for m in read.dates:
            mark = -(len(rows) + 1)
            row = clashes.Row(
                mark, -1 - n, m.start.astimezone(UTC), m.end.astimezone(UTC), m.date, place_id, teacher_id
            )
            rows.append(row)
            owner[-mark] = n
        if place and place.seats and seats > place.seats and read.dates:
            small.append(clashes.small(rows[-1], seats, place.seats))
    said: dict[int, set[str]] = {}
    for clash in clashes.of_planned(uow, rows, small, new):
        for mine in (clash.n, clash.other_n):
            row_n = owner.get(mine or 0)
            if row_n is not None:
                said.setdefault(row_n, set()).add(clash.text)
    return [j.widened(SeasonRow, clashes=sorted(said.get(j.n, ()))) for j in judged]


def new_id(known: dict[str, int], names: dict[int, str], kind: str, name: str) -> int:
    """A made-up id for a place or instructor that the table names first, so that its rows clash with each other."""
    number = known.setdefault(kind + name.casefold(), -len(known) - 1)
    names.setdefault(number, name)
    return number


def read_day(text: str, today: date) -> date | None:
    """A date as people type it: 2027-09-14, 14 Sep 2027, Sep 14 2027, 9/14/2027, or without a year the next such day."""
    text = text.strip().rstrip(".").replace(",", " ")
    text = re.sub(rf"^({'|'.join(n[:3] for n in WEEKDAY_NAMES)})[a-z]*\.? +", "", text, flags=re.IGNORECASE)
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
            return date.fromisoformat(text)
        if found := re.fullmatch(r"(\d{1,2})/(\d{1,2})/(\d{4}|\d{2})", text):
            month, day, year = (int(x) for x in found.groups())
            return date(year + 2000 if year < 100 else year, month, day)
        words = text.split()
        month_word = next((w for w in words if re.fullmatch(r"[A-Za-z]{3,9}\.?", w)), "")
        months = [m.casefold() for m in MONTH_NAMES]
        month = months.index(month_word[:3].casefold()) + 1 if month_word else 0
        numbers = [int(w) for w in words if w.isdigit()]
        if not month or not 1 <= len(numbers) <= 2 or len(words) != len(numbers) + 1:
            return None
        if len(numbers) == 2:
            return date(numbers[1], month, numbers[0])
        held = date(today.year, month, numbers[0])
        return held if held >= today else date(today.year + 1, month, numbers[0])
    except ValueError:
        return None


def read_weekdays(text: str) -> list[int] | None:
    """Weekdays as people type them: "Tue, Thu", "TU TH", "Mon-Fri"; empty: those of the first date. None: not readable."""
    found: set[int] = set()
    text = text.casefold().replace("&", " ").replace(" and ", " ")
    for part in re.split(r"[\s,;/+]+", text):
        if not part:
            continue
        first, dash, last = part.partition("-")
        known = [DAY_WORDS.get(w.rstrip("."), DAY_WORDS.get(w.rstrip(".s"))) for w in (first, last) if w]
        if None in known or (dash and len(known) < 2):
            return None
        a, b = known[0], known[-1]
        assert a is not None and b is not None
        found |= {d % 7 for d in range(a, (b if b >= a else b + 7) + 1)}
    return sorted(found)


def read_whole(text: str) -> int | None:
    return int(text) if re.fullmatch(r"\d{1,5}", text) and int(text) else None


def read_clock(text: str) -> str | None:
    """17:30, 1730, 5:30 pm, 9am as 17:30, 17:30, 17:30, 09:00."""
    found = re.fullmatch(
        r"(\d{1,2})(?:[:.]?(\d{2}))? ?(am|pm|a|p)?(?:\.?m\.?)?", text.casefold().replace(".m.", "m")
    )
    if not found:
        return None
    hour, minute, half = int(found.group(1)), int(found.group(2) or 0), (found.group(3) or "")[:1]
    if half and not 1 <= hour <= 12:
        return None
    if half:
        hour = hour % 12 + (12 if half == "p" else 0)
    return f"{hour:02d}:{minute:02d}" if hour < 24 and minute < 60 else None


def read_minutes(text: str) -> int | None:
    """A length: 2:30, 2 h 30, 2.5 h, 150 min; a bare number under 30 is hours, else minutes."""
    text = text.casefold().replace(",", ".")
    if found := re.fullmatch(r"(\d{1,2}):(\d{2})", text):
        return int(found.group(1)) * 60 + int(found.group(2)) or None
    if found := re.fullmatch(r"(\d+(?:\.\d+)?) ?(?:h|hr|hrs|hours?)(?: ?(\d{1,2}) ?(?:m|min)?)?", text):
        return round(float(found.group(1)) * 60) + int(found.group(2) or 0) or None
    if found := re.fullmatch(r"(\d+(?:\.\d+)?) ?(m|min|minutes?)?", text):
        held = float(found.group(1))
        return round(held if found.group(2) or held >= LEAST else held * 60) or None
    return None


def plan_dates(uow: UnitOfWork, command: DatesCommand) -> PlannedDates:
    """The dates that a run's form gives as far as it is filled, closed days regarded, with their clashes."""
    faults: list[Fault] = []
    top = Reader(document(command), "", faults, " ".join(DatesCommand.model_fields))
    name = command.time_zone or uow.center.time_zone
    if name not in ZONES:
        raise refuse("/time_zone", f'"{name}" is not a time zone, like America/New_York.')
    _, dates = schedule.planned(uow, top, ZoneInfo(name), need=False)
    capacity = command.capacity
    if faults or dates is None:
        raise Refused(faults)
    where, teacher = command.place, command.instructor
    known = {p.name.casefold(): p for p in uow.session.scalars(select(Place))}
    teachers = {i.name.casefold(): i.id for i in uow.session.scalars(select(Instructor))}
    rows: list[clashes.Row] = []
    small: dict[int, clashes.Clash] = {}
    for m in dates.meetings:
        place = known.get(str(m.room or where or "").casefold())
        person_id = teachers.get(str(m.instructor or teacher or "").casefold())
        row = clashes.Row(
            -m.n, 0, m.start.astimezone(UTC), m.end.astimezone(UTC), m.date, place.id if place else None,
            person_id,
        )  # fmt: skip
        rows.append(row)
        if place and place.seats and capacity and capacity > place.seats:
            small.setdefault(place.id, clashes.small(row, capacity, place.seats))
    found = clashes.of_planned(uow, rows, list(small.values()))
    return PlannedDates.model_validate({**schedule_document(dates), "clashes": found})
