"""Making, showing, changing and publishing runs."""

from __future__ import annotations

from datetime import date, timedelta
from typing import TypedDict
from zoneinfo import ZoneInfo

from sqlalchemy import select

from archgate.actions.courses import courses
from archgate.actions.fees import course_defaults, fees, prices, terms
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome, refuse_lost_update, shown
from archgate.actions.kernel.commands import command_of, document
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome, Touch
from archgate.actions.runs import lifecycle, notices
from archgate.actions.runs.commands import RunCommand, RunFacts, RunPatch
from archgate.actions.runs.readiness import readiness
from archgate.actions.runs.views import (
    CancelledMeeting,
    Finding,
    GateOut,
    NamedWeek,
    NextMeeting,
    RuleIO,
    RunLine,
    RunOut,
    WindowIO,
)
from archgate.actions.schedule import clashes, meeting_links, places, schedule
from archgate.actions.seats import seats
from archgate.core import fees as core_fees
from archgate.core import gates as core_gates
from archgate.core import plans as core_plans
from archgate.core.faults import Fault, Refused
from archgate.core.money import digits_of
from archgate.core.reader import ZONES, Document, Reader
from archgate.core.schedule import day_text
from archgate.core.states import Decision, RunKind, RunStatus, SignUp, Told
from archgate.core.waitlist import Rule
from archgate.tables.courses import Course, Run
from archgate.tables.people import Organization
from archgate.tables.schedule import Place
from archgate.tables.seats import RunSeats

RUN_KEYS = (
    "course_id course code title note place instructor capacity smallest sign_up_opens windows decision_rule kind"
    " starts_on ends_on week_names access_days client_id time_zone currency pattern patterns extra changes rates extras group taxes plans"
)
EDITABLE = "code title note receipt_note place instructor capacity smallest sign_up_opens windows decision_rule week_names access_days client_id overbook line_rule auto_offer offer_hours hold_hours told"
NAMED = {"place": places.place_named, "instructor": places.instructor_named}


def free_run_code(uow: UnitOfWork, course: Course, year: int) -> str:
    """The course's code, the year's last two digits and a letter: DSW-27A, then DSW-27B."""
    stem = f"{course.code[:30]}-{year % 100:02d}"
    taken = {c.upper() for c in uow.session.scalars(select(Run.code).where(Run.code.like(f"{stem}%")))}
    letters = [chr(65 + n) for n in range(26)] + [
        f"{chr(65 + n)}{chr(65 + m)}" for n in range(26) for m in range(26)
    ]
    return next(f"{stem}{letter}" for letter in letters if f"{stem}{letter}".upper() not in taken)


def create_run(uow: UnitOfWork, command: RunCommand) -> RunOut:
    """Make a draft run from one form: course, dates, seats, rates and plans; every fault comes back at once."""
    run = make_run(uow, command)
    uow.log(Act.MAKE_A_RUN, run.id, f"Made {run.code}, {run.title or run.course.title}")
    return run_view(uow, run.id)


