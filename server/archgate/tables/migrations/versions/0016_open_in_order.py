"""What is open, and who owes it, is listed in the order of an index; so are seats held until a moment."""

from __future__ import annotations

from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.drop_index("ix_installments_open", "installments")
    op.create_index("ix_installments_open", "installments", ["open_due", "id", "open"])
    op.drop_index("ix_accounts_listed", "accounts")
    op.create_index("ix_accounts_listed", "accounts", ["listed", "id", "currency"])
    op.create_index("ix_enrollments_held", "enrollments", ["hold_until", "status", "run_id"])
