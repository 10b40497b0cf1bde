"""Courses and their runs: making, showing, listing, changing, publishing."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Select, and_, false, func, or_, select
from sqlalchemy.orm import selectinload

from archgate.actions import fees, schedule
from archgate.actions.problems import Problem, not_found
from archgate.actions.schedule import outcome, refuse_lost_update, shown
from archgate.actions.transaction import Deed
from archgate.core import gates as core_gates
from archgate.core import plans as core_plans
from archgate.core.documents import PLAN_LINE_KEYS, ZONES, Reader, read_plan_line, read_rate
from archgate.core.faults import Fault, Refused
from archgate.core.fees import Heads, price_line_of, unit_price
from archgate.core.fees import Rate as CoreRate
from archgate.core.money import digits_of, format_amount, percent_text
from archgate.core.schedule import day_text
from archgate.tables.courses import Course, Run
from archgate.tables.fees import EarlyStep, Rate
from archgate.tables.plans import Plan, PlanLine
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate
from archgate.tables.seats import RunSeats

RUN_KEYS = (
    "course_id course code title note place instructor capacity smallest sign_up_opens time_zone currency"
    " pattern changes rate plan"
)
RATE_KEYS = "code label amount early"
EDITABLE = "code title note place instructor capacity smallest sign_up_opens"


# --- courses ----------------------------------------------------------------------------------------------


def list_courses(deed: Deed) -> list[dict[str, Any]]:
    courses = deed.session.scalars(select(Course).order_by(Course.title)).all()
    return [course_view(c) for c in courses]


def course_view(course: Course) -> dict[str, Any]:
    return {"id": course.id, "code": course.code, "title": course.title, "summary": course.summary}


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
        code=code or free_course_code(deed, title), title=title, summary=summary, created_at=deed.now
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
    """Make a draft run from one form: course, dates, seats, fee and plan; every fault comes back at once."""
    faults: list[Fault] = []
    top = Reader(body, "", faults, RUN_KEYS)
    course = given_course(deed, top)
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
    rate_row = top.inner("rate", "The fee", RATE_KEYS)
    rate = read_new_rate(rate_row, currency) if rate_row else None
    name, lines = read_plan(top, currency, rate.amount if rate else None)
    opens = facts["sign_up_opens"]
    if opens and dates and dates.first and opens >= dates.first:
        top.fault(
            "sign_up_opens", f"Sign-up would open after it closes, the day before {day_text(dates.first)}."
        )
    if faults or course is None or pattern is None or dates is None or rate is None:
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
        created_at=deed.now,
        patterns=[schedule.pattern_row(pattern)],
        meetings=[schedule.meeting_row(m) for m in dates.meetings],
        rates=[rate_rows(rate, 1)],
        plans=[Plan(name=name, lines=plan_rows(lines))],
    )
    deed.session.add(run)
    deed.session.flush()
    deed.session.add(RunSeats(run_id=run.id, taken=0, version=0))
    deed.session.refresh(run, ["meetings", "gates"])
    schedule.settle_gates(deed, run)
    deed.log("make a run", "run", run.id, f"Made {run.code}, {run.title or course.title}")
    return run_view(deed, run.id)


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


def read_new_rate(row: Reader, currency: str) -> CoreRate | None:
    """A rate of a form; its code and label may be left out, and an early price must be a reduction."""
    held = {"code": "standard", "label": "Standard", **{k: v for k, v in row.value.items() if v is not None}}
    rate = read_rate(Reader(held, row.at, row.faults, RATE_KEYS), currency)
    for i, step in enumerate(rate.early if rate else ()):
        if rate and step.amount is not None and step.amount >= rate.amount:
            over = f"The early price must be below the fee of {format_amount(rate.amount, currency)}."
            row.faults.append(Fault(f"{row.at}/early/{i}/amount", over))
    return rate


def read_plan(top: Reader, currency: str, total: int | None) -> tuple[str, tuple[core_plans.PlanLine, ...]]:
    """A payment plan of a form; its lines must make the whole of the regular fee."""
    row = top.inner("plan", "The payment plan", "name lines")
    if row is None:
        return "", ()
    name = row.text("name", "The name of the plan") or "Payment plan"
    read = [read_plan_line(r, currency) for r in row.rows("lines", "The lines", PLAN_LINE_KEYS)]
    lines = tuple(x for x in read if x)
    if len(lines) == len(read) and total is not None:
        row.faults += [
            Fault(f"{row.at}{f.at}", f.message) for f in core_plans.plan_faults(lines, total, currency)
        ]
    return name, lines


def rate_rows(rate: CoreRate, position: int) -> Rate:
    steps = [
        EarlyStep(until=s.until, days_before=s.days_before, amount=s.amount, off=s.off, percent=s.percent)
        for s in rate.early
    ]
    return Rate(code=rate.code, label=rate.label, amount=rate.amount, position=position, early=steps)


def plan_rows(lines: tuple[core_plans.PlanLine, ...]) -> list[PlanLine]:
    return [
        PlanLine(
            position=n,
            percent=x.percent,
            amount=x.amount,
            parts=x.parts,
            rest=x.rest,
            due_kind=str(x.due.kind),
            due_number=x.due.number,
            due_on=x.due.on,
            settle=str(x.settle),
        )
        for n, x in enumerate(lines, 1)
    ]


# --- showing ----------------------------------------------------------------------------------------------


def get_run(deed: Deed, run_id: int) -> Run:
    run = deed.session.get(Run, run_id)
    if run is None:
        raise not_found("This run")
    return run


def rate_view(rate: Rate, currency: str) -> dict[str, Any]:
    early = [
        {
            "until": shown(s.until),
            "days_before": s.days_before,
            "amount": None if s.amount is None else format_amount(s.amount, currency),
            "off": None if s.off is None else format_amount(s.off, currency),
            "percent": None if s.percent is None else percent_text(s.percent),
        }
        for s in rate.early
    ]
    amount = format_amount(rate.amount, currency)
    return {"id": rate.id, "code": rate.code, "label": rate.label, "amount": amount, "early": early}


def plan_view(plan: Plan, currency: str) -> dict[str, Any]:
    lines = []
    for row in plan.lines:
        line = fees.core_line(row)
        every = tuple(fees.core_line(x) for x in plan.lines)
        lines.append(
            {
                "percent": None if row.percent is None else percent_text(row.percent),
                "amount": None if row.amount is None else format_amount(row.amount, currency),
                "parts": row.parts,
                "rest": row.rest,
                "due": {row.due_kind: shown(row.due_on) if row.due_on else row.due_number},
                "settle": row.settle,
                "text": f"{core_plans.share_text(line, every, currency)}, {core_plans.due_text(line.due)}",
            }
        )
    return {"id": plan.id, "name": plan.name, "active": plan.active, "lines": lines}


def run_view(deed: Deed, run_id: int) -> dict[str, Any]:
    """Everything a screen shows of one run; facts are worked out, never typed."""
    run = get_run(deed, run_id)
    dates = schedule.schedule_of(run)
    return {
        **run_line(deed, run, fees.seats_of(deed, run).taken),
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
        "price_line": price_line(deed, run),
        "rates": [rate_view(r, run.currency) for r in run.rates],
        "plans": [plan_view(p, run.currency) for p in run.plans],
        "readiness": [{"at": f.at, "message": f.message} for f in readiness(deed, run)],
        "now": deed.now.astimezone(deed.zone).isoformat(),
    }


def run_line(deed: Deed, run: Run, taken: int) -> dict[str, Any]:
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
        "price": price_now(deed, run),
    }


def price_now(deed: Deed, run: Run) -> dict[str, Any] | None:
    """The first rate's price per head today, and through which day it stands."""
    if not run.rates:
        return None
    start = fees.start_of(deed, run)
    rate = fees.core_rate(run.rates[0])
    price = unit_price(rate, deed.today, start, run.currency)
    until, then = None, None
    for gate in sorted(run.gates, key=lambda g: g.at):
        if gate.kind == "early step ends" and gate.at > deed.now and until is None:
            after = unit_price(rate, core_gates.local_day(gate.at, deed.zone), start, run.currency)
            if after.amount != price.amount:
                until, then = gate.day, format_amount(after.amount, run.currency)
    amount = format_amount(price.amount, run.currency)
    return {"amount": amount, "why": price.why, "until": shown(until), "then": then}


