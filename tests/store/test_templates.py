"""One course made from another: what is wanted comes along, and nothing else."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.demo.course import ensure_demo
from tarvik.store import courses, field, ground, kit, nights, plans, templates
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Course, Site
from tarvik.store.templates import KIT, Wanted

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def demo(database: Database) -> int:
    """The demo's course."""
    with database.session() as session:
        ensure_demo(session)
        return session.query(Course).filter_by(demo=True).one().id


def counts(session: Session, course: int) -> dict[str, int]:
    return {name: len(kit.rows(session, course, name)) for name in ("people", *KIT)}


def sites(session: Session, course: int) -> list[Site]:
    return session.query(Site).filter_by(course_id=course).order_by(Site.id).all()


def test_a_whole_course_comes_again_without_dates_and_logs(
    database: Database, demo: int
) -> None:
    with database.session() as session:
        made = templates.copied(session, demo, Wanted(True, True, True, True), "Next year")
        number = made.id
        assert made.name == "Next year"
        assert not made.demo
    with database.session() as session:
        assert counts(session, number) == counts(session, demo)
        own, old = courses.nights(session, number), courses.nights(session, demo)
        assert [n.title for n in own] == [n.title for n in old]
        assert [n.needs for n in own] == [n.needs for n in old]
        assert all(n.on is None for n in own)
        assert [len(plans.shelters(session, n.id)) for n in own] == [
            len(plans.shelters(session, n.id)) for n in old
        ]
        assert field.logged(session, number) == []
        for new, before in zip(sites(session, number), sites(session, demo), strict=True):
            assert [i.data for i in ground.items(session, new.id)] == [
                i.data for i in ground.items(session, before.id)
            ]
        rules = session.get_one(Course, number).rules
        assert {k: v for k, v in rules.items() if k != "pairs"} == {
            k: v for k, v in session.get_one(Course, demo).rules.items() if k != "pairs"
        }


def test_kit_without_people_is_the_groups(database: Database, demo: int) -> None:
    with database.session() as session:
        number = templates.copied(session, demo, Wanted(kit=True)).id
    with database.session() as session:
        told, before = counts(session, number), counts(session, demo)
        assert told == before | {"people": 0}
        assert all(row.owner_id is None for row in kit.rows(session, number, "sheets"))
        assert sites(session, number) == []
        (night,) = courses.nights(session, number)
        assert plans.shelters(session, night.id) == []
        assert nights.night_of(session, session.get_one(Course, number), night)


def test_another_courses_kit_goes_to_people_of_the_same_name(
    database: Database, demo: int
) -> None:
    with database.session() as session:
        made = courses.new_course(session, "Small", "", "metric", 1, None)
        name = kit.rows(session, demo, "people")[0].name
        kit.add(session, made.id, "people", [{"name": name, "stature_m": 1.8}])
        got = templates.taken(session, made.id, demo, Wanted(kit=True, sites=True))
        number = made.id
        assert got.people == 0
        assert got.sites == len(sites(session, demo)) > 0
    with database.session() as session:
        mine = kit.rows(session, number, "people")[0].id
        owned = [r for r in kit.rows(session, number, "sheets") if r.owner_id is not None]
        assert owned
        assert {row.owner_id for row in owned} == {mine}
        before = counts(session, demo)
        assert counts(session, number) == before | {"people": 1}


def test_nobody_and_no_site_is_taken_twice(database: Database, demo: int) -> None:
    with database.session() as session:
        made = courses.new_course(session, "Small", "", "metric", 1, None)
        wanted = Wanted(people=True, sites=True)
        first = templates.taken(session, made.id, demo, wanted)
        again = templates.taken(session, made.id, demo, wanted)
        assert first.people == counts(session, demo)["people"]
        assert (again.people, again.sites) == (0, 0)
        with pytest.raises(NotFoundError):
            templates.taken(session, made.id, 999_999, wanted)
