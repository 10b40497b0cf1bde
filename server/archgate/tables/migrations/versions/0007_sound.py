"""Every gate of a run once; what makes the center sound to trust."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    gates_once()
    op.drop_table("sign_in_attempts")
    op.create_table(
        "sign_in_limits",
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.Column("since", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_sign_in_limits")),
    )
    op.create_index(op.f("ix_sign_in_limits_since"), "sign_in_limits", ["since"], unique=False)
    op.add_column("batch_rows", sa.Column("odd", sa.Text(), nullable=False, server_default=sa.text("('')")))
    op.alter_column(
        "batch_rows", "odd", existing_type=sa.Text(), existing_nullable=False, server_default=None
    )
    op.alter_column("person_numbers", "organization_id", existing_type=sa.BigInteger(), nullable=True)


def gates_once() -> None:
    """Two saves at the same moment could write the gates of a run twice. The later of what is the same goes, early steps
    are numbered in their order, seats set aside by their row; then a key keeps it so."""
    op.execute(
        "DELETE later FROM gates later JOIN gates first ON first.run_id = later.run_id AND first.kind = later.kind"
        " AND first.n = later.n AND first.id < later.id WHERE later.kind NOT IN ('early step ends', 'set-aside seats released')"
        " OR (first.rule = later.rule AND first.day = later.day AND first.label = later.label)"
    )
    op.execute(
        "UPDATE gates JOIN (SELECT id, ROW_NUMBER() OVER (PARTITION BY run_id, kind ORDER BY at, id) AS number FROM gates"
        " WHERE kind IN ('early step ends', 'set-aside seats released')) numbered ON numbered.id = gates.id"
        " SET gates.n = numbered.number"
    )
    op.create_unique_constraint(op.f("uq_gates_run_id_kind_n"), "gates", ["run_id", "kind", "n"])
    op.drop_index("ix_gates_run_id", table_name="gates")
