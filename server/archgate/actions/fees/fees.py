"""Fees of runs: rates, extras, group steps and taxes, read from forms, kept, shown, and handed to the core.

A run starts from its course's fees, and where the course says nothing from the center's. Where a value comes from is
seen by comparing it, so it is true whichever way it came about.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date
from typing import TypedDict

from sqlalchemy import func, select

from archgate.actions.fees import plans, stock
from archgate.actions.fees.views import ExtraOut, GroupStepIO, Origin, PriceNow, RateOut, TaxIO, TermsView
from archgate.actions.kernel import lookups
from archgate.actions.kernel.answers import shown
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import gates, schedule
from archgate.core import eligibility, fees
from archgate.core import gates as core_gates
from archgate.core.faults import Fault
from archgate.core.money import decimal_text, format_amount
from archgate.core.states import Role, SignUp
from archgate.core.taxes import Tax
from archgate.documents.fees import (
    EXTRA_KEYS,
    MOST_TAXES,
    RATE_KEYS,
    read_extra,
    read_group,
    read_rate,
    read_taxes,
)
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Course, Run
from archgate.tables.fees import EarlyStep, EnrollmentExtra, Extra, Rate
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.waitlist import Waiting

WHO_KEYS = "by_agreement tags organization_id past_course_id offered_from offered_to most"
MOST_RATES = 20
MOST_EXTRAS = 30
TERMS = ("rates", "extras", "group", "taxes", "plans")


# --- from forms -------------------------------------------------------------------------------------------


def read_rates(uow: UnitOfWork, top: Reader, currency: str) -> list[tuple[fees.Rate, Who]]:
    """The rates of a form with who may have them; a code is made from the label, and a step must be a reduction."""
    rows = top.rows("rates", "The rates", f"{RATE_KEYS} {WHO_KEYS}", most=MOST_RATES)
    if not rows:
        top.fault("rates", "At least one rate is needed.")
    rates = []
    codes: set[str] = set()
    for i, row in enumerate(rows):
        label = row.value.get("label") or ("Standard" if i == 0 else row.value.get("code"))
        values = {k: v for k, v in row.value.items() if v is not None and k in RATE_KEYS.split()}
        values = {"code": code_from(label), "label": label, **values}
        rate = read_rate(Reader(values, row.at, row.faults, RATE_KEYS), currency)
        who = read_who(uow, row)
        if rate is None:
            continue
        named_once(row, rate.code, rate.label, codes)
        over = f"must be below the fee of {format_amount(rate.amount, currency)}."
        for n, step in enumerate(rate.early):
            if step.amount is not None and step.amount >= rate.amount:
                row.faults.append(Fault(f"{row.at}/early/{n}/amount", f"The early price {over}"))
        if rate.sale and rate.sale.amount >= rate.amount:
            row.faults.append(Fault(f"{row.at}/sale/amount", f"The sale price {over}"))
        rates.append((replace(rate, by_agreement=who["by_agreement"]), who))
    return rates


class Who(TypedDict):
    """Who may have a rate, when, and for how many heads."""

    by_agreement: bool
    tags: list[str]
    organization_id: int | None
    past_course_id: int | None
    offered_from: date | None
    offered_to: date | None
    most: int | None


def read_who(uow: UnitOfWork, row: Reader) -> Who:
    """Who may have a rate, from a row of a form."""
    who: Who = {
        "by_agreement": row.flag("by_agreement", "Whether it is agreed case by case"),
        "tags": sorted({t.casefold() for t in row.texts("tags", "The kinds of people")}),
        "organization_id": row.whole("organization_id", "The organization", 1, 2**62),
        "past_course_id": row.whole("past_course_id", "The course taken", 1, 2**62),
        "offered_from": row.day("offered_from", "The first day"),
        "offered_to": row.day("offered_to", "The last day"),
        "most": row.whole("most", "The number of seats at this rate", 1, 100_000),
    }
    if who["offered_from"] and who["offered_to"] and who["offered_to"] < who["offered_from"]:
        row.fault("offered_to", "The rate would end before it is offered.")
    if lookups.lacks_organization(uow, who["organization_id"]):
        row.fault("organization_id", lookups.NO_ORGANIZATION)
    if who["past_course_id"] and uow.session.get(Course, who["past_course_id"]) is None:
        row.fault("past_course_id", "There is no such course.")
    return who


def read_extras(top: Reader, currency: str, rate_codes: Iterable[str]) -> list[tuple[fees.Extra, str | None]]:
    """The extras of a form, each with the name of its stock item if it is tracked."""
    extras = []
    codes = {c.casefold() for c in rate_codes}
    keys = EXTRA_KEYS.replace(" stock", "")
    for row in top.rows("extras", "The extras", keys + " item", most=MOST_EXTRAS):
        item = (row.text("item", "The stock item") or "").strip() or None
        if item and len(item) > 200:
            row.fault("item", "The name of the stock item is too long.")
        values = {k: v for k, v in row.value.items() if v is not None and k != "item"}
        label = row.value.get("label") or row.value.get("code")
        if label is None:
            row.fault("label", "The name of the extra is missing.")
            continue
        extra = read_extra(Reader({"code": code_from(label), **values}, row.at, row.faults, keys), currency)
        if extra:
            named_once(row, extra.code, extra.label, codes)
            extras.append((extra, item))
    return extras


@dataclass(frozen=True)
class Read:
    """The terms of a form that has no fault."""

    rates: list[tuple[fees.Rate, Who]]
    extras: list[tuple[fees.Extra, str | None]]
    group: tuple[fees.GroupStep, ...]
    taxes: tuple[Tax, ...]
    plans: list[plans.Read]


def read_all(uow: UnitOfWork, top: Reader, currency: str, usual: Iterable[str]) -> Read:
    """All terms of a new run; every plan must make the whole of every rate. `usual` names those that are defaults: a
    default tax is kept as far as the run sells what it is on."""
    rates = read_rates(uow, top, currency)
    codes = [r.code for r, _ in rates]
    extras = read_extras(top, currency, codes)
    group = read_group(top)
    codes += [x.code for x, _ in extras]
    taxes = read_taxes(top, None if "taxes" in usual else codes, MOST_TAXES)
    taxes = tuple(
        t if t.on is None else replace(t, on=t.on & set(codes))
        for t in taxes
        if t.on is None or t.on & set(codes)
    )
    whole = fees.Fees(tuple(r for r, _ in rates), tuple(x for x, _ in extras), group, (), taxes)
    return Read(rates, extras, group, taxes, plans.read_plans(top, currency, whole_totals(whole)))


def rows_of(uow: UnitOfWork, read: Read) -> Document:
    """The terms of a new run as its columns and rows."""
    return {
        "rates": [rate_row(rate, who, n) for n, (rate, who) in enumerate(read.rates, 1)],
        "extras": [extra_row(uow, extra, item, n) for n, (extra, item) in enumerate(read.extras, 1)],
        "group_steps": group_document(read.group),
        "taxes": tax_document(read.taxes),
        "plans": [plans.plan_row(facts, lines, n) for n, (_, facts, lines) in enumerate(read.plans, 1)],
    }


def named_once(row: Reader, code: str, label: str, codes: set[str]) -> None:
    if len(code) > 40 or len(label) > 200:
        row.fault("label", "The name is too long.")
    if code.casefold() in codes:
        row.fault("label", f'"{label}" is named twice.')
    codes.add(code.casefold())


def code_from(label: object) -> str | None:
    """A code from a name: "Member, local" is member-local."""
    if not isinstance(label, str):
        return None
    return "-".join(label.casefold().replace(",", " ").split())[:40] or None


def step_rows(rate: fees.Rate) -> list[EarlyStep]:
    return [
        EarlyStep(until=s.until, days_before=s.days_before, amount=s.amount, off=s.off, percent=s.percent)
        for s in rate.early
    ]


def rate_row(rate: fees.Rate, who: Who, position: int) -> Rate:
    row = Rate(code=rate.code, early=step_rows(rate))
    put_rate(row, rate, who, position)
    return row


def put_rate(row: Rate, rate: fees.Rate, who: Who, position: int) -> None:
    row.label, row.amount, row.position, row.active = rate.label, rate.amount, position, True
    sale = rate.sale
    row.sale_from, row.sale_to, row.sale_amount = (
        (sale.first, sale.last, sale.amount) if sale else (None, None, None)
    )
    for name, value in who.items():
        setattr(row, name, value)


def extra_row(uow: UnitOfWork, extra: fees.Extra, item: str | None, position: int) -> Extra:
    row = Extra(code=extra.code)
    put_extra(uow, row, extra, item, position)
    return row


def put_extra(uow: UnitOfWork, row: Extra, extra: fees.Extra, item: str | None, position: int) -> None:
    row.label, row.amount, row.required, row.most = extra.label, extra.amount, extra.required, extra.most
    row.position, row.active = position, True
    item_row = stock.item_named(uow, item)
    row.item, row.item_id = item_row, item_row.id if item_row else None


def settle_rates(uow: UnitOfWork, run: Run, read: list[tuple[fees.Rate, Who]]) -> None:
    """Bring a run's rates in step with a form, by code. One that somebody holds is only made inactive."""
    kept = {r.code.casefold(): r for r in run.rates}
    for position, (rate, who) in enumerate(read, 1):
        row = kept.pop(rate.code.casefold(), None)
        if row is None:
            run.rates.append(rate_row(rate, who, position))
            continue
        if core_rate(row).early != rate.early:
            row.early = step_rows(rate)
        put_rate(row, rate, who, position)
    for row in kept.values():
        if any(
            uow.session.scalar(select(t.id).where(t.rate_id == row.id).limit(1))
            for t in (Enrollment, Waiting, PartyPlace)
        ):
            row.active = False
        else:
            run.rates.remove(row)


