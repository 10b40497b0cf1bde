"""The season table: one row a run, typed or pasted, judged as it is typed and saved as drafts in one go."""

from __future__ import annotations

from datetime import UTC
from zoneinfo import ZoneInfo

from sqlalchemy import select

from archgate.actions.courses import courses
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of, document
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import making
from archgate.actions.runs.commands import DatesCommand, RunCommand, SeasonCommand
from archgate.actions.runs.season_rows import ReadRow, column_of, read_row
from archgate.actions.runs.views import MadeRun, PlannedDates, Season, SeasonRow
from archgate.actions.schedule import clashes, schedule, teachers
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.teaching import read_taught
from archgate.documents.calculators import schedule_document
from archgate.documents.reader import ZONES, Document, Reader
from archgate.tables.courses import Course
from archgate.tables.schedule import Place
from archgate.tables.teaching import Instructor

MOST_ROWS = 120
ROW_KEYS = "course kind first weekdays number start minutes room instructor seats rate ends"


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
            judged.append(SeasonRow.nothing(n))
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


def mark_clashes(
    uow: UnitOfWork, judged: list[SeasonRow], planned: list[tuple[int, Document, ReadRow]]
) -> list[SeasonRow]:
    """The rows with what they would clash with: each other, and everything planned already."""
    where = {p.name.casefold(): p for p in uow.session.scalars(select(Place))}
    known = {i.name.casefold(): i.id for i in uow.session.scalars(select(Instructor))}
    invented: dict[str, int] = {}
    new: dict[int, str] = {}
    rows: list[clashes.Row] = []
    owner: dict[int, int] = {}
    small: list[clashes.Clash] = []
    for n, form, read in planned:
        usual = courses.course_form(read.course)
        named = str(form.get("place") or usual.place or "")
        taught = str(form.get("instructor") or usual.instructor or "")
        room = named.casefold()
        place = where.get(room)
        place_id = place.id if place else new_id(invented, new, "p", named) if room else None
        teaching = tuple(
            known.get(t.name.casefold()) or new_id(invented, new, "i", t.name) for t in read_taught(taught)
        )
        asked = form.get("capacity")
        seats = asked if isinstance(asked, int) else usual.capacity or 0
        for m in read.dates:
            mark = -(len(rows) + 1)
            row = clashes.Row(
                mark, -1 - n, m.start.astimezone(UTC), m.end.astimezone(UTC), m.date, place_id, teaching
            )
            rows.append(row)
            owner[-mark] = n
        if place and place.seats and seats > place.seats and read.dates:
            small.append(clashes.small(rows[-1], seats, place.seats))
    by_row: dict[int, set[str]] = {}
    for clash in clashes.of_planned(uow, rows, small, new):
        for mine in (clash.n, clash.other_n):
            row_n = owner.get(mine or 0)
            if row_n is not None:
                by_row.setdefault(row_n, set()).add(clash.text)
    return [j.widened(SeasonRow, clashes=sorted(by_row.get(j.n, ()))) for j in judged]


def new_id(known: dict[str, int], names: dict[int, str], kind: str, name: str) -> int:
    """A made-up id for a place or instructor that the table names first, so that its rows clash with each other."""
    number = known.setdefault(kind + name.casefold(), -len(known) - 1)
    names.setdefault(number, name)
    return number


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
    whose = {i.name.casefold(): i.id for i in uow.session.scalars(select(Instructor))}
    rows: list[clashes.Row] = []
    small: dict[int, clashes.Clash] = {}
    for m in dates.meetings:
        place = known.get(str(m.room or where or "").casefold())
        taught = teachers.read_names(m.instructors or teacher)
        teaching = tuple(whose[t.name.casefold()] for t in taught if t.name.casefold() in whose)
        row = clashes.Row(
            -m.n,
            0,
            m.start.astimezone(UTC),
            m.end.astimezone(UTC),
            m.date,
            place.id if place else None,
            teaching,
        )
        rows.append(row)
        if place and place.seats and capacity and capacity > place.seats:
            small.setdefault(place.id, clashes.small(row, capacity, place.seats))
    clashing = clashes.of_planned(uow, rows, list(small.values()))
    shown = [schedule.planned_view(m) for m in dates.meetings]
    return PlannedDates.model_validate({**schedule_document(dates), "meetings": shown, "clashes": clashing})
