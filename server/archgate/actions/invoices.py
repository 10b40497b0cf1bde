"""Invoices, credit notes and receipts: numbered without gaps, kept as issued, never changed.

An invoice takes every sign-up of an account that holds its seat, costs something and is on no standing invoice. A credit
note takes an invoice back whole. The number is taken last, under the lock of its series, in the same transaction: a
transaction that is rolled back gives its number back with it.
"""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert

from archgate.actions import accounts, messages, money
from archgate.actions.problems import Problem, conflict, not_found
from archgate.actions.schedule import shown
from archgate.actions.transaction import Deed
from archgate.core.faults import refuse
from archgate.core.money import format_amount, parse_amount
from archgate.core.schedule import day_text
from archgate.papers.words import amount_text, money_text
from archgate.tables.courses import Run
from archgate.tables.money import Account, Invoice, InvoicedEnrollment, NumberSeries, Payment, Posting
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment

PREFIX = {"invoice": "INV", "credit note": "CN", "receipt": "R"}


def next_number(deed: Deed, kind: str) -> str:
    """The next number of a series, its row locked until the transaction ends."""
    name = PREFIX[kind]
    made = insert(NumberSeries).values(name=name, next=1)
    deed.session.execute(made.on_duplicate_key_update(name=name))
    query = select(NumberSeries).where(NumberSeries.name == name).with_for_update()
    row = deed.session.scalars(query.execution_options(populate_existing=True)).one()
    number = row.next
    row.next += 1
    deed.session.flush()
    return f"{name}-{number:06d}"


def pending(deed: Deed, account: Account) -> list[Enrollment]:
    """The sign-ups of an account that are on no standing invoice; a zero total is never invoiced."""
    credited = select(Invoice.reverses_id).where(Invoice.reverses_id.is_not(None))
    standing = (
        select(InvoicedEnrollment.enrollment_id).join(Invoice, Invoice.id == InvoicedEnrollment.invoice_id)
        .where(Invoice.kind == "invoice", Invoice.id.not_in(credited))
    )  # fmt: skip
    query = select(Enrollment).where(
        Enrollment.payer_id == account.id,
        Enrollment.live == 1,
        Enrollment.total > 0,
        Enrollment.id.not_in(standing),
    )
    return list(deed.session.scalars(query.order_by(Enrollment.enrolled_at, Enrollment.id)))


def document_of(deed: Deed, account: Account, rows: list[Enrollment], title: str) -> dict[str, Any]:
    """What an invoice says: each learner with run and lines, taxes by name, and what is still due when."""
    currency = account.currency
    runs = {
        r.id: r for r in deed.session.scalars(select(Run).where(Run.id.in_({e.run_id for e in rows} or {0})))
    }
    taxes: dict[tuple[str, bool], int] = {}
    lines = []
    for e in rows:
        run = runs[e.run_id]
        first = f", from {day_text(run.meetings[0].date)}" if run.meetings else ""
        for n, line in enumerate(e.quote["lines"]):
            many = f" x {line['quantity']}" if line["quantity"] > 1 else ""
            lines.append({
                "what": f"{line['label']}{many}",
                "more": f"{e.person.name}, {run.title or run.course.title} ({run.code}{first})" if n == 0 else "",
                "amount": amount_text(line["amount"], currency),
            })  # fmt: skip
        for tax in e.quote.get("taxes", []):
            key = (tax["name"], tax["included"])
            taxes[key] = taxes.get(key, 0) + parse_amount(tax["amount"], currency)
    left = money.open_installments(deed, [e.id for e in rows])
    dues = sorted((i.due, amount) for held in left.values() for i, amount in held)
    return {
        "title": title, "number": None, "center": deed.center.name, "date": day_text(deed.today),
        "payer": accounts.payer_name(deed, account), "notes": [], "lines": lines,
        "taxes": [
            {"what": f"{name}, in the prices above" if included else name, "amount": money_text(amount, currency)}
            for (name, included), amount in taxes.items() if amount
        ],
        "total": money_text(sum(e.total for e in rows), currency),
        "dues": [{"what": day_text(due), "amount": money_text(amount, currency)} for due, amount in dues],
    }  # fmt: skip


