"""The night screen over HTTP: fields, faults, conflicts, undo, sites, rules; forecasts by file and
by a failing service.
"""

from __future__ import annotations

import math
import re
from datetime import timedelta
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tarvik.core.body import Body
from tarvik.core.measure.clearance import Clearance
from tarvik.core.units import Units
from tarvik.core.weather.needs import NightNeeds, zone_named
from tarvik.demo.course import ensure_demo
from tarvik.exchange.feed import Feed, FeedError
from tarvik.exchange.night_form import (
    FIELDS,
    FieldError,
    from_plain,
    read_needs,
    shown,
    to_plain,
)
from tarvik.stand_ins.service import FAULTS, start_service
from tarvik.stand_ins.stories import STORIES, hours_of, meter_reading
from tarvik.store import courses, kit, nights
from tarvik.store.models import ForecastRow, Night, now
from tarvik.store.server import free_port
from tarvik.web.polling import Poller, fetch_for
from tarvik.web.shared.night_words import figures_of
from tests.conftest import client_of, owner_token
from tests.patience import PATIENCE_S

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
HTML = {"accept": "text/html"}
UTC = zone_named("UTC")


@pytest.fixture(scope="module")
def service() -> Iterator[str]:
    """The simulated weather service and wind meter."""
    address, stop = start_service(free_port())
    yield address
    stop()


@pytest.fixture
def demo(database: Database) -> tuple[int, list[int]]:
    """Course and nights of the demo."""
    with database.session() as session:
        made = ensure_demo(session)
        assert made is not None
        return made.id, [n.id for n in courses.nights(session, made.id)]


@pytest.fixture
def client(database: Database, service: str) -> Iterator[TestClient]:
    """A client of an application with the service behind it."""
    with client_of(database, owner_token(database), service, demo=True) as made:
        yield made


def where(demo: tuple[int, list[int]], number: int = 1) -> str:
    return f"/courses/{demo[0]}/nights/{demo[1][number]}/weather"


def patch(
    client: TestClient, path: str, column: str, text: str, *, version: int, was: str = ""
) -> Any:
    return client.patch(
        path, json={"column": column, "text": text, "version": version, "was": was}
    )


def version(database: Database, night_id: int) -> int:
    with database.session() as session:
        night = session.get(Night, night_id)
        assert night is not None
        return night.version


