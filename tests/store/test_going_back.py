"""Earlier versions made again from the trail."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

import pytest
from sqlalchemy import select

from tarvik.store import (
    accounts,
    asks,
    course_file,
    courses,
    erasing,
    going_back,
    kit,
    night_plan,
    plans,
)
from tarvik.store.kit import NotFoundError
from tarvik.store.models import (
    Change,
    Course,
    ForecastRow,
    Night,
    Person,
    PlanJob,
)
from tarvik.store.scope import Scope, within
from tests.small_course import small_course
from tests.store.test_keeping import as_it_is, put_up

if TYPE_CHECKING:
    from tarvik.store.database import Database

pytestmark = pytest.mark.database


def test_a_course_a_night_and_a_plan_go_back(database: Database) -> None:
    """Whatever was changed, added, deleted and planned since; and going back can itself be taken
    back.
    """
    with database.session() as session:
        course, night = small_course(session)
    put_up(database, night)
    before = as_it_is(database, course)
    with database.session() as session:
        mark = session.scalar(select(Change.id).order_by(Change.id.desc()).limit(1)) or 0
        people = kit.rows(session, course, "people")
        kit.delete(session, course, "people", people[3].id)
        people[1].stature_m = 2.0
        kit.add(session, course, "people", [{"name": "New One", "stature_m": 1.5}])
        kit.add(session, course, "lines", [{"length_m": 9.0, "count": 2}])
        courses.add_night(session, course)
        plans.replace_all(session, session.get_one(Night, night), [], "emptied")
        asks.set_asked(session, night, {"seconds": 33})
    put_up(database, night, people=1)
    after = as_it_is(database, course)
    assert after != before
    with database.session() as session:
        first = session.scalar(
            select(Change.id).where(Change.id > mark).order_by(Change.id).limit(1)
        )
        end = session.scalar(select(Change.id).order_by(Change.id.desc()).limit(1))
        assert first is not None and end is not None
        going_back.restore(session, course, first, night, plan_only=True)
    half = json.loads(as_it_is(database, course))
    assert half["nights"][0]["shelters"] == json.loads(before)["nights"][0]["shelters"]
    assert half["people"] == json.loads(after)["people"]
    with database.session() as session:
        going_back.restore(session, course, first)
    assert as_it_is(database, course) == before
    with database.session() as session:
        undo = session.scalar(
            select(Change.id).where(Change.id > end).order_by(Change.id).limit(1)
        )
        assert undo is not None
        going_back.restore(session, course, undo)
    assert as_it_is(database, course) == after
    with database.session() as session, pytest.raises(NotFoundError):
        going_back.restore(session, course + 1, first)


def test_going_back_after_an_erasing(database: Database) -> None:
    """Whoever was erased stays away, whatever pointed at them; the rest goes back."""
    with database.session() as session:
        course, night = small_course(session)
    put_up(database, night)
    with database.session() as session:
        mark = session.scalar(select(Change.id).order_by(Change.id.desc()).limit(1)) or 0
        goes, stays = kit.rows(session, course, "people")[:2]
        numbers = goes.id, stays.id
        stays.name = "Somebody Else"
        plans.replace_all(session, session.get_one(Night, night), [], "emptied")
        erasing.erase(session, course, goes.id)
    with database.session() as session:
        since = session.scalar(
            select(Change.id).where(Change.id > mark).order_by(Change.id).limit(1)
        )
        assert since is not None
        going_back.restore(session, course, since)
    with database.session() as session:
        assert session.get(Person, numbers[0]) is None
        assert session.get_one(Person, numbers[1]).name != "Somebody Else"
        owners = {s.owner_id for s in kit.rows(session, course, "sheets")}
        assert numbers[0] not in owners and numbers[1] in owners
        course_file.export(session, course)


def test_going_back_meets_the_plan(database: Database) -> None:
    """What was found no longer holds, open jobs are called off, the plan's own undo takes it back,
    and an imported forecast is there again; a course is neither deleted nor brought back by it.
    """
    with database.session() as session:
        course, night = small_course(session)
        home = accounts.home_provider(session)
        ada = accounts.new_account(
            session, home, "ada@first.example", "Ada", "tall grass under rain"
        )
        scope = Scope(home, ada.id)
    put_up(database, night)
    with within(scope), database.session() as session:
        row = ForecastRow(night_id=night, form={"form": "old"}, failure="")
        session.add(row)
        session.flush()
        mark = session.scalar(select(Change.id).order_by(Change.id.desc()).limit(1)) or 0
        row.form = {"form": "new"}
        there = session.get_one(Night, night)
        plans.replace_all(session, there, [], "emptied")
        step = plans.current_step(session, there)
        asks.keep_found(session, night, "plan", step, {"proved": True})
        job = asks.new_job(session, there, "plan", {})
        courses.delete_course(session, course)
        courses.delete_course(session, course, undo=True)
    with within(scope), database.session() as session:
        first = select(Change.id).where(Change.id > mark).order_by(Change.id).limit(1)
        going_back.restore(session, course, session.scalar(first) or 0)
    with database.session() as session:
        there = session.get_one(Night, night)
        assert plans.current_step(session, there) > step
        assert night_plan.of_night(session, night).found == {}
        assert session.get_one(PlanJob, job.id).state == "cancelled"
        assert session.scalars(select(ForecastRow.form)).one() == {"form": "old"}
        assert session.get_one(Course, course).deleted_at is None
        assert plans.shelters(session, night)
        plans.undo(session, there)
        assert not plans.shelters(session, night)


def test_a_leader_deletes_no_course_by_going_back(database: Database) -> None:
    with database.session() as session:
        course, _ = small_course(session)
        courses.delete_course(session, course)
        gone = session.scalar(select(Change.id).order_by(Change.id.desc()).limit(1)) or 0
        courses.delete_course(session, course, undo=True)
    with database.session() as session:
        going_back.restore(session, course, gone + 1)
        assert session.get_one(Course, course).deleted_at is None