def make_run(uow: UnitOfWork, command: RunCommand) -> Run:
    """A draft from a form. What is left out of place, instructor, seats, rates and plans is taken from the course."""
    faults: list[Fault] = []
    top = Reader(document(command), "", faults, RUN_KEYS)
    course = courses.given_course(uow, command.course_id, command.course, faults)
    usual = {k: v for k, v in uow.center.defaults.items() if k in RUN_KEYS.split()}
    left_out = {k: v for k, v in {**usual, **(course.defaults if course else {})}.items() if not top.has(k)}
    top.value = {**top.value, **left_out}
    form = command_of(RunCommand, {k: v for k, v in top.value.items() if k in RUN_KEYS.split()})
    zone_name = form.time_zone or zone_of_place(uow, form.place) or uow.center.time_zone
    if zone_name not in ZONES:
        top.fault("time_zone", f'"{zone_name}" is not a time zone, like America/New_York.')
        zone_name = uow.center.time_zone
    currency = form.currency or uow.center.currency
    try:
        digits_of(currency)
    except ValueError as error:
        top.fault("currency", str(error))
        currency = uow.center.currency
    kind = str(command.kind or RunKind.DATED)
    facts = read_facts(uow, top, form, None)
    patterns, dates = schedule.planned(uow, top, ZoneInfo(zone_name), need=kind == "dated")
    terms = fees.read_all(uow, top, currency, left_out)
    kind_faults(top, kind, form, facts, [r for r, _ in terms.rates], [lines for _, _, lines in terms.plans])
    first = form.starts_on or (dates.first if dates else None)
    last = form.ends_on or (dates.last if dates else None)
    window_faults(top, facts["windows"], first, kind, last)
    decision_fault(top, facts["decision_rule"], first, last)
    outside = schedule.outside_fault(
        form.starts_on, form.ends_on, (m.date for m in dates.meetings) if dates else ()
    )
    if outside and kind == "cohort":
        top.fault(*outside)
    if faults or course is None or dates is None:
        raise Refused(faults)
    if course.id is None:
        uow.session.add(course)
        uow.session.flush()
    taught_in = places.place_named(uow, form.place)
    taught_by = places.instructor_named(uow, form.instructor)
    run = Run(
        **{**facts, "code": facts["code"] or free_run_code(uow, course, (first or uow.today).year)},
        starts_on=form.starts_on,
        ends_on=form.ends_on,
        course=course,
        kind=kind,
        status=RunStatus.DRAFT,
        decision=Decision.UNDECIDED,
        place=taught_in,
        instructor=taught_by,
        time_zone=zone_name,
        currency=currency,
        created_at=uow.now,
        patterns=[schedule.pattern_row(uow, p, n) for n, p in enumerate(patterns, 1)],
        **fees.rows_of(uow, terms),
    )
    run.all_meetings = [schedule.placed_row(uow, run, m) for m in dates.meetings]
    uow.session.add(run)
    uow.session.flush()
    uow.session.add(RunSeats(run_id=run.id, taken=0, version=0))
    uow.session.refresh(run, ["all_meetings", "gates", "rates", "extras", "plans"])
    schedule.settle_gates(uow, run)
    return run


def zone_of_place(uow: UnitOfWork, name: str | None) -> str | None:
    """The zone of the place a form names, where it is known."""
    return uow.session.scalar(select(Place.time_zone).where(Place.name == name)) if name else None


def kind_faults(
    top: Reader,
    kind: str,
    form: RunCommand,
    facts: Facts,
    rates: list[core_fees.Rate],
    every_plan: list[tuple[core_plans.PlanLine, ...]],
) -> None:
    """What a kind of run needs, and what it cannot have: an open run has no start to count from."""
    if kind == "cohort":
        for key, what in (("starts_on", "first"), ("ends_on", "last")):
            if getattr(form, key) is None and not any(f.at == f"/{key}" for f in top.faults):
                top.fault(key, f"A cohort needs its {what} day.")
        if form.starts_on and form.ends_on and form.ends_on < form.starts_on:
            top.fault("ends_on", "The last day is before the first.")
    elif form.starts_on or form.ends_on:
        top.fault(
            "starts_on",
            "Only a cohort has a first and a last day of its own; other runs take them from their dates.",
        )
    if kind != "open":
        return
    if not form.access_days:
        top.fault("access_days", "An open run needs the number of days of access from enrollment.")
    if top.has("pattern") or top.value.get("patterns") or top.value.get("extra"):
        top.fault("kind", "An open run has no dates.")
    rules = [schedule.rule_of(w.get(k)) for w in facts["windows"] for k in ("opens", "closes")]
    rules.append(schedule.rule_of(facts["decision_rule"]))
    if any(r and r.days_before is not None for r in rules) or any(
        s.days_before is not None for r in rates for s in r.early
    ):
        top.fault("kind", "An open run has no start; give dates instead of days before the start.")
    if any(line.due.from_start for lines in every_plan for line in lines):
        top.fault("plans", "An open run has no start by which a line could fall due.")


def decision_fault(top: Reader, rule: object, start: date | None, end: date | None) -> None:
    """A decision that comes when all is over decides nothing."""
    held = schedule.rule_of(rule)
    day = held.day(start) if held else None
    if day and end and day > end:
        top.fault(
            "decision_rule", f"The decision day, {day_text(day)}, is after the run ends on {day_text(end)}."
        )


def window_faults(
    top: Reader, windows: list[Document], start: date | None, kind: str, end: date | None = None
) -> None:
    held = tuple(
        core_gates.Window(schedule.rule_of(w.get("opens")), schedule.rule_of(w.get("closes")))
        for w in windows
    )
    for n, what, said in core_gates.window_faults(held, start, kind == "open", end):
        if top.has("windows"):
            top.faults.append(Fault(f"{top.at}/windows/{n}/{what}", said))
        else:
            top.fault("sign_up_opens", said)


