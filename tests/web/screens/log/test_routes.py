"""The log over HTTP: typed in the field, kept beside what was planned, told and given out."""

from __future__ import annotations

import csv
import io
import re
import uuid
from typing import TYPE_CHECKING, Any

import pytest
from pypdf import PdfReader

from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.core.units import Units
from tarvik.exchange.log_form import LogIn
from tarvik.store import erasing, field, kit, nights, plans
from tarvik.store.models import Course, Night
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def night(database: Database) -> tuple[int, int, int]:
    """Course, night, and the sheet of its one shelter."""
    with database.session() as session:
        course, number = small_course(session)
        row = session.get_one(Night, number)
        sheet = kit.rows(session, course, "sheets")[0].id
        who = kit.rows(session, course, "people")[0].id
        plans.choose(session, row, plans.Choice(sheet, "a-frame", {}, (who,)))
    return course, number, sheet


def say(client: TestClient, night: tuple[int, int, int], **log: str) -> Any:
    entry = {
        "key": str(uuid.uuid4()),
        "kind": "log",
        "sheet": night[2],
        "pitch": "a-frame",
        "log": log,
        "at": "2026-06-02T07:00:00+00:00",
    }
    return client.post(
        f"/courses/{night[0]}/nights/{night[1]}/field/entries", json={"entries": [entry]}
    )


