"""What the pages say while the database cannot keep anything: signed in or not, in words, with what
was typed kept.
"""

from __future__ import annotations

import html
import re
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import text

from tarvik.store import courses
from tarvik.store.database import Database
from tests.conftest import client_of, own_server, owner_token
from tests.small_course import small_course

if TYPE_CHECKING:
    from collections.abc import Iterator

    from tarvik.store.server import Server

pytestmark = pytest.mark.database
PAGE = {"accept": "text/html"}


@pytest.fixture
def own() -> Iterator[Server]:
    with own_server() as started:
        yield started


def test_without_a_database_everybody_hears_it_in_words(own: Server) -> None:
    """503 with a time to try again, for people who are signed in too; a form comes back with all
    that was typed, and never with a password.
    """
    database = Database(own.url())
    database.migrate()
    with database.session() as session:
        course, night = small_course(session)
    with client_of(database, owner_token(database)) as client:
        client.get("/")
        own.stop()
        for method, path in (
            ("GET", "/"),
            ("GET", f"/courses/{course}/kit"),
            ("GET", f"/courses/{course}/nights/{night}/plan"),
            ("POST", f"/courses/{course}/nights"),
            ("POST", "/sign-in"),
        ):
            for headers in (PAGE, {}):
                got = client.request(method, path, headers=headers, follow_redirects=False)
                assert got.status_code == 503, (method, path, got.status_code)
                assert got.headers["retry-after"] == "2"
                assert "Nothing was lost" in got.text
        typed = {"name": 'Wet <b>wood</b> & "more"', "place": "Täl", "nights": "3"}
        page = client.post("/courses", data=typed, headers=PAGE)
        kept = dict(
            re.findall(r'<textarea name="(\w+)" hidden>(.*?)</textarea>', page.text, re.S)
        )
        assert {k: html.unescape(v) for k, v in kept.items()} == typed
        secret = {"email": "ada@first.example", "password": "tall grass under rain"}
        page = client.post("/sign-in", data=secret, headers=PAGE)
        assert "tall grass" not in page.text and "<textarea" not in page.text


def test_a_full_disk_is_told_and_nothing_is_half(database: Database) -> None:
    """PostgreSQL's own state for it (53100), raised by a trigger in the middle of a change."""
    with database.session() as session:
        course, _ = small_course(session)
        session.execute(
            text(
                "create function full_disk() returns trigger language plpgsql as "
                "$$ begin raise exception using errcode = '53100'; end $$"
            )
        )
        session.execute(
            text(
                "create trigger full_disk before insert on night for each row "
                "execute function full_disk()"
            )
        )
    with client_of(database, owner_token(database)) as client:
        got = client.post(f"/courses/{course}/nights", headers=PAGE)
        assert got.status_code == 503 and "disk of the database is full" in got.text
        assert client.get(f"/courses/{course}").status_code == 200
        with database.session() as session:
            assert len(courses.nights(session, course)) == 2
            session.execute(text("drop trigger full_disk on night"))
        assert client.post(f"/courses/{course}/nights").status_code == 200
