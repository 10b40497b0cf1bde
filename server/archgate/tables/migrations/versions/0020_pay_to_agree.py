"""The cost of a line of a cover proposal may be missing: the pay is still to be agreed, or nobody takes the meeting."""

from __future__ import annotations

from alembic import op
from sqlalchemy.dialects import mysql

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.alter_column("cover_lines", "cost", existing_type=mysql.BIGINT(), nullable=True)
    # A proposal that was made before does not know it; what was taken keeps its figure.
    op.execute("UPDATE cover_lines SET cost = NULL WHERE instructor_id IS NULL")