def test_a_field_is_read_in_any_unit_and_shown_in_the_courses(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    at = version(database, demo[1][1])
    answer = patch(client, where(demo), "wind_m_s", "36 km/h", version=at)
    assert answer.json() == {"version": at + 1, "text": "10 m/s", "also": {}}
    assert (
        patch(client, where(demo), "lowest_c", "41 F", version=at + 1).json()["text"]
        == "5 °C"
    )
    page = client.get(where(demo), headers=HTML).text
    assert "force 5, fresh breeze" in page
    assert 'value="10 m/s"' in page


def test_wind_and_gusts_that_belong_together_are_saved_together(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    """A wind above the kept gusts is refused alone, and taken with the gusts put right."""
    at = version(database, demo[1][1])
    patch(client, where(demo), "wind_m_s", "8", version=at)
    patch(client, where(demo), "gust_m_s", "12", version=at + 1)
    alone = patch(client, where(demo), "wind_m_s", "15", version=at + 2, was="8 m/s")
    assert alone.status_code == 422
    assert "put both right" in alone.json()["errors"][0]["message"]
    both = client.patch(
        where(demo),
        json={
            "column": "gust_m_s",
            "text": "22",
            "version": at + 2,
            "was": "12 m/s",
            "also": {"wind_m_s": "15"},
        },
    )
    assert both.json() == {
        "version": at + 3,
        "text": "22 m/s",
        "also": {"wind_m_s": "15 m/s"},
    }
    wrong = {
        "column": "gust_m_s",
        "text": "23",
        "version": at + 3,
        "also": {"nothing": "1"},
    }
    assert client.patch(where(demo), json=wrong).status_code == 422


def test_a_grid_reference_in_one_field_fills_both(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    """Typed where the latitude or the longitude goes; one that names no place is told in words."""
    at = version(database, demo[1][1])
    told = patch(client, where(demo), "longitude", "30U WF 55 40", version=at).json()
    assert told["text"] == "-2.1428"
    assert float(told["also"]["latitude"]) == pytest.approx(54.509, abs=1e-3)
    with database.session() as session:
        needs = nights.needs_of(session.get_one(Night, demo[1][1]))
        assert needs.latitude == pytest.approx(54.509, abs=1e-3)
        assert needs.longitude == pytest.approx(-2.143, abs=1e-3)
    wrong = patch(client, where(demo), "latitude", "30U WF 555", version=at + 1)
    assert wrong.status_code == 422
    assert "as many for east as for north" in wrong.json()["errors"][0]["message"]


def test_errors_speak_the_courses_units(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    with database.session() as session:
        courses.course(session, demo[0]).units = "imperial"
    at = version(database, demo[1][1])
    for column, text, said in (
        ("wind_m_s", "400 mph", "mph is outside 0 mph to"),
        ("lowest_c", "200", "°F is outside -76 °F to"),
        ("rain_mm_h", "90 in/h", "in/h"),
    ):
        answer = patch(client, where(demo), column, text, version=at)
        assert answer.status_code == 422
        message = answer.json()["errors"][0]["message"]
        assert said in message, message
        assert "m/s" not in message
        assert "°C" not in message


def test_a_place_is_typed_one_field_after_the_other(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    """Each of the two is kept as it is typed; the sun is known once both are."""
    at, night = version(database, demo[1][1]), demo[1][1]
    for column, text, read in (
        ("latitude", "", ""),
        ("longitude", "", ""),
        ("latitude", "54° 24' N", "54.4"),
        ("longitude", "2° 30' W", "-2.5"),
    ):
        answer = patch(client, where(demo), column, text, version=at)
        assert answer.status_code == 200, answer.text
        assert answer.json()["text"] == read
        at = answer.json()["version"]
        with database.session() as session:
            place = nights.needs_of(session.get_one(Night, night)).place
        assert (place is not None) == (column == "longitude" and bool(text))


@pytest.mark.parametrize(
    ("column", "text", "words"),
    [
        ("wind_m_s", "a lot", "isn't a number"),
        ("wind_m_s", "5 furlongs", "the unit is"),
        ("lowest_c", "-90", "outside"),
        ("rain_from", "25:00", "isn't a time of day"),
        ("wind_from_deg", "400", "isn't a bearing"),
        ("zone", "Middle/Earth", "no time zone"),
        ("stay", "forever", "choose one of"),
        ("people", "many", "isn't a whole number"),
        ("latitude", "north", "isn't a number"),
        ("colour", "green", "no such field"),
        ("humidity_pct", "0", "outside"),
    ],
)
def test_a_fault_names_the_field_and_changes_nothing(
    client: TestClient,
    demo: tuple[int, list[int]],
    database: Database,
    column: str,
    text: str,
    words: str,
) -> None:
    at = version(database, demo[1][1])
    answer = patch(client, where(demo), column, text, version=at)
    assert answer.status_code == 422
    assert words in answer.json()["errors"][0]["message"]
    assert version(database, demo[1][1]) == at


def test_two_leaders_at_one_field(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    """Another field is no conflict; the same field shows both values."""
    at = version(database, demo[1][1])
    assert patch(client, where(demo), "lowest_c", "4", version=at).status_code == 200
    assert patch(client, where(demo), "people", "12", version=at).status_code == 200
    late = patch(client, where(demo), "lowest_c", "9", version=at, was="")
    assert late.status_code == 409
    assert late.json()["theirs"] == "4 °C"


def test_undo_takes_back_needs_intent_and_site(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    path = where(demo, 2)
    first = client.get(path).text
    patch(client, path, "fire", "yes", version=version(database, demo[1][2]))
    client.post(path + "/intent", data={"intent": "shade"})
    client.post(path + "/site", data={"site": ""})
    assert "Undo the site" in client.get(path).text
    for _ in range(3):
        client.post(path + "/undo")
    again = client.get(path).text
    assert re.findall(r'value="([^"]*)" data-was', again) == re.findall(
        r'value="([^"]*)" data-was', first
    )
    assert '<option value="proposed" selected>' in again


def test_the_weather_proposes_and_the_board_follows(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    path, board = where(demo), where(demo).replace("weather", "board")
    with database.session() as session:
        few = ",".join(str(s.id) for s in kit.rows(session, demo[0], "sheets")[:3])
    for column, text in (("wind_m_s", "13"), ("rain_mm_h", "6")):
        patch(client, path, column, text, version=version(database, demo[1][1]))
    outcome = client.get(path + "/outcome").text
    assert "Storm" in outcome
    assert "find shelter first" in outcome or "sleep clear of dead wood" in outcome
    head = client.get(board).text
    assert "suggested from the weather: storm" in head
    assert "force 6" in head
    stormy = client.get(f"{board}/cells?sheets={few}").text
    for column, text in (
        ("wind_m_s", "0"),
        ("rain_mm_h", "0"),
        ("lowest_c", "15"),
        ("humidity_pct", "60"),
        ("insects", "many"),
    ):
        patch(client, path, column, text, version=version(database, demo[1][1]))
    assert "No sheet is needed tonight: a net alone" in client.get(board).text
    still = client.get(f"{board}/cells?sheets={few}").text
    assert "gusts" in stormy
    assert "gusts" not in still


def test_a_pasted_forecast_is_looked_at_and_then_kept(
    client: TestClient, demo: tuple[int, list[int]]
) -> None:
    path = where(demo)
    text = "time,temp_c,rain_mm_h,wind_m_s,wind_from_deg\n" + "\n".join(
        (
            f"2027-09-{24 + h // 24}T{h % 24:02d}:00+00:00,{9 - (h - 17) / 4},{0.5 * (h == 22)},6,"
            f"{200 + h}"
        )
        for h in range(17, 32)
        if h != 27
    )
    seen = client.post(path + "/import/preview", data={"text": text}).text
    assert "14 hours read" in seen
    assert "no hours from 2027-09-25 03:00 UTC" in seen
    assert "No forecast yet" in client.get(path).text
    client.post(path + "/import", data={"text": text})
    page = client.get(path).text
    assert "imported, received 0 minutes ago" in page
    assert "03:00: nothing is known" in page
    assert "It would change:" in page
    client.post(path + "/use")
    after = client.get(path).text
    assert "In use for the night" in after
    assert 'value="22:00" data-was="22:00"' in after
    assert client.get(path + "/forecast.csv").text.count("\n") == 15
    assert len(client.get(path + "/forecast.json").json()["hours"]) == 14
    wrong = client.post(path + "/import/preview", data={"text": "nonsense"})
    assert wrong.status_code == 422
    assert "time" in wrong.json()["detail"]


def test_the_service_is_asked_and_its_story_told(
    client: TestClient, demo: tuple[int, list[int]]
) -> None:
    for story in STORIES:
        client.post(where(demo) + "/feed", data={"story": story})
        page = client.get(where(demo)).text
        assert f"practice forecast “{story}”" in page
        assert "Hours of the night: 15 of 15 are known" in page
    assert client.post(where(demo) + "/feed", data={"story": "drought"}).status_code == 422


def test_a_failing_service_leaves_the_last_good_forecast_with_its_age(
    database: Database, demo: tuple[int, list[int]], service: str, client: TestClient
) -> None:
    """Every fault of the service: a finding in words, and the good data of eight hours ago still
    there, its age shown.
    """
    night_id = demo[1][1]
    quick, patient = (
        Feed(f"{service}/forecast", timeout_s=t, pause_s=0.01) for t in (0.4, PATIENCE_S)
    )
    assert (
        fetch_for(
            database,
            patient,
            night_id,
            {"story": "quiet", "start": "2027-09-24T00:00"},
            "UTC",
        )
        == ""
    )
    for fault in ("slow", "down", "garbage", "cut", "empty"):
        with database.session() as session:
            row = session.get(Night, night_id)
            assert row is not None
            kept = nights.forecast_row(session, row)
            assert kept is not None
            kept.fetched_at = now() - timedelta(hours=8)
        assert fetch_for(
            database, quick, night_id, {"story": "quiet", "fault": fault}, "UTC"
        )
        page = client.get(where(demo)).text
        assert "no newer forecast" in page, fault
        assert "the last good one, 8 hours old, stays" in page
        assert "practice forecast “quiet”, received 8 hours ago" in page
        assert "15 of 15 are known" in page
    down = Feed("http://127.0.0.1:9/forecast", timeout_s=0.4, pause_s=0.01)
    assert "cannot be reached" in fetch_for(
        database, down, night_id, {"story": "quiet"}, "UTC"
    )


def test_time_outs_are_tried_again_with_growing_pauses(service: str) -> None:
    pauses: list[float] = []
    with pytest.raises(FeedError, match="tried 3 times"):
        Feed(f"{service}/forecast", timeout_s=0.3, pause_s=0.1, sleep=pauses.append).fetch(
            {"fault": "down"}, UTC
        )
    assert pauses == [0.1, 0.2]
    refused: list[float] = []
    with pytest.raises(FeedError, match="refuses"):
        Feed(f"{service}/forecast", timeout_s=PATIENCE_S, sleep=refused.append).fetch(
            {"story": "drought"}, UTC
        )
    assert refused == []  # asking again would not help


@pytest.mark.parametrize(
    ("fault", "code"),
    [
        ("gap", "gap"),
        ("twice", "hour_twice"),
        ("fahrenheit", "out_of_range"),
        ("kmh", "strong_wind"),
        ("zone", "other_zone"),
    ],
)
def test_each_way_a_service_can_be_wrong_is_a_finding(
    service: str, fault: str, code: str
) -> None:
    assert fault in FAULTS
    feed = Feed(f"{service}/forecast", timeout_s=PATIENCE_S)
    read = feed.fetch({"story": "gale", "start": "2027-07-24T00:00", "fault": fault}, UTC)
    found = (
        {f.code for f in read.findings}
        if fault != "fahrenheit"
        else {
            f.code
            for f in feed.fetch(
                {"story": "humid", "start": "2027-07-24T00:00", "fault": fault}, UTC
            ).findings
        }
    )
    assert code in found
    assert read.hours


def test_the_poller_asks_for_what_is_due(
    database: Database, demo: tuple[int, list[int]], service: str
) -> None:
    """Only nights that are near, are fed by a service and were not asked for lately."""
    poller = Poller(database, Feed(f"{service}/forecast", timeout_s=PATIENCE_S))
    fetch_for(
        database,
        poller.feed,
        demo[1][1],
        {"story": "humid", "start": "2027-09-24T00:00"},
        "UTC",
    )
    assert poller.round() == 0
    with database.session() as session:
        night = session.get(Night, demo[1][1])
        assert night is not None
        night.on = now().date()
        kept = nights.forecast_row(session, night)
        assert kept is not None
        kept.asked_at = now() - timedelta(hours=1)
    assert poller.round() == 1
    assert poller.round() == 0
    poller.start()
    poller.stop()


def test_one_bad_feed_holds_up_no_other(
    database: Database,
    demo: tuple[int, list[int]],
    service: str,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """A forecast that breaks the reader is noted at its own night; the next night gets its own."""
    feed = Feed(f"{service}/forecast", timeout_s=PATIENCE_S)
    poller = Poller(database, feed)
    for number in demo[1][:2]:
        fetch_for(
            database, feed, number, {"story": "humid", "start": "2027-09-24T00:00"}, "UTC"
        )
    with database.session() as session:
        for hours, number in enumerate(demo[1][:2]):
            night = session.get_one(Night, number)
            night.on = now().date()
            kept = nights.forecast_row(session, night)
            assert kept is not None
            kept.asked_at = now() - timedelta(hours=3 - hours)
            kept.feed = {**kept.feed, "bad": str(hours == 0)}
    answered = Feed.fetch

    def fetch(self: Feed, query: Mapping[str, str], zone: Any) -> Any:
        if query["bad"] == "True":
            raise RuntimeError("no reader expects this")
        return answered(self, {k: v for k, v in query.items() if k != "bad"}, zone)

    monkeypatch.setattr(Feed, "fetch", fetch)
    assert poller.round() == 2
    with database.session() as session:
        told = [
            nights.forecast_row(session, session.get_one(Night, number))
            for number in demo[1][:2]
        ]
        assert told[0] is not None and "cannot be read" in told[0].failure
        assert told[1] is not None and not told[1].failure
    assert poller.round() == 0


def test_the_rains_slant_is_the_wind_over_the_speed_it_is_explained_by() -> None:
    """6 m/s at 10 m are 4.3 m/s at 2 m over grass; the three figures told belong together."""
    needs = NightNeeds(wind_m_s=6.0, rain_mm_h=4.0)
    told = {f.key: f for f in figures_of(needs, Body(1.75), Clearance(), Units.METRIC)}
    slant, speed = told["slant"], dict(told["slant"].inputs)["It falls at"]
    wind = float(told["shelter_wind"].value.split()[0])
    leans = math.degrees(math.atan(wind / float(speed.split()[0])))
    assert float(slant.value.removeprefix("about ").rstrip("°")) == pytest.approx(
        leans, abs=1.5
    )


def test_stories_are_the_same_for_a_seed_and_plausible() -> None:
    start = now()
    for story in STORIES:
        one, two, other = (
            hours_of(story, 1, start),
            hours_of(story, 1, start),
            hours_of(story, 2, start),
        )
        assert one == two != other
        assert all(
            -10 < (h.temp_c or 0) < 30 and (h.gust_m_s or 0) >= (h.wind_m_s or 0) * 0.9
            for h in one
        )
    readings = [meter_reading(3, second, 4.0) for second in range(600)]
    assert 3.0 < sum(readings) / 600 < 5.0
    assert max(readings) > 4.8


def test_a_reading_says_what_it_was_taken_for_and_what_it_changes(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    """In a wood a breeze is a storm over open ground: said before it is taken."""
    path = where(demo, 0)
    with database.session() as session:
        before = nights.needs_of(session.get_one(Night, demo[1][0]))
    readings = {"wind_m_s": [2.7] * 12, "keep": False}
    here = client.post(path + "/measured", json=readings).json()["told"]
    assert "here (inside a closed wood)" in here
    assert "Until now: " in here
    there = client.post(path + "/measured", json=readings | {"open": True}).json()["told"]
    assert "on open ground" in there
    assert float(here.split("wind of ")[1].split()[0]) > 3 * float(
        there.split("wind of ")[1].split()[0]
    )
    with database.session() as session:
        assert nights.needs_of(session.get_one(Night, demo[1][0])) == before


def test_measured_wind_is_brought_up_to_ten_metres(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    path = where(demo, 3)  # over open ground
    reading = client.get(path + "/meter").json()
    assert 0 <= reading["wind_m_s"] < 20
    assert client.post(path + "/measured", json={"wind_m_s": [3.0, 3.0]}).status_code == 422
    assert (
        client.post(
            path + "/measured", json={"wind_m_s": [3.0, 3.2, 2.8, 3.0, 5.0, 1.0]}
        ).status_code
        == 200
    )
    with database.session() as session:
        night = session.get(Night, demo[1][3])
        assert night is not None
        needs = nights.needs_of(night)
    assert needs.wind_m_s == pytest.approx(
        3.0 / 0.673, abs=0.1
    )  # ln(1.5/0.03) / ln(10/0.03) = 0.673
    assert needs.gust_m_s is not None
    assert needs.gust_m_s > needs.wind_m_s


def test_sites_and_house_rules(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    rules = f"/courses/{demo[0]}/rules"
    wrong = client.post(
        rules + "/sites",
        data={"name": "Peat hag", "latitude": "95", "longitude": "0"},
        headers=HTML,
    )
    assert wrong.status_code == 422
    assert 'value="Peat hag"' in wrong.text
    client.post(
        rules + "/sites",
        data={
            "name": "Peat hag",
            "latitude": "54.7",
            "longitude": "-2.6",
            "surroundings": "scattered",
            "uphill": "NE",
        },
    )
    page = client.get(rules).text
    assert "Peat hag" in page
    number = int(re.findall(r"/sites/(\d+)/delete", page)[-1])
    client.post(where(demo) + "/site", data={"site": str(number)})
    assert 'value="54.7"' in client.get(where(demo)).text
    gone = client.post(f"{rules}/sites/{number}/delete").text
    assert "is off the list" in gone
    client.post(f"{rules}/sites/{number}/restore")
    assert "Peat hag" in client.get(rules).text
    with database.session() as session:
        at = courses.course(session, demo[0]).version
    assert (
        patch(client, rules, "stake_depth_m", "25 cm", version=at, was="0.20 m").json()[
            "text"
        ]
        == "0.25 m"
    )
    assert patch(client, rules, "stake_depth_m", "3 m", version=at + 1).status_code == 422
    assert (
        patch(client, rules, "stake_depth_m", "0.3", version=at, was="0.20 m").status_code
        == 409
    )
    assert patch(client, rules, "head", "sideways", version=at + 1).status_code == 422


def test_the_bench_shows_wind_net_shade_and_water(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    bench = f"/courses/{demo[0]}/nights/{demo[1][0]}/bench/1/lean-to"
    page = client.get(bench).text
    assert "Pull in tonight" in page
    assert "its front looks" in page
    more = client.get(bench + "/more").text
    for words in (
        "Most dry ground with",
        "Pull on each tree",
        "box net",
        "Under the sheet",
        "armfuls",
    ):
        assert words in more
    dry = [
        float(
            re.findall(
                r"Dry ground</span> <strong>([\d.]+)",
                client.get(f"{bench}/view?from={d}").text,
            )[0]
        )
        for d in (90, 270)
    ]
    assert dry[1] < dry[0]
    assert client.get(f"{bench}/view?from=north").status_code == 422
    mates = client.get(f"{bench}/view?mate=2&mate=3").text
    assert "Isaura W on mat" in mates


def test_the_contract_judges_a_night(api: TestClient) -> None:
    """The contract's additions: people of different stature, a night with its findings, the
    rose.
    """
    body = {
        "sheet": {"width_m": 3.05, "length_m": 3.05},
        "pitch": "lean-to",
        "settings": {"height": 1.2},
        "people": [{"stature_m": 1.9}, {"stature_m": 1.6}],
        "rose": True,
        "night": {
            "wind_m_s": 14,
            "gust_m_s": 24,
            "rain_mm_h": 6,
            "lowest_c": 4,
            "humidity_pct": 90,
            "ground": "sand",
        },
    }
    answer = api.post("/api/solve", json=body).json()
    assert answer["measures"]["who"] == [0, 1]
    assert {f["code"] for f in answer["tonight"]["findings"]} & {
        "stake_pulls",
        "line_pulls",
    }
    assert "deadman" in {r["code"] for r in answer["tonight"]["remedies"]}
    assert answer["tonight"]["gale"]["move_at_force"] < 7
    assert len(answer["rose"]["petals"]) == 24
    assert answer["measures"]["wind_from_deg"] == 90
    assert answer["measures"]["drips"][0]["points"] == ["B", "A"]
    assert (
        api.post("/api/solve", json={**body, "night": {"ground": "custard"}}).status_code
        == 422
    )
    assert (
        api.post(
            "/api/solve", json={**body, "night": {"wind_m_s": 9, "gust_m_s": 2}}
        ).json()["field"]
        == "night.gust_m_s"
    )
    assert (
        api.post("/api/solve", json={**body, "people": [{"stature_m": 9}]})
        .json()["field"]
        .startswith("people[0]")
    )


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    name=st.sampled_from([f.name for f in FIELDS]),
    text=st.text(max_size=30)
    | st.from_regex(r"-?\d{1,4}([.,]\d)? ?(m/s|C|F|%|km/h|N)?", fullmatch=True),
)
def test_any_text_in_any_field_is_read_or_refused(name: str, text: str) -> None:
    """Never another error; what is read is shown so that it reads back to the same text, and is
    kept and found again.
    """
    try:
        after = read_needs({name: text}, NightNeeds(), Units.METRIC)
    except FieldError as err:
        assert err.errors
        return
    assert from_plain(to_plain(after), None, None) == after
    said = shown(after, Units.METRIC)
    again = read_needs({name: said[name]}, NightNeeds(), Units.METRIC)
    assert shown(again, Units.METRIC)[name] == said[name]


def test_no_forecast_row_outlives_its_night(
    database: Database, demo: tuple[int, list[int]]
) -> None:
    with database.session() as session:
        assert session.query(ForecastRow).count() == 1  # the demo's first night
        session.delete(session.get(Night, demo[1][0]))
    with database.session() as session:
        assert session.query(ForecastRow).count() == 0


def test_the_bench_toggles_gear_and_explains_what_it_says(
    client: TestClient, demo: tuple[int, list[int]]
) -> None:
    """Packs in or wet gear out; each of the slower figures opens with formula, inputs, source and
    limits.
    """
    bench = f"/courses/{demo[0]}/nights/{demo[1][0]}/bench/11/lean-to"
    inside, outside = (client.get(f"{bench}/view?gear={way}").text for way in ("in", "out"))
    assert ("dry room for" in inside) >= ("dry room for" in outside)
    more = client.get(bench.replace("/11/", "/1/") + "/more").text
    assert more.count("<b>Source:</b>") >= 6
    assert more.count("<b>Left out:</b>") >= 6
    assert "It sags by" in more
    assert "coefficient" in more


def test_the_date_is_on_the_night_screen(
    client: TestClient, demo: tuple[int, list[int]], database: Database
) -> None:
    assert 'data-column="on" value="2027-09-24"' in client.get(where(demo)).text
    path = where(demo).removesuffix("/weather")
    at = version(database, demo[1][1])
    assert (
        patch(client, path, "on", "2027-10-01", version=at, was="2027-09-24").status_code
        == 200
    )
    assert "1 Oct 2027" in client.get(where(demo)).text
