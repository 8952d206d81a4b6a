"""A site's ground in the database: all or nothing, undone and done again, nobody overwritten,
migrated forth and back.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from sqlalchemy import func, inspect, select

from tarvik.core.errors import InputError
from tarvik.core.site.things import Area, Ground, Kind, Sort, SpotHeight, Thing
from tarvik.store import courses, ground, nights
from tarvik.store.kit import ConflictError, NotFoundError
from tarvik.store.models import GroundItem, GroundStep

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database

OAK = {"name": "Oak", "kind": "tree", "x": 1.0, "y": 2.0, "across_m": 0.4}
TAPES = [("a", "b", 3.0), ("b", "c", 4.0), ("a", "c", 5.0)]


@pytest.fixture
def site(database: Database) -> int:
    with database.session() as session:
        course = courses.new_course(session, "C", "", "metric", 1, None)
        return nights.add_site(
            session, course.id, {"name": "S", "latitude": 50.0, "longitude": 8.0}
        ).id


def names(session: Session, site: int) -> list[str]:
    return [i.data["name"] for i in ground.items(session, site) if i.kind == "thing"]


def test_items_are_kept_whole(database: Database, site: int) -> None:
    with database.session() as session:
        ground.add(session, site, "thing", [OAK])
    with database.session() as session:
        known = ground.ground_of(ground.items(session, site)).ground
        assert [(t.name, t.at, t.across_m) for t in known.things] == [
            ("Oak", (1.0, 2.0), 0.4)
        ]


def test_a_bad_row_keeps_all_out(database: Database, site: int) -> None:
    rows = [OAK, {**OAK, "name": "Ash"}, {**OAK, "name": "Elm", "x": "far"}]
    with database.session() as session, pytest.raises(InputError, match="item 3"):
        ground.add(session, site, "thing", rows)
    with database.session() as session:
        assert session.scalar(select(func.count()).select_from(GroundItem)) == 0
        assert session.scalar(select(func.count()).select_from(GroundStep)) == 0


def test_undo_and_redo_walk_through_every_change(database: Database, site: int) -> None:
    with database.session() as session:
        (item,) = ground.add(session, site, "thing", [OAK])
        ground.change(session, site, item.id, {"x": 5.0}, item.version)
        ground.remove(session, site, item.id)
        assert names(session, site) == []
        ground.undo(session, site)
        assert ground.one(session, site, item.id).data["x"] == 5.0
        ground.undo(session, site)
        assert ground.one(session, site, item.id).data["x"] == 1.0
        ground.undo(session, site)
        assert names(session, site) == []
        with pytest.raises(InputError):
            ground.undo(session, site)
        for _ in range(3):
            ground.undo(session, site, redo=True)
        assert names(session, site) == []
        with pytest.raises(InputError):
            ground.undo(session, site, redo=True)


def test_a_new_change_ends_what_could_be_done_again(database: Database, site: int) -> None:
    with database.session() as session:
        ground.add(session, site, "thing", [OAK])
        ground.undo(session, site)
        ground.add(session, site, "thing", [{**OAK, "name": "Ash"}])
        assert ground.steps(session, site)[1] is None
        assert names(session, site) == ["Ash"]


def test_undo_never_takes_back_what_somebody_did_since(
    database: Database, site: int
) -> None:
    """The step's own values are no longer there: a conflict, and nothing is changed."""
    with database.session() as session:
        (item,) = ground.add(session, site, "thing", [OAK])
        number = item.id
        item.data = {
            **item.data,
            "x": 9.0,
        }  # as another process would, past this one's steps
    with database.session() as session, pytest.raises(ConflictError):
        ground.undo(session, site)
    with database.session() as session:
        assert ground.one(session, site, number).data["x"] == 9.0


def test_two_points_never_share_a_name(database: Database, site: int) -> None:
    with database.session() as session:
        ground.add(session, site, "thing", [OAK])
        (ash,) = ground.add(session, site, "thing", [{**OAK, "name": "Ash"}])
        with pytest.raises(InputError, match="already"):
            ground.add(session, site, "thing", [OAK])
        with pytest.raises(InputError, match="already"):
            ground.change(session, site, ash.id, {"name": "Oak"}, ash.version)
        ground.change(session, site, ash.id, {"name": "Old ash"}, ash.version)
        assert names(session, site) == ["Oak", "Old ash"]


def test_a_strangers_item_is_not_found(database: Database, site: int) -> None:
    with database.session() as session:
        (item,) = ground.add(session, site, "thing", [OAK])
        for act in (
            lambda: ground.one(session, site + 1, item.id),
            lambda: ground.remove(session, site + 1, item.id),
            lambda: ground.change(session, site + 1, item.id, {"x": 1}, 1),
            lambda: ground.add(session, site + 99, "thing", [OAK]),
        ):
            with pytest.raises(NotFoundError):
                act()


