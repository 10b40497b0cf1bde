"""Payments by hand; invoices, credit notes and receipts in number series without gaps; what of a payment was paid back; what is kept of a price when somebody withdraws."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

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
    op.add_column("installments", sa.Column("kind", sa.String(length=40), nullable=True))
    op.execute("UPDATE installments SET kind = 'plan'")
    op.alter_column("installments", "kind", existing_type=sa.String(length=40), nullable=False)
    key = mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=20)
    op.create_table(
        "number_series",
        sa.Column("name", key, nullable=False),
        sa.Column("next", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_number_series")),
    )
    op.create_table(
        "invoices",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("number", key, nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=False),
        sa.Column(
            "currency", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=3), nullable=False
        ),
        sa.Column("issued_on", sa.Date(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("document", mysql.LONGTEXT(), nullable=False),
        sa.Column("reverses_id", sa.BigInteger(), nullable=True),
        sa.Column("payment_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name=op.f("fk_invoices_account_id")),
        sa.ForeignKeyConstraint(["payment_id"], ["payments.id"], name=op.f("fk_invoices_payment_id")),
        sa.ForeignKeyConstraint(["reverses_id"], ["invoices.id"], name=op.f("fk_invoices_reverses_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_invoices_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_invoices")),
        sa.UniqueConstraint("number", name=op.f("uq_invoices_number")),
        sa.UniqueConstraint("payment_id", name=op.f("uq_invoices_payment_id")),
        sa.UniqueConstraint("reverses_id", name=op.f("uq_invoices_reverses_id")),
    )
    op.create_index(op.f("ix_invoices_account_id"), "invoices", ["account_id"], unique=False)
    op.create_table(
        "invoiced_enrollments",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("invoice_id", sa.BigInteger(), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_invoiced_enrollments_enrollment_id")
        ),
        sa.ForeignKeyConstraint(
            ["invoice_id"], ["invoices.id"], name=op.f("fk_invoiced_enrollments_invoice_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_invoiced_enrollments")),
        sa.UniqueConstraint(
            "invoice_id", "enrollment_id", name=op.f("uq_invoiced_enrollments_invoice_id_enrollment_id")
        ),
    )
    op.create_index(
        op.f("ix_invoiced_enrollments_enrollment_id"), "invoiced_enrollments", ["enrollment_id"], unique=False
    )
