"""Lists are judged once and enrolled in the background: each row keeps its verdict and what became of it.

What earlier lists reported goes to their rows; what was only judged is judged again when somebody looks at it.
"""

from __future__ import annotations

import json
from typing import TypeAlias

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0017"
down_revision = "0016"

Kind: TypeAlias = sa.String | sa.BigInteger | sa.DateTime | sa.Boolean | sa.Text
MOMENT = mysql.DATETIME(fsp=6)


def word(length: int) -> mysql.VARCHAR:
    return mysql.VARCHAR(length, charset="ascii", collation="ascii_bin")


def add(table: str, name: str, kind: Kind, default: str | None = None) -> None:
    """A column; with a default for the rows that are there, it cannot be empty."""
    if default is None:
        op.add_column(table, sa.Column(name, kind, nullable=True))
        return
    op.add_column(table, sa.Column(name, kind, nullable=False, server_default=sa.text(default)))
    op.alter_column(table, name, existing_type=kind, existing_nullable=False, server_default=None)


def upgrade() -> None:
    text, number, flag = sa.Text(), sa.BigInteger(), sa.Boolean()
    kind: Kind
    op.alter_column("batches", "run_id", existing_type=number, nullable=True)
    for name, kind, default in (
        ("source", sa.String(40), "'file'"), ("sheet", sa.String(200), "''"), ("sheets", mysql.LONGTEXT(), "('[]')"),
        ("headings_hash", word(64), "''"), ("lines", number, "0"), ("rate", sa.String(200), "''"),
        ("plan", sa.String(200), "''"), ("code", sa.String(40), "''"), ("extras", sa.String(500), "''"),
        ("group_name", sa.String(100), "''"), ("order_number", sa.String(100), "''"), ("contact", sa.String(200), "''"),
        ("told", mysql.LONGTEXT(), None), ("judged_after", number, None), ("judged_at", MOMENT, None),
        ("people_shown", number, None), ("total_shown", sa.String(400), "''"), ("confirmed_at", MOMENT, None),
        ("begun_at", MOMENT, None), ("begun_done", number, "0"), ("worker", word(80), "''"), ("alive_at", MOMENT, None),
        ("note", text, "('')"), ("change_key", word(32), "''"),
    ):  # fmt: skip
        add("batches", name, kind, default)
    op.create_index("ix_batches_headings_hash", "batches", ["headings_hash"])
    op.create_index("ix_batches_status", "batches", ["status", "alive_at"])
    for name, kind, default in (
        ("is_odd", flag, "0"), ("name", sa.String(401), "''"), ("verdict", sa.String(40), None), ("why", text, "('')"),
        ("kind", sa.String(40), None), ("fact", sa.String(40), "''"), ("suggested", sa.String(200), "''"),
        ("near", mysql.LONGTEXT(), None), ("run_id", number, None), ("person_id", number, None), ("payer_id", number, None),
        ("rate", sa.String(200), "''"), ("heads", number, "0"), ("total", number, "0"), ("dues", number, "0"), ("is_new", flag, "0"),
        ("currency", sa.String(3), "''"),
        ("outcome", sa.String(40), None), ("said", text, "('')"), ("enrollment_id", number, None), ("waiting_id", number, None),
        ("added", flag, "0"), ("change_key", word(32), "''"), ("back", flag, "0"),
    ):  # fmt: skip
        add("batch_rows", name, kind, default)
    for name in ("verdict", "outcome", "back"):
        op.create_index(f"ix_batch_rows_{name}", "batch_rows", ["batch_id", name, "line"])
    for name, other in (
        ("run_id", "runs"),
        ("person_id", "people"),
        ("enrollment_id", "enrollments"),
        ("waiting_id", "waiting"),
    ):
        op.create_index(f"ix_batch_rows_{name}", "batch_rows", [name])
        op.create_foreign_key(f"fk_batch_rows_{name}", "batch_rows", other, [name], ["id"])
    op.create_table(
        "batch_files",
        sa.Column("batch_id", number, nullable=False, autoincrement=False),
        sa.Column("data", mysql.LONGBLOB(), nullable=False),
        sa.ForeignKeyConstraint(["batch_id"], ["batches.id"], name=op.f("fk_batch_files_batch_id")),
        sa.PrimaryKeyConstraint("batch_id", name=op.f("pk_batch_files")),
        mysql_charset="utf8mb4",
    )
    add("messages", "occasion", sa.String(40), "''")
    add("messages", "enrollment_id", number)
    op.create_index("ix_messages_enrollment_id", "messages", ["enrollment_id"])
    op.create_foreign_key("fk_messages_enrollment_id", "messages", "enrollments", ["enrollment_id"], ["id"])
    add("people", "removed_at", MOMENT)
    for table in ("enrollments", "waiting"):
        add(table, "order_number", sa.String(100), "''")
        add(table, "contact", sa.String(200), "''")
    add("waiting", "group_id", number)
    op.create_index("ix_waiting_group_id", "waiting", ["group_id"])
    op.create_foreign_key("fk_waiting_group_id", "waiting", "run_groups", ["group_id"], ["id"])
    keep_reports()
    op.drop_column("batches", "report")


def keep_reports() -> None:
    """What became of each line of the lists that were enrolled, from their reports to their rows."""
    bind = op.get_bind()
    bind.execute(
        sa.text("UPDATE batches b SET b.lines = (SELECT COUNT(*) FROM batch_rows r WHERE r.batch_id = b.id)")
    )
    reported = bind.execute(sa.text("SELECT id, run_id, report FROM batches WHERE report IS NOT NULL")).all()
    update = sa.text(
        "UPDATE batch_rows SET name = :name, verdict = :verdict, why = :why, run_id = :run, person_id = :person, rate = :rate,"
        " heads = :heads, outcome = :outcome, said = :why, currency = (SELECT currency FROM runs WHERE id = :run),"
        " enrollment_id = (SELECT MAX(e.id) FROM enrollments e WHERE e.batch_id = :batch AND e.person_id = :person AND :outcome = 'enrolled'),"
        " waiting_id = (SELECT MAX(w.id) FROM waiting w WHERE w.batch_id = :batch AND w.person_id = :person AND :outcome = 'waiting'),"
        " total = COALESCE((SELECT MAX(e.total) FROM enrollments e WHERE e.batch_id = :batch AND e.person_id = :person), 0)"
        " WHERE batch_id = :batch AND line = :line"
    )
    outcomes = {"enrolled": "will enroll", "waiting": "will wait"}
    for batch, run, report in reported:
        rows = [
            {
                "batch": batch, "run": run, "line": item["line"], "name": item["name"][:401], "why": item["why"],
                "person": item.get("person_id"), "rate": item["rate"][:200], "heads": item["party"],
                "verdict": outcomes.get(item["verdict"], item["verdict"]),
                "outcome": item["verdict"] if item["verdict"] in outcomes else None,
            }
            for item in json.loads(report)
        ]  # fmt: skip
        if rows:
            bind.execute(update, rows)
