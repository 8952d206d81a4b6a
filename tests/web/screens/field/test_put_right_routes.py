"""Put right from the field: a move and a trunk as measured, with what the device had before."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import pytest

from tarvik.store import ground, kit, plans
from tarvik.store.models import Night
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
SPOT = {"x": 12.0, "y": 4.0, "front_deg": 90.0, "trees": []}


@pytest.fixture
def night(database: Database) -> tuple[int, int, int, str]:
    """Course, night, sheet and address of a night with a shelter on the map."""
    with database.session() as session:
        course, number = small_course(session)
        row = session.get_one(Night, number)
        people, sheets = (kit.rows(session, course, t) for t in ("people", "sheets"))
        choice = plans.Choice(sheets[0].id, "plow-point", {}, (people[0].id,))
        plans.choose(session, row, choice)
        plans.shelters(session, number)[0].spot = dict(SPOT)
        sheet = sheets[0].id
    return course, number, sheet, f"/courses/{course}/nights/{number}/field"


def a_move(**more: Any) -> dict[str, Any]:
    told = {
        "x": 12.0,
        "y": 4.0,
        "front_deg": 90.0,
        "was": "12.00 m E, 4.00 m N, front to E",
    }
    return {"way": "2 m", "toward": "NE", "front": "south", **told, **more}


def test_a_move_is_told_from_where_the_device_had_the_shelter(
    client: TestClient, database: Database, night: tuple[int, int, int, str]
) -> None:
    course, number, sheet, here = night
    assert "12.00 m E, 4.00 m N, front to E" in client.get(here).text
    got = client.patch(f"{here}/spot/{sheet}", json=a_move())
    assert got.status_code == 200, got.text
    assert got.json()["text"] == "13.41 m E, 5.41 m N, front to S"
    with database.session() as session:
        spot = plans.shelters(session, number)[0].spot or {}
        assert math.isclose(spot["x"], 12 + math.sqrt(2), abs_tol=1e-6)
        assert spot["front_deg"] == 180.0
    theirs = client.patch(f"{here}/spot/{sheet}", json=a_move(way="4 paces"))
    assert theirs.status_code == 409
    told = theirs.json()
    assert told["theirs"] == "13.41 m E, 5.41 m N, front to S"
    mine = client.patch(f"{here}/spot/{sheet}", json=a_move(was=told["theirs"], front=""))
    assert mine.status_code == 200 and mine.json()["text"].endswith("front to E")
    undone = client.post(f"/courses/{course}/nights/{number}/undo", follow_redirects=False)
    assert undone.status_code == 303
    with database.session() as session:
        spot = plans.shelters(session, number)[0].spot or {}
        assert spot["front_deg"] == 180.0


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("way", "far", "is not a length"),
        ("toward", "home", "isn't a direction"),
        ("front", "up", "isn't a direction"),
    ],
)
def test_what_is_no_distance_or_direction_is_told(
    client: TestClient,
    night: tuple[int, int, int, str],
    field: str,
    text: str,
    words: str,
) -> None:
    *_, sheet, here = night
    got = client.patch(f"{here}/spot/{sheet}", json=a_move(**{field: text}))
    assert got.status_code == 422 and text in got.text
    assert words in got.json()["errors"][0]["message"] or "write" in got.text


def test_a_trunk_is_measured_across_or_round(
    client: TestClient, database: Database, night: tuple[int, int, int, str]
) -> None:
    """110 cm round are 35 cm across (the circle's own ratio); two who measured differently are
    both shown; the same measured twice is kept once.
    """
    _, number, _, here = night
    with database.session() as session:
        site = session.get_one(Night, number).site_id or 0
        tree = next(i for i in ground.items(session, site) if i.data.get("kind") == "tree")
        item, version = tree.id, tree.version
        had = f"{tree.data['across_m']:.2f} m" if tree.data.get("across_m") else ""
        plans.shelters(session, number)[0].spot = {**SPOT, "trees": [tree.data["name"]]}
    assert "Trees as measured" in client.get(here).text
    told = {"text": "110 cm round", "version": version, "was": had}
    got = client.patch(f"{here}/trees/{item}", json=told)
    assert got.status_code == 200 and got.json()["text"] == "0.35 m", got.text
    again = client.patch(f"{here}/trees/{item}", json=told)
    assert again.status_code == 200
    other = client.patch(f"{here}/trees/{item}", json={**told, "text": "28 cm"})
    assert other.status_code == 409 and other.json()["theirs"] == "0.35 m"
    told = {"text": "28 cm", "version": other.json()["version"], "was": "0.35 m"}
    assert client.patch(f"{here}/trees/{item}", json=told).json()["text"] == "0.28 m"
    wrong = client.patch(f"{here}/trees/{item}", json={**told, "text": "thick"})
    assert wrong.status_code == 422
