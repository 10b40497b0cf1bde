"""Invoices, credit notes and receipts: numbered without gaps, kept as issued, never changed.

An invoice takes every sign-up of an account that comes to more than was invoiced of it; a credit note those that come to
less (a price went down, a seat was given back), or takes one invoice back whole. The number is taken last, under the lock of its series, in the same transaction: a
transaction that is rolled back gives its number back with it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

from sqlalchemy import Integer, cast, func, select
from sqlalchemy.dialects.mysql import insert

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts, money
from archgate.actions.money.commands import WhyCommand
from archgate.actions.money.views import InvoiceDone, InvoiceLine, InvoiceOut, Invoices, InvoiceSent
from archgate.actions.people import people
from archgate.core.faults import Refused, refuse
from archgate.core.money import format_amount
from archgate.core.quotes import Line
from archgate.core.schedule import day_text
from archgate.core.states import PaperSize
from archgate.papers.invoices import Paper, PaperLine
from archgate.papers.letters.occasions import PaperDue, PaperSent
from archgate.papers.letters.writing import written
from archgate.papers.words import amount_text, money_text
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import (
    Account,
    Allocation,
    Invoice,
    InvoicedEnrollment,
    NumberSeries,
    Payment,
    Posting,
)
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment

PREFIX = {"invoice": "INV", "credit note": "CN", "receipt": "R"}


def next_number(uow: UnitOfWork, kind: str) -> str:
    """The next number of a series of papers, its row locked until the transaction ends."""
    return next_of(uow, PREFIX[kind])


def next_of(uow: UnitOfWork, name: str) -> str:
    made = insert(NumberSeries).values(name=name, next=1)
    uow.session.execute(made.on_duplicate_key_update(name=name))
    query = select(NumberSeries).where(NumberSeries.name == name).with_for_update()
    row = uow.session.scalars(query.execution_options(populate_existing=True)).one()
    number = row.next
    row.next += 1
    uow.session.flush()
    return f"{name}-{number:06d}"


KEPT_OF = (
    select(func.coalesce(func.sum(Installment.amount), 0))
    .where(Installment.enrollment_id == Enrollment.id, Installment.kind == "kept")
    .scalar_subquery()
)
# What a sign-up comes to now: its total while it holds its seat, what is kept of it after.
WORTH = func.if_(Enrollment.live == 1, Enrollment.total, KEPT_OF)
# What papers of the account that pays for it have said so far.
ON_PAPER = (
    select(func.coalesce(func.sum(InvoicedEnrollment.amount), 0))
    .join(Invoice, Invoice.id == InvoicedEnrollment.invoice_id)
    .where(InvoicedEnrollment.enrollment_id == Enrollment.id, Invoice.account_id == Enrollment.payer_id)
    .scalar_subquery()
)


def differing(uow: UnitOfWork, account_id: int) -> dict[int, tuple[int, int]]:
    """Every sign-up of an account whose papers do not say what it comes to: by how much they miss it, and what they say."""
    each = select(Enrollment.id, (WORTH - ON_PAPER).label("missing"), ON_PAPER.label("said"))
    found = each.where(Enrollment.payer_id == account_id).subquery()
    rows = uow.session.execute(select(found).where(found.c.missing != 0))
    return {number: (int(missing), int(said)) for number, missing, said in rows}


def taxes_on_paper(uow: UnitOfWork, account: Account, enrollments: list[int]) -> dict[int, dict[str, int]]:
    """The taxes that papers of an account have said so far of its sign-ups, by name."""
    rows = uow.session.execute(
        select(InvoicedEnrollment.enrollment_id, InvoicedEnrollment.taxes)
        .join(Invoice, Invoice.id == InvoicedEnrollment.invoice_id)
        .where(Invoice.account_id == account.id, InvoicedEnrollment.enrollment_id.in_(enrollments or [0]))
    )
    sums: dict[int, dict[str, int]] = {}
    for number, said in rows:
        taxes = sums.setdefault(number, {})
        for name, amount in said.items():
            taxes[name] = taxes.get(name, 0) + amount
    return sums


@dataclass(frozen=True)
class Difference:
    """What a sign-up comes to beside what was invoiced of it; `first`: nothing was."""

    enrollment: Enrollment
    amount: int
    taxes: dict[str, int]
    first: bool


def differences(uow: UnitOfWork, account: Account) -> list[Difference]:
    """The same with the sign-ups themselves and the taxes in each difference, in the order of sign-up."""
    missing = differing(uow, account.id)
    said = taxes_on_paper(uow, account, list(missing))
    query = select(Enrollment).where(Enrollment.id.in_(missing or {0}))
    lines = []
    for e in uow.session.scalars(query.order_by(Enrollment.enrolled_at, Enrollment.id)):
        amount, was = missing[e.id]
        taxes = {t.name: t.amount for t in e.quote.taxes if t.amount} if e.live else {}
        of_it = said.get(e.id, {})
        parts = {n: taxes.get(n, 0) - of_it.get(n, 0) for n in sorted({*taxes, *of_it})}
        lines.append(Difference(e, amount, {n: p for n, p in parts.items() if p}, was == 0))
    return lines


def pending(uow: UnitOfWork, account: Account) -> list[Difference]:
    """What the next invoice takes: sign-ups that come to more than was invoiced. A zero total is never invoiced."""
    return [d for d in differences(uow, account) if d.amount > 0]


def to_credit(uow: UnitOfWork, account: Account) -> list[Difference]:
    """What the next credit note takes: sign-ups that come to less than was invoiced."""
    return [d for d in differences(uow, account) if d.amount < 0]


def document_of(uow: UnitOfWork, account: Account, rows: list[Difference], title: str) -> Paper:
    """What an invoice says: each learner with run and lines, taxes by name, what is still due when, the runs' notes.

    A sign-up that was invoiced before is one line with the difference.
    """
    currency = account.currency
    ids = {d.enrollment.run_id for d in rows}
    runs = {r.id: r for r in uow.session.scalars(select(Run).where(Run.id.in_(ids or {0})))}
    included = {t.name: t.included for d in rows for t in d.enrollment.quote.taxes}
    taxes: dict[str, int] = {}
    lines = []
    for d in rows:
        e, run = d.enrollment, runs[d.enrollment.run_id]
        first = f", from {day_text(run.meetings[0].date)}" if run.meetings else ""
        about = f"{learners_of(e)}, {run.title or run.course.title} ({run.code}{first})"
        if d.first and e.live:
            shown_lines = [(many_of(x), x.amount) for x in e.quote.lines]
        else:
            on_top = sum(a for n, a in d.taxes.items() if not included.get(n))
            label = (
                "Change of the sign-up"
                if e.live
                else "Kept of a seat given back"
                if d.amount > 0
                else "Seat given back"
            )
            shown_lines = [(label, d.amount - on_top)]
        for n, (what, amount) in enumerate(shown_lines):
            more = about if n == 0 else ""
            lines.append(
                PaperLine(what=what, more=more, amount=money_text(amount, currency, uow.center.number_format))
            )
        for name, amount in d.taxes.items():
            taxes[name] = taxes.get(name, 0) + amount
    left = money.open_installments(uow, [d.enrollment.id for d in rows if d.enrollment.live])
    dues = sorted((i.due, amount) for opened in left.values() for i, amount in opened)
    return Paper(
        title=title,
        **letterhead(uow),
        date=day_text(uow.today),
        payer=accounts.payer_name(uow, account),
        payer_lines=payer_lines(uow, account),
        notes=order_numbers(rows) + sorted({r.receipt_note for r in runs.values() if r.receipt_note}),
        lines=lines,
        taxes=[
            PaperLine(
                what=f"{name}, in the prices above" if included.get(name) else name,
                amount=money_text(amount, currency, uow.center.number_format),
            )
            for name, amount in taxes.items()
            if amount
        ],
        total=money_text(sum(d.amount for d in rows), currency, uow.center.number_format),
        dues=[
            PaperLine(what=day_text(due), amount=money_text(amount, currency, uow.center.number_format))
            for due, amount in dues
        ],
    )


class Letterhead(TypedDict):
    center: str
    address: list[str]
    logo: int | None
    size: PaperSize


def letterhead(uow: UnitOfWork) -> Letterhead:
    """How papers begin: the center's name, address and logo, and the size they are set in."""
    c = uow.center
    lines = [line.strip() for line in c.address.splitlines() if line.strip()]
    return Letterhead(center=c.name, address=lines, logo=c.logo_id, size=c.paper_size)