def issue(deed: Deed, account_id: int, send: bool = False) -> dict[str, Any]:
    """One invoice for everything of an account that is not invoiced yet."""
    account = accounts.get_account(deed, account_id, lock=True)
    rows = pending(deed, account)
    if not rows:
        raise conflict("nothing-to-do", "Everything on this account is invoiced, or comes to nothing.")
    email = deed.session.get_one(Person, account.person_id).email if account.person_id else None
    if send and not email:
        raise refuse("/send", "This payer has no email here; print the invoice instead.")
    document = document_of(deed, account, rows, "Invoice")
    invoice = keep(deed, account, "invoice", sum(e.total for e in rows), document)
    deed.session.add_all([InvoicedEnrollment(invoice_id=invoice.id, enrollment_id=e.id) for e in rows])
    deed.session.flush()
    change = deed.log(
        "issue an invoice", "invoice", invoice.id, f"Issued {invoice.number} to {document['payer']}"
    )
    if send:
        body = f"Dear {document['payer']},\n\nyour invoice {invoice.number} of {document['total']} is ready.\n\n{deed.center.name}"
        messages.write(
            deed, change, email, document["payer"], f"Invoice {invoice.number}", body, account.person_id
        )
    return {"change": change.key, **invoice_view(invoice)}


def keep(
    deed: Deed, account: Account, kind: str, total: int, document: dict[str, Any], **ties: int | None
) -> Invoice:
    """Number a document and keep it as it is; nothing is locked after the series."""
    number = next_number(deed, kind)
    row = Invoice(
        kind=kind, number=number, account_id=account.id, currency=account.currency, issued_on=deed.today, total=total,
        document={**document, "number": number}, user_id=deed.user_id, at=deed.now, **ties,
    )  # fmt: skip
    deed.session.add(row)
    deed.session.flush()
    return row


def get_invoice(deed: Deed, invoice_id: int) -> Invoice:
    row = deed.session.get(Invoice, invoice_id)
    if row is None:
        raise not_found("This invoice")
    return row


def credit_note(deed: Deed, invoice_id: int, why: str) -> dict[str, Any]:
    """Take an invoice back whole, with the reason; what still holds can be invoiced anew."""
    invoice = get_invoice(deed, invoice_id)
    if not why.strip() or len(why) > 500:
        raise refuse("/why", "Say why in up to 500 characters.")
    account = accounts.get_account(deed, invoice.account_id, lock=True)
    if invoice.kind != "invoice":
        raise Problem(422, "not-an-invoice", "Only an invoice can be taken back.")
    if deed.session.scalar(select(Invoice.id).where(Invoice.reverses_id == invoice.id)):
        raise conflict("credited", f"{invoice.number} was taken back already.")
    document = {**invoice.document, "title": "Credit note", "date": day_text(deed.today), "dues": [],
                "notes": [f"Takes back invoice {invoice.number} of {invoice.document['date']}. {why.strip()}"],
                "total": money_text(-invoice.total, invoice.currency)}  # fmt: skip
    note = keep(deed, account, "credit note", -invoice.total, document, reverses_id=invoice.id)
    change = deed.log(
        "issue a credit note", "invoice", note.id, f"{note.number} takes back {invoice.number}: {why.strip()}"
    )
    return {"change": change.key, **invoice_view(note)}


