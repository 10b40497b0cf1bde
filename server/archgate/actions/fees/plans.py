"""Payment plans: of a run, and of the center for any run or for some courses.

A plan that somebody agreed to keeps its lines: a change makes a new row in its place, and the old one stays, inactive.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import NotRequired, TypeAlias, TypedDict

from sqlalchemy import select
from sqlalchemy.orm import object_session

from archgate.actions.fees.term_commands import PlanCommand, PlanPatch
from archgate.actions.fees.views import (
    CenterPlan,
    CourseName,
    DueView,
    InstallmentView,
    PlanChange,
    PlanDone,
    PlanLineOut,
    PlanOut,
)
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.problems import Problem, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.schedule import gates
from archgate.core import plans
from archgate.core.faults import Fault, Refused
from archgate.core.money import decimal_text, format_amount
from archgate.documents.calculators import PLAN_LINE_KEYS, read_plan_line
from archgate.documents.reader import Document, Reader
from archgate.tables.access import User
from archgate.tables.courses import Course, Run
from archgate.tables.log import Change
from archgate.tables.plans import Plan, PlanLine
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting

MOST_PLANS = 12
PLAN_KEYS = "id name note details lines"


class Facts(TypedDict):
    """What a plan says beside its lines."""

    name: str
    note: str
    details: bool
    course_ids: NotRequired[list[int]]
    replaces_id: NotRequired[int | None]


Read: TypeAlias = tuple[int | None, Facts, tuple[plans.PlanLine, ...]]


def core_line(line: PlanLine) -> plans.PlanLine:
    due = plans.Due(plans.DueKind(line.due_kind), line.due_number, line.due_on)
    return plans.PlanLine(due, line.percent, line.amount, line.parts, line.rest, plans.Settle(line.settle))


def core_lines(plan: Plan) -> tuple[plans.PlanLine, ...]:
    return tuple(core_line(x) for x in plan.lines)


def of_the_center(uow: UnitOfWork) -> list[Plan]:
    """The plans that any run may offer, in their order."""
    query = select(Plan).where(Plan.run_id.is_(None), Plan.active).order_by(Plan.position, Plan.id)
    return list(uow.session.scalars(query))


def offered(uow: UnitOfWork, run: Run) -> list[Plan]:
    """The plans a sign-up can choose from: the run's own, then those of the center that its course may use."""
    own = [p for p in run.plans if p.active]
    of_center = uow.center_plans
    if of_center is None:
        of_center = of_the_center(uow)
    free = [
        p
        for p in of_center
        if (not p.course_ids or run.course_id in p.course_ids)
        and not (gates.is_open(run) and any(x.due.from_start for x in core_lines(p)))
        and (run.currency == uow.center.currency or all(x.amount is None for x in p.lines))
        and not any(p.name.casefold() == o.name.casefold() for o in own)
    ]
    return own + free


def plan_of(uow: UnitOfWork, run: Run, plan_id: int | None) -> Plan:
    """The payment plan asked for, or the run's first active one."""
    plan = next((p for p in offered(uow, run) if plan_id in (None, p.id)), None)
    if plan is None:
        raise Problem(422, "no-plan", "The run has no such payment plan.")
    return plan


# --- from forms -------------------------------------------------------------------------------------------


def read_plan(row: Reader, currency: str, totals: list[int]) -> tuple[Facts, tuple[plans.PlanLine, ...]]:
    """One plan of a form; its lines must make the whole of every total."""
    name = (row.text("name", "The name of the plan", need=True) or "").strip()
    note = str(row.value.get("note") or "")
    details = row.flag("details", "Whether payment details are taken at sign-up")
    read = [read_plan_line(r, currency) for r in row.rows("lines", "The lines", PLAN_LINE_KEYS)]
    lines = tuple(x for x in read if x)
    if len(lines) == len(read):
        wrong = plans.misfits_of(lines, totals or [0], currency)
        row.faults += [Fault(f"{row.at}{f.at}", f.message) for f in wrong[:3]]
    return {"name": name, "note": note, "details": details}, lines


def read_plans(top: Reader, currency: str, totals: list[int]) -> list[Read]:
    """The payment plans of a run's form as (id, facts, lines)."""
    rows = top.rows("plans", "The payment plans", PLAN_KEYS, most=MOST_PLANS)
    if not rows:
        top.fault("plans", "At least one payment plan is needed.")
    plans_read: list[Read] = []
    names: set[str] = set()
    for row in rows:
        number = row.whole("id", "The plan", 1, 2**62)
        facts, lines = read_plan(row, currency, totals)
        if facts["name"].casefold() in names:
            row.fault("name", f'Two plans are named "{facts["name"]}".')
        names.add(facts["name"].casefold())
        plans_read.append((number, facts, lines))
    return plans_read


def misfits(run: Run, totals: list[int]) -> list[str]:
    """What is wrong with the run's active plans for these totals, in words that name the plan."""
    return [
        f"{plan.name}: {fault.message}"
        for plan in run.plans
        if plan.active
        for fault in plans.misfits_of(core_lines(plan), totals, run.currency)
    ]


