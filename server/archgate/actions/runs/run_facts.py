"""What a person types about a run itself, read from its form, and what is wrong with it."""

from __future__ import annotations

from datetime import date
from typing import TypedDict

from sqlalchemy import select

from archgate.actions.fees import terms
from archgate.actions.kernel import lookups
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs.commands import RunCommand, RunFacts
from archgate.actions.schedule import gates
from archgate.core import fees as core_fees
from archgate.core import gates as core_gates
from archgate.core import plans as core_plans
from archgate.core.faults import Fault
from archgate.core.schedule import day_text
from archgate.core.seats import NO_LIMIT
from archgate.core.states import RunKind
from archgate.core.waitlist import Rule
from archgate.documents.reader import ZONES, Document, Reader
from archgate.tables.courses import Run


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
    rules = [gates.rule_of(w.get(k)) for w in facts["windows"] for k in ("opens", "closes")]
    rules.append(gates.rule_of(facts["decision_rule"]))
    if any(r and r.days_before is not None for r in rules) or any(
        s.days_before is not None for r in rates for s in r.early
    ):
        top.fault("kind", "An open run has no start; give dates instead of days before the start.")
    if any(line.due.from_start for lines in every_plan for line in lines):
        top.fault("plans", "An open run has no start by which a line could fall due.")


def decision_fault(top: Reader, rule: object, start: date | None, end: date | None) -> None:
    """A decision that comes when all is over decides nothing."""
    kept = gates.rule_of(rule)
    day = kept.day(start) if kept else None
    if day and end and day > end:
        top.fault(
            "decision_rule", f"The decision day, {day_text(day)}, is after the run ends on {day_text(end)}."
        )


def window_faults(
    top: Reader, windows: list[Document], start: date | None, kind: str, end: date | None = None
) -> None:
    kept = tuple(
        core_gates.Window(gates.rule_of(w.get("opens")), gates.rule_of(w.get("closes"))) for w in windows
    )
    for n, what, sentence in core_gates.window_faults(kept, start, kind == "open", end):
        if top.has("windows"):
            top.faults.append(Fault(f"{top.at}/windows/{n}/{what}", sentence))
        else:
            top.fault("sign_up_opens", sentence)


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
    time_zone: str


def seats_given(form: RunFacts, kind: RunKind | str) -> int | None:
    """The number of seats as typed; an open run without one takes as many as come."""
    return NO_LIMIT if form.capacity is None and kind == RunKind.OPEN else form.capacity


def read_facts(
    uow: UnitOfWork, top: Reader, form: RunFacts, run: Run | None, kind: RunKind = RunKind.DATED
) -> Facts:
    """What a person types about a run itself; with `run`, only what was given and may change. An open run needs no number of
    seats: without one it takes as many as come."""
    given = seats_given(form, run.kind if run else kind)
    if given is None and run is None:
        top.fault("capacity", "The number of seats is missing.")
    if form.time_zone and form.time_zone not in ZONES:
        top.fault("time_zone", f'"{form.time_zone}" is not a time zone, like America/New_York.')
    if lookups.lacks_organization(uow, form.client_id):
        top.fault("client_id", lookups.NO_ORGANIZATION)
    capacity = given if run is None or top.has("capacity") else run.capacity
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
        "capacity": given,
        "smallest": form.smallest or 0,
        "windows": read_windows(top, form, run),
        "decision_rule": gates.read_rule(top, "decision_rule", "The decision day"),
        "week_names": form.week_names or [],
        "access_days": form.access_days,
        "client_id": form.client_id,
        "overbook": form.overbook or 0,
        "line_rule": str(form.line_rule or Rule.FIT),
        "auto_offer": form.auto_offer is not False,
        "offer_hours": form.offer_hours or 36,
        "hold_hours": form.hold_hours,
        "told": terms.told_in_order(form.told) if form.told is not None else None,
        "time_zone": form.time_zone or (run.time_zone if run else uow.center.time_zone),
    }


def read_windows(top: Reader, form: RunFacts, run: Run | None) -> list[Document]:
    """Sign-up windows of a form; `sign_up_opens` alone is the opening date of the first."""
    if top.has("windows"):
        return [
            {
                "opens": gates.read_rule(w, "opens", "The opening of sign-up"),
                "closes": gates.read_rule(w, "closes", "The close of sign-up"),
            }
            for w in top.rows("windows", "The sign-up windows", "opens closes", most=12)
        ]
    opens = form.sign_up_opens
    kept = [dict(w) for w in run.windows] if run else []
    if opens is None and not kept:
        return []
    first = kept[0] if kept else {"opens": None, "closes": None}
    return [{**first, "opens": {"on": opens.isoformat()} if opens else None}, *kept[1:]]
