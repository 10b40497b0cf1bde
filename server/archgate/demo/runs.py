"""How the made-up center is furnished and its runs are made."""

from __future__ import annotations

from datetime import date, timedelta

from archgate.actions.center import settings
from archgate.actions.center.commands import CenterPatch
from archgate.actions.fees import course_defaults, plans, stock, terms
from archgate.actions.fees.commands import StockCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch, PlanCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunCommand
from archgate.actions.runs.views import RunOut
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import PlaceCommand
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.schedule import WEEKDAYS
from archgate.demo import catalog
from archgate.demo.center import Center
from archgate.demo.offerings import (
    CENTER_PLANS,
    COURSES,
    DEFAULTS,
    PLACES,
    STOCK,
    TEACHERS,
    PlannedRun,
)
from archgate.documents.reader import Document


def next_weekday(day: date, weekday: str) -> date:
    """The first such weekday on or after a day; without one, the day itself."""
    if not weekday:
        return day
    wanted = WEEKDAYS.index(weekday)
    return day + timedelta(days=(wanted - day.weekday()) % 7)


def furnish(center: Center) -> None:
    """Rooms and other places, instructors with their hours and absences, and the center's closed days."""
    letterhead = {"address": "7 Ashlar Quay\nNew York, NY 10004", "region": "US", "confirm_above": "150.00"}
    center.act(8.6, settings.change, command_of(CenterPatch, {"set": letterhead}))
    for place in PLACES:
        center.act(8.6, places.save_place, None, command_of(PlaceCommand, place))
    for teacher in TEACHERS:
        center.act(8.7, instructors.save, None, command_of(InstructorCommand, teacher))
    for name, number in STOCK:
        center.act(
            8.8,
            stock.count_stock,
            command_of(StockCommand, {"name": name, "add": number, "cause": "First delivery"}),
        )
    center.act(
        8.8,
        terms.change_center_defaults,
        command_of(CenterDefaultsPatch, {"set": {**DEFAULTS, "terms": catalog.TERMS}}),
    )
    catalog.plant(center)
    for plan in CENTER_PLANS:
        center.act(8.9, plans.make_plan, command_of(PlanCommand, plan))


def make_run(center: Center, plan: PlannedRun, course_ids: dict[str, int]) -> RunOut:
    code, title, summary = next(c for c in COURSES if c[0] == plan.course)
    weekday = plan.weekday
    first = next_weekday(center.today + timedelta(days=plan.first), weekday)
    more = dict(plan.more)
    terms = [dict(r) for r in plan.rates]
    if plan.sale:
        begin, end, price = plan.sale
        sale_from, sale_to = (center.today + timedelta(days=n) for n in (begin, end))
        terms[0]["sale"] = {"from": sale_from.isoformat(), "to": sale_to.isoformat(), "amount": price}
    body: Document = {
        "title": plan.title,
        "place": plan.place,
        "instructor": plan.instructor,
        "note": plan.note,
        "capacity": plan.capacity,
        "smallest": plan.smallest,
        "sign_up_opens": None
        if plan.opens is None
        else (center.today + timedelta(days=plan.opens)).isoformat(),
        "pattern": {
            "on_closure": "extend",
            "first": first.isoformat(),
            "start": plan.start,
            "minutes": plan.minutes,
            "weekdays": [weekday or WEEKDAYS[first.weekday()]],
            "count": plan.count,
        },
        "rates": terms,
        "plans": list(plan.plans),
        **more,
    }
    if plan.more.get("kind") == "open":
        del body["pattern"]
    if plan.weeks_long:
        body["starts_on"] = first.isoformat()
        body["ends_on"] = (first + timedelta(days=7 * plan.weeks_long - 1)).isoformat()
    if plan.course in course_ids:
        body["course_id"] = course_ids[plan.course]
    else:
        body["course"] = {"code": code, "title": title, "summary": summary}
    run = center.act(9.5, making.create_run, command_of(RunCommand, body))
    if plan.course not in course_ids:
        center.act(
            9.6,
            course_defaults.keep_defaults,
            run.id,
            ["place", "instructor", "rates", "plans"],
        )
    if plan.course not in course_ids:
        catalog.put_up(center, plan.course, run.course.id)
    if plan.shown:
        catalog.show(center, run.id, **plan.shown)
    course_ids[plan.course] = run.course.id
    return run