def plan_rows(lines: tuple[plans.PlanLine, ...]) -> list[PlanLine]:
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


def plan_row(facts: Facts, lines: tuple[plans.PlanLine, ...], position: int) -> Plan:
    kept: Facts = {"course_ids": [], **facts}
    return Plan(**kept, active=True, position=position, lines=plan_rows(lines))


def agreed_to(uow: UnitOfWork, plan: Plan) -> bool:
    return any(
        uow.session.scalar(select(table.id).where(table.plan_id == plan.id).limit(1))
        for table in (Enrollment, Waiting)
    )


def settle_plans(uow: UnitOfWork, run: Run, read: list[Read]) -> None:
    """Bring a run's plans in step with a form. A plan left out is kept, inactive; people may have agreed to it."""
    kept = {p.id: p for p in run.plans}
    seen = set()
    for position, (number, facts, lines) in enumerate(read, 1):
        row = kept.get(number) if number else None
        if row is not None:
            seen.add(row.id)
            same = core_lines(row) == lines and row.details == facts["details"]
            if same or not agreed_to(uow, row):
                row.active, row.position = True, position
                put_plan(row, facts, lines)
                continue
            row.active = False
        run.plans.append(plan_row({**facts, "replaces_id": row.id if row else None}, lines, position))
    for row in kept.values():
        if row.id not in seen:
            row.active = False


def put_plan(row: Plan, facts: Facts, lines: tuple[plans.PlanLine, ...]) -> None:
    for name, value in facts.items():
        setattr(row, name, value)
    if core_lines(row) != lines:
        # The old lines go before the new ones come: both are numbered from 1.
        row.lines = []
        session = object_session(row)
        if session is not None:
            session.flush()
        row.lines = plan_rows(lines)


# --- shown ------------------------------------------------------------------------------------------------


def plan_view(plan: Plan, currency: str) -> PlanOut:
    every = core_lines(plan)
    lines = [
        PlanLineOut(
            percent=None if row.percent is None else decimal_text(row.percent),
            amount=None if row.amount is None else format_amount(row.amount, currency),
            parts=row.parts,
            rest=row.rest,
            due={row.due_kind: row.due_on.isoformat() if row.due_on else row.due_number},
            settle=row.settle,
            text=f"{plans.share_text(line, every, currency)}, {plans.due_text(line.due)}",
        )
        for row, line in zip(plan.lines, every, strict=True)
    ]
    return PlanOut(
        id=plan.id,
        name=plan.name,
        note=plan.note,
        details=plan.details,
        lines=lines,
        of_center=plan.run_id is None,
    )


def plan_document(plan: Plan, currency: str) -> Document:
    """A plan as a form sends it, without its id: what a course keeps as its default."""
    view = plan_view(plan, currency)
    lines = [
        {k: v for k, v in line.model_dump(mode="json").items() if k != "text" and v not in (None, False)}
        for line in view.lines
    ]
    notes: dict[str, object] = {k: v for k, v in (("note", view.note), ("details", view.details)) if v}
    return {"name": plan.name, **notes, "lines": lines}


# --- plans of the center ----------------------------------------------------------------------------------


def list_plans(uow: UnitOfWork) -> list[CenterPlan]:
    """The center's plans, those in use first, each with how many sign-ups agreed to it or to what it replaced."""
    rows = uow.session.scalars(select(Plan).where(Plan.run_id.is_(None))).all()
    replaced = {p.replaces_id for p in rows}
    last = [p for p in rows if p.id not in replaced]
    return [center_view(uow, p) for p in sorted(last, key=lambda p: (not p.active, p.position, p.id))]


def center_view(uow: UnitOfWork, plan: Plan) -> CenterPlan:
    names = dict(
        uow.session.execute(
            select(Course.id, Course.title).where(Course.id.in_(plan.course_ids or [0]))
        ).all()
    )
    ids = [p.id for p in line_of(uow, plan)]
    agreed = uow.session.scalars(select(Enrollment.id).where(Enrollment.plan_id.in_(ids))).all()
    return plan_view(plan, uow.center.currency).widened(
        CenterPlan,
        active=plan.active,
        agreed=len(agreed),
        courses=[CourseName(id=i, title=names[i]) for i in plan.course_ids if i in names],
    )


def line_of(uow: UnitOfWork, plan: Plan) -> list[Plan]:
    """A plan and everything it replaced, newest first."""
    line = [plan]
    while line[-1].replaces_id is not None:
        line.append(uow.session.get_one(Plan, line[-1].replaces_id))
    return line


def get_plan(uow: UnitOfWork, plan_id: int, to_change: bool = False) -> Plan:
    """A plan of the center; `to_change` locks its row."""
    plan = lock_row(uow, Plan, plan_id) if to_change else uow.session.get(Plan, plan_id)
    if plan is None or plan.run_id is not None:
        raise not_found("This payment plan")
    return plan


