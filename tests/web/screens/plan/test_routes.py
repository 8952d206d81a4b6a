"""The plan's screen without a browser: every change it sends, its events, its calendar, and kind
refusals.
"""

from __future__ import annotations

import itertools
import json
from dataclasses import replace
from html import unescape
from typing import TYPE_CHECKING, Any

import pytest
from icalendar import Calendar
from sqlalchemy import text

import tarvik.core.plan.make as making
from tarvik.core.plan.aims import AIMS
from tarvik.core.plan.constraint import SAFEGUARDS
from tarvik.store import asks, courses, kit, night_plan, nights, plans
from tarvik.store.models import Course
from tarvik.work import planning
from tarvik.work.planning import Planner
from tarvik.work.solving import Solver
from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from collections.abc import Sequence

    from fastapi.testclient import TestClient

    from tarvik.core.solve import Question, Solution
    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def place(database: Database) -> tuple[str, int, int]:
    """The plan's address on a small course, with its course and night."""
    with database.session() as session:
        course, night = small_course(session)
    return f"/courses/{course}/nights/{night}/plan", course, night


def run(client: TestClient, database: Database, url: str, **wanted: Any) -> dict[str, Any]:
    """Ask for a job, let a worker do it, and read how it ended from its events."""
    asked = client.post(f"{url}/jobs", json=wanted)
    assert asked.status_code == 200, asked.text
    work_off(database)
    events = client.get(f"{url}/jobs/{asked.json()['id']}/events")
    assert events.headers["content-type"].startswith("text/event-stream")
    last = [line for line in events.text.splitlines() if line.startswith("data: ")][-1]
    told: dict[str, Any] = json.loads(last.removeprefix("data: "))
    assert not told["open"]
    return told


