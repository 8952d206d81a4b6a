"""The field page over HTTP: entries kept once, steps and measurements, the field pack."""

from __future__ import annotations

import io
import json
import re
import uuid
import zipfile
from typing import TYPE_CHECKING, Any
from xml.etree import ElementTree

import pytest
from icalendar import Calendar

from tarvik.exchange import course_file as form
from tarvik.store import field, kit, plans
from tarvik.store.models import Night
from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def night(client: TestClient, database: Database) -> tuple[int, int, str]:
    """Course, night and address of a night with two shelters, one of them on the map."""
    with database.session() as session:
        course, number = small_course(session)
        row = session.get(Night, number)
        assert row is not None
        people, sheets = (kit.rows(session, course, t) for t in ("people", "sheets"))
        plans.choose(
            session, row, plans.Choice(sheets[0].id, "plow-point", {}, (people[0].id,))
        )
        plans.choose(
            session, row, plans.Choice(sheets[1].id, "a-frame", {}, (people[1].id,))
        )
        plans.shelters(session, number)[0].spot = {"x": 5.0, "y": 4.0, "front_deg": 90.0}
    return course, number, f"/courses/{course}/nights/{number}/field"


def a_check(sheet: int, state: str = "ok", minute: int = 0, **more: Any) -> dict[str, Any]:
    return {
        "key": str(uuid.uuid4()),
        "kind": "check",
        "sheet": sheet,
        "pitch": "plow-point",
        "check": "peak",
        "state": state,
        "at": f"2026-06-01T20:{minute:02}:00+00:00",
    } | more


def sheets_of(database: Database, night: int) -> list[int]:
    with database.session() as session:
        return [row.sheet_id for row in plans.shelters(session, night)]


