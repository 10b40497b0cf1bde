"""Seats set aside and held, offers, interest lists, roles, groups and attendance; what invoices say of each sign-up."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from archgate.core.money import parse_amount

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "webhook_stand_in",
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("signature", sa.Text(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_webhook_stand_in")),
    )
    op.create_table(
        "webhooks",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("secret", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_webhooks")),
    )
    op.create_table(
        "held_places",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("for_whom", sa.String(length=200), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("organization_id", sa.BigInteger(), nullable=True),
        sa.Column("seats", sa.BigInteger(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ended_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.CheckConstraint("seats >= 0", name=op.f("ck_held_places_seats")),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_held_places_organization_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_held_places_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_held_places_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_held_places_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_held_places")),
    )
    op.create_index("ix_held_places_open", "held_places", ["run_id", "status"], unique=False)
    op.create_index(op.f("ix_held_places_person_id"), "held_places", ["person_id"], unique=False)
    op.create_table(
        "interest",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column(
            "list_key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=30), nullable=False
        ),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column(
            "live",
            sa.SmallInteger(),
            sa.Computed("CASE WHEN status IN ('listed','told') THEN 1 ELSE NULL END", persisted=True),
            nullable=True,
        ),
        sa.Column("joined_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("told_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("ended_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("answers", mysql.LONGTEXT(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name=op.f("fk_interest_course_id")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_interest_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_interest_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_interest_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_interest")),
        sa.UniqueConstraint(
            "list_key", "person_id", "live", name=op.f("uq_interest_list_key_person_id_live")
        ),
    )
    op.create_index(op.f("ix_interest_course_id"), "interest", ["course_id"], unique=False)
    op.create_index(op.f("ix_interest_person_id"), "interest", ["person_id"], unique=False)
    op.create_index(op.f("ix_interest_run_id"), "interest", ["run_id"], unique=False)
    op.create_table(
        "notices_seen",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("version", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_notices_seen_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_notices_seen_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_notices_seen")),
        sa.UniqueConstraint(
            "user_id", "run_id", "version", name=op.f("uq_notices_seen_user_id_run_id_version")
        ),
    )
    op.create_index(op.f("ix_notices_seen_run_id"), "notices_seen", ["run_id"], unique=False)
    op.create_table(
        "run_groups",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_groups_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_groups")),
        sa.UniqueConstraint("run_id", "name", name=op.f("uq_run_groups_run_id_name")),
    )
    op.create_table(
        "set_asides",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("seats", sa.BigInteger(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("tag", sa.String(length=40), nullable=True),
        sa.Column("organization_id", sa.BigInteger(), nullable=True),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.CheckConstraint("seats >= 1", name=op.f("ck_set_asides_seats")),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_set_asides_organization_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_set_asides_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_set_asides")),
    )
    op.create_index(op.f("ix_set_asides_run_id"), "set_asides", ["run_id"], unique=False)
    op.create_table(
        "attendance",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("meeting_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["meeting_id"], ["meetings.id"], name=op.f("fk_attendance_meeting_id")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_attendance_person_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_attendance_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attendance")),
        sa.UniqueConstraint("meeting_id", "person_id", name=op.f("uq_attendance_meeting_id_person_id")),
    )
    op.create_index(op.f("ix_attendance_person_id"), "attendance", ["person_id"], unique=False)
    op.add_column("courses", sa.Column("questions", mysql.LONGTEXT(), nullable=False))
    op.add_column("enrollments", sa.Column("came_from_id", sa.BigInteger(), nullable=True))
    op.add_column("enrollments", sa.Column("group_id", sa.BigInteger(), nullable=True))
    op.add_column("enrollments", sa.Column("set_aside_id", sa.BigInteger(), nullable=True))
    op.add_column("enrollments", sa.Column("role", sa.String(length=40), nullable=False))
    op.add_column("enrollments", sa.Column("hold_until", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("enrollments", sa.Column("received_on", sa.Date(), nullable=True))
    op.add_column("enrollments", sa.Column("exception", sa.Text(), nullable=False))
    op.add_column("enrollments", sa.Column("answers", mysql.LONGTEXT(), nullable=False))
    op.create_index(op.f("ix_enrollments_came_from_id"), "enrollments", ["came_from_id"], unique=False)
    op.create_index(op.f("ix_enrollments_group_id"), "enrollments", ["group_id"], unique=False)
    op.create_index(op.f("ix_enrollments_set_aside_id"), "enrollments", ["set_aside_id"], unique=False)
    op.create_foreign_key(op.f("fk_enrollments_group_id"), "enrollments", "run_groups", ["group_id"], ["id"])
    op.create_foreign_key(
        op.f("fk_enrollments_came_from_id"), "enrollments", "enrollments", ["came_from_id"], ["id"]
    )
    op.create_foreign_key(
        op.f("fk_enrollments_set_aside_id"), "enrollments", "set_asides", ["set_aside_id"], ["id"]
    )
    op.add_column("invoiced_enrollments", sa.Column("amount", sa.BigInteger(), nullable=False))
    op.add_column("invoiced_enrollments", sa.Column("taxes", mysql.LONGTEXT(), nullable=False))
    op.add_column("mail_stand_in", sa.Column("attached", sa.String(length=200), nullable=False))
    op.add_column("mail_stand_in", sa.Column("attached_size", sa.BigInteger(), nullable=False))
    op.add_column("meetings", sa.Column("replaces_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_meetings_replaces_id"), "meetings", ["replaces_id"], unique=False)
    op.create_foreign_key(
        op.f("fk_meetings_replaces_id"), "meetings", "meetings", ["replaces_id"], ["id"], ondelete="SET NULL"
    )
    op.add_column("messages", sa.Column("invoice_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(op.f("fk_messages_invoice_id"), "messages", "invoices", ["invoice_id"], ["id"])
    op.add_column("organizations", sa.Column("email", sa.String(length=254), nullable=True))
    op.add_column("payments", sa.Column("fee", sa.BigInteger(), nullable=False))
    op.add_column("people", sa.Column("merged_into_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_people_merged_into_id"), "people", ["merged_into_id"], unique=False)
    op.create_foreign_key(op.f("fk_people_merged_into_id"), "people", "people", ["merged_into_id"], ["id"])
    op.add_column("postings", sa.Column("meeting_id", sa.BigInteger(), nullable=True))
    op.add_column("postings", sa.Column("caused_by_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_postings_caused_by_id"), "postings", ["caused_by_id"], unique=False)
    op.create_index(op.f("ix_postings_meeting_id"), "postings", ["meeting_id"], unique=False)
    op.create_foreign_key(op.f("fk_postings_meeting_id"), "postings", "meetings", ["meeting_id"], ["id"])
    op.create_foreign_key(op.f("fk_postings_caused_by_id"), "postings", "postings", ["caused_by_id"], ["id"])
    op.add_column("runs", sa.Column("receipt_note", sa.Text(), nullable=False))
    op.add_column("runs", sa.Column("desk_notice", sa.Text(), nullable=False))
    op.add_column("runs", sa.Column("notice_version", sa.BigInteger(), nullable=False))
    op.add_column("runs", sa.Column("overbook", sa.BigInteger(), nullable=False))
    op.add_column("runs", sa.Column("line_rule", sa.String(length=40), nullable=False))
    op.add_column("runs", sa.Column("auto_offer", sa.Boolean(), nullable=False))
    op.add_column("runs", sa.Column("offer_hours", sa.BigInteger(), nullable=False))
    op.add_column("runs", sa.Column("hold_hours", sa.BigInteger(), nullable=True))
    op.add_column("runs", sa.Column("told", mysql.LONGTEXT(), nullable=True))
    op.add_column("runs", sa.Column("questions", mysql.LONGTEXT(), nullable=False))
    op.add_column("runs", sa.Column("head_start_hours", sa.BigInteger(), nullable=False))
    op.add_column("runs", sa.Column("interest_told_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("waiting", sa.Column("head_start", sa.BigInteger(), nullable=False))
    op.add_column("waiting", sa.Column("offers", sa.BigInteger(), nullable=False))
    op.add_column("waiting", sa.Column("offered_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("waiting", sa.Column("offer_until", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("waiting", sa.Column("asked_time", sa.Boolean(), nullable=False))
    op.add_column("waiting", sa.Column("answers", mysql.LONGTEXT(), nullable=False))
    for table in ("postings", "stock_moves"):  # the worker has no user
        op.alter_column(table, "user_id", existing_type=sa.BigInteger(), nullable=True)
    for table, states in (("enrollments", "'seated','held'"), ("waiting", "'waiting','offered'")):
        live = f"CASE WHEN status IN ({states}) THEN 1 ELSE NULL END"
        op.execute(f"ALTER TABLE {table} MODIFY COLUMN live SMALLINT GENERATED ALWAYS AS ({live}) PERSISTENT")
    for table, column, usual in (("runs", "line_rule", "fit"), ("enrollments", "role", "learner")):
        op.execute(f"UPDATE {table} SET {column} = '{usual}'")
    op.execute("UPDATE runs SET auto_offer = 1, offer_hours = 36, questions = '[]'")
    op.execute("UPDATE courses SET questions = '[]'")
    op.execute("UPDATE enrollments SET answers = '{}'")
    op.execute("UPDATE waiting SET answers = '{}'")
    say_what_was_invoiced()


def say_what_was_invoiced() -> None:
    """Fill in what each invoice says of its sign-ups, and what credit notes take back of it."""
    connection = op.get_bind()
    rows = connection.execute(sa.text(
        "SELECT l.id, l.enrollment_id, i.id AS invoice, i.total, e.total AS price, e.quote, e.currency,"
        " (SELECT COUNT(*) FROM invoiced_enrollments o WHERE o.invoice_id = i.id) AS many,"
        " (SELECT c.id FROM invoices c WHERE c.reverses_id = i.id) AS note"
        " FROM invoiced_enrollments l JOIN invoices i ON i.id = l.invoice_id JOIN enrollments e ON e.id = l.enrollment_id"
    )).mappings().all()  # fmt: skip
    for row in rows:
        amount = row["total"] if row["many"] == 1 else row["price"]
        held = {
            t["name"]: parse_amount(t["amount"], row["currency"])
            for t in json.loads(row["quote"]).get("taxes", [])
        }
        taxes = {name: part for name, part in held.items() if part}
        connection.execute(
            sa.text("UPDATE invoiced_enrollments SET amount = :amount, taxes = :taxes WHERE id = :id"),
            {"amount": amount, "taxes": json.dumps(taxes), "id": row["id"]},
        )
        if row["note"] is not None:
            less = {name: -part for name, part in taxes.items()}
            connection.execute(
                sa.text("INSERT INTO invoiced_enrollments (invoice_id, enrollment_id, amount, taxes) VALUES (:note, :e, :amount, :taxes)"),
                {"note": row["note"], "e": row["enrollment_id"], "amount": -amount, "taxes": json.dumps(less)},
            )  # fmt: skip
