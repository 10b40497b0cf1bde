"""Bringing a database to this version's schema."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, inspect


def config() -> Config:
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return made


def migrate(engine: Engine, revision: str = "head") -> None:
    """Run every migration that is still missing."""
    with engine.connect() as connection:
        settings = config()
        settings.attributes["connection"] = connection
        command.upgrade(settings, revision)
        connection.commit()


UNFINISHED = "restore_unfinished"  # a table that stands while a backup is being restored


def is_current(engine: Engine) -> bool:
    """Whether the database is whole and at this version; one into which a backup is half restored is not."""
    head = ScriptDirectory.from_config(config()).get_current_head()
    if inspect(engine).has_table(UNFINISHED):
        return False
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision() == head


def knows(revision: str) -> bool:
    """Whether this release has come after, or is at, a version of the schema."""
    return any(s.revision == revision for s in ScriptDirectory.from_config(config()).walk_revisions())
