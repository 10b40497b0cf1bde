"""Rates of runs and what people pay: the stored rates, steps and plans handed to the core."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import select

from archgate.actions import plans, schedule, seats
from archgate.actions.problems import Problem
from archgate.actions.schedule import get_run, outcome, refuse_lost_update, shown
from archgate.actions.transaction import Deed
from archgate.core import fees, gates
from archgate.core import plans as core_plans
from archgate.core import seats as core_seats
from archgate.core.documents import read_rate
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount, percent_text
from archgate.core.reader import Reader
from archgate.tables.courses import Run
from archgate.tables.fees import EarlyStep, Rate
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting

RATE_KEYS = "code label amount early"
MOST_RATES = 20


# --- rates of a form --------------------------------------------------------------------------------------


def read_rates(top: Reader, currency: str) -> list[fees.Rate]:
    """The rates of a form; a code is made from the label, and a step must be a reduction."""
    rows = top.rows("rates", "The rates", RATE_KEYS, most=MOST_RATES)
    if not rows:
        top.fault("rates", "At least one rate is needed.")
    found, codes = [], set()
    for i, row in enumerate(rows):
        label = row.value.get("label") or ("Standard" if i == 0 else row.value.get("code"))
        held = {
            "code": code_of(label),
            "label": label,
            **{k: v for k, v in row.value.items() if v is not None},
        }
        rate = read_rate(Reader(held, row.at, row.faults, RATE_KEYS), currency)
        if rate is None:
            continue
        if len(rate.code) > 40 or len(rate.label) > 200:
            row.fault("label", "The name of the rate is too long.")
        if rate.code.casefold() in codes:
            row.fault("label", f'Two rates are named "{rate.label}".')
        codes.add(rate.code.casefold())
        for n, step in enumerate(rate.early):
            if step.amount is not None and step.amount >= rate.amount:
                over = f"The early price must be below the fee of {format_amount(rate.amount, currency)}."
                row.faults.append(Fault(f"{row.at}/early/{n}/amount", over))
        found.append(rate)
    return found


def code_of(label: Any) -> str | None:
    """A rate's code from its name: "Member, local" is member-local."""
    if not isinstance(label, str):
        return None
    return "-".join(label.casefold().replace(",", " ").split())[:40] or None


def step_rows(rate: fees.Rate) -> list[EarlyStep]:
    return [
        EarlyStep(until=s.until, days_before=s.days_before, amount=s.amount, off=s.off, percent=s.percent)
        for s in rate.early
    ]


def rate_row(rate: fees.Rate, position: int) -> Rate:
    return Rate(
        code=rate.code,
        label=rate.label,
        amount=rate.amount,
        position=position,
        active=True,
        early=step_rows(rate),
    )


def settle_rates(deed: Deed, run: Run, read: list[fees.Rate]) -> None:
    """Bring a run's rates in step with a form, by code. One that somebody holds is only made inactive."""
    kept = {r.code.casefold(): r for r in run.rates}
    for position, rate in enumerate(read, 1):
        row = kept.pop(rate.code.casefold(), None)
        if row is None:
            run.rates.append(rate_row(rate, position))
            continue
        row.label, row.amount, row.position, row.active = rate.label, rate.amount, position, True
        if core_rate(row).early != rate.early:
            row.early = step_rows(rate)
    for row in kept.values():
        if held_by_somebody(deed, row):
            row.active = False
        else:
            run.rates.remove(row)


def held_by_somebody(deed: Deed, rate: Rate) -> bool:
    return any(
        deed.session.scalar(select(table.id).where(table.rate_id == rate.id).limit(1))
        for table in (Enrollment, Waiting)
    )


# --- stored rates -----------------------------------------------------------------------------------------


def core_rate(rate: Rate) -> fees.Rate:
    steps = tuple(fees.EarlyStep(s.until, s.days_before, s.amount, s.off, s.percent) for s in rate.early)
    return fees.Rate(rate.code, rate.amount, rate.label, steps)


def rates_of(run: Run) -> list[Rate]:
    """The rates one can sign up at, in their order."""
    return [r for r in run.rates if r.active]