def settle_extras(uow: UnitOfWork, run: Run, read: list[tuple[fees.Extra, str | None]]) -> None:
    """Bring a run's extras in step with a form, by code. One that somebody took is only made inactive."""
    kept = {x.code.casefold(): x for x in run.extras}
    for position, (extra, item) in enumerate(read, 1):
        row = kept.pop(extra.code.casefold(), None)
        if row is None:
            run.extras.append(extra_row(uow, extra, item, position))
        else:
            put_extra(uow, row, extra, item, position)
    for row in kept.values():
        if uow.session.scalar(select(EnrollmentExtra.id).where(EnrollmentExtra.extra_id == row.id).limit(1)):
            row.active = False
        else:
            run.extras.remove(row)


# --- stored fees, as the core sees them -------------------------------------------------------------------


def core_rate(rate: Rate) -> fees.Rate:
    steps = tuple(fees.EarlyStep(s.until, s.days_before, s.amount, s.off, s.percent) for s in rate.early)
    sale = None if rate.sale_amount is None else fees.Sale(rate.sale_from, rate.sale_to, rate.sale_amount)
    return fees.Rate(rate.code, rate.amount, rate.label, steps, sale, rate.by_agreement)


def core_extra(extra: Extra) -> fees.Extra:
    stock_left = extra.item.on_hand if extra.item else None
    return fees.Extra(extra.code, extra.amount, extra.label, extra.required, stock_left, extra.most)


