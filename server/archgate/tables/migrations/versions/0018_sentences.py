"""Standing and follow-on enrollment: sentences that enroll people by themselves."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    moment, number, flag = mysql.DATETIME(fsp=6), sa.BigInteger(), sa.Boolean()
    op.create_table(
        "sentences",
        sa.Column("id", number, nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("tag", sa.String(40), nullable=False),
        sa.Column("organization_id", number, nullable=True),
        sa.Column("source_id", number, nullable=True),
        sa.Column("target_id", number, nullable=False),
        sa.Column("group_name", sa.String(100), nullable=False),
        sa.Column("rate", sa.String(40), nullable=True),
        sa.Column("assistants", flag, nullable=False),
        sa.Column("leaves", flag, nullable=False),
        sa.Column("active", flag, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("enrolled", number, nullable=False),
        sa.Column("lined", number, nullable=False),
        sa.Column("missed", number, nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("last_at", moment, nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        *(
            sa.ForeignKeyConstraint([name], [f"{table}.id"], name=op.f(f"fk_sentences_{name}"))
            for name, table in (
                ("organization_id", "organizations"), ("source_id", "runs"), ("target_id", "runs"), ("user_id", "users"),
            )
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sentences")),
        mysql_charset="utf8mb4",
    )  # fmt: skip
    for name in ("tag", "organization_id", "source_id", "target_id"):
        op.create_index(f"ix_sentences_{name}", "sentences", [name])
    op.create_table(
        "sentence_dues",
        sa.Column("id", number, nullable=False),
        sa.Column("sentence_id", number, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.ForeignKeyConstraint(["sentence_id"], ["sentences.id"], name=op.f("fk_sentence_dues_sentence_id")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_sentence_dues_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sentence_dues")),
        sa.UniqueConstraint("sentence_id", "person_id", name=op.f("uq_sentence_dues_sentence_id_person_id")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_sentence_dues_person_id", "sentence_dues", ["person_id"])
    for table in ("enrollments", "waiting"):
        op.add_column(table, sa.Column("sentence_id", number, nullable=True))
        op.create_index(f"ix_{table}_sentence_id", table, ["sentence_id"])
        op.create_foreign_key(f"fk_{table}_sentence_id", table, "sentences", ["sentence_id"], ["id"])
    op.add_column("run_seats", sa.Column("followed", flag, nullable=False, server_default=sa.text("0")))
