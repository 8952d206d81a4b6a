"""Tarvik's own PostgreSQL: a plain role for the application, logs without values, what an older
program made handed over.
"""

from __future__ import annotations

import stat
from typing import TYPE_CHECKING

import psycopg
import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError, ProgrammingError

from tarvik.store import courses, server
from tarvik.store.database import Database
from tarvik.store.models import Course
from tests.conftest import own_server

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.server import Server

pytestmark = pytest.mark.database


@pytest.fixture(scope="module")
def own() -> Iterator[Server]:
    with own_server() as started:
        yield started


def test_the_application_is_no_superuser(own: Server) -> None:
    database = Database(own.url())
    with database.engine.connect() as connection:
        query = (
            "select rolsuper or rolcreatedb or rolcreaterole or rolreplication or rolbypassrls "
            "from pg_roles where rolname = current_user"
        )
        assert connection.execute(text(query)).scalar() is False
    for forbidden in (
        "create role eve superuser",
        "create database other",
        "alter system set log_statement = 'all'",
        "copy (select 1) to program 'true'",
        "select pg_read_file('postgresql.conf')",
        "select * from pg_authid",
    ):
        with pytest.raises(ProgrammingError), database.engine.connect() as connection:
            connection.execution_options(isolation_level="AUTOCOMMIT").execute(
                text(forbidden)
            )
    database.close()


def test_values_are_in_no_log(own: Server, caplog: pytest.LogCaptureFixture) -> None:
    """Neither in PostgreSQL's nor in what a fault says of itself; and only its owner reads it."""
    database = Database(own.url())
    database.migrate()
    with pytest.raises(DBAPIError) as fault, database.session() as session:
        session.execute(
            text("insert into provider (name, id) values (:name, 1)"), {"name": "x"}
        )
        session.execute(
            text("insert into provider (name, id) values (:name, 1)"),
            {"name": "SECRET VALUE"},
        )
    assert "SECRET" not in str(fault.value.statement) and "hidden" in str(fault.value)
    with pytest.raises(DBAPIError), database.session() as session:
        session.execute(text("select cast('SECRET VALUE' as integer)"))
    log = own.folder / "postgres.log"
    assert "SECRET" not in log.read_text(errors="replace") and "SECRET" not in caplog.text
    for name in ("postgres.log", "password", "password.app"):
        assert stat.S_IMODE((own.folder / name).stat().st_mode) == 0o600, name
    database.close()


def test_what_an_older_program_made_as_superuser_is_handed_over(own: Server) -> None:
    """A database of the first revision, filled, comes up to the present one under the plain
    role.
    """
    with own.connect() as connection:
        connection.execute("drop database if exists old with (force)")
        connection.execute("create database old")
    signed = f"{server.ACCOUNT}:{own._password}"
    as_superuser = Database(f"postgresql+psycopg://{signed}@127.0.0.1:{own.port}/old")
    as_superuser.migrate("0001")
    with as_superuser.engine.begin() as connection:
        connection.execute(
            text(
                "insert into course (version, name, place, note, units, demo, created_at) "
                "values (1, 'From long ago', '', '', 'metric', false, now())"
            )
        )
    as_superuser.close()
    with own.connect() as connection:
        connection.execute(f"alter database old owner to {server.PLAIN}")
    with (
        psycopg.connect(own.url("old").replace("+psycopg", "")) as plain,
        pytest.raises(psycopg.errors.InsufficientPrivilege),
    ):
        plain.execute("alter table course add column x integer")
    with own.connect("old") as connection:
        connection.execute(server.HAND_OVER.format(role=server.PLAIN))
    database = Database(own.url("old"))
    database.migrate()
    with database.session() as session:
        assert [c.name for c in courses.courses(session)] == ["From long ago"]
        assert courses.new_course(session, "New", "", "metric", 1, None).id > 1
        assert session.get_one(Course, 1).provider_id
    database.close()