class Facts(TypedDict):
    """What is said of a run itself, as its columns; place and instructor by name."""

    code: str | None
    title: str
    note: str
    receipt_note: str
    capacity: int | None
    smallest: int
    windows: list[Document]
    decision_rule: Document | None
    week_names: list[str]
    access_days: int | None
    client_id: int | None
    overbook: int
    line_rule: str
    auto_offer: bool
    offer_hours: int
    hold_hours: int | None
    told: list[str] | None


def read_facts(uow: UnitOfWork, top: Reader, form: RunFacts, run: Run | None) -> Facts:
    """What a person types about a run itself; with `run`, only what was given and may change."""
    if form.capacity is None and run is None:
        top.fault("capacity", "The number of seats is missing.")
    if form.client_id and uow.session.get(Organization, form.client_id) is None:
        top.fault("client_id", "There is no such organization.")
    capacity = form.capacity or (run.capacity if run else None)
    smallest = (form.smallest or 0) if run is None or top.has("smallest") else run.smallest
    if capacity is not None and smallest > capacity:
        top.fault("smallest", f"The smallest number, {smallest}, is more than the {capacity} seats.")
    twin = uow.session.scalar(select(Run).where(Run.code == form.code)) if form.code else None
    if twin and (run is None or twin.id != run.id):
        top.fault("code", f'The run code "{form.code}" is taken.')
    return {
        "code": form.code or None,
        "title": form.title or "",
        "note": form.note or "",
        "receipt_note": form.receipt_note or "",
        "capacity": form.capacity,
        "smallest": form.smallest or 0,
        "windows": read_windows(top, form, run),
        "decision_rule": schedule.read_rule(top, "decision_rule", "The decision day"),
        "week_names": form.week_names or [],
        "access_days": form.access_days,
        "client_id": form.client_id,
        "overbook": form.overbook or 0,
        "line_rule": str(form.line_rule or Rule.FIT),
        "auto_offer": form.auto_offer is not False,
        "offer_hours": form.offer_hours or 36,
        "hold_hours": form.hold_hours,
        "told": terms.told_in_order(form.told) if form.told is not None else None,
    }


def read_windows(top: Reader, form: RunFacts, run: Run | None) -> list[Document]:
    """Sign-up windows of a form; `sign_up_opens` alone is the opening date of the first."""
    if top.has("windows"):
        return [
            {
                "opens": schedule.read_rule(w, "opens", "The opening of sign-up"),
                "closes": schedule.read_rule(w, "closes", "The close of sign-up"),
            }
            for w in top.rows("windows", "The sign-up windows", "opens closes", most=12)
        ]
    opens = form.sign_up_opens
    kept = [dict(w) for w in run.windows] if run else []
    if opens is None and not kept:
        return []
    first = kept[0] if kept else {"opens": None, "closes": None}
    return [{**first, "opens": {"on": opens.isoformat()} if opens else None}, *kept[1:]]


def run_view(uow: UnitOfWork, run_id: int) -> RunOut:
    """Everything a screen shows of one run; facts are worked out, never typed."""
    run = get_run(uow, run_id)
    dates = schedule.schedule_of(run)
    state = seats.seats_of(uow, run)
    clashing = clashes.of_run(uow, run)
    line = run_line(uow, run, state.taken, sum(state.waiting) + state.offered, state.kept)
    return RunOut(
        **dict(line),
        **dict(fees.terms_view(run)),
        course=courses.course_view(run.course),
        own_title=run.title,
        note=run.note,
        receipt_note=run.receipt_note,
        overbook=run.overbook,
        line_rule=run.line_rule,
        auto_offer=run.auto_offer,
        offer_hours=run.offer_hours,
        hold_hours=run.hold_hours,
        told=[Told(who) for who in run.told] if run.told is not None else None,
        questions=run.questions,
        notice=notices.notice_of(uow, run),
        sign_up_opens=run.sign_up_opens,
        weeks=dates.weeks,
        windows=[WindowIO.model_validate(w) for w in run.windows],
        decision_rule=RuleIO.model_validate(run.decision_rule) if run.decision_rule else None,
        week_names=run.week_names,
        named_weeks=named_weeks(run),
        client_id=run.client_id,
        files=lifecycle.files_of(uow, run.id),
        patterns=[schedule.pattern_view(uow, p) for p in run.patterns],
        dates=schedule.meetings_view(uow, run),
        cancelled=cancelled_view(run),
        clashes=clashing,
        gates=[
            GateOut(kind=g.kind, rule=g.rule, day=g.day, at=g.at, label=g.label)
            for g in sorted(run.gates, key=lambda g: g.at)
        ],
        price_line=prices.price_line(uow, run),
        origins=fees.origins(uow, run.course, course_defaults.default_values(run)),
        readiness=[Finding(at=f.at, message=f.message, error=f.error) for f in readiness(uow, run, clashing)],
        now=uow.local(uow.now),
    )