def test_a_page_opened_meanwhile_follows_the_job(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    """A reload during planning keeps the progress: the page is told of the job that runs."""
    assert "data-running" not in client.get(place[0]).text
    job = client.post(f"{place[0]}/jobs", json={}).json()
    shown = client.get(place[0]).text
    told = json.loads(unescape(shown.split('data-running="', 1)[1].split('"', 1)[0]))
    assert (told["id"], told["open"]) == (job["id"], True)
    work_off(database)
    assert "data-running" not in client.get(place[0]).text


def test_an_empty_night_says_what_to_do(
    client: TestClient, place: tuple[str, int, int]
) -> None:
    text = client.get(place[0]).text
    assert "No plan for this night yet" in text and "Make the plan" in text


def test_the_whole_evening_of_a_plan(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    url, course, night = place
    assert run(client, database, url, kind="plan")["state"] == "done"
    text = client.get(url).text
    assert (
        "proved: no plan does better" in text
        and "Ada L" in text
        and "enough of everything" in text
    )
    with database.session() as session:
        people = {p.name: p.id for p in kit.rows(session, course, "people")}
    # the forecast turns: the page says so and offers the fewest moves
    assert "has changed since the plan was made" not in text
    with database.session() as session:
        found = courses.night(session, course, night)
        nights.set_needs(
            session,
            found,
            replace(
                nights.needs_of(found), rain_mm_h=6.0, wind_m_s=4.0, wind_from_deg=200.0
            ),
            "test",
        )
    assert "has changed since the plan was made" in client.get(url).text
    assert run(client, database, url, kind="plan", few_moves=True)["state"] == "done"
    assert "has changed since the plan was made" not in client.get(url).text
    client.post(f"{url}/undo")
    # a person moved by hand, fixed there, moved back by undo and again by redo
    someone = people["Bo S"]
    assert client.post(f"{url}/people/{someone}", json={"shelter": None}).status_code == 200
    assert "No place to sleep yet" in client.get(url).text
    assert "The choices were changed since the plan was made" in client.get(url).text
    assert client.post(f"{url}/undo").status_code == 200
    assert "No place to sleep yet" not in client.get(url).text
    client.post(f"{url}/undo?redo=true")
    assert "No place to sleep yet" in client.get(url).text
    client.post(f"{url}/undo")
    assert (
        client.post(f"{url}/locks", json={"kind": "people", "number": someone}).status_code
        == 200
    )
    assert 'aria-label="Unlock Bo S"' in client.get(url).text
    with database.session() as session:  # undo puts the shelters up anew, under new numbers
        other = plans.shelters(session, night)[0].id
    knowing = {"shelter": other, "knowing": True}
    assert client.post(f"{url}/people/{someone}", json=knowing).status_code == 200
    # the evening, late people, and its calendar
    assert client.get(f"{url}/evening.ics").status_code == 404
    assert (
        client.post(
            f"{url}/evening",
            json={"arrival": "17:00", "mallets": 1, "person": someone, "late_min": 20},
        ).status_code
        == 200
    )
    assert run(client, database, url, kind="evening")["state"] == "done"
    calendar = Calendar.from_ical(client.get(f"{url}/evening.ics").content)
    events = list(calendar.walk("VEVENT"))
    assert events and all(e["dtstart"].dt < e["dtend"].dt for e in events)
    assert {str(e["summary"]).split(":")[1].strip() for e in events} >= {
        "clear the ground",
        "walk round",
    }
    with database.session() as session:
        found = night_plan.of_night(session, night).found["evening"]
    assert all(t["start"] >= 20 for t in found["tasks"] if someone in t["who"])
    mallets = sorted((t["start"], t["end"]) for t in found["tasks"] if t["mallet"])
    assert all(
        a[1] <= b[0] for a, b in itertools.pairwise(mallets)
    )  # one mallet, one at a time
    assert "<svg" in client.get(url).text


def test_named_plans_are_kept_compared_and_taken_up(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    url, course, night = place
    run(client, database, url, kind="plan")
    with database.session() as session:
        before = plans.snapshot(session, courses.night(session, course, night))
    assert client.post(f"{url}/named", data={"name": "First"}).status_code == 200
    with database.session() as session:
        kept = asks.named(session, night)[0]
        plans.remove(
            session,
            courses.night(session, course, night),
            plans.shelters(session, night)[0].id,
        )
    assert client.post(f"{url}/named/{kept.id}/take").status_code == 200
    with database.session() as session:
        after = plans.snapshot(session, courses.night(session, course, night))
    assert after == before
    assert client.delete(f"{url}/named/{kept.id}").status_code == 200
    assert client.post(f"{url}/named/{kept.id}/take").status_code == 404


def test_aims_and_pairs(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    url, course, night = place
    turned = [AIMS[1], AIMS[0], *AIMS[2:]]
    assert client.post(f"{url}/aims", json={"aims": turned}).status_code == 200
    with database.session() as session:
        assert asks.asked_of(night_plan.of_night(session, night))["aims"] == turned
        two, three = (p.id for p in kit.rows(session, course, "people")[1:3])
    assert client.post(f"{url}/aims", json={"aims": turned[:3]}).status_code == 422
    body = {"kind": "never", "one": three, "two": two}
    assert "never share" in client.post(f"{url}/pairs", json=body).text
    with database.session() as session:
        assert (session.get(Course, course) or Course()).rules["pairs"] == [
            ["never", two, three]
        ]
    client.post(f"{url}/pairs", json=body)
    with database.session() as session:
        assert (session.get(Course, course) or Course()).rules["pairs"] == []


def test_one_line_of_history_takes_back_everything(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    """A lock, the order of the aims, a shelter moved on the map: each is named, taken back and made
    again, the last first; a lock leaves what the plan reaches as it is.
    """
    url, course, night = place
    assert run(client, database, url, kind="plan")["state"] == "done"
    with database.session() as session:
        person = kit.rows(session, course, "people")[1]
        shelter = plans.shelters(session, night)[0]
        spot = dict(shelter.spot or {})
    client.post(f"{url}/locks", json={"kind": "people", "number": person.id})
    assert "proved: no plan does better" in client.get(url).text
    assert f"locking {person.name}" in client.get(url).text
    turned = [AIMS[1], AIMS[0], *AIMS[2:]]
    client.post(f"{url}/aims", json={"aims": turned})
    assert "The choices were changed since the plan was made" in client.get(url).text
    ground = url.replace("/plan", "/ground")
    moved = {**spot, "x": spot["x"] + 0.4, "trees": [], "snap": False}
    assert (
        client.post(f"{ground}/shelters/{shelter.id}/spot", json=moved).status_code == 200
    )

    def now() -> tuple[list[int], list[str], float]:
        with database.session() as session:
            asked = asks.asked_of(night_plan.of_night(session, night))
            first = plans.shelters(session, night)[0].spot or {}
            return asked["locks"]["people"], asked["aims"], first["x"]

    after = ([person.id], turned, moved["x"])
    assert now() == after
    back = [
        ("moving shelter 1", ([person.id], turned, spot["x"])),
        ("the order of the aims", ([person.id], list(AIMS), spot["x"])),
        (f"locking {person.name}", ([], list(AIMS), spot["x"])),
    ]
    for what, left in back:
        assert f"data-undo-words>{what}</span>" in client.get(url).text
        client.post(f"{url}/undo")
        assert now() == left
    for _ in back:
        client.post(f"{url}/undo?redo=true")
    assert now() == after


def test_what_is_short_is_named_and_left_to_people(
    client: TestClient, database: Database
) -> None:
    """Too few stakes: the page names them and offers no button; once they are on the list,
    everybody has a bed.
    """
    with database.session() as session:
        course, night = small_course(session, stakes=2)
    url = f"/courses/{course}/nights/{night}/plan"
    run(client, database, url, kind="plan")
    text = client.get(url).text
    assert "What stands in the way" in text and "more stakes" in text
    assert "Bring or borrow it" in text
    with database.session() as session:
        told = night_plan.of_night(session, night).found["plan"]["impasse"]["repairs"]
        stakes = next(r for r in told if r["tags"] == ["kit stake"])
        assert not any(t in SAFEGUARDS for r in told for t in r["tags"])
        kit.add(session, course, "stakes", [{"count": stakes["short"][0][1]}])
    run(client, database, url, kind="plan")
    assert "No place to sleep yet" not in client.get(url).text
    refused = client.post(f"{url}/repair", json={"tags": ["adults_apart"]})
    assert refused.status_code == 422 and "people to decide" in refused.text


def test_what_a_repair_promises_is_checked(client: TestClient, database: Database) -> None:
    """A lock let go is told as kept when everybody then has a bed, and as not kept when the next
    plan leaves somebody out all the same.
    """
    with database.session() as session:
        course, night = small_course(session)
        person = kit.rows(session, course, "people")[0].id
        asks.toggle_lock(session, night, "people", person)
    url = f"/courses/{course}/nights/{night}/plan"
    assert (
        client.post(f"{url}/repair", json={"tags": [f"lock person {person}"]}).status_code
        == 200
    )
    run(client, database, url, kind="plan")
    assert "did what it promised" in client.get(url).text
    with database.session() as session:
        for row in kit.rows(session, course, "stakes"):
            kit.delete(session, course, "stakes", row.id)
        asks.toggle_lock(session, night, "people", person)
    client.post(f"{url}/repair", json={"tags": [f"lock person {person}"]})
    run(client, database, url, kind="plan")
    assert "did not make room for everybody" in client.get(url).text


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/locks", {"kind": "moon", "number": 1}),
        ("/people/999999", {"shelter": None}),
        ("/pairs", {"kind": "often", "one": 1, "two": 2}),
        ("/evening", {"arrival": "25:99"}),
        ("/evening", {"mallets": 0}),
        ("/jobs", {"kind": "dance"}),
        ("/use/4711", {}),
        ("/repair", {"tags": ["x"] * 99}),
        ("/aims", {"aims": "wet"}),
    ],
)
def test_bad_input_is_refused_kindly(
    client: TestClient, place: tuple[str, int, int], path: str, body: dict[str, Any]
) -> None:
    answer = client.post(place[0] + path, json=body)
    assert 400 <= answer.status_code < 500
    assert answer.headers["content-type"].startswith("application/problem+json")


def test_a_job_can_be_called_off(
    client: TestClient, database: Database, place: tuple[str, int, int]
) -> None:
    url = place[0]
    job = client.post(f"{url}/jobs", json={"kind": "plan"}).json()
    assert client.post(f"{url}/jobs/{job['id']}/cancel").json()["state"] == "cancelled"
    work_off(database)
    assert client.get(f"{url}/jobs/{job['id']}").json()["state"] == "cancelled"
    assert "No plan for this night yet" in client.get(url).text


def test_opening_the_page_lets_a_worker_make_the_plan_beforehand(
    client: TestClient,
    database: Database,
    place: tuple[str, int, int],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Asked for, it is there: nothing is gathered or chosen again. After a change it is made anew,
    of what was gathered.
    """
    for _ in range(2):
        client.get(place[0])
    with database.session() as session:
        asked = text(
            "select args from procrastinate_jobs where task_name = 'tarvik.ahead' and status "
            "= 'todo'"
        )
        assert session.scalars(asked).all() == [{"night_id": place[2]}]
    planner = Planner(database, Solver())
    work_off(database, planner)
    monkeypatch.setattr(making, "Gatherer", lambda *_: pytest.fail("gathered again"))
    with monkeypatch.context() as none:
        none.setattr(planning, "make", lambda *_, **__: pytest.fail("chosen again"))
        job = client.post(f"{place[0]}/jobs", json={"kind": "plan"}).json()["id"]
        work_off(database, planner)
        told = client.get(f"{place[0]}/jobs/{job}").json()
        assert told["state"] == "done" and told["applied"]
    made: list[object] = []
    monkeypatch.setattr(
        planning, "make", lambda *a, **b: made.append(making.make(*a, **b)) or made[-1]
    )
    client.post(
        f"{place[0]}/aims", json={"aims": ["quick", *(a for a in AIMS if a != "quick")]}
    )
    job = client.post(f"{place[0]}/jobs", json={"kind": "plan"}).json()["id"]
    work_off(database, planner)
    assert client.get(f"{place[0]}/jobs/{job}").json()["state"] == "done" and len(made) == 1


def test_nothing_is_got_ready_while_a_job_waits(
    client: TestClient,
    database: Database,
    place: tuple[str, int, int],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Neither begun nor gone on with: the leader who asked comes first."""
    planner = Planner(database, Solver())
    monkeypatch.setattr(planning, "TELL_EVERY_S", 0.0)
    solved = planner.solver.alone

    def asked_meanwhile(questions: Sequence[Question]) -> list[Solution]:
        client.post(f"{place[0]}/jobs", json={"kind": "plan"})
        return solved(questions)

    monkeypatch.setattr(planner.solver, "alone", asked_meanwhile)
    planner.ahead(place[2])
    assert not planner.desk.offers._kept
    monkeypatch.setattr(making, "Gatherer", lambda *_: pytest.fail("begun all the same"))
    planner.ahead(place[2])
    monkeypatch.undo()
    work_off(database, planner)
    assert "proved: no plan does better" in client.get(place[0]).text