def learners_of(e: Enrollment) -> str:
    """Every learner of a sign-up by name; heads without one are counted."""
    named = [p.person.name for p in e.places if p.person is not None]
    open_heads = e.heads - 1 - len(named)
    rest = [f"{open_heads} more"] if open_heads > 0 else []
    return ", ".join([e.person.name, *named, *rest])


def payer_lines(uow: UnitOfWork, account: Account) -> list[str]:
    """What stands under the name of an organization on papers: its address, and its number."""
    row = uow.session.get(Organization, account.organization_id) if account.organization_id else None
    if row is None:
        return []
    lines = [line.strip() for line in row.address.splitlines() if line.strip()]
    return [*lines, f"No. {row.number}"] if row.number else lines


def order_numbers(rows: list[Difference]) -> list[str]:
    """The purchase orders that sign-ups came by."""
    found = sorted({d.enrollment.order_number for d in rows if d.enrollment.order_number})
    return [f"Your order: {', '.join(found)}"] if found else []


def many_of(line: Line) -> str:
    return line.label + (f" x {line.quantity}" if line.quantity > 1 else "")


def issue(
    uow: UnitOfWork, account_id: int, send: bool = False, enrollment_id: int | None = None
) -> InvoiceDone:
    """One invoice for everything of an account that is not invoiced yet, or for one sign-up; with `send` the payer gets it by email."""
    account = accounts.get_account(uow, account_id, lock=True)
    rows = [d for d in pending(uow, account) if enrollment_id in (None, d.enrollment.id)]
    if not rows:
        raise conflict("nothing-to-do", "Everything on this account is invoiced, or comes to nothing.")
    email = email_of(uow, account) if send else None
    invoice = keep(
        uow, account, "invoice", sum(d.amount for d in rows), document_of(uow, account, rows, "Invoice")
    )
    say(uow, invoice, rows)
    change = uow.log(
        Act.ISSUE_AN_INVOICE,
        invoice.id,
        f"Issued {invoice.number} to {Paper.model_validate(invoice.document).payer}",
    )
    if email:
        mail(uow, change, invoice, email)
    return invoice_view(invoice).widened(InvoiceDone, change=change.key)


