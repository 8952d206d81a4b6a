"""Random courses in four kinds of weather: no shelter of any plan has a finding that stops, on any
page; what carries it balances what presses on it, worked out here by itself; and no sheet that
sleeps its owner is left in the bag while its owner sleeps elsewhere without need.

The suite makes a few; `TARVIK_COURSES=100 ./run test tests/web/test_random_courses.py` makes so
many.
"""

from __future__ import annotations

import os
import random
from typing import TYPE_CHECKING, Any

import numpy as np
import pytest

from tarvik.core.units import Units
from tarvik.core.weather.needs import Insects, NightNeeds
from tarvik.store import courses, kit, nights, plans
from tarvik.store.models import Provider
from tarvik.web.shared.judged import Judge
from tarvik.work.hanging import Hangings
from tarvik.work.solving import Solver
from tests.small_course import work_off
from tests.web.shared.test_judged import judgements

if TYPE_CHECKING:
    from fastapi.testclient import TestClient
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
COURSES = int(os.environ.get("TARVIK_COURSES", "4"))
WEATHER = (
    NightNeeds(
        wind_m_s=13.0,
        gust_m_s=20.0,
        wind_from_deg=210.0,
        rain_mm_h=5.0,
        lowest_c=6.0,
        surroundings="closed-wood",
        overhead_checked=True,
    ),
    NightNeeds(
        wind_m_s=5.0,
        wind_from_deg=90.0,
        rain_mm_h=3.0,
        lowest_c=9.0,
        surroundings="scattered",
    ),
    NightNeeds(wind_m_s=1.0, wind_from_deg=300.0, rain_mm_h=0.0, lowest_c=2.0, fire=True),
    NightNeeds(
        wind_m_s=2.0,
        wind_from_deg=0.0,
        rain_mm_h=0.0,
        lowest_c=14.0,
        highest_c=24.0,
        insects=Insects.MANY,
        surroundings="thin-wood",
    ),
)
"""A storm in a wood, breezy rain, a cold night with a fire, a warm one with insects."""
SIDES_M = (2.13, 2.44, 2.9, 3.05, 3.66)
TIES = (
    ["corners", "mid-sides"],
    ["corners", "mid-sides", "thirds"],
    ["corners", "quarters"],
)


def random_course(session: Session, seed: int) -> tuple[int, int]:
    """Six to sixteen people with mixed sheets, most of them their own; (course, night)."""
    dice = random.Random(seed)
    home = session.query(Provider.id).order_by(Provider.id).limit(1).scalar()
    course = courses.new_course(session, f"Course {seed}", "", "metric", 1, None, home)
    night = courses.nights(session, course.id)[0]
    people: list[dict[str, Any]] = [
        {
            "name": f"Person {n}",
            "stature_m": round(dice.uniform(1.5, 1.9), 2),
            "role": "leader" if n < 2 else "student",
        }
        for n in range(dice.randint(6, 16))
    ]
    made = kit.add(session, course.id, "people", people)
    owners = [p.id for p in made if dice.random() < 0.8]
    sheets = []
    for owner in [*owners, None, None, None]:
        width = dice.choice(SIDES_M)
        length = width if dice.random() < 0.7 else width + dice.choice([0.6, 0.9])
        ties = dice.choice(TIES)
        sheets.append(
            {"width_m": width, "length_m": length, "tie_outs": ties}
            | ({} if owner is None else {"owner_id": owner})
        )
    kit.add(session, course.id, "sheets", sheets)
    kit.add(session, course.id, "stakes", [{"count": 8 * len(sheets)}])
    kit.add(
        session,
        course.id,
        "lines",
        [{"length_m": 6.0, "count": 12}, {"length_m": 3.0, "count": 40}],
    )
    kit.add(
        session,
        course.id,
        "supports",
        [
            {"kind": "pole", "count": 6, "least_m": 1.05, "most_m": 1.45},
            {"kind": "tree", "count": 3 * len(sheets)},
        ],
    )
    nights.set_needs(session, night, WEATHER[seed % len(WEATHER)], "a test")
    return course.id, night.id


@pytest.mark.parametrize("seed", range(COURSES))
def test_no_shelter_of_any_plan_is_stopped(
    client: TestClient, database: Database, seed: int
) -> None:
    with database.session() as session:
        course, night = random_course(session, seed)
    here = f"/courses/{course}/nights/{night}"
    assert client.post(f"{here}/plan/jobs", json={}).status_code == 200
    work_off(database)
    shown = {
        page: judgements(client.get(f"{here}/{page}").text) for page in ("plan", "camp")
    }
    assert shown["plan"]
    assert shown["plan"] == shown["camp"]
    for number, (_, verdict, stops) in shown["plan"].items():
        assert (verdict, stops) == ("forms", ""), number
    with database.session() as session:
        row = courses.course(session, course)
        tonight = nights.night_of(session, row, courses.night(session, course, night))
        supports = kit.supports_of(session, course)
        judge = Judge(Solver(), Hangings(database), tonight, supports, Units.METRIC)
        shelters = plans.shelters(session, night)
        for judged in judge.each(list(shelters)):
            gale = judged.tonight.gale
            if gale is None:
                continue
            loads = np.array([p.force_n for p in gale.loads])
            held = np.array([r.force_n for r in gale.reactions])
            size = float(np.linalg.norm(loads, axis=1).sum())
            assert np.linalg.norm(loads.sum(axis=0) + held.sum(axis=0)) <= 0.02 * size
        everybody = {p.id for p in kit.rows(session, course, "people")}
        beds = [p.id for s in shelters for p in plans.sleepers(s)]
        assert len(beds) == len(set(beds))
        assert set(beds) <= everybody
