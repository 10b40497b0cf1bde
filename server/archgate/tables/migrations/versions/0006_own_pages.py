"""Learners' own pages: invitations, passwords and sessions."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "own_pages",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column(
            "password", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=200), nullable=True
        ),
        sa.Column("turn", sa.BigInteger(), nullable=False),
        sa.Column("sent_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_own_pages_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_own_pages")),
        sa.UniqueConstraint("email", name=op.f("uq_own_pages_email")),
        sa.UniqueConstraint("person_id", name=op.f("uq_own_pages_person_id")),
    )
    op.create_table(
        "own_page_sessions",
        sa.Column(
            "token_hash", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False
        ),
        sa.Column("own_page_id", sa.BigInteger(), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["own_page_id"],
            ["own_pages.id"],
            name=op.f("fk_own_page_sessions_own_page_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_own_page_sessions")),
    )
    op.create_index(
        op.f("ix_own_page_sessions_own_page_id"), "own_page_sessions", ["own_page_id"], unique=False
    )
