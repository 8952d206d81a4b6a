"""The database as the program sees it: engine, sessions, migrations."""

from __future__ import annotations

import time
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import create_engine, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from tarvik.store.scope import install

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from alembic.config import Config

MIGRATIONS = Path(__file__).with_name("migrations")


def conninfo(url: str) -> str:
    """The address of a database as psycopg takes it, from SQLAlchemy's form."""
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


class Database:
    """An engine with its sessions. A connection lost with the server is noticed and replaced before
    it is used.
    """

    def __init__(self, url: str, pool: int = 8) -> None:
        self.url = url
        self.engine = create_engine(
            url,
            pool_pre_ping=True,
            pool_size=pool,
            max_overflow=pool,
            pool_timeout=10,
            hide_parameters=True,  # values have no place in logs
            connect_args={"connect_timeout": 5},
        )
        kind = type("ScopedSession", (Session,), {})
        self._sessions: sessionmaker[Session] = sessionmaker(
            self.engine, class_=kind, expire_on_commit=False
        )
        install(kind)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at the end, or rolls back on an error."""
        with self._sessions() as session, session.begin():
            yield session

    def answers(self) -> bool:
        """Whether the database answers now."""
        try:
            with self.engine.connect() as connection:
                connection.execute(text("select 1"))
        except SQLAlchemyError:
            return False
        return True

    def wait(self, seconds: float, tell: Callable[[str], None]) -> bool:
        """Wait until the database answers, saying so; False when it did not within these
        seconds.
        """
        end = time.monotonic() + seconds
        told = False
        while not self.answers():
            if time.monotonic() >= end:
                return False
            if not told:
                tell(f"waiting for the database, {seconds:.0f} seconds at most")
                told = True
            time.sleep(0.5)
        return True

    def migrate(self, revision: str = "head") -> None:
        """Bring the tables to a revision (forward)."""
        from alembic import command  # noqa: PLC0415 - 10 MB that a web process does without

        command.upgrade(self._alembic(), revision)

    def unmigrate(self, revision: str = "base") -> None:
        """Take the tables back to a revision."""
        from alembic import command  # noqa: PLC0415 - as above

        command.downgrade(self._alembic(), revision)

    def _alembic(self) -> Config:
        from alembic.config import Config  # noqa: PLC0415 - as above

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["engine"] = self.engine
        return config

    def close(self) -> None:
        """Let go of all connections."""
        self.engine.dispose()
