"""Prices from day to day: the price line of a run, what a person pays on a day, runs compared, and the early-bird planner."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import orjson
from sqlalchemy import Text, func, select, type_coerce

from archgate.actions.fees import fees, plans, quotes, terms
from archgate.actions.fees.commands import Ask, EarlyCommand
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.fees.views import (
    Compared,
    ComparedRun,
    EarlyOut,
    EarlyStart,
    GateDay,
    IncomeAt,
    PriceLine,
    PriceStretch,
    Reading,
)
from archgate.actions.kernel.commands import amount_of, command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Outcome
from archgate.actions.schedule import gates
from archgate.core import fees as core_fees
from archgate.core import prices
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import decimal_text, digits_of, format_amount
from archgate.core.quotes import quote_read
from archgate.core.schedule import day_text
from archgate.core.states import RunStatus
from archgate.papers.words import money_text
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate

MOST_COMPARED = 6
PAST_RUNS = 6


def span_of(uow: UnitOfWork, run: Run) -> tuple[date, date] | None:
    """From the day sign-up opens through the last day one can sign up."""
    closes = gates.last_closing(run)
    if closes is None:
        return None
    begun = run.published_at.astimezone(uow.zone).date() if run.published_at else uow.today
    opens = min((g.day for g in run.gates if g.kind == "sign-up opens"), default=begun)
    return min(max(opens, begun), closes), closes


def line_at(
    uow: UnitOfWork, run: Run, terms: core_fees.Fees, rate: str, span: tuple[date, date]
) -> tuple[core_fees.Stretch, ...]:
    """What one person pays at a rate on every day of a span, required extras and taxes on top included."""
    return core_fees.price_line_of(
        terms, core_fees.Ask((core_fees.Heads(rate, 1),)), *span, fees.start_of(uow, run)
    )


def price_line(uow: UnitOfWork, run: Run) -> list[PriceLine]:
    """The price line of each rate."""
    span, terms = span_of(uow, run), fees.core_fees(run)
    if span is None:
        return []
    return [
        PriceLine(
            rate_id=row.id,
            rate=row.label,
            steps=[
                PriceStretch(from_=s.first, to=s.last, total=format_amount(s.total, run.currency))
                for s in line_at(uow, run, terms, row.code, span)
            ],
        )
        for row in fees.rates_of(run)
    ]


def warnings(uow: UnitOfWork, run: Run) -> list[str]:
    """What a buyer would not expect of the run's prices."""
    terms, span, start = fees.core_fees(run), span_of(uow, run), fees.start_of(uow, run)
    opens = min((g.day for g in run.gates if g.kind == "sign-up opens"), default=None)
    sentences = []
    for rate in terms.rates:
        if span:
            sentences += prices.falls_later(
                rate.label, line_at(uow, run, terms, rate.code, span), run.currency
            )
        if opens:
            sentences += prices.ends_too_early(rate, opens, start)
    if terms.rates:
        of_others = uow.session.execute(
            select(Run.id, Rate.amount)
            .join(Rate, Rate.run_id == Run.id)
            .where(
                Run.course_id == run.course_id, Run.id != run.id, Run.currency == run.currency, Rate.active
            )
            .order_by(Run.id, Rate.position.desc())
        )
        amounts = list(dict(of_others.all()).values())  # of each the first rate, which comes last here
        sentences += prices.far_from_others(
            terms.rates[0].label, terms.rates[0].amount, amounts, run.currency
        )
    return sentences


def compare(uow: UnitOfWork, run_ids: list[int]) -> Compared:
    """The price lines of up to six runs side by side, each with its gates and what is odd about its prices."""
    ids = list(dict.fromkeys(run_ids))
    if not 1 <= len(ids) <= MOST_COMPARED:
        raise refuse("/runs", f"Compare 1 to {MOST_COMPARED} runs.")
    compared = []
    for run_id in ids:
        run = get_run(uow, run_id)
        compared.append(
            ComparedRun(
                id=run.id,
                code=run.code,
                title=run.title or run.course.title,
                currency=run.currency,
                start=fees.start_of(uow, run),
                lines=price_line(uow, run),
                warnings=warnings(uow, run),
                gates=[GateDay(label=g.label, day=g.day) for g in sorted(run.gates, key=lambda g: g.at)],
            )
        )
    return Compared(today=uow.today, runs=compared)


def reading(uow: UnitOfWork, run_id: int, day: date, rate_id: int | None, plan_id: int | None) -> Reading:
    """What one person pays on a day at a rate, now and later, as a sentence to read out."""
    run = get_run(uow, run_id)
    asked = {"rate_id": rate_id or fees.rate_of(run, None).id, "plan_id": plan_id}
    resolved = quotes.resolve_ask(uow, run, command_of(Ask, asked))
    currency = run.currency
    total = core_fees.total_on(resolved.fees, resolved.ask, day, fees.start_of(uow, run))
    due = quotes.due_of(uow, resolved, total, day)
    rate = resolved.heads[0]
    later = [i for i in due.installments if i.due != day]
    parts = [f"{money_text(due.due_now, currency)} now"] if due.due_now else []
    parts += [f"{money_text(i.amount, currency)} on {day_text(i.due)}" for i in later]
    text = f"On {day_text(day)} one person at {rate.label} pays {money_text(total, currency)}"
    return plans.due_view(due, currency).widened(
        Reading,
        day=day,
        rate_id=rate.id,
        plan_id=resolved.plan.id,
        total=format_amount(total, currency),
        text=f"{text}: {', '.join(parts)}." if parts else f"{text}.",
    )


