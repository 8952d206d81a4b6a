"""Present tonight: who and what is not there is left out of plan, board and camp sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.core.plan.offers import STAKE
from tarvik.exchange.course_file import CourseFile
from tarvik.store import asks, course_file, course_in, courses, kit, plans
from tarvik.store.models import Night
from tarvik.work.cases import case_of
from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def course(database: Database) -> tuple[int, int]:
    with database.session() as session:
        return small_course(session)


def rows(database: Database, course: int, table: str) -> list[int]:
    with database.session() as session:
        return [row.id for row in kit.rows(session, course, table)]


def test_who_is_not_there_gets_no_bed_and_what_is_not_there_is_not_pitched(
    client: TestClient, database: Database, course: tuple[int, int]
) -> None:
    number, night = course
    url = f"/courses/{number}/nights/{night}"
    people, sheets = rows(database, number, "people"), rows(database, number, "sheets")
    told = {"people": people[1:], "sheets": sheets[1:]}
    got = client.post(f"{url}/plan/present", data=told, follow_redirects=False)
    assert got.status_code == 303
    with database.session() as session:
        case = case_of(session, number, night)
        assert {c.number for c in case.bag.campers} == set(people[1:])
        assert {s.number for s in case.bag.sheets} == set(sheets[1:])
    client.post(f"{url}/plan/jobs", json={"kind": "plan"})
    work_off(database)
    with database.session() as session:
        pitched = plans.shelters(session, night)
        assert sheets[0] not in {s.id for row in pitched for s in row.sheets}
        slept = {p.id for row in pitched for p in plans.sleepers(row)}
        assert slept == set(people[1:])
    page = " ".join(client.get(f"{url}/plan").text.split())
    assert f"1 of {len(people)} people and 1 of {len(sheets)} sheets are not here" in page
    assert f"All {len(people) - 1} " in page
    assert "No place to sleep yet" not in page
    board = client.get(f"{url}/board").text
    assert "1 sheet is not here tonight" in board
    assert "No place to sleep yet" not in client.get(f"{url}/camp").text


def test_choices_that_reckon_with_who_is_not_there_are_told(
    client: TestClient, database: Database, course: tuple[int, int]
) -> None:
    number, night = course
    people, sheets = rows(database, number, "people"), rows(database, number, "sheets")
    with database.session() as session:
        row = session.get_one(Night, night)
        plans.choose(session, row, plans.Choice(sheets[0], "a-frame", {}, (people[0],)))
        name = kit.rows(session, number, "people")[0].name
    url = f"/courses/{number}/nights/{night}/plan"
    client.post(f"{url}/present", data={"people": people[1:], "sheets": sheets})
    page = " ".join(client.get(url).text.split())
    assert f"Not here tonight, but in the choices below:</b> {name}." in page
    client.post(f"{url}/present", data={"people": people, "sheets": sheets})
    assert "everybody and every sheet" in client.get(url).text
    with database.session() as session:
        assert asks.absent(session, night) == asks.Absent()


def test_who_is_not_there_travels_in_the_course_file(
    client: TestClient, database: Database, course: tuple[int, int]
) -> None:
    number, night = course
    people, sheets = rows(database, number, "people"), rows(database, number, "sheets")
    url = f"/courses/{number}/nights/{night}/plan"
    client.post(f"{url}/present", data={"people": people[1:], "sheets": sheets[:-1]})
    with database.session() as session:
        file = CourseFile.model_validate_json(
            course_file.export(session, number).model_dump_json()
        )
        made = course_in.bring_in(session, file)
        other = courses.nights(session, made.id)[0].id
        away = asks.absent(session, other)
        assert (len(away.people), len(away.sheets)) == (1, 1)


def test_pieces_that_are_not_there_are_not_counted_on(
    client: TestClient, database: Database, course: tuple[int, int]
) -> None:
    """Stakes and lines left behind: the plan's kit, the board's supports and what stakes hold go
    by what is there; it is kept through the course file; the other nights have everything.
    """
    number, night = course
    people, sheets = rows(database, number, "people"), rows(database, number, "sheets")
    with database.session() as session:
        stakes, lines = (kit.rows(session, number, t)[0] for t in ("stakes", "lines"))
        told = {
            "people": people,
            "sheets": sheets,
            "kinds": [kit.piece_key("stakes", stakes.id), kit.piece_key("lines", lines.id)],
            "counts": [7, 0],
        }
        lacking = lines.count
        before = kit.supports_of(session, number)
    url = f"/courses/{number}/nights/{night}/plan"
    assert client.post(f"{url}/present", data=told).status_code == 200
    with database.session() as session:
        here, there = (
            kit.supports_of(session, number, night),
            kit.supports_of(session, number),
        )
        assert there == before and here.stakes == 7
        assert len(there.lines_m or ()) - len(here.lines_m or ()) == lacking
        pools = case_of(session, number, night).bag.pools
        assert sum(p.count for p in pools if p.kind == STAKE) == 7
        file = CourseFile.model_validate_json(
            course_file.export(session, number).model_dump_json()
        )
        made = course_in.bring_in(session, file)
        other = courses.nights(session, made.id)[0].id
        assert kit.supports_of(session, made.id, other).stakes == 7
    page = " ".join(client.get(url).text.split())
    assert f"{23 + lacking} pieces of other kit are not here" in page
    wrong = client.post(f"{url}/present", data={**told, "counts": [-3, 0]})
    assert wrong.status_code == 422