def test_a_log_stands_beside_what_was_planned(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    empty = client.get(f"/courses/{night[0]}/log").text
    assert "Nothing is logged yet" in empty
    told = {"minutes": "9 min", "peak": "1.02 m", "wet": "damp", "where": "at the feet"}
    assert (
        say(client, night, **told, pulled="1", force="force 4", again="yes").status_code
        == 200
    )
    shown = " ".join(client.get(f"/courses/{night[0]}/log").text.split())
    for words in (
        "damp at the feet",
        "1.02 m",
        "planned",
        "force 4",
        "What the entries teach",
    ):
        assert words in shown, words
    assert "Minutes to set: A-frame" in shown
    kept = client.get(f"/courses/{night[0]}/nights/{night[1]}/field").text
    assert 'value="9"' in kept


def test_the_last_word_on_a_shelter_counts(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    say(client, night, minutes="5")
    say(client, night, minutes="12")
    (row,) = client.get(f"/courses/{night[0]}/log.json").json()["log"]
    assert row["minutes"] == 12
    (line,) = csv.DictReader(
        io.StringIO(client.get(f"/courses/{night[0]}/log.csv").text.lstrip("\ufeff"))
    )
    assert (line["pitch"], line["minutes"]) == ("A-frame", "12")
    report = client.get(f"/courses/{night[0]}/report.pdf")
    text = "".join(p.extract_text() for p in PdfReader(io.BytesIO(report.content)).pages)
    assert "Course report" in text
    assert "A-frame" in text


def test_what_cannot_be_read_says_so(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    for wrong, words in (
        ({"minutes": "many"}, "whole number from 0 to 600"),
        ({"force": "17"}, "whole number from 0 to 12"),
        ({"peak": "tall"}, "not a length"),
        ({"peak": "12 m"}, "no height of a shelter"),
    ):
        got = say(client, night, **wrong)
        assert got.status_code == 422
        assert words in got.json()["errors"][0]["message"]


@pytest.mark.parametrize(
    ("typed", "name", "kept"),
    [
        ({"minutes": "12 minutes"}, "minutes", 12),
        ({"minutes": "12min."}, "minutes", 12),
        ({"force": "Force 5"}, "force", 5),
        ({"peak": "3 ft 6 in"}, "peak_m", 1.0668),
        ({}, "pulled", None),
    ],
)
def test_what_leaders_type_is_read(
    typed: dict[str, str], name: str, kept: float | None
) -> None:
    assert LogIn(**typed).values(Units.METRIC)[name] == pytest.approx(kept)


def test_a_number_is_read_in_the_courses_unit() -> None:
    assert LogIn(peak="4").values(Units.IMPERIAL)["peak_m"] == pytest.approx(1.2192)
    with pytest.raises(InputError, match="no height"):
        LogIn(peak="4 in").values(Units.IMPERIAL)


def test_who_is_erased_is_not_named_in_the_log(
    client: TestClient, database: Database, night: tuple[int, int, int]
) -> None:
    say(
        client,
        night,
        minutes="5",
        note="Ada did well",
        where="at Ada's feet",
        damage="Ada's pole",
    )
    with database.session() as session:
        erasing.erase(session, night[0], kit.rows(session, night[0], "people")[0].id)
    with database.session() as session:
        ((_, entry),) = field.logged(session, night[0])
        assert "Ada" not in str(entry.data)
        assert entry.data["minutes"] == 5


def test_the_weather_that_came_stands_beside_the_forecast(
    client: TestClient, database: Database, night: tuple[int, int, int]
) -> None:
    with database.session() as session:
        row = session.get_one(Night, night[1])
        row.needs = {**row.needs, "wind_m_s": 9.0, "rain_mm_h": 4.0, "lowest_c": 6.0}
    told = {"force": "3", "rain": "heavy", "lowest": "4 °C", "wet": "damp", "taut": "slack"}
    assert say(client, night, **told, wet_at="1.2,0.3 0.95,-0.4").status_code == 200
    shown = " ".join(client.get(f"/courses/{night[0]}/log").text.split())
    for words in ("force 3", "(forecast 5)", "heavy rain", "(forecast 4.0 mm/h)", "4 °C"):
        assert words in shown, (words, shown[shown.index("<tbody>") :])
    assert shown.count('class="wet-place"') == 2
    assert "1 stood slack" in shown
    (row_told,) = client.get(f"/courses/{night[0]}/log.json").json()["log"]
    assert row_told["wet_at"] == [[1.2, 0.3], [0.95, -0.4]]
    # How dry it stayed is told by pitch and slant of the rain.
    assert "Dry or wet, by the slant of the rain" in shown


def test_minutes_stand_by_pitch_and_by_the_most_practised_there(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    """The middle of the minutes, from which to which, and how many: the small course's owner of the
    sheet is its practised leader.
    """
    url = f"/courses/{night[0]}/log"
    assert "Minutes by pitch and skill" not in client.get(url).text
    say(client, night, minutes="12")
    shown = " ".join(client.get(url).text.split())
    table = shown[shown.index("Minutes by pitch and skill") :]
    row = re.findall(r"<tbody> ?<tr>(.*?)</tr>", table)[0]
    cells = [c.strip() for c in re.findall(r"<t[hd][^>]*>(.*?)</t[hd]>", row)]
    assert cells == ["A-frame", "practised", "12 min", "12, 12 min", "1"]


def test_a_distance_is_told_beside_the_planned_one(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    page = client.get(f"/courses/{night[0]}/nights/{night[1]}/field").text
    span = re.findall(
        r'<select class="form-select" name="span">.*?</select>', page, re.DOTALL
    )[0]
    what = re.findall(r'value="(\w+-\w+)"', span)[0]
    say(client, night, span=what, distance="2.40 m")
    (row,) = client.get(f"/courses/{night[0]}/log.json").json()["log"]
    assert (row["span"], row["span_m"]) == (what, 2.4)
    assert 0.5 < row["planned_span_m"] < 5


@pytest.mark.parametrize("places", ["1.2", "a,b", "90,1", " ".join(["1,1"] * 13)])
def test_wet_places_that_are_none_are_refused(
    client: TestClient, night: tuple[int, int, int], places: str
) -> None:
    got = say(client, night, wet_at=places)
    assert got.status_code == 422
    assert "tap the wet places" in got.json()["errors"][0]["message"]


def test_a_course_goes_by_its_own_values_only_when_a_leader_says_so(
    client: TestClient, database: Database, night: tuple[int, int, int]
) -> None:
    url = f"/courses/{night[0]}/log"
    pitch = PITCHES["a-frame"]
    say(client, night, minutes="25")
    assert "Plans go by" in client.get(url).text

    def minutes() -> float:
        with database.session() as session:
            course = session.get_one(Course, night[0])
            core = nights.night_of(session, course, session.get_one(Night, night[1]))
            return core.own.minutes_of(pitch)

    assert minutes() == pitch.minutes
    told = {"kind": "minutes", "slug": "a-frame", "use": "yes"}
    assert (
        client.post(f"{url}/own-values", data=told, follow_redirects=False).status_code
        == 303
    )
    taken = minutes()
    assert pitch.minutes < taken < 25
    # More entries move nothing until they are taken over too.
    say(client, night, minutes="40")
    assert minutes() == taken
    assert "Go by the built-in value" in client.get(url).text
    shelter = f"/courses/{night[0]}/nights/{night[1]}/compare?c={night[2]}:a-frame"
    assert f"{taken:.0f}</td>" in client.get(shelter).text
    client.post(f"{url}/own-values", data=told | {"use": ""})
    assert minutes() == pitch.minutes


def test_peaks_that_are_gone_by_lower_every_hung_shelter_and_are_learned_against_ours(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    """A log of low peaks: gone by, the field page plans them lower, and an entry after that still
    keeps the peak as built in, so that nothing is counted twice.
    """
    url = f"/courses/{night[0]}/log"
    field_page = f"/courses/{night[0]}/nights/{night[1]}/field"

    def planned_m() -> float:
        text = " ".join(client.get(field_page).text.split())
        return float(re.findall(r'placeholder="([\d.]+) m planned"', text)[0])

    before = planned_m()
    say(client, night, peak=f"{0.9 * before:.2f} m")
    told = {"kind": "peak", "slug": "all", "use": "yes"}
    got = client.post(f"{url}/own-values", data=told, follow_redirects=False)
    assert got.status_code == 303
    lower = planned_m()
    assert 0.88 * before < lower < 0.97 * before
    say(client, night, peak=f"{0.9 * before:.2f} m")
    entry = client.get(f"{url}.json").json()["log"][-1]
    assert entry["planned_peak_m"] == pytest.approx(before, abs=0.006)
    client.post(f"{url}/own-values", data=told | {"use": ""})
    assert planned_m() == before


def test_sheets_said_to_be_slack_are_reckoned_with_softer_stakes_once_gone_by(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    """The pull with which stakes are set is learned from "slack", "firm" and "tight"."""
    url = f"/courses/{night[0]}/log"
    say(client, night, taut="slack")
    page = " ".join(client.get(url).text.split())
    assert "Pull with which a stake is set" in page and "5 kg, built in" in page
    told = {"kind": "taut", "slug": "all", "use": "yes"}
    got = client.post(f"{url}/own-values", data=told, follow_redirects=False)
    assert got.status_code == 303
    page = " ".join(client.get(url).text.split())
    assert "<b>4 kg</b>, yours" in page
    client.post(f"{url}/own-values", data=told | {"use": ""})
    assert "5 kg, built in" in " ".join(client.get(url).text.split())


def test_only_what_entries_teach_can_be_gone_by(
    client: TestClient, night: tuple[int, int, int]
) -> None:
    for kind, slug in (
        ("holding", "turf"),
        ("minutes", "a-frame"),
        ("minutes", "no-pitch"),
    ):
        told = {"kind": kind, "slug": slug, "use": "yes"}
        got = client.post(f"/courses/{night[0]}/log/own-values", data=told)
        assert got.status_code == 422
