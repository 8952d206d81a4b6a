"""The database as the program sees it: engine, sessions, migrations."""

from __future__ import annotations

from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine
from sqlalchemy.orm import Session, sessionmaker

if TYPE_CHECKING:
    from collections.abc import Iterator

MIGRATIONS = Path(__file__).with_name("migrations")


class Database:
    """An engine with its sessions. A connection lost with the server is noticed and replaced before it is used."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = create_engine(url, pool_pre_ping=True, pool_size=8, max_overflow=8, pool_timeout=10)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at the end, or rolls back on an error."""
        with self._sessions() as session, session.begin():
            yield session

    def migrate(self, revision: str = "head") -> None:
        """Bring the tables to a revision (forward)."""
        command.upgrade(self._alembic(), revision)

    def unmigrate(self, revision: str = "base") -> None:
        """Take the tables back to a revision."""
        command.downgrade(self._alembic(), revision)

    def _alembic(self) -> Config:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["engine"] = self.engine
        return config

    def close(self) -> None:
        """Let go of all connections."""
        self.engine.dispose()
