"""Postings to the ledger, and what a payer owes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import groupby
from weakref import WeakKeyDictionary

from sqlalchemy import Engine, Subquery, and_, bindparam, case, exists, func, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import aliased, make_transient_to_detached
from sqlalchemy.orm.attributes import set_committed_value

from archgate.actions.kernel.kept import kept_by
from archgate.actions.kernel.rows import put
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork, system_now
from archgate.actions.money import owing
from archgate.actions.money.views import NextDue
from archgate.core import ledger
from archgate.core.money import format_amount
from archgate.core.states import EnrollmentStatus, Role
from archgate.tables.money import Account, Allocation, Entry, Posting
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment

kept_by(owing.keep_up)
KNOWN: WeakKeyDictionary[Engine, dict[tuple[str, str], int]] = WeakKeyDictionary()


ACCOUNT_OF = select(Account).where(
    Account.owner == bindparam("of_owner"), Account.currency == bindparam("in_currency")
)


NEW_ACCOUNT = insert(Account).on_duplicate_key_update(id=func.last_insert_id(Account.id))


def look_ahead(uow: UnitOfWork, owner: str, currency: str) -> None:
    """Look for an account before a lock, so that `account_of` need not under it: no account ever becomes another, and one
    that is made meanwhile is found when it is to be made again."""
    account = uow.session.scalar(ACCOUNT_OF, {"of_owner": owner, "in_currency": currency})
    uow.session.info["looked ahead"] = ((owner, currency), account)


def accounts_of(uow: UnitOfWork, owners: Iterable[str], currency: str) -> dict[str, Account]:
    """The accounts of payers by owner, made when first needed, by one statement for all that are not there."""
    wanted = sorted(set(owners))
    query = select(Account).where(Account.owner.in_(wanted), Account.currency == currency)
    there = {a.owner: a for a in uow.session.scalars(query)}
    lacking = [owner for owner in wanted if owner not in there]
    if lacking:
        values = [new_account(owner, currency) for owner in lacking]
        uow.session.connection().execute(NEW_ACCOUNT, values)
        there |= {a.owner: a for a in uow.session.scalars(query.where(Account.owner.in_(lacking)))}
    return there


def new_account(owner: str, currency: str) -> dict[str, str | int | None]:
    kind, _, whose = owner.partition(":")
    return {
        "owner": owner,
        "currency": currency,
        "person_id": int(whose) if kind == "person" else None,
        "organization_id": int(whose) if kind == "organization" else None,
    }


def account_of(uow: UnitOfWork, owner: str, currency: str) -> Account:
    """The account of a payer or of the center, made when first needed."""
    account: Account | None
    of, account = uow.session.info.pop("looked ahead", (None, None))
    if of != (owner, currency):
        account = uow.session.scalar(ACCOUNT_OF, {"of_owner": owner, "in_currency": currency})
    if account is None:
        values = new_account(owner, currency)
        number = uow.session.connection().execute(NEW_ACCOUNT, values).lastrowid  # made now, or meanwhile
        account = Account(id=number, **values)
        # It stands in the table: nothing is left to write or to read of it.
        make_transient_to_detached(account)
        uow.session.add(account)
    return account


@dataclass(frozen=True)
class Due:
    """A posting that is due: what it is of, for which day it counts, and why."""

    posting: ledger.Posting
    effective: date
    cause: str
    ties: Mapping[str, int | None]


def post(
    uow: UnitOfWork, posting: ledger.Posting, effective: date, cause: str, **ties: int | None
) -> Posting:
    """Write a posting; one that does not balance is a fault of ours and refused."""
    return post_all(uow, [Due(posting, effective, cause, ties)])[0]


def post_all(uow: UnitOfWork, dues: Sequence[Due]) -> list[Posting]:
    """Write postings, by one statement a table."""
    wrong = ledger.check_ledger_balances(enumerate(due.posting for due in dues))
    if wrong:
        raise AssertionError(wrong[0])
    now, user_id = system_now(), uow.user.id if uow.user else None
    rows = [
        Posting(
            kind=due.posting.kind,
            currency=due.posting.currency,
            effective=due.effective,
            entered_at=now,
            user_id=user_id,
            cause=due.cause,
            **due.ties,
        )
        for due in dues
    ]
    put(uow, rows)
    by_row = [
        [Entry(posting_id=row.id, account_id=e.account, amount=e.amount) for e in due.posting.entries]
        for row, due in zip(rows, dues, strict=True)
    ]
    put(uow, [entry for entries in by_row for entry in entries])
    centers = center_ids(uow)
    for row, entries in zip(rows, by_row, strict=True):
        for e in entries:
            if e.account_id not in centers:
                uow.touched.owed[e.account_id] = uow.touched.owed.get(e.account_id, 0) + e.amount
        set_committed_value(row, "entries", entries)
    return rows


def center_ids(uow: UnitOfWork) -> set[int]:
    """The accounts of the center that this process, or this act, has come upon."""
    engine = uow.session.get_bind()
    made: dict[tuple[str, str], int] = uow.session.info.get("center accounts", {})
    known = KNOWN.get(engine, {}) if isinstance(engine, Engine) else {}
    if not known:
        center_account(uow, "income", uow.center.currency)
        known = KNOWN.get(engine, {}) if isinstance(engine, Engine) else {}
    return {*known.values(), *made.values()}


def center_account(uow: UnitOfWork, name: str, currency: str) -> int:
    """The id of an account of the center: income, discounts, tax:NAME, method:NAME, write-offs. An id that was read is never
    another, so a process keeps it; one that this transaction made may yet be rolled back, and is kept by it alone."""
    made: dict[tuple[str, str], int] = uow.session.info.setdefault("center accounts", {})
    engine = uow.session.get_bind()
    known = KNOWN.setdefault(engine, {}) if isinstance(engine, Engine) else made
    key = (name, currency)
    if key not in known and key not in made:
        query = select(Account.owner, Account.currency, Account.id).where(Account.owner.startswith("center:"))
        read = {
            (owner.removeprefix("center:"), unit): number
            for owner, unit, number in uow.session.execute(query)
        }
        known.update({k: number for k, number in read.items() if k not in made})
        if key not in read:
            made[key] = account_of(uow, f"center:{name}"[:60], currency).id
    return made.get(key) or known[key]


def charge(uow: UnitOfWork, enrollment: Enrollment, cause: str, credits: bool = True) -> None:
    """Post what an enrollment costs, by charge, discount and tax as its quote says; a total of zero posts nothing.

    Without `credits` the lines of meetings that fell out, which have postings of their own, are left out.
    """
    charge_all(uow, [(enrollment, cause)], credits)


def charge_all(uow: UnitOfWork, enrollments: Sequence[tuple[Enrollment, str]], credits: bool = True) -> None:
    """Post what enrollments cost, each with its cause."""
    dues = []
    for enrollment, cause in enrollments:
        currency, quote = enrollment.currency, enrollment.quote
        if not credits:
            for line in quote.of_kind("credit"):
                quote = quote.without_credit(line)
        postings = ledger.enrollment_postings(
            enrollment.payer_id,
            lambda name, currency=currency: center_account(uow, name, currency),  # type: ignore[misc]
            [line.amount for line in quote.lines],
            [(t.name, t.amount, t.included) for t in quote.taxes],
            currency,
        )
        dues += [Due(posting, uow.today, cause, {"enrollment_id": enrollment.id}) for posting in postings]
    if dues:
        post_all(uow, dues)


def recharge(uow: UnitOfWork, enrollment: Enrollment, cause: str) -> None:
    """Charge a changed sign-up anew: its charges are reversed and those of its quote posted; credits stand as they are."""
    take_charges_back(uow, enrollment, cause, [k for k in ledger.CHARGING if k != ledger.Kind.CREDIT])
    charge(uow, enrollment, cause, credits=False)


def keep(uow: UnitOfWork, enrollment: Enrollment, amount: int, why: str) -> None:
    """Charge what is kept of a sign-up that has ended, due at once."""
    income = center_account(uow, "income", enrollment.currency)
    posting = ledger.charge_of(enrollment.payer_id, income, amount, enrollment.currency)
    post(uow, posting, uow.today, why, enrollment_id=enrollment.id)
    n = max((i.n for i in enrollment.installments), default=0) + 1
    enrollment.installments.append(
        Installment(n=n, due=uow.today, amount=amount, settle="any", why=why, kind="kept")
    )


def no_longer_kept(uow: UnitOfWork, enrollment: Enrollment, cause: str) -> None:
    """Take back what was kept of a sign-up that holds its seat again; what was paid of it is credit."""
    kept = [i for i in enrollment.installments if i.kind == "kept"]
    if kept:
        reverse_charges(uow, enrollment, cause)
        for installment in kept:
            installment.kind = "void"
        uow.session.flush()


def core_posting(row: Posting) -> ledger.Posting:
    return ledger.Posting(
        row.kind, row.currency, tuple(ledger.Entry(e.account_id, e.amount) for e in row.entries)
    )


def reverse_charges(uow: UnitOfWork, enrollment: Enrollment, cause: str) -> int:
    """Take back every charge of an enrollment that was not taken back yet; returns the sum taken back."""
    back = take_charges_back(uow, enrollment, cause, ledger.CHARGING)
    release(uow, enrollment, cause)
    return back


def take_charges_back(uow: UnitOfWork, enrollment: Enrollment, cause: str, kinds: Sequence[str]) -> int:
    """Reverse the standing postings of some kinds of an enrollment; returns the sum taken back."""
    reversal = aliased(Posting)
    standing = uow.session.scalars(
        select(Posting).where(
            Posting.enrollment_id == enrollment.id,
            Posting.kind.in_(kinds),
            ~exists().where(reversal.reverses_id == Posting.id),
        )
    ).all()
    for row in standing:
        post(
            uow,
            ledger.reversal_of(core_posting(row)),
            uow.today,
            cause,
            enrollment_id=enrollment.id,
            reverses_id=row.id,
        )
    return sum(e.amount for row in standing for e in row.entries if e.account_id == enrollment.payer_id)


def release(uow: UnitOfWork, enrollment: Enrollment, cause: str) -> None:
    """Free what was settled of an enrollment: payments become credit of the account, write-offs are taken back."""
    uow.session.execute(select(Account.id).where(Account.id == enrollment.payer_id).with_for_update())
    uow.session.flush()
    for installment in enrollment.installments:
        settled = sum(part for _, part in settled_by(uow, installment))
        if settled:
            free(uow, installment, settled, cause)


def settled_by(uow: UnitOfWork, installment: Installment) -> list[tuple[Posting, int]]:
    """What settled an installment, and how much of it each: write-offs first, then payments, the latest first."""
    rows = uow.session.execute(
        select(Posting, func.sum(Allocation.amount))
        .join(Allocation, Allocation.posting_id == Posting.id)
        .where(Allocation.installment_id == installment.id)
        .group_by(Posting.id)
    )
    settled = [(posting, int(part)) for posting, part in rows if part]
    return sorted(settled, key=lambda r: (r[0].kind != ledger.Kind.WRITE_OFF, -r[0].id))


def free(uow: UnitOfWork, installment: Installment, amount: int, cause: str) -> None:
    """Free so much of what settled an installment: what was written off is owed no longer, what was paid is credit."""
    for posting, part in settled_by(uow, installment):
        cut = min(part, amount)
        if not cut:
            break
        amount -= cut
        uow.session.add(Allocation(posting_id=posting.id, installment_id=installment.id, amount=-cut))
        if posting.kind == ledger.Kind.WRITE_OFF:
            lost, payer = (
                next(e.account_id for e in posting.entries if (e.amount > 0) is up) for up in (True, False)
            )
            back = ledger.reversal_of(ledger.write_off_of(payer, lost, cut, posting.currency))
            post(uow, back, uow.today, cause, enrollment_id=installment.enrollment_id)
    uow.session.flush()


def balances(uow: UnitOfWork, account_ids: list[int]) -> dict[int, int]:
    """What each account owes now, in smallest units."""
    if not account_ids:
        return {}
    rows = uow.session.execute(
        select(Entry.account_id, func.sum(Entry.amount))
        .where(Entry.account_id.in_(account_ids))
        .group_by(Entry.account_id)
    )
    return {account: int(amount) for account, amount in rows}


def open_installments(uow: UnitOfWork, enrollment_ids: list[int]) -> dict[int, list[tuple[Installment, int]]]:
    """Installments as agreed that are not settled yet, with what is still open of each, by enrollment."""
    by_enrollment: dict[int, list[tuple[Installment, int]]] = {}
    if not enrollment_ids:
        return by_enrollment
    left = Installment.amount - owing.SETTLED
    rows = uow.session.execute(
        select(Installment, left)
        .where(Installment.enrollment_id.in_(enrollment_ids), Installment.kind == "plan", left > 0)
        .order_by(Installment.enrollment_id, Installment.n)
    )
    for installment, amount in rows:
        by_enrollment.setdefault(installment.enrollment_id, []).append((installment, int(amount)))
    return by_enrollment


def open_on(run_id: int) -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """What is open of every sign-up of a run, as a subquery by `enrollment_id`: `left` in all, and the `due` day and the
    `part` of its next installment."""
    rows = (
        select(
            Installment.enrollment_id,
            Installment.due,
            Installment.open.label("part"),
            func.sum(Installment.open).over(partition_by=Installment.enrollment_id).label("left"),
            func.row_number()
            .over(partition_by=Installment.enrollment_id, order_by=(Installment.due, Installment.n))
            .label("place"),
        )
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .where(
            Enrollment.run_id == run_id,
            Enrollment.live == 1,
            Installment.kind == "plan",
            Installment.open > 0,
        )
        .subquery()
    )
    return select(rows).where(rows.c.place == 1).subquery()


def sums_of_run(uow: UnitOfWork, run_id: int) -> dict[str, int]:
    """The learners' sign-ups of a run in sums: how many, their heads, what they cost, what of it is open, the heads
    of those that are firm (something was paid, or there was nothing to pay), and those held for a first payment only."""
    left = (
        select(Installment.enrollment_id, func.sum(Installment.open).label("left"))
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .where(Enrollment.run_id == run_id, Installment.kind == "plan")
        .group_by(Installment.enrollment_id)
        .subquery()
    )
    owed = func.coalesce(left.c.left, 0)
    firm = case((or_(Enrollment.total == 0, owed < Enrollment.total), Enrollment.heads), else_=0)
    held = and_(Enrollment.status == EnrollmentStatus.HELD, Enrollment.total > 0, owed >= Enrollment.total)
    waits = case((held, Enrollment.heads), else_=0)
    row = uow.session.execute(
        select(
            func.count(),
            *(func.coalesce(func.sum(x), 0) for x in (Enrollment.heads, Enrollment.total, owed, firm, waits)),
        )
        .outerjoin(left, left.c.enrollment_id == Enrollment.id)
        .where(Enrollment.run_id == run_id, Enrollment.live == 1, Enrollment.role == Role.LEARNER)
    ).one()
    return dict(zip(("number", "heads", "total", "open", "firm", "held"), map(int, row), strict=True))


def paid_of(uow: UnitOfWork, enrollment_ids: list[int]) -> dict[int, int]:
    """What payments have settled of enrollments so far; what was written off is not paid."""
    rows = uow.session.execute(
        select(Installment.enrollment_id, func.sum(Allocation.amount))
        .join(Allocation, Allocation.installment_id == Installment.id)
        .join(Posting, Posting.id == Allocation.posting_id)
        .where(Installment.enrollment_id.in_(enrollment_ids or [0]), Posting.kind == ledger.Kind.PAYMENT)
        .group_by(Installment.enrollment_id)
    )
    return {number: int(amount) for number, amount in rows if amount}


def next_due(open_rows: list[tuple[Installment, int]], currency: str) -> NextDue | None:
    if not open_rows:
        return None
    first, left = min(open_rows, key=lambda r: (r[0].due, r[0].n))
    return NextDue(due=first.due, amount=format_amount(left, currency))


def ledger_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """`check_ledger_balances` over postings, for the nightly check and the tests."""
    rows = uow.session.execute(
        select(Posting.id, Posting.kind, Posting.currency, Entry.account_id, Entry.amount)
        .outerjoin(Entry, Entry.posting_id == Posting.id)
        .where(span.holds(Posting.id))
        .order_by(Posting.id)
    )
    postings = (
        (
            number,
            ledger.Posting(
                kind, currency, tuple(ledger.Entry(r[3], r[4]) for r in group if r[3] is not None)
            ),
        )
        for (number, kind, currency), group in groupby(rows, key=lambda r: (r[0], r[1], r[2]))
    )
    return ledger.check_ledger_balances(postings)
