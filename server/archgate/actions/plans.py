"""Payment plans of runs: read from forms, kept, shown."""

from __future__ import annotations

from typing import Any

from archgate.actions.problems import Problem
from archgate.actions.schedule import shown
from archgate.core import plans
from archgate.core.documents import PLAN_LINE_KEYS, read_plan_line
from archgate.core.faults import Fault
from archgate.core.money import format_amount, percent_text
from archgate.core.reader import Reader
from archgate.tables.courses import Run
from archgate.tables.plans import Plan, PlanLine

MOST_PLANS = 12


def core_line(line: PlanLine) -> plans.PlanLine:
    due = plans.Due(plans.DueKind(line.due_kind), line.due_number, line.due_on)
    return plans.PlanLine(due, line.percent, line.amount, line.parts, line.rest, plans.Settle(line.settle))


def plan_of(run: Run, plan_id: int | None) -> Plan:
    """The payment plan asked for, or the run's first active one."""
    found = next((p for p in run.plans if p.active and plan_id in (None, p.id)), None)
    if found is None:
        raise Problem(422, "no-plan", "The run has no such payment plan.")
    return found


def read_plans(
    top: Reader, currency: str, totals: list[int]
) -> list[tuple[int | None, str, tuple[plans.PlanLine, ...]]]:
    """The payment plans of a form as (id, name, lines); the lines must make the whole of every rate."""
    rows = top.rows("plans", "The payment plans", "id name lines", most=MOST_PLANS)
    if not rows:
        top.fault("plans", "At least one payment plan is needed.")
    found = []
    names: set[str] = set()
    for row in rows:
        number = row.whole("id", "The plan", 1, 2**62)
        name = (row.text("name", "The name of the plan", need=True) or "").strip()
        if len(name) > 200:
            row.fault("name", "The name is longer than 200 characters.")
        if name.casefold() in names:
            row.fault("name", f'Two plans are named "{name}".')
        names.add(name.casefold())
        read = [read_plan_line(r, currency) for r in row.rows("lines", "The lines", PLAN_LINE_KEYS)]
        lines = tuple(x for x in read if x)
        if len(lines) == len(read):
            wrong = plans.misfits_of(lines, totals or [0], currency)
            row.faults += [Fault(f"{row.at}{f.at}", f.message) for f in wrong[:3]]
        found.append((number, name, lines))
    return found


def misfits(run: Run, amounts: list[int]) -> list[str]:
    """What is wrong with the run's active plans for these amounts, in words that name the plan."""
    return [
        f"{plan.name}: {fault.message}"
        for plan in run.plans
        if plan.active
        for fault in plans.misfits_of(tuple(core_line(x) for x in plan.lines), amounts, run.currency)
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


def settle_plans(run: Run, read: list[tuple[int | None, str, tuple[plans.PlanLine, ...]]]) -> None:
    """Bring a run's plans in step with a form. A plan left out is kept, inactive; people may have agreed to it."""
    kept = {p.id: p for p in run.plans}
    seen = set()
    for number, name, lines in read:
        row = kept.get(number) if number else None
        if row is None:
            run.plans.append(Plan(name=name, active=True, lines=plan_rows(lines)))
            continue
        seen.add(row.id)
        row.name, row.active = name, True
        if tuple(core_line(x) for x in row.lines) != lines:
            row.lines = plan_rows(lines)
    for row in kept.values():
        if row.id not in seen:
            row.active = False


def plan_view(plan: Plan, currency: str) -> dict[str, Any]:
    every = tuple(core_line(x) for x in plan.lines)
    lines = [
        {
            "percent": None if row.percent is None else percent_text(row.percent),
            "amount": None if row.amount is None else format_amount(row.amount, currency),
            "parts": row.parts,
            "rest": row.rest,
            "due": {row.due_kind: shown(row.due_on) if row.due_on else row.due_number},
            "settle": row.settle,
            "text": f"{plans.share_text(line, every, currency)}, {plans.due_text(line.due)}",
        }
        for row, line in zip(plan.lines, every, strict=True)
    ]
    return {"id": plan.id, "name": plan.name, "lines": lines}


def plan_document(plan: Plan, currency: str) -> dict[str, Any]:
    """A plan as a form sends it, without its id: what a course keeps as its default."""
    view = plan_view(plan, currency)
    lines = [
        {k: v for k, v in line.items() if k != "text" and v not in (None, False)} for line in view["lines"]
    ]
    return {"name": plan.name, "lines": lines}
