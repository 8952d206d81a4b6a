"""Rules of the course hold for choices made by hand too: told before, marked after, and accepted
only knowingly, by whom and when.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.core.plan.party import Camper, PlanRules, Shares, broken, may_share
from tarvik.demo.course import ensure_demo
from tarvik.store import asks, courses, kit, plans
from tests.conftest import client_of
from tests.web.who_may_what import ROLES

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

HTML = {"accept": "text/html"}
LEADER = Camper(1, "Ada", 1.7, leader=True)
BOY = Camper(2, "Bo", 1.6, age=16, quarters="boys")
GIRL = Camper(3, "Cy", 1.6, age=16, quarters="girls")
YOUNGER = Camper(4, "Di", 1.5, age=12, quarters="girls")
ALONE = Camper(5, "Ed", 1.8, age=30, shares=Shares.NOBODY)
LOW = {"height": 1.0, "offset": 0.0, "turn": 0.0}


@pytest.mark.parametrize(
    ("people", "rules", "tags"),
    [
        ([LEADER, BOY], PlanRules(), {"leaders_apart", "adults_apart"}),
        ([LEADER, BOY], PlanRules(leaders_apart=False, adults_apart=False), set()),
        ([BOY, GIRL], PlanRules(), {"quarters"}),
        ([GIRL, YOUNGER], PlanRules(age_gap=2), {"age_gap"}),
        ([BOY, ALONE], PlanRules(), {"adults_apart", "consent 5"}),
        ([ALONE], PlanRules(), set()),
        ([GIRL, BOY], PlanRules(never=frozenset({(2, 3)})), {"quarters", "never 2 3"}),
    ],
)
def test_what_breaks_a_rule(people: list[Camper], rules: PlanRules, tags: set[str]) -> None:
    found = broken(people, rules)
    assert {b.rule for b in found} == tags
    assert all(p.name in " ".join(b.words for b in found) for p in people if tags)
    if len(people) == 2:
        assert bool(tags) == (may_share(*people, rules) is not None)


@pytest.fixture
def here(database: Database) -> tuple[int, int, list[int], list[int]]:
    """The demo's course and first night; its two leaders and two students under two sheets."""
    with database.session() as session:
        ensure_demo(session)
        course = courses.courses(session)[0].id
        night = courses.nights(session, course)[0]
        people = [p.id for p in kit.rows(session, course, "people")]
        large = sorted(
            kit.rows(session, course, "sheets"), key=lambda s: -s.width_m * s.length_m
        )
        sheets = [s.id for s in large[:2]]
        choices = [
            plans.Choice(sheets[0], "a-frame", LOW, (people[0],)),
            plans.Choice(sheets[1], "a-frame", LOW, (people[2],)),
        ]
        plans.replace_all(session, night, choices, "a test's choice")
        return course, night.id, people, sheets


@pytest.mark.database
def test_a_move_that_breaks_a_rule_is_told_first_and_stays_marked(
    client: TestClient, database: Database, here: tuple[int, int, list[int], list[int]]
) -> None:
    course, night, people, sheets = here
    place = f"/courses/{course}/nights/{night}"
    with database.session() as session:
        leaders = next(
            s for s in plans.shelters(session, night) if s.sheet_id == sheets[0]
        ).id
    student = people[3]
    move = f"{place}/plan/people/{student}"
    told = client.post(move, json={"shelter": leaders})
    assert told.status_code == 409
    assert "leaders do not share with students" in told.json()["detail"]
    with database.session() as session:  # nothing was changed
        assert [len(s.members) for s in plans.shelters(session, night)] == [1, 1]
    made = client.post(move, json={"shelter": leaders, "knowing": True})
    assert made.status_code == 200
    words = "leaders do not share with students"
    for page in ("plan", f"board/cells?sheets={sheets[0]}", "camp"):
        assert words in client.get(f"{place}/{page}").text, page
    taken = client.post(
        f"{place}/plan/accept", json={"shelter": leaders, "rule": "leaders_apart"}
    )
    assert taken.status_code == 200
    assert "accepted by Owner" in client.get(f"{place}/plan").text
    assert "accepted by Owner" in client.get(f"{place}/camp").text
    with database.session() as session:
        one = asks.accepted(session, night)[0]
        assert one.by == "Owner"
        assert "UTC" in one.at
        assert set(one.people) == {people[0], student}
        other = next(
            s for s in plans.shelters(session, night) if s.sheet_id == sheets[1]
        ).id
    assert (
        client.post(move, json={"shelter": other}).status_code == 200
    )  # what breaks none is done
    assert words not in client.get(f"{place}/plan").text.split("Who sleeps where")[1]


@pytest.mark.database
def test_a_choice_on_the_board_is_told_first(
    client: TestClient, database: Database, here: tuple[int, int, list[int], list[int]]
) -> None:
    course, night, people, sheets = here
    choose = f"/courses/{course}/nights/{night}/choose/{sheets[0]}/a-frame?height=1.0"
    both = {"people": [people[0], people[3]]}
    told = client.post(choose, data=both, headers=HTML)
    assert told.status_code == 409
    assert "This breaks a rule of the course" in told.text
    assert 'name="knowing" value="yes"' in told.text
    done = client.post(choose, data={**both, "knowing": "yes"}, headers=HTML)
    assert done.status_code == 200
    with database.session() as session:
        rows = {s.sheet_id: s for s in plans.shelters(session, night)}
        assert {p.id for p in plans.sleepers(rows[sheets[0]])} == set(both["people"])


@pytest.mark.database
def test_an_assistant_accepts_nothing(
    database: Database, here: tuple[int, int, list[int], list[int]]
) -> None:
    assert "assistant" in ROLES
    with client_of(database, demo=True) as stranger:
        place = f"/courses/{here[0]}/nights/{here[1]}/plan/accept"
        assert stranger.post(
            place, json={"shelter": 1, "rule": "quarters"}
        ).status_code in (
            401,
            403,
            404,
        )
