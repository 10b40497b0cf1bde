"""Accounts of payers: what they owe, payments by hand, credit, refunds, write-offs, the till, and what is outstanding."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from fastapi import Depends, Query, Request, Response

from archgate.actions.access.staff import User
from archgate.actions.kernel.lookups import logo_of
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork
from archgate.actions.money import accounts, invoices, outstanding, paying_out
from archgate.actions.money.commands import (
    ConfirmCommand,
    IssueCommand,
    PayerCommand,
    PaymentCommand,
    RefundCommand,
    SendCommand,
    WhyCommand,
    WriteOffCommand,
)
from archgate.actions.money.views import (
    AccountDone,
    AccountId,
    AccountPage,
    InvoiceDone,
    InvoiceOut,
    Invoices,
    InvoiceSent,
    OpenList,
    Outstanding,
    PayerList,
    PaymentDone,
    Till,
    UnearnedRow,
)
from archgate.api.web import Subject, may, once, run_act, run_read
from archgate.papers.invoices import Paper, pdf_of
from archgate.papers.lists import csv_file

router = Subject(tags=["money"])


@router.post("/accounts")
def account_for(body: PayerCommand, request: Request, user: User = Depends(may("read"))) -> AccountId:
    """The account of a payer in the center's currency; made when first asked for."""
    return run_act(request, user, lambda uow: accounts.account_for(uow, body))


@router.get("/accounts/{account_id}")
def get_account(
    account_id: int, request: Request, at: date | None = None, user: User = Depends(may("read"))
) -> AccountPage:
    """One account with every entry, its cause and the balance after it; `at` shows it as of a day."""
    return run_read(request, user, lambda uow: paying_out.account_page(uow, account_id, at))


@router.get("/accounts/{account_id}/entries.csv", response_class=Response)
def entries_file(account_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    lines = run_read(request, user, lambda uow: outstanding.entry_lines(uow, account_id))
    return Response(
        csv_file(lines), media_type="text/csv; charset=utf-8", headers=named(f"account-{account_id}")
    )


@router.post("/accounts/{account_id}/payments", status_code=201)
def take_payment(
    account_id: int,
    body: PaymentCommand,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> PaymentDone:
    """Money that came in by hand: cash, check, transfer or purchase order."""
    return run_act(request, user, lambda uow: accounts.take_payment(uow, account_id, body), once=key)


@router.post("/payments/{payment_id}/reverse")
def reverse_payment(
    payment_id: int, body: WhyCommand, request: Request, user: User = Depends(may("pay back"))
) -> AccountDone:
    """Take a payment back, with the reason; what it settled is open again."""
    return run_act(request, user, lambda uow: accounts.reverse_payment(uow, payment_id, body))


@router.post("/accounts/{account_id}/use-credit")
def use_credit(account_id: int, request: Request, user: User = Depends(may("take money"))) -> AccountDone:
    """Let credit settle what is oldest due."""
    return run_act(request, user, lambda uow: accounts.use_credit(uow, account_id))


@router.post("/accounts/{account_id}/refunds", status_code=201)
def refund(
    account_id: int,
    body: RefundCommand,
    request: Request,
    user: User = Depends(may("pay back")),
    key: Once | None = Depends(once),
) -> AccountDone:
    """Pay credit back, never more than there is."""
    return run_act(request, user, lambda uow: paying_out.refund(uow, account_id, body), once=key)


@router.post("/accounts/{account_id}/write-offs", status_code=201)
def write_off(
    account_id: int,
    body: WriteOffCommand,
    request: Request,
    user: User = Depends(may("pay back")),
    key: Once | None = Depends(once),
) -> AccountDone:
    """Stop expecting what is left of an installment, with a reason."""
    return run_act(request, user, lambda uow: paying_out.write_off(uow, account_id, body), once=key)


@router.post("/money-waiting/{waiting_id}/decision")
def decide_money(
    waiting_id: int, body: ConfirmCommand, request: Request, user: User = Depends(may("read"))
) -> AccountDone:
    """Confirm a refund or write-off that somebody else asked for, or refuse it; one's own is only taken back."""
    said = body.said or ""
    return run_act(request, user, lambda uow: paying_out.decide(uow, waiting_id, body.confirm, said))


@router.get("/till")
def till(request: Request, day: date | None = None, user: User = Depends(may("read"))) -> Till:
    """What came in on a day, by method."""
    return run_read(request, user, lambda uow: accounts.till(uow, day))


@router.get("/outstanding")
def get_outstanding(
    request: Request, run_id: int | None = None, user: User = Depends(may("read"))
) -> Outstanding:
    """What is owed by age and week, and what is not earned yet; of the whole center or of one run."""
    return run_read(request, user, lambda uow: outstanding.outstanding(uow, run_id))


@router.get("/outstanding/payers")
def list_payers(
    request: Request,
    run_id: int | None = None,
    after: str = Query(default="", max_length=400),
    user: User = Depends(may("read")),
) -> PayerList:
    """A page of those who owe something or have a credit, longest overdue first; `after` is the cursor of the page before."""
    return run_read(request, user, lambda uow: outstanding.payers(uow, run_id, after))


@router.get("/outstanding.csv", response_class=Response)
def outstanding_file(request: Request, user: User = Depends(may("read"))) -> Response:
    lines = run_read(request, user, outstanding.payer_lines)
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=named("outstanding"))


@router.get("/outstanding/open")
def open_rows(
    request: Request,
    run_id: int | None = None,
    week: date | None = None,
    age: str | None = None,
    after: str = "",
    user: User = Depends(may("read")),
) -> OpenList:
    """The open installments behind a figure: of the week that begins on a Monday, of an age, of a run."""
    return run_read(request, user, lambda uow: outstanding.open_rows(uow, run_id, week, age, after))


@router.get("/outstanding/open.csv", response_class=Response)
def open_file(
    request: Request,
    run_id: int | None = None,
    week: date | None = None,
    age: str | None = None,
    user: User = Depends(may("read")),
) -> Response:
    lines = run_read(
        request, user, lambda uow: outstanding.open_lines(uow, run_id=run_id, week=week, age=age)
    )
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=named("open"))


