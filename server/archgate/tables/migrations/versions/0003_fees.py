"""Sale prices, who may have a rate, extras and stock, codes, kept quotes, plans of the center, payment details.

Every head of a party gets the rate of its sign-up. Where a run's values come from is now seen by comparing them.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"

FILLED = (
    ("center", "defaults", "{}"),
    ("plans", "course_ids", "[]"),
    ("rates", "tags", "[]"),
    ("runs", "group_steps", "[]"),
    ("runs", "taxes", "[]"),
    ("waiting", "ask", "{}"),
)


def upgrade() -> None:
    op.create_table(
        "discount_codes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=40), nullable=False),
        sa.Column("note", sa.String(length=200), nullable=False),
        sa.Column("percent", sa.Numeric(precision=9, scale=6), nullable=True),
        sa.Column("off", sa.BigInteger(), nullable=True),
        sa.Column(
            "currency", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=3), nullable=False
        ),
        sa.Column("first", sa.Date(), nullable=True),
        sa.Column("last", sa.Date(), nullable=True),
        sa.Column("most", sa.BigInteger(), nullable=True),
        sa.Column("most_each", sa.BigInteger(), nullable=True),
        sa.Column("uses", sa.BigInteger(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("course_ids", mysql.LONGTEXT(), nullable=False),
        sa.Column("run_ids", mysql.LONGTEXT(), nullable=False),
        sa.Column("on_codes", mysql.LONGTEXT(), nullable=True),
        sa.Column("series", sa.String(length=200), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.CheckConstraint(
            "(percent IS NULL) <> (off IS NULL)", name=op.f("ck_discount_codes_one_reduction")
        ),
        sa.CheckConstraint(
            "uses >= 0 AND (most IS NULL OR uses <= most)", name=op.f("ck_discount_codes_uses")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_discount_codes")),
        sa.UniqueConstraint("code", name=op.f("uq_discount_codes_code")),
    )
    op.create_index("ix_discount_codes_series", "discount_codes", ["series"], unique=False)
    op.create_table(
        "payment_stand_in",
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("token", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("holder", sa.String(length=200), nullable=False),
        sa.Column("words", sa.String(length=200), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_payment_stand_in")),
        sa.UniqueConstraint("token", name=op.f("uq_payment_stand_in_token")),
    )
    op.create_table(
        "stock_items",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("on_hand", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("on_hand >= 0", name=op.f("ck_stock_items_on_hand")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stock_items")),
        sa.UniqueConstraint("name", name=op.f("uq_stock_items_name")),
    )
    op.create_table(
        "person_tags",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("tag", sa.String(length=40), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_person_tags_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person_tags")),
        sa.UniqueConstraint("person_id", "tag", name=op.f("uq_person_tags_person_id_tag")),
    )
    op.create_index(op.f("ix_person_tags_tag"), "person_tags", ["tag"], unique=False)
    op.create_table(
        "extras",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("required", sa.Boolean(), nullable=False),
        sa.Column("most", sa.BigInteger(), nullable=True),
        sa.Column("item_id", sa.BigInteger(), nullable=True),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.CheckConstraint("amount >= 0", name=op.f("ck_extras_amount")),
        sa.ForeignKeyConstraint(["item_id"], ["stock_items.id"], name=op.f("fk_extras_item_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_extras_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_extras")),
        sa.UniqueConstraint("run_id", "code", name=op.f("uq_extras_run_id_code")),
    )
    op.create_table(
        "payment_details",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=False),
        sa.Column("token", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("words", sa.String(length=200), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name=op.f("fk_payment_details_account_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_payment_details_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_payment_details")),
        sa.UniqueConstraint("token", name=op.f("uq_payment_details_token")),
    )
    op.create_index(op.f("ix_payment_details_account_id"), "payment_details", ["account_id"], unique=False)
    op.create_table(
        "code_uses",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code_id", sa.BigInteger(), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("live", sa.Boolean(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["code_id"], ["discount_codes.id"], name=op.f("fk_code_uses_code_id")),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_code_uses_enrollment_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_code_uses_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_code_uses")),
        sa.UniqueConstraint("enrollment_id", name=op.f("uq_code_uses_enrollment_id")),
    )
    op.create_index("ix_code_uses_person", "code_uses", ["code_id", "person_id"], unique=False)
    op.create_index(op.f("ix_code_uses_person_id"), "code_uses", ["person_id"], unique=False)
    op.create_table(
        "enrollment_extras",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=False),
        sa.Column("extra_id", sa.BigInteger(), nullable=False),
        sa.Column("quantity", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_enrollment_extras_quantity")),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_enrollment_extras_enrollment_id")
        ),
        sa.ForeignKeyConstraint(["extra_id"], ["extras.id"], name=op.f("fk_enrollment_extras_extra_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_enrollment_extras")),
        sa.UniqueConstraint(
            "enrollment_id", "extra_id", name=op.f("uq_enrollment_extras_enrollment_id_extra_id")
        ),
    )
    op.create_index(op.f("ix_enrollment_extras_extra_id"), "enrollment_extras", ["extra_id"], unique=False)
    op.create_table(
        "kept_quotes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("organization_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("reminder_id", sa.BigInteger(), nullable=True),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=True),
        sa.Column("ask", mysql.LONGTEXT(), nullable=False),
        sa.Column("quote", mysql.LONGTEXT(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("kept_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_kept_quotes_enrollment_id")
        ),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_kept_quotes_organization_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_kept_quotes_person_id")),
        sa.ForeignKeyConstraint(["reminder_id"], ["reminders.id"], name=op.f("fk_kept_quotes_reminder_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_kept_quotes_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_kept_quotes_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_quotes")),
    )
    op.create_index("ix_kept_quotes_open", "kept_quotes", ["status", "last"], unique=False)
    op.create_index(op.f("ix_kept_quotes_person_id"), "kept_quotes", ["person_id"], unique=False)
    op.create_index(op.f("ix_kept_quotes_run_id"), "kept_quotes", ["run_id"], unique=False)
    op.create_table(
        "stock_moves",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("item_id", sa.BigInteger(), nullable=False),
        sa.Column("quantity", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("cause", sa.Text(), nullable=False),
        sa.CheckConstraint("quantity <> 0", name=op.f("ck_stock_moves_quantity")),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_stock_moves_enrollment_id")
        ),
        sa.ForeignKeyConstraint(["item_id"], ["stock_items.id"], name=op.f("fk_stock_moves_item_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_stock_moves_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stock_moves")),
    )
    op.create_index(op.f("ix_stock_moves_enrollment_id"), "stock_moves", ["enrollment_id"], unique=False)
    op.create_index(op.f("ix_stock_moves_item_id"), "stock_moves", ["item_id"], unique=False)
    op.add_column("center", sa.Column("defaults", mysql.LONGTEXT(), nullable=False))
    op.add_column("party_places", sa.Column("rate_id", sa.BigInteger(), nullable=True))
    op.execute("UPDATE party_places p JOIN enrollments e ON e.id = p.enrollment_id SET p.rate_id = e.rate_id")
    op.alter_column("party_places", "rate_id", existing_type=sa.BigInteger(), nullable=False)
    op.create_index(op.f("ix_party_places_rate_id"), "party_places", ["rate_id"], unique=False)
    op.create_foreign_key(op.f("fk_party_places_rate_id"), "party_places", "rates", ["rate_id"], ["id"])
    op.add_column("plans", sa.Column("note", sa.Text(), nullable=False))
    op.add_column("plans", sa.Column("position", sa.BigInteger(), nullable=False))
    op.add_column("plans", sa.Column("details", sa.Boolean(), nullable=False))
    op.add_column("plans", sa.Column("course_ids", mysql.LONGTEXT(), nullable=False))
    op.add_column("plans", sa.Column("replaces_id", sa.BigInteger(), nullable=True))
    op.alter_column("plans", "run_id", existing_type=sa.BigInteger(), nullable=True)
    op.create_foreign_key(op.f("fk_plans_replaces_id"), "plans", "plans", ["replaces_id"], ["id"])
    op.add_column("rates", sa.Column("sale_from", sa.Date(), nullable=True))
    op.add_column("rates", sa.Column("sale_to", sa.Date(), nullable=True))
    op.add_column("rates", sa.Column("sale_amount", sa.BigInteger(), nullable=True))
    op.add_column("rates", sa.Column("by_agreement", sa.Boolean(), nullable=False))
    op.add_column("rates", sa.Column("tags", mysql.LONGTEXT(), nullable=False))
    op.add_column("rates", sa.Column("organization_id", sa.BigInteger(), nullable=True))
    op.add_column("rates", sa.Column("past_course_id", sa.BigInteger(), nullable=True))
    op.add_column("rates", sa.Column("offered_from", sa.Date(), nullable=True))
    op.add_column("rates", sa.Column("offered_to", sa.Date(), nullable=True))
    op.add_column("rates", sa.Column("most", sa.BigInteger(), nullable=True))
    op.create_foreign_key(
        op.f("fk_rates_organization_id"), "rates", "organizations", ["organization_id"], ["id"]
    )
    op.create_foreign_key(op.f("fk_rates_past_course_id"), "rates", "courses", ["past_course_id"], ["id"])
    op.add_column("runs", sa.Column("group_steps", mysql.LONGTEXT(), nullable=False))
    op.add_column("runs", sa.Column("taxes", mysql.LONGTEXT(), nullable=False))
    op.drop_column("runs", "sources")
    op.add_column("waiting", sa.Column("ask", mysql.LONGTEXT(), nullable=False))
    for table, column, empty in FILLED:
        op.execute(f"UPDATE {table} SET {column} = '{empty}'")
    op.execute(
        "UPDATE plans p JOIN (SELECT id, ROW_NUMBER() OVER (PARTITION BY run_id ORDER BY id) AS n FROM plans) x"
        " ON x.id = p.id SET p.position = x.n"
    )
    for event in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER stock_moves_no_{event.lower()} BEFORE {event} ON stock_moves FOR EACH ROW"
            " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'Rows of stock_moves are never changed or deleted.'"
        )
