"""The words by which people are found: parts of names, emails, the ends of phone numbers. The credit of an account."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

from archgate.core.names import search_words

revision = "0011"
down_revision = "0010"

CHUNK = 5000


def upgrade() -> None:
    credit = "IF(open > balance, open - balance, NULL)"
    op.add_column("accounts", sa.Column("credit", sa.BigInteger(), sa.Computed(credit, persisted=True)))
    op.create_index("ix_accounts_credit", "accounts", ["credit"])
    words = op.create_table(
        "people_words",
        sa.Column("person_id", sa.BigInteger(), nullable=False, autoincrement=False),
        sa.Column("word", sa.String(60, collation="utf8mb4_bin"), nullable=False),
        sa.Column("sort", sa.String(80), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_people_words_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("person_id", "word", name=op.f("pk_people_words")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_people_words_word", "people_words", ["word", "sort", "person_id"])
    people = op.get_bind()
    last = 0
    while True:
        rows = people.execute(
            sa.text(
                "SELECT id, given, family, folded, email, digits FROM people WHERE id > :last ORDER BY id LIMIT :n"
            ),
            {"last": last, "n": CHUNK},
        ).all()
        if not rows:
            return
        last = rows[-1].id
        people.execute(
            sa.insert(words),
            [
                {"person_id": r.id, "word": word, "sort": f"{r.family} {r.given}"[:80]}
                for r in rows
                for word in search_words(r.folded, r.email, r.digits)
            ],
        )