def plan_log(uow: UnitOfWork, plan_id: int) -> list[PlanChange]:
    """Who changed a plan of the center and how, newest first, through everything it replaced."""
    ids = [p.id for p in line_of(uow, get_plan(uow, plan_id))]
    query = (
        select(Change, User.name)
        .outerjoin(User, User.id == Change.user_id)
        .where(Change.subject == "plan", Change.subject_id.in_(ids))
        .order_by(Change.id.desc())
        .limit(100)
    )
    return [
        PlanChange(key=c.key, at=uow.local(c.at), by=name or "", text=c.summary)
        for c, name in uow.session.execute(query)
    ]


def read_center_plan(
    uow: UnitOfWork, top: Reader, present: Plan | None, course_ids: list[int] | None
) -> tuple[Facts, tuple[plans.PlanLine, ...]]:
    """A plan of the center. Amounts alone fit only some totals, so percents, parts or a rest are needed."""
    faults_before = len(top.faults)
    facts, lines = read_plan(top, uow.center.currency, [0])
    if lines and all(x.amount is not None for x in lines):
        top.fault("lines", "Amounts alone make one total only; make the last line the rest.")
    named = select(Plan.id).where(Plan.run_id.is_(None), Plan.active, Plan.name == facts["name"])
    if present is not None:
        named = named.where(Plan.id != present.id)
    if len(top.faults) == faults_before and uow.session.scalar(named):
        top.fault("name", f'There is a plan "{facts["name"]}" already.')
    ids = course_ids or []
    if set(ids) - set(uow.session.scalars(select(Course.id).where(Course.id.in_(ids or [0])))):
        top.fault("course_ids", "There is no such course.")
    facts["course_ids"] = sorted(set(ids))
    return facts, lines


def make_plan(uow: UnitOfWork, command: PlanCommand) -> PlanDone:
    faults: list[Fault] = []
    top = Reader(document(command), "", faults, "name note details lines course_ids")
    facts, lines = read_center_plan(uow, top, None, command.course_ids)
    if faults:
        raise Refused(faults)
    last = max(
        (p.position for p in uow.session.scalars(select(Plan).where(Plan.run_id.is_(None)))), default=0
    )
    row = Plan(**facts, active=True, position=last + 1, lines=plan_rows(lines))
    uow.session.add(row)
    uow.session.flush()
    change = uow.log(
        Act.MAKE_A_PLAN, row.id, f"Made the plan {row.name}: {lines_text(row, uow.center.currency)}"
    )
    return PlanDone(change=change.key, plan=center_view(uow, row))


def lines_text(plan: Plan, currency: str) -> str:
    return "; ".join(x.text for x in plan_view(plan, currency).lines)


def change_plan(uow: UnitOfWork, plan_id: int, command: PlanPatch) -> PlanDone:
    """Change a plan for sign-ups from now on, or with `active` take it out of use and back."""
    plan = get_plan(uow, plan_id, to_change=True)
    faults: list[Fault] = []
    typed, now = document(command.set), plan_document(plan, uow.center.currency)
    keys = "name note details lines course_ids"
    given = {k: v for k, v in typed.items() if k != "active"}
    form = Reader({**now, "course_ids": plan.course_ids, **given}, "/set", faults, keys)
    course_ids = command.set.course_ids if "course_ids" in typed else plan.course_ids
    facts, lines = read_center_plan(uow, form, plan, course_ids)
    active = plan.active if command.set.active is None else command.set.active
    if faults:
        raise Refused(faults)
    stands = {
        "name": plan.name,
        "note": plan.note,
        "details": plan.details,
        "course_ids": plan.course_ids,
        "active": plan.active,
    }
    refuse_lost_update({k: v for k, v in typed.items() if k != "lines"}, document(command.seen), stands)
    before = lines_text(plan, uow.center.currency)
    changed = core_lines(plan) != lines or plan.details != facts["details"]
    if changed and agreed_to(uow, plan):
        plan.active = False
        uow.session.flush()
        new = Plan(
            **facts, active=active, position=plan.position, replaces_id=plan.id, lines=plan_rows(lines)
        )
        uow.session.add(new)
        uow.session.flush()
    else:
        new = plan
        new.active = active
        put_plan(new, facts, lines)
        uow.session.flush()
    after = lines_text(new, uow.center.currency)
    told = f"from {before} to {after}" if before != after else "" if active else "no longer in use"
    change = uow.log(Act.CHANGE_A_PLAN, new.id, f"Changed the plan {new.name}{', ' if told else ''}{told}")
    return PlanDone(change=change.key, plan=center_view(uow, new))


def example(
    lines: Iterable[plans.PlanLine], total: int, signed_up: date, start: date | None, currency: str
) -> DueView:
    """The installments of a plan for a total, as screens show them."""
    return due_view(plans.installments_of(tuple(lines), total, signed_up, start, currency), currency)


def due_view(due: plans.Installments, currency: str) -> DueView:
    return DueView(
        installments=[
            InstallmentView(
                n=i.n, due=i.due, amount=format_amount(i.amount, currency), settle=i.settle, why=i.why
            )
            for i in due.installments
        ],
        due_now=format_amount(due.due_now, currency),
        due_later=format_amount(due.due_later, currency),
    )
