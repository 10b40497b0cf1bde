"""What is owed to the center: by payer with its age, by week as it falls due, and what is not earned yet.

Overdue and current sums are what is open of installments; credit is what came in and settles nothing yet.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import TypeVar

from sqlalchemy import ColumnElement, Select, Subquery, and_, func, literal, or_, select

from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts
from archgate.actions.money.views import (
    MonthSum,
    OpenList,
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
from archgate.tables.money import Account, Entry, Posting
from archgate.tables.people import Organization, Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate
from archgate.tables.seats import RunSeats

PAGE = 100
Q = TypeVar("Q", bound="Select[*tuple[object, ...]]")


def of_run(query: Q, run_id: int | None) -> Q:
    """What is open of one run, or of the whole center."""
    if run_id is None:
        return query
    return query.join(Enrollment, Enrollment.id == Installment.enrollment_id).where(
        Enrollment.run_id == run_id
    )


def outstanding(uow: UnitOfWork, run_id: int | None = None) -> Outstanding:
    """What is owed by age, as it falls due by week, and what is not earned yet; of the whole center, or of one run."""
    currency = uow.center.currency
    by_due = of_run(
        select(Installment.open_due, func.sum(Installment.open)).where(Installment.open_due.is_not(None)),
        run_id,
    ).group_by(Installment.open_due)
    every = [core.Open(0, due, int(left)) for due, left in uow.session.execute(by_due) if due]
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
        credit=text(credit_in_all(uow) if run_id is None else 0),
        expected=[
            WeekSum(week=monday, amount=text(n)) for monday, n in core.expected_by_week(every, uow.today)
        ],
        deferred=[
            MonthSum(month=month, amount=text(n))
            for month, n in core.deferred_by_month(unearned(uow, run_id), uow.today)
        ],
    )


def credit_in_all(uow: UnitOfWork) -> int:
    query = select(func.coalesce(func.sum(Account.credit), 0)).where(Account.credit > 0)
    return int(uow.session.scalar(query.where(Account.currency == uow.center.currency)) or 0)


def payers(
    uow: UnitOfWork, run_id: int | None = None, after: str = "", limit: int | None = PAGE
) -> PayerList:
    """A page of the payers with something open or, asked of the whole center, with a credit: what is longest overdue first.
    `after` is the cursor of the page before: the day and the number of its last payer."""
    query = owing(uow, run_id)
    place = Account.listed if run_id is None else func.min(Installment.open_due)
    if after:
        day, number = cursor_of(after)
        behind = or_(place > day, and_(place == day, Account.id > number))
        query = query.where(place >= day, behind) if run_id is None else query.having(behind)
    query = query.order_by(place, Account.id)
    if limit is not None:
        query = query.limit(limit + 1)
    found = uow.session.execute(query).all()
    more = limit is not None and len(found) > limit
    page = found[:limit]
    ages = ages_of(uow, run_id, [r.id for r in page])
    names = payer_names(uow, [r.id for r in page])
    currency = uow.center.currency
    none: list[core.Open] = []
    items = [
        PayerLine(
            account_id=r.id,
            name=names[r.id],
            person_id=r.person_id,
            organization_id=r.organization_id,
            open=format_amount(int(r.open), currency),
            credit=format_amount(int(r.credit), currency),
            first_due=None if r.listed == date.max else r.listed,
            ages={
                bucket: format_amount(amount, currency)
                for bucket, amount in core.ageing_of(ages.get(r.id, none), uow.today).items()
            },
        )
        for r in page
    ]
    every = owing(uow, run_id).with_only_columns(Account.id).order_by(None).subquery()
    total = uow.session.scalar(select(func.count()).select_from(every)) or 0
    return PayerList(items=items, total=total, next=f"{page[-1].listed}|{page[-1].id}" if more else None)


def owing(uow: UnitOfWork, run_id: int | None) -> Select[int, int | None, int | None, date | None, int, int]:
    """Every payer with something open or, asked of the whole center, with a credit: account, person, organization, the day of
    what is longest open (the last day there is for a credit alone), what is open, the credit."""
    if run_id is None:
        return select(
            Account.id,
            Account.person_id,
            Account.organization_id,
            Account.listed,
            Account.open,
            func.coalesce(Account.credit, 0).label("credit"),
        ).where(Account.listed >= date.min, Account.currency == uow.center.currency)  # a range of the index
    return (
        of_run(
            select(
                Account.id,
                Account.person_id,
                Account.organization_id,
                func.min(Installment.open_due).label("listed"),
                func.sum(Installment.open).label("open"),
                literal(0).label("credit"),
            )
            .select_from(Installment)
            .join(Account, Account.id == Installment.payer_id),
            run_id,
        )
        .where(Installment.open_due.is_not(None), Account.currency == uow.center.currency)
        .group_by(Account.id, Account.person_id, Account.organization_id)
    )


def cursor_of(text: str) -> tuple[date, int]:
    """The place in a list ordered by day and number that a cursor names."""
    day, _, number = text.partition("|")
    try:
        return date.fromisoformat(day), int(number)
    except ValueError:
        raise Problem(422, "cursor", "This page of the list no longer exists; start at the first.") from None


def ages_of(uow: UnitOfWork, run_id: int | None, payers_of: list[int]) -> dict[int, list[core.Open]]:
    """What these payers owe by due day."""
    query = of_run(
        select(Installment.payer_id, Installment.open_due, func.sum(Installment.open)).where(
            Installment.payer_id.in_(payers_of or [0]), Installment.open_due.is_not(None)
        ),
        run_id,
    ).group_by(Installment.payer_id, Installment.open_due)
    rows: dict[int, list[core.Open]] = {}
    for account, due, left in uow.session.execute(query):
        if account is not None and due is not None:
            rows.setdefault(account, []).append(core.Open(0, due, int(left)))
    return rows


def earning(uow: UnitOfWork, run_id: int | None) -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """The runs that are still to end, each with its last day, its sign-ups and what they come to."""
    query = (
        select(Gate.run_id, Gate.day, RunSeats.sign_ups, RunSeats.income.label("total"))
        .join(RunSeats, RunSeats.run_id == Gate.run_id)
        .where(Gate.kind == "ends", Gate.day > uow.today, RunSeats.sign_ups > 0)
    )
    return (query if run_id is None else query.where(Gate.run_id == run_id)).subquery()


def unearned(uow: UnitOfWork, run_id: int | None) -> list[tuple[date, int]]:
    """What the sign-ups of each run come to, with the day on which it ends; runs without an end are earned at once."""
    rows = earning(uow, run_id)
    query = select(rows.c.day, rows.c.total).join(Run, Run.id == rows.c.run_id)
    found = uow.session.execute(query.where(Run.currency == uow.center.currency))
    return [(day, int(amount)) for day, amount in found]


def open_rows(
    uow: UnitOfWork,
    run_id: int | None = None,
    week: date | None = None,
    age: str | None = None,
    after: str = "",
    limit: int | None = PAGE,
) -> OpenList:
    """A page of the open installments behind a figure: of a week in which they are expected, of an age, of one run, or all;
    longest due first. `after` is the cursor of the page before."""
    currency = uow.center.currency
    if age is not None and age not in core.BUCKETS:
        raise Problem(422, "age", f"There is no such age; there are {', '.join(core.BUCKETS)}.")
    first, last = core.due_in(uow.today, age, week)
    wanted: list[ColumnElement[bool]] = [Installment.open_due.is_not(None)]
    wanted += [Installment.open_due >= first] if first else []
    wanted += [Installment.open_due <= last] if last else []
    wanted += [Enrollment.run_id == run_id] if run_id is not None else []
    counted = select(func.count()).select_from(Installment).where(*wanted)
    if run_id is not None:
        counted = counted.join(Enrollment, Enrollment.id == Installment.enrollment_id)
    # The page first, by its index; only then who and what its rows are about.
    ids = select(Installment.id).where(*wanted).order_by(Installment.open_due, Installment.id)
    if run_id is not None:
        ids = ids.join(Enrollment, Enrollment.id == Installment.enrollment_id)
    if after:
        day, number = cursor_of(after)
        behind = and_(Installment.open_due == day, Installment.id > number)
        ids = ids.where(Installment.open_due >= day, or_(Installment.open_due > day, behind))
    if limit is not None:
        ids = ids.limit(limit + 1)
    chosen = ids.subquery()
    query = (
        select(
            Installment.id,
            Installment.payer_id,
            Installment.open_due,
            Installment.open,
            Run.id,
            Run.code,
            Person.name,
        )
        .join(chosen, chosen.c.id == Installment.id)
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .join(Run, Run.id == Enrollment.run_id)
        .join(Person, Person.id == Enrollment.person_id)
        .order_by(Installment.open_due, Installment.id)
    )
    found = uow.session.execute(query).all()
    more = limit is not None and len(found) > limit
    page = found[:limit]
    names = payer_names(uow, [payer for _, payer, *_ in page if payer is not None])
    items = [
        OpenRow(
            account_id=payer,
            payer=names[payer],
            who=who,
            run_id=number,
            run=code,
            due=due,
            left=format_amount(left, currency),
            age=core.bucket_of(due, uow.today),
        )
        for _, payer, due, left, number, code, who in page
        if payer is not None and due is not None
    ]
    cursor = f"{page[-1].open_due}|{page[-1][0]}" if more else None
    return OpenList(items=items, total=uow.session.scalar(counted) or 0, next=cursor)


NAMES_AT_ONCE = 5000


def payer_names(uow: UnitOfWork, account_ids: list[int]) -> dict[int, str]:
    """Who pays from these accounts."""
    names: dict[int, str] = {}
    for at in range(0, len(account_ids), NAMES_AT_ONCE):
        query = (
            select(Account.id, func.coalesce(Organization.name, Person.name))
            .outerjoin(Person, Person.id == Account.person_id)
            .outerjoin(Organization, Organization.id == Account.organization_id)
            .where(Account.id.in_(account_ids[at : at + NAMES_AT_ONCE]))
        )
        names.update(uow.session.execute(query).all())
    return names


def unearned_rows(uow: UnitOfWork, run_id: int | None = None, month: date | None = None) -> list[UnearnedRow]:
    """The runs behind what is not earned yet: what their sign-ups come to, and the day on which each ends."""
    rows = earning(uow, run_id)
    query = (
        select(Run.id, Run.code, Run.title, Course.title, rows.c.day, rows.c.sign_ups, rows.c.total)
        .join(rows, rows.c.run_id == Run.id)
        .join(Course, Course.id == Run.course_id)
        .where(Run.currency == uow.center.currency)
        .order_by(rows.c.day, Run.code)
    )
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
    rows = open_rows(uow, run_id, week, age, limit=None).items
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
