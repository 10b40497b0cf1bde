"""The gates of runs as rows: worked out by the core, kept beside their rules so that lists filter in SQL."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime
from typing import TypeAlias
from zoneinfo import ZoneInfo

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule.schedule import CLOSED, schedule_of
from archgate.core import gates as core_gates
from archgate.core.gates import Rule, Window
from archgate.core.states import Decision, RunKind
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Run
from archgate.tables.schedule import Gate
from archgate.tables.seats import SetAside


def rule_of(kept: object) -> Rule | None:
    """A stored gate rule as the core sees it."""
    if not isinstance(kept, dict):
        return None
    day, days = kept.get("on"), kept.get("days_before")
    if isinstance(day, str):
        return Rule(date.fromisoformat(day))
    return Rule(days_before=days) if isinstance(days, int) else None


def windows_of(run: Run) -> tuple[Window, ...]:
    return tuple(Window(rule_of(w.get("opens")), rule_of(w.get("closes"))) for w in run.windows) or (
        Window(),
    )


def read_rule(row: Reader, key: str, name: str) -> Document | None:
    """A gate rule of a form: {"on": date} or {"days_before": n}."""
    if not row.has(key):
        return None
    inner = row.inner(key, name, "on days_before")
    if inner is None or inner.one_of(("on", "days_before"), True, name) is None:
        return None
    day, days = (
        inner.day("on", name),
        inner.whole("days_before", f"The days before the start of {name.lower()}", 0, 3660),
    )
    return {"on": day.isoformat()} if day else None if days is None else {"days_before": days}


def is_open(run: Run) -> bool:
    return run.kind == RunKind.OPEN


def core_gates_of(run: Run, zone: ZoneInfo) -> tuple[core_gates.Gate, ...]:
    """The gates that the core works out for a run as it is stored."""
    ends: dict[tuple[date | None, int | None], list[str]] = {}
    stepped = [r for r in run.rates if r.active and r.early]
    for rate in stepped:
        for step in rate.early:
            ends.setdefault((step.until, step.days_before), []).append(rate.label)
    early = tuple(
        (
            until,
            days,
            "Early price ends" + ("" if len(set(labels)) == len(stepped) else f" ({', '.join(labels)})"),
        )
        for (until, days), labels in ends.items()
    )
    cohort = None
    if run.starts_on and run.ends_on:
        cohort = core_gates.Cohort(run.starts_on, run.ends_on, run.access_days)
    decision = (
        Rule(run.decision_until)
        if run.decision == Decision.WAITS and run.decision_until
        else rule_of(run.decision_rule)
    )
    return core_gates.gates_of(
        schedule_of(run).meetings,
        zone,
        windows_of(run),
        early,
        decision,
        cohort,
        is_open(run),
    )


def settle_gates(uow: UnitOfWork, run: Run) -> None:
    """Bring the stored gates in step with dates, fees and rules, under the run's lock; rows that did not change stay.

    What no longer holds goes before what is new comes: a run has each gate once. The gates of a run that was cancelled or
    put away stand as they were: they say when it would have been, though none of its meetings is held.
    """
    if run.status in CLOSED:
        return
    settle_set_asides(uow, run)
    wanted = wanted_gates(uow, run)
    run.gates = [row for row in run.gates if _gate_facts(row) in wanted]
    uow.session.flush()
    present = {_gate_facts(row) for row in run.gates}
    run.gates += [
        Gate(kind=g.kind, rule=g.rule, day=g.day, at=g.at, label=g.label, n=g.n)
        for facts, g in wanted.items()
        if facts not in present
    ]
    uow.session.flush()
    uow.session.refresh(run, ["gates"])


def has_ended(run: Run, now: datetime) -> bool:
    return any(g.kind == "ends" and g.at <= now for g in run.gates)


def settle_set_asides(uow: UnitOfWork, run: Run) -> None:
    """Seats set aside until so many days before the start follow the start, as every gate does."""
    rows = uow.session.scalars(
        select(SetAside).where(SetAside.run_id == run.id, SetAside.active, SetAside.days_before.is_not(None))
    ).all()
    if not rows:
        return
    start = next((g.day for g in core_gates_of(run, uow.zone) if g.kind == "starts"), None)
    for row in rows:
        row.last = core_gates.last_early_day(None, row.days_before, start) or row.last


def wanted_gates(uow: UnitOfWork, run: Run) -> dict[GateFacts, core_gates.Gate]:
    """The gates a run should have, by their facts."""
    return {_gate_facts(g): g for g in (*core_gates_of(run, uow.zone), *set_aside_gates(uow, run))}


def wrong_gates(uow: UnitOfWork, run: Run) -> tuple[list[str], list[str]]:
    """Gates that stand without a reason (or twice), and those that dates, fees and rules give and that do not stand."""
    present = Counter(_gate_facts(row) for row in run.gates)
    wanted = Counter(wanted_gates(uow, run).keys())
    return _gates_said(present - wanted), _gates_said(wanted - present)


def _gates_said(facts: Counter[GateFacts]) -> list[str]:
    return [
        f'{kind} {n} "{label}" ({rule}, {at:%Y-%m-%d %H:%M} UTC)'
        for kind, rule, _, at, label, n in facts.elements()
    ]


def set_aside_gates(uow: UnitOfWork, run: Run) -> list[core_gates.Gate]:
    """When seats set aside for a group are anybody's."""
    rows = uow.session.scalars(select(SetAside).where(SetAside.run_id == run.id, SetAside.active)).all()
    return [
        core_gates.Gate(
            "set-aside seats released",
            Rule(None if r.days_before is not None else r.last, r.days_before).text,
            r.last,
            core_gates.day_over(r.last, uow.zone),
            f"{r.seats} {'seat' if r.seats == 1 else 'seats'} of {r.name} released"[:200],
            r.id,
        )
        for r in sorted(rows, key=lambda r: (r.last, r.id))
    ]


GateFacts: TypeAlias = tuple[str, str, date, datetime, str, int | None]


def _gate_facts(row: Gate | core_gates.Gate) -> GateFacts:
    return row.kind, row.rule, row.day, row.at, row.label, row.n


def gate_at(run: Run, kind: str) -> datetime | None:
    """The moment of the first gate of a kind."""
    return min((g.at for g in run.gates if g.kind == kind), default=None)


def sign_up_windows(run: Run) -> tuple[tuple[datetime | None, datetime | None], ...]:
    """Each window's stored moments of opening and closing."""
    opens = {g.n: g.at for g in run.gates if g.kind == "sign-up opens"}
    closes = {g.n: g.at for g in run.gates if g.kind == "sign-up closes"}
    return tuple((opens.get(n), closes.get(n)) for n in range(1, max(1, len(run.windows)) + 1))


def last_closing(run: Run) -> date | None:
    return max((g.day for g in run.gates if g.kind == "sign-up closes"), default=None)