def cancelled_view(run: Run) -> list[CancelledMeeting]:
    """Meetings that were to be and are not held."""
    return [
        CancelledMeeting(id=m.id, date=m.date, start=m.start, why=m.cancel_why)
        for m in sorted(run.all_meetings, key=lambda m: m.starts_at)
        if m.cancelled_at is not None
    ]


def named_weeks(run: Run) -> list[NamedWeek]:
    """The weeks of a cohort from its first day, named or numbered; the last may be shorter."""
    if not run.starts_on or not run.ends_on:
        return []
    found: list[NamedWeek] = []
    day = run.starts_on
    while day <= run.ends_on and len(found) < 520:
        n = len(found)
        name = run.week_names[n] if n < len(run.week_names) and run.week_names[n] else f"Week {n + 1}"
        last = min(day + timedelta(days=6), run.ends_on)
        number = sum(day <= m.date <= last for m in run.meetings)
        found.append(NamedWeek(name=name, from_=day, to=last, meetings=number))
        day += timedelta(days=7)
    return found


def run_line(uow: UnitOfWork, run: Run, taken: int, waiting: int, kept: int = 0) -> RunLine:
    """What stands on every line that shows a run; `kept` of its seats are held, on offer or set aside."""
    meetings = schedule.ordered(run)
    sign_up, why = fees.sign_up_of(uow, run, taken + kept >= run.capacity + run.overbook)
    if sign_up is SignUp.FULL and kept:
        why = f"No seat is free: {taken} of {run.capacity + run.overbook} are taken, {kept} kept back."
    starts, ends = schedule.gate_at(run, "starts"), schedule.gate_at(run, "ends")
    teaching = core_gates.teaching_at(uow.now, starts, ends)
    coming = next((m for m in meetings if m.ends_at > uow.now), None)
    zone = schedule.zone_of(run, coming.place if coming else run.place)
    first, last = (run.starts_on, run.ends_on) if run.kind == RunKind.COHORT else (None, None)
    return RunLine(
        id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        course_title=run.course.title,
        course_code=run.course.code,
        kind=run.kind,
        status=run.status,
        decision=run.decision,
        decision_until=run.decision_until,
        decision_day=next((g.day for g in run.gates if g.kind == "decision day"), None),
        starts_on=run.starts_on,
        ends_on=run.ends_on,
        access_days=run.access_days,
        client=run.client.name if run.client else None,
        sign_up=sign_up,
        sign_up_why=why,
        teaching=teaching,
        place=run.place.name if run.place else "",
        instructor=run.instructor.name if run.instructor else "",
        time_zone=run.time_zone,
        currency=run.currency,
        first=first or (meetings[0].date if meetings else None),
        last=last or (meetings[-1].date if meetings else None),
        meetings=len(meetings),
        hours=schedule.schedule_of(run).hours,
        next_meeting=NextMeeting(
            date=coming.date,
            start=coming.starts_at.astimezone(zone).time(),
            end=coming.ends_at.astimezone(zone).time(),
            place=coming.place.name if coming.place else "",
        )
        if coming
        else None,
        capacity=run.capacity,
        smallest=run.smallest,
        taken=taken,
        kept=kept,
        waiting=waiting,
        price=fees.price_now(uow, run),
    )


