"""Courses and their runs: making, showing, listing, changing, publishing."""

from __future__ import annotations

import re
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import select

from archgate.actions import fees, plans, schedule, seats
from archgate.actions.problems import Problem, not_found
from archgate.actions.readiness import readiness
from archgate.actions.schedule import get_run, outcome, refuse_lost_update, shown
from archgate.actions.transaction import Deed
from archgate.core import gates as core_gates
from archgate.core.faults import Fault, Refused
from archgate.core.money import digits_of
from archgate.core.reader import ZONES, Reader
from archgate.core.schedule import day_text
from archgate.tables.courses import Course, Run
from archgate.tables.plans import Plan
from archgate.tables.seats import RunSeats

RUN_KEYS = (
    "course_id course code title note place instructor capacity smallest sign_up_opens time_zone currency"
    " pattern changes rates plans"
)
EDITABLE = "code title note place instructor capacity smallest sign_up_opens"
DEFAULTED = ("place", "instructor", "capacity", "smallest", "rates", "plans")


# --- courses ----------------------------------------------------------------------------------------------


def list_courses(deed: Deed) -> list[dict[str, Any]]:
    courses = deed.session.scalars(select(Course).order_by(Course.title)).all()
    return [course_view(c) for c in courses]


def course_view(course: Course) -> dict[str, Any]:
    return {
        "id": course.id,
        "code": course.code,
        "title": course.title,
        "summary": course.summary,
        "defaults": course.defaults,
    }


def read_course(deed: Deed, row: Reader) -> Course | None:
    """A new course from a form; its code is made from the title when none is given."""
    before = len(row.faults)
    title = row.text("title", "The course title", need=True)
    code = row.text("code", "The course code")
    summary = row.text("summary", "The summary") or ""
    for key, held, most in (("title", title, 200), ("code", code, 40)):
        if held and len(held) > most:
            row.fault(key, f"The {key} is longer than {most} characters.")
    if code and deed.session.scalar(select(Course).where(Course.code == code)):
        row.fault("code", f'The course code "{code}" is taken.')
    if len(row.faults) > before or title is None:
        return None
    return Course(
        code=code or free_course_code(deed, title),
        title=title,
        summary=summary,
        defaults={},
        created_at=deed.now,
    )


def free_course_code(deed: Deed, title: str) -> str:
    """A short code from the first letters of a title's words, not yet taken."""
    words = [
        w
        for w in re.findall(r"[A-Za-z]+", title)
        if w.lower() not in {"a", "an", "the", "in", "of", "and", "for"}
    ]
    stem = (
        "".join(w[0] for w in words[:4]).upper()
        if len(words) > 2
        else (words[0][:4].upper() if words else "C")
    )
    taken = set(deed.session.scalars(select(Course.code).where(Course.code.like(f"{stem}%"))))
    return next(c for n in range(1, 10_000) if (c := stem if n == 1 else f"{stem}{n}") not in taken)


def free_run_code(deed: Deed, course: Course, year: int) -> str:
    """The course's code, the year's last two digits and a letter: DSW-27A, then DSW-27B."""
    stem = f"{course.code[:30]}-{year % 100:02d}"
    taken = {c.upper() for c in deed.session.scalars(select(Run.code).where(Run.code.like(f"{stem}%")))}
    letters = [chr(65 + n) for n in range(26)] + [
        f"{chr(65 + n)}{chr(65 + m)}" for n in range(26) for m in range(26)
    ]
    return next(f"{stem}{letter}" for letter in letters if f"{stem}{letter}".upper() not in taken)


# --- making a run -----------------------------------------------------------------------------------------


