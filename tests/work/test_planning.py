"""Jobs of the plan: made by a worker, applied once, given up, taken up again after a worker
died.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import select

from tarvik.core.plan.offers import STAKE
from tarvik.store import asks, courses, kit, plans
from tarvik.store.models import PlanJob, PlanStep
from tarvik.work.cases import case_of
from tarvik.work.evening_job import due_of
from tarvik.work.planning import Planner
from tarvik.work.queue import Queue
from tarvik.work.solving import Solver
from tests.patience import PATIENCE_S, comes_true
from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from tarvik.store.database import Database

pytestmark = pytest.mark.database


def ask(database: Database, night_id: int, kind: str = "plan", **wish: object) -> int:
    """Put a job in the queue; its number."""
    with database.session() as session:
        job = asks.new_job(session, courses.night_by_id(session, night_id), kind, wish)
        number = job.id
    queue = Queue(database.url)
    queue.put(number)
    queue.close()
    return number


def job_of(database: Database, number: int) -> PlanJob:
    with database.session() as session:
        job = session.get(PlanJob, number)
        assert job is not None
        session.expunge(job)
        return job


def test_a_plan_is_made_applied_and_undone(database: Database) -> None:
    """From the queue to the night's choices; then what follows from them: why, evening, mishaps."""
    with database.session() as session:
        course, night = small_course(session)
    planner = Planner(database, Solver())
    number = ask(database, night)
    work_off(database, planner)
    job = job_of(database, number)
    assert job.state == "done" and job.runs == 1, job.result
    result = job.result or {}
    assert result["applied"] and result["proven"] and result["without"] == []
    with database.session() as session:
        shelters = plans.shelters(session, night)
        people = [p for s in shelters for p in plans.sleepers(s)]
        assert len(people) == 4
        leader = next(
            s for s in shelters if any(p.role == "leader" for p in plans.sleepers(s))
        )
        assert all(
            p.role == "leader" for p in plans.sleepers(leader)
        )  # leaders and students sleep apart
        assert all(s.spot and s.spot["planned"] for s in shelters)
        trees = [t for s in shelters for t in (s.spot or {})["trees"]]
        assert len(trees) == len(set(trees))
    for kind in ("why", "evening", "mishap", "slack"):
        number = ask(database, night, kind)
        work_off(database, planner)
        job = job_of(database, number)
        assert job.state == "done", (kind, job.result)
        told = job.result or {}
        if kind == "evening":
            assert {t["shelter"] for t in told["tasks"]} == set(range(1, len(shelters) + 1))
            assert not told["late"]
        if kind == "mishap":
            assert len(told["foul"]) == len(shelters)
        if kind == "slack":
            assert {m["words"] for m in told["more"]} >= {
                "one more pole",
                "ten more stakes",
            }
    with database.session() as session:
        found = courses.night(session, course, night)
        assert plans.undo(session, found) == "the plan"
        assert not plans.shelters(session, night)
        assert plans.redo(session, found) == "the plan"
        assert len(plans.shelters(session, night)) == len(shelters)


def test_what_is_fixed_stays_and_little_changes(database: Database) -> None:
    """With every shelter standing, the plan with the fewest moves leaves all as it is; a person who
    is fixed stays.
    """
    with database.session() as session:
        course, night = small_course(session)
    planner = Planner(database, Solver())
    ask(database, night)
    work_off(database, planner)
    with database.session() as session:
        before = plans.snapshot(session, courses.night(session, course, night))
        row = plans.shelters(session, night)[0]
        asks.toggle_lock(session, night, "standing", row.sheet_id)
    number = ask(database, night, few_moves=True)
    work_off(database, planner)
    job = job_of(database, number)
    moves = next(r for r in (job.result or {})["reached"] if r["aim"] == "moves")
    assert moves["value"] == 0
    with database.session() as session:
        after = plans.snapshot(session, courses.night(session, course, night))
    key = lambda c: c["sheet_id"]  # noqa: E731
    assert sorted(after, key=key) == sorted(before, key=key)


def test_too_few_stakes_are_told_with_a_repair(database: Database) -> None:
    with database.session() as session:
        _, night = small_course(session, stakes=2)
    planner = Planner(database, Solver())
    number = ask(database, night)
    work_off(database, planner)
    result = job_of(database, number).result or {}
    assert result["without"]
    repairs = result["impasse"]["repairs"]
    assert any(r["tags"] == ["kit stake"] and r["short"][0][1] >= 1 for r in repairs)