def test_points_wait_for_the_survey_and_stand_where_it_puts_them(
    database: Database, site: int
) -> None:
    """The 3-4-5 triangle: c is 5 m from a; with b pinned on the map the survey hangs from it."""
    with database.session() as session:
        ground.add(session, site, "thing", [{"name": n, "kind": "tree"} for n in "acd"])
        ground.add(
            session, site, "thing", [{"name": "b", "kind": "post", "x": 10.0, "y": 20.0}]
        )
        assert ground.ground_of(ground.items(session, site)).unplaced == ("a", "c", "d")
        ground.add(
            session,
            site,
            "reading",
            [{"way": "tape", "start": a, "end": b, "length_m": m} for a, b, m in TAPES],
        )
        ground.add(
            session,
            site,
            "reading",
            [{"way": "bearing", "start": "b", "end": "c", "bearing_deg": 0.0}],
        )
        ground.add(
            session,
            site,
            "reading",
            [{"way": "side", "start": "b", "end": "c", "point": "a", "hand": "right"}],
        )
        known = ground.ground_of(ground.items(session, site))
        at = {t.name: t.at for t in known.ground.things}
        assert known.unplaced == ("d",)
        assert at["b"] == (10.0, 20.0)
        assert at["c"] == pytest.approx((10.0, 24.0), abs=1e-3)
        assert at["a"] == pytest.approx((13.0, 20.0), abs=1e-3)


def test_an_import_is_one_step(database: Database, site: int) -> None:
    made = Ground(
        (Thing("Oak", Kind.TREE, (1, 2)), Thing("Ash", Kind.TREE, (3, 4))),
        (Area("dip", Sort.HOLLOW, ((0, 0), (1, 0), (1, 1))),),
        (SpotHeight((0, 0), 5.0),),
    )
    with database.session() as session:
        ground.add(session, site, "thing", [OAK])
        assert (
            ground.put_in(session, site, made, "bringing in a file") == 4
        )  # the oak is changed, not doubled
        assert ground.put_in(session, site, made, "once more") == 0
        assert sorted(names(session, site)) == ["Ash", "Oak"]
        assert ground.undo(session, site) == "bringing in a file"
        assert names(session, site) == ["Oak"]
        assert ground.items(session, site)[0].data["across_m"] == 0.4


def test_limits_hold(database: Database, site: int) -> None:
    with database.session() as session, pytest.raises(InputError, match="at most"):
        ground.add(session, site, "check", [{"key": "overhead"}] * 4)
    with database.session() as session, pytest.raises(InputError, match="at most"):
        ground.add(session, site, "cloud", [{}])


def test_the_ground_migrates_forth_and_back(database: Database) -> None:
    """Down to the tables before, and up again; the shelter's spot comes and goes with them."""
    database.unmigrate("0002")
    assert "ground_item" not in inspect(database.engine).get_table_names()
    assert "spot" not in {
        c["name"] for c in inspect(database.engine).get_columns("shelter")
    }
    database.migrate()
    assert {"ground_item", "ground_step"} <= set(inspect(database.engine).get_table_names())
    assert "spot" in {c["name"] for c in inspect(database.engine).get_columns("shelter")}


def test_what_is_kept_in_memory_is_what_is_in_the_database(
    database: Database, site: int
) -> None:
    """Read again and again while it is changed, undone, redone and rolled back by others: never an
    old word.
    """

    def read() -> list[tuple[str, float]]:
        with database.session() as session:
            some, known = ground.known(session, site)
            assert [i.data["name"] for i in some] == [t.name for t in known.ground.things]
            again = ground.ground_of(ground.items(session, site)).ground
            assert known.ground == again
            return [(t.name, t.at[0]) for t in known.ground.things]

    assert read() == []
    with database.session() as session:
        (item,) = ground.add(session, site, "thing", [OAK])
        assert [t.name for t in ground.known(session, site)[1].ground.things] == ["Oak"]
    assert read() == read() == [("Oak", 1.0)]
    with pytest.raises(ZeroDivisionError), database.session() as session:
        ground.change(session, site, item.id, {"x": 9.0}, item.version)
        assert ground.known(session, site)[1].ground.things[0].at[0] == 9.0
        raise ZeroDivisionError
    assert read() == [("Oak", 1.0)]
    with database.session() as session:
        ground.change(session, site, item.id, {"x": 5.0}, item.version)
    assert read() == [("Oak", 5.0)]
    with database.session() as session:
        ground.undo(session, site)
    assert read() == [("Oak", 1.0)]
