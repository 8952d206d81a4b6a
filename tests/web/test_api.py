"""The automation contract: shapes, meanings, and bad input that never becomes a 500."""

from __future__ import annotations

import json
import math
from typing import TYPE_CHECKING, Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tarvik.core.pitches import PITCHES
from tests.reference import OBLONGS

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

pytestmark = pytest.mark.database
SHEET = {"width_m": 3.0, "length_m": 3.0}


def post(api: TestClient, **body: Any) -> Any:
    """Solve, and take the answer."""
    answer = api.post("/api/solve", json=body)
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_health_and_docs(api: TestClient) -> None:
    assert api.get("/healthz").json() == {"status": "ok"}
    asked = api.head(
        "/healthz"
    )  # as a participant's card asks whether it reaches the server
    assert (asked.status_code, asked.content) == (200, b"")
    assert "/api/solve" in api.get("/openapi.json").json()["paths"]
    assert api.get("/docs").status_code == 200


def test_pitches_tell_their_settings(api: TestClient) -> None:
    found = {p["slug"]: p for p in api.get("/api/pitches").json()}
    assert {"a-frame", "lean-to", "lean-to-floored", "plow-point", "diagonal-fly"} <= set(
        found
    )
    for pitch in found.values():
        for setting in pitch["settings"]:
            assert setting["min"] <= setting["default"] <= setting["max"]
            assert {"name", "unit", "meaning", "searched", "usual"} <= set(setting)
        assert pitch["slug"] == "bag" or any(
            setting["searched"] for setting in pitch["settings"]
        )


@pytest.mark.parametrize("slug", PITCHES)
@pytest.mark.parametrize(
    "size", [(3.0, 3.0), (1.2, 6.0), (2.4, 3.0), (6.0, 6.0), (1.2, 1.2)]
)
def test_answers_are_isometric_and_whole(
    api: TestClient, slug: str, size: tuple[float, float]
) -> None:
    """From the answer alone: lengths kept to 0.1 mm, areas add up, nothing under ground, mats
    inside.
    """
    got = post(api, sheet={"width_m": size[0], "length_m": size[1]}, pitch=slug)
    if got["verdict"] == "cannot":  # no sheet of that shape or size, and it says why
        assert got["reasons"][0]["message"]
        assert size in ((1.2, 6.0), (1.2, 1.2)) or slug in OBLONGS
        return
    assert got["verdict"] == "forms"
    area = 0.0
    for panel in got["panels"]:
        flat = np.array([got["points"][p]["sheet_m"] for p in panel["points"]])
        world = np.array([got["points"][p]["at_m"] for p in panel["points"]])
        for i in range(len(flat)):
            for j in range(i):
                along_a_thread = np.abs(flat[i] - flat[j]).min() < 1e-9
                if (
                    along_a_thread or not PITCHES[slug].lifted
                ):  # a lifted pitch may give across the bias
                    assert math.dist(flat[i], flat[j]) == pytest.approx(
                        math.dist(world[i], world[j]), abs=1e-4
                    )
        u, v = flat.T
        area += abs(np.dot(u, np.roll(v, -1)) - np.dot(v, np.roll(u, -1))) / 2
        assert world[:, 2].min() >= 0
    assert area == pytest.approx(size[0] * size[1])
    measures = got["measures"]
    assert measures["sleepers"] == len(measures["mats"])
    assert measures["dry_area_m2"] == pytest.approx(measures["covered_area_m2"])
    assert measures["rain_slope"] == 0
    assert 0 <= measures["shear_deg"] <= (5 if PITCHES[slug].lifted else 0)
    assert set(measures["clearance"]) >= {
        "strip_m",
        "head_m",
        "head_length_m",
        "middle_m",
        "foot_m",
        "foot_length_m",
        "edge_m",
    }
    assert all(line["length_m"] > line["span_m"] > 0 for line in got["lines"])


def test_found_settings_solve_to_the_same(api: TestClient) -> None:
    best = post(api, sheet=SHEET, pitch="plow-point", intent="storm")
    again = post(
        api, sheet=SHEET, pitch="plow-point", settings=best["settings"], intent="storm"
    )
    assert again["points"] == best["points"]
    assert again["measures"] == best["measures"]


def test_the_front_faces_minus_x(api: TestClient) -> None:
    got = post(api, sheet=SHEET, pitch="plow-point", settings={"height": 1.3})
    assert got["points"]["P"]["at_m"] == [0, 0, 1.3]
    assert got["points"]["R"]["at_m"][0] > 3
    windy = post(
        api,
        sheet=SHEET,
        pitch="lean-to",
        settings={"height": 1.3},
        weather={"wind_m_s": 6, "wind_from_deg": 270},
    )
    assert windy["measures"]["open_to_wind"] == pytest.approx(1)
    assert windy["measures"]["dry_area_m2"] < windy["measures"]["covered_area_m2"]


