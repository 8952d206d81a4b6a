"""Two sheets joined to one shelter: planned where the course allows it, shown as such everywhere,
and parted again by a choice for one of them.
"""

from __future__ import annotations

from html import unescape
from typing import TYPE_CHECKING

import pytest

from tarvik.core.sheet import JOIN_OVERLAP_M
from tarvik.exchange.course_file import read, write
from tarvik.store import course_file, course_in, courses, kit, plans
from tarvik.store.models import Course
from tarvik.work.planning import Planner
from tarvik.work.solving import Solver
from tests.small_course import small_course
from tests.work.test_planning import ask, job_of, work_off

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


def two_small_sheets(database: Database, *, join: bool) -> tuple[int, int]:
    """A leader and a student with ponchos under which nobody of their size lies dry; (course,
    night).
    """
    with database.session() as session:
        course, night = small_course(session, sheets=0, wood=False)
        session.get_one(Course, course).rules = {
            "plan_join_sheets": join,
            "plan_leaders_apart": False,
            "plan_adults_apart": False,
        }
        courses.night(session, course, night).needs = {"rain_mm_h": 4.0, "wind_m_s": 6.0}
        people = kit.rows(session, course, "people")
        for person in people[2:]:
            kit.delete(session, course, "people", person.id)
        small = {
            "width_m": 1.3,
            "length_m": 2.6,
            "tie_outs": ["corners", "thirds", "mid-sides"],
        }
        kit.add(
            session, course, "sheets", [{**small, "owner_id": p.id} for p in people[:2]]
        )
    return course, night


@pytest.mark.parametrize("join", [True, False])
def test_sheets_are_joined_only_where_the_course_allows_it(
    database: Database, join: bool
) -> None:
    _, night = two_small_sheets(database, join=join)
    number = ask(database, night)
    work_off(database, Planner(database, Solver()))
    result = job_of(database, number).result or {}
    with database.session() as session:
        shelters = plans.shelters(session, night)
        pairs = [row for row in shelters if row.joined is not None]
        assert bool(pairs) == join
        assert (result["without"] == []) == join, result
        for row in pairs:
            assert len(plans.sleepers(row)) == 2
            width, length = kit.cloth_of(row.sheet, row.joined).box or (0, 0)
            assert {round(width, 6), round(length, 6)} == {
                2.6,
                round(2.6 - JOIN_OVERLAP_M, 6),
            }


def test_a_joined_shelter_is_shown_kept_and_parted(
    database: Database, client: TestClient
) -> None:
    course, night = two_small_sheets(database, join=True)
    with database.session() as session:
        people = kit.rows(session, course, "people")
        one, two = (sheet.id for sheet in kit.rows(session, course, "sheets"))
        both = tuple(person.id for person in people)
        choice = plans.Choice(one, "a-frame", {"height": 1.0}, both, joined_id=two)
        plans.choose(session, courses.night(session, course, night), choice)
        before = plans.snapshot(session, courses.night(session, course, night))
        assert before[0]["joined_id"] == two
    at = f"/courses/{course}/nights/{night}"
    words = "Ada L's sheet joined to Bo S's, "
    for page in ("plan", "camp"):
        assert words in unescape(client.get(f"{at}/{page}").text), page
    camp = unescape(client.get(f"{at}/camp").text)
    assert f"?joined={two}" in camp
    assert "Join the two sheets: lap them by 30 cm" in camp or "lap them by 0.30 m" in camp
    assert "joined here" in camp
    bench = client.get(f"{at}/bench/{one}/a-frame?joined={two}").text
    assert "joined to Bo S" in bench
    judged = [t.split('data-judgement="')[1].split('"')[0] for t in (camp, bench)]
    assert judged[0] == judged[1]
    assert "tonight joined to Ada L" in client.get(f"{at}/board/cells?sheets={two}").text
    for wrong in (one, 99999):
        assert client.get(f"{at}/bench/{one}/a-frame?joined={wrong}").status_code in (
            404,
            422,
        )

    with database.session() as session:
        told = write(course_file.export(session, course))
        again = course_in.bring_in(session, read(told))
        other = courses.nights(session, again.id)[0]
        row = plans.shelters(session, other.id)[0]
        assert row.joined is not None and row.joined.id != row.sheet.id

        here = courses.night(session, course, night)
        plans.choose(session, here, plans.Choice(two, "lean-to", {}, both[:1]))
        assert [r.sheets[0].id for r in plans.shelters(session, night)] == [two]
        plans.undo(session, here)
        assert plans.snapshot(session, here) == before
        kit.delete(session, course, "sheets", two)
        assert not plans.shelters(session, night)


def test_a_joined_shelter_is_chosen_by_hand(database: Database, client: TestClient) -> None:
    course, night = two_small_sheets(database, join=True)
    with database.session() as session:
        one, two = (sheet.id for sheet in kit.rows(session, course, "sheets"))
        person = kit.rows(session, course, "people")[0].id
    at = f"/courses/{course}/nights/{night}/choose/{one}/a-frame?height=1.0&joined={two}"
    assert "joined to Bo S's" in unescape(client.get(at).text)
    answer = client.post(at, data={"people": [person]}, follow_redirects=False)
    assert answer.status_code == 303, answer.text
    with database.session() as session:
        assert [[s.id for s in r.sheets] for r in plans.shelters(session, night)] == [
            [one, two]
        ]
