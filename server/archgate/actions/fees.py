"""Quotes for a real run: the stored rates, steps and plans handed to the core."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import func, select

from archgate.actions import schedule
from archgate.actions.problems import Problem, not_found
from archgate.actions.transaction import Deed
from archgate.core import fees, gates, plans, seats
from archgate.core.money import format_amount
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.plans import Plan, PlanLine
from archgate.tables.seats import RunSeats


def core_rate(rate: Rate) -> fees.Rate:
    steps = tuple(fees.EarlyStep(s.until, s.days_before, s.amount, s.off, s.percent) for s in rate.early)
    return fees.Rate(rate.code, rate.amount, rate.label, steps)


def core_line(line: PlanLine) -> plans.PlanLine:
    due = plans.Due(plans.DueKind(line.due_kind), line.due_number, line.due_on)
    return plans.PlanLine(due, line.percent, line.amount, line.parts, line.rest, plans.Settle(line.settle))


def rate_of(run: Run, rate_id: int | None) -> Rate:
    """The rate asked for, or the run's first."""
    found = next((r for r in run.rates if rate_id is None or r.id == rate_id), None)
    if found is None:
        raise Problem(422, "no-rate", "The run has no such rate.")
    return found


def plan_of(run: Run, plan_id: int | None) -> Plan:
    """The payment plan asked for, or the run's first active one."""
    found = next((p for p in run.plans if p.id == plan_id or (plan_id is None and p.active)), None)
    if found is None:
        raise Problem(422, "no-plan", "The run has no such payment plan.")
    return found


def start_of(deed: Deed, run: Run) -> date | None:
    """The center's day of the first meeting."""
    return gates.local_day(run.meetings[0].starts_at, deed.zone) if run.meetings else None


def terms_for(
    deed: Deed, run: Run, rate: Rate, plan: Plan, heads: int
) -> tuple[fees.Quote, plans.Installments]:
    """Quote and installments of a sign-up now."""
    start = start_of(deed, run)
    rates = tuple(core_rate(r) for r in run.rates)
    people = (fees.Heads(rate.code, heads),)
    quote = fees.quote_for(rates, people, deed.now, start, deed.zone, run.currency)
    lines = tuple(core_line(x) for x in plan.lines)
    return quote, plans.installments_of(lines, quote.total, deed.today, start, run.currency)


def seats_of(deed: Deed, run: Run) -> seats.Seats:
    taken = (
        deed.session.scalar(select(func.coalesce(RunSeats.taken, 0)).where(RunSeats.run_id == run.id)) or 0
    )
    return seats.Seats(run.capacity, taken)


def sign_up_of(deed: Deed, run: Run, full: bool) -> tuple[gates.SignUp, str]:
    opens, closes = schedule.gate_at(run, "sign-up opens"), schedule.gate_at(run, "sign-up closes")
    return gates.sign_up_at(deed.now, gates.Status(run.status), opens, closes, full)


def quote_view(quote: fees.Quote, due: plans.Installments) -> dict[str, Any]:
    """A quote with its installments, as screens show it and as an enrollment keeps it."""
    currency = quote.currency
    return {
        "currency": currency,
        "lines": [
            {
                "kind": x.kind,
                "code": x.code,
                "label": x.label,
                "quantity": x.quantity,
                "unit": format_amount(x.unit, currency),
                "amount": format_amount(x.amount, currency),
                "why": x.why,
                "early": x.early,
            }
            for x in quote.lines
        ],
        "subtotal": format_amount(quote.subtotal, currency),
        "total": format_amount(quote.total, currency),
        "next_change": quote.next_change
        and {
            "at": quote.next_change.at.isoformat(),
            "total": format_amount(quote.next_change.total, currency),
        },
        "installments": [
            {
                "n": i.n,
                "due": i.due.isoformat(),
                "amount": format_amount(i.amount, currency),
                "settle": str(i.settle),
                "why": i.why,
            }
            for i in due.installments
        ],
        "due_now": format_amount(due.due_now, currency),
        "due_later": format_amount(due.due_later, currency),
    }


def quote_run(
    deed: Deed, run_id: int, rate_id: int | None, plan_id: int | None, heads: int = 1
) -> dict[str, Any]:
    """What a sign-up for this run costs now, whether there is a seat, and whether people can sign up."""
    run = deed.session.get(Run, run_id)
    if run is None:
        raise not_found("This run")
    rate, plan = rate_of(run, rate_id), plan_of(run, plan_id)
    quote, due = terms_for(deed, run, rate, plan, heads)
    state = seats_of(deed, run)
    seat = seats.seats_for(state, heads)
    sign_up, why = sign_up_of(deed, run, state.free == 0)
    return {
        **quote_view(quote, due),
        "run_id": run.id,
        "rate_id": rate.id,
        "plan_id": plan.id,
        "seat": seat.first if isinstance(seat, seats.Seated) else None,
        "capacity": run.capacity,
        "sign_up": str(sign_up),
        "why": why
        if sign_up is not gates.SignUp.OPEN
        else (seat.why if isinstance(seat, seats.NoSeat) else why),
        "can_enroll": sign_up is gates.SignUp.OPEN and isinstance(seat, seats.Seated),
    }