# --- the early-bird planner -------------------------------------------------------------------------------


def early_start(uow: UnitOfWork, run_id: int) -> EarlyStart:
    """Where the planner starts for a run: its fee today, and what the course's own past runs show.

    Share: of the heads that signed up at the first rate's line, those whose quote had an early price. Target: what the
    runs brought per head. Without past runs: a third early, and a target of a tenth more than today's fee.
    """
    run = get_run(uow, run_id)
    rate = fees.rate_of(run, None)
    begun = select(Gate.run_id, Gate.at).where(Gate.kind == "starts", Gate.at <= uow.now).subquery()
    past = uow.session.scalars(
        select(Run)
        .join(begun, begun.c.run_id == Run.id)
        .where(
            Run.course_id == run.course_id,
            Run.id != run.id,
            Run.currency == run.currency,
            Run.status != RunStatus.CANCELLED,
        )
        .order_by(begun.c.at.desc())
        .limit(PAST_RUNS)
    ).all()
    # Most people of a run have one of a few quotes: each is read once.
    text = type_coerce(Enrollment.quote, Text)
    sums = (func.count(), func.sum(Enrollment.heads), func.sum(Enrollment.total), func.min(text))
    found = uow.session.execute(
        select(*sums)
        .where(Enrollment.run_id.in_([r.id for r in past]), Enrollment.live == 1)
        .group_by(func.md5(text))
    )
    rows = [(n, h, t, quote_read(orjson.loads(quote))) for n, h, t, quote in found]
    heads = sum(int(h) for _, h, _, _ in rows)
    early = sum(n * line.quantity for n, _, _, quote in rows for line in quote.of_kind("rate") if line.early)
    share = Decimal(100 * early) / heads if heads else Decimal(100) / 3
    brought = sum(int(t) for _, _, t, _ in rows) // heads if heads else rate.amount * 11 // 10
    step = next((s for s in rate.early if s.days_before is not None), None)
    sentence = (
        f"From {len(past)} past run{'' if len(past) == 1 else 's'} of the course with {heads} sign-ups, {early} of them early."
        if heads
        else "The course has no past sign-ups; these are a third early, and a tenth more than today's fee."
    )
    return EarlyStart(
        run_id=run.id,
        rate=rate.label,
        currency=run.currency,
        fee=format_amount(rate.amount, run.currency),
        share=decimal_text(share.quantize(Decimal(1))),
        target=format_amount(max(brought, rate.amount), run.currency),
        days=step.days_before if step and step.days_before is not None else 14,
        rounding=format_amount(roundings(run.currency)[1], run.currency),
        roundings=[format_amount(r, run.currency) for r in roundings(run.currency)],
        said=sentence,
    )


def roundings(currency: str) -> list[int]:
    """Steps to which a price may be rounded: the smallest unit, then 1, 5 and 10 whole units."""
    whole = 10 ** digits_of(currency)
    return list(dict.fromkeys([1, whole, 5 * whole, 10 * whole]))


def early_prices(command: EarlyCommand, currency: str) -> prices.EarlyPlan:
    """What follows from the planner's inputs."""
    faults: list[Fault] = []
    fee = amount_of(command.fee, currency, "/fee", faults) or 0
    target = amount_of(command.target, currency, "/target", faults) or 0
    rounding = amount_of(command.rounding, currency, "/rounding", faults) or 0
    if faults:
        raise Refused(faults)
    return prices.early_plan(fee, Decimal(command.share), target, rounding, currency)


def early_plan(uow: UnitOfWork, command: EarlyCommand) -> EarlyOut:
    """What to charge early and late."""
    currency, days = command.currency or uow.center.currency, command.days
    try:
        digits_of(currency)
    except ValueError:
        raise refuse("/currency", "This is not a currency code of ISO 4217.") from None
    plan = early_prices(command, currency)
    return EarlyOut(
        currency=currency,
        early=format_amount(plan.early, currency),
        regular=format_amount(plan.regular, currency),
        exact=format_amount(int(plan.exact.to_integral_value()), currency),
        income=format_amount(plan.income, currency),
        break_even=None if plan.break_even is None else decimal_text(plan.break_even),
        days=days,
        incomes=[IncomeAt(share=s, income=format_amount(i, currency)) for s, i in plan.incomes],
    )


def apply_early(uow: UnitOfWork, run_id: int, command: EarlyCommand) -> Outcome:
    """Put the planner's prices on the first rate of a run: the regular price, and today's fee as its only early step."""
    run = get_run(uow, run_id)
    plan = early_prices(command, run.currency)
    if plan.regular <= plan.early:
        raise refuse("/target", "The regular price is not above the early one, so there is nothing to apply.")
    first, *others = (fees.rate_document(r, run.currency) for r in fees.rates_of(run))
    step = {"days_before": command.days, "amount": format_amount(plan.early, run.currency)}
    dearer = {**first, "amount": format_amount(plan.regular, run.currency), "early": [step]}
    patch = command_of(TermsPatch, {"set": {"rates": [dearer, *others]}})
    return terms.change_terms(uow, run_id, patch)
