"""Accounts of payers: payments by hand, credit, refunds, write-offs, reversals, and what each account shows.

Credit of an account is what came in and settles nothing: every payment less its allocations. Whoever changes what
settles what first locks the account's row.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import exists, func, select
from sqlalchemy.orm import aliased

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import shown
from archgate.actions.kernel.commands import amount_of
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import held, money, owing
from archgate.actions.money.commands import (
    PayerCommand,
    PaymentCommand,
    WhyCommand,
)
from archgate.actions.money.views import (
    AccountDone,
    AccountEntry,
    AccountId,
    AccountOut,
    AccountPage,
    OpenInstallment,
    Owed,
    PaymentDone,
    Till,
    TillLine,
    TillMethod,
)
from archgate.actions.seats import seats
from archgate.core import accounts, ledger
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.core.states import Method
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account, Allocation, Entry, Payment, Posting
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment


def get_account(uow: UnitOfWork, account_id: int, lock: bool = False) -> Account:
    """An account; locked to be written to, after the runs whose held seats a payment may confirm (runs come before)."""
    account = None if lock else uow.session.get(Account, account_id)
    if lock:
        query = select(Account).where(Account.id == account_id)
        for run_id in sorted({e.run_id for e in held.seats_of(uow, account_id)}):
            if not seats.is_locked(uow, run_id):
                seats.run_to_change(uow, run_id)
        account = uow.session.scalar(query.with_for_update().execution_options(populate_existing=True))
    if account is None or account.owner.startswith("center:"):
        raise not_found("This account")
    return account


def account_for(uow: UnitOfWork, command: PayerCommand) -> AccountId:
    """The account of a payer in the center's currency, made when first asked for."""
    kind, number = payer_named(command)
    table = Person if kind == "person" else Organization
    if uow.session.get(table, number) is None:
        raise not_found("This payer")
    return AccountId(id=money.account_of(uow, f"{kind}:{number}", uow.center.currency).id)


def payer_named(command: PayerCommand) -> tuple[str, int]:
    """Whose account is meant: "person" or "organization", and the id."""
    person_id, organization_id = command.person_id, command.organization_id
    if person_id is not None and organization_id is None:
        return "person", person_id
    if organization_id is not None and person_id is None:
        return "organization", organization_id
    raise refuse("", "Say whose account: a person or an organization.")


def payer_name(uow: UnitOfWork, account: Account) -> str:
    if account.organization_id:
        return uow.session.get_one(Organization, account.organization_id).name
    return uow.session.get_one(Person, account.person_id).name


def open_of(uow: UnitOfWork, account_ids: list[int]) -> dict[int, list[tuple[Installment, int]]]:
    """What is open on accounts, by account, as the books say: of sign-ups that hold their seat, and what is kept of ended
    ones, each sign-up by its installments."""
    left = Installment.amount - owing.SETTLED
    query = (
        select(Enrollment.payer_id, Installment, left)
        .join(Installment, Installment.enrollment_id == Enrollment.id)
        .where(Enrollment.payer_id.in_(account_ids or [0]), owing.COUNTS, left > 0)
        .order_by(Installment.enrollment_id, Installment.n)
    )
    by_account: dict[int, list[tuple[Installment, int]]] = {}
    for payer, installment, amount in uow.session.execute(query):
        by_account.setdefault(payer, []).append((installment, int(amount)))
    return by_account


def open_parts(uow: UnitOfWork, account: Account) -> list[tuple[Installment, int]]:
    """What is open on one account."""
    return open_of(uow, [account.id]).get(account.id, [])


