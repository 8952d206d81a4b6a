"""The contract's supports and sheets, and the pages beyond one shelter, without a browser."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.core.rig.house import House
from tarvik.demo.course import ensure_demo
from tarvik.store import courses, kit
from tests.web.test_api import post

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
SHEET = {"width_m": 3.0, "length_m": 3.0}


def test_supports_of_every_kind_are_taken(api: TestClient) -> None:
    none = {"trees": [], "poles_m": [], "stakes": 9}
    for more, kind in (
        ({"branches_m": [2.6]}, "branch"),
        ({"forked_m": [1.4]}, "forked stick"),
        ({"tripods_m": [[3.0, 6.0]]}, "tripod"),
        ({"bipods_m": [1.6]}, "bipod"),
        ({"cut_sticks": True}, "cut stick"),
    ):
        got = post(
            api,
            sheet=SHEET,
            pitch="plow-point",
            settings={"height": 1.3},
            supports=none | more,
        )
        assert got["verdict"] == "forms"
        assert got["supports"][0]["kind"] == kind
    boat = post(
        api,
        sheet={"width_m": 3.0, "length_m": 3.6},
        pitch="boat-night",
        supports=none | {"boats_m": [[0.85, 4.8]]},
    )
    assert boat["supports"][0]["kind"] == "boat"
    tipped = none | {"poles_m": [[1.3, 1.3]], "house": {"pole": "tipped"}}
    assert (
        post(
            api, sheet=SHEET, pitch="plow-point", settings={"height": 1.3}, supports=tipped
        )["verdict"]
        == "needs"
    )


@pytest.mark.parametrize(
    ("body", "field"),
    [
        (
            {"sheet": SHEET | {"join": {"width_m": 2, "length_m": 3, "overlap_m": 0.1}}},
            "overlap",
        ),
        ({"sheet": SHEET, "supports": {"branches_m": [-1]}}, "supports"),
        ({"sheet": SHEET, "supports": {"house": {"lift": "sideways"}}}, "house"),
        ({"sheet": SHEET, "supports": {"in_the_way_m": [[0, 0, -1]]}}, "in_the_way"),
    ],
)
def test_bad_sheets_and_supports_are_named(
    api: TestClient, body: dict[str, object], field: str
) -> None:
    answer = api.post("/api/solve", json={"pitch": "plow-point"} | body)
    assert answer.status_code == 422
    assert field in str(answer.json())


def test_two_sheets_join_and_an_oblong_is_doubled(api: TestClient) -> None:
    joined = post(
        api,
        sheet={"width_m": 2.4, "length_m": 3.0, "join": {"width_m": 2.0, "length_m": 3.0}},
        pitch="a-frame",
    )
    assert joined["verdict"] == "forms"
    assert max(p["sheet_m"][1] for p in joined["points"].values()) == pytest.approx(4.1)
    doubled = post(api, sheet={"width_m": 2.6, "length_m": 3.0}, pitch="corner-wrap")
    assert "fold_to_square" in {r["code"] for r in doubled["reasons"]}


def test_the_pitches_tell_what_they_take(api: TestClient) -> None:
    found = {p["slug"]: p for p in api.get("/api/pitches").json()}
    assert len(found) == 27
    assert found["closed-wedge"]["sheet"] == "square"
    assert found["boat-porch"]["carried_by"] == ["boat", "vehicle", "fence"]
    assert {slug for slug, p in found.items() if p["lifted"]} == {
        "plow-point-lifted",
        "lean-to-lifted",
    }


@pytest.fixture
def demo(database: Database) -> tuple[int, int, int]:
    """Course, first night and the first sheet of the demo."""
    with database.session() as session:
        made = ensure_demo(session)
        assert made is not None
        sheet = kit.rows(session, made.id, "sheets")[0]
        return made.id, courses.nights(session, made.id)[0].id, sheet.id


def test_the_ways_of_one_shelter(client: TestClient, demo: tuple[int, int, int]) -> None:
    """Curve, moves, steps, times and knots, worked out for the settings as they are."""
    course, night, sheet = demo
    page = client.get(
        f"/courses/{course}/nights/{night}/bench/{sheet}/lean-to/ways?height=1.6&turn=0"
    ).text
    assert 'class="drawing strip curve"' in page
    assert page.count("data-settings") >= 10
    assert "drop an awning in front" in page
    assert "Setting it up" in page
    assert "first time" in page
    assert page.count("knot-cord") >= 8


def test_what_would_make_it_form_is_told(
    client: TestClient, demo: tuple[int, int, int]
) -> None:
    """A peak higher than the sheet allows: another height first, then a larger sheet."""
    course, night, sheet = demo
    page = client.get(
        f"/courses/{course}/nights/{night}/bench/{sheet}/a-frame/ways?height=2.4&turn=0"
    ).text
    assert "What would make it work?" in page
    assert "Cheapest:" in page
    assert "take a sheet of" in page
    assert "No move is known" in page


def test_a_shut_and_an_open_door_are_chosen_by_words(
    client: TestClient, demo: tuple[int, int, int]
) -> None:
    course, night, sheet = demo
    page = client.get(f"/courses/{course}/nights/{night}/bench/{sheet}/closed-wedge").text
    for word in ("shut", "open", "pinned out", "flown"):
        assert f">{word}</option>" in page
    assert "data-mesh=" in page
    assert '<svg class="drawing solid"' in page  # also without a script
    opened = client.get(
        f"/courses/{course}/nights/{night}/bench/{sheet}/closed-wedge/"
        "view?doors=3&height=1.4&side=1.2"
    )
    assert opened.status_code == 200


@pytest.mark.parametrize(
    ("query", "status", "words"),
    [
        ("", 200, "Tick two to four"),
        ("c=1:plow-point", 200, "Tick two to four"),
        ("c=x:plow-point", 422, "no sheet and pitch"),
        ("c=1:igloo", 422, "no pitch"),
        ("c=99999:plow-point", 404, ""),
    ],
)
def test_comparing_says_what_is_wrong(
    client: TestClient, demo: tuple[int, int, int], query: str, status: int, words: str
) -> None:
    course, night, _ = demo
    answer = client.get(f"/courses/{course}/nights/{night}/compare?{query}")
    assert answer.status_code == status
    assert words in answer.text


def test_one_row_of_the_board_at_a_time(
    client: TestClient, demo: tuple[int, int, int]
) -> None:
    """Rows come sheet by sheet, so that what is done is there to be read; each says its pitch,
    family and worth.
    """
    course, night, sheet = demo
    page = client.get(f"/courses/{course}/nights/{night}/board/cells?sheets={sheet}").text
    assert page.count('role="row"') == 1
    assert page.count('role="gridcell"') == 27
    assert page.count("data-worth=") == 27
    assert page.count("data-compare=") + page.count('data-verdict="cannot"') == 27
    best = client.get(
        f"/courses/{course}/nights/{night}/board/cells?sheets={sheet}&show=best"
    ).text
    assert best.count('role="gridcell"') == 6
    assert 'data-verdict="cannot"' not in best
    assert "All 27 pitches" in best


def test_house_rules_and_new_supports_reach_the_verdict(
    client: TestClient, demo: tuple[int, int, int], database: Database
) -> None:
    """A boat entered in the kit carries a boat pitch; tipped poles and inside lifts are kept with
    the course.
    """
    course, night, sheet = demo
    with database.session() as session:
        before = kit.supports_of(session, course)
    assert before.house == House()
    with database.session() as session:
        kit.add(
            session,
            course,
            "supports",
            [{"kind": "boat", "most_m": 0.9, "least_m": 4.8, "count": 1}],
        )
        row = courses.course(session, course)
        row.rules = {
            **(row.rules or {}),
            "house_pole": "tipped",
            "house_lift": "inside",
            "may_cut": True,
        }
    with database.session() as session:
        supports = kit.supports_of(session, course)
    assert supports.house == House(pole="tipped", lift="inside")
    assert supports.may_cut
    assert [(c.kind, c.size_m, c.length_m) for c in supports.others or ()] == [
        ("boat", 0.9, 4.8)
    ]
    page = client.get(f"/courses/{course}/rules").text
    assert "tipped a little along the pull" in page
    boat = client.get(f"/courses/{course}/nights/{night}/bench/{sheet}/boat-night").text
    assert "boat" in boat
