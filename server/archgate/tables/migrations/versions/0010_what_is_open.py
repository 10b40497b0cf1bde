"""What is open stands on the installment and on the account of whoever pays; runs keep how many seats were given up; indexes
for what screens ask."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"

OPEN = """
UPDATE installments i JOIN enrollments e ON e.id = i.enrollment_id
LEFT JOIN (SELECT installment_id, SUM(amount) AS paid FROM allocations GROUP BY installment_id) a ON a.installment_id = i.id
SET i.payer_id = e.payer_id,
    i.open = IF((i.kind = 'plan' AND e.live = 1) OR i.kind = 'kept', GREATEST(0, i.amount - COALESCE(a.paid, 0)), 0)
"""
OWED = """
UPDATE accounts a
LEFT JOIN (SELECT payer_id, SUM(open) AS open, MIN(open_due) AS first FROM installments GROUP BY payer_id) i ON i.payer_id = a.id
LEFT JOIN (SELECT account_id, SUM(amount) AS balance FROM entries GROUP BY account_id) e ON e.account_id = a.id
SET a.open = COALESCE(i.open, 0), a.first_due = i.first, a.balance = COALESCE(e.balance, 0)
WHERE a.person_id IS NOT NULL OR a.organization_id IS NOT NULL
"""
GONE = """
UPDATE run_seats s JOIN (
    SELECT run_id, SUM(heads) AS gone FROM enrollments
    WHERE role = 'learner' AND status IN ('withdrawn', 'no-show', 'moved', 'lapsed') GROUP BY run_id
) e USING (run_id) SET s.gone = e.gone
"""


def added(table: str, name: str, kind: sa.types.TypeEngine[int]) -> None:
    op.add_column(table, sa.Column(name, kind, nullable=False, server_default="0"))


def upgrade() -> None:
    added("installments", "open", sa.BigInteger())
    op.add_column("installments", sa.Column("payer_id", sa.BigInteger(), nullable=True))
    op.add_column(
        "installments",
        sa.Column("open_due", sa.Date(), sa.Computed("IF(open > 0, due, NULL)", persisted=True)),
    )
    added("accounts", "open", sa.BigInteger())
    added("accounts", "balance", sa.BigInteger())
    op.add_column("accounts", sa.Column("first_due", sa.Date(), nullable=True))
    listed = "IF(open > 0, first_due, IF(open > balance, DATE '9999-12-31', NULL))"
    op.add_column("accounts", sa.Column("listed", sa.Date(), sa.Computed(listed, persisted=True)))
    added("run_seats", "gone", sa.Integer())
    op.create_index("ix_installments_open", "installments", ["open_due", "open"])
    op.create_index("ix_installments_payer", "installments", ["payer_id", "open_due", "open"])
    op.create_index("ix_accounts_listed", "accounts", ["currency", "listed", "id"])
    op.create_index("ix_enrollments_earned", "enrollments", ["run_id", "live", "total"])
    for statement in (OPEN, OWED, GONE):
        op.execute(statement)
