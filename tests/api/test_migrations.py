"""The schema, from an empty database up, is the one the mapped classes describe."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text

from archgate.tables import Base
from archgate.tables.engine import engine_for
from archgate.tables.migrate import is_current, migrate
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
