"""What comes in by a file keeps the limits of hand entry, and what Tarvik wrote always goes out;
what was deleted is found and brought back.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import func, select

from tarvik.demo.course import ensure_demo
from tarvik.store import courses, ground, kit, plans
from tarvik.store.models import Course, GroundItem, Night, Person
from tests.conftest import client_of
from tests.small_course import small_course
from tests.store.test_keeping import put_up

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database


@pytest.fixture
def demo(database: Database) -> tuple[int, int]:
    """The demo's course and its first night."""
    with database.session() as session:
        ensure_demo(session)
        course = session.scalars(select(Course)).one()
        return course.id, courses.nights(session, course.id)[0].id


def heights(count: int) -> str:
    """A file of spot heights on a grid."""
    rows = [f"height,,,{i % 80 - 40},{i // 80 - 40},100" for i in range(count)]
    return "\n".join(["item,name,kind,x_m,y_m,height_m", *rows]) + "\n"


def points(count: int) -> str:
    """A file of trees."""
    rows = [f"thing,Tree {i},tree,{i % 80 - 40},{i // 80 - 40}," for i in range(count)]
    return "\n".join(["item,name,kind,x_m,y_m,height_m", *rows]) + "\n"


@pytest.mark.parametrize(
    ("text", "kind", "most"),
    [
        (heights(7_500), "height", ground.MOST_ITEMS["height"]),
        (heights(ground.MOST_ITEMS["height"] + 1), "height", ground.MOST_ITEMS["height"]),
        (points(798), "thing", ground.MOST_ITEMS["thing"]),
    ],
)
def test_a_file_with_more_than_a_site_holds_is_refused_before_anything_is_written(
    client: TestClient,
    database: Database,
    demo: tuple[int, int],
    text: str,
    kind: str,
    most: int,
) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    with database.session() as session:
        before = session.scalar(select(func.count(GroundItem.id)))
    answer = client.post(
        f"{base}/import",
        files={"file": ("a.csv", text)},
        headers={"accept": "application/json"},
    )
    assert answer.status_code == 422 and str(most) in answer.json()["detail"], answer.text
    with database.session() as session:
        assert session.scalar(select(func.count(GroundItem.id))) == before
    assert client.get(base).status_code == 200


def test_a_site_as_full_as_it_may_be_goes_out_and_in_again(
    client: TestClient, database: Database, demo: tuple[int, int]
) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    with database.session() as session:
        there = session.scalar(
            select(func.count(GroundItem.id)).where(
                GroundItem.kind == "height", GroundItem.deleted_at.is_(None)
            )
        )
    text = heights(ground.MOST_ITEMS["height"] - (there or 0))
    assert client.post(f"{base}/import", files={"file": ("a.csv", text)}).status_code == 200
    out = client.get(f"/courses/{demo[0]}/file")
    assert out.status_code == 200
    back = client.post(
        "/course-file", files={"file": ("c.json", out.text)}, follow_redirects=False
    )
    assert back.status_code == 303, back.text


def test_a_course_with_a_shelter_that_was_moved_goes_out_and_in_again(
    client: TestClient, database: Database
) -> None:
    """Dragged with the pull of near trees, and without."""
    with database.session() as session:
        course, night = small_course(session)
    put_up(database, night)
    with database.session() as session:
        shelter = plans.shelters(session, night)[0].id
    base = f"/courses/{course}/nights/{night}/ground/shelters/{shelter}/spot"
    for snap in (False, True):
        spot = {"x": 2.0, "y": 4.0, "front_deg": 90, "snap": snap}
        assert client.post(base, json=spot).status_code == 200
        out = client.get(f"/courses/{course}/file")
        assert out.status_code == 200, out.text
        assert json.loads(out.text)["nights"][0]["shelters"][0]["spot"]["x"] is not None
        back = client.post(
            "/course-file", files={"file": ("c.json", out.text)}, follow_redirects=False
        )
        assert back.status_code == 303, back.text


def test_a_night_a_person_and_a_course_are_brought_back(
    client: TestClient, database: Database
) -> None:
    with database.session() as session:
        course, night = small_course(session)
        person = kit.rows(session, course, "people")[0]
        number, name = person.id, person.name
    page = f"/courses/{course}"
    assert client.post(f"{page}/nights/{night}/delete").status_code == 200
    with database.session() as session:
        kit.delete(session, course, "people", number)
    told = client.get(page).text
    assert name in told and f"{page}/deleted/night/{night}" in told
    assert client.get(f"{page}/nights/{night}/plan").status_code == 404
    for kind, row in (("night", night), ("person", number)):
        assert client.post(f"{page}/deleted/{kind}/{row}").status_code == 200
    with database.session() as session:
        assert session.get_one(Night, night).deleted_at is None
        assert session.get_one(Person, number).deleted_at is None
    assert client.get(f"{page}/nights/{night}/plan").status_code == 200
    assert client.post(f"{page}/delete").status_code == 200
    assert client.get(page).status_code == 404
    assert f"{page}/restore" in client.get("/").text
    assert client.post(f"{page}/restore").status_code == 200


def test_nothing_of_another_course_is_brought_back(
    client: TestClient, database: Database
) -> None:
    with database.session() as session:
        course, night = small_course(session)
        other, _ = small_course(session)
    assert client.post(f"/courses/{course}/nights/{night}/delete").status_code == 200
    for kind, row in (("night", night), ("night", 10**9), ("people", night), ("x" * 50, 1)):
        assert client.post(f"/courses/{other}/deleted/{kind}/{row}").status_code == 404
    with client_of(database, demo=True) as stranger:
        asked = stranger.post(
            f"/courses/{course}/deleted/night/{night}", follow_redirects=False
        )
        assert asked.status_code == 403
    with database.session() as session:
        assert session.get_one(Night, night).deleted_at is not None