def price_line(deed: Deed, run: Run) -> list[dict[str, Any]]:
    """What one person at the first rate pays, from the day sign-up opens through the last day before the start."""
    closes = next((g.day for g in run.gates if g.kind == "sign-up closes"), None)
    if closes is None or not run.rates:
        return []
    begun = run.published_at.astimezone(deed.zone).date() if run.published_at else deed.today
    first = max(run.sign_up_opens or begun, begun)
    rate, start = fees.core_rate(run.rates[0]), fees.start_of(deed, run)
    line = price_line_of((rate,), (Heads(rate.code, 1),), min(first, closes), closes, start)
    return [
        {"from": shown(s.first), "to": shown(s.last), "total": format_amount(s.total, run.currency)}
        for s in line
    ]


def readiness(deed: Deed, run: Run) -> list[Fault]:
    """What would stop a learner from signing up, with the place on the form that mends it."""
    found = []
    closes, opens = schedule.gate_at(run, "sign-up closes"), schedule.gate_at(run, "sign-up opens")
    if not run.meetings:
        found.append(Fault("/dates", "The run has no meeting."))
    if closes and closes <= deed.now and run.status == "draft":
        found.append(
            Fault("/dates", "Sign-up would already be closed: it ends the day before the first meeting.")
        )
    if opens and closes and opens >= closes:
        found.append(Fault("/sign_up_opens", "Sign-up would open after it closes."))
    if not run.rates:
        found.append(Fault("/rates", "The run has no rate."))
    if not any(p.active for p in run.plans):
        found.append(Fault("/plans", "The run has no payment plan."))
    for plan in run.plans:
        lines = tuple(fees.core_line(x) for x in plan.lines)
        for rate in run.rates:
            found += [
                Fault("/plans", f.message) for f in core_plans.plan_faults(lines, rate.amount, run.currency)
            ]
    return found


