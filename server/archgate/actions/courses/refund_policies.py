"""Refund policies: read from a form, and as the core takes them."""

from __future__ import annotations

from decimal import Decimal

from archgate.actions.courses.commands import RefundForm
from archgate.actions.kernel.commands import amount_of
from archgate.core import refunds
from archgate.core.faults import Fault
from archgate.core.money import decimal_text, format_amount, parse_amount
from archgate.documents.reader import Document


def document_of(form: RefundForm, currency: str, at: str, faults: list[Fault]) -> Document:
    """A refund policy as it is kept: steps by days before the start, longest first, the fee kept in any case, the one for a
    transfer."""
    percents: dict[int, str] = {}
    for n, step in enumerate(form.steps):
        if step.days_before in percents:
            sentence = f"Two steps begin {step.days_before} days before the start."
            faults.append(Fault(f"{at}/steps/{n}/days_before", sentence))
        percents[step.days_before] = decimal_text(Decimal(step.percent))
    if not percents:
        sentence = "A policy needs at least one step; without one everything is given back."
        faults.append(Fault(f"{at}/steps", sentence))
    kept = amount_of(form.kept_fee, currency, f"{at}/kept_fee", faults) or 0
    moving = amount_of(form.transfer_fee, currency, f"{at}/transfer_fee", faults) or 0
    return {
        "steps": [
            {"days_before": days, "percent": percents[days]} for days in sorted(percents, reverse=True)
        ],
        "kept_fee": format_amount(kept, currency),
        "transfer_fee": format_amount(moving, currency),
    }


def policy_of(form: RefundForm, currency: str) -> refunds.Policy:
    """A stored refund policy as the core sees it."""
    steps = tuple(refunds.RefundStep(s.days_before, Decimal(s.percent)) for s in form.steps)
    nothing = format_amount(0, currency)
    kept_fee, moving = form.kept_fee or nothing, form.transfer_fee or nothing
    return refunds.Policy(steps, parse_amount(kept_fee, currency), parse_amount(moving, currency))
