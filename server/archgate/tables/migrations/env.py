"""Alembic's entry: migrations run on a connection that the caller gives (see archgate.tables.migrate)."""

from __future__ import annotations

from alembic import context

from archgate.tables import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, compare_type=True
)
with context.begin_transaction():
    context.run_migrations()
