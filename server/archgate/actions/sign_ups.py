"""Changing a sign-up that holds its seat: extras added later, with the plan worked out again and shown before it is saved."""

from __future__ import annotations

from typing import Any

from archgate.actions import accounts, fees, money, roster, stock
from archgate.actions.problems import conflict
from archgate.actions.schedule import shown
from archgate.actions.transaction import Deed
from archgate.core import ledger, plans
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount, parse_amount
from archgate.core.reader import Reader
from archgate.core.taxes import taxes_on
from archgate.tables.fees import EnrollmentExtra
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment


def add_extra(deed: Deed, enrollment_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Add an extra to a sign-up at today's price. What is paid or due stands; the rest of the plan takes the difference.

    `total`, where given, is the new total the screen showed; a differing one answers 409 with both.
    """
    enrollment, run, _ = roster.locked_enrollment(deed, enrollment_id)
    if enrollment.status != "seated":
        raise conflict("not-seated", "This person no longer holds a seat here.")
    faults: list[Fault] = []
    top = Reader(body, "", faults, "extra_id count total")
    number = top.whole("extra_id", "The extra", 1, 2**62, need=True)
    count = top.whole("count", "The number", 1, 10_000, need=True)
    extra = next((x for x in run.extras if x.active and x.id == number), None)
    held = next((x for x in enrollment.extras if x.extra_id == number), None)
    if number is not None and extra is None:
        top.fault("extra_id", "The run has no such extra.")
    if extra and count and extra.most is not None and (held.quantity if held else 0) + count > extra.most:
        top.fault("count", f"At most {extra.most} of {extra.label} go with one sign-up.")
    if extra and count and extra.item and extra.item.on_hand < count:
        top.fault("count", f"{extra.item.on_hand} of {extra.label} are in stock, not {count}.")
    if faults or extra is None or count is None:
        raise Refused(faults)
    account = accounts.get_account(deed, enrollment.payer_id, lock=True)
    currency, before = enrollment.currency, plan_view(deed, enrollment)
    amount = extra.amount * count
    taxes = fees.core_taxes(run.taxes)
    sums = taxes_on(taxes, {extra.code: amount})
    added = [(t.name, part, t.included) for t, part in zip(taxes, sums, strict=True) if part]
    total = enrollment.total + amount + sum(part for _, part, included in added if not included)
    if top.has("total") and top.value["total"] != format_amount(total, currency):
        said = f"The total was {top.value['total']} when it was shown and is {format_amount(total, currency)} now."
        raise conflict("total-changed", said, shown=top.value["total"], now=format_amount(total, currency))
    enrollment.quote = with_extra(enrollment, extra.code, extra.label, count, extra.amount, added, total)
    enrollment.total = total
    if held:
        held.quantity += count
    else:
        enrollment.extras.append(EnrollmentExtra(extra_id=extra.id, quantity=count, extra=extra))
    name = enrollment.person.name
    if extra.item:
        stock.move(deed, extra.item, -count, f"{name}, {run.code}", enrollment.id)
    for posting in ledger.sign_up_postings(
        account.id, lambda room: money.center_account(deed, room, currency), [amount], added, currency
    ):
        money.post(
            deed, posting, deed.today, f"{name}, {run.code}, {extra.label}", enrollment_id=enrollment.id
        )
    replan(deed, enrollment, f"{extra.label}, added later.")
    accounts.settle_with_credit(deed, account)
    many = f"{count} x {extra.label}" if count > 1 else extra.label
    change = deed.log(
        "add an extra", "enrollment", enrollment.id, f"Added {many} for {name} on {run.code}", run_id=run.id
    )
    return {
        "change": change.key, "enrollment_id": enrollment.id, "name": name, "currency": currency,
        "total": format_amount(total, currency), "before": before, "after": plan_view(deed, enrollment),
    }  # fmt: skip


def with_extra(
    enrollment: Enrollment,
    code: str,
    label: str,
    count: int,
    unit: int,
    added: list[tuple[str, int, bool]],
    total: int,
) -> dict[str, Any]:
    """The quote of a sign-up with one more line; the lines that were agreed stay word for word."""
    currency, quote = enrollment.currency, enrollment.quote
    line = {
        "kind": "extra", "code": code, "label": label, "quantity": count, "unit": format_amount(unit, currency),
        "amount": format_amount(unit * count, currency), "why": "Added after sign-up, at the price of that day.", "early": False,
    }  # fmt: skip
    sums = {t["name"]: dict(t) for t in quote.get("taxes", [])}
    for name, part, included in added:
        old = sums.setdefault(
            name, {"name": name, "amount": format_amount(0, currency), "included": included}
        )
        old["amount"] = format_amount(parse_amount(old["amount"], currency) + part, currency)
    subtotal = parse_amount(quote["subtotal"], currency) + unit * count
    return {
        **quote, "lines": [*quote["lines"], line], "taxes": list(sums.values()),
        "subtotal": format_amount(subtotal, currency), "total": format_amount(total, currency),
    }  # fmt: skip


def replan(deed: Deed, enrollment: Enrollment, why: str) -> None:
    """Work the plan of a sign-up out again for its total (`core.plans.replanned`)."""
    deed.session.flush()
    rows = sorted((i for i in enrollment.installments if i.kind == "plan"), key=lambda i: i.n)
    left = {i.id: part for i, part in money.open_installments(deed, [enrollment.id]).get(enrollment.id, [])}
    standing = tuple(plans.Standing(i.n, i.due, i.amount, i.amount - left.get(i.id, 0)) for i in rows)
    found = plans.replanned(standing, enrollment.total, deed.today)
    for row, amount in zip(rows, found.amounts, strict=True):
        row.amount = amount
    if found.extra:
        n = max((i.n for i in enrollment.installments), default=0) + 1
        new = Installment(n=n, due=deed.today, amount=found.extra, settle="any", why=why)
        enrollment.installments.append(new)
    deed.session.flush()


def plan_view(deed: Deed, enrollment: Enrollment) -> list[dict[str, Any]]:
    """The installments of a sign-up with what is left of each."""
    left = {i.id: part for i, part in money.open_installments(deed, [enrollment.id]).get(enrollment.id, [])}
    rows = sorted((i for i in enrollment.installments if i.kind == "plan"), key=lambda i: (i.due, i.n))
    currency = enrollment.currency
    return [
        {
            "due": shown(i.due),
            "amount": format_amount(i.amount, currency),
            "left": format_amount(left.get(i.id, 0), currency),
        }
        for i in rows
    ]