def create_run(deed: Deed, body: dict[str, Any]) -> dict[str, Any]:
    """Make a draft run from one form: course, dates, seats, rates and plans; every fault comes back at once.

    What is left out of place, instructor, seats, rates and plans is taken from the course's defaults.
    """
    faults: list[Fault] = []
    top = Reader(body, "", faults, RUN_KEYS)
    course = given_course(deed, top)
    left_out = {k: v for k, v in course.defaults.items() if not top.has(k)} if course else {}
    top.value = {**top.value, **left_out}
    zone_name = top.text("time_zone", "The time zone") or deed.center.time_zone
    if zone_name not in ZONES:
        top.fault("time_zone", f'"{zone_name}" is not a time zone, like America/New_York.')
        zone_name = deed.center.time_zone
    currency = top.text("currency", "The currency") or deed.center.currency
    try:
        digits_of(currency)
    except ValueError as error:
        top.fault("currency", str(error))
        currency = deed.center.currency
    facts = read_facts(deed, top, None)
    pattern, dates = schedule.planned(top, ZoneInfo(zone_name))
    rates = fees.read_rates(top, currency)
    read = plans.read_plans(top, currency, [r.amount for r in rates])
    opens = facts["sign_up_opens"]
    if opens and dates and dates.first and opens >= dates.first:
        top.fault(
            "sign_up_opens", f"Sign-up would open after it closes, the day before {day_text(dates.first)}."
        )
    if faults or course is None or pattern is None or dates is None:
        raise Refused(faults)
    if course.id is None:
        deed.session.add(course)
        deed.session.flush()
    first = dates.first
    run = Run(
        **{**facts, "code": facts["code"] or free_run_code(deed, course, (first or deed.today).year)},
        course=course,
        kind="dated",
        status="draft",
        decision="undecided",
        time_zone=zone_name,
        currency=currency,
        sources=[],
        created_at=deed.now,
        patterns=[schedule.pattern_row(pattern)],
        meetings=[schedule.meeting_row(m) for m in dates.meetings],
        rates=[fees.rate_row(rate, n) for n, rate in enumerate(rates, 1)],
        plans=[Plan(name=name, active=True, lines=plans.plan_rows(lines)) for _, name, lines in read],
    )
    deed.session.add(run)
    deed.session.flush()
    deed.session.add(RunSeats(run_id=run.id, taken=0, version=0))
    deed.session.refresh(run, ["meetings", "gates", "rates", "plans"])
    fees.note_sources(run, default_values(run))
    schedule.settle_gates(deed, run)
    deed.log("make a run", "run", run.id, f"Made {run.code}, {run.title or course.title}")
    return run_view(deed, run.id)


def default_values(run: Run) -> dict[str, Any]:
    """The values of a run that a course may keep as defaults for its next runs, as a form sends them."""
    facts = {name: getattr(run, name) for name in DEFAULTED if name not in ("rates", "plans")}
    return {**facts, **fees.terms_document(run)}


def keep_defaults(deed: Deed, run_id: int, names: list[str]) -> dict[str, Any]:
    """Make values of a run what the course's next runs start from. Other runs stay as they are."""
    run = get_run(deed, run_id)
    unknown = [n for n in names if n not in DEFAULTED]
    if unknown or not names:
        raise Refused([Fault("/names", f"A course keeps only these: {', '.join(DEFAULTED)}.")])
    values = default_values(run)
    run.course.defaults = {**run.course.defaults, **{n: values[n] for n in names}}
    fees.note_sources(run, {n: values[n] for n in names})
    told = ", ".join(names)
    change = deed.log(
        "keep defaults", "run", run.id, f"Made the {told} of {run.code} the defaults of {run.course.code}"
    )
    touches = [{"label": "New runs of the course start with", "before": None, "after": told}]
    return outcome(deed, run, change.key, touches)


