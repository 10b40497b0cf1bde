"""The mail stand-in keeps a letter's HTML; runs and the center say by a revision when what they are made of changed."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    columns = (
        ("mail_stand_in", "html", sa.Text()),
        ("run_seats", "revision", sa.Integer()),
        ("center", "revision", sa.Integer()),
    )
    for table, name, kind in columns:
        empty = "" if name == "html" else "0"
        op.add_column(table, sa.Column(name, kind, nullable=False, server_default=empty))
        op.alter_column(table, name, existing_type=kind, existing_nullable=False, server_default=None)
