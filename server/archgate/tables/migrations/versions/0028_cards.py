"""Money by card: payments begun at the payment service, refunds to cards, and details on file that nobody of the staff took."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0028"
down_revision = "0027"

MOMENT = mysql.DATETIME(fsp=6)


def ascii_key(length: int) -> mysql.VARCHAR:
    return mysql.VARCHAR(length, charset="ascii", collation="ascii_bin")


def key() -> sa.Column[int]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def upgrade() -> None:
    for table in ("payment_details", "invoices"):
        op.alter_column(table, "user_id", existing_type=sa.BigInteger(), nullable=True)
    op.add_column("payment_details", sa.Column("ended_at", MOMENT, nullable=True))
    op.create_table(
        "card_payments",
        key(),
        sa.Column("key", ascii_key(80), nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=True),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=True),
        sa.Column("details_id", sa.BigInteger(), nullable=True),
        sa.Column("installment_id", sa.BigInteger(), nullable=True),
        sa.Column("refusals", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("currency", ascii_key(3), nullable=False),
        sa.Column("words", sa.String(200), nullable=False),
        sa.Column("keep", sa.Boolean(), nullable=False),
        sa.Column("discreet", sa.Boolean(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("page", mysql.LONGTEXT(), nullable=False),
        sa.Column("back", mysql.LONGTEXT(), nullable=False),
        sa.Column("said", mysql.LONGTEXT(), nullable=False),
        sa.Column("given_at", MOMENT, nullable=True),
        sa.Column("look_at", MOMENT, nullable=True),
        sa.Column("payment_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=True),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name="fk_card_payments_account_id"),
        sa.ForeignKeyConstraint(["enrollment_id"], ["enrollments.id"], name="fk_card_payments_enrollment_id"),
        sa.ForeignKeyConstraint(["details_id"], ["payment_details.id"], name="fk_card_payments_details_id"),
        sa.ForeignKeyConstraint(
            ["installment_id"], ["installments.id"], name="fk_card_payments_installment_id"
        ),
        sa.ForeignKeyConstraint(["payment_id"], ["payments.id"], name="fk_card_payments_payment_id"),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name="fk_card_payments_user_id"),
        sa.PrimaryKeyConstraint("id", name="pk_card_payments"),
        sa.UniqueConstraint("key", name="uq_card_payments_key"),
        sa.UniqueConstraint("installment_id", "refusals", name="uq_card_payments_installment_id_refusals"),
        sa.UniqueConstraint("payment_id", name="uq_card_payments_payment_id"),
    )
    op.create_index("ix_card_payments_look", "card_payments", ["look_at"])
    op.create_index("ix_card_payments_account", "card_payments", ["account_id", "id"])
    op.create_index("ix_card_payments_status", "card_payments", ["status", "id"])
    op.create_index("ix_card_payments_enrollment_id", "card_payments", ["enrollment_id"])
    op.create_table(
        "card_refunds",
        key(),
        sa.Column("key", ascii_key(80), nullable=False),
        sa.Column("card_payment_id", sa.BigInteger(), nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=False),
        sa.Column("posting_id", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("said", mysql.LONGTEXT(), nullable=False),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.ForeignKeyConstraint(
            ["card_payment_id"], ["card_payments.id"], name="fk_card_refunds_card_payment_id"
        ),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name="fk_card_refunds_account_id"),
        sa.ForeignKeyConstraint(["posting_id"], ["postings.id"], name="fk_card_refunds_posting_id"),
        sa.PrimaryKeyConstraint("id", name="pk_card_refunds"),
        sa.UniqueConstraint("key", name="uq_card_refunds_key"),
    )
    for column in ("card_payment_id", "account_id", "posting_id"):
        op.create_index(f"ix_card_refunds_{column}", "card_refunds", [column])
    op.drop_table("payment_stand_in")
