"""The kit library over HTTP."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.store import kit, library
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


def test_a_thing_is_put_in_lent_and_given_back(
    client: TestClient, database: Database, course: int
) -> None:
    assert "Nothing is in the library yet" in client.get("/library").text
    told = {
        "number": "T-07",
        "name": "green",
        "size": "3 x 3 m",
        "ties": ["corners", "thirds"],
    }
    assert client.post("/library", data=told).status_code == 200
    page = client.get("/library").text
    assert "T-07" in page
    assert "on the shelf" in page
    with database.session() as session:
        provider = session.get_one(Course, course).provider_id
        (item,) = library.items(session, provider)
        number = item.id
    lent = client.post(f"/courses/{course}/library/lend", data={"item": str(number)})
    assert "Give it back" in lent.text
    with database.session() as session:
        labels = [s.label for s in kit.rows(session, course, "sheets")]
        assert "T-07 green" in labels
        loan = library.loans(session, course)[0].id
    assert "on the shelf" not in client.get("/library").text
    refused = client.post(f"/library/{number}/delete", data={})
    assert refused.status_code == 422
    client.post(f"/courses/{course}/library/{loan}/back")
    assert "on the shelf" in client.get("/library").text
    changed = {"number": "T-08", "name": "green", "size": "3 x 3 m", "condition": "worn"}
    assert client.post(f"/library/{number}", data=changed).status_code == 200
    assert "worn, still tight" in client.get("/library").text
    client.post(f"/library/{number}/delete", data={})
    assert "T-08" not in client.get("/library").text


def test_a_mistake_loses_nothing_of_what_was_typed(client: TestClient, course: int) -> None:
    told = {
        "number": "9",
        "size": "tall",
        "note": "from the loft",
        "checked_on": "2026-05-01",
    }
    got = client.post("/library", data=told)
    assert got.status_code == 422
    for words in ("not a length", "from the loft", "2026-05-01", "tall"):
        assert words in got.text
    got = client.post("/library", data={"number": "9", "name": "net", "checked_on": "May"})
    assert "is no date" in got.text
    assert client.post(f"/courses/{course}/library/lend", data={}).status_code == 422