def say(uow: UnitOfWork, invoice: Invoice, rows: list[Difference]) -> None:
    """Write down what a paper says of each sign-up."""
    uow.session.add_all(
        InvoicedEnrollment(
            invoice_id=invoice.id, enrollment_id=d.enrollment.id, amount=d.amount, taxes=d.taxes
        )
        for d in rows
    )
    uow.session.flush()


def email_of(uow: UnitOfWork, account: Account, typed: str | None = None) -> str:
    """Where papers of an account go; a typed one is kept for an organization that has none. Refused when there is none."""
    if typed is not None and people.email_fault(typed):
        raise refuse("/email", f'"{typed}" is not an email address.')
    if account.organization_id:
        organization = uow.session.get_one(Organization, account.organization_id)
        organization.email = typed or organization.email
        email = organization.email
    else:
        email = typed or uow.session.get_one(Person, account.person_id).email
    if not email:
        raise refuse("/email", "This payer has no email here; give one, or print the paper instead.")
    return email


def mail(uow: UnitOfWork, change: Change, invoice: Invoice, email: str) -> None:
    """Send a paper to its payer, as a PDF that goes with a few words."""
    paper = Paper.model_validate(invoice.document)
    occasion = PaperSent(
        center=uow.center.name,
        payer=paper.payer,
        kind=invoice.kind,
        number=invoice.number,
        total=paper.total,
        dues=tuple(PaperDue(d.amount, d.what) for d in paper.dues),
    )
    person_id = uow.session.get_one(Account, invoice.account_id).person_id
    to = messages.Addressee(paper.payer, email, person_id)
    messages.write(uow, change, to, written(occasion), invoice_id=invoice.id)


def send(uow: UnitOfWork, invoice_id: int, typed: str | None = None) -> InvoiceSent:
    """Send a paper that was issued before, once more or for the first time, to the payer or to a typed address."""
    invoice = get_invoice(uow, invoice_id)
    email = email_of(uow, accounts.get_account(uow, invoice.account_id), typed)
    change = uow.log(Act.SEND_A_PAPER, invoice.id, f"Sent {invoice.number} to {email}")
    mail(uow, change, invoice, email)
    return invoice_view(invoice).widened(InvoiceSent, change=change.key, email=email)


def send_if_possible(uow: UnitOfWork, invoice_id: int) -> str | None:
    """Send a paper to its payer's address; None where there is none, and nothing is sent."""
    try:
        return send(uow, invoice_id).email
    except Refused:
        return None


