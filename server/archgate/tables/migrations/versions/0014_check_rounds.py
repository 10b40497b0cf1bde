"""A check of everything leaves word of how far it has come."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "check_rounds",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("begun_at", moment, nullable=False),
        sa.Column("part", sa.BigInteger(), nullable=False),
        sa.Column("after", sa.BigInteger(), nullable=False),
        sa.Column("found", mysql.LONGTEXT(), nullable=False),
        sa.Column("alive_at", moment, nullable=False),
        sa.Column("done_at", moment, nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_check_rounds")),
        mysql_charset="utf8mb4",
    )