def rate_of(run: Run, rate_id: int | None) -> Rate:
    """The rate asked for, or the run's first."""
    found = next((r for r in rates_of(run) if rate_id is None or r.id == rate_id), None)
    if found is None:
        raise Problem(422, "no-rate", "The run has no such rate.")
    return found


def rate_view(rate: Rate, currency: str) -> dict[str, Any]:
    return {"id": rate.id, **rate_document(rate, currency)}


def rate_document(rate: Rate, currency: str) -> dict[str, Any]:
    """A rate as a form sends it, without its id: what a course keeps as its default."""
    early = [
        {
            "until": shown(s.until),
            "days_before": s.days_before,
            "amount": None if s.amount is None else format_amount(s.amount, currency),
            "off": None if s.off is None else format_amount(s.off, currency),
            "percent": None if s.percent is None else percent_text(s.percent),
        }
        for s in rate.early
    ]
    amount = format_amount(rate.amount, currency)
    return {"code": rate.code, "label": rate.label, "amount": amount, "early": early}


# --- prices -----------------------------------------------------------------------------------------------


def start_of(deed: Deed, run: Run) -> date | None:
    """The center's day on which the run starts."""
    return schedule.start_day(deed, run)


def terms_for(
    deed: Deed, run: Run, rate: Rate, plan: Plan, heads: int
) -> tuple[fees.Quote, core_plans.Installments]:
    """Quote and installments of a sign-up now."""
    start = start_of(deed, run)
    people = (fees.Heads(rate.code, heads),)
    quote = fees.quote_for((core_rate(rate),), people, deed.now, start, deed.zone, run.currency)
    lines = tuple(plans.core_line(x) for x in plan.lines)
    return quote, core_plans.installments_of(lines, quote.total, deed.today, start, run.currency)


def sign_up_of(deed: Deed, run: Run, full: bool) -> tuple[gates.SignUp, str]:
    windows = schedule.sign_up_windows(run)
    return gates.sign_up_at(deed.now, gates.Status(run.status), windows, full, schedule.is_open(run))


def quote_view(quote: fees.Quote, due: core_plans.Installments) -> dict[str, Any]:
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
    """What a sign-up for this run costs now, whether there is a seat or a place in line, and whether one can sign up."""
    run = get_run(deed, run_id)
    return sign_up_quote(
        deed, run, rate_of(run, rate_id), plans.plan_of(run, plan_id), seats.checked_heads(heads)
    )


def sign_up_quote(deed: Deed, run: Run, rate: Rate, plan: Plan, heads: int) -> dict[str, Any]:
    """The quote of a sign-up on given terms, with its seat or its place in line."""
    quote, due = terms_for(deed, run, rate, plan, heads)
    state = seats.seats_of(deed, run)
    seat = core_seats.seats_for(state, heads)
    sign_up, why = sign_up_of(deed, run, state.free == 0)
    seated = isinstance(seat, core_seats.Seated)
    begun = sign_up in (gates.SignUp.OPEN, gates.SignUp.FULL)
    return {
        **quote_view(quote, due),
        "run_id": run.id,
        "rate_id": rate.id,
        "plan_id": plan.id,
        "heads": heads,
        "seat": seat.first if isinstance(seat, core_seats.Seated) else None,
        "place": seat.place if isinstance(seat, core_seats.Waits) else None,
        "capacity": run.capacity,
        "sign_up": str(sign_up),
        "why": seat.why if begun and isinstance(seat, core_seats.Waits) else why,
        "can_enroll": sign_up is gates.SignUp.OPEN and seated,
        "can_wait": begun and not seated,
    }


def price_now(deed: Deed, run: Run) -> dict[str, Any] | None:
    """The first rate's price per head today, and through which day it stands."""
    rates = rates_of(run)
    if not rates:
        return None
    rate = core_rate(rates[0])
    people = (fees.Heads(rate.code, 1),)
    quote = fees.quote_for((rate,), people, deed.now, start_of(deed, run), deed.zone, run.currency)
    change = quote.next_change
    until = None if change is None else schedule.day_before(gates.local_day(change.at, deed.zone))
    return {
        "amount": format_amount(quote.total, run.currency),
        "why": quote.lines[0].why,
        "until": shown(until),
        "then": None if change is None else format_amount(change.total, run.currency),
    }


