"""Changing what a sign-up costs: the terms of a run, and what the center's runs start from.

Whole lists are changed; enrollments keep what they agreed. The functions of `actions.fees` read and keep them.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select

from archgate.actions.courses import refund_policies
from archgate.actions.courses.forms import CenterDefaultsForm
from archgate.actions.fees import fees, plans
from archgate.actions.fees.term_commands import CenterDefaultsPatch, TermsPatch
from archgate.actions.fees.views import Defaults, DefaultsChanged, PriceNow, TermsView
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome, refuse_lost_update
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Outcome, Touch
from archgate.actions.people import people
from archgate.actions.schedule import gates
from archgate.actions.seats import seats
from archgate.core import fees as core_fees
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.states import Told
from archgate.documents.fees import MOST_TAXES, read_group, read_taxes
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Center, Course, Run


def change_terms(uow: UnitOfWork, run_id: int, command: TermsPatch) -> Outcome:
    """Change a run's rates, extras, group steps, taxes or plans, as whole lists; enrollments keep what they agreed."""
    run = seats.run_to_change(uow, run_id)
    faults: list[Fault] = []
    row = Reader(document(command.set), "/set", faults, " ".join(fees.TERMS))
    names = [n for n in fees.TERMS if n in row.value]
    if not names:
        raise Refused([Fault("/set", f"Nothing to change; it takes {', '.join(fees.TERMS)}.")])
    views = fees.terms_view(run)
    before = fees.price_now(uow, run)
    read_terms(uow, run, row, names, faults)
    if faults:
        raise Refused(faults)
    shown_views = views.model_dump(mode="json", by_alias=True)
    seen = {n: bare(v) for n, v in document(command.seen).items()}
    refuse_lost_update({n: row.value[n] for n in names}, seen, {n: bare(shown_views[n]) for n in names})
    uow.session.flush()
    uow.session.refresh(run, ["rates", "extras", "plans"])
    gates.settle_gates(uow, run)
    change = uow.log(Act.CHANGE_TERMS, run.id, f"Changed the {' and the '.join(names)} of {run.code}")
    return outcome(
        uow,
        run,
        change.key,
        term_touches(before, fees.price_now(uow, run), views, fees.terms_view(run)),
    )


def read_terms(uow: UnitOfWork, run: Run, row: Reader, names: list[str], faults: list[Fault]) -> None:
    """Put what a form says on a run, unless something is wrong with it, also with what it leaves as it was."""
    rates = fees.read_rates(uow, row, run.currency) if "rates" in names else None
    codes = [r.code for r, _ in rates] if rates is not None else [r.code for r in fees.rates_of(run)]
    extras = fees.read_extras(row, run.currency, codes) if "extras" in names else None
    codes += [x.code for x, _ in extras] if extras is not None else [x.code for x in run.extras if x.active]
    twice = sorted({c for c in codes if codes.count(c) > 1})
    if twice and rates is not None and extras is None:
        row.fault("rates", f'An extra has the name "{twice[0]}" already.')
    group = read_group(row) if "group" in names else fees.core_group(run.group_steps)
    taxes = read_taxes(row, codes, MOST_TAXES) if "taxes" in names else fees.core_taxes(run.taxes)
    lost = sorted({c for t in taxes for c in t.on or ()} - set(codes))
    if lost and "taxes" not in names:
        row.fault(
            "rates" if rates is not None else "extras", f'A tax is on "{lost[0]}"; change the taxes too.'
        )
    kept = fees.core_fees(run)
    whole = core_fees.Fees(
        tuple(r for r, _ in rates) if rates is not None else kept.rates,
        tuple(x for x, _ in extras) if extras is not None else kept.extras,
        group,
        (),
        taxes,
    )
    totals = fees.whole_totals(whole)
    if "plans" in names:
        read = plans.read_plans(row, run.currency, totals)
    else:
        faults += [Fault(f"/set/{names[0]}", sentence) for sentence in plans.misfits(run, totals)]
    if faults:
        return
    if rates is not None:
        fees.settle_rates(uow, run, rates)
    if extras is not None:
        fees.settle_extras(uow, run, extras)
    if "group" in names:
        run.group_steps = fees.group_document(group)
    if "taxes" in names:
        run.taxes = fees.tax_document(taxes)
    if "plans" in names:
        plans.settle_plans(uow, run, read)


def bare(value: object) -> object:
    """A document without what says nothing, so that one with its gaps filled compares equal."""
    if isinstance(value, dict):
        return {k: bare(v) for k, v in value.items() if v not in (None, False, [], {}, "")}
    return [bare(v) for v in value] if isinstance(value, list) else value


def price_facts(price: PriceNow | None) -> dict[str, str]:
    """What is said of a price, by the label it has in the margin."""
    if price is None:
        return {}
    until = price.until.isoformat() if price.until else "none"
    return {"Price now": price.amount, "Price holds through": until, "Price then": price.then or "none"}


