"""The schema, from an empty database up, is the one the mapped classes describe."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text

from archgate.tables import Base
from archgate.tables.engine import engine_for
from archgate.tables.migrate import is_current, migrate
from archgate.tables.roster import Enrollment
from conftest import new_database


def test_an_empty_database_is_brought_up_and_matches_the_classes(worker_id):
    engine = engine_for(new_database(f"fresh_{worker_id}"))
    assert not is_current(engine)
    migrate(engine)
    assert is_current(engine)
    migrate(engine)  # again changes nothing
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": False})
        assert compare_metadata(context, Base.metadata) == []
    engine.dispose()


def test_every_table_is_transactional_unicode_and_has_a_primary_key(engine):
    with engine.connect() as connection:
        rows = connection.execute(text(
            "SELECT t.table_name, t.engine, t.table_collation, MAX(c.constraint_type = 'PRIMARY KEY')"
            " FROM information_schema.tables t LEFT JOIN information_schema.table_constraints c"
            " ON c.table_schema = t.table_schema AND c.table_name = t.table_name"
            " WHERE t.table_schema = DATABASE() GROUP BY 1, 2, 3")).all()  # fmt: skip
    assert len(rows) > 20
    for name, engine_name, collation, primary in rows:
        assert (engine_name, primary) == ("InnoDB", 1), name
        assert collation.startswith("utf8mb4"), name


def test_connections_are_strict_in_utc_and_read_committed(engine):
    with engine.connect() as connection:
        mode, zone, isolation = connection.execute(
            text("SELECT @@sql_mode, @@time_zone, @@tx_isolation")
        ).one()
    assert "STRICT_ALL_TABLES" in mode and zone == "+00:00" and isolation == "READ-COMMITTED"


def test_a_center_of_the_last_release_keeps_its_places_instructors_and_openings(worker_id):
    """The previous release's schema with rows of its own, brought to this one."""
    engine = engine_for(new_database(f"before_{worker_id}"))
    migrate(engine, "0001")
    now = "'2027-08-01 12:00:00'"
    run = (
        "INSERT INTO runs (id, course_id, code, title, note, kind, status, decision, place, instructor, time_zone, currency,"
        " capacity, smallest, sign_up_opens, sources, created_at) VALUES ({0}, 1, 'OLD-{0}', '', '', 'dated', 'draft',"
        " 'undecided', '{1}', '{2}', 'America/New_York', 'USD', 10, 4, {3}, '[]', " + now + ")"
    )
    with engine.begin() as connection:
        for statement in (
            "INSERT INTO center (id, name, time_zone, currency, clock_offset, demo_ready) VALUES (1, 'C', 'America/New_York', 'USD', 0, 0)",
            f"INSERT INTO courses (id, code, title, summary, defaults, created_at) VALUES (1, 'OLD', 'Old', '', '{{}}', {now})",
            run.format(1, "Hall 2", "I. Marchetti", "'2027-08-10'"),
            run.format(2, "Hall 2 ", "", "NULL"),
            f"INSERT INTO meetings (id, run_id, date, start, minutes, starts_at, ends_at, by_hand) VALUES (1, 1, '2027-09-14', '17:30', 60, {now}, '2027-08-01 13:00:00', 0)",
            f"INSERT INTO gates (id, run_id, kind, rule, day, at, label) VALUES (1, 1, 'sign-up closes', 'r', '2027-09-13', {now}, 'Sign-up closes')",
        ):  # fmt: skip
            connection.execute(text(statement))
    migrate(engine)
    with engine.connect() as connection:
        assert connection.execute(text("SELECT name FROM places")).scalars().all() == ["Hall 2"]
        taught = "SELECT i.name, p.given, p.family FROM instructors i JOIN people p ON p.id = i.person_id"
        assert connection.execute(text(taught)).all() == [("I. Marchetti", "I.", "Marchetti")]
        found = "SELECT COUNT(*) FROM people_words WHERE word = 'marchetti'"
        assert connection.execute(text(found)).scalar() == 1
        rows = connection.execute(
            text(
                "SELECT place_id, instructor_id, windows FROM runs LEFT JOIN run_teachers ON run_id = runs.id ORDER BY runs.id"
            )
        ).all()
        assert rows[0][0] == rows[1][0] is not None and rows[1][1] is None
        assert rows[0][2] == '[{"opens": {"on": "2027-08-10"}, "closes": null}]' and rows[1][2] == "[]"
        assert connection.execute(
            text(
                "SELECT place_id, instructor_id, pattern_n FROM meetings JOIN meeting_teachers ON meeting_id = meetings.id"
            )
        ).one() == (
            rows[0][0],
            rows[0][1],
            1,
        )
        assert connection.execute(text("SELECT n FROM gates")).scalar() == 1
        assert len(connection.execute(text("SELECT uid FROM center")).scalar()) == 16
    engine.dispose()


