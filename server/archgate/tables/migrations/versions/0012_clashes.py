"""Clashes are kept, by the acts that make or heal them. They are worked out after the migration (`checks.heal`)."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "clashes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("who", sa.BigInteger(), nullable=False),
        sa.Column("meeting_id", sa.BigInteger(), nullable=False),
        sa.Column("other_meeting_id", sa.BigInteger(), nullable=True),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("other_run_id", sa.BigInteger(), nullable=True),
        sa.Column("starts_at", moment, nullable=False),
        sa.Column("ends_at", moment, nullable=False),
        sa.Column("until", moment, nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("of_place", sa.Boolean(), nullable=False),
        sa.Column("busy", sa.BigInteger(), nullable=False),
        sa.Column("size", sa.String(40, collation="ascii_bin"), nullable=False),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_clashes_meeting_id_meetings"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["other_meeting_id"],
            ["meetings.id"],
            name=op.f("fk_clashes_other_meeting_id_meetings"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_clashes")),
        mysql_charset="utf8mb4",
    )
    for name, columns in (
        ("until", ["until"]),
        ("run", ["run_id"]),
        ("other_run", ["other_run_id"]),
        ("who", ["kind", "who"]),
        ("meeting_id", ["meeting_id"]),
        ("other_meeting_id", ["other_meeting_id"]),
    ):
        op.create_index(f"ix_clashes_{name}", "clashes", columns)
