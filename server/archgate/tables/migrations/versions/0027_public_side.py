"""The public side: the tree of categories, texts of courses with their versions, pictures and documents; who finds a run and who
signs up for it; access codes and requests; seats kept while somebody outside fills in a form."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0027"
down_revision = "0026"

MOMENT = mysql.DATETIME(fsp=6)


def ascii_key(length: int) -> mysql.VARCHAR:
    return mysql.VARCHAR(length, charset="ascii", collation="ascii_bin")


def key() -> sa.Column[int]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def upgrade() -> None:
    make_tree()
    make_course_tables()
    make_run_columns()
    make_ways_in()
    for table in ("enrollments", "waiting", "interest", "held_places"):
        op.alter_column(table, "user_id", existing_type=sa.BigInteger(), nullable=True)


def make_tree() -> None:
    """The tree, with the categories that courses were in by their names."""
    op.create_table(
        "categories",
        key(),
        sa.Column("parent_id", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("position", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["parent_id"], ["categories.id"], name="fk_categories_parent_id"),
        sa.PrimaryKeyConstraint("id", name="pk_categories"),
    )
    op.create_index("ix_categories_parent_id", "categories", ["parent_id"])
    op.execute(
        "INSERT INTO categories (name, position)"
        " SELECT MIN(TRIM(category)), 0 FROM courses WHERE TRIM(category) <> '' GROUP BY TRIM(category) ORDER BY 1"
    )
    op.execute("UPDATE categories SET position = id")
    op.add_column("courses", sa.Column("category_id", sa.BigInteger(), nullable=True))
    op.execute(
        "UPDATE courses SET category_id = (SELECT MIN(id) FROM categories WHERE name = TRIM(category))"
    )
    op.create_foreign_key("fk_courses_category_id", "courses", "categories", ["category_id"], ["id"])
    op.create_index("ix_courses_category_id", "courses", ["category_id"])
    op.drop_column("courses", "category")


def make_course_tables() -> None:
    """The texts of courses; what was its summary begins the draft."""
    op.add_column("courses", sa.Column("draft", mysql.LONGTEXT(), nullable=True))
    op.execute("UPDATE courses SET draft = JSON_OBJECT('summary', summary)")
    op.alter_column("courses", "draft", existing_type=mysql.LONGTEXT(), nullable=False)
    op.add_column("courses", sa.Column("elsewhere", sa.String(200), nullable=False, server_default=""))
    op.add_column("courses", sa.Column("published_n", sa.BigInteger(), nullable=True))
    op.add_column("courses", sa.Column("pending", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("courses", sa.Column("promoted", sa.Boolean(), nullable=False, server_default="0"))
    op.create_table(
        "course_versions",
        key(),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("n", sa.BigInteger(), nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("content", mysql.LONGTEXT(), nullable=False),
        sa.Column("card", mysql.LONGTEXT(), nullable=False),
        sa.Column("level", sa.String(40), nullable=False),
        sa.Column("language", sa.String(20), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("user_id", sa.BigInteger(), nullable=True),
        sa.Column("mark", sa.String(200), nullable=False),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name="fk_course_versions_course_id"),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name="fk_course_versions_user_id"),
        sa.PrimaryKeyConstraint("id", name="pk_course_versions"),
        sa.UniqueConstraint("course_id", "n", name="uq_course_versions_course_id_n"),
    )
    op.create_table(
        "course_pictures",
        key(),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("key", ascii_key(32), nullable=False),
        sa.Column("width", sa.BigInteger(), nullable=False),
        sa.Column("height", sa.BigInteger(), nullable=False),
        sa.Column("large", mysql.LONGBLOB(), nullable=False),
        sa.Column("small", mysql.LONGBLOB(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name="fk_course_pictures_course_id"),
        sa.PrimaryKeyConstraint("id", name="pk_course_pictures"),
        sa.UniqueConstraint("key", name="uq_course_pictures_key"),
    )
    op.create_index("ix_course_pictures_course_id", "course_pictures", ["course_id"])
    op.create_table(
        "course_documents",
        key(),
        sa.Column("course_id", sa.BigInteger(), nullable=False),
        sa.Column("key", ascii_key(32), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("content", mysql.LONGBLOB(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name="fk_course_documents_course_id"),
        sa.PrimaryKeyConstraint("id", name="pk_course_documents"),
        sa.UniqueConstraint("key", name="uq_course_documents_key"),
    )
    op.create_index("ix_course_documents_course_id", "course_documents", ["course_id"])


def make_run_columns() -> None:
    """Who finds a run and who signs up: as it was, nobody without the staff."""
    op.add_column("runs", sa.Column("found_by", sa.String(40), nullable=False, server_default="everyone"))
    op.add_column("runs", sa.Column("signs_up", sa.String(40), nullable=False, server_default="staff"))
    op.alter_column("runs", "found_by", existing_type=sa.String(40), nullable=False, server_default=None)
    op.alter_column("runs", "signs_up", existing_type=sa.String(40), nullable=False, server_default=None)
    op.add_column("runs", sa.Column("shown_from", MOMENT, nullable=True))
    op.add_column("runs", sa.Column("shown_until", MOMENT, nullable=True))
    op.add_column("runs", sa.Column("promoted", sa.Boolean(), nullable=False, server_default="0"))


def make_ways_in() -> None:
    op.create_table(
        "access_codes",
        key(),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("code", sa.String(60), nullable=False),
        sa.Column("starts_at", MOMENT, nullable=True),
        sa.Column("ends_at", MOMENT, nullable=True),
        sa.Column("most", sa.BigInteger(), nullable=True),
        sa.Column("used", sa.BigInteger(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.CheckConstraint("used >= 0", name="used"),
        sa.CheckConstraint("most IS NULL OR most >= 1", name="most"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_access_codes_run_id"),
        sa.PrimaryKeyConstraint("id", name="pk_access_codes"),
        sa.UniqueConstraint("run_id", "code", name="uq_access_codes_run_id_code"),
    )
    op.create_table(
        "seat_requests",
        key(),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("given", sa.String(200), nullable=False),
        sa.Column("family", sa.String(200), nullable=False),
        sa.Column("email", sa.String(254), nullable=False),
        sa.Column("phone", sa.String(60), nullable=False),
        sa.Column("ask", mysql.LONGTEXT(), nullable=False),
        sa.Column("answers", mysql.LONGTEXT(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("decided_at", MOMENT, nullable=True),
        sa.Column("decided_by", sa.BigInteger(), nullable=True),
        sa.Column("word", sa.Text(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("enrollment_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_seat_requests_run_id"),
        sa.ForeignKeyConstraint(["decided_by"], ["users.id"], name="fk_seat_requests_decided_by"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_seat_requests_person_id"),
        sa.ForeignKeyConstraint(["enrollment_id"], ["enrollments.id"], name="fk_seat_requests_enrollment_id"),
        sa.PrimaryKeyConstraint("id", name="pk_seat_requests"),
    )
    op.create_index("ix_seat_requests_run", "seat_requests", ["run_id", "status"])
    op.create_index("ix_seat_requests_open", "seat_requests", ["status", "made_at"])
    op.create_index("ix_seat_requests_email", "seat_requests", ["email"])
    op.create_index("ix_seat_requests_person_id", "seat_requests", ["person_id"])
    op.create_table(
        "stranger_keys",
        sa.Column("key", ascii_key(80), nullable=False),
        sa.Column("body_hash", ascii_key(64), nullable=False),
        sa.Column("answer", mysql.LONGTEXT(), nullable=True),
        sa.Column("at", MOMENT, nullable=False),
        sa.PrimaryKeyConstraint("key", name="pk_stranger_keys"),
    )
    op.create_index("ix_stranger_keys_at", "stranger_keys", ["at"])
    op.add_column("enrollments", sa.Column("access_code_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(
        "fk_enrollments_access_code_id", "enrollments", "access_codes", ["access_code_id"], ["id"]
    )
    op.create_index("ix_enrollments_access_code_id", "enrollments", ["access_code_id"])
    op.add_column("held_places", sa.Column("until", MOMENT, nullable=True))
    op.add_column("held_places", sa.Column("key_hash", ascii_key(64), nullable=True))
    op.add_column("held_places", sa.Column("email", sa.String(254), nullable=False, server_default=""))
    op.add_column("held_places", sa.Column("client", ascii_key(64), nullable=False, server_default=""))
    op.create_unique_constraint("uq_held_places_key_hash", "held_places", ["key_hash"])
    op.create_index("ix_held_places_until", "held_places", ["status", "until"])
