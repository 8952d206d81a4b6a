"""What a plan's page lets whom ask for, and how much of it at a time."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from sqlalchemy import func, select

from tarvik.store import accounts, asks, kit, night_plan
from tarvik.store.accounts import Role
from tarvik.store.models import PlanJob, Provider
from tarvik.work.queue import Queue, QueueError
from tests.conftest import client_of
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def place(client: TestClient, database: Database) -> tuple[int, int, str]:
    """A small course, its night, and the plan's address."""
    with database.session() as session:
        course, night = small_course(session)
    return course, night, f"/courses/{course}/nights/{night}/plan"


def token_of(database: Database, course: int, role: Role) -> str:
    """Somebody with a role in a course, signed in."""
    with database.session() as session:
        home = session.scalar(select(func.min(Provider.id))) or 0
        made = accounts.new_account(
            session, home, f"{role.word}@first.example", role.word, "tall grass under rain"
        )
        accounts.set_role(session, course, made.id, role)
        return accounts.sign_in(session, made, "a test")


REPAIRS = [
    {"tags": ["kit stake"]},
    {"tags": ["bed 1"]},
    {"tags": ["lock person 1", "bed 1"]},
    {"tags": ["always 1 2"]},
]


@pytest.mark.parametrize("role", [Role.ASSISTANT, Role.LEADER])
@pytest.mark.parametrize("wanted", REPAIRS)
def test_no_repair_writes_kit(
    database: Database,
    place: tuple[int, int, str],
    wanted: dict[str, list[str]],
    role: Role,
) -> None:
    """What people bring they put on the list themselves; rules are a leader's."""
    with client_of(database, token_of(database, place[0], role), demo=True) as someone:
        with database.session() as session:
            before = [
                len(kit.rows(session, place[0], t)) for t in ("sheets", "stakes", "lines")
            ]
        assert someone.get(place[2]).status_code == 200
        answer = someone.post(f"{place[2]}/repair", json=wanted)
        if wanted["tags"][0].startswith("always"):
            assert answer.status_code == (200 if role is Role.LEADER else 403)
        else:
            assert answer.status_code == 422 and "bring" in answer.text
        with database.session() as session:
            after = [
                len(kit.rows(session, place[0], t)) for t in ("sheets", "stakes", "lines")
            ]
        assert after == before


def test_an_assistant_lets_a_lock_go_by_a_repair(
    database: Database, place: tuple[int, int, str]
) -> None:
    """Locks are the plan's own, which an assistant makes."""
    with database.session() as session:
        person = kit.rows(session, place[0], "people")[0].id
        asks.toggle_lock(session, place[1], "people", person)
    with client_of(
        database, token_of(database, place[0], Role.ASSISTANT), demo=True
    ) as assistant:
        wanted = {"tags": [f"lock person {person}"]}
        assert assistant.post(f"{place[2]}/repair", json=wanted).status_code == 200
    with database.session() as session:
        assert (
            asks.asked_of(night_plan.of_night(session, place[1]))["locks"]["people"] == []
        )


@pytest.mark.parametrize(
    "tag",
    [
        *("lock", "lock person", "lock person x", "lock person -1", "lock dance 1"),
        *("bed", "bed ²", "kit", "always 1", "always 1 2 3", "", " "),
        "lock person 99999999999999999999",
    ],
)
def test_a_tag_that_is_none_is_refused_in_words(
    client: TestClient, place: tuple[int, int, str], tag: str
) -> None:
    answer = client.post(f"{place[2]}/repair", json={"tags": [tag]})
    assert answer.status_code == 422 and answer.json()["detail"]


def test_a_provider_has_only_so_many_plans_made_at_a_time(
    client: TestClient,
    database: Database,
    place: tuple[int, int, str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """The one too many is refused and leaves no job behind; a called-off one makes room."""
    monkeypatch.setattr(asks, "MOST_OPEN", 2)
    jobs = [
        client.post(f"{place[2]}/jobs", json={"kind": k}).json()
        for k in ("plan", "evening")
    ]
    refused = client.post(f"{place[2]}/jobs", json={"kind": "slack"})
    assert refused.status_code == 429 and "wait" in refused.json()["detail"]
    with database.session() as session:
        assert asks.open_jobs(session) == 2
        asks.call_off(session, place[1], jobs[0]["id"])
    assert client.post(f"{place[2]}/jobs", json={"kind": "slack"}).status_code == 200


def test_a_queue_out_of_reach_leaves_no_open_job(
    client: TestClient,
    database: Database,
    place: tuple[int, int, str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def unreachable(*_: object) -> None:
        raise QueueError("the queue of plans cannot be reached")

    monkeypatch.setattr(Queue, "put", unreachable)
    answer = client.post(f"{place[2]}/jobs", json={"kind": "plan"})
    assert answer.status_code == 503 and "try again" in answer.json()["detail"]
    with database.session() as session:
        assert asks.open_jobs(session) == 0
        assert session.scalar(select(func.count(PlanJob.id))) == 1
