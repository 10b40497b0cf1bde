"""The first tables: center, courses, runs, people, enrollments, ledger, log."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None

# Rows of these are only ever added; the database itself keeps it so.
APPEND_ONLY = ("postings", "entries", "allocations", "changes")


def upgrade() -> None:
    op.create_table(
        "center",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("time_zone", sa.String(length=64), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("clock_offset", sa.BigInteger(), nullable=False),
        sa.Column("demo_ready", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_center")),
    )
    op.create_table(
        "courses",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("summary", sa.Text(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_courses")),
        sa.UniqueConstraint("code", name=op.f("uq_courses_code")),
    )
    op.create_table(
        "organizations",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_organizations")),
        sa.UniqueConstraint("name", name=op.f("uq_organizations_name")),
    )
    op.create_table(
        "people",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("given", sa.String(length=200), nullable=False),
        sa.Column("family", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=401), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=True),
        sa.Column("phone", sa.String(length=40), nullable=True),
        sa.Column("digits", sa.String(length=40), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_people")),
    )
    op.create_index(op.f("ix_people_digits"), "people", ["digits"], unique=False)
    op.create_index(op.f("ix_people_email"), "people", ["email"], unique=False)
    op.create_index("ix_people_family", "people", ["family", "given"], unique=False)
    op.create_index(op.f("ix_people_name"), "people", ["name"], unique=False)
    op.create_table(
        "sign_in_attempts",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=False),
        sa.Column(
            "address", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=60), nullable=False
        ),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempts")),
    )
    op.create_index("ix_sign_in_attempts_email", "sign_in_attempts", ["email", "at"], unique=False)
    op.create_index("ix_sign_in_attempts_from", "sign_in_attempts", ["address", "at"], unique=False)
    op.create_table(
        "users",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("role", sa.String(length=40), nullable=False),
        sa.Column(
            "password", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=200), nullable=False
        ),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_users")),
        sa.UniqueConstraint("email", name=op.f("uq_users_email")),
    )
    op.create_table(
        "accounts",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("owner", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=60), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("organization_id", sa.BigInteger(), nullable=True),
        sa.Column(
            "currency", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=3), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_accounts_organization_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_accounts_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_accounts")),
        sa.UniqueConstraint("owner", "currency", name=op.f("uq_accounts_owner_currency")),
    )
    op.create_index(op.f("ix_accounts_organization_id"), "accounts", ["organization_id"], unique=False)
    op.create_index(op.f("ix_accounts_person_id"), "accounts", ["person_id"], unique=False)
    op.create_table(
        "changes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=32), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("entered_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=True),
        sa.Column("action", sa.String(length=40), nullable=False),
        sa.Column("subject", sa.String(length=40), nullable=False),
        sa.Column("subject_id", sa.BigInteger(), nullable=False),
        sa.Column("summary", sa.Text(), nullable=False),
        sa.Column("rows", mysql.LONGTEXT(), nullable=False),
        sa.Column("undoes_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["undoes_id"], ["changes.id"], name=op.f("fk_changes_undoes_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_changes_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_changes")),
        sa.UniqueConstraint("key", name=op.f("uq_changes_key")),
        sa.UniqueConstraint("undoes_id", name=op.f("uq_changes_undoes_id")),
    )
    op.create_index(op.f("ix_changes_entered_at"), "changes", ["entered_at"], unique=False)
    op.create_index("ix_changes_subject", "changes", ["subject", "subject_id"], unique=False)
    op.create_table(
        "idempotency_keys",
        sa.Column("user_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column(
            "body_hash", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False
        ),
        sa.Column("status", sa.BigInteger(), nullable=False),
        sa.Column("answer", mysql.LONGTEXT(), nullable=True),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_idempotency_keys_user_id")),
        sa.PrimaryKeyConstraint("user_id", "key", name=op.f("pk_idempotency_keys")),
    )
    op.create_index(op.f("ix_idempotency_keys_at"), "idempotency_keys", ["at"], unique=False)
    op.create_table(
        "person_numbers",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("organization_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.String(length=60), nullable=False),
        sa.Column("department", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_person_numbers_organization_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_person_numbers_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person_numbers")),
        sa.UniqueConstraint(
            "organization_id", "number", name=op.f("uq_person_numbers_organization_id_number")
        ),
    )
    op.create_index(op.f("ix_person_numbers_person_id"), "person_numbers", ["person_id"], unique=False)
    op.create_table(
        "runs",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("decision", sa.String(length=40), nullable=False),
        sa.Column("place", sa.String(length=200), nullable=False),
        sa.Column("instructor", sa.String(length=200), nullable=False),
        sa.Column("time_zone", sa.String(length=64), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("capacity", sa.BigInteger(), nullable=False),
        sa.Column("smallest", sa.BigInteger(), nullable=False),
        sa.Column("sign_up_opens", sa.Date(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("published_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.CheckConstraint("capacity >= 1 AND capacity <= 100000", name=op.f("ck_runs_capacity")),
        sa.CheckConstraint("smallest >= 0 AND smallest <= capacity", name=op.f("ck_runs_smallest")),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name=op.f("fk_runs_course_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_runs")),
        sa.UniqueConstraint("code", name=op.f("uq_runs_code")),
    )
    op.create_index(op.f("ix_runs_course_id"), "runs", ["course_id"], unique=False)
    op.create_index(op.f("ix_runs_status"), "runs", ["status"], unique=False)
    op.create_table(
        "sessions",
        sa.Column(
            "token_hash", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False
        ),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("revoked_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_sessions_user_id")),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_sessions")),
    )
    op.create_index(op.f("ix_sessions_user_id"), "sessions", ["user_id"], unique=False)
    op.create_table(
        "gates",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("rule", sa.String(length=200), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_gates_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_gates")),
    )
    op.create_index("ix_gates_kind", "gates", ["kind", "at"], unique=False)
    op.create_index(op.f("ix_gates_run_id"), "gates", ["run_id"], unique=False)
    op.create_table(
        "meeting_patterns",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("first", sa.Date(), nullable=False),
        sa.Column("start", sa.Time(), nullable=False),
        sa.Column("minutes", sa.BigInteger(), nullable=False),
        sa.Column("weekdays", sa.String(length=20), nullable=False),
        sa.Column("every_weeks", sa.BigInteger(), nullable=False),
        sa.Column("count", sa.BigInteger(), nullable=True),
        sa.Column("until", sa.Date(), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_meeting_patterns_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meeting_patterns")),
    )
    op.create_index(op.f("ix_meeting_patterns_run_id"), "meeting_patterns", ["run_id"], unique=False)
    op.create_table(
        "meetings",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("date", sa.Date(), nullable=False),
        sa.Column("start", sa.Time(), nullable=False),
        sa.Column("minutes", sa.BigInteger(), nullable=False),
        sa.Column("starts_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ends_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("by_hand", sa.Boolean(), nullable=False),
        sa.CheckConstraint("ends_at > starts_at", name=op.f("ck_meetings_order")),
        sa.CheckConstraint("minutes > 0", name=op.f("ck_meetings_minutes")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_meetings_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meetings")),
    )
    op.create_index("ix_meetings_run", "meetings", ["run_id", "starts_at"], unique=False)
    op.create_index("ix_meetings_time", "meetings", ["starts_at", "ends_at"], unique=False)
    op.create_table(
        "plans",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_plans_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plans")),
    )
    op.create_index(op.f("ix_plans_run_id"), "plans", ["run_id"], unique=False)
    op.create_table(
        "rates",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("amount >= 0", name=op.f("ck_rates_amount")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_rates_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rates")),
        sa.UniqueConstraint("run_id", "code", name=op.f("uq_rates_run_id_code")),
    )
    op.create_table(
        "run_seats",
        sa.Column("run_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("taken", sa.BigInteger(), nullable=False),
        sa.Column("version", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("taken >= 0", name=op.f("ck_run_seats_taken")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_seats_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_run_seats")),
    )
    op.create_table(
        "batches",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("organization_id", sa.BigInteger(), nullable=True),
        sa.Column("rate_id", sa.BigInteger(), nullable=False),
        sa.Column("plan_id", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("file_name", sa.String(length=200), nullable=False),
        sa.Column(
            "file_hash", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False
        ),
        sa.Column("reading", sa.Text(), nullable=False),
        sa.Column("headings", mysql.LONGTEXT(), nullable=False),
        sa.Column("columns", mysql.LONGTEXT(), nullable=False),
        sa.Column("report", mysql.LONGTEXT(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("enrolled_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(
            ["organization_id"], ["organizations.id"], name=op.f("fk_batches_organization_id")
        ),
        sa.ForeignKeyConstraint(["plan_id"], ["plans.id"], name=op.f("fk_batches_plan_id")),
        sa.ForeignKeyConstraint(["rate_id"], ["rates.id"], name=op.f("fk_batches_rate_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_batches_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_batches_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_batches")),
    )
    op.create_index(op.f("ix_batches_run_id"), "batches", ["run_id"], unique=False)
    op.create_table(
        "early_steps",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rate_id", sa.BigInteger(), nullable=False),
        sa.Column("until", sa.Date(), nullable=True),
        sa.Column("days_before", sa.BigInteger(), nullable=True),
        sa.Column("amount", sa.BigInteger(), nullable=True),
        sa.Column("off", sa.BigInteger(), nullable=True),
        sa.Column("percent", sa.Numeric(precision=9, scale=6), nullable=True),
        sa.CheckConstraint(
            "(amount IS NOT NULL) + (off IS NOT NULL) + (percent IS NOT NULL) = 1",
            name=op.f("ck_early_steps_one_price"),
        ),
        sa.CheckConstraint("(until IS NULL) <> (days_before IS NULL)", name=op.f("ck_early_steps_one_end")),
        sa.ForeignKeyConstraint(["rate_id"], ["rates.id"], name=op.f("fk_early_steps_rate_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_early_steps")),
    )
    op.create_index(op.f("ix_early_steps_rate_id"), "early_steps", ["rate_id"], unique=False)
    op.create_table(
        "plan_lines",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("plan_id", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.Column("percent", sa.Numeric(precision=9, scale=6), nullable=True),
        sa.Column("amount", sa.BigInteger(), nullable=True),
        sa.Column("parts", sa.BigInteger(), nullable=True),
        sa.Column("rest", sa.Boolean(), nullable=False),
        sa.Column("due_kind", sa.String(length=40), nullable=False),
        sa.Column("due_number", sa.BigInteger(), nullable=False),
        sa.Column("due_on", sa.Date(), nullable=True),
        sa.Column("settle", sa.String(length=40), nullable=False),
        sa.CheckConstraint(
            "(percent IS NOT NULL) + (amount IS NOT NULL) + (parts IS NOT NULL) + rest = 1",
            name=op.f("ck_plan_lines_one_share"),
        ),
        sa.ForeignKeyConstraint(["plan_id"], ["plans.id"], name=op.f("fk_plan_lines_plan_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_lines")),
        sa.UniqueConstraint("plan_id", "position", name=op.f("uq_plan_lines_plan_id_position")),
    )
    op.create_table(
        "batch_rows",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("batch_id", sa.BigInteger(), nullable=False),
        sa.Column("line", sa.BigInteger(), nullable=False),
        sa.Column("cells", mysql.LONGTEXT(), nullable=False),
        sa.ForeignKeyConstraint(["batch_id"], ["batches.id"], name=op.f("fk_batch_rows_batch_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_batch_rows")),
        sa.UniqueConstraint("batch_id", "line", name=op.f("uq_batch_rows_batch_id_line")),
    )
    op.create_table(
        "enrollments",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("payer_id", sa.BigInteger(), nullable=False),
        sa.Column("rate_id", sa.BigInteger(), nullable=False),
        sa.Column("plan_id", sa.BigInteger(), nullable=False),
        sa.Column("batch_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column(
            "live",
            sa.SmallInteger(),
            sa.Computed("CASE WHEN status = 'seated' THEN 1 ELSE NULL END", persisted=True),
            nullable=True,
        ),
        sa.Column("way_in", sa.String(length=40), nullable=False),
        sa.Column("heads", sa.BigInteger(), nullable=False),
        sa.Column("signed_up", sa.Date(), nullable=False),
        sa.Column("enrolled_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ended_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("currency", sa.String(length=40), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("quote", mysql.LONGTEXT(), nullable=False),
        sa.CheckConstraint("heads >= 1", name=op.f("ck_enrollments_heads")),
        sa.CheckConstraint("total >= 0", name=op.f("ck_enrollments_total")),
        sa.ForeignKeyConstraint(["batch_id"], ["batches.id"], name=op.f("fk_enrollments_batch_id")),
        sa.ForeignKeyConstraint(["payer_id"], ["accounts.id"], name=op.f("fk_enrollments_payer_id")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_enrollments_person_id")),
        sa.ForeignKeyConstraint(["plan_id"], ["plans.id"], name=op.f("fk_enrollments_plan_id")),
        sa.ForeignKeyConstraint(["rate_id"], ["rates.id"], name=op.f("fk_enrollments_rate_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_enrollments_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_enrollments_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_enrollments")),
        sa.UniqueConstraint("run_id", "person_id", "live", name=op.f("uq_enrollments_run_id_person_id_live")),
    )
    op.create_index("ix_enrollments_batch", "enrollments", ["batch_id"], unique=False)
    op.create_index("ix_enrollments_person", "enrollments", ["person_id"], unique=False)
    op.create_table(
        "installments",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=False),
        sa.Column("n", sa.BigInteger(), nullable=False),
        sa.Column("due", sa.Date(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.Column("settle", sa.String(length=40), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.CheckConstraint("amount > 0", name=op.f("ck_installments_amount")),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_installments_enrollment_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_installments")),
        sa.UniqueConstraint("enrollment_id", "n", name=op.f("uq_installments_enrollment_id_n")),
    )
    op.create_index(op.f("ix_installments_due"), "installments", ["due"], unique=False)
    op.create_table(
        "postings",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column(
            "currency", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=3), nullable=False
        ),
        sa.Column("effective", sa.Date(), nullable=False),
        sa.Column("entered_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=True),
        sa.Column("reverses_id", sa.BigInteger(), nullable=True),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("cause", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["enrollment_id"], ["enrollments.id"], name=op.f("fk_postings_enrollment_id")
        ),
        sa.ForeignKeyConstraint(["reverses_id"], ["postings.id"], name=op.f("fk_postings_reverses_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_postings_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_postings")),
        sa.UniqueConstraint("reverses_id", name=op.f("uq_postings_reverses_id")),
    )
    op.create_index(op.f("ix_postings_enrollment_id"), "postings", ["enrollment_id"], unique=False)
    op.create_table(
        "allocations",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("posting_id", sa.BigInteger(), nullable=False),
        sa.Column("installment_id", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("amount <> 0", name=op.f("ck_allocations_amount")),
        sa.ForeignKeyConstraint(
            ["installment_id"], ["installments.id"], name=op.f("fk_allocations_installment_id")
        ),
        sa.ForeignKeyConstraint(["posting_id"], ["postings.id"], name=op.f("fk_allocations_posting_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_allocations")),
    )
    op.create_index(op.f("ix_allocations_installment_id"), "allocations", ["installment_id"], unique=False)
    op.create_index(op.f("ix_allocations_posting_id"), "allocations", ["posting_id"], unique=False)
    op.create_table(
        "entries",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("posting_id", sa.BigInteger(), nullable=False),
        sa.Column("account_id", sa.BigInteger(), nullable=False),
        sa.Column("amount", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("amount <> 0", name=op.f("ck_entries_amount")),
        sa.ForeignKeyConstraint(["account_id"], ["accounts.id"], name=op.f("fk_entries_account_id")),
        sa.ForeignKeyConstraint(["posting_id"], ["postings.id"], name=op.f("fk_entries_posting_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_entries")),
    )
    op.create_index(op.f("ix_entries_account_id"), "entries", ["account_id"], unique=False)
    op.create_index(op.f("ix_entries_posting_id"), "entries", ["posting_id"], unique=False)
    # ### end Alembic commands ###

    for table in APPEND_ONLY:
        for event in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_no_{event.lower()} BEFORE {event} ON {table} FOR EACH ROW"
                f" SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'Rows of {table} are never changed or deleted.'"
            )
