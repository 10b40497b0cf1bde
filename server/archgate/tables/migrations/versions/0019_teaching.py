"""Several instructors for a meeting; instructors are people; pay, agreements, cover, evaluations and applications."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from archgate.core.names import digits_of, folded, search_words, split_name

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    moment, number, flag = mysql.DATETIME(fsp=6), sa.BigInteger(), sa.Boolean()
    extend_instructors(number)
    op.create_table(
        "qualifications",
        sa.Column("id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("course_id", number, nullable=True),
        sa.Column("category", sa.String(length=200), nullable=False),
        sa.Column("level", sa.String(40), nullable=False),
        sa.CheckConstraint(
            "(course_id IS NULL) <> (category = '')", name=op.f("ck_qualifications_one_subject")
        ),
        sa.ForeignKeyConstraint(["course_id"], ["courses.id"], name=op.f("fk_qualifications_course_id")),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_qualifications_instructor_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_qualifications")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_qualifications_course_id", "qualifications", ["course_id"])
    op.create_index("ix_qualifications_instructor_id", "qualifications", ["instructor_id"])
    op.create_table(
        "instructor_pictures",
        sa.Column("instructor_id", number, autoincrement=False, nullable=False),
        sa.Column("content", mysql.LONGBLOB(), nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"],
            ["instructors.id"],
            name=op.f("fk_instructor_pictures_instructor_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("instructor_id", name=op.f("pk_instructor_pictures")),
        mysql_charset="utf8mb4",
    )
    op.create_table(
        "run_teachers",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("part", sa.String(40), nullable=False),
        sa.Column("n", number, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_run_teachers_instructor_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_teachers_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_teachers")),
        sa.UniqueConstraint("run_id", "instructor_id", name=op.f("uq_run_teachers_run_id_instructor_id")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_run_teachers_instructor_id", "run_teachers", ["instructor_id"])
    op.create_table(
        "pattern_teachers",
        sa.Column("id", number, nullable=False),
        sa.Column("pattern_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("part", sa.String(40), nullable=False),
        sa.Column("n", number, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_pattern_teachers_instructor_id")
        ),
        sa.ForeignKeyConstraint(
            ["pattern_id"],
            ["meeting_patterns.id"],
            name=op.f("fk_pattern_teachers_pattern_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pattern_teachers")),
        sa.UniqueConstraint(
            "pattern_id", "instructor_id", name=op.f("uq_pattern_teachers_pattern_id_instructor_id")
        ),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_pattern_teachers_instructor_id", "pattern_teachers", ["instructor_id"])
    op.create_table(
        "meeting_teachers",
        sa.Column("id", number, nullable=False),
        sa.Column("meeting_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("part", sa.String(40), nullable=False),
        sa.Column("n", number, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_meeting_teachers_instructor_id")
        ),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_meeting_teachers_meeting_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meeting_teachers")),
        sa.UniqueConstraint(
            "meeting_id", "instructor_id", name=op.f("uq_meeting_teachers_meeting_id_instructor_id")
        ),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_meeting_teachers_whose", "meeting_teachers", ["instructor_id", "meeting_id"])
    op.create_table(
        "pay_terms",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("amount", number, nullable=False),
        sa.Column("percent", sa.Numeric(precision=9, scale=6), nullable=False),
        sa.Column("minutes", number, nullable=True),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_pay_terms_instructor_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_pay_terms_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pay_terms")),
        sa.UniqueConstraint("run_id", "instructor_id", name=op.f("uq_pay_terms_run_id_instructor_id")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_pay_terms_instructor_id", "pay_terms", ["instructor_id"])
    op.create_table(
        "pay_lines",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("quantity", sa.Numeric(precision=13, scale=6), nullable=False),
        sa.Column("unit", sa.Numeric(precision=13, scale=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_pay_lines_instructor_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_pay_lines_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pay_lines")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_pay_lines_instructor_id", "pay_lines", ["instructor_id"])
    op.create_index("ix_pay_lines_run_id", "pay_lines", ["run_id"])
    op.create_table(
        "pay_requests",
        sa.Column("id", number, nullable=False),
        sa.Column("number", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=20), nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("run_id", number, nullable=True),
        sa.Column("through", sa.Date(), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("total", number, nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("paid_on", sa.Date(), nullable=True),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_pay_requests_instructor_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_pay_requests_run_id")),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_pay_requests_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pay_requests")),
        sa.UniqueConstraint("number", name=op.f("uq_pay_requests_number")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_pay_requests_instructor_id", "pay_requests", ["instructor_id"])
    op.create_index("ix_pay_requests_run_id", "pay_requests", ["run_id"])
    op.create_table(
        "pay_request_lines",
        sa.Column("id", number, nullable=False),
        sa.Column("request_id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("amount", number, nullable=False),
        sa.Column("correction", flag, nullable=False),
        sa.ForeignKeyConstraint(
            ["request_id"], ["pay_requests.id"], name=op.f("fk_pay_request_lines_request_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_pay_request_lines_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pay_request_lines")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_pay_request_lines_request_id", "pay_request_lines", ["request_id"])
    op.create_index("ix_pay_request_lines_run_id", "pay_request_lines", ["run_id"])
    op.create_table(
        "agreement_texts",
        sa.Column("id", number, nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_agreement_texts_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_agreement_texts")),
        mysql_charset="utf8mb4",
    )
    op.create_table(
        "agreements",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("version", number, nullable=False),
        sa.Column("text_id", number, nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("sent_at", moment, nullable=True),
        sa.Column("signed_on", sa.Date(), nullable=True),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_agreements_instructor_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_agreements_run_id")),
        sa.ForeignKeyConstraint(["text_id"], ["agreement_texts.id"], name=op.f("fk_agreements_text_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_agreements")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_agreements_instructor_id", "agreements", ["instructor_id"])
    op.create_index("ix_agreements_run_id", "agreements", ["run_id"])
    op.create_table(
        "cover_plans",
        sa.Column("id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=True),
        sa.Column("first", sa.Date(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("aim", sa.String(40), nullable=False),
        sa.Column("unknown", flag, nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("value", number, nullable=False),
        sa.Column("bound", number, nullable=False),
        sa.Column("greedy", number, nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_cover_plans_instructor_id")
        ),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_cover_plans_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cover_plans")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_cover_plans_instructor_id", "cover_plans", ["instructor_id"])
    op.create_index("ix_cover_plans_status", "cover_plans", ["status"])
    op.create_table(
        "cover_lines",
        sa.Column("id", number, nullable=False),
        sa.Column("plan_id", number, nullable=False),
        sa.Column("n", number, nullable=False),
        sa.Column("meeting_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=True),
        sa.Column("cost", number, nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("taken", flag, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_cover_lines_instructor_id")
        ),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_cover_lines_meeting_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["plan_id"], ["cover_plans.id"], name=op.f("fk_cover_lines_plan_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cover_lines")),
        sa.UniqueConstraint("plan_id", "meeting_id", name=op.f("uq_cover_lines_plan_id_meeting_id")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_cover_lines_instructor_id", "cover_lines", ["instructor_id"])
    op.create_index("ix_cover_lines_meeting_id", "cover_lines", ["meeting_id"])
    op.create_table(
        "cover_calls",
        sa.Column("id", number, nullable=False),
        sa.Column("meeting_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("answer", sa.String(40), nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_cover_calls_instructor_id")
        ),
        sa.ForeignKeyConstraint(
            ["meeting_id"], ["meetings.id"], name=op.f("fk_cover_calls_meeting_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_cover_calls_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cover_calls")),
        sa.UniqueConstraint(
            "meeting_id", "instructor_id", name=op.f("uq_cover_calls_meeting_id_instructor_id")
        ),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_cover_calls_instructor_id", "cover_calls", ["instructor_id"])
    op.create_table(
        "evaluation_questions",
        sa.Column("id", number, nullable=False),
        sa.Column("text", sa.String(length=200), nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("n", number, nullable=False),
        sa.Column("active", flag, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_evaluation_questions")),
        mysql_charset="utf8mb4",
    )
    op.create_table(
        "evaluations_asked",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("asked_at", moment, nullable=False),
        sa.Column("answered", flag, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_evaluations_asked_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_evaluations_asked_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_evaluations_asked")),
        sa.UniqueConstraint("run_id", "person_id", name=op.f("uq_evaluations_asked_run_id_person_id")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_evaluations_asked_person_id", "evaluations_asked", ["person_id"])
    op.create_table(
        "evaluation_answers",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("instructor_id", number, nullable=False),
        sa.Column("question_id", number, nullable=False),
        sa.Column("sheet", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=16), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("mark", number, nullable=True),
        sa.Column("words", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "mark IS NULL OR (mark >= 1 AND mark <= 5)", name=op.f("ck_evaluation_answers_mark")
        ),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_evaluation_answers_instructor_id")
        ),
        sa.ForeignKeyConstraint(
            ["question_id"], ["evaluation_questions.id"], name=op.f("fk_evaluation_answers_question_id")
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_evaluation_answers_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_evaluation_answers")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_evaluation_answers_run_id", "evaluation_answers", ["run_id"])
    op.create_index("ix_evaluation_answers_whose", "evaluation_answers", ["instructor_id", "question_id"])
    op.create_table(
        "teaching_rules",
        sa.Column("id", number, nullable=False),
        sa.Column("applications_open", flag, nullable=False),
        sa.Column("application_questions", mysql.LONGTEXT(), nullable=False),
        sa.Column("own_biography", flag, nullable=False),
        sa.Column("own_availability", flag, nullable=False),
        sa.Column("attendance", flag, nullable=False),
        sa.Column("rosters", flag, nullable=False),
        sa.Column("evaluate", flag, nullable=False),
        sa.Column("fewest_answers", number, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_teaching_rules")),
        mysql_charset="utf8mb4",
    )
    op.create_table(
        "applications",
        sa.Column("id", number, nullable=False),
        sa.Column("given", sa.String(length=200), nullable=False),
        sa.Column("family", sa.String(length=200), nullable=False),
        sa.Column("email", sa.String(length=254), nullable=False),
        sa.Column("phone", sa.String(length=40), nullable=True),
        sa.Column("answers", mysql.LONGTEXT(), nullable=False),
        sa.Column("status", sa.String(40), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("turn", number, nullable=False),
        sa.Column("instructor_id", number, nullable=True),
        sa.ForeignKeyConstraint(
            ["instructor_id"], ["instructors.id"], name=op.f("fk_applications_instructor_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_applications")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_applications_email", "applications", ["email"])
    op.create_index("ix_applications_status", "applications", ["status"])
    op.create_table(
        "application_notes",
        sa.Column("id", number, nullable=False),
        sa.Column("application_id", number, nullable=False),
        sa.Column("user_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["application_id"], ["applications.id"], name=op.f("fk_application_notes_application_id")
        ),
        sa.ForeignKeyConstraint(["user_id"], ["users.id"], name=op.f("fk_application_notes_user_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_application_notes")),
        mysql_charset="utf8mb4",
    )
    op.create_index("ix_application_notes_application_id", "application_notes", ["application_id"])
    # ### end Alembic commands ###
    op.execute(
        "INSERT INTO teaching_rules (id, applications_open, application_questions, own_biography, own_availability, attendance,"
        " rosters, evaluate, fewest_answers) VALUES (1, 0, '[]', 1, 1, 1, 1, 1, 3)"
    )
    several_instructors()
    op.add_column("runs", sa.Column("pay_deduct", number, nullable=False, server_default=sa.text("0")))
    op.alter_column("attendance", "user_id", existing_type=number, nullable=True)
    op.add_column("messages", sa.Column("agreement_id", number, nullable=True))
    op.create_foreign_key("fk_messages_agreement_id", "messages", "agreements", ["agreement_id"], ["id"])
    op.add_column("runs", sa.Column("evaluated_at", moment, nullable=True))
    # Runs that were over before are not asked about.
    op.execute("UPDATE runs SET evaluated_at = UTC_TIMESTAMP(6)")


def extend_instructors(number: sa.BigInteger) -> None:
    """Every instructor becomes a person: the one with the same name and email, or a new one."""
    for column in (
        sa.Column("person_id", number, nullable=True),
        sa.Column("employment", sa.String(40), nullable=False, server_default="freelance"),
        sa.Column("biography", sa.Text(), nullable=True),
        sa.Column("most_minutes", number, nullable=True),
        sa.Column("pay_kind", sa.String(40), nullable=True),
        sa.Column("pay_amount", number, nullable=False, server_default=sa.text("0")),
        sa.Column("pay_percent", sa.Numeric(9, 6), nullable=False, server_default=sa.text("0")),
    ):
        op.add_column("instructors", column)
    op.execute("UPDATE instructors SET biography = ''")
    op.alter_column("instructors", "biography", existing_type=sa.Text(), nullable=False)
    bind = op.get_bind()
    taken: set[int] = set()
    known = sa.text(
        "SELECT id FROM people WHERE folded = :folded AND email = :email AND merged_into_id IS NULL AND removed_at IS NULL ORDER BY id"
    )
    add = sa.text(
        "INSERT INTO people (given, family, name, folded, email, phone, digits, note, created_at)"
        " VALUES (:given, :family, :name, :folded, :email, :phone, :digits, '', UTC_TIMESTAMP(6))"
    )
    for key, name, email, phone in bind.execute(
        sa.text("SELECT id, name, email, phone FROM instructors ORDER BY id")
    ).all():
        found = bind.execute(known, {"folded": folded(name), "email": email}).scalars().all()
        person_id = next((p for p in found if p not in taken), None)
        if person_id is None:
            given, family = split_name(name)
            facts = {
                "given": given, "family": family, "name": f"{given} {family}".strip(), "folded": folded(f"{given} {family}"),
                "email": email, "phone": phone, "digits": digits_of(phone) or None,
            }  # fmt: skip
            person_id = bind.execute(add, facts).lastrowid
            sort = f"{family} {given}"[:80]
            for word in search_words(facts["folded"], email, facts["digits"]):
                bind.execute(
                    sa.text(
                        "INSERT INTO people_words (person_id, word, sort) VALUES (:person, :word, :sort)"
                    ),
                    {"person": person_id, "word": word[:60], "sort": sort},
                )
        taken.add(person_id)
        bind.execute(
            sa.text("UPDATE instructors SET person_id = :person WHERE id = :key"),
            {"person": person_id, "key": key},
        )
    op.alter_column("instructors", "person_id", existing_type=number, nullable=False)
    op.create_unique_constraint("uq_instructors_person_id", "instructors", ["person_id"])
    op.create_foreign_key("fk_instructors_person_id", "instructors", "people", ["person_id"], ["id"])
    op.drop_column("instructors", "email")
    op.drop_column("instructors", "phone")


def several_instructors() -> None:
    """The one instructor of a run, a pattern and a meeting becomes the first of several."""
    for table, mapped, key in (
        ("runs", "run_teachers", "run_id"),
        ("meeting_patterns", "pattern_teachers", "pattern_id"),
        ("meetings", "meeting_teachers", "meeting_id"),
    ):
        op.execute(
            f"INSERT INTO {mapped} ({key}, instructor_id, part, n)"
            f" SELECT id, instructor_id, 'lead', 1 FROM {table} WHERE instructor_id IS NOT NULL"
        )
        op.drop_constraint(f"fk_{table}_instructor_id", table, type_="foreignkey")
        if table == "meetings":
            op.drop_index("ix_meetings_instructor", "meetings")
        op.drop_column(table, "instructor_id")
