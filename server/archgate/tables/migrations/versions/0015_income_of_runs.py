"""What the sign-ups of a run come to stands with its seats."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"

COUNTED = """
UPDATE run_seats s JOIN (
    SELECT run_id, COUNT(*) AS sign_ups, SUM(total) AS income FROM enrollments
    WHERE live = 1 AND role = 'learner' GROUP BY run_id
) e USING (run_id) SET s.sign_ups = e.sign_ups, s.income = e.income
"""


def upgrade() -> None:
    op.add_column("run_seats", sa.Column("sign_ups", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("run_seats", sa.Column("income", sa.BigInteger(), nullable=False, server_default="0"))
    op.execute(COUNTED)
