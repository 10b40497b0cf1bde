"""Seats set aside can be released so many days before the start; remarks on health stand apart from notes; a file can be taken
off its run."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    op.add_column("set_asides", sa.Column("days_before", sa.Integer(), nullable=True))
    op.add_column("people", sa.Column("health", sa.Text(), nullable=False, server_default=""))
    op.add_column("attachments", sa.Column("removed_at", mysql.DATETIME(fsp=6), nullable=True))