def free_payments(uow: UnitOfWork, account: Account) -> list[tuple[Payment, int]]:
    """Payments of an account that settle nothing in part or whole, oldest first, with how much of each is free."""
    used = select(func.sum(Allocation.amount)).where(Allocation.posting_id == Payment.posting_id)
    reversal = aliased(Posting)
    query = (
        select(Payment, func.coalesce(used.scalar_subquery(), 0))
        .where(Payment.account_id == account.id, ~exists().where(reversal.reverses_id == Payment.posting_id))
        .order_by(Payment.received_on, Payment.id)
    )
    payments = [(p, p.amount - int(used)) for p, used in uow.session.execute(query)]
    return [(p, free) for p, free in payments if free > 0]


def core_open(rows: list[tuple[Installment, int]]) -> list[accounts.Open]:
    return [accounts.Open(i.id, i.due, left) for i, left in rows]


# --- what people do ---------------------------------------------------------------------------------------


def take_payment(uow: UnitOfWork, account_id: int, command: PaymentCommand) -> PaymentDone:
    """Money that came in by hand: settles what is oldest due, or what is chosen; the rest stays as credit. A check that this
    payer gave before, by its number, is asked about first (409), unless `anyway`."""
    account = get_account(uow, account_id, lock=True)
    faults: list[Fault] = []
    amount = amount_of(command.amount, account.currency, "/amount", faults) or 0
    fee = amount_of(command.fee, account.currency, "/fee", faults) or 0
    method, reference = command.method, command.reference or ""
    received = command.received_on or uow.today
    if not faults and fee > amount:
        faults.append(Fault("/fee", "The bank cannot have kept more than was paid."))
    if not faults and amount == 0:
        faults.append(Fault("/amount", "A payment of nothing is none."))
    if method is Method.CARD:
        faults.append(Fault("/method", "A card is charged through the payment service, not entered by hand."))
    if method in (Method.CHECK, Method.PURCHASE_ORDER) and not reference:
        faults.append(Fault("/reference", f"Give the number of the {method}."))
    if received > uow.today:
        faults.append(Fault("/received_on", "Money cannot have come in after today."))
    chosen: dict[int, int] | None = None
    if command.installments is not None:
        chosen = {
            row.id: amount_of(row.amount, account.currency, f"/installments/{n}/amount", faults) or 0
            for n, row in enumerate(command.installments)
        }
    if faults:
        raise Refused(faults)
    if method is Method.CHECK and not command.anyway:
        refuse_known_check(uow, account, reference)
    open_rows = open_parts(uow, account)
    settled, credit = accounts.allocate(amount, core_open(open_rows), account.currency, chosen)
    payment = book(uow, account, CameIn(amount, fee, method, reference, received), settled)
    change = uow.log(
        Act.TAKE_A_PAYMENT,
        payment.id,
        f"{format_amount(amount, account.currency)} by {method} from {payer_name(uow, account)}",
    )
    return account_view(uow, account).widened(PaymentDone, 
        change=change.key, payment_id=payment.id, credit=format_amount(credit, account.currency))  # fmt: skip


@dataclass(frozen=True)
class CameIn:
    """Money that came in: in smallest units, with what a bank or the payment service kept of it."""

    amount: int
    fee: int
    method: Method
    reference: str
    received: date


def book(uow: UnitOfWork, account: Account, came: CameIn, settled: dict[int, int]) -> Payment:
    """Write money that came in to the books, under the account's lock: what it settles by installment, what was kept of it, and the
    seats that it makes firm."""
    currency, name = account.currency, payer_name(uow, account)
    drawer = money.center_account(uow, f"method:{came.method}", currency)
    posting = money.post(
        uow, ledger.payment_of(account.id, drawer, came.amount, currency), came.received,
        f"{came.method.capitalize()} from {name}{', ' + came.reference if came.reference else ''}",
    )  # fmt: skip
    uow.session.flush()
    payment = Payment(
        posting_id=posting.id, account_id=account.id, amount=came.amount, fee=came.fee, method=str(came.method),
        reference=came.reference, received_on=came.received,
    )  # fmt: skip
    uow.session.add(payment)
    if came.fee:
        who = "payment service" if came.method is Method.CARD else "bank"
        borne = money.center_account(uow, "service fees", currency)
        money.post(uow, ledger.service_fee_of(drawer, borne, came.fee, currency), came.received,
                   f"Kept by the {who} of {format_amount(came.amount, currency)} from {name}", caused_by_id=posting.id)  # fmt: skip
    settle(uow, posting.id, settled)
    uow.session.flush()
    held.confirm(uow, account)
    return payment


