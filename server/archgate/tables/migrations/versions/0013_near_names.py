"""Keys by which people of nearly the same name are found."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

from archgate.core.names import near_keys

revision = "0013"
down_revision = "0012"

CHUNK = 5000


def upgrade() -> None:
    people = op.get_bind()
    last = 0
    while True:
        rows = people.execute(
            sa.text("SELECT id, given, family, folded FROM people WHERE id > :last ORDER BY id LIMIT :n"),
            {"last": last, "n": CHUNK},
        ).all()
        if not rows:
            return
        last = rows[-1].id
        words = [
            {"person_id": r.id, "word": key, "sort": f"{r.family} {r.given}"[:80]}
            for r in rows
            for key in near_keys(r.folded)
        ]
        if words:
            people.execute(
                sa.text(
                    "INSERT IGNORE INTO people_words (person_id, word, sort) VALUES (:person_id, :word, :sort)"
                ),
                words,
            )
