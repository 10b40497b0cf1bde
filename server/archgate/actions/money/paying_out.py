"""What leaves the books in a payer's favor: refunds and write-offs; above the center's sum only when two agree.

Nothing is posted while one waits, and nothing is set aside for it: what can no longer be when it is confirmed is refused then,
in the words it would have been refused in at first. Whoever decides holds the account's lock, so that it is decided once.
"""

from __future__ import annotations

from datetime import date

from sqlalchemy import func, select
from sqlalchemy.orm import aliased

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import amount_of
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, card_refunds, card_views, cards, money
from archgate.actions.money.commands import RefundCommand, WriteOffCommand
from archgate.actions.money.views import AccountDone, AccountPage, MoneyWaitsOut
from archgate.core import ledger
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.rights import Right
from archgate.core.states import Method, MoneyOut, WaitingMoney
from archgate.tables.access import User
from archgate.tables.money import Account, Allocation, Entry, MoneyWaiting, Payment, Posting
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment

SHOWN = 50
WORDS = {MoneyOut.REFUND: "pay back", MoneyOut.WRITE_OFF: "write off"}


def refund(uow: UnitOfWork, account_id: int, command: RefundCommand) -> AccountDone:
    """Pay credit back to a payer, never more than there is; above the center's sum it waits for a second person."""
    return asked_or_done(uow, account_id, MoneyOut.REFUND, command)


def write_off(uow: UnitOfWork, account_id: int, command: WriteOffCommand) -> AccountDone:
    """Stop expecting what is left of an installment, with a reason; above the center's sum it waits for a second person."""
    return asked_or_done(uow, account_id, MoneyOut.WRITE_OFF, command)


def asked_or_done(
    uow: UnitOfWork, account_id: int, kind: MoneyOut, command: RefundCommand | WriteOffCommand
) -> AccountDone:
    """Post a refund or a write-off, or have it wait where the center wants a second person. What went out of this account the
    same way today counts with it, so that a large sum in small parts waits as well."""
    account = accounts.get_account(uow, account_id, lock=True)
    amount = (
        refundable(uow, account, command)
        if isinstance(command, RefundCommand)
        else open_part(uow, account, command)[1]
    )
    limit = uow.center.confirm_above
    if limit is not None and amount + out_today(uow, account, kind) > limit:
        return ask(uow, account, kind, amount, command)
    return carry_out(uow, account, command)


def out_today(uow: UnitOfWork, account: Account, kind: MoneyOut) -> int:
    """What went out of an account the same way today, without what was confirmed by a second person."""
    posted = ledger.Kind.REFUND if kind is MoneyOut.REFUND else ledger.Kind.WRITE_OFF
    total = uow.session.scalar(
        select(func.sum(Entry.amount))
        .join(Posting, Posting.id == Entry.posting_id)
        .where(Entry.account_id == account.id, Posting.kind == posted, Posting.effective == uow.today)
    )
    return abs(int(total or 0)) - confirmed_today(uow, account, kind)


def carry_out(
    uow: UnitOfWork, account: Account, command: RefundCommand | WriteOffCommand, by: str = ""
) -> AccountDone:
    """Post it; `by` says who asked for it where somebody else confirms."""
    if isinstance(command, RefundCommand):
        return post_refund(uow, account, command, by)
    return post_write_off(uow, account, command, by)


def refundable(uow: UnitOfWork, account: Account, command: RefundCommand) -> int:
    """The sum of a refund that can be; raises Refused with every reason why it cannot."""
    faults: list[Fault] = []
    amount = amount_of(command.amount, account.currency, "/amount", faults) or 0
    by_card = command.method is Method.CARD
    if by_card:
        cards.refuse_without_service()
        credit = sum(left for *_, left in card_refunds.free_by_card(uow, account))
    else:
        credit = sum(f for _, f in accounts.free_payments(uow, account))
    if not faults and amount == 0:
        faults.append(Fault("/amount", "A refund of nothing is none."))
    if amount > credit:
        came = " that came by card" if by_card else ""
        sentence = f"There is {format_amount(credit, account.currency)} of credit{came} to pay back."
        faults.append(Fault("/amount", sentence))
    if command.method is Method.PURCHASE_ORDER:
        faults.append(Fault("/method", "The method is one of cash, check, transfer, card."))
    if faults:
        raise Refused(faults)
    return amount


