"""Calls that were put aside; address and number of an organization."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    op.create_table(
        "parked_calls",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("about", sa.String(200), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name="fk_parked_calls_user_id"),
        sa.PrimaryKeyConstraint("id", name="pk_parked_calls"),
    )
    op.create_index("ix_parked_calls_user", "parked_calls", ["user_id", "at"])
    op.add_column("organizations", sa.Column("address", sa.Text(), nullable=True))
    op.execute("UPDATE organizations SET address = ''")
    op.alter_column("organizations", "address", existing_type=sa.Text(), nullable=False)
    op.add_column("organizations", sa.Column("number", sa.String(60), nullable=False, server_default=""))