def refuse_known_check(uow: UnitOfWork, account: Account, number: str) -> None:
    """Whoever types a check again is told of the first."""
    reversal = aliased(Posting)
    query = select(Payment).where(
        Payment.account_id == account.id, Payment.method == "check", Payment.reference == number,
        ~exists().where(reversal.reverses_id == Payment.posting_id),
    )  # fmt: skip
    before = uow.session.scalars(query.order_by(Payment.id)).first()
    if before is not None:
        sentence = (
            f"Check {number} was taken already: {format_amount(before.amount, account.currency)} on"
            f" {day_text(before.received_on)}. Take it once more?"
        )
        raise conflict("same-check", sentence)


def settle(uow: UnitOfWork, posting_id: int, parts: dict[int, int]) -> None:
    for installment_id, part in parts.items():
        uow.session.add(Allocation(posting_id=posting_id, installment_id=installment_id, amount=part))


def reverse_payment(uow: UnitOfWork, payment_id: int, command: WhyCommand) -> AccountDone:
    """Take a payment back: the check bounced, the sum was typed wrong. What it settled is open again."""
    payment, why = uow.session.get(Payment, payment_id), command.why
    if payment is None:
        raise not_found("This payment")
    if payment.method == Method.CARD:
        raise conflict("by-card", "This came by card; pay it back to the card instead.")
    account = get_account(uow, payment.account_id, lock=True)
    take_back(uow, payment, why)
    change = uow.log(Act.REVERSE_A_PAYMENT, payment.id,
                      f"Took back {format_amount(payment.amount, account.currency)} by {payment.method}: {why}")  # fmt: skip
    return account_view(uow, account).widened(AccountDone, change=change.key)


def take_back(uow: UnitOfWork, payment: Payment, cause: str) -> None:
    """Reverse a payment's posting and free what it settled; refused when it was taken back, or paid back, already."""
    if uow.session.scalar(select(Posting.id).where(Posting.reverses_id == payment.posting_id)):
        raise conflict("reversed", "This payment was taken back already.")
    parts = uow.session.execute(
        select(Allocation.installment_id, func.sum(Allocation.amount))
        .where(Allocation.posting_id == payment.posting_id).group_by(Allocation.installment_id)
    ).all()  # fmt: skip
    if any(number is None and part for number, part in parts):
        raise conflict("paid-back", "Some of this payment was paid back already; it cannot be taken back.")
    for number, part in parts:
        if part:
            uow.session.add(
                Allocation(posting_id=payment.posting_id, installment_id=number, amount=-int(part))
            )
    # What a bank kept of it goes back with it.
    kept = uow.session.scalars(select(Posting).where(Posting.caused_by_id == payment.posting_id)).all()
    for row in [payment.posting, *kept]:
        money.post(uow, ledger.reversal_of(money.core_posting(row)), uow.today, cause, reverses_id=row.id)
    uow.session.flush()


def use_credit(uow: UnitOfWork, account_id: int) -> AccountDone:
    """Let the credit of an account settle what is oldest due."""
    account = get_account(uow, account_id, lock=True)
    used = settle_with_credit(uow, account)
    if not used:
        raise conflict("nothing-to-do", "There is no credit, or nothing open that it could settle.")
    sentence = (
        f"{format_amount(used, account.currency)} of credit settled what {payer_name(uow, account)} owed"
    )
    change = uow.log(Act.USE_CREDIT, account.id, sentence)
    return account_view(uow, account).widened(AccountDone, change=change.key)


