"""Connecting to the records and bringing their tables up to date."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

Sessions = sessionmaker[Session]


def connect(url: str) -> Engine:
    """An engine for a database address; connections are checked before use."""
    return create_engine(url, pool_pre_ping=True, pool_size=8, max_overflow=24)


def sessions(engine: Engine) -> Sessions:
    """A maker of sessions whose objects stay readable after the commit."""
    return sessionmaker(engine, expire_on_commit=False)


def _configuration() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def outdated(engine: Engine) -> bool:
    """Whether there are migrations that have not been run yet."""
    with engine.connect() as connection:
        present = MigrationContext.configure(connection).get_current_revision()
    return present != ScriptDirectory.from_config(_configuration()).get_current_head()


def known_revision(revision: str) -> bool:
    """Whether a state of the tables is one that this version knows."""
    return revision in {one.revision for one in ScriptDirectory.from_config(_configuration()).walk_revisions()}


def migrate(engine: Engine, revision: str = "head") -> None:
    """Runs every migration up to a revision that has not been run yet."""
    config = _configuration()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
