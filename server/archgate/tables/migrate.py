"""Bringing a database to this version's schema."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine


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


def is_current(engine: Engine) -> bool:
    head = ScriptDirectory.from_config(config()).get_current_head()
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision() == head