def test_what_is_sent_twice_is_kept_once(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    first, _ = sheets_of(database, night[1])
    said = [a_check(first), a_check(first, "wrong", 5)]
    for new in (2, 0):
        got = client.post(f"{night[2]}/entries", json={"entries": said}).json()
        assert (got["new"], got["gone"]) == (new, [])
    with database.session() as session:
        kept = field.entries(session, night[1])
        assert [e.data["state"] for e in kept] == ["ok", "wrong"]
        assert field.checked(kept)[first, "peak"].data["state"] == "wrong"
    shown = client.get(night[2]).text
    assert 'data-check="peak" data-now="wrong"' in shown


def test_what_was_said_first_but_sent_last_does_not_win(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    """By the devices' clocks; one far ahead counts as said now."""
    first, _ = sheets_of(database, night[1])
    for said in (a_check(first, "wrong", 5), a_check(first, "ok", 1)):
        client.post(f"{night[2]}/entries", json={"entries": [said]})
    with database.session() as session:
        assert field.checked(field.entries(session, night[1]))[first, "peak"].data[
            "state"
        ] == ("wrong")
    ahead = a_check(first, "ok") | {"at": "2099-01-01T00:00:00+00:00"}
    client.post(f"{night[2]}/entries", json={"entries": [ahead]})
    later = a_check(first, "wrong") | {"at": "2098-01-01T00:00:00+00:00"}
    client.post(f"{night[2]}/entries", json={"entries": [later]})
    with database.session() as session:
        assert field.checked(field.entries(session, night[1]))[first, "peak"].data[
            "state"
        ] == ("wrong")


def test_a_shelter_that_is_gone_is_told(
    client: TestClient, night: tuple[int, int, str]
) -> None:
    said = a_check(999999)
    got = client.post(f"{night[2]}/entries", json={"entries": [said]}).json()
    assert (got["new"], got["gone"]) == (0, [said["key"]])
    bad = client.post(f"{night[2]}/entries", json={"entries": [said | {"key": "x"}]})
    assert bad.status_code == 422


def test_checks_of_another_pitch_do_not_count(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    first, _ = sheets_of(database, night[1])
    said = a_check(first, pitch="lean-to")
    client.post(f"{night[2]}/entries", json={"entries": [said]})
    assert 'data-check="peak" data-now=""' in client.get(night[2]).text


def test_usual_steps_are_worked_out_ahead(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    _, second = sheets_of(database, night[1])
    got = client.get(f"{night[2]}/steps/{second}").text
    assert "As planned" in got
    assert "0.10 m lower" in got
    assert client.get(f"{night[2]}/steps/999999").status_code == 404


def test_one_thing_measured(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    _, second = sheets_of(database, night[1])
    asked = f"{night[2]}/measured/{second}"
    told = client.get(asked, params={"what": "P", "value": "0.9 m"}).text
    assert "Stake 1" in told or "as planned" in told
    for what, value, words in (
        ("P", "tall", "not a length"),
        ("P", "9 m", "between"),
        ("Z", "1 m", "nothing that can be measured"),
    ):
        assert words in client.get(asked, params={"what": what, "value": value}).text


def test_a_field_pack_is_read_by_others_and_by_another_tarvik(
    client: TestClient, database: Database, night: tuple[int, int, str]
) -> None:
    """Each file by a reader of its kind; the course opened anew judges every shelter the same."""
    course, number, _ = night
    here = f"/courses/{course}/nights/{number}"
    assert client.post(f"{here}/plan/jobs", json={"kind": "evening"}).status_code == 200
    work_off(database)
    got = client.get(f"/courses/{course}/field-pack.zip")
    assert got.status_code == 200, got.text
    with zipfile.ZipFile(io.BytesIO(got.content)) as packed:
        texts = {name: packed.read(name).decode() for name in packed.namelist()}
    position = next(name for name in texts if name.endswith("-map.svg")).split("-")[1]
    assert root_of(texts[f"night-{position}-map.svg"]) == "svg"
    assert Calendar.from_ical(texts[f"night-{position}.ics"]).walk("VEVENT")
    places = json.loads(next(t for n, t in texts.items() if n.endswith(".geojson")))
    assert places["type"] == "FeatureCollection"
    assert root_of(next(t for n, t in texts.items() if n.endswith(".gpx"))) == "gpx"
    assert texts["people.csv"].count("\n") >= 5
    assert "http" not in texts[f"night-{position}.html"].replace("http://www.w3.org", "")
    assert json.loads(texts["course.schema.json"]) == form.schema()
    for name in ("index.html", f"night-{position}.html"):
        assert "<h1>" in texts[name]

    opened = client.post(
        "/course-file",
        files={"file": ("pack.zip", got.content, "application/zip")},
        follow_redirects=False,
    )
    assert opened.status_code == 303, opened.text
    assert judgements(client, opened.headers["location"]) == judgements(
        client, f"/courses/{course}"
    )


def root_of(text: str) -> str:
    """The root of a well-formed XML text, its namespace left out."""
    root = ElementTree.fromstring(text)  # noqa: S314 - what Tarvik itself has written
    return root.tag.rpartition("}")[2]


def judgements(client: TestClient, course: str) -> list[list[str]]:
    """The hash of every shelter's judgement, night by night."""

    nights = sorted(
        set(re.findall(rf"{course}/nights/(\d+)", client.get(course).text)), key=int
    )
    assert nights
    return [
        re.findall(r'data-judgement="(\w+)"', client.get(f"{course}/nights/{n}/camp").text)
        for n in nights
    ]


def test_a_zip_file_without_a_course_says_so(client: TestClient) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        made.writestr("other.txt", "x")
    for raw, words in (
        (out.getvalue(), "no course.json"),
        (b"PK\x03\x04broken", "cannot be read"),
    ):
        got = client.post(
            "/course-file", files={"file": ("pack.zip", raw, "application/zip")}
        )
        assert got.status_code == 422
        assert words in got.text


def test_the_app_can_be_installed(client: TestClient) -> None:
    manifest = client.get("/field.webmanifest")
    assert manifest.headers["content-type"] == "application/manifest+json"
    assert manifest.json()["start_url"] == "/field"
    worker = client.get("/field-worker.js")
    assert worker.headers["service-worker-allowed"] == "/"
    assert client.get("/field", follow_redirects=False).headers["location"] == "/"
