"""One course made from another over HTTP."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.store import kit
from tarvik.store.models import Course
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def course(database: Database) -> int:
    with database.session() as session:
        return small_course(session)[0]


def test_a_course_is_made_from_this_one(
    client: TestClient, database: Database, course: int
) -> None:
    told = {"name": "Next spring", "kit": "true", "sites": "true"}
    got = client.post(f"/courses/{course}/copied", data=told, follow_redirects=False)
    assert got.status_code == 303
    number = int(got.headers["location"].rsplit("/", 1)[1])
    page = client.get(f"/courses/{number}").text
    assert "Next spring" in page
    with database.session() as session:
        assert kit.rows(session, number, "people") == []
        assert len(kit.rows(session, number, "sheets")) == len(
            kit.rows(session, course, "sheets")
        )


def test_what_is_ticked_is_taken_from_another_course(
    client: TestClient, database: Database, course: int
) -> None:
    client.post("/courses", data={"name": "Empty", "units": "metric"})
    with database.session() as session:
        empty = session.query(Course).filter_by(name="Empty").one().id
    assert "Take from" in client.get(f"/courses/{empty}").text
    told = {"source": str(course), "people": "true", "kit": "true"}
    assert client.post(f"/courses/{empty}/taken", data=told).status_code == 200
    with database.session() as session:
        for table in ("people", "sheets", "stakes"):
            assert len(kit.rows(session, empty, table)) == len(
                kit.rows(session, course, table)
            )


def test_nothing_ticked_or_nobodys_course_is_told(client: TestClient, course: int) -> None:
    for told in (
        {"source": str(course), "kit": "true"},
        {"source": "99999", "kit": "true"},
    ):
        got = client.post(f"/courses/{course}/taken", data=told)
        assert got.status_code == 422
        assert "choose a course of yours" in got.text
    client.post("/courses", data={"name": "Empty", "units": "metric"})
    got = client.post(f"/courses/{course}/taken", data={"source": str(course + 1)})
    assert got.status_code == 422
    assert "tick what is to be taken" in got.text
