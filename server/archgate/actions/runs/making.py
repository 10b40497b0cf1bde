"""Making, changing and publishing runs."""

from __future__ import annotations

from datetime import date
from zoneinfo import ZoneInfo

from sqlalchemy import func, select

from archgate.actions.courses import courses
from archgate.actions.enrolling import interest
from archgate.actions.fees import course_defaults, fees, plans
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome, refuse_lost_update, shown
from archgate.actions.kernel.commands import command_of, document
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome, Touch
from archgate.actions.runs.commands import KindCommand, RunCommand, RunFacts, RunPatch
from archgate.actions.runs.readiness import readiness
from archgate.actions.runs.run_facts import (
    Facts,
    decision_fault,
    kind_faults,
    read_facts,
    seats_given,
    window_faults,
)
from archgate.actions.runs.showing import run_view
from archgate.actions.runs.views import (
    RunOut,
)
from archgate.actions.schedule import clashes, gates, meeting_links, places, schedule, teachers
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused
from archgate.core.money import digits_of
from archgate.core.schedule import Schedule
from archgate.core.states import Decision, Role, RunKind, RunStatus
from archgate.core.teaching import read_taught, taught_text
from archgate.documents.reader import ZONES, Document, Reader
from archgate.tables.courses import Course, Run
from archgate.tables.money import Account
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Place
from archgate.tables.seats import RunSeats
from archgate.tables.teaching import RunTeacher