def core_group(forms: list[Document]) -> tuple[fees.GroupStep, ...]:
    return read_group(Reader({"group": forms}, "", [], "group"))


def core_taxes(forms: list[Document]) -> tuple[Tax, ...]:
    return read_taxes(Reader({"taxes": forms}, "", [], "taxes"), None)


def core_fees(
    run: Run, rates: Iterable[Rate] = (), code: fees.Code | None = None, extras: Iterable[Extra] = ()
) -> fees.Fees:
    """Everything that decides what an ask on a run costs; `rates` and `extras` add ones no longer offered."""
    every = {r.id: r for r in [*rates_of(run), *rates]}
    sold = {x.id: x for x in [*(x for x in run.extras if x.active), *extras]}
    return fees.Fees(
        tuple(core_rate(r) for r in every.values()),
        tuple(core_extra(x) for x in sold.values()),
        core_group(run.group_steps),
        (code,) if code else (),
        core_taxes(run.taxes),
    )


def rates_of(run: Run) -> list[Rate]:
    """The rates one can sign up at, in their order."""
    return [r for r in run.rates if r.active]


def rate_of(run: Run, rate_id: int | None) -> Rate:
    """The rate asked for, or the run's first."""
    rate = next((r for r in rates_of(run) if rate_id is None or r.id == rate_id), None)
    if rate is None:
        raise Problem(422, "no-rate", "The run has no such rate.")
    return rate