# --- listing ----------------------------------------------------------------------------------------------

PAGE = 50


def list_runs(
    deed: Deed,
    q: str = "",
    status: str = "",
    sign_up: str = "",
    teaching: str = "",
    after: str = "",
    limit: int = PAGE,
) -> dict[str, Any]:
    """Runs by first meeting, those without one last, a page at a time; `after` is the last row's cursor."""
    starts = select(Gate.run_id, Gate.at).where(Gate.kind == "starts").subquery()
    query = select(Run, starts.c.at, RunSeats.taken).join(RunSeats, RunSeats.run_id == Run.id)
    query = query.outerjoin(starts, starts.c.run_id == Run.id).join(Course)
    for word in q.split()[:6]:
        like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        query = query.where(
            or_(Run.title.like(like), Run.code.like(like), Course.title.like(like), Run.place.like(like))
        )
    if status:
        query = query.where(Run.status == status)
    query = by_moment(query, deed.now, sign_up, teaching)
    total = deed.session.scalar(select(func.count()).select_from(query.order_by(None).subquery()))
    moment = starts.c.at
    if after:
        text, _, number = after.partition("|")
        try:
            at, last = datetime.fromisoformat(text) if text else None, int(number)
        except ValueError:
            raise Problem(
                422, "cursor", "This page of the list no longer exists; start at the first."
            ) from None
        later = moment.is_(None) if at else false()
        query = query.where(
            or_(moment > at if at else false(), and_(moment.is_not_distinct_from(at), Run.id > last), later)
        )
    limit = max(1, min(limit, 200))
    loading = query.options(selectinload(Run.meetings), selectinload(Run.gates), selectinload(Run.course))
    loading = loading.options(selectinload(Run.rates).selectinload(Rate.early))
    rows = deed.session.execute(loading.order_by(moment.is_(None), moment, Run.id).limit(limit + 1)).all()
    cursor = None
    if len(rows) > limit:
        run, at, _ = rows[limit - 1]
        cursor = f"{at.isoformat() if at else ''}|{run.id}"
    items = [run_line(deed, run, taken) for run, _, taken in rows[:limit]]
    return {"items": items, "total": total, "next": cursor, "today": deed.today.isoformat()}


def by_moment(query: Select[Any], now: datetime, sign_up: str, teaching: str) -> Select[Any]:
    """Filter runs by their derived states; `core.gates` says the same of a single run, and a test compares."""

    def at(kind: str) -> Any:
        return select(Gate.at).where(Gate.run_id == Run.id, Gate.kind == kind).scalar_subquery()

    opens, closes = at("sign-up opens"), at("sign-up closes")
    starts, ends = at("starts"), at("ends")
    published = Run.status == "published"
    begun = and_(published, closes > now, or_(opens.is_(None), opens <= now))
    states = {
        "": None,
        "open": and_(begun, RunSeats.taken < Run.capacity),
        "full": and_(begun, RunSeats.taken >= Run.capacity),
        "closed": or_(Run.status.in_(("off sale", "cancelled", "archived")), and_(published, closes <= now)),
        "not yet": or_(
            Run.status == "draft",
            and_(published, closes > now, opens > now),
            and_(published, closes.is_(None)),
        ),
    }
    phases = {
        "": None,
        "before": or_(starts.is_(None), starts > now),
        "running": and_(starts <= now, ends > now),
        "ended": ends <= now,
        "current": or_(ends.is_(None), ends > now),
    }
    if sign_up not in states or teaching not in phases:
        raise Problem(422, "filter", "There is no such filter.")
    wanted = [c for c in (states[sign_up], phases[teaching]) if c is not None]
    return query.where(*wanted) if wanted else query


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
        seats = lock_seats(deed, run)
        if isinstance(row.value["capacity"], int) and row.value["capacity"] < seats.taken:
            row.fault("capacity", f"{seats.taken} seats are taken; the run cannot have fewer.")
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


