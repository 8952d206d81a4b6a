"""Rows from a spreadsheet, looked at before they are kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.store import kit
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
ROSTER = (
    "Reed week\nFirst name,Surname,Ht\nUna,Reed,172\nTove,Quill,tall\nSilas,Peel,5'11\n"
)
"""As an office writes it, with one slip."""


@pytest.fixture
def people(database: Database) -> tuple[int, str]:
    """A course, and the address of its people."""
    with database.session() as session:
        course, _ = small_course(session)
    return course, f"/courses/{course}/kit/people"


def test_an_odd_heading_is_asked_about_and_bad_rows_are_left_out(
    client: TestClient, database: Database, people: tuple[int, str]
) -> None:
    course, at = people
    with database.session() as session:
        before = len(kit.rows(session, course, "people"))
    asked = client.post(f"{at}/preview", json={"text": ROSTER})
    assert asked.status_code == 200, asked.text
    assert "there is no column “Height”" in asked.text
    assert 'data-heading="Ht"' in asked.text
    told = {"text": ROSTER, "headings": {"Ht": "stature"}}
    shown = client.post(f"{at}/preview", json=told).text
    assert "Not read, above the headings: Reed week." in shown
    assert "read as 1.72 m" in shown
    assert "Add the" in shown and "leave out" in shown
    assert client.post(f"{at}/import", json=told).status_code == 422
    added = client.post(f"{at}/import", json=told | {"skip": True})
    assert added.json() == {"added": 2}
    with database.session() as session:
        names = [p.name for p in kit.rows(session, course, "people")][before:]
    assert names == ["Una Reed", "Silas Peel"]


def test_headings_that_are_no_columns_are_not_believed(
    client: TestClient, people: tuple[int, str]
) -> None:
    body = {"text": "Name,Ht\nUna,172\n", "headings": {"Ht": "password"}}
    shown = client.post(f"{people[1]}/preview", json=body)
    assert shown.status_code == 200
    assert "there is no column “Height”" in shown.text
    many = {"text": "Name\nUna", "headings": {str(n): "name" for n in range(99)}}
    assert client.post(f"{people[1]}/preview", json=many).status_code == 422
