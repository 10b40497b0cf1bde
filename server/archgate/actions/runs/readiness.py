"""What would stop a learner, or should be looked at, before a run is published; each leads to its field."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy import select

from archgate.actions.fees import fees, plans, prices
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import ClashOut
from archgate.actions.runs import publication
from archgate.actions.schedule import clashes, gates, schedule
from archgate.core.facts import mismatches
from archgate.core.gates import last_early_day, window_faults
from archgate.core.schedule import day_text
from archgate.core.states import RunKind, RunStatus
from archgate.tables.courses import Run
from archgate.tables.teaching import PreparedRun


@dataclass(frozen=True)
class Finding:
    """`at` is the place on the run's pages that mends it; an error keeps the run from being published."""

    at: str
    message: str
    error: bool = True


def readiness(uow: UnitOfWork, run: Run, clashing: list[ClashOut] | None = None) -> list[Finding]:
    """Errors first, then warnings, each in the order of the pages. `clashing`: the run's clashes, where they are known."""
    findings = [*date_findings(uow, run), *fee_findings(uow, run), *fact_findings(run)]
    findings += [
        Finding("/publication", c.sentence, error=False) for c in publication.contradictions_of(uow, run)
    ]
    findings += clash_findings(clashes.of_run(uow, run) if clashing is None else clashing)
    return sorted(findings, key=lambda f: not f.error)


def date_findings(uow: UnitOfWork, run: Run) -> list[Finding]:
    opens = gates.gate_at(run, "sign-up opens")
    closing = [at for _, at in gates.sign_up_windows(run) if at]
    findings = []
    if not run.meetings and run.kind == RunKind.DATED:
        findings.append(Finding("/dates", "The run has no meeting."))
    if closing and max(closing) <= uow.now and run.status == RunStatus.DRAFT:
        usual = "" if any(w.get("closes") for w in run.windows) else ": it ends the day before the start"
        findings.append(Finding("/dates", f"Sign-up would already be closed{usual}."))
    start = schedule.start_day(uow, run)
    for _, _, sentence in window_faults(gates.windows_of(run), start, gates.is_open(run)):
        findings.append(Finding("/sign_up_opens", sentence))
    if run.starts_on and run.ends_on:
        for m in run.meetings:
            if not run.starts_on <= m.date <= run.ends_on:
                findings.append(
                    Finding("/dates", f"The meeting on {day_text(m.date)} is outside the cohort's days.")
                )
    if opens and opens > uow.now and run.status == RunStatus.DRAFT:
        findings.append(
            Finding("/sign_up_opens", "Sign-up is not open yet on the day it is published.", error=False)
        )
    for meeting in schedule.schedule_of(run).meetings:
        findings += [Finding("/dates", w, error=False) for w in meeting.warnings]
    days = [m.date for m in run.meetings]
    twice = sorted({d for d in days if days.count(d) > 1})
    if twice:
        findings.append(Finding("/dates", f"There are two meetings on {day_text(twice[0])}.", error=False))
    return findings


def fee_findings(uow: UnitOfWork, run: Run) -> list[Finding]:
    findings = []
    rates = fees.rates_of(run)
    if not rates:
        findings.append(Finding("/rates", "The run has no rate."))
    if run.status == RunStatus.DRAFT and all(r.amount == 0 for r in rates) and is_unpriced(uow, run):
        findings.append(Finding("/rates", "The price is still to be said; whoever prepared the run may not."))
    if not any(p.active for p in run.plans):
        findings.append(Finding("/plans", "The run has no payment plan."))
    findings += [
        Finding("/plans", sentence) for sentence in plans.misfits(run, fees.whole_totals(fees.core_fees(run)))
    ]
    start = fees.start_of(uow, run)
    for rate in rates:
        for step in rate.early:
            last = last_early_day(step.until, step.days_before, start)
            if last and last < uow.today and run.status == RunStatus.DRAFT:
                why = f"The early price of {rate.label} ended on {day_text(last)}."
                findings.append(Finding("/rates", why, error=False))
    findings += [Finding("/rates", sentence, error=False) for sentence in prices.warnings(uow, run)]
    for extra in run.extras:
        if extra.active and extra.required and extra.item and extra.item.on_hand < run.capacity:
            why = f"{extra.item.on_hand} of {extra.item.name} are in stock for {run.capacity} seats, and each takes one."
            findings.append(Finding("/extras", why, error=False))
    return findings


def is_unpriced(uow: UnitOfWork, run: Run) -> bool:
    """Whether an instructor prepared a run for which nobody has said a price."""
    query = select(PreparedRun.run_id).where(PreparedRun.run_id == run.id, PreparedRun.unpriced)
    return uow.session.scalar(query) is not None


def fact_findings(run: Run) -> list[Finding]:
    findings = []
    if not run.teachers and not any(m.teachers for m in run.meetings):
        findings.append(Finding("/instructor", "The run has no instructor.", error=False))
    if run.place is None and run.kind != RunKind.OPEN and not any(m.place for m in run.meetings):
        findings.append(Finding("/place", "The run has no place.", error=False))
    dates = schedule.schedule_of(run)
    for at, text in (
        ("/title", run.title or run.course.title),
        ("/course", run.course.summary),
        ("/note", run.note),
    ):
        findings += [Finding(at, sentence, error=False) for sentence in mismatches(text, dates)]
    return findings


def clash_findings(clashing: list[ClashOut]) -> list[Finding]:
    """Clashes that nobody accepted; they do not keep a run from being published."""
    counted = Counter(c.text for c in clashing if c.accepted is None)
    return [
        Finding("/clashes", sentence + (f" ({n} times)" if n > 1 else ""), error=False)
        for sentence, n in counted.items()
    ]
