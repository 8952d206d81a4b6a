"""The packing list over HTTP: it covers every night and move, and says who carries what."""

from __future__ import annotations

import io
import re
from typing import TYPE_CHECKING

import pytest
from pypdf import PdfReader

from tarvik.demo.course import ensure_demo
from tarvik.store import kit, plans
from tarvik.store.models import Course, LineRow, Night
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def course(database: Database) -> int:
    """A course with two shelters on its first night, and a hank of thirty metres."""
    with database.session() as session:
        made, night = small_course(session)
        row = session.get_one(Night, night)
        people, sheets = (kit.rows(session, made, t) for t in ("people", "sheets"))
        plans.choose(
            session, row, plans.Choice(sheets[0].id, "a-frame", {}, (people[0].id,))
        )
        plans.choose(
            session, row, plans.Choice(sheets[1].id, "plow-point", {}, (people[2].id,))
        )
        kit.add(session, made, "lines", [{"length_m": 30.0, "count": 1}])
    return made


def listed(client: TestClient, course: int) -> str:
    got = client.get(f"/courses/{course}/packing/list")
    assert got.status_code == 200, got.text
    return " ".join(got.text.split())


def test_the_list_names_sheets_stakes_and_cord(client: TestClient, course: int) -> None:
    shown = listed(client, course)
    assert "1 of 1 night" in shown or "1 of 2 nights" in shown
    for words in ("3.00 × 3.00 m", "stakes", "Repair kit", "Ground sheet", "Handed out"):
        assert words in shown, words
    assert "no other split makes it lighter" in shown
    assert "lent or shared" in shown  # the second sheet is not its sleeper's
    people = re.findall(r'<details class="bag"[^>]*><summary><h3>([^<]+)</h3>', shown)
    assert len(people) == 4


def test_an_empty_course_says_what_to_do_first(
    client: TestClient, database: Database
) -> None:
    with database.session() as session:
        made, _ = small_course(session)
    assert "make a plan first" in listed(client, made)
    assert client.get(f"/courses/{made}/packing").status_code == 200


def test_what_is_to_stay_uncut_is_not_cut(
    client: TestClient, database: Database, course: int
) -> None:
    with database.session() as session:
        for row in kit.rows(session, course, "lines"):
            if row.length_m < 20:
                session.delete(session.get_one(LineRow, row.id))
    shown = listed(client, course)
    assert "From the hank of 30.00 m" in shown
    with database.session() as session:
        for row in kit.rows(session, course, "lines"):
            session.get_one(LineRow, row.id).uncut = True
    shown = listed(client, course)
    assert "From the hank" not in shown
    assert "Nothing has to be cut" in shown
    assert "Missing" in shown


def test_a_leader_gives_a_thing_to_somebody(
    client: TestClient, database: Database, course: int
) -> None:
    with database.session() as session:
        last = kit.rows(session, course, "people")[-1]
        number, name = last.id, last.name
    given = {"thing": "repair", "person": str(number)}
    assert client.post(f"/courses/{course}/packing/carry", data=given).status_code == 200
    shown = listed(client, course)
    bag = shown[shown.index(f"<h3>{name}</h3>") :]
    assert "Repair kit" in re.split('<details class="bag"|<section class="cord"', bag)[0]
    with database.session() as session:
        assert session.get_one(Course, course).rules["carries"] == {"repair": number}
    wrong = client.post(
        f"/courses/{course}/packing/carry", data={"thing": "repair", "person": "x"}
    )
    assert wrong.status_code == 422
    client.post(f"/courses/{course}/packing/carry", data={"thing": "repair", "person": ""})
    with database.session() as session:
        assert session.get_one(Course, course).rules["carries"] == {}


def test_a_page_a_person_on_paper(client: TestClient, course: int) -> None:
    got = client.get(f"/courses/{course}/packing.pdf")
    pages = PdfReader(io.BytesIO(got.content)).pages
    assert len(pages) == 5  # four people and the cord
    assert "For the group" in pages[0].extract_text()
    assert "Handed out" in pages[4].extract_text()


def test_what_was_weighed_counts_in_the_place_of_the_estimate(
    client: TestClient, database: Database, course: int
) -> None:
    """The weight of a bag of stakes is kept a piece, so that bags of other sizes follow; emptied,
    the estimate is back; what is no weight is told.
    """
    shown = listed(client, course)
    assert "(weighed)" not in shown and "loop of 0.30 m" in shown
    key, amount = re.findall(
        r'name="thing" value="(stakes-\d+)"><input type="hidden" name="amount" value="([\d.]+)"',
        shown,
    )[0]
    told = {"thing": key, "amount": amount, "weight": "400 g"}
    assert client.post(f"/courses/{course}/packing/weigh", data=told).status_code == 200
    with database.session() as session:
        kept = session.get_one(Course, course).rules["weights"]
    assert kept == {key: pytest.approx(0.4 / float(amount))}
    assert "400 g (weighed)" in listed(client, course)
    wrong = client.post(
        f"/courses/{course}/packing/weigh", data={**told, "weight": "light"}
    )
    assert wrong.status_code == 422 and "write it like 650 g" in wrong.text
    client.post(f"/courses/{course}/packing/weigh", data={**told, "weight": ""})
    assert "(weighed)" not in listed(client, course)


def test_the_demo_joins_one_line_and_cuts_one(
    client: TestClient, database: Database
) -> None:
    """Its planned nights want two lines longer than any there is: one is joined, one cut."""
    with database.session() as session:
        made = ensure_demo(session)
        assert made is not None
        number = made.id
    shown = listed(client, number)
    cord = shown[shown.index('<section class="cord">') :]
    assert cord.count("From the hank of") == 1 and "1 hank is cut" in cord
    joined = cord[cord.index("<h3>Join</h3>") : cord.index("<h3>Labels</h3>")]
    assert joined.count("<li>") == 1 and "Missing" not in joined