def keep(
    uow: UnitOfWork, account: Account, kind: str, total: int, document: Paper, **ties: int | None
) -> Invoice:
    """Number a document and keep it as it is; nothing is locked after the series."""
    number = next_number(uow, kind)
    row = Invoice(
        kind=kind,
        number=number,
        account_id=account.id,
        currency=account.currency,
        issued_on=uow.today,
        total=total,
        document={**document.model_dump(), "number": number},
        user_id=uow.by,
        at=uow.now,
        **ties,
    )
    uow.session.add(row)
    uow.session.flush()
    return row


def get_invoice(uow: UnitOfWork, invoice_id: int) -> Invoice:
    row = uow.session.get(Invoice, invoice_id)
    if row is None:
        raise not_found("This invoice")
    return row


def credit_note(uow: UnitOfWork, invoice_id: int, command: WhyCommand) -> InvoiceDone:
    """Take an invoice back whole, with the reason; what still holds can be invoiced anew."""
    invoice = get_invoice(uow, invoice_id)
    why = command.why
    account = accounts.get_account(uow, invoice.account_id, lock=True)
    if invoice.kind != "invoice":
        raise Problem(422, "not-an-invoice", "Only an invoice can be taken back.")
    if uow.session.scalar(select(Invoice.id).where(Invoice.reverses_id == invoice.id)):
        raise conflict("credited", f"{invoice.number} was taken back already.")
    issued = Paper.model_validate(invoice.document)
    document = issued.model_copy(
        update={
            "title": "Credit note",
            "date": day_text(uow.today),
            "dues": [],
            "notes": [f"Takes back invoice {invoice.number} of {issued.date}. {why}"],
            "total": money_text(-invoice.total, invoice.currency, uow.center.number_format),
        }
    )
    note = keep(uow, account, "credit note", -invoice.total, document, reverses_id=invoice.id)
    for row in uow.session.scalars(
        select(InvoicedEnrollment).where(InvoicedEnrollment.invoice_id == invoice.id)
    ).all():
        less = {name: -amount for name, amount in row.taxes.items()}
        uow.session.add(
            InvoicedEnrollment(
                invoice_id=note.id, enrollment_id=row.enrollment_id, amount=-row.amount, taxes=less
            )
        )
    uow.session.flush()
    change = uow.log(Act.ISSUE_A_CREDIT_NOTE, note.id, f"{note.number} takes back {invoice.number}: {why}")
    return invoice_view(note).widened(InvoiceDone, change=change.key)


def credit_differences(uow: UnitOfWork, account_id: int, send: bool = False) -> InvoiceDone:
    """One credit note for every sign-up that comes to less than was invoiced of it."""
    account = accounts.get_account(uow, account_id, lock=True)
    rows = to_credit(uow, account)
    if not rows:
        raise conflict("nothing-to-do", "Nothing on this account comes to less than was invoiced.")
    email = email_of(uow, account) if send else None
    document = document_of(uow, account, rows, "Credit note").model_copy(update={"dues": []})
    note = keep(uow, account, "credit note", sum(d.amount for d in rows), document)
    say(uow, note, rows)
    change = uow.log(Act.ISSUE_A_CREDIT_NOTE, note.id, f"Issued {note.number} to {document.payer}")
    if email:
        mail(uow, change, note, email)
    return invoice_view(note).widened(InvoiceDone, change=change.key)


def receipt(uow: UnitOfWork, payment_id: int) -> InvoiceOut:
    """The receipt of a payment, numbered once; asked for again it is the same."""
    payment = uow.session.get(Payment, payment_id)
    if payment is None:
        raise not_found("This payment")
    account = accounts.get_account(uow, payment.account_id, lock=True)
    issued = uow.session.scalar(select(Invoice).where(Invoice.payment_id == payment.id))
    if issued is None:
        if uow.session.scalar(select(Posting.id).where(Posting.reverses_id == payment.posting_id)):
            raise conflict("reversed", "This payment was taken back; there is no receipt for it.")
        by = payment.method + (f", {payment.reference}" if payment.reference else "")
        total = money_text(payment.amount, account.currency, uow.center.number_format)
        document = Paper(
            title="Receipt",
            **letterhead(uow),
            date=day_text(payment.received_on),
            payer=accounts.payer_name(uow, account),
            payer_lines=payer_lines(uow, account),
            notes=notes_of(uow, payment),
            lines=[PaperLine(what=f"Received by {by}", amount=total)],
            total=total,
        )
        issued = keep(uow, account, "receipt", payment.amount, document, payment_id=payment.id)
        uow.log(Act.ISSUE_A_RECEIPT, issued.id, f"Issued {issued.number} to {document.payer}")
    return invoice_view(issued)