def test_supports_and_verdicts(api: TestClient) -> None:
    short = post(
        api,
        sheet=SHEET,
        pitch="plow-point",
        settings={"height": 1.5},
        supports={"trees": [], "poles_m": [[1.0, 1.38]], "stakes": 9, "lines_m": [3, 3]},
    )
    assert short["verdict"] == "needs"
    pole = next(r for r in short["reasons"] if r["code"] == "pole_short")
    assert pole["short_by_m"] == pytest.approx(0.12)
    cannot = post(
        api,
        sheet={"width_m": 1.5, "length_m": 3},
        pitch="a-frame",
        settings={"height": 1.5},
    )
    assert cannot["verdict"] == "cannot"
    assert cannot["measures"] is None
    trees = post(
        api,
        sheet=SHEET,
        pitch="a-frame",
        supports={"trees": [[0, 0], {"at_m": [4, 0], "diameter_m": 0.3}], "stakes": 4},
    )
    assert trees["verdict"] == "forms"
    tall = post(
        api,
        sheet={"width_m": 1.45, "length_m": 2.2},
        pitch="plow-point",
        person={"stature_m": 1.93},
    )
    assert any(
        r["code"] == "no_mat_fits" and r["short_by_m"] > 0.1 for r in tall["reasons"]
    )


BAD = [
    ({}, "sheet"),
    ({"sheet": SHEET}, "pitch"),
    ({"sheet": {"width_m": -3, "length_m": 3}, "pitch": "a-frame"}, "sheet.width_m"),
    ({"sheet": {"width_m": 1e9, "length_m": 3}, "pitch": "a-frame"}, "sheet.width_m"),
    ({"sheet": {"width_m": "wide", "length_m": 3}, "pitch": "a-frame"}, "sheet.width_m"),
    ({"sheet": {"width_m": 3}, "pitch": "a-frame"}, "sheet.length_m"),
    ({"sheet": {}, "pitch": "a-frame"}, "sheet.width_m"),
    (
        {"sheet": {"outline_m": [[0, 0], [2, 2], [2, 0], [0, 2]]}, "pitch": "a-frame"},
        "sheet.outline_m",
    ),
    ({"sheet": {"outline_m": [[0, 0]]}, "pitch": "a-frame"}, "sheet.outline_m"),
    (
        {"sheet": SHEET | {"tie_outs_m": [[9, 9]]}, "pitch": "a-frame"},
        "sheet.tie_outs_m[0]",
    ),
    ({"sheet": SHEET, "pitch": "igloo"}, "pitch"),
    ({"sheet": SHEET, "pitch": "a-frame", "settings": {"wings": 2}}, "settings.wings"),
    ({"sheet": SHEET, "pitch": "a-frame", "settings": {"height": 0.01}}, "settings.height"),
    ({"sheet": SHEET, "pitch": "a-frame", "settings": {"height": None}}, "settings.height"),
    ({"sheet": SHEET, "pitch": "a-frame", "intent": "party"}, "intent"),
    ({"sheet": SHEET, "pitch": "a-frame", "person": {"stature_m": 17}}, "person.stature_m"),
    (
        {"sheet": SHEET, "pitch": "a-frame", "supports": {"poles_m": [[2, 1]]}},
        "supports.poles_m",
    ),
    ({"sheet": SHEET, "pitch": "a-frame", "supports": {"stakes": -1}}, "supports.stakes"),
    (
        {"sheet": SHEET, "pitch": "a-frame", "supports": {"lines_m": [0]}},
        "supports.lines_m[0]",
    ),
    (
        {"sheet": SHEET, "pitch": "a-frame", "weather": {"wind_m_s": 900}},
        "weather.wind_m_s",
    ),
    ({"sheet": SHEET, "pitch": "a-frame", "clearance": {"head": 1}}, "clearance.head"),
    ({"sheet": SHEET, "pitch": "a-frame", "wheather": {}}, "wheather"),
]