def who_terms(uow: UnitOfWork, rate: Rate) -> eligibility.Terms:
    """Who may have a stored rate, with the names for the sentence."""
    organization = uow.session.get(Organization, rate.organization_id) if rate.organization_id else None
    course = uow.session.get(Course, rate.past_course_id) if rate.past_course_id else None
    return eligibility.Terms(
        frozenset(rate.tags),
        (organization.id, organization.name) if organization else None,
        (course.id, course.title) if course else None,
        rate.offered_from,
        rate.offered_to,
        rate.most,
    )


def heads_at(uow: UnitOfWork, run: Run) -> dict[int, int]:
    """How many heads sit on a run at each rate: who signed up by the enrollment, the others by their place. Nobody
    asks unless a rate has a number of seats, so they are not counted otherwise."""
    if all(rate.most is None for rate in run.rates):
        return {}
    live = (Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.role == Role.LEARNER)
    own = select(Enrollment.rate_id, func.count()).where(*live).group_by(Enrollment.rate_id)
    others = (
        select(PartyPlace.rate_id, func.count())
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(*live)
        .group_by(PartyPlace.rate_id)
    )
    heads: dict[int, int] = {}
    for query in (own, others):
        for rate_id, number in uow.session.execute(query):
            heads[rate_id] = heads.get(rate_id, 0) + int(number)
    return heads


def whole_totals(terms: fees.Fees) -> list[int]:
    """What one person pays at each rate without any reduction, required extras and taxes on top included."""
    bare = replace(terms, rates=tuple(replace(r, early=(), sale=None) for r in terms.rates))
    return [fees.total_on(bare, fees.Ask((fees.Heads(r.code, 1),)), date.min, None) for r in terms.rates]


def start_of(uow: UnitOfWork, run: Run) -> date | None:
    """The center's day on which the run starts."""
    return schedule.start_day(uow, run)


def sign_up_of(uow: UnitOfWork, run: Run, full: bool) -> tuple[SignUp, str]:
    """Whether a run takes sign-ups now, and why or why not. `full`: whether it has no seat for whoever asks."""
    windows = gates.sign_up_windows(run)
    return core_gates.sign_up_at(uow.now, run.status, windows, full, gates.is_open(run))


# --- shown ------------------------------------------------------------------------------------------------


def rate_document(rate: Rate, currency: str) -> Document:
    """A rate as a form sends it, without its id; what is not said is left out."""
    early = [
        {
            "until": shown(s.until),
            "days_before": s.days_before,
            "amount": None if s.amount is None else format_amount(s.amount, currency),
            "off": None if s.off is None else format_amount(s.off, currency),
            "percent": None if s.percent is None else decimal_text(s.percent),
        }
        for s in rate.early
    ]
    who = {name: shown(getattr(rate, name)) for name in WHO_KEYS.split()}
    sale = None
    if rate.sale_amount is not None:
        sale = {
            "from": shown(rate.sale_from),
            "to": shown(rate.sale_to),
            "amount": format_amount(rate.sale_amount, currency),
        }
    return {
        "code": rate.code,
        "label": rate.label,
        "amount": format_amount(rate.amount, currency),
        "early": early,
        **({"sale": sale} if sale else {}),
        **{k: v for k, v in who.items() if v},
    }