def settle_with_credit(uow: UnitOfWork, account: Account, first: Sequence[int] = ()) -> int:
    """Settle what is oldest due from payments that are free, oldest first; how much that was.

    Sign-ups of `first` are settled before all others, in their order: what moves along stays with what it was paid for.
    """
    open_rows = open_parts(uow, account)
    used = 0
    for group in (*([n] for n in first), None):
        rows = core_open([r for r in open_rows if group is None or r[0].enrollment_id in group])
        for payment, free in free_payments(uow, account):
            settled, rest = accounts.allocate(free, rows, account.currency)
            settle(uow, payment.posting_id, settled)
            rows = [accounts.Open(r.id, r.due, r.left - settled.get(r.id, 0)) for r in rows]
            rows = [r for r in rows if r.left > 0]
            used += free - rest
        uow.session.flush()
        if group is not None:
            open_rows = open_parts(uow, account)
    held.confirm(uow, account)
    return used


# --- what an account shows --------------------------------------------------------------------------------


def account_page(uow: UnitOfWork, account_id: int, day: date | None = None) -> AccountPage:
    """One account: balance, what is open, credit, and every entry with its cause and the balance after it."""
    account = get_account(uow, account_id)
    rows = uow.session.execute(
        select(Entry.amount, Posting, Payment, Run.id, Run.code)
        .join(Posting, Posting.id == Entry.posting_id)
        .outerjoin(Payment, Payment.posting_id == Posting.id)
        .outerjoin(Enrollment, Enrollment.id == Posting.enrollment_id)
        .outerjoin(Run, Run.id == Enrollment.run_id)
        .where(Entry.account_id == account.id)
        .order_by(Posting.effective, Posting.id)
    ).all()
    reversed_ids = {p.reverses_id for _, p, *_ in rows if p.reverses_id}
    entries, balance = [], 0
    for amount, posting, payment, run_id, code in rows:
        if day and posting.effective > day:
            break
        balance += amount
        entries.append(AccountEntry(
            id=posting.id, day=posting.effective, entered=uow.local(posting.entered_at),
            kind=posting.kind, cause=posting.cause, run_id=run_id, run=code,
            payment_id=payment.id if payment and posting.id not in reversed_ids else None,
            by_card=payment is not None and payment.method == Method.CARD,
            amount=format_amount(amount, account.currency), balance=format_amount(balance, account.currency),
        ))  # fmt: skip
    return account_view(uow, account).widened(AccountPage, entries=entries, at=shown(day or uow.today),
            balance_at=format_amount(balance, account.currency))  # fmt: skip


def account_view(uow: UnitOfWork, account: Account) -> AccountOut:
    rows = open_parts(uow, account)
    about = {
        number: (code, name)
        for number, code, name in uow.session.execute(
            select(Enrollment.id, Run.code, Person.name)
            .join(Run, Run.id == Enrollment.run_id)
            .join(Person, Person.id == Enrollment.person_id)
            .where(Enrollment.id.in_({i.enrollment_id for i, _ in rows} or {0}))
        )
    }
    currency = account.currency
    balance = money.balances(uow, [account.id]).get(account.id, 0)
    return AccountOut(
        id=account.id, name=payer_name(uow, account), person_id=account.person_id,
        organization_id=account.organization_id, currency=currency, balance=format_amount(balance, currency),
        credit=format_amount(sum(f for _, f in free_payments(uow, account)), currency),
        open=[
            OpenInstallment(id=i.id, due=i.due, left=format_amount(left, currency), why=i.why,
             run=about[i.enrollment_id][0], who=about[i.enrollment_id][1], age=accounts.bucket_of(i.due, uow.today))
            for i, left in sorted(rows, key=lambda r: (r[0].due, r[0].id))
        ],
    )  # fmt: skip


