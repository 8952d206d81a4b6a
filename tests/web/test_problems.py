"""What is wrong is told in the course's own unit, also where the core speaks of metres."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import pytest

from tarvik.core.units import Units, told_in
from tarvik.store import deleted, kit
from tarvik.store.models import Course
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database


@pytest.mark.database
def test_a_feet_course_is_told_feet(client: TestClient, database: Database) -> None:
    """A trunk far too thick, and a deleted sheet and line by their size."""
    with database.session() as session:
        course, night = small_course(session)
        session.get_one(Course, course).units = "imperial"
        for table in ("sheets", "lines"):
            row = kit.rows(session, course, table)[0]
            row.label = ""
            kit.delete(session, course, table, row.id)
        names = [d.name for d in deleted.of_course(session, course)]
    assert any("ft" in name for name in names)
    assert not any(re.search(r"\d m\b", name) for name in names)
    tree = {"name": "Huge", "kind": "tree", "x": 0, "y": 0, "across_m": "200 ft"}
    got = client.post(
        f"/courses/{course}/nights/{night}/ground/items",
        json={"kind": "thing", "values": tree},
    )
    assert got.status_code == 422
    message = got.json()["errors"][0]["message"]
    assert "200 ft" in message and not re.search(r"\d m\b", message), message


def test_only_lengths_are_changed_and_only_for_a_feet_course() -> None:
    told = "force 5 (9 m/s) over 2.5 to 12 m of open ground"
    assert told_in(told, Units.METRIC) == told
    assert told_in(told, Units.IMPERIAL) == (
        "force 5 (9 m/s) over 8 ft 2 in to 39 ft 4 in of open ground"
    )
