"""What stands on installments and on accounts of payers: what is open, since when, and what is owed by the books.

It is worked out anew, in the transaction that changed anything of it, before its commit; lists read it instead of adding up
the books. The nightly check compares them.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import BindParameter, ColumnElement, Connection, bindparam, func, or_, select, text, update

from archgate.actions.kernel.kept import Touched
from archgate.actions.kernel.spans import ALL, Span
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.states import EnrollmentStatus, Role
from archgate.tables.money import Account, Allocation, Entry
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats

CHUNK = 1000
FEW = 3  # payers, up to which each has a statement of its own

# What of an installment was settled, and whether it is owed at all: as agreed while the seat is held, kept after it was given
# up. `OPEN` says the same where it is written.
SETTLED = func.coalesce(
    select(func.sum(Allocation.amount)).where(Allocation.installment_id == Installment.id).scalar_subquery(),
    0,
)
COUNTS = or_((Installment.kind == "plan") & (Enrollment.live == 1), Installment.kind == "kept")
OPEN = """
UPDATE installments i JOIN enrollments e ON e.id = i.enrollment_id
SET i.payer_id = e.payer_id, i.open = IF((i.kind = 'plan' AND e.live = 1) OR i.kind = 'kept', GREATEST(0, i.amount - COALESCE(
    (SELECT SUM(a.amount) FROM allocations a WHERE a.installment_id = i.id), 0)), 0)"""
OWED = """
UPDATE accounts a SET
    a.open = COALESCE((SELECT SUM(i.open) FROM installments i WHERE i.payer_id = a.id AND i.open_due IS NOT NULL), 0),
    a.first_due = (SELECT MIN(i.open_due) FROM installments i WHERE i.payer_id = a.id AND i.open_due IS NOT NULL),
    a.balance = COALESCE((SELECT SUM(e.amount) FROM entries e WHERE e.account_id = a.id), 0)
