"""What would stop a learner, or should be looked at, before a run is published; each leads to its field."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from archgate.actions import fees, plans, schedule
from archgate.actions.transaction import Deed
from archgate.core.gates import last_early_day
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.tables.courses import Run


@dataclass(frozen=True)
class Finding:
    """`at` is the place on the run's pages that mends it; an error keeps the run from being published."""

    at: str
    message: str
    error: bool = True


def readiness(deed: Deed, run: Run) -> list[Finding]:
    """Errors first, then warnings, each in the order of the pages."""
    found = [*date_findings(deed, run), *fee_findings(deed, run), *fact_findings(run)]
    return sorted(found, key=lambda f: not f.error)


def date_findings(deed: Deed, run: Run) -> list[Finding]:
    closes, opens = schedule.gate_at(run, "sign-up closes"), schedule.gate_at(run, "sign-up opens")
    found = []
    if not run.meetings:
        found.append(Finding("/dates", "The run has no meeting."))
    if closes and closes <= deed.now and run.status == "draft":
        why = "Sign-up would already be closed: it ends the day before the first meeting."
        found.append(Finding("/dates", why))
    if opens and closes and opens >= closes:
        found.append(Finding("/sign_up_opens", "Sign-up would open after it closes."))
    if opens and opens > deed.now and run.status == "draft":
        found.append(
            Finding("/sign_up_opens", "Sign-up is not open yet on the day it is published.", error=False)
        )
    for meeting in schedule.schedule_of(run).meetings:
        found += [Finding("/dates", w, error=False) for w in meeting.warnings]
    days = [m.date for m in run.meetings]
    twice = sorted({d for d in days if days.count(d) > 1})
    if twice:
        found.append(Finding("/dates", f"There are two meetings on {day_text(twice[0])}.", error=False))
    return found


def fee_findings(deed: Deed, run: Run) -> list[Finding]:
    found = []
    rates = fees.rates_of(run)
    if not rates:
        found.append(Finding("/rates", "The run has no rate."))
    if not any(p.active for p in run.plans):
        found.append(Finding("/plans", "The run has no payment plan."))
    found += [Finding("/plans", said) for said in plans.misfits(run, [r.amount for r in rates])]
    start = fees.start_of(deed, run)
    for rate in rates:
        for step in rate.early:
            last = last_early_day(step.until, step.days_before, start)
            if last and run.sign_up_opens and last < run.sign_up_opens:
                why = f"The early price of {rate.label} ends on {day_text(last)}, before sign-up opens."
                found.append(Finding("/rates", why, error=False))
            elif last and last < deed.today and run.status == "draft":
                found.append(
                    Finding(
                        "/rates", f"The early price of {rate.label} ended on {day_text(last)}.", error=False
                    )
                )
    return found + unusual_fee(deed, run)


def unusual_fee(deed: Deed, run: Run) -> list[Finding]:
    """A question when the first fee is far from what the course's other runs take: under half or over double."""
    rates = fees.rates_of(run)
    others = deed.session.scalars(
        select(Run).where(Run.course_id == run.course_id, Run.id != run.id, Run.currency == run.currency)
    ).all()
    amounts = sorted(r.amount for other in others for r in fees.rates_of(other)[:1])
    if not rates or not amounts:
        return []
    middle, now = amounts[(len(amounts) - 1) // 2], rates[0].amount
    if middle and not middle / 2 <= now <= middle * 2:
        said = f"{format_amount(now, run.currency)} is far from the {format_amount(middle, run.currency)} of the course's other runs."
        return [Finding("/rates", said, error=False)]
    return []


def fact_findings(run: Run) -> list[Finding]:
    found = []
    if not run.instructor.strip():
        found.append(Finding("/instructor", "The run has no instructor.", error=False))
    if not run.place.strip():
        found.append(Finding("/place", "The run has no place.", error=False))
    return found
