"""The same shelter is judged alike on every screen that shows it: plan, ground, camp sheet, card
and bench.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import pytest

from tarvik.core.weather.needs import NightNeeds
from tarvik.store import courses, links, nights, plans
from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
NIGHTS = [
    NightNeeds(rain_mm_h=3.0, wind_m_s=6.0, wind_from_deg=230.0, lowest_c=8.0),
    NightNeeds(
        rain_mm_h=6.0,
        wind_m_s=14.0,
        gust_m_s=21.0,
        wind_from_deg=200.0,
        surroundings="closed-wood",
        lowest_c=5.0,
        overhead_checked=True,
    ),
]
"""A wet breezy night, and force 7 in a wood."""


def judgements(text: str) -> dict[str, tuple[str, str, str]]:
    """Digest, verdict and codes that stop, by the shelter's number."""
    found = re.findall(
        r'data-shelter-number="(\d+)" data-judgement="(\w+)" data-verdict="(\w+)" '
        r'data-stops="([\w ]*)"',
        text,
    )
    return {number: (digest, verdict, stops) for number, digest, verdict, stops in found}


@pytest.mark.parametrize("needs", NIGHTS)
def test_every_screen_judges_a_shelter_alike(
    client: TestClient, database: Database, needs: NightNeeds
) -> None:
    with database.session() as session:
        course, night = small_course(session)
        nights.set_needs(session, courses.night(session, course, night), needs, "storm")
    here = f"/courses/{course}/nights/{night}"
    assert client.post(f"{here}/plan/jobs", json={}).status_code == 200
    work_off(database)
    plan = judgements(client.get(f"{here}/plan").text)
    assert plan
    assert judgements(client.get(f"{here}/ground").text) == plan
    camp = client.get(f"{here}/camp").text
    assert judgements(camp) == plan
    for number, (_, verdict, stops) in plan.items():
        assert verdict == "forms" or stops, number
    cards = []
    with database.session() as session:
        for number, shelter in enumerate(plans.shelters(session, night), start=1):
            bench = client.get(f"{here}/bench/{shelter.sheet_id}/{shelter.pitch}").text
            assert judgements(bench) == {str(number): plan[str(number)]}
            person = plans.sleepers(shelter)[0]
            token = links.token_of(session, links.make_link(session, course, person.id))
            cards.append((str(number), token))
    for number, token in cards:
        card = judgements(client.get(f"/card/{token}").text)
        assert card == {number: plan[number]}