def extra_document(extra: Extra, currency: str) -> Document:
    rules = {"required": extra.required, "most": extra.most, "item": extra.item.name if extra.item else None}
    document = {"code": extra.code, "label": extra.label, "amount": format_amount(extra.amount, currency)}
    return {**document, **{k: v for k, v in rules.items() if v}}


def group_document(group: tuple[fees.GroupStep, ...]) -> list[Document]:
    return [
        {"from": g.people, "percent": decimal_text(g.percent)} for g in sorted(group, key=lambda g: g.people)
    ]


def tax_document(taxes: tuple[Tax, ...]) -> list[Document]:
    return [
        {
            "name": t.name,
            "percent": decimal_text(t.percent),
            "included": t.included,
            "on": None if t.on is None else sorted(t.on),
        }
        for t in taxes
    ]


def terms_document(run: Run) -> Document:
    """The fees as a course keeps them for its next runs."""
    return {
        "rates": [rate_document(r, run.currency) for r in rates_of(run)],
        "extras": [extra_document(x, run.currency) for x in run.extras if x.active],
        "group": run.group_steps,
        "taxes": run.taxes,
        "plans": [plans.plan_document(p, run.currency) for p in run.plans if p.active],
    }


def terms_view(run: Run) -> TermsView:
    currency = run.currency
    return TermsView(
        rates=[RateOut.model_validate({"id": r.id, **rate_document(r, currency)}) for r in rates_of(run)],
        extras=[
            ExtraOut.model_validate(
                {"id": x.id, **extra_document(x, currency), "stock": x.item.on_hand if x.item else None}
            )
            for x in run.extras
            if x.active
        ],
        group=[GroupStepIO.model_validate(g) for g in run.group_steps],
        taxes=[TaxIO.model_validate(t) for t in run.taxes],
        plans=[plans.plan_view(p, currency) for p in run.plans if p.active],
    )


# What a run has where nobody ever said anything.
USUAL: Document = {
    "overbook": 0, "line_rule": "fit", "auto_offer": True, "offer_hours": 36, "hold_hours": None, "windows": [],
    "decision_rule": None, "access_days": None, "told": None, "smallest": 0,
}  # fmt: skip


def origins(uow: UnitOfWork, course: Course, values: Document) -> dict[str, Origin]:
    """Where each value comes from: the course, the center, the run itself, or as usual; and what it would be by default."""
    origin_of = {}
    usual_values: Document = {**USUAL, "time_zone": uow.center.time_zone}
    for name, value in values.items():
        level = "course" if name in course.defaults else "center" if name in uow.center.defaults else None
        usual = (course.defaults if level == "course" else uow.center.defaults).get(name)
        # Who is told is asked of the center at every sign-up where a run says nothing.
        same = level is not None and (value == usual or (name == "told" and value is None))
        unsaid = level is None and name in usual_values and value == usual_values[name]
        came = level if same and level else "usual" if unsaid else "own"
        origin_of[name] = Origin(from_=came, default_of=level, default=usual)
    return origin_of


# --- the price now -----------------------------------------------------------------------------------------


def price_now(uow: UnitOfWork, run: Run) -> PriceNow | None:
    """What one person pays at the first rate today, all in, and through which day it stands."""
    rates = rates_of(run)
    if not rates:
        return None
    terms, day, start = core_fees(run), uow.today, start_of(uow, run)
    ask = fees.Ask((fees.Heads(rates[0].code, 1),))
    total = fees.total_on(terms, ask, day, start)
    change = fees.next_change_of(terms, ask, day, start, uow.zone, total)
    until = None if change is None else schedule.day_before(core_gates.local_day(change.at, uow.zone))
    return PriceNow(
        amount=format_amount(total, run.currency),
        why=fees.unit_price(terms.rates[0], day, start, run.currency).why,
        until=until,
        then=None if change is None else format_amount(change.total, run.currency),
    )
