"""The contract's supports and sheets, and the pages beyond one shelter, without a browser."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tests.web.test_api import post

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

pytestmark = pytest.mark.database
SHEET = {"width_m": 3.0, "length_m": 3.0}


def test_supports_of_every_kind_are_taken(api: TestClient) -> None:
    none = {"trees": [], "poles_m": [], "stakes": 9}
    for more, kind in (
        ({"branches_m": [2.6]}, "branch"), ({"forked_m": [1.4]}, "forked stick"), ({"tripods_m": [[3.0, 6.0]]}, "tripod"),
        ({"bipods_m": [1.6]}, "bipod"), ({"cut_sticks": True}, "cut stick"),
    ):  # fmt: skip
        got = post(api, sheet=SHEET, pitch="plow-point", settings={"height": 1.3}, supports=none | more)
        assert got["verdict"] == "forms"
        assert got["supports"][0]["kind"] == kind
    boat = post(api, sheet={"width_m": 3.0, "length_m": 3.6}, pitch="boat-night", supports=none | {"boats_m": [[0.85, 4.8]]})
    assert boat["supports"][0]["kind"] == "boat"
    tipped = none | {"poles_m": [[1.3, 1.3]], "house": {"pole": "tipped"}}
    assert post(api, sheet=SHEET, pitch="plow-point", settings={"height": 1.3}, supports=tipped)["verdict"] == "needs"


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"sheet": SHEET | {"join": {"width_m": 2, "length_m": 3, "overlap_m": 0.1}}}, "overlap"),
        ({"sheet": SHEET, "supports": {"branches_m": [-1]}}, "supports"),
        ({"sheet": SHEET, "supports": {"house": {"lift": "sideways"}}}, "house"),
        ({"sheet": SHEET, "supports": {"in_the_way_m": [[0, 0, -1]]}}, "in_the_way"),
    ],
)
def test_bad_sheets_and_supports_are_named(api: TestClient, body: dict[str, object], field: str) -> None:
    answer = api.post("/api/solve", json={"pitch": "plow-point"} | body)
    assert answer.status_code == 422
    assert field in str(answer.json())


def test_two_sheets_join_and_an_oblong_is_doubled(api: TestClient) -> None:
    joined = post(api, sheet={"width_m": 2.4, "length_m": 3.0, "join": {"width_m": 2.0, "length_m": 3.0}}, pitch="a-frame")
    assert joined["verdict"] == "forms"
    assert max(p["sheet_m"][1] for p in joined["points"].values()) == pytest.approx(4.1)
    doubled = post(api, sheet={"width_m": 2.6, "length_m": 3.0}, pitch="corner-wrap")
    assert "fold_to_square" in {r["code"] for r in doubled["reasons"]}


def test_the_pitches_tell_what_they_take(api: TestClient) -> None:
    found = {p["slug"]: p for p in api.get("/api/pitches").json()}
    assert len(found) == 27
    assert found["closed-wedge"]["sheet"] == "square"
    assert found["boat-porch"]["carried_by"] == ["boat", "vehicle", "fence"]
    assert {slug for slug, p in found.items() if p["lifted"]} == {"plow-point-lifted", "lean-to-lifted"}
