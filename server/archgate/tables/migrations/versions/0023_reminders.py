"""Reminders about courses and payers too."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    for name, table in (("course_id", "courses"), ("account_id", "accounts")):
        op.add_column("reminders", sa.Column(name, sa.BigInteger(), nullable=True))
        op.create_foreign_key(f"fk_reminders_{name}", "reminders", table, [name], ["id"])
