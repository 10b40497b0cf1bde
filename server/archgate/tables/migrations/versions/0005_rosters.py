"""Sign-ups that change and move: what invoices say of each, credit for meetings that fell out, papers sent as PDF."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from archgate.core.money import parse_amount

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("enrollments", sa.Column("came_from_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_enrollments_came_from_id"), "enrollments", ["came_from_id"], unique=False)
    op.create_foreign_key(
        op.f("fk_enrollments_came_from_id"), "enrollments", "enrollments", ["came_from_id"], ["id"]
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
    op.add_column("postings", sa.Column("meeting_id", sa.BigInteger(), nullable=True))
    op.add_column("postings", sa.Column("caused_by_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_postings_caused_by_id"), "postings", ["caused_by_id"], unique=False)
    op.create_index(op.f("ix_postings_meeting_id"), "postings", ["meeting_id"], unique=False)
    op.create_foreign_key(op.f("fk_postings_caused_by_id"), "postings", "postings", ["caused_by_id"], ["id"])
    op.create_foreign_key(op.f("fk_postings_meeting_id"), "postings", "meetings", ["meeting_id"], ["id"])
    op.add_column("runs", sa.Column("receipt_note", sa.Text(), nullable=False))
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
