"""A party whose offer was taken back gets the next one by hand only."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"


def upgrade() -> None:
    op.add_column("waiting", sa.Column("by_hand", sa.Boolean(), nullable=False, server_default="0"))