RUN_KEYS = (
    "course_id course code title note place instructor capacity smallest sign_up_opens windows decision_rule kind"
    " starts_on ends_on week_names access_days client_id time_zone currency pattern patterns extra changes rates extras group taxes plans"
    " overbook line_rule auto_offer offer_hours hold_hours told"
)
EDITABLE = "code title note receipt_note place instructor capacity smallest sign_up_opens windows decision_rule week_names access_days client_id overbook line_rule auto_offer offer_hours hold_hours told time_zone"
NAMED = ("place", "instructor")


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
    left_out = fill_in(uow, top, course)
    form = command_of(RunCommand, {k: v for k, v in top.value.items() if k in RUN_KEYS.split()})
    zone, currency = zone_of(uow, top, form), currency_of(uow, top, form)
    kind = command.kind or RunKind.DATED
    facts = read_facts(uow, top, form, None, kind)
    patterns, dates = schedule.planned(uow, top, ZoneInfo(zone), need=kind is RunKind.DATED)
    terms = fees.read_all(uow, top, currency, left_out)
    kind_faults(top, kind, form, facts, [r for r, _ in terms.rates], [lines for _, _, lines in terms.plans])
    first = date_faults(top, kind, form, facts, dates)
    if faults or course is None or dates is None:
        raise Refused(faults)
    if course.id is None:
        uow.session.add(course)
        uow.session.flush()
    run = Run(
        **{
            **facts,
            "code": facts["code"] or free_run_code(uow, course, (first or uow.today).year),
            "time_zone": zone,
        },
        starts_on=form.starts_on,
        ends_on=form.ends_on,
        course=course,
        kind=kind,
        status=RunStatus.DRAFT,
        decision=Decision.UNDECIDED,
        place=places.place_named(uow, form.place),
        teachers=teachers.rows_for(RunTeacher, teachers.named(uow, form.instructor)),
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
    gates.settle_gates(uow, run)
    return run


def fill_in(uow: UnitOfWork, top: Reader, course: Course | None) -> Document:
    """Put what the form leaves out into it, as the course has it, else the center; returns what was put in."""
    # Who is told stays the center's: a run that says nothing asks it at every sign-up.
    usual = {k: v for k, v in uow.center.defaults.items() if k in RUN_KEYS.split() and k != "told"}
    left_out = {k: v for k, v in {**usual, **(course.defaults if course else {})}.items() if not top.has(k)}
    top.value = {**top.value, **left_out}
    return left_out


def zone_of(uow: UnitOfWork, top: Reader, form: RunCommand) -> str:
    """The time zone of a new run: as said, else that of its place, else the center's."""
    name = form.time_zone or zone_of_place(uow, form.place) or uow.center.time_zone
    if name in ZONES:
        return name
    top.fault("time_zone", f'"{name}" is not a time zone, like America/New_York.')
    return uow.center.time_zone


def currency_of(uow: UnitOfWork, top: Reader, form: RunCommand) -> str:
    currency = form.currency or uow.center.currency
    try:
        digits_of(currency)
    except ValueError as error:
        top.fault("currency", str(error))
        return uow.center.currency
    return currency


def date_faults(
    top: Reader, kind: RunKind, form: RunCommand, facts: Facts, dates: Schedule | None
) -> date | None:
    """What does not fit the first and the last day of a new run; the first."""
    first = form.starts_on or (dates.first if dates else None)
    last = form.ends_on or (dates.last if dates else None)
    window_faults(top, facts["windows"], first, kind, last)
    decision_fault(top, facts["decision_rule"], first, last)
    outside = schedule.outside_fault(
        form.starts_on, form.ends_on, (m.date for m in dates.meetings) if dates else ()
    )
    if outside and kind is RunKind.COHORT:
        top.fault(*outside)
    return first


def zone_of_place(uow: UnitOfWork, name: str | None) -> str | None:
    """The zone of the place a form names, where it is known."""
    return uow.session.scalar(select(Place.time_zone).where(Place.name == name)) if name else None


def change_run(uow: UnitOfWork, run_id: int, command: RunPatch) -> Outcome:
    """Change single facts of a run; `seen` holds the values the person saw.

    Another usual place or instructor takes over the coming meetings that had the old one.
    """
    run, row = seats.lock_run(uow, run_id)
    top = Reader(document(command.set), "/set", [], EDITABLE)
    names = [n for n in EDITABLE.split() if n in top.value]
    if "capacity" in names or "overbook" in names:
        capacity_fault(uow, top, run, row, command.set)
    facts = changed_facts(uow, top, run, command.set, names)
    if top.faults:
        raise Refused(top.faults)
    new: Document = {
        **facts,
        "place": command.set.place or "",
        "instructor": taught_text(read_taught(command.set.instructor or "")),
        "sign_up_opens": command.set.sign_up_opens,
    }
    now = {n: shown(course_defaults.fact_of(run, n)) for n in names}
    refuse_lost_update({n: new[n] for n in names}, document(command.seen), now)
    clashed, gates_before = clashes.of_run(uow, run), schedule.situation(uow, run)
    opening = bool({"windows", "sign_up_opens"} & set(names))
    told_before = interest.to_tell(uow, run) if opening else 0
    for name in names:
        if name in NAMED:
            replace_usual(uow, run, name, str(new[name]))
        elif name != "sign_up_opens":
            setattr(run, name, new[name])
    if "sign_up_opens" in names:
        run.windows = facts["windows"]
    if "time_zone" in names:
        for meeting in run.all_meetings:
            if meeting.place is None and meeting.starts_at > uow.now:
                schedule.settle_times(run, meeting)
                meeting.sequence += 1
        uow.session.flush()
    gates.settle_gates(uow, run)
    told = ", ".join(map(fact_words, names))
    change = uow.log(Act.CHANGE_A_RUN, run.id, f"Changed {told} of {run.code}")
    touches = [
        Touch(label=fact_words(n).capitalize(), before=said(now[n]), after=said(shown(new[n])))
        for n in names
        if now[n] != shown(new[n]) and n not in ("windows", "decision_rule")
    ]
    moved = schedule.touches_of(gates_before, schedule.situation(uow, run))
    touches += [t for t in moved if t.before != t.after]
    if opening:
        touches += told_of_opening(interest.to_tell(uow, run) - told_before)
    if "client_id" in names and run.client_id:
        touches += others_paying(uow, run)
    clashing = clashes.of_run(uow, run)
    meeting_links.ask_for_links(uow, run, change.key)
    return outcome(uow, run, change.key, touches).widened(
        Outcome, made=clashes.only_in(clashing, clashed), healed=clashes.only_in(clashed, clashing)
    )


MOST_NAMED = 6


def others_paying(uow: UnitOfWork, run: Run) -> list[Touch]:
    """Who is on a run that becomes a client's and pays by another account: each stays as agreed, and is named."""
    query = (
        select(Person.name)
        .join(Enrollment, Enrollment.person_id == Person.id)
        .join(Account, Account.id == Enrollment.payer_id)
        .where(
            Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.role == Role.LEARNER,
            func.coalesce(Account.organization_id, 0) != run.client_id,
        )
        .order_by(Person.family, Person.given)
    )  # fmt: skip
    names = list(uow.session.scalars(query))
    if not names:
        return []
    shown = ", ".join(names[:MOST_NAMED]) + (
        f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    )
    stay = "sign-up stays" if len(names) == 1 else "sign-ups stay"
    return [Touch(label=f"{len(names)} {stay} with their own payer", before=shown, after="charged as agreed")]


def told_of_opening(number: int) -> list[Touch]:
    """Those on the interest lists who hear that sign-up opens, as a change shows them beforehand."""
    people = "1 person" if number == 1 else f"{number} people"
    after = f"{people} on the interest lists, within a minute or two"
    return [Touch(label="Told that sign-up opens", before="nobody", after=after)] if number > 0 else []


def change_kind(uow: UnitOfWork, run_id: int, command: KindCommand) -> Outcome:
    """Make a draft another kind of run. A cohort takes its first and last day as given, else from its dates; an open run has no
    dates, and those that were planned go; what counted from the start is refused then, by name."""
    run = seats.run_to_change(uow, run_id)
    if run.status != RunStatus.DRAFT:
        raise conflict(
            "not-a-draft", f"The run is {run.status}; its kind is changed only while it is a draft."
        )
    before, kind = run.kind, command.kind
    if before == kind and kind != RunKind.COHORT:
        raise conflict("nothing-to-do", f"The run is {kind} already.")
    faults: list[Fault] = []
    days = sorted(m.date for m in run.meetings)
    first = command.starts_on or run.starts_on or (days[0] if days else None)
    last = command.ends_on or run.ends_on or (days[-1] if days else None)
    if kind == RunKind.COHORT:
        if first is None:
            faults.append(Fault("/starts_on", "A cohort needs its first day."))
        if last is None:
            faults.append(Fault("/ends_on", "A cohort needs its last day."))
        if first and last and last < first:
            faults.append(Fault("/ends_on", "The last day is before the first."))
        outside = schedule.outside_fault(first, last, days)
        if outside:
            faults.append(Fault(f"/{outside[0]}", outside[1]))
    if kind == RunKind.DATED and not days:
        faults.append(Fault("/kind", "A dated run needs a meeting; add its dates first."))
    if kind == RunKind.OPEN:
        faults += open_faults(run, command)
    if faults:
        raise Refused(faults)
    run.kind = kind
    cohort = kind == RunKind.COHORT
    run.starts_on, run.ends_on = (first, last) if cohort else (None, None)
    if kind == RunKind.DATED:
        run.access_days, run.week_names = None, []
    elif command.access_days is not None:
        run.access_days = command.access_days
    if kind == RunKind.OPEN:
        run.all_meetings.clear()
        run.patterns.clear()
    uow.session.flush()
    gates.settle_gates(uow, run)
    change = uow.log(Act.CHANGE_THE_KIND, run.id, f"{run.code} is {kind} now, not {before}")
    touches = [Touch(label="Kind", before=before, after=kind)]
    if kind == RunKind.OPEN and days:
        touches.append(Touch(label="Meetings that go", before=None, after=str(len(days))))
    if cohort and first and last:
        touches.append(Touch(label="First day", before=None, after=first.isoformat()))
        touches.append(Touch(label="Last day", before=None, after=last.isoformat()))
    return outcome(uow, run, change.key, touches)


def open_faults(run: Run, command: KindCommand) -> list[Fault]:
    """What of a run counts from a start, which an open run has not."""
    faults = []
    if not (command.access_days or run.access_days):
        faults.append(
            Fault("/access_days", "An open run needs the number of days of access from enrollment.")
        )
    rules = [gates.rule_of(w.get(k)) for w in run.windows for k in ("opens", "closes")]
    rules.append(gates.rule_of(run.decision_rule))
    if any(r and r.days_before is not None for r in rules):
        faults.append(Fault("/kind", "Its gates count days before a start; give them dates first."))
    if any(s.days_before is not None for r in run.rates if r.active for s in r.early):
        faults.append(Fault("/kind", "Its early prices count days before a start; give them dates first."))
    if any(line.due.from_start for p in run.plans if p.active for line in plans.core_lines(p)):
        faults.append(Fault("/kind", "Its payment plans count from a start; change them first."))
    return faults


def capacity_fault(uow: UnitOfWork, top: Reader, run: Run, row: RunSeats, form: RunFacts) -> None:
    """A run cannot have fewer seats, with those beyond its capacity, than are taken or kept back for others. Both numbers are read
    as they will be, so that neither is lowered past what was promised, alone or with the other."""
    capacity, overbook = run.capacity, run.overbook
    if "capacity" in top.value:
        set_to = seats_given(form, run.kind)
        if set_to is None:
            top.fault("capacity", "The number of seats is missing.")
            return
        capacity = set_to
    if "overbook" in top.value:
        overbook = form.overbook or 0
    at, least = ("capacity", overbook) if "capacity" in top.value else ("overbook", capacity)
    kept, whole = seats.seats_of(uow, run, row).kept, capacity + overbook
    if whole < row.taken:
        top.fault(at, f"{row.taken} seats are taken; the run cannot have fewer.")
    elif whole < row.taken + kept:
        top.fault(
            at,
            f"{row.taken} seats are taken and {kept} are held, on offer or set aside; let go of some first, or keep"
            f" {row.taken + kept - least} {'seats' if at == 'capacity' else 'beyond the capacity'}.",
        )


def changed_facts(uow: UnitOfWork, top: Reader, run: Run, form: RunFacts, names: list[str]) -> Facts:
    """The facts as changed, each checked against what the run has besides."""
    facts = read_facts(uow, top, form, run)
    start, end = schedule.start_day(uow, run), schedule.end_day(uow, run)
    if {"windows", "sign_up_opens"} & set(names):
        window_faults(top, facts["windows"], start, run.kind, end)
    if "decision_rule" in names:
        decision_fault(top, facts["decision_rule"], start, end)
    if run.kind == RunKind.OPEN and "access_days" in names and not facts["access_days"]:
        top.fault("access_days", "An open run needs the number of days of access from enrollment.")
    if run.kind == RunKind.OPEN and "days_before" in (facts["decision_rule"] or {}):
        top.fault("decision_rule", "An open run has no start to count days from; give a date.")
    if "code" in names and not facts["code"]:
        top.fault("code", "The run code is missing.")
    return facts


def fact_words(name: str) -> str:
    """A fact of a run as people call it: its title without the article."""
    title = RunFacts.model_fields[name].title or name.replace("_", " ")
    return title.removeprefix("The ").removeprefix("Whether ")


RULE_WORDS = {"fit": "the next that fits is offered", "strict": "nobody passes the first"}


def said(value: object) -> str:
    """A value of a fact as people say it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ", ".join(map(str, value)) or "none"
    return "none" if value is None or value == "" else RULE_WORDS.get(str(value), str(value))


def replace_usual(uow: UnitOfWork, run: Run, name: str, wanted: str) -> None:
    """Set a run's usual place or instructor; its coming meetings that had the old one follow."""
    ahead = [m for m in run.meetings if m.ends_at > uow.now]
    if name == "instructor":
        had, those = teachers.text_of(run.teachers), teachers.named(uow, wanted)
        if had == teachers.text_of(those):
            return
        teachers.put(run, those)
        for m in ahead:
            if teachers.text_of(m.teachers) == had:
                teachers.put(m, those)
                m.sequence += 1
        return
    old, new = run.place, places.place_named(uow, wanted)
    if old is new:
        return
    places.put(run, new)
    for m in ahead:
        if m.place is old:
            places.put(m, new)
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
    uow.session.flush()
    told = told_of_opening(interest.to_tell(uow, run))
    change = uow.log(Act.PUBLISH, run.id, f"Published {run.code}")
    meeting_links.ask_for_links(uow, run, change.key)
    return outcome(uow, run, change.key, [Touch(label="Status", before="draft", after="published"), *told])