def test_a_change_made_meanwhile_is_not_overwritten(database: Database) -> None:
    with database.session() as session:
        course, night = small_course(session)
    number = ask(database, night)
    with database.session() as session:
        person = kit.rows(session, course, "people")[0]
        sheet = kit.rows(session, course, "sheets")[0]
        plans.choose(
            session,
            courses.night(session, course, night),
            plans.Choice(sheet.id, "lean-to", {"height": 1.0}, (person.id,)),
        )
    work_off(database)
    job = job_of(database, number)
    assert (
        job.state == "done"
        and not (job.result or {})["applied"]
        and (job.result or {})["choices"]
    )
    with database.session() as session:
        assert [s.pitch for s in plans.shelters(session, night)] == ["lean-to"]


def test_a_job_ends_once_and_a_newer_one_takes_its_place(database: Database) -> None:
    with database.session() as session:
        _, night = small_course(session)
        first = asks.new_job(session, courses.night_by_id(session, night), "plan", {})
        second = asks.new_job(session, courses.night_by_id(session, night), "plan", {})
        session.refresh(first)
        assert first.state == "cancelled" and asks.begin(session, first.id) is None
        assert asks.begin(session, second.id) is not None
        assert asks.end(session, second.id, "done", {"choices": []})
        assert not asks.end(session, second.id, "done", {"choices": []})
        assert asks.begin(session, second.id) is None


def test_kit_is_pooled_by_owner_and_length(database: Database) -> None:
    with database.session() as session:
        course, night = small_course(session)
        owner = kit.rows(session, course, "people")[0].id
        kit.add(session, course, "stakes", [{"count": 6, "owner_id": owner}])
        case = case_of(session, course, night)
    assert {(p.owner, p.count) for p in case.bag.pools if p.kind == STAKE} == {
        (None, 30),
        (owner, 6),
    }
    start, due, why = due_of(case, "18:00")
    assert start is not None and start.hour == 18
    assert (
        due is not None and due > 120 and "last light" in why
    )  # midsummer at 54 degrees north


def wait_for(database: Database, number: int, states: set[str]) -> str:
    assert comes_true(lambda: job_of(database, number).state in states), job_of(
        database, number
    ).state
    return job_of(database, number).state


STUCK = """
import sys, time
from tarvik.store.database import Database
from tarvik.work.planning import Planner
from tarvik.work.queue import work_on
from tarvik.work.solving import Solver
class Stuck(Planner):
    def _finish(self, *what):
        print("planned", flush=True)
        time.sleep(3600)
work_on(sys.argv[1], Stuck(Database(sys.argv[1]), Solver()).perform)
"""


def start_worker(database: Database, *, stuck: bool = False) -> subprocess.Popen[str]:
    """A worker; one that is stuck says so when its plan is made, and never hands it over."""
    words = ["-c", STUCK, database.url] if stuck else ["-m", "tarvik", "worker"]
    return subprocess.Popen(
        [sys.executable, *words],
        env={**os.environ, "TARVIK_DATABASE_URL": database.url},
        text=True,
        stdout=subprocess.PIPE if stuck else None,
        stderr=subprocess.DEVNULL,
    )


def test_a_worker_killed_over_a_plan_loses_nothing(database: Database) -> None:
    """Killed without warning over its plan; another worker runs the job again, and it is applied
    once.
    """
    with database.session() as session:
        course, night = small_course(session)
    second = None
    number = ask(database, night)
    first = start_worker(database, stuck=True)
    try:
        assert first.stdout is not None
        assert first.stdout.readline() == "planned\n"
        first.send_signal(signal.SIGKILL)
        first.wait()
        first.stdout.close()
        assert job_of(database, number).state == "running"
        second = start_worker(database)
        assert wait_for(database, number, {"done", "failed"}) == "done"
        job = job_of(database, number)
        assert job.runs == 2
        with database.session() as session:
            steps = session.scalars(
                select(PlanStep).where(PlanStep.night_id == night)
            ).all()
            assert [s.what for s in steps] == ["the plan"]
            assert sum(len(plans.sleepers(s)) for s in plans.shelters(session, night)) == 4
            assert courses.night(session, course, night).id == night
    finally:
        for worker in (first, second):
            if worker is not None and worker.poll() is None:
                worker.terminate()
                worker.wait(timeout=PATIENCE_S)
