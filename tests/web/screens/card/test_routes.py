"""Participants' cards over HTTP: one card and no more, answers that wait for a leader, history and
files on the screen.
"""

from __future__ import annotations

import io
import json
import re
from typing import TYPE_CHECKING

import pytest
from pypdf import PdfReader

from tarvik.store import kit, links, plans
from tests.conftest import client_of
from tests.small_course import small_course
from tests.store.test_keeping import put_up

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def wood(database: Database) -> tuple[int, int]:
    """A course and its first night, two people under one sheet."""
    with database.session() as session:
        made = small_course(session)
    put_up(database, made[1])
    return made


def token_for(database: Database, course: int, number: int) -> str:
    with database.session() as session:
        return links.token_of(
            session,
            links.make_link(
                session, course, kit.rows(session, course, "people")[number].id
            ),
        )


def test_a_card_tells_its_own_person_and_nobody_else(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    token = token_for(database, wood[0], 0)
    with client_of(database) as anyone:
        got = anyone.get(f"/card/{token}")
        assert got.status_code == 200
        assert (
            "Plow point" in got.text
            and "With <strong>Bo</strong>" in got.text
            and "Knots" in got.text
        )
        assert (
            "If it blows up" in got.text
            and got.headers["cache-control"] == "private, no-cache"
        )
        for hidden in ("Bo S", "Cy S", "Di S", "Cy", "/courses/"):
            assert hidden not in got.text.replace(
                token, ""
            )  # the link's own letters are chance
        assert anyone.get(f"/courses/{wood[0]}").status_code == 403
        assert anyone.get(f"/card/{token}?night=2").status_code == 200
        script = anyone.get("/card-worker.js")
        assert (
            script.headers["service-worker-allowed"] == "/card/"
            and "javascript" in script.headers["content-type"]
        )
        client.post(f"/courses/{wood[0]}/cards/{_person(database, wood[0], 0)}/revoke")
        gone = anyone.get(f"/card/{token}", headers={"accept": "text/html"})
        assert gone.status_code == 404 and "does not open anything any more" in gone.text
        assert "Ada" not in gone.text and "Small wood" not in gone.text
        assert (
            anyone.post(f"/card/{token}/stature", data={"stature": "1.5"}).status_code
            == 404
        )


def _person(database: Database, course: int, number: int) -> int:
    with database.session() as session:
        return int(kit.rows(session, course, "people")[number].id)


def test_what_a_participant_says_waits_for_a_leader(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    token = token_for(database, wood[0], 3)  # without a sheet
    with client_of(database) as anyone:
        bad = anyone.post(f"/card/{token}/stature", data={"stature": "tall"})
        assert bad.status_code == 422 and "fault" in bad.text
        assert (
            anyone.post(f"/card/{token}/stature", data={"stature": "1.81 m"}).status_code
            == 200
        )
        assert (
            anyone.post(f"/card/{token}/sheet", data={"sheet": "8 x 10 ft"}).status_code
            == 200
        )
        assert anyone.post(f"/card/{token}/other", data={}).status_code == 422
        assert (
            anyone.post(
                f"/card/{token}/brings", data={"mat": "yes", "lamp": "yes"}
            ).status_code
            == 200
        )
        assert len(re.findall("checked", anyone.get(f"/card/{token}").text)) == 2
    with database.session() as session:
        assert kit.rows(session, wood[0], "people")[3].stature_m == 1.70
    shown = client.get(f"/courses/{wood[0]}/cards").text
    assert (
        "is 1.81 m tall" in shown
        and "brings a sheet of 2.44" in shown
        and "2 things ticked" in shown
        and 'class="qr"' in shown
    )
    for number in sorted(set(map(int, re.findall(r"/cards/answers/(\d+)", shown)))):
        assert (
            client.post(
                f"/courses/{wood[0]}/cards/answers/{number}", data={"take": "yes"}
            ).status_code
            == 200
        )
        assert (
            client.post(
                f"/courses/{wood[0]}/cards/answers/{number}", data={"take": "yes"}
            ).status_code
            == 404
        )
    with database.session() as session:
        person = kit.rows(session, wood[0], "people")[3]
        assert person.stature_m == pytest.approx(1.81)
        assert [
            s.length_m
            for s in kit.rows(session, wood[0], "sheets")
            if s.owner_id == person.id
        ] == [pytest.approx(3.048)]


def test_history_on_the_screen_and_back(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    base = f"/courses/{wood[0]}"
    person = _person(database, wood[0], 0)
    changed = client.patch(
        f"{base}/kit/people/{person}",
        json={"column": "name", "text": "Eve X", "version": 1, "was": "Ada L"},
    )
    assert changed.status_code == 200
    shown = client.get(f"{base}/history").text
    assert "name Ada L → Eve X" in shown and "<strong>Owner</strong>" in shown
    since = re.search(r'name="since" value="(\d+)"', shown)
    assert since is not None
    assert (
        client.post(
            f"{base}/history/restore", data={"since": since[1], "what": "course"}
        ).status_code
        == 200
    )
    with database.session() as session:
        assert kit.rows(session, wood[0], "people")[0].name == "Ada L"
    for bad in (
        {"since": "0"},
        {"since": "x"},
        {"since": since[1], "what": "all"},
        {"since": since[1], "what": "night"},
    ):
        assert client.post(f"{base}/history/restore", data=bad).status_code == 422
    assert (
        client.post(f"{base}/history/restore", data={"since": str(2**61)}).status_code
        == 404
    )


def test_a_course_goes_out_and_comes_in_by_the_screen(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    got = client.get(f"/courses/{wood[0]}/file")
    assert got.headers["content-disposition"] == 'attachment; filename="small-wood.json"'
    back = client.post(
        "/course-file", files={"file": ("c.json", got.content)}, follow_redirects=False
    )
    assert back.status_code == 303 and back.headers["location"] != f"/courses/{wood[0]}"
    assert client.get(back.headers["location"]).status_code == 200
    told = json.loads(got.content)
    told["people"][0]["stature_m"] = 17
    bad = client.post("/course-file", files={"file": ("c.json", json.dumps(told))})
    assert (
        bad.status_code == 422
        and "people.0.stature_m" in bad.text
        and "Nothing was imported" in bad.text
    )
    assert client.get("/schema/course.json").json()["title"] == "Tarvik course"


def test_data_is_given_out_and_erased_by_the_screen(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    person = _person(database, wood[0], 2)
    assert (
        client.get(f"/courses/{wood[0]}/erase/{person}.json").json()["person"]["name"]
        == "Cy S"
    )
    assert client.post(f"/courses/{wood[0]}/erase/{person}").status_code == 422
    assert (
        client.post(f"/courses/{wood[0]}/erase/{person}", data={"sure": "yes"}).status_code
        == 200
    )
    assert client.get(f"/courses/{wood[0]}/erase/{person}.json").status_code == 404


def test_square_codes_on_paper(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    """A square with a name for everybody who has a link, and none for the others."""
    token_for(database, wood[0], 0)
    token_for(database, wood[0], 2)
    got = client.get(f"/courses/{wood[0]}/cards/squares.pdf")
    assert got.headers["content-type"] == "application/pdf"
    text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(got.content)).pages)
    assert "Ada" in text
    assert "Cy" in text
    assert "Bo S" not in text


def test_a_card_shows_where_its_shelter_stands(
    database: Database, wood: tuple[int, int]
) -> None:
    """On the camp's map, with numbers and no names of others; nothing while it has no place."""
    token = token_for(database, wood[0], 0)
    with client_of(database) as anyone:
        assert "Where you are in the camp" not in anyone.get(f"/card/{token}").text
    with database.session() as session:
        (row,) = plans.shelters(session, wood[1])
        row.spot = {"x": 5.0, "y": 4.0, "front_deg": 180.0, "trees": []}
    with client_of(database) as anyone:
        shown = anyone.get(f"/card/{token}").text
    drawn = shown[shown.index("Where you are in the camp") :]
    assert "1 you" in drawn[: drawn.index("</section>")]


def test_cards_are_sent_by_letter_all_at_once(
    database: Database, client: TestClient, wood: tuple[int, int]
) -> None:
    """Each to its own address; a letter goes when its link is taken back."""
    here = f"/courses/{wood[0]}/cards"
    typed = "Ada, ada@one.example\n\nbo@two.example  Bo S\n"
    sent = client.post(f"{here}/send", data={"addresses": typed})
    assert "2 messages are among" in " ".join(sent.text.split())
    outbox = client.get("/outbox").text
    with database.session() as session:
        there = links.links(session, wood[0])
        tokens = {n: links.token_of(session, link) for n, link in there.items()}
        ada, bo = (p.id for p in kit.rows(session, wood[0], "people")[:2])
    assert set(tokens) == {ada, bo}
    for number, email in ((ada, "ada@one.example"), (bo, "bo@two.example")):
        assert email in outbox
        assert f"/card/{tokens[number]}" in outbox
    client.post(f"{here}/{ada}/revoke")
    outbox = client.get("/outbox").text
    assert tokens[ada] not in outbox
    assert tokens[bo] in outbox


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("Ada", "Line 1: write a name and one address"),
        ("Nobody, n@one.example", "Line 1: nobody of the group"),
        ("Ada, ada@", "address"),
        ("", "on each line"),
    ],
)
def test_a_line_that_cannot_be_read_is_named_and_nothing_is_sent(
    client: TestClient, wood: tuple[int, int], typed: str, words: str
) -> None:
    got = client.post(f"/courses/{wood[0]}/cards/send", data={"addresses": typed})
    assert got.status_code == 422
    assert words in got.text
    assert "Nothing was" in got.text
    assert f">{typed}</textarea>" in got.text