@router.get("/outstanding/unearned")
def unearned_rows(
    request: Request, run_id: int | None = None, month: date | None = None, user: User = Depends(may("read"))
) -> list[UnearnedRow]:
    """The runs behind what is not earned yet, by the first of the month in which they end."""
    return run_read(request, user, lambda uow: outstanding.unearned_rows(uow, run_id, month))


@router.get("/outstanding/unearned.csv", response_class=Response)
def unearned_file(
    request: Request, run_id: int | None = None, month: date | None = None, user: User = Depends(may("read"))
) -> Response:
    lines = run_read(request, user, lambda uow: outstanding.unearned_lines(uow, run_id=run_id, month=month))
    return Response(csv_file(lines), media_type="text/csv; charset=utf-8", headers=named("not-earned-yet"))


@router.get("/accounts/{account_id}/invoices")
def list_invoices(account_id: int, request: Request, user: User = Depends(may("read"))) -> Invoices:
    return run_read(request, user, lambda uow: invoices.of_account(uow, account_id))


@router.post("/accounts/{account_id}/invoices", status_code=201)
def issue_invoice(
    account_id: int,
    body: IssueCommand,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> InvoiceDone:
    """One invoice for everything of an account that is not invoiced yet."""
    return run_act(request, user, lambda uow: invoices.issue(uow, account_id, body.send), once=key)


@router.get("/accounts/{account_id}/pro-forma.pdf", response_class=Response)
def pro_forma(account_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """What an invoice would say now, without a number."""
    return pdf(request, user, "pro-forma", lambda uow: invoices.pro_forma(uow, account_id))


@router.get("/accounts/{account_id}/statement.pdf", response_class=Response)
def account_statement_file(account_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    """Every entry of an account with its cause, the balance, and what is still due."""
    return pdf(request, user, "statement", lambda uow: invoices.statement(uow, account_id))


@router.get("/invoices/{invoice_id}/paper.pdf", response_class=Response)
def invoice_paper(invoice_id: int, request: Request, user: User = Depends(may("read"))) -> Response:
    number = run_read(request, user, lambda uow: invoices.get_invoice(uow, invoice_id).number)
    return pdf(request, user, number, lambda uow: invoices.document(uow, invoice_id)[1])


@router.post("/invoices/{invoice_id}/credit-note", status_code=201)
def credit_note(
    invoice_id: int, body: WhyCommand, request: Request, user: User = Depends(may("take money"))
) -> InvoiceDone:
    """Take an invoice back whole, with the reason."""
    return run_act(request, user, lambda uow: invoices.credit_note(uow, invoice_id, body))


@router.post("/accounts/{account_id}/credit-notes", status_code=201)
def credit_differences(
    account_id: int,
    body: IssueCommand,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> InvoiceDone:
    """One credit note for every sign-up that comes to less than was invoiced of it."""
    return run_act(
        request, user, lambda uow: invoices.credit_differences(uow, account_id, body.send), once=key
    )


@router.post("/invoices/{invoice_id}/send", status_code=202)
def send_paper(
    invoice_id: int,
    body: SendCommand,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> InvoiceSent:
    """Send an invoice, a credit note or a receipt to its payer as a PDF."""
    return run_act(request, user, lambda uow: invoices.send(uow, invoice_id, body.email), once=key)


@router.post("/payments/{payment_id}/receipt", status_code=201)
def receipt(payment_id: int, request: Request, user: User = Depends(may("take money"))) -> InvoiceOut:
    """The receipt of a payment; asked for again it is the same."""
    return run_act(request, user, lambda uow: invoices.receipt(uow, payment_id))


def pdf(request: Request, user: User, name: str, making: Callable[[UnitOfWork], Paper]) -> Response:
    """A paper as PDF, with the logo that it names."""

    def reading(uow: UnitOfWork) -> tuple[Paper, bytes | None]:
        paper = making(uow)
        return paper, logo_of(uow, paper.logo)

    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"'}
    return Response(pdf_of(*run_read(request, user, reading)), media_type="application/pdf", headers=headers)


@router.get("/ledger.txt", response_class=Response)
def ledger_file(request: Request, user: User = Depends(may("read"))) -> Response:
    """The whole ledger as plain text of double entries, for any bookkeeping tool that reads such."""
    text = run_read(request, user, outstanding.ledger_file)
    headers = {"Content-Disposition": 'attachment; filename="ledger.txt"'}
    return Response(text, media_type="text/plain; charset=utf-8", headers=headers)


def named(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}.csv"'}
