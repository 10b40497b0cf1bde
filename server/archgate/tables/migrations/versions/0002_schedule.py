"""Places, instructors, closures, jobs, messages, feeds; sign-up windows and kinds of runs.

What stood as text becomes rows: every place and every instructor that a run named.
"""

from __future__ import annotations

import json
import secrets

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "closures",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("teach", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_closures")),
        sa.UniqueConstraint("day", name=op.f("uq_closures_day")),
    )
    op.create_table(
        "feeds",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("subject_id", sa.BigInteger(), nullable=False),
        sa.Column("token", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=60), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_feeds")),
        sa.UniqueConstraint("kind", "subject_id", name=op.f("uq_feeds_kind_subject_id")),
        sa.UniqueConstraint("token", name=op.f("uq_feeds_token")),
    )
    op.create_table(
        "instructors",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=True),
        sa.Column("phone", sa.String(length=40), nullable=True),
        sa.Column("hours", mysql.LONGTEXT(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_instructors")),
        sa.UniqueConstraint("name", name=op.f("uq_instructors_name")),
    )
    op.create_table(
        "jobs",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("what", mysql.LONGTEXT(), nullable=False),
        sa.Column("status", sa.String(length=40), nullable=False),
        sa.Column("due_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("lease_until", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("worker", sa.String(length=80), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.Column("trouble", sa.Text(), nullable=False),
        sa.Column(
            "change_key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=32), nullable=False
        ),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("done_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_jobs")),
        sa.UniqueConstraint("key", name=op.f("uq_jobs_key")),
    )
    op.create_index(op.f("ix_jobs_change_key"), "jobs", ["change_key"], unique=False)
    op.create_index("ix_jobs_due", "jobs", ["status", "due_at"], unique=False)
    op.create_index("ix_jobs_lease", "jobs", ["status", "lease_until"], unique=False)
    op.create_index(op.f("ix_jobs_run_id"), "jobs", ["run_id"], unique=False)
    op.create_table(
        "mail_stand_in",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("to_email", sa.String(length=254), nullable=False),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mail_stand_in")),
        sa.UniqueConstraint("key", name=op.f("uq_mail_stand_in_key")),
    )
    op.create_table(
        "meeting_stand_in",
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=80), nullable=False),
        sa.Column("link", sa.Text(), nullable=False),
        sa.Column("host_key", sa.String(length=40), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_meeting_stand_in")),
    )
    op.create_table(
        "places",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("seats", sa.BigInteger(), nullable=True),
        sa.Column("facts", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("address_public", sa.Boolean(), nullable=False),
        sa.Column("map_link", sa.Text(), nullable=False),
        sa.Column("time_zone", sa.String(length=64), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.CheckConstraint("seats IS NULL OR seats >= 1", name=op.f("ck_places_seats")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_places")),
        sa.UniqueConstraint("name", name=op.f("uq_places_name")),
    )
    op.create_table(
        "timed_work",
        sa.Column("name", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=60), nullable=False),
        sa.Column("due_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("last_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("found", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_timed_work")),
    )
    op.create_table(
        "accepted_clashes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("key", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=120), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_accepted_clashes_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_accepted_clashes")),
        sa.UniqueConstraint("key", name=op.f("uq_accepted_clashes_key")),
    )
    op.create_table(
        "busy_times",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("instructor_id", sa.BigInteger(), nullable=True),
        sa.Column("place_id", sa.BigInteger(), nullable=True),
        sa.Column("starts_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ends_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("all_day", sa.Boolean(), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("source", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False),
        sa.CheckConstraint(
            "(instructor_id IS NULL) <> (place_id IS NULL)", name=op.f("ck_busy_times_one_owner")
        ),
        sa.CheckConstraint("ends_at > starts_at", name=op.f("ck_busy_times_order")),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_busy_times_instructor_id")
        ),
        sa.ForeignKeyConstraint(["place_id"], ["places.id"], name=op.f("fk_busy_times_place_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_busy_times")),
    )
    op.create_index("ix_busy_instructor", "busy_times", ["instructor_id", "starts_at"], unique=False)
    op.create_index("ix_busy_place", "busy_times", ["place_id", "starts_at"], unique=False)
    op.create_table(
        "attachments",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("media", sa.String(length=40), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("content", mysql.LONGBLOB(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_attachments_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_attachments_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attachments")),
    )
    op.create_index(op.f("ix_attachments_run_id"), "attachments", ["run_id"], unique=False)
    op.create_table(
        "reminders",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("made_by", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("done_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(["made_by"], ["users.id"], name=op.f("fk_reminders_made_by")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_reminders_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_reminders_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_reminders_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reminders")),
    )
    op.create_index("ix_reminders_list", "reminders", ["user_id", "done_at", "day"], unique=False)
    op.create_table(
        "calls",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("meeting_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("outcome", sa.String(length=40), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["meeting_id"], ["meetings.id"], name=op.f("fk_calls_meeting_id")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_calls_person_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_calls_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calls")),
        sa.UniqueConstraint("meeting_id", "person_id", name=op.f("uq_calls_meeting_id_person_id")),
    )
    op.create_table(
        "messages",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("meeting_id", sa.BigInteger(), nullable=True),
        sa.Column("to_name", sa.String(length=200), nullable=False),
        sa.Column("to_email", sa.String(length=254), nullable=False),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name=op.f("fk_messages_job_id")),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_messages_meeting_id"), ondelete="SET NULL"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_messages_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_messages_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_messages")),
    )
    op.create_index(op.f("ix_messages_job_id"), "messages", ["job_id"], unique=False)
    op.create_index("ix_messages_meeting", "messages", ["meeting_id", "person_id"], unique=False)
    op.create_index(op.f("ix_messages_person_id"), "messages", ["person_id"], unique=False)
    op.create_index(op.f("ix_messages_run_id"), "messages", ["run_id"], unique=False)
    op.create_table(
        "online_links",
        sa.Column("meeting_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("link", sa.Text(), nullable=False),
        sa.Column("host_key", sa.String(length=40), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_online_links_meeting_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("meeting_id", name=op.f("pk_online_links")),
    )
    op.add_column("center", sa.Column("region", sa.String(length=40), nullable=False))
    op.add_column(
        "center",
        sa.Column("uid", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=40), nullable=False),
    )
    op.add_column("courses", sa.Column("category", sa.String(length=200), nullable=False))
    op.add_column("gates", sa.Column("n", sa.BigInteger(), nullable=False))
    op.add_column("meeting_patterns", sa.Column("n", sa.BigInteger(), nullable=False))
    op.add_column("meeting_patterns", sa.Column("extend", sa.Boolean(), nullable=False))
    op.add_column("meeting_patterns", sa.Column("place_id", sa.BigInteger(), nullable=True))
    op.add_column("meeting_patterns", sa.Column("instructor_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(
        op.f("fk_meeting_patterns_place_id"), "meeting_patterns", "places", ["place_id"], ["id"]
    )
    op.create_foreign_key(
        op.f("fk_meeting_patterns_instructor_id"),
        "meeting_patterns",
        "instructors",
        ["instructor_id"],
        ["id"],
    )
    op.add_column("meetings", sa.Column("pattern_n", sa.BigInteger(), nullable=True))
    op.add_column("meetings", sa.Column("place_id", sa.BigInteger(), nullable=True))
    op.add_column("meetings", sa.Column("instructor_id", sa.BigInteger(), nullable=True))
    op.add_column("meetings", sa.Column("sequence", sa.BigInteger(), nullable=False))
    op.add_column("meetings", sa.Column("cancelled_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("meetings", sa.Column("cancel_why", sa.Text(), nullable=False))
    op.add_column("meetings", sa.Column("instructor_paid", sa.Boolean(), nullable=True))
    op.create_index("ix_meetings_instructor", "meetings", ["instructor_id", "starts_at"], unique=False)
    op.create_index("ix_meetings_place", "meetings", ["place_id", "starts_at"], unique=False)
    op.create_foreign_key(op.f("fk_meetings_place_id"), "meetings", "places", ["place_id"], ["id"])
    op.create_foreign_key(
        op.f("fk_meetings_instructor_id"), "meetings", "instructors", ["instructor_id"], ["id"]
    )
    op.add_column("runs", sa.Column("decision_until", sa.Date(), nullable=True))
    op.add_column("runs", sa.Column("place_id", sa.BigInteger(), nullable=True))
    op.add_column("runs", sa.Column("instructor_id", sa.BigInteger(), nullable=True))
    op.add_column("runs", sa.Column("client_id", sa.BigInteger(), nullable=True))
    op.add_column("runs", sa.Column("windows", mysql.LONGTEXT(), nullable=False))
    op.add_column("runs", sa.Column("decision_rule", mysql.LONGTEXT(), nullable=True))
    op.add_column("runs", sa.Column("starts_on", sa.Date(), nullable=True))
    op.add_column("runs", sa.Column("ends_on", sa.Date(), nullable=True))
    op.add_column("runs", sa.Column("week_names", mysql.LONGTEXT(), nullable=False))
    op.add_column("runs", sa.Column("access_days", sa.BigInteger(), nullable=True))
    op.create_foreign_key(op.f("fk_runs_place_id"), "runs", "places", ["place_id"], ["id"])
    op.create_foreign_key(op.f("fk_runs_client_id"), "runs", "organizations", ["client_id"], ["id"])
    op.create_foreign_key(op.f("fk_runs_instructor_id"), "runs", "instructors", ["instructor_id"], ["id"])
    carry_over()
    op.drop_column("runs", "instructor")
    op.drop_column("runs", "place")
    op.drop_column("runs", "sign_up_opens")


def carry_over() -> None:
    """Fill the new columns from the old ones, before those go."""
    link = op.get_bind()
    link.execute(sa.text("UPDATE center SET uid = :uid"), {"uid": secrets.token_hex(8)})
    link.execute(sa.text("UPDATE meeting_patterns SET n = 1"))
    link.execute(sa.text("UPDATE runs SET windows = '[]', week_names = '[]'"))
    for run, opens in link.execute(
        sa.text("SELECT id, sign_up_opens FROM runs WHERE sign_up_opens IS NOT NULL")
    ).all():
        windows = json.dumps([{"opens": {"on": opens.isoformat()}, "closes": None}])
        link.execute(sa.text("UPDATE runs SET windows = :w WHERE id = :id"), {"w": windows, "id": run})
    link.execute(sa.text("UPDATE gates SET n = 1 WHERE kind LIKE 'sign-up%'"))
    link.execute(
        sa.text(
            "INSERT INTO places (name, kind, facts, address, address_public, map_link, time_zone, active)"
            " SELECT MIN(TRIM(place)), 'room', '', '', 1, '', MIN(time_zone), 1 FROM runs WHERE TRIM(place) <> ''"
            " GROUP BY TRIM(place)"
        )
    )
    link.execute(
        sa.text(
            "INSERT INTO instructors (name, hours, active)"
            " SELECT MIN(TRIM(instructor)), '[]', 1 FROM runs WHERE TRIM(instructor) <> '' GROUP BY TRIM(instructor)"
        )
    )
    for table, column in (("places", "place"), ("instructors", "instructor")):
        link.execute(
            sa.text(
                f"UPDATE runs JOIN {table} ON {table}.name = TRIM(runs.{column}) SET runs.{column}_id = {table}.id"
            )
        )
    link.execute(
        sa.text(
            "UPDATE meetings JOIN runs ON runs.id = meetings.run_id"
            " SET meetings.place_id = runs.place_id, meetings.instructor_id = runs.instructor_id,"
            " meetings.pattern_n = IF(meetings.by_hand, NULL, 1)"
        )
    )