def change_course(deed: Deed, course_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Change a course's title, code or summary; `seen` holds the values the person saw."""
    course = deed.session.get(Course, course_id)
    if course is None:
        raise not_found("This course")
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    row = top.inner("set", "What to change", "title code summary")
    new: dict[str, Any] = {}
    for name, most in (("title", 200), ("code", 40), ("summary", 5000)):
        if row is None or name not in row.value:
            continue
        held = (
            row.value[name]
            if name == "summary" and row.value[name] == ""
            else row.text(name, f"The {name}", True)
        )
        if held and len(held) > most:
            row.fault(name, f"The {name} is longer than {most} characters.")
        new[name] = held
    twin = deed.session.scalar(select(Course).where(Course.code == new["code"])) if new.get("code") else None
    if row is not None and twin and twin.id != course.id:
        row.fault("code", f'The course code "{new["code"]}" is taken.')
    if faults:
        raise Refused(faults)
    refuse_lost_update(new, top.value.get("seen") or {}, {n: getattr(course, n) for n in new})
    for name, value in new.items():
        setattr(course, name, value)
    deed.log("change a course", "course", course.id, f"Changed {', '.join(new)} of {course.code}")
    return course_view(course)


def given_course(deed: Deed, top: Reader) -> Course | None:
    number = top.whole("course_id", "The course", 1, 2**62)
    if number is not None:
        course = deed.session.get(Course, number)
        if course is None:
            top.fault("course_id", "There is no such course.")
        return course
    row = top.inner("course", "The course", "code title summary")
    return read_course(deed, row) if row else None


def read_facts(deed: Deed, top: Reader, run: Run | None) -> dict[str, Any]:
    """What a person types about a run itself; with `run`, only what was given and may change."""
    need = run is None
    code = (top.text("code", "The run code") or "").strip() or None
    facts: dict[str, Any] = {
        "code": code,
        "title": (top.value.get("title") or ""),
        "note": (top.value.get("note") or ""),
        "place": (top.value.get("place") or ""),
        "instructor": (top.value.get("instructor") or ""),
        "capacity": top.whole("capacity", "The number of seats", 1, 100_000, need=need),
        "smallest": top.whole("smallest", "The smallest number", 0, 100_000) or 0,
        "sign_up_opens": top.day("sign_up_opens", "The day sign-up opens"),
    }
    for key, most in (("code", 40), ("title", 200), ("place", 200), ("instructor", 200), ("note", 5000)):
        if not isinstance(facts[key] or "", str):
            top.fault(key, f"The {key} must be a text.")
            facts[key] = ""
        elif len(facts[key] or "") > most:
            top.fault(key, f"The {key} is longer than {most} characters.")
    capacity = facts["capacity"] if facts["capacity"] is not None else (run.capacity if run else None)
    smallest = facts["smallest"] if run is None or top.has("smallest") else run.smallest
    if capacity is not None and smallest > capacity:
        top.fault("smallest", f"The smallest number, {smallest}, is more than the {capacity} seats.")
    twin = deed.session.scalar(select(Run).where(Run.code == code)) if code else None
    if twin and (run is None or twin.id != run.id):
        top.fault("code", f'The run code "{code}" is taken.')
    return facts


# --- showing ----------------------------------------------------------------------------------------------


def run_view(deed: Deed, run_id: int) -> dict[str, Any]:
    """Everything a screen shows of one run; facts are worked out, never typed."""
    run = get_run(deed, run_id)
    dates = schedule.schedule_of(run)
    state = seats.seats_of(deed, run)
    return {
        **run_line(deed, run, state.taken, sum(state.waiting)),
        "course": course_view(run.course),
        "own_title": run.title,
        "note": run.note,
        "sign_up_opens": shown(run.sign_up_opens),
        "weeks": dates.weeks,
        "patterns": [
            {
                "first": shown(p.first),
                "start": shown(p.start),
                "minutes": p.minutes,
                "weekdays": p.weekdays.split(","),
                "every_weeks": p.every_weeks,
                "count": p.count,
                "until": shown(p.until),
            }
            for p in run.patterns
        ],
        "dates": schedule.meetings_view(run),
        "gates": [
            {"kind": g.kind, "rule": g.rule, "day": shown(g.day), "at": shown(g.at), "label": g.label}
            for g in sorted(run.gates, key=lambda g: g.at)
        ],
        "price_line": fees.price_line(deed, run),
        **fees.terms_view(run),
        "sources": run.sources,
        "readiness": [{"at": f.at, "message": f.message, "error": f.error} for f in readiness(deed, run)],
        "now": deed.now.astimezone(deed.zone).isoformat(),
    }


def run_line(deed: Deed, run: Run, taken: int, waiting: int) -> dict[str, Any]:
    """What stands on every line that shows a run."""
    meetings = schedule.ordered(run)
    zone = ZoneInfo(run.time_zone)
    sign_up, why = fees.sign_up_of(deed, run, taken >= run.capacity)
    starts, ends = schedule.gate_at(run, "starts"), schedule.gate_at(run, "ends")
    teaching = core_gates.teaching_at(deed.now, starts, ends)
    coming = next((m for m in meetings if m.ends_at > deed.now), None)
    return {
        "id": run.id,
        "code": run.code,
        "title": run.title or run.course.title,
        "course_title": run.course.title,
        "course_code": run.course.code,
        "kind": run.kind,
        "status": run.status,
        "decision": run.decision,
        "sign_up": str(sign_up),
        "sign_up_why": why,
        "teaching": str(teaching),
        "place": run.place,
        "instructor": run.instructor,
        "time_zone": run.time_zone,
        "currency": run.currency,
        "first": shown(meetings[0].date) if meetings else None,
        "last": shown(meetings[-1].date) if meetings else None,
        "meetings": len(meetings),
        "hours": schedule.schedule_of(run).hours,
        "next_meeting": coming
        and {
            "date": shown(coming.date),
            "start": coming.starts_at.astimezone(zone).strftime("%H:%M"),
            "end": coming.ends_at.astimezone(zone).strftime("%H:%M"),
        },
        "capacity": run.capacity,
        "smallest": run.smallest,
        "taken": taken,
        "waiting": waiting,
        "price": fees.price_now(deed, run),
    }


# --- changing ---------------------------------------------------------------------------------------------


def change_run(deed: Deed, run_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Change single facts of a run; `seen` holds the values the person saw."""
    run = get_run(deed, run_id)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    row = top.inner("set", "What to change", EDITABLE)
    if row is None:
        raise Refused(faults)
    names = [n for n in EDITABLE.split() if n in row.value]
    if "capacity" in names:
        held = seats.lock_seats(deed, run)
        if isinstance(row.value["capacity"], int) and row.value["capacity"] < held.taken:
            row.fault("capacity", f"{held.taken} seats are taken; the run cannot have fewer.")
        if row.value["capacity"] is None:
            row.fault("capacity", "The number of seats is missing.")
    facts = read_facts(deed, row, run)
    first = run.meetings[0].date if run.meetings else None
    if facts["sign_up_opens"] and first and facts["sign_up_opens"] >= first:
        row.fault("sign_up_opens", f"Sign-up would open after it closes, the day before {day_text(first)}.")
    if "code" in names and not facts["code"]:
        row.fault("code", "The run code is missing.")
    if faults:
        raise Refused(faults)
    now = {n: shown(getattr(run, n)) for n in names}
    refuse_lost_update({n: facts[n] for n in names}, top.value.get("seen") or {}, now)
    for name in names:
        setattr(run, name, facts[name])
    fees.note_sources(run, {n: facts[n] for n in names if n in DEFAULTED})
    schedule.settle_gates(deed, run)
    told = ", ".join(n.replace("_", " ") for n in names)
    change = deed.log("change a run", "run", run.id, f"Changed {told} of {run.code}")
    touches = [
        {
            "label": n.replace("_", " ").capitalize(),
            "before": str(now[n] or "none"),
            "after": str(shown(facts[n]) or "none"),
        }
        for n in names
        if now[n] != shown(facts[n])
    ]
    return outcome(deed, run, change.key, touches)


def publish_run(deed: Deed, run_id: int) -> dict[str, Any]:
    """Make a draft public, if nothing would stop a learner from signing up."""
    run = get_run(deed, run_id)
    if run.status != "draft":
        raise Problem(409, "not-a-draft", f"The run is {run.status} already.")
    errors = [f for f in readiness(deed, run) if f.error]
    if errors:
        raise Refused([Fault(f.at, f.message) for f in errors])
    run.status, run.published_at = "published", deed.now
    change = deed.log("publish", "run", run.id, f"Published {run.code}")
    return outcome(deed, run, change.key, [{"label": "Status", "before": "draft", "after": "published"}])
