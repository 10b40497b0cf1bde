"""Seats that are held until payment details are on file."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    op.add_column("enrollments", sa.Column("card_first", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column(
        "enrollments", "card_first", existing_type=sa.Boolean(), existing_nullable=False, server_default=None
    )
