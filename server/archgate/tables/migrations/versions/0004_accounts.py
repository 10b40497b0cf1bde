"""Payments by hand; what of a payment was paid back."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "payments",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("posting_id", sa.BigInteger(), nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("method", sa.String(length=40), nullable=False),
        sa.Column("reference", sa.String(length=200), nullable=False),
        sa.Column("received_on", sa.Date(), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name=op.f("fk_payments_account_id")),
        sa.ForeignKeyConstraint(["posting_id"], ["postings.id"], name=op.f("fk_payments_posting_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_payments")),
        sa.UniqueConstraint("posting_id", name=op.f("uq_payments_posting_id")),
    )
    op.create_index(op.f("ix_payments_account_id"), "payments", ["account_id"], unique=False)
    op.create_index("ix_payments_day", "payments", ["received_on", "method"], unique=False)
    op.alter_column("allocations", "installment_id", existing_type=sa.BigInteger(), nullable=True)