def till(uow: UnitOfWork, day: date | None = None) -> Till:
    """What came in on a day, by method, payment by payment; taken-back ones are said and not counted."""
    at = day or uow.today
    rows = uow.session.execute(
        select(Payment, Account, Posting.cause, func.coalesce(Organization.name, Person.name))
        .join(Account, Account.id == Payment.account_id)
        .outerjoin(Organization, Organization.id == Account.organization_id).outerjoin(Person, Person.id == Account.person_id)
        .join(Posting, Posting.id == Payment.posting_id).where(Payment.received_on == at).order_by(Payment.method, Payment.id)
    ).all()  # fmt: skip
    back = set(
        uow.session.scalars(
            select(Posting.reverses_id).where(
                Posting.reverses_id.in_([p.posting_id for p, *_ in rows] or [0])
            )
        )
    )
    sums: dict[tuple[str, str], int] = {}
    lines = []
    for payment, account, cause, payer in rows:
        gone = payment.posting_id in back
        if not gone:
            key = (payment.method, account.currency)
            sums[key] = sums.get(key, 0) + payment.amount
        lines.append(TillLine(
            id=payment.id, account_id=account.id, name=payer, method=payment.method,
            reference=payment.reference, amount=format_amount(payment.amount, account.currency),
            currency=account.currency, cause=cause, taken_back=gone,
        ))  # fmt: skip
    methods = [
        TillMethod(method=m, currency=c, amount=format_amount(a, c)) for (m, c), a in sorted(sums.items())
    ]
    return Till(day=at, text=day_text(at), methods=methods, payments=lines)


def account_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """Accounts whose balance is not what is open less their credit; part of the nightly check.

    Charges of ended sign-ups are reversed, so what is open are the installments of those that hold their seat.
    """
    payers = select(Account).where(Account.owner.not_like("center:%"), span.holds(Account.id))
    by_id = {a.id: a for a in uow.session.scalars(payers)}
    balances = money.balances(uow, list(by_id))
    still = open_of(uow, list(by_id))
    faults = []
    for number, account in by_id.items():
        left = sum(part for _, part in still.get(number, []))
        credit = (
            sum(free for _, free in free_payments(uow, account)) if balances.get(number, 0) != left else 0
        )
        if balances.get(number, 0) != left - credit:
            faults.append(
                f"The account of {payer_name(uow, account)} owes {balances.get(number, 0)}, open are {left}, credit {credit}."
            )
    return faults


def owed_by(uow: UnitOfWork, person_ids: list[int]) -> dict[int, Owed]:
    """What people owe on their own accounts in the center's currency, or have as credit, and their next installment."""
    if not person_ids:
        return {}
    accounts = uow.session.scalars(
        select(Account).where(Account.person_id.in_(person_ids), Account.currency == uow.center.currency)
    ).all()
    sums = {a.id: a.balance for a in accounts}
    owe = [a.id for a in accounts if a.open]
    opened = select(Installment).where(Installment.payer_id.in_(owe), Installment.open_due.is_not(None))
    still = uow.session.scalars(opened) if owe else ()
    by_payer: dict[int, list[tuple[Installment, int]]] = {}
    for installment in still:
        by_payer.setdefault(installment.payer_id or 0, []).append((installment, installment.open))
    currency = uow.center.currency
    return {
        a.person_id: Owed(
            owed=format_amount(sums[a.id], currency) if sums[a.id] > 0 else None,
            credit=format_amount(-sums[a.id], currency) if sums[a.id] < 0 else None,
            next_due=money.next_due(by_payer.get(a.id, []), currency),
        )
        for a in accounts
        if a.person_id is not None and sums.get(a.id)
    }


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.TAKE_A_PAYMENT)
def undo_payment(uow: UnitOfWork, change: Change) -> None:
    payment = uow.session.get_one(Payment, change.subject_id)
    get_account(uow, payment.account_id, lock=True)
    take_back(uow, payment, "Undid the payment")
