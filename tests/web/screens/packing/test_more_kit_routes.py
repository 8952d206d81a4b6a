"""Would more kit help: what is typed is kept as read, a mistake loses nothing, and proposals are
shown in the course's own units.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

from tarvik.exchange import more_kit_form
from tarvik.store import asks, courses
from tarvik.store.models import Course, PlanJob, now
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
TYPED = {
    "by": "weight",
    "size-square": "10 x 10 ft",
    "most-square": "2",
    "price-square": "39,90",
    "weight-square": "1 lb 8 oz",
    "size-large": "3 x 4 m",
    "most-large": "1",
    "size-poles": "5 ft",
    "most-poles": "0",
    "most-stakes": "3",
    "size-guys": "3 m",
    "most-guys": "1",
    "size-ridges": "20 ft",
    "most-ridges": "1",
}


@pytest.fixture
def made(database: Database) -> tuple[int, int]:
    """A small course and its first night."""
    with database.session() as session:
        return small_course(session)


def test_what_is_typed_is_kept_and_shown_in_the_course_s_unit(
    client: TestClient, database: Database, made: tuple[int, int]
) -> None:
    course, _ = made
    here = f"/courses/{course}/packing/more-kit"
    assert "What might be had" in client.get(here).text
    got = client.post(here, data=TYPED, follow_redirects=False)
    assert got.status_code == 303 and got.headers["location"] == f"{here}?work=1"
    with database.session() as session:
        kept = courses.course(session, course).rules[more_kit_form.RULE]
    square = kept["things"]["square"]
    assert square["size_m"] == pytest.approx([3.048, 3.048])
    assert square["price"] == 39.9 and square["kg"] == pytest.approx(0.6804, abs=1e-4)
    shown = client.get(here).text
    for text in (
        'value="3.05 × 3.05 m"',
        'value="680 g"',
        'value="39.9"',
        'value="1.52 m"',
    ):
        assert text in shown, text
    with database.session() as session:
        session.get_one(Course, course).units = "imperial"
    shown = client.get(here).text
    for text in ("10 ft × 10 ft", 'value="5 ft', 'value="1.5 lb"', 'value="20 ft'):
        assert text in shown, text


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("size-square", "wide", "“wide” is not a"),
        ("most-stakes", "many", "a number of packs"),
        ("price-large", "-3", "is no price"),
        ("weight-square", "3 cows", "isn&#39;t a weight"),
        ("by", "luck", "is none of"),
    ],
)
def test_a_mistake_is_told_and_nothing_typed_is_lost(
    client: TestClient, made: tuple[int, int], field: str, text: str, words: str
) -> None:
    here = f"/courses/{made[0]}/packing/more-kit"
    got = client.post(here, data={**TYPED, field: text})
    assert got.status_code == 422 and words in got.text
    assert 'value="10 x 10 ft"' in got.text or field == "size-square"
    if field != "by":
        assert f'value="{text}"' in got.text


def test_the_lowest_price_wants_prices(client: TestClient, made: tuple[int, int]) -> None:
    got = client.post(f"/courses/{made[0]}/packing/more-kit", data={**TYPED, "by": "price"})
    assert got.status_code == 422 and "give a price, or set how many to 0" in got.text


def proposal(name: str, packs: dict[str, int], without: int, close: int) -> dict[str, Any]:
    """A proposal as a worker keeps it."""
    return {
        "name": name,
        "packs": packs,
        "price": 40.0 * sum(packs.values()),
        "kg": 0.7 * sum(packs.values()),
        "held": True,
        "proved": None if name == "now" else name == "works",
        "cost": sum(packs.values()),
        "bound": 1,
        "nights": [
            {
                "night": 1,
                "without": without,
                "close": close,
                "reached": [{"aim": "quick", "words": "", "value": 125, "bound": 125}],
            }
        ],
    }


def test_proposals_stand_beside_each_other(
    client: TestClient, database: Database, made: tuple[int, int]
) -> None:
    """What to get, what it comes to, each night's outcome and what is proved; a night that is left
    out with its reason.
    """
    course, night = made
    square = {
        "key": "square",
        "kind": "sheet",
        "pieces": 1,
        "size_m": [3.0, 3.0],
        "most": 2,
        "price": 40.0,
        "kg": 0.7,
        "lent": False,
    }
    result = {
        "by": "packs",
        "items": [square],
        "nights": [
            {"night": 1, "title": "First", "stopped": ""},
            {"night": 2, "title": "Second", "stopped": "gusts bring down dead trees"},
        ],
        "proposals": [
            proposal("now", {}, 2, 0),
            proposal("works", {"square": 1}, 0, 2),
            proposal("ease", {"square": 2}, 0, 0),
        ],
    }
    with database.session() as session:
        job = asks.new_job(session, courses.night_by_id(session, night), "kit", {})
        job.state, job.result, job.ended_at = "done", result, now()
        assert session.get(PlanJob, job.id) is job
    shown = " ".join(client.get(f"/courses/{course}/packing/more-kit").text.split())
    for words in (
        "Every night works with 1 × sheet 3.00 × 3.00 m more.",
        "All lie with ease with 2 × sheet 3.00 × 3.00 m more.",
        "2 without a dry place",
        "all dry, 2 closer than with ease",
        "all dry and with ease",
        "12 min",
        "proved: nothing less does as well",
        "1 might be enough",
        "<b>Second</b> is left out: gusts bring down dead trees",
    ):
        assert words.lower() in shown.lower(), words


def test_where_every_night_is_left_out_nothing_is_said_to_be_enough(
    client: TestClient, database: Database, made: tuple[int, int]
) -> None:
    course, night = made
    result = {
        "by": "packs",
        "items": [],
        "nights": [{"night": night, "title": "First", "stopped": "gusts"}],
        "proposals": [{**proposal("now", {}, 0, 0), "nights": []}],
    }
    with database.session() as session:
        job = asks.new_job(session, courses.night_by_id(session, night), "kit", {})
        job.state, job.result, job.ended_at = "done", result, now()
    shown = " ".join(client.get(f"/courses/{course}/packing/more-kit").text.split())
    assert "every night is left out" in shown and "is enough" not in shown
    assert "<b>First</b> is left out: gusts" in shown