def change_run(uow: UnitOfWork, run_id: int, command: RunPatch) -> Outcome:
    """Change single facts of a run; `seen` holds the values the person saw.

    Another usual place or instructor takes over the coming meetings that had the old one.
    """
    run, held = seats.lock_run(uow, run_id)
    faults: list[Fault] = []
    row = Reader(document(command.set), "/set", faults, EDITABLE)
    names = [n for n in EDITABLE.split() if n in row.value]
    capacity = command.set.capacity
    if "capacity" in names and capacity is not None:
        kept, whole = seats.seats_of(uow, run, held).kept, capacity + run.overbook
        if whole < held.taken:
            row.fault("capacity", f"{held.taken} seats are taken; the run cannot have fewer.")
        elif whole < held.taken + kept:
            row.fault(
                "capacity",
                f"{held.taken} seats are taken and {kept} are held, on offer or set aside; let go of some first, or keep"
                f" {held.taken + kept - run.overbook} seats.",
            )
    elif "capacity" in names:
        row.fault("capacity", "The number of seats is missing.")
    facts = read_facts(uow, row, command.set, run)
    start = schedule.start_day(uow, run)
    end = schedule.end_day(uow, run)
    if {"windows", "sign_up_opens"} & set(names):
        window_faults(row, facts["windows"], start, run.kind, end)
    if "decision_rule" in names:
        decision_fault(row, facts["decision_rule"], start, end)
    if run.kind == RunKind.OPEN and "access_days" in names and not facts["access_days"]:
        row.fault("access_days", "An open run needs the number of days of access from enrollment.")
    if run.kind == RunKind.OPEN and "days_before" in (facts["decision_rule"] or {}):
        row.fault("decision_rule", "An open run has no start to count days from; give a date.")
    if "code" in names and not facts["code"]:
        row.fault("code", "The run code is missing.")
    if faults:
        raise Refused(faults)
    new: Document = {
        **facts,
        "place": command.set.place or "",
        "instructor": command.set.instructor or "",
        "sign_up_opens": command.set.sign_up_opens,
    }
    now = {n: shown(course_defaults.fact_of(run, n)) for n in names}
    refuse_lost_update({n: new[n] for n in names}, document(command.seen), now)
    clashed, gates_before = clashes.of_run(uow, run), schedule.situation(uow, run)
    for name in names:
        if name in NAMED:
            replace_usual(uow, run, name, str(new[name]))
        elif name != "sign_up_opens":
            setattr(run, name, new[name])
    if "sign_up_opens" in names:
        run.windows = facts["windows"]
    schedule.settle_gates(uow, run)
    told = ", ".join(n.replace("_", " ") for n in names)
    change = uow.log(Act.CHANGE_A_RUN, run.id, f"Changed {told} of {run.code}")
    touches = [
        Touch(label=n.replace("_", " ").capitalize(), before=said(now[n]), after=said(shown(new[n])))
        for n in names
        if now[n] != shown(new[n]) and n not in ("windows", "decision_rule")
    ]
    touches += [
        t for t in schedule.touches_of(gates_before, schedule.situation(uow, run)) if t.before != t.after
    ]
    clashing = clashes.of_run(uow, run)
    meeting_links.ask_for_links(uow, run, change.key)
    return outcome(uow, run, change.key, touches).widened(Outcome, 
        made=clashes.only_in(clashing, clashed), healed=clashes.only_in(clashed, clashing))  # fmt: skip


def said(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value or "none")


def replace_usual(uow: UnitOfWork, run: Run, name: str, wanted: str) -> None:
    """Set a run's usual place or instructor; its coming meetings that had the old one follow."""
    old, new = getattr(run, name), NAMED[name](uow, wanted)
    if old is new:
        return
    places.put(run, name, new)
    for m in run.meetings:
        if m.ends_at > uow.now and getattr(m, name) is old:
            places.put(m, name, new)
            schedule.settle_times(run, m)
            m.sequence += 1


def publish_run(uow: UnitOfWork, run_id: int) -> Outcome:
    """Make a draft public, if nothing would stop a learner from signing up."""
    run = seats.run_to_change(uow, run_id)
    if run.status != RunStatus.DRAFT:
        raise Problem(409, "not-a-draft", f"The run is {run.status} already.")
    errors = [f for f in readiness(uow, run) if f.error]
    if errors:
        raise Refused([Fault(f.at, f.message) for f in errors])
    run.status, run.published_at = RunStatus.PUBLISHED, uow.now
    change = uow.log(Act.PUBLISH, run.id, f"Published {run.code}")
    meeting_links.ask_for_links(uow, run, change.key)
    return outcome(uow, run, change.key, [Touch(label="Status", before="draft", after="published")])