def price_line(deed: Deed, run: Run) -> list[dict[str, Any]]:
    """What one person pays at each rate, from the day sign-up opens through the last day before the start."""
    closes = schedule.last_closing(run)
    if closes is None:
        return []
    begun = run.published_at.astimezone(deed.zone).date() if run.published_at else deed.today
    opens = min((g.day for g in run.gates if g.kind == "sign-up opens"), default=begun)
    first = min(max(opens, begun), closes)
    found = []
    for row in rates_of(run):
        rate = core_rate(row)
        line = fees.price_line_of((rate,), (fees.Heads(rate.code, 1),), first, closes, start_of(deed, run))
        steps = [
            {"from": shown(s.first), "to": shown(s.last), "total": format_amount(s.total, run.currency)}
            for s in line
        ]
        found.append({"rate": rate.label, "steps": steps})
    return found


# --- changing the terms -----------------------------------------------------------------------------------


def change_terms(deed: Deed, run_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Change a run's rates, its plans, or both, as whole lists; enrollments keep what they agreed."""
    run = get_run(deed, run_id)
    faults: list[Fault] = []
    top = Reader(body, "", faults, "seen set")
    row = top.inner("set", "What to change", "rates plans")
    if row is None:
        raise Refused(faults)
    views = terms_view(run)
    before = price_now(deed, run) or {}
    rates = read_rates(row, run.currency) if "rates" in row.value else None
    amounts = [r.amount for r in rates] if rates else [r.amount for r in rates_of(run)]
    read = plans.read_plans(row, run.currency, amounts) if "plans" in row.value else None
    if rates and read is None:
        faults += [Fault("/set/rates", said) for said in plans.misfits(run, amounts)]
    if faults:
        raise Refused(faults)
    names = [n for n in ("rates", "plans") if n in row.value]
    refuse_lost_update({n: row.value[n] for n in names}, top.value.get("seen") or {}, views)
    if rates is not None:
        settle_rates(deed, run, rates)
    if read is not None:
        plans.settle_plans(run, read)
    deed.session.flush()
    deed.session.refresh(run, ["rates", "plans"])
    note_sources(run, {n: terms_document(run)[n] for n in names})
    schedule.settle_gates(deed, run)
    change = deed.log("change terms", "run", run.id, f"Changed the {' and the '.join(names)} of {run.code}")
    return outcome(
        deed, run, change.key, term_touches(before, price_now(deed, run) or {}, views, terms_view(run))
    )


def term_touches(
    before: dict[str, Any], after: dict[str, Any], old: dict[str, Any], new: dict[str, Any]
) -> list[dict[str, Any]]:
    """What a change of terms moves, for the margin."""
    touches = [
        {"label": label, "before": str(before.get(k) or "none"), "after": str(after.get(k) or "none")}
        for k, label in (("amount", "Price now"), ("until", "Early price through"), ("then", "Price then"))
        if before.get(k) != after.get(k)
    ]

    def said(view: dict[str, Any]) -> dict[str, str]:
        rates = {f"Rate {r['label']}": r["amount"] for r in view["rates"]}
        return rates | {f"Plan {p['name']}": "; ".join(x["text"] for x in p["lines"]) for p in view["plans"]}

    was, now = said(old), said(new)
    touches += [
        {"label": name, "before": was.get(name, "none"), "after": now.get(name, "none")}
        for name in [*was, *(n for n in now if n not in was)]
        if was.get(name) != now.get(name)
    ]
    return touches


def terms_view(run: Run) -> dict[str, Any]:
    return {
        "rates": [rate_view(r, run.currency) for r in rates_of(run)],
        "plans": [plans.plan_view(p, run.currency) for p in run.plans if p.active],
    }


def terms_document(run: Run) -> dict[str, Any]:
    """The terms as a course keeps them for its next runs."""
    return {
        "rates": [rate_document(r, run.currency) for r in rates_of(run)],
        "plans": [plans.plan_document(p, run.currency) for p in run.plans if p.active],
    }


def note_sources(run: Run, values: dict[str, Any]) -> None:
    """Keep which of a run's values are the course's defaults."""
    held = [n for n in run.sources if n not in values]
    run.sources = held + [
        n for n, v in values.items() if n in run.course.defaults and run.course.defaults[n] == v
    ]