@pytest.mark.parametrize(("body", "field"), BAD)
def test_bad_input_names_the_field(
    api: TestClient, body: dict[str, Any], field: str
) -> None:
    answer = api.post("/api/solve", json=body)
    assert answer.status_code == 422
    assert answer.headers["content-type"].startswith("application/problem+json")
    assert answer.json()["field"] == field
    assert answer.json()["detail"]


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"{",
        b"[]",
        b"null",
        b"\xff\xfe",
        b'{"sheet": {"width_m": NaN, "length_m": 3}, "pitch": "a-frame"}',
        b'{"sheet": {"width_m": 1e999, "length_m": 3}, "pitch": "a-frame"}',
        b"[" * 20000,
        b'{"a":' * 5000,
    ],
)
def test_bodies_that_are_none(api: TestClient, raw: bytes) -> None:
    answer = api.post(
        "/api/solve", content=raw, headers={"content-type": "application/json"}
    )
    assert 400 <= answer.status_code < 500
    assert answer.headers["content-type"].startswith("application/problem+json")


def test_too_much_is_refused(api: TestClient) -> None:
    assert api.post("/api/solve", content=b"x" * 1_100_000).status_code == 413
    assert api.post("/api/solve", content=iter([b"x" * 400_000] * 4)).status_code == 413
    many = {"sheet": SHEET, "pitch": "a-frame", "supports": {"lines_m": [3] * 3000}}
    assert api.post("/api/solve", json=many).status_code == 422


FIELDS = (
    "sheet",
    "pitch",
    "settings",
    "width_m",
    "length_m",
    "outline_m",
    "height",
    "person",
    "supports",
    "weather",
)
NUMBERS = st.integers(-(10**12), 10**12) | st.floats(allow_nan=False, allow_infinity=False)
JSON = st.recursive(
    st.none() | st.booleans() | NUMBERS | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(st.sampled_from(FIELDS), inner, max_size=5)
    ),
    max_leaves=12,
)


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    body=JSON,
    sides=st.tuples(st.floats(0.4, 7), st.floats(0.4, 7)),
    slug=st.sampled_from(list(PITCHES)),
    height=st.floats(0, 3),
)
def test_nothing_breaks_it(
    api: TestClient, body: Any, sides: tuple[float, float], slug: str, height: float
) -> None:
    """Any JSON, and any size and height, gives 200 or a 4xx with a field; never a 500."""
    assert 400 <= api.post("/api/solve", content=json.dumps(body)).status_code < 500
    sheet = {"width_m": sides[0], "length_m": sides[1]}
    answer = api.post(
        "/api/solve", json={"sheet": sheet, "pitch": slug, "settings": {"height": height}}
    )
    assert answer.status_code in (200, 422), answer.text
    assert answer.json().get("verdict", "") in ("forms", "needs", "cannot", "")


def test_safety_headers_and_foreign_sites(api: TestClient) -> None:
    answer = api.get("/")
    assert "script-src 'self'" in answer.headers["content-security-policy"]
    assert answer.headers["x-content-type-options"] == "nosniff"
    assert (
        api.post("/courses", headers={"origin": "https://elsewhere.invalid"}).status_code
        == 403
    )


def test_a_sheet_is_hung_on_request(api: TestClient) -> None:
    asked = {
        "sheet": {"width_m": 3.0, "length_m": 3.0},
        "pitch": "plow-point",
        "settings": {"height": 1.2},
    }
    got = post(api, **asked, hang={"probe_m": [[1.5, 1.5], [2.25, 2.25]]})
    assert "hung" not in post(api, **asked)
    hung = got["hung"]
    assert hung["settled"] and hung["unbalanced_share"] < 1e-3
    middle, rear = (p["at_m"][2] for p in hung["probes"])
    assert 0.48 <= middle <= 0.56
    assert rear < 0.25
    assert {f["point"] for f in hung["forces"]} == {"P", "R", "A", "B"}
    assert [x["purpose"] for x in hung["lines"]] == ["to the tree"]
    raised = post(api, **asked, hang={"lifts": [{"at_m": [1.5, 1.5], "by_m": 0.25}]})[
        "hung"
    ]
    assert raised["measures"]["sit_area_m2"] > hung["measures"]["sit_area_m2"]
    assert (
        post(api, **asked | {"pitch": "bag", "settings": {}}, hang={})["hung"]["hangs"]
        is False
    )


@pytest.mark.parametrize(
    ("hang", "field"),
    [
        ({"fabric": "wool"}, "fabric"),
        ({"tautness": 3}, "tautness"),
        ({"lifts": [{"at_m": [9, 9], "by_m": 0.1}]}, "lifts"),
    ],
)
def test_what_cannot_be_hung_is_named(
    api: TestClient, hang: dict[str, object], field: str
) -> None:
    answer = api.post(
        "/api/solve",
        json={"sheet": {"width_m": 3, "length_m": 3}, "pitch": "plow-point", "hang": hang},
    )
    assert answer.status_code == 422
    assert field in str(answer.json())
