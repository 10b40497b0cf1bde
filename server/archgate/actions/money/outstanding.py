"""What is owed to the center: by payer with its age, by week as it falls due, and what is not earned yet.

Overdue and current sums are what is open of installments; credit is what came in and settles nothing yet.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from sqlalchemy import func, select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts, money
from archgate.actions.money.views import MonthSum, OpenRow, Outstanding, PayerLine, UnearnedRow, WeekSum
from archgate.core import accounts as core
from archgate.core.money import format_amount
from archgate.papers import ledger as papers
from archgate.tables.courses import Course, Run
from archgate.tables.money import Account, Entry, Posting
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate


@dataclass(frozen=True)
class Payer:
    """What a payer owes by age, and their credit, in smallest units; `first_due` is the day of what is longest open."""

    account: Account
    name: str
    credit: int
    first_due: date | None
    ages: dict[str, int]


def payers(uow: UnitOfWork, run_id: int | None = None, limit: int | None = None) -> Outstanding:
    """The payers with something open or a credit, what is longest overdue first, up to `limit`; and the sums of all of them.
    Of the whole center, or of one run."""
    currency = uow.center.currency
    rows, every = owing(uow, run_id)
    totals = core.ageing_of(every, uow.today)

    def text(amount: int) -> str:
        return format_amount(amount, currency)

    return Outstanding(
        currency=currency,
        day=uow.today,
        buckets=list(core.BUCKETS),
        totals={bucket: text(amount) for bucket, amount in totals.items()},
        open=text(sum(totals.values())),
        overdue=text(sum(totals.values()) - totals[core.BUCKETS[0]]),
        credit=text(sum(r.credit for r in rows)),
        expected=[
            WeekSum(week=monday, amount=text(n)) for monday, n in core.expected_by_week(every, uow.today)
        ],
        deferred=[
            MonthSum(month=month, amount=text(n))
            for month, n in core.deferred_by_month(unearned(uow, run_id), uow.today)
        ],
        payers=[payer_line(r, currency) for r in rows[:limit]],
        payers_total=len(rows),
    )


def owing(uow: UnitOfWork, run_id: int | None) -> tuple[list[Payer], list[core.Open]]:
    """Every payer with something open or a credit, the longest overdue first; and all that is open. Of a run, its own only."""
    query = (
        select(Account, Person.name, Organization.name)
        .outerjoin(Person, Person.id == Account.person_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(Account.owner.not_like("center:%"), Account.currency == uow.center.currency)
    )
    known = {a.id: (a, person or organization) for a, person, organization in uow.session.execute(query)}
    still, balances = accounts.open_of(uow, list(known)), money.balances(uow, list(known))
    of_run = None
    if run_id is not None:
        of_run = set(uow.session.scalars(select(Enrollment.id).where(Enrollment.run_id == run_id)))
    rows: list[Payer] = []
    every: list[core.Open] = []
    for number, (account, name) in known.items():
        open_rows = still.get(number, [])
        credit = sum(left for _, left in open_rows) - balances.get(number, 0)
        if of_run is not None:
            open_rows = [(i, left) for i, left in open_rows if i.enrollment_id in of_run]
        core_rows = accounts.core_open(open_rows)
        if not core_rows and (credit <= 0 or of_run is not None):
            continue
        every += core_rows
        first = min((r.due for r in core_rows), default=None)
        rows.append(Payer(account, name, max(0, credit), first, core.ageing_of(core_rows, uow.today)))
    rows.sort(key=lambda r: (r.first_due or date.max, r.name))
    return rows, every


def payer_line(row: Payer, currency: str) -> PayerLine:
    return PayerLine(
        account_id=row.account.id,
        name=row.name,
        person_id=row.account.person_id,
        organization_id=row.account.organization_id,
        open=format_amount(sum(row.ages.values()), currency),
        credit=format_amount(row.credit, currency),
        first_due=row.first_due,
        ages={bucket: format_amount(amount, currency) for bucket, amount in row.ages.items()},
    )


def unearned(uow: UnitOfWork, run_id: int | None) -> list[tuple[date, int]]:
    """What the sign-ups of each run come to, with the day on which it ends; runs without an end are earned at once."""
    query = (
        select(Gate.day, func.sum(Enrollment.total))
        .join(Run, Run.id == Gate.run_id)
        .join(Enrollment, Enrollment.run_id == Run.id)
        .where(Gate.kind == "ends", Enrollment.live == 1, Run.currency == uow.center.currency)
        .group_by(Gate.run_id, Gate.day)
    )
    if run_id is not None:
        query = query.where(Run.id == run_id)
    return [(day, int(amount)) for day, amount in uow.session.execute(query)]


def open_rows(
    uow: UnitOfWork, run_id: int | None = None, week: date | None = None, age: str | None = None
) -> list[OpenRow]:
    """The open installments behind a figure: of a week in which they are expected, of an age, of one run, or all."""
    currency = uow.center.currency
    installments = uow.session.scalars(
        select(Account.id).where(Account.owner.not_like("center:%"), Account.currency == currency)
    ).all()
    about = (
        select(Enrollment.id, Run.id, Run.code, Person.name)
        .join(Run, Run.id == Enrollment.run_id)
        .join(Person, Person.id == Enrollment.person_id)
    )
    facts = {number: (run, code, who) for number, run, code, who in uow.session.execute(about).all()}
    names = payer_names(uow)
    opened = []
    for account, rows in accounts.open_of(uow, list(installments)).items():
        for installment, left in rows:
            number, code, who = facts[installment.enrollment_id]
            row = core.Open(installment.id, installment.due, left)
            if run_id is not None and number != run_id:
                continue
            if week is not None and core.expected_by_week([row], uow.today)[0][0] != week:
                continue
            if age is not None and core.bucket_of(row.due, uow.today) != age:
                continue
            opened.append(
                OpenRow(
                    account_id=account,
                    payer=names[account],
                    who=who,
                    run_id=number,
                    run=code,
                    due=row.due,
                    left=format_amount(left, currency),
                    age=core.bucket_of(row.due, uow.today),
                )
            )
    return sorted(opened, key=lambda r: (r.due, r.payer, r.run))


def payer_names(uow: UnitOfWork) -> dict[int, str]:
    query = (
        select(Account.id, func.coalesce(Organization.name, Person.name))
        .outerjoin(Person, Person.id == Account.person_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(Account.owner.not_like("center:%"))
    )
    return dict(uow.session.execute(query).all())


def unearned_rows(uow: UnitOfWork, run_id: int | None = None, month: date | None = None) -> list[UnearnedRow]:
    """The runs behind what is not earned yet: what their sign-ups come to, and the day on which each ends."""
    query = (
        select(Run.id, Run.code, Run.title, Course.title, Gate.day, func.count(), func.sum(Enrollment.total))
        .join(Gate, Gate.run_id == Run.id)
        .join(Enrollment, Enrollment.run_id == Run.id)
        .join(Course, Course.id == Run.course_id)
        .where(
            Gate.kind == "ends",
            Gate.day > uow.today,
            Enrollment.live == 1,
            Run.currency == uow.center.currency,
        )
        .group_by(Run.id, Run.code, Run.title, Course.title, Gate.day)
        .order_by(Gate.day, Run.code)
    )
    if run_id is not None:
        query = query.where(Run.id == run_id)
    return [
        UnearnedRow(
            run_id=number,
            run=code,
            title=title or course,
            ends=day,
            sign_ups=int(many),
            amount=format_amount(int(amount), uow.center.currency),
        )
        for number, code, title, course, day, many, amount in uow.session.execute(query)
        if amount and (month is None or day.replace(day=1) == month)
    ]


def open_lines(
    uow: UnitOfWork, run_id: int | None = None, week: date | None = None, age: str | None = None
) -> list[list[str]]:
    """Open installments as the lines of a CSV file."""
    rows = open_rows(uow, run_id, week, age)
    lines = [["Due", "Payer", "Learner", "Run", "Left", "Days late"]]
    return lines + [[r.due.isoformat(), r.payer, r.who, r.run, r.left, r.age] for r in rows]


def unearned_lines(uow: UnitOfWork, run_id: int | None = None, month: date | None = None) -> list[list[str]]:
    """What is not earned yet as the lines of a CSV file."""
    lines = [["Run", "Title", "Ends", "Sign-ups", "Not earned yet"]]
    rows = unearned_rows(uow, run_id, month)
    return lines + [[r.run, r.title, r.ends.isoformat(), str(r.sign_ups), r.amount] for r in rows]


def payer_lines(uow: UnitOfWork) -> list[list[str]]:
    """The list of payers as the lines of a CSV file."""
    whole = payers(uow)
    lines = [["Payer", "Open", *whole.buckets, "Credit", "First due"]]
    lines += [
        [
            p.name,
            p.open,
            *(p.ages[b] for b in whole.buckets),
            p.credit,
            p.first_due.isoformat() if p.first_due else "",
        ]
        for p in whole.payers
    ]
    return lines


def entry_lines(uow: UnitOfWork, account_id: int) -> list[list[str]]:
    """The entries of an account as the lines of a CSV file."""
    page = accounts.account_page(uow, account_id)
    lines = [["Day", "Kind", "Cause", "Run", "Amount", "Balance"]]
    lines += [[e.day.isoformat(), e.kind, e.cause, e.run or "", e.amount, e.balance] for e in page.entries]
    return lines


def ledger_file(uow: UnitOfWork) -> str:
    """Every posting of the center as plain text, with the balance of every account as the tables have it. Causes name people,
    so a posting is named by its number, under which its cause stands here."""
    owners = dict(uow.session.execute(select(Account.id, Account.owner)).all())
    blocks: dict[int, papers.Block] = {}
    rows = uow.session.execute(
        select(Posting, Entry.account_id, Entry.amount)
        .join(Entry, Entry.posting_id == Posting.id)
        .order_by(Posting.effective, Posting.id, Entry.id)
    )
    for posting, account, amount in rows:
        block = blocks.get(posting.id) or papers.Block(
            posting.effective, posting.kind, f"posting {posting.id}", posting.currency, ()
        )
        blocks[posting.id] = replace(block, entries=(*block.entries, (owners[account], account, amount)))
    balances: dict[tuple[str, str], int] = {}
    sums = (
        select(Account.id, Account.owner, Account.currency, func.sum(Entry.amount))
        .join(Entry, Entry.account_id == Account.id)
        .group_by(Account.id, Account.owner, Account.currency)
    )
    for number, owner, currency, amount in uow.session.execute(sums):
        key = (papers.account_name(owner, number), currency)
        balances[key] = balances.get(key, 0) + int(amount)
    return papers.ledger_text(blocks.values(), balances, uow.today)
