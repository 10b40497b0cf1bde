"""Every quote that is kept names its currency, as those of the first release did not."""

from __future__ import annotations

from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.execute(
        "UPDATE enrollments SET quote = JSON_SET(quote, '$.currency', currency)"
        " WHERE JSON_EXTRACT(quote, '$.currency') IS NULL"
    )
    op.execute(
        "UPDATE kept_quotes JOIN runs ON runs.id = kept_quotes.run_id"
        " SET kept_quotes.quote = JSON_SET(kept_quotes.quote, '$.currency', runs.currency)"
        " WHERE JSON_EXTRACT(kept_quotes.quote, '$.currency') IS NULL"
    )