def post_refund(uow: UnitOfWork, account: Account, command: RefundCommand, by: str) -> AccountDone:
    amount, free = refundable(uow, account, command), accounts.free_payments(uow, account)
    method, why = command.method, command.why
    if method is Method.CARD:
        card_refunds.post_refunds(uow, account, amount, why)
    else:
        post_by_hand(uow, account, amount, command, free)
    change = uow.log(Act.REFUND, account.id,
                      f"Paid {format_amount(amount, account.currency)} back to {accounts.payer_name(uow, account)} by {method}: {why}{by}")  # fmt: skip
    return accounts.account_view(uow, account).widened(AccountDone, change=change.key)


def post_by_hand(
    uow: UnitOfWork, account: Account, amount: int, command: RefundCommand, free: list[tuple[Payment, int]]
) -> None:
    """Post a refund that is handed over or sent by people, from what is free, the oldest first."""
    method, why = command.method, command.why
    drawer = money.center_account(uow, f"method:{method}", account.currency)
    money.post(uow, ledger.refund_of(account.id, drawer, amount, account.currency), uow.today, why)
    left = amount
    for payment, part in free:
        taken = min(left, part)
        if taken:
            uow.session.add(Allocation(posting_id=payment.posting_id, installment_id=None, amount=taken))
        left -= taken
    uow.session.flush()


def open_part(uow: UnitOfWork, account: Account, command: WriteOffCommand) -> tuple[Installment, int]:
    """What is left of an installment that is open on an account."""
    rows = accounts.open_parts(uow, account)
    row = next((r for r in rows if r[0].id == command.installment_id), None)
    if row is None:
        raise refuse("/installment_id", "This installment is not open on the account.")
    return row


def post_write_off(uow: UnitOfWork, account: Account, command: WriteOffCommand, by: str) -> AccountDone:
    installment, left = open_part(uow, account, command)
    why = command.why
    lost = money.center_account(uow, "write-offs", account.currency)
    posting = money.post(uow, ledger.write_off_of(account.id, lost, left, account.currency), uow.today, why,
                         enrollment_id=installment.enrollment_id)  # fmt: skip
    uow.session.flush()
    accounts.settle(uow, posting.id, {installment.id: left})
    uow.session.flush()
    change = uow.log(Act.WRITE_OFF, account.id,
                      f"Wrote off {format_amount(left, account.currency)} of {accounts.payer_name(uow, account)}: {why}{by}")  # fmt: skip
    return accounts.account_view(uow, account).widened(AccountDone, change=change.key)


# --- with a second person ---------------------------------------------------------------------------------