def receipt(deed: Deed, payment_id: int) -> dict[str, Any]:
    """The receipt of a payment, numbered once; asked for again it is the same."""
    payment = deed.session.get(Payment, payment_id)
    if payment is None:
        raise not_found("This payment")
    account = accounts.get_account(deed, payment.account_id, lock=True)
    held = deed.session.scalar(select(Invoice).where(Invoice.payment_id == payment.id))
    if held is None:
        if deed.session.scalar(select(Posting.id).where(Posting.reverses_id == payment.posting_id)):
            raise conflict("reversed", "This payment was taken back; there is no receipt for it.")
        by = payment.method + (f", {payment.reference}" if payment.reference else "")
        document = {
            "title": "Receipt", "number": None, "center": deed.center.name, "date": day_text(payment.received_on),
            "payer": accounts.payer_name(deed, account), "notes": [], "taxes": [], "dues": [],
            "lines": [{"what": f"Received by {by}", "more": "", "amount": money_text(payment.amount, account.currency)}],
            "total": money_text(payment.amount, account.currency),
        }  # fmt: skip
        held = keep(deed, account, "receipt", payment.amount, document, payment_id=payment.id)
        deed.log("issue a receipt", "invoice", held.id, f"Issued {held.number} to {document['payer']}")
    return invoice_view(held)


def invoice_view(row: Invoice) -> dict[str, Any]:
    return {
        "id": row.id, "kind": row.kind, "number": row.number, "issued_on": shown(row.issued_on),
        "total": format_amount(row.total, row.currency), "currency": row.currency, "reverses_id": row.reverses_id,
    }  # fmt: skip


def of_account(deed: Deed, account_id: int) -> dict[str, Any]:
    """The invoices of an account, newest first, and what is not invoiced yet."""
    account = accounts.get_account(deed, account_id)
    rows = deed.session.scalars(
        select(Invoice).where(Invoice.account_id == account.id).order_by(Invoice.id.desc())
    ).all()
    waiting = pending(deed, account)
    back = {r.reverses_id for r in rows if r.reverses_id}
    return {
        "items": [{**invoice_view(r), "taken_back": r.id in back} for r in rows], "pending": len(waiting),
        "pending_total": format_amount(sum(e.total for e in waiting), account.currency), "currency": account.currency,
    }  # fmt: skip


def document(deed: Deed, invoice_id: int) -> tuple[str, dict[str, Any]]:
    row = get_invoice(deed, invoice_id)
    return row.number, row.document


def pro_forma(deed: Deed, account_id: int) -> dict[str, Any]:
    """What an invoice would say now; it has no number and is not kept."""
    account = accounts.get_account(deed, account_id)
    rows = pending(deed, account)
    if not rows:
        raise conflict("nothing-to-do", "Everything on this account is invoiced, or comes to nothing.")
    return {**document_of(deed, account, rows, "Pro-forma invoice"), "notes": ["This is not an invoice."]}


def statement(deed: Deed, account_id: int) -> dict[str, Any]:
    """The statement of an account as of today: every entry with its cause, the balance, and what is still due when."""
    page = accounts.account_page(deed, account_id)
    currency = page["currency"]

    return {
        "title": "Statement of account", "number": None, "center": deed.center.name, "date": day_text(deed.today),
        "payer": page["name"], "notes": [], "taxes": [],
        "lines": [
            {"what": f"{day_text(date.fromisoformat(e['day']))}, {e['kind']}", "more": e["cause"], "amount": amount_text(e["amount"], currency)}
            for e in page["entries"]
        ],
        "total": amount_text(page["balance"], currency),
        "dues": [
            {"what": f"{day_text(date.fromisoformat(o['due']))}, {o['run']}", "amount": amount_text(o["left"], currency)} for o in page["open"]
        ],
    }  # fmt: skip


def series_faults(deed: Deed) -> list[str]:
    """Gaps in a number series, or a next number that does not follow the last; part of the nightly check."""
    found = []
    for name, following in deed.session.execute(select(NumberSeries.name, NumberSeries.next)):
        numbers = deed.session.scalars(select(Invoice.number).where(Invoice.number.like(f"{name}-%"))).all()
        held = sorted(int(n.rpartition("-")[2]) for n in numbers)
        if held != list(range(1, following)):
            found.append(f"The series {name} has a gap.")
    return found