def notes_of(uow: UnitOfWork, payment: Payment) -> list[str]:
    """The receipt notes of the runs that a payment settles something of."""
    query = (
        select(Run.receipt_note)
        .join(Enrollment, Enrollment.run_id == Run.id)
        .join(Installment, Installment.enrollment_id == Enrollment.id)
        .join(Allocation, Allocation.installment_id == Installment.id)
        .where(Allocation.posting_id == payment.posting_id, Run.receipt_note != "")
        .distinct()
    )
    return sorted(uow.session.scalars(query))


def invoice_view(row: Invoice) -> InvoiceOut:
    return InvoiceOut(
        id=row.id,
        kind=row.kind,
        number=row.number,
        issued_on=row.issued_on,
        total=format_amount(row.total, row.currency),
        currency=row.currency,
        reverses_id=row.reverses_id,
    )


def of_account(uow: UnitOfWork, account_id: int) -> Invoices:
    """The invoices of an account, newest first, and what is not invoiced yet."""
    account = accounts.get_account(uow, account_id)
    rows = uow.session.scalars(
        select(Invoice).where(Invoice.account_id == account.id).order_by(Invoice.id.desc())
    ).all()
    missing = [amount for amount, _ in differing(uow, account.id).values()]
    more, less = [m for m in missing if m > 0], [m for m in missing if m < 0]
    back = {r.reverses_id for r in rows if r.reverses_id}
    return Invoices(
        items=[invoice_view(r).widened(InvoiceLine, taken_back=r.id in back) for r in rows],
        pending=len(more),
        pending_total=format_amount(sum(more), account.currency),
        currency=account.currency,
        to_credit=len(less),
        to_credit_total=format_amount(-sum(less), account.currency),
    )


def document(uow: UnitOfWork, invoice_id: int) -> tuple[str, Paper]:
    row = get_invoice(uow, invoice_id)
    return row.number, Paper.model_validate(row.document)


def pro_forma(uow: UnitOfWork, account_id: int) -> Paper:
    """What an invoice would say now, without a number."""
    account = accounts.get_account(uow, account_id)
    rows = pending(uow, account)
    if not rows:
        raise conflict("nothing-to-do", "Everything on this account is invoiced, or comes to nothing.")
    paper = document_of(uow, account, rows, "Pro-forma invoice")
    return paper.model_copy(update={"notes": ["This is not an invoice.", *paper.notes]})


def statement(uow: UnitOfWork, account_id: int) -> Paper:
    """The statement of an account as of today: every entry with its cause, the balance, and what is still due when."""
    page = accounts.account_page(uow, account_id)
    currency = page.currency
    return Paper(
        title="Statement of account",
        **letterhead(uow),
        date=day_text(uow.today),
        payer=page.name,
        lines=[
            PaperLine(
                what=f"{day_text(e.day)}, {e.kind}",
                more=e.cause,
                amount=amount_text(e.amount, currency, uow.center.number_format),
            )
            for e in page.entries
        ],
        total=amount_text(page.balance, currency, uow.center.number_format),
        dues=[
            PaperLine(
                what=f"{day_text(o.due)}, {o.run}",
                amount=amount_text(o.left, currency, uow.center.number_format),
            )
            for o in page.open
        ],
    )


def series_faults(uow: UnitOfWork) -> list[str]:
    """Gaps in a number series, or a next number that does not follow the last; part of the nightly check. A number stands
    once (a unique key), so a series without a gap has as many numbers as its last says."""
    faults = []
    own = select(NumberSeries.name, NumberSeries.next).where(NumberSeries.name.in_(PREFIX.values()))
    for name, following in uow.session.execute(own):
        number = cast(func.substring_index(Invoice.number, "-", -1), Integer)
        used, last = uow.session.execute(
            select(func.count(), func.max(number)).where(Invoice.number.like(f"{name}-%"))
        ).one()
        if (used, last or 0) != (following - 1, following - 1):
            faults.append(f"The series {name} has a gap.")
    return faults