def change_terms(deed: Deed, run_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Change a run's first rate, its first plan, or both, as whole things; enrollments keep what they agreed."""
    run = get_run(deed, run_id)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    row = top.inner("set", "What to change", "rate plan")
    if row is None:
        raise Refused(faults)
    old_rate, old_plan = run.rates[0], run.plans[0]
    views = {"rate": rate_view(old_rate, run.currency), "plan": plan_view(old_plan, run.currency)}
    before = price_now(deed, run) or {}
    rate = None
    if row.has("rate"):
        rate_row = row.inner("rate", "The fee", RATE_KEYS)
        rate = read_new_rate(rate_row, run.currency) if rate_row else None
    amount = rate.amount if rate else old_rate.amount
    name, lines = read_plan(row, run.currency, amount) if row.has("plan") else ("", ())
    if not row.has("plan") and rate:
        stored = tuple(fees.core_line(x) for x in old_plan.lines)
        faults += [
            Fault("/set/rate/amount", f.message) for f in core_plans.plan_faults(stored, amount, run.currency)
        ]
    if faults:
        raise Refused(faults)
    new = {n: row.value[n] for n in ("rate", "plan") if row.has(n)}
    refuse_lost_update(new, top.value.get("seen") or {}, views)
    if rate:
        old_rate.label, old_rate.amount = rate.label, rate.amount
        old_rate.early = rate_rows(rate, 1).early
    if lines:
        old_plan.name = name
        old_plan.lines = []
        deed.session.flush()
        old_plan.lines = plan_rows(lines)
    deed.session.flush()
    deed.session.refresh(run, ["rates", "plans"])
    schedule.settle_gates(deed, run)
    after = price_now(deed, run) or {}
    change = deed.log("change terms", "run", run.id, f"Changed the {' and the '.join(new)} of {run.code}")
    touches = [
        {"label": label, "before": str(before.get(k) or "none"), "after": str(after.get(k) or "none")}
        for k, label in (("amount", "Price now"), ("until", "Early price through"), ("then", "Price then"))
        if before.get(k) != after.get(k)
    ]
    if lines:
        old = "; ".join(x["text"] for x in views["plan"]["lines"])
        text = "; ".join(x["text"] for x in plan_view(old_plan, run.currency)["lines"])
        touches += [{"label": "Payment plan", "before": old, "after": text}] if old != text else []
    return outcome(deed, run, change.key, touches)


def lock_seats(deed: Deed, run: Run) -> RunSeats:
    """Lock the run's seat row, and write it, before anything that changes who sits where.

    The written row is what a cluster certifies. The run itself is read anew under the lock.
    """
    query = select(RunSeats).where(RunSeats.run_id == run.id).with_for_update()
    seats = deed.session.scalars(query.execution_options(populate_existing=True)).one()
    seats.version += 1
    deed.session.flush()
    deed.session.refresh(run)
    return seats


def publish_run(deed: Deed, run_id: int) -> dict[str, Any]:
    """Make a draft public, if nothing would stop a learner from signing up."""
    run = get_run(deed, run_id)
    if run.status != "draft":
        raise Problem(409, "not-a-draft", f"The run is {run.status} already.")
    faults = readiness(deed, run)
    if faults:
        raise Refused(faults)
    run.status, run.published_at = "published", deed.now
    change = deed.log("publish", "run", run.id, f"Published {run.code}")
    return outcome(deed, run, change.key, [{"label": "Status", "before": "draft", "after": "published"}])


def live_enrollments(deed: Deed, run_id: int) -> int:
    return (
        deed.session.scalar(
            select(func.coalesce(func.sum(Enrollment.heads), 0)).where(
                Enrollment.run_id == run_id, Enrollment.live == 1
            )
        )
        or 0
    )