def ask(
    uow: UnitOfWork, account: Account, kind: MoneyOut, amount: int, command: RefundCommand | WriteOffCommand
) -> AccountDone:
    """Write down what waits for a second person; the same asked twice is one."""
    form = command.model_dump(mode="json")
    same = select(MoneyWaiting).where(
        MoneyWaiting.account_id == account.id,
        MoneyWaiting.kind == kind,
        MoneyWaiting.status == WaitingMoney.WAITS,
    )
    if any(row.form == form for row in uow.session.scalars(same)):
        raise conflict("waits-already", "This waits already for somebody to confirm it.")
    row = MoneyWaiting(
        kind=kind, account_id=account.id, amount=amount, form=form, why=command.why, status=WaitingMoney.WAITS,
        asked_by=uow.user_id, asked_at=uow.now, decided_by=None, decided_at=None,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    text = format_amount(amount, account.currency)
    whom = accounts.payer_name(uow, account)
    change = uow.log(
        Act.ASK_TO_CONFIRM_MONEY, account.id, f"Asked to {WORDS[kind]} {text}, {whom}: {command.why}"
    )
    return accounts.account_view(uow, account).widened(AccountDone, change=change.key, waits=True)


def confirmed_today(uow: UnitOfWork, account: Account, kind: MoneyOut) -> int:
    """What of today's was confirmed by two: it was looked at, and counts no more."""
    begun = uow.now.astimezone(uow.zone).replace(hour=0, minute=0, second=0, microsecond=0)
    total = uow.session.scalar(
        select(func.sum(MoneyWaiting.amount)).where(
            MoneyWaiting.account_id == account.id,
            MoneyWaiting.kind == kind,
            MoneyWaiting.status == WaitingMoney.CONFIRMED,
            MoneyWaiting.decided_at >= begun,
        )
    )
    return int(total or 0)


def decide(uow: UnitOfWork, waiting_id: int, confirm: bool, said: str) -> AccountDone:
    """Confirm what somebody else asked for, which posts it, or refuse it with a word. Whoever asked may take it back by refusing,
    and never confirms."""
    found = uow.session.get(MoneyWaiting, waiting_id)
    if found is None:
        raise not_found("This")
    account = accounts.get_account(uow, found.account_id, lock=True)
    row = uow.session.get_one(MoneyWaiting, waiting_id, populate_existing=True)
    asked_by = uow.session.get_one(User, row.asked_by)
    if row.status is not WaitingMoney.WAITS:
        by = uow.session.get_one(User, row.decided_by)
        raise conflict("decided", f"{by.name} {row.status} this already.")
    own = row.asked_by == uow.user_id
    if confirm and own:
        raise Problem(403, "second-person", "You asked for this; somebody else confirms it.")
    if not own:
        uow.need(Right.CONFIRM_MONEY)
    if not confirm and not own and not said:
        raise refuse("/said", "Say why not; whoever asked reads it.")
    row.status = WaitingMoney.CONFIRMED if confirm else WaitingMoney.REFUSED
    row.decided_by, row.decided_at, row.said = uow.user_id, uow.now, said
    uow.session.flush()
    if confirm:
        command = (
            RefundCommand.model_validate(row.form)
            if row.kind is MoneyOut.REFUND
            else WriteOffCommand.model_validate(row.form)
        )
        if isinstance(command, WriteOffCommand) and open_part(uow, account, command)[1] != row.amount:
            raise conflict(
                "moved-on", "Another sum is open by now than was asked for; refuse this, and ask anew."
            )
        return carry_out(uow, account, command, f" (asked by {asked_by.name})")
    text = format_amount(row.amount, account.currency)
    verb = "Took back the wish" if own else f"Refused {asked_by.name}"
    tail = f": {said}" if said else ""
    change = uow.log(Act.REFUSE_MONEY, account.id, f"{verb} to {WORDS[row.kind]} {text}{tail}")
    return accounts.account_view(uow, account).widened(AccountDone, change=change.key)


def waiting(uow: UnitOfWork, account_id: int | None = None) -> list[MoneyWaitsOut]:
    """What waits for a second person, the oldest first; of one account or of all."""
    asker = aliased(User)
    query = (
        select(MoneyWaiting, Account.currency, Person.name, Organization.name, asker.name)
        .join(Account, Account.id == MoneyWaiting.account_id)
        .join(asker, asker.id == MoneyWaiting.asked_by)
        .outerjoin(Person, Person.id == Account.person_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(MoneyWaiting.status == WaitingMoney.WAITS)
        .order_by(MoneyWaiting.asked_at, MoneyWaiting.id)
        .limit(SHOWN)
    )
    if account_id is not None:
        query = query.where(MoneyWaiting.account_id == account_id)
    rows = uow.session.execute(query)
    return [
        waiting_view(uow, row, currency, person or organization, by)
        for row, currency, person, organization, by in rows
    ]


def waiting_view(uow: UnitOfWork, row: MoneyWaiting, currency: str, name: str, by: str) -> MoneyWaitsOut:
    own = uow.user is not None and row.asked_by == uow.user.id
    return MoneyWaitsOut(
        id=row.id,
        kind=row.kind,
        account_id=row.account_id,
        name=name,
        amount=format_amount(row.amount, currency),
        currency=currency,
        why=row.why,
        asked_by=by,
        asked=uow.local(row.asked_at),
        own=own,
        mine=not own and uow.user is not None and uow.user.may(Right.CONFIRM_MONEY),
    )


def account_page(uow: UnitOfWork, account_id: int, day: date | None = None) -> AccountPage:
    """One account with what waits on it, and what concerns cards."""
    page = accounts.account_page(uow, account_id, day)
    more = {"waiting": waiting(uow, account_id), "cards": card_views.of_account(uow, account_id)}
    return page.model_copy(update=more)
