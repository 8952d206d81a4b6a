"""Practice over HTTP: drills without names, answers kept once and private, times that count."""

from __future__ import annotations

import html
import uuid
from typing import TYPE_CHECKING, Any

import pytest

from tarvik.core.drills.drill import Kind
from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.store import erasing, kit, links, practice
from tarvik.store.models import Course, Night
from tarvik.web.screens.practice.routes import seconds_of
from tarvik.work.cases import case_of
from tests.conftest import OWN
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def course(database: Database) -> tuple[int, list[int]]:
    """A course and the numbers of its people."""
    with database.session() as session:
        number, night = small_course(session)
        session.get_one(Night, night).needs = {"rain_mm_h": 3.0}
        return number, [p.id for p in kit.rows(session, number, "people")]


def answer(item: str, *, right: bool, key: str = "") -> dict[str, Any]:
    return {
        "key": key or str(uuid.uuid4()),
        "item": item,
        "right": right,
        "at": "2026-06-02T07:00:00+00:00",
    }


@pytest.mark.parametrize("kind", list(Kind))
def test_drills_name_nobody(
    client: TestClient, database: Database, course: tuple[int, list[int]], kind: Kind
) -> None:
    made = client.get(f"/courses/{course[0]}/practice/round", params={"kind": kind.value})
    assert made.status_code == 200
    assert 1 <= made.text.count('class="drill"') <= 2
    told = html.unescape(made.text)
    with database.session() as session:
        for person in kit.rows(session, course[0], "people"):
            assert person.name not in told
    again = client.get(f"/courses/{course[0]}/practice/round", params={"kind": kind.value})
    assert again.text == made.text


def test_a_course_without_sheets_or_nights_has_no_drills(
    client: TestClient, database: Database
) -> None:
    client.post("/courses", data={"name": "Empty", "units": "metric"})
    with database.session() as session:
        number = session.query(Course).filter_by(name="Empty").one().id
    made = client.get(f"/courses/{number}/practice/round", params={"kind": "which-pitch"})
    assert made.status_code == 200
    assert 'class="drill"' not in made.text
    assert client.get(f"/courses/{number}/practice").status_code == 200


def test_answers_are_kept_once_and_shown(
    client: TestClient, course: tuple[int, list[int]]
) -> None:
    number, (ada, ben, *_) = course
    url = f"/courses/{number}/practice"
    one = answer("knot:slip", right=True)
    assert client.post(f"{url}/{ada}/answers", json={"answers": [one]}).json() == {"new": 1}
    assert client.post(f"{url}/{ada}/answers", json={"answers": [one]}).json() == {"new": 0}
    client.post(f"{url}/{ada}/answers", json={"answers": [answer("knot:jam", right=False)]})
    shown = " ".join(client.get(f"{url}?person={ada}").text.split())
    assert "<td>2</td><td>1</td>" in shown
    assert "Nothing answered yet" in client.get(f"{url}?person={ben}").text


def test_answers_that_cannot_be_are_refused(
    client: TestClient, course: tuple[int, list[int]]
) -> None:
    number, (ada, *_) = course
    url = f"/courses/{number}/practice"
    for wrong in (
        answer("Who is slow?", right=True),
        answer("knot:slip", right=True, key="k"),
        {"item": "knot:slip", "right": True},
    ):
        assert (
            client.post(f"{url}/{ada}/answers", json={"answers": [wrong]}).status_code
            == 422
        )
    many = {"answers": [answer("knot:slip", right=True)] * 201}
    assert client.post(f"{url}/{ada}/answers", json=many).status_code == 422
    there = {"answers": [answer("knot:slip", right=True)]}
    assert client.post(f"{url}/999999/answers", json=there).status_code == 404
    assert client.get(f"{url}?person=999999").status_code == 404
    assert client.get(f"{url}/round?kind=dancing").status_code == 422


def test_a_participant_practises_behind_the_link(
    client: TestClient, database: Database, course: tuple[int, list[int]]
) -> None:
    number, (ada, *_) = course
    with database.session() as session:
        token = links.token_of(session, links.make_link(session, number, ada))
    client.cookies.clear()
    page = client.get(f"/card/{token}/practice")
    assert page.status_code == 200
    assert page.headers["cache-control"] == "private, no-cache"
    made = client.get(f"/card/{token}/practice/knot")
    assert made.text.count('class="drill"') == 2
    sent = {"answers": [answer("knot:slip", right=True)]}
    assert client.post(f"/card/{token}/practice", json=sent, headers=OWN).json() == {
        "new": 1
    }
    with database.session() as session:
        assert practice.known(session, ada)["knot:slip"].known == 1
    # Behind a link one's own practice is to be had, and no other's.
    assert client.get(f"/courses/{number}/practice?person={ada}").status_code != 200
    assert client.get("/card/nobody/practice/knot").status_code == 404


def test_times_give_somebodys_pace_to_the_plan(
    client: TestClient, database: Database, course: tuple[int, list[int]]
) -> None:
    number, (ada, ben, *_) = course
    url = f"/courses/{number}/practice/{ada}/timed"
    for took in ("12:30", "11 min", "10.5"):
        told = {
            "pitch": "a-frame",
            "took": took,
            "splits": "ridge=200 stakes=500 round=700",
        }
        assert client.post(url, data=told, follow_redirects=False).status_code == 303
    shown = " ".join(client.get(f"/courses/{number}/practice?person={ada}").text.split())
    assert "3 timed" in shown
    assert "own pace: " in shown
    with database.session() as session:
        night = session.query(Night).filter_by(course_id=number).first()
        assert night is not None
        campers = {c.number: c for c in case_of(session, number, night.id).bag.campers}
        pace = campers[ada].pace
        assert pace is not None
        assert 1.0 < pace < 12.5 / PITCHES["a-frame"].minutes
        assert campers[ben].pace is None


@pytest.mark.parametrize("took", ["", "soon", "0:02", "200 min", "1:75"])
def test_times_that_are_none_are_refused(
    client: TestClient, course: tuple[int, list[int]], took: str
) -> None:
    number, (ada, *_) = course
    told = {"pitch": "a-frame", "took": took}
    got = client.post(f"/courses/{number}/practice/{ada}/timed", data=told)
    assert got.status_code == 422


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("4:30", 270), ("4.5", 270), ("4,5 min", 270), ("270 s", 270), ("5", 300)],
)
def test_times_are_read_as_people_type_them(text: str, seconds: int) -> None:
    assert seconds_of(text) == seconds
    with pytest.raises(InputError):
        seconds_of(f"{text} x")


def test_what_somebody_practised_is_told_and_goes_with_them(
    client: TestClient, database: Database, course: tuple[int, list[int]]
) -> None:
    number, (ada, *_) = course
    sent = {"answers": [answer("knot:slip", right=True)]}
    client.post(f"/courses/{number}/practice/{ada}/answers", json=sent)
    with database.session() as session:
        (told,) = erasing.told_of(session, number, ada)["practised"]
        assert (told["item"], told["right"]) == ("knot:slip", True)
        erasing.erase(session, number, ada)
    with database.session() as session:
        assert practice.told_of(session, ada) == []