def test_a_center_of_the_release_before_fees_keeps_its_parties_plans_and_lines(worker_id):
    """The schema before extras and codes, with a party, two plans and a place in line, brought to this one."""
    engine = engine_for(new_database(f"fees_{worker_id}"))
    migrate(engine, "0002")
    now = "'2027-08-01 12:00:00'"
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for statement in (
            "INSERT INTO center (id, name, time_zone, currency, clock_offset, demo_ready, region, uid) VALUES (1, 'C', 'America/New_York', 'USD', 0, 0, '', 'x')",
            f"INSERT INTO courses (id, code, title, summary, category, defaults, created_at) VALUES (1, 'OLD', 'Old', '', '', '{{}}', {now})",
            f"INSERT INTO runs (id, course_id, code, title, note, kind, status, decision, time_zone, currency, capacity, smallest, windows, week_names, sources, created_at) VALUES (1, 1, 'OLD-1', '', '', 'dated', 'draft', 'undecided', 'America/New_York', 'USD', 10, 4, '[]', '[]', '[]', {now})",
            "INSERT INTO rates (id, run_id, code, label, amount, position, active) VALUES (7, 1, 's', 'S', 100, 1, 1)",
            "INSERT INTO plans (id, run_id, name, active) VALUES (3, 1, 'A', 1), (5, 1, 'B', 1)",
            f"INSERT INTO enrollments (id, run_id, person_id, payer_id, rate_id, plan_id, user_id, status, way_in, heads, signed_up, enrolled_at, currency, total, quote, note) VALUES (1, 1, 1, 1, 7, 3, 1, 'seated', 'desk', 2, '2027-08-01', {now}, 'USD', 200, '{{}}', '')",
            "INSERT INTO party_places (id, enrollment_id, n) VALUES (1, 1, 2)",
            f"INSERT INTO waiting (id, run_id, person_id, payer_id, rate_id, plan_id, user_id, status, way_in, heads, joined_at, note) VALUES (1, 1, 2, 1, 7, 3, 1, 'waiting', 'desk', 1, {now}, '')",
        ):  # fmt: skip
            connection.execute(text(statement))
    migrate(engine)
    with engine.connect() as connection:
        assert connection.execute(text("SELECT rate_id FROM party_places")).scalar() == 7
        assert connection.execute(text("SELECT position FROM plans ORDER BY id")).scalars().all() == [1, 2]
        assert connection.execute(text("SELECT defaults FROM center")).scalar() == "{}"
        assert connection.execute(text("SELECT ask FROM waiting")).scalar() == "{}"
        assert connection.execute(text("SELECT group_steps, taxes FROM runs")).one() == ("[]", "[]")
        assert connection.execute(text("SELECT tags, by_agreement FROM rates")).one() == ("[]", 0)
    engine.dispose()


def test_a_center_of_the_release_before_keeps_its_invoices_seats_and_line(worker_id):
    """The schema before sign-ups could change, with an invoice of one, one of two and its credit note, brought to this one."""
    engine = engine_for(new_database(f"papers_{worker_id}"))
    migrate(engine, "0004")
    now = "'2027-08-01 12:00:00'"
    quote = '{{"lines": [], "taxes": [{{"name": "State tax", "amount": "6.00", "included": false}}, {{"name": "None", "amount": "0.00", "included": false}}]}}'
    enrollment = (
        "INSERT INTO enrollments (id, run_id, person_id, payer_id, rate_id, plan_id, user_id, status, way_in, heads, signed_up,"
        f" enrolled_at, currency, total, quote, note) VALUES ({{0}}, 1, {{0}}, 1, 1, 1, 1, '{{1}}', 'desk', 1, '2027-08-01', {now}, 'USD', 10600, '{quote}', '')"
    )
    invoice = (
        "INSERT INTO invoices (id, kind, number, account_id, currency, issued_on, total, document, reverses_id, user_id, at)"
        f" VALUES ({{0}}, '{{1}}', 'N-{{0}}', 1, 'USD', '2027-08-01', {{2}}, '{{{{}}}}', {{3}}, 1, {now})"
    )
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for n, status in ((1, "seated"), (2, "seated"), (3, "withdrawn")):
            connection.exec_driver_sql(enrollment.format(n, status))
        for facts in (
            (1, "invoice", 9000, "NULL"),
            (2, "invoice", 21200, "NULL"),
            (3, "credit note", -21200, "2"),
        ):
            connection.exec_driver_sql(invoice.format(*facts))
        connection.exec_driver_sql(
            "INSERT INTO invoiced_enrollments (invoice_id, enrollment_id) VALUES (1, 1), (2, 2), (2, 3)"
        )
        connection.exec_driver_sql(
            "INSERT INTO waiting (id, run_id, person_id, payer_id, rate_id, plan_id, user_id, status, way_in, heads, joined_at,"
            f" note, ask) VALUES (1, 1, 9, 1, 1, 1, 1, 'waiting', 'desk', 1, {now}, '', '{{}}')"
        )
    migrate(engine)
    with engine.begin() as connection:
        rows = connection.execute(
            text(
                "SELECT invoice_id, enrollment_id, amount, taxes FROM invoiced_enrollments ORDER BY invoice_id, enrollment_id"
            )
        ).all()
        assert rows == [
            (1, 1, 9000, '{"State tax": 600}'), (2, 2, 10600, '{"State tax": 600}'), (2, 3, 10600, '{"State tax": 600}'),
            (3, 2, -10600, '{"State tax": -600}'), (3, 3, -10600, '{"State tax": -600}'),
        ]  # fmt: skip
        live = text("SELECT live, role FROM enrollments ORDER BY id")
        assert connection.execute(live).all() == [(1, "learner"), (1, "learner"), (None, "learner")]
        connection.execute(text("UPDATE enrollments SET status = 'held' WHERE id = 3"))
        connection.execute(text("UPDATE waiting SET status = 'offered'"))
        assert connection.execute(live).all()[2][0] == 1
        assert connection.execute(text("SELECT live, answers FROM waiting")).one() == (1, "{}")
        for quote in connection.scalars(select(Enrollment.quote)):  # they did not name their currency then
            assert (quote.currency, quote.total) == ("USD", 600)
    engine.dispose()
