"""Courses and runs that instructors prepare, and what the center lets them prepare."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0029"
down_revision = "0028"

MOMENT = mysql.DATETIME(fsp=6)
RIGHTS = {"prepare_text": "1", "prepare_pictures": "1", "prepare_outline": "1", "prepare_prices": "0"}


def upgrade() -> None:
    for name, usual in RIGHTS.items():
        op.add_column("teaching_rules", sa.Column(name, sa.Boolean(), nullable=False, server_default=usual))
        op.alter_column(
            "teaching_rules", name, existing_type=sa.Boolean(), existing_nullable=False, server_default=None
        )
    op.add_column("instructors", sa.Column("publishes", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column(
        "instructors", "publishes", existing_type=sa.Boolean(), existing_nullable=False, server_default=None
    )
    op.create_table(
        "preparations",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("instructor_id", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column(
            "live",
            sa.BigInteger(),
            sa.Computed("IF(status IN ('draft', 'handed in', 'returned'), 1, NULL)", persisted=True),
            nullable=True,
        ),
        sa.Column("before", mysql.LONGTEXT(), nullable=False),
        sa.Column("wrote", mysql.LONGTEXT(), nullable=False),
        sa.Column("said", mysql.LONGTEXT(), nullable=False),
        sa.Column("word", mysql.LONGTEXT(), nullable=False),
        sa.Column("begun_at", MOMENT, nullable=False),
        sa.Column("handed_at", MOMENT, nullable=True),
        sa.Column("decided_at", MOMENT, nullable=True),
        sa.Column("decided_by", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name="fk_preparations_course_id"),
        sa.ForeignKeyConstraint(["instructor_id"], ["instructors.id"], name="fk_preparations_instructor_id"),
        sa.ForeignKeyConstraint(["decided_by"], ["users.id"], name="fk_preparations_decided_by"),
        sa.PrimaryKeyConstraint("id", name="pk_preparations"),
        sa.UniqueConstraint("course_id", "live", name="uq_preparations_course_id_live"),
    )
    op.create_index("ix_preparations_instructor_id", "preparations", ["instructor_id"])
    op.create_index("ix_preparations_status", "preparations", ["status", "handed_at"])
    op.create_table(
        "prepared_runs",
        sa.Column("run_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("preparation_id", sa.BigInteger(), nullable=False),
        sa.Column("unpriced", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_prepared_runs_run_id"),
        sa.ForeignKeyConstraint(
            ["preparation_id"], ["preparations.id"], name="fk_prepared_runs_preparation_id"
        ),
        sa.PrimaryKeyConstraint("run_id", name="pk_prepared_runs"),
    )
    op.create_index("ix_prepared_runs_preparation_id", "prepared_runs", ["preparation_id"])
