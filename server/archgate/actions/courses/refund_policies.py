"""Refund policies: read from a form, and as the core takes them."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from archgate.core import refunds
from archgate.core.money import format_amount, parse_amount, percent_text
from archgate.core.reader import Reader


def read_refunds(row: Reader, currency: str) -> dict[str, Any] | None:
    """A refund policy of a form: steps by days before the start, the fee kept in any case, the one for a transfer."""
    held = row.inner("refunds", "The refund policy", "steps kept_fee transfer_fee")
    if held is None:
        return None
    found: dict[int, str] = {}
    for step in held.rows("steps", "The steps", "days_before percent", most=12):
        days = step.whole("days_before", "The days before the start", 0, 3660, need=True)
        percent = step.percent("percent", "The percent given back", need=True)
        if days is not None and percent is not None:
            if days in found:
                step.fault("days_before", f"Two steps begin {days} days before the start.")
            found[days] = percent_text(percent)
    fee = held.amount("kept_fee", "The kept fee", currency)
    moving = held.amount("transfer_fee", "The fee for a transfer", currency)
    if not found:
        held.fault("steps", "A policy needs at least one step; without one everything is given back.")
    steps = [{"days_before": days, "percent": found[days]} for days in sorted(found, reverse=True)]
    fees = {"kept_fee": fee, "transfer_fee": moving}
    return {"steps": steps, **{name: format_amount(amount or 0, currency) for name, amount in fees.items()}}


def policy_of(held: dict[str, Any], currency: str) -> refunds.Policy:
    """A stored refund policy as the core sees it."""
    steps = tuple(refunds.RefundStep(s["days_before"], Decimal(s["percent"])) for s in held["steps"])
    fees = [
        parse_amount(held.get(n) or format_amount(0, currency), currency)
        for n in ("kept_fee", "transfer_fee")
    ]
    return refunds.Policy(steps, *fees)
