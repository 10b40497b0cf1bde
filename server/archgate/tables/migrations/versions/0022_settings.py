"""Settings of the center: address and logo of papers, their size and numbers, the first day of the week."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    op.create_table(
        "center_logos",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("content", mysql.LONGBLOB(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_center_logos"),
    )
    op.add_column("center", sa.Column("address", sa.Text(), nullable=True))
    op.execute("UPDATE center SET address = ''")
    op.alter_column("center", "address", existing_type=sa.Text(), nullable=False)
    for column in (
        sa.Column("first_weekday", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("paper_size", sa.String(40), nullable=False, server_default="Letter"),
        sa.Column("number_format", sa.String(40), nullable=False, server_default="en_US"),
        sa.Column("logo_id", sa.BigInteger(), nullable=True),
    ):
        op.add_column("center", column)
    op.create_foreign_key("fk_center_logo_id", "center", "center_logos", ["logo_id"], ["id"])