def term_facts(view: TermsView) -> dict[str, str]:
    return {
        **{f"Rate {r.label}": r.amount for r in view.rates},
        **{f"Extra {x.label}": x.amount for x in view.extras},
        **{f"Group from {g.from_}": f"{g.percent} percent off" for g in view.group},
        **{t.name: f"{t.percent} percent{' in the price' if t.included else ''}" for t in view.taxes},
        **{f"Plan {p.name}": "; ".join(x.text for x in p.lines) for p in view.plans},
    }


def term_touches(
    before: PriceNow | None, after: PriceNow | None, old: TermsView, new: TermsView
) -> list[Touch]:
    """What a change of terms moves, for the margin."""
    was = {**price_facts(before), **term_facts(old)}
    now = {**price_facts(after), **term_facts(new)}
    return [
        Touch(
            label=name,
            before=was.get(name, "none"),
            after=now.get(name, "none"),
            money=name.startswith(("Price now", "Price then", "Rate ", "Extra ")),
        )
        for name in {**was, **now}
        if was.get(name, "none") != now.get(name, "none")
    ]


# --- what a center starts from ----------------------------------------------------------------------------

CENTER_TERMS = ("extras", "group", "taxes", "plans", "refunds")


def center_defaults(uow: UnitOfWork) -> Defaults:
    """What runs start from where their course says nothing, and how many courses have an own value of each."""
    courses = uow.session.scalars(select(Course.defaults)).all()
    own = {name: sum(name in defaults for defaults in courses) for name in CENTER_TERMS}
    return Defaults(
        currency=uow.center.currency,
        values=CenterDefaultsForm.model_validate(uow.center.defaults),
        courses_differ=own,
    )


def change_center_defaults(uow: UnitOfWork, command: CenterDefaultsPatch) -> DefaultsChanged:
    """Set or, with null, forget defaults of the center. Runs that are there stay as they are."""
    lock_row(uow, Center, uow.center.id)
    faults: list[Fault] = []
    form = command.set
    row = Reader(document(form), "/set", faults, " ".join(CenterDefaultsForm.model_fields))
    names = [n for n in CenterDefaultsForm.model_fields if n in form.model_fields_set and n != "rates"]
    new = {name: read_default(uow, form, row, name) for name in names}
    if faults:
        raise Refused(faults)
    now = uow.center.defaults
    seen = {n: bare(v) for n, v in document(command.seen).items()}
    refuse_lost_update({n: bare(v) for n, v in new.items()}, seen, {n: bare(now.get(n)) for n in names})
    uow.center.defaults = {n: v for n, v in {**now, **new}.items() if v is not None}
    told = ", ".join(n.replace("_", " ") for n in names)
    change = uow.log(Act.CHANGE_DEFAULTS, uow.center.id, f"Changed what runs start from: {told}")
    uow.session.flush()
    return center_defaults(uow).widened(DefaultsChanged, change=change.key)


def read_default(uow: UnitOfWork, form: CenterDefaultsForm, row: Reader, name: str) -> object:
    """One default of a form as it is kept, its faults with the row's; None forgets it."""
    currency = uow.center.currency
    if getattr(form, name) is None:
        return None
    if name == "extras":
        return [extra_kept(extra, item, currency) for extra, item in fees.read_extras(row, currency, ())]
    if name == "group":
        return fees.group_document(read_group(row))
    if name == "taxes":
        return fees.tax_document(read_taxes(row, None, MOST_TAXES))
    if name == "refunds" and form.refunds is not None:
        return refund_policies.document_of(form.refunds, currency, "/set/refunds", row.faults)
    if name == "told":
        return told_in_order(form.told)
    if name == "office_email" and form.office_email and people.email_fault(form.office_email):
        row.fault(name, f'"{form.office_email}" is not an email address.')
    if name == "plans":
        read = plans.read_plans(row, currency, [0])
        return [
            plans.plan_document(plans.plan_row(facts, lines, n), currency)
            for n, (_, facts, lines) in enumerate(read, 1)
        ]
    kept: object = getattr(form, name)
    return kept


def extra_kept(extra: core_fees.Extra, item: str | None, currency: str) -> Document:
    """An extra as a default keeps it: what says nothing is left out."""
    facts: Document = {
        "code": extra.code,
        "label": extra.label,
        "amount": format_amount(extra.amount, currency),
        "required": extra.required,
        "most": extra.most,
        "item": item,
    }
    return {name: value for name, value in facts.items() if value}


def told_in_order(told: Iterable[Told] | None) -> list[str]:
    """Who hears of an enrollment, in the order in which they are always named."""
    return [str(who) for who in Told if who in (told or ())]