WHERE a.owner NOT LIKE 'center:%'"""
IDS: BindParameter[list[int]] = bindparam("ids", expanding=True)
OPEN_OF = text(f"{OPEN} WHERE i.enrollment_id IN :ids").bindparams(IDS)
OWED_BY = text(f"{OWED} AND a.id IN :ids").bindparams(IDS)
# A new enrollment adds to what its payer owes; its installments are written with what is open of them.
MORE = text("""
UPDATE accounts SET open = open + :more, balance = balance + :owed, first_due = LEAST(COALESCE(first_due, :first), :first)
WHERE id = :payer AND owner NOT LIKE 'center:%'""")
POSTED = text("UPDATE accounts SET balance = balance + :owed WHERE id = :payer AND owner NOT LIKE 'center:%'")
# The same of many payers by one statement (the driver joins rows whose values are all given): every row is there, so nothing is
# ever inserted.
MORE_OF_MANY = """
INSERT INTO accounts (id, owner, currency, open, balance, first_due) VALUES (%(payer)s, %(name)s, %(unit)s, %(more)s, %(owed)s, %(first)s)
ON DUPLICATE KEY UPDATE open = open + VALUES(open), balance = balance + VALUES(balance),
    first_due = IF(VALUES(first_due) IS NULL, first_due, LEAST(COALESCE(first_due, VALUES(first_due)), VALUES(first_due)))"""
GIVEN_UP = (
    EnrollmentStatus.WITHDRAWN,
    EnrollmentStatus.NO_SHOW,
    EnrollmentStatus.MOVED,
    EnrollmentStatus.LAPSED,
    EnrollmentStatus.OTHER_ROLE,
)


GONE = (
    select(func.coalesce(func.sum(Enrollment.heads), 0))
    .where(
        Enrollment.run_id == RunSeats.run_id,
        Enrollment.role == Role.LEARNER,
        Enrollment.status.in_(GIVEN_UP),
    )
    .scalar_subquery()
)
OF_LEARNERS = (Enrollment.run_id == RunSeats.run_id, Enrollment.live == 1, Enrollment.role == Role.LEARNER)
SIGN_UPS = select(func.count()).where(*OF_LEARNERS).scalar_subquery()
INCOME = select(func.coalesce(func.sum(Enrollment.total), 0)).where(*OF_LEARNERS).scalar_subquery()
COUNTED = (
    update(RunSeats)
    .values(gone=GONE, sign_ups=SIGN_UPS, income=INCOME)
    .execution_options(synchronize_session=False)
)


def keep_all(connection: Connection) -> None:
    """Work out everything anew, as after rows were written past the acts."""
    for statement in (text(OPEN), text(OWED), COUNTED):
        connection.execute(statement)


def chunks(numbers: Iterable[int]) -> Iterable[list[int]]:
    """In the order of their ids, so that two who keep the same accounts never wait for each other."""
    ordered = sorted(numbers)
    for at in range(0, len(ordered), CHUNK):
        yield ordered[at : at + CHUNK]


def keep_up(uow: UnitOfWork) -> None:
    """Bring up to date what this act has touched. Accounts are locked first: what another act is writing of them counts."""
    session, touched = uow.session, uow.touched
    for some in chunks(touched.installments):
        of = select(Installment.enrollment_id).where(Installment.id.in_(some))
        touched.enrollments.update(session.scalars(of))
    for some in chunks(touched.enrollments):
        was = select(Installment.payer_id).where(Installment.enrollment_id.in_(some))
        now = select(Enrollment.payer_id).where(Enrollment.id.in_(some))
        touched.payers.update(n for n in session.scalars(was.union(now)) if n is not None)
    for some in chunks(touched.payers):
        session.execute(
            select(Account.id).where(Account.id.in_(some)).order_by(Account.id).with_for_update()
        ).all()
    for some in chunks(touched.enrollments):
        session.execute(OPEN_OF, {"ids": some})
    for some in chunks(touched.payers):
        session.execute(OWED_BY, {"ids": some})
    add_to(session.connection(), touched)
    for some in chunks(touched.runs):
        session.execute(COUNTED.where(RunSeats.run_id.in_(some)))


def add_to(connection: Connection, touched: Touched) -> None:
    """Add what new enrollments come to, and what was posted beside, to what their payers owe."""
    payers = sorted(({*touched.owed, *touched.opened}) - touched.payers)
    rows = []
    for payer in payers:
        more, first = touched.opened.get(payer, (0, None))
        owed = touched.owed.get(payer, 0)
        if more or owed:
            rows.append(
                {
                    "payer": payer,
                    "name": f"payer:{payer}",
                    "unit": "",
                    "owed": owed,
                    "more": more,
                    "first": first,
                }
            )
    if len(rows) > FEW:
        connection.exec_driver_sql(MORE_OF_MANY, rows)
        return
    for row in rows:
        connection.execute(MORE if row["first"] else POSTED, row)


def installment_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """Installments of which something else is kept than the books say; part of the nightly check."""
    real = func.if_(COUNTS, func.greatest(0, Installment.amount - SETTLED), 0)
    wrong = (
        select(Installment.id)
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .where(
            span.holds(Installment.id),
            or_(Installment.open != real, Installment.payer_id.is_distinct_from(Enrollment.payer_id)),
        )
    )
    return [f"What is kept as open of installment {n} is not what is." for n in uow.session.scalars(wrong)]


def account_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    """Accounts of which something else is kept than their installments and books say."""
    sums = select(func.coalesce(func.sum(Installment.open), 0), func.min(Installment.open_due)).where(
        Installment.payer_id == Account.id, Installment.open > 0
    )
    books = select(func.coalesce(func.sum(Entry.amount), 0)).where(Entry.account_id == Account.id)
    parts: list[ColumnElement[bool]] = [
        Account.open != sums.with_only_columns(sums.selected_columns[0]).scalar_subquery(),
        Account.first_due.is_distinct_from(
            sums.with_only_columns(sums.selected_columns[1]).scalar_subquery()
        ),
        Account.balance != books.scalar_subquery(),
    ]
    payers = select(Account.id).where(span.holds(Account.id), Account.owner.not_like("center:%"), or_(*parts))
    return [f"What is kept of account {n} is not what its books say." for n in uow.session.scalars(payers)]


def run_faults(uow: UnitOfWork, span: Span = ALL) -> list[str]:
    wrong = or_(RunSeats.gone != GONE, RunSeats.sign_ups != SIGN_UPS, RunSeats.income != INCOME)
    lost = select(RunSeats.run_id).where(span.holds(RunSeats.run_id), wrong)
    return [
        f"What is kept of the sign-ups of run {n}, or of the seats given up, is not what is."
        for n in uow.session.scalars(lost)
    ]
