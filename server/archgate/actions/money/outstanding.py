"""What is owed to the center: by payer with its age, by week as it falls due, and what is not earned yet.

Overdue and current sums are what is open of installments; credit is what came in and settles nothing yet.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from sqlalchemy import Select, and_, func, literal, or_, select, tuple_

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts
from archgate.actions.money.views import (
    MonthSum,
    OpenRow,
    Outstanding,
    PayerLine,
    PayerList,
    UnearnedRow,
    WeekSum,
)
from archgate.core import accounts as core
from archgate.core.money import format_amount
from archgate.papers import ledger as papers
from archgate.tables.courses import Course, Run
from archgate.tables.money import Account, Allocation, Entry, Posting
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment, Installment
from archgate.tables.schedule import Gate

PAGE = 100


def still_open(run_id: int | None) -> Select[int, date, int]:
    """What is open of installments, as rows of payer, due day and what is left: of sign-ups that hold their seat, and what is
    kept of ended ones; of the whole center, or of one run."""
    paid = (
        select(Allocation.installment_id, func.sum(Allocation.amount).label("paid"))
        .where(Allocation.installment_id.is_not(None))
        .group_by(Allocation.installment_id)
        .subquery()
    )
    left = Installment.amount - func.coalesce(paid.c.paid, 0)
    query = (
        select(Enrollment.payer_id.label("account_id"), Installment.due.label("due"), left.label("left"))
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .outerjoin(paid, paid.c.installment_id == Installment.id)
        .where(
            or_(and_(Installment.kind == "plan", Enrollment.live == 1), Installment.kind == "kept"), left > 0
        )
    )
    return query if run_id is None else query.where(Enrollment.run_id == run_id)


def owing(uow: UnitOfWork, run_id: int | None) -> Select[int, str, int | None, int | None, date, int, int]:
    """Every payer with something open or, asked of the whole center, with a credit: account, name, person, organization, the
    day of what is longest open (far ahead where nothing is), what is open, the credit."""
    still = still_open(run_id).subquery()
    due = (
        select(still.c.account_id, func.min(still.c.due).label("first"), func.sum(still.c.left).label("open"))
        .group_by(still.c.account_id)
        .subquery()
    )
    books = (
        select(Entry.account_id, func.sum(Entry.amount).label("balance"))
        .join(Account, Account.id == Entry.account_id)
        .where(Account.owner.not_like("center:%"))
        .group_by(Entry.account_id)
        .subquery()
    )
    open_sum = func.coalesce(due.c.open, 0)
    credit = func.greatest(0, open_sum - func.coalesce(books.c.balance, 0)) if run_id is None else literal(0)
    return (
        select(
            Account.id.label("id"),
            func.coalesce(Organization.name, Person.name).label("name"),
            Account.person_id.label("person_id"),
            Account.organization_id.label("organization_id"),
            func.coalesce(due.c.first, date.max).label("first"),
            open_sum.label("open"),
            credit.label("credit"),
        )
        .outerjoin(due, due.c.account_id == Account.id)
        .outerjoin(books, books.c.account_id == Account.id)
        .outerjoin(Person, Person.id == Account.person_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(
            Account.owner.not_like("center:%"),
            Account.currency == uow.center.currency,
            or_(open_sum > 0, credit > 0),
        )
    )


def outstanding(uow: UnitOfWork, run_id: int | None = None) -> Outstanding:
    """What is owed by age, as it falls due by week, and what is not earned yet; of the whole center, or of one run."""
    currency = uow.center.currency
    still = still_open(run_id).join(Account, Account.id == Enrollment.payer_id)
    still = still.where(Account.currency == currency)
    rows = still.subquery()
    by_due = select(rows.c.due, func.sum(rows.c.left)).group_by(rows.c.due)
    every = [core.Open(0, due, int(left)) for due, left in uow.session.execute(by_due)]
    totals = core.ageing_of(every, uow.today)
    payers_of = owing(uow, run_id).subquery()
    credit = uow.session.scalar(select(func.coalesce(func.sum(payers_of.c.credit), 0))) or 0

    def text(amount: int) -> str:
        return format_amount(amount, currency)

    return Outstanding(
        currency=currency,
        day=uow.today,
        buckets=list(core.BUCKETS),
        totals={bucket: text(amount) for bucket, amount in totals.items()},
        open=text(sum(totals.values())),
        overdue=text(sum(totals.values()) - totals[core.BUCKETS[0]]),
        credit=text(int(credit)),
        expected=[
            WeekSum(week=monday, amount=text(n)) for monday, n in core.expected_by_week(every, uow.today)
        ],
        deferred=[
            MonthSum(month=month, amount=text(n))
            for month, n in core.deferred_by_month(unearned(uow, run_id), uow.today)
        ],
    )


def payers(
    uow: UnitOfWork, run_id: int | None = None, after: str = "", limit: int | None = PAGE
) -> PayerList:
    """A page of the payers with something open or a credit, what is longest overdue first. `after` is the cursor of the page
    before: the day, the name and the number of its last payer."""
    rows = owing(uow, run_id).subquery()
    order = (rows.c.first, rows.c.name, rows.c.id)
    query = select(rows).order_by(*order)
    if after:
        query = query.where(tuple_(*order) > tuple_(*cursor_of(after)))
    if limit is not None:
        query = query.limit(limit + 1)
    found = uow.session.execute(query).all()
    more = limit is not None and len(found) > limit
    page = found[:limit]
    ages = ages_of(uow, run_id, None if limit is None else [r.id for r in page])
    currency = uow.center.currency
    none: list[core.Open] = []
    items = [
        PayerLine(
            account_id=r.id,
            name=r.name,
            person_id=r.person_id,
            organization_id=r.organization_id,
            open=format_amount(int(r.open), currency),
            credit=format_amount(int(r.credit), currency),
            first_due=None if r.first == date.max else r.first,
            ages={
                bucket: format_amount(amount, currency)
                for bucket, amount in core.ageing_of(ages.get(r.id, none), uow.today).items()
            },
        )
        for r in page
    ]
    total = uow.session.scalar(select(func.count()).select_from(owing(uow, run_id).subquery())) or 0
    last = page[-1] if page else None
    cursor = f"{last.first}|{last.id}|{last.name}" if more and last else None
    return PayerList(items=items, total=total, next=cursor)


def cursor_of(text: str) -> tuple[date, str, int]:
    """The place in the list of payers that a cursor names."""
    day, _, rest = text.partition("|")
    number, _, name = rest.partition("|")
    try:
        return date.fromisoformat(day), name, int(number)
    except ValueError:
        raise Problem(422, "cursor", "This page of the list no longer exists; start at the first.") from None


def ages_of(uow: UnitOfWork, run_id: int | None, accounts_of: list[int] | None) -> dict[int, list[core.Open]]:
    """What payers owe by due day; of all payers, or of those named."""
    query = still_open(run_id)
    if accounts_of is not None:
        query = query.where(Enrollment.payer_id.in_(accounts_of or [0]))
    rows: dict[int, list[core.Open]] = {}
    for account, due, left in uow.session.execute(query):
        rows.setdefault(account, []).append(core.Open(0, due, int(left)))
    return rows


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
    lines = [["Payer", "Open", *core.BUCKETS, "Credit", "First due"]]
    lines += [
        [
            p.name,
            p.open,
            *(p.ages[b] for b in core.BUCKETS),
            p.credit,
            p.first_due.isoformat() if p.first_due else "",
        ]
        for p in payers(uow, limit=None).items
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
