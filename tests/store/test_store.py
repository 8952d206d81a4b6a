"""What is saved stays saved, nobody overwrites anybody, deletions and choices can be undone."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from sqlalchemy import inspect, select, text
from sqlalchemy.orm.exc import StaleDataError

from tarvik.core.errors import InputError
from tarvik.demo.course import ensure_demo
from tarvik.store import courses, kit, plans
from tarvik.store.database import Database
from tarvik.store.models import Base, Course, Night, Person, PlanStep
from tarvik.store.server import Server
from tests.patience import PATIENCE_S, comes_true

pytestmark = pytest.mark.database
ROOT = Path(__file__).parents[2]


@pytest.fixture
def demo(database: Database) -> int:
    """Number of the demo course."""
    with database.session() as session:
        made = ensure_demo(session)
        assert made is not None
        return made.id


def test_migrations_make_exactly_the_models(server: Server) -> None:
    """Forward gives every table and column of the models; back, with data in them, leaves
    nothing.
    """
    database = Database(server.fresh_database("tarvik_migrations"))
    database.migrate()
    with database.session() as session:
        ensure_demo(session)
    found = inspect(database.engine)
    for table in Base.metadata.sorted_tables:
        assert {c["name"] for c in found.get_columns(table.name)} == {
            c.name for c in table.columns
        }
    database.unmigrate()
    assert set(inspect(database.engine).get_table_names()) <= {"alembic_version"}
    database.migrate()
    database.close()


def test_the_demo_is_made_once(database: Database, demo: int) -> None:
    with database.session() as session:
        assert ensure_demo(session) is None
        assert len(kit.rows(session, demo, "people")) == 16
        courses.delete_course(session, demo)
    with database.session() as session:
        assert ensure_demo(session) is None


def test_two_leaders_never_overwrite_each_other(database: Database, demo: int) -> None:
    """Another cell of the same row is no conflict; the same cell gives the second both values."""
    with database.session() as session:
        row = kit.rows(session, demo, "people")[0]
        number, version = row.id, row.version

    def change(column: str, typed: str, was: str) -> Person:
        with database.session() as session:
            course = courses.course(session, demo)
            return kit.change(
                session, course, "people", number, column, typed, version, was
            )  # type: ignore[no-any-return]

    assert change("name", "Isaura X", "Isaura W").version == version + 1
    change("note", "vegetarian", "")
    with pytest.raises(kit.ConflictError) as conflict:
        change("name", "Isaura Z", "Isaura W")
    assert (conflict.value.mine, conflict.value.theirs) == ("Isaura Z", "Isaura X")
    with database.session() as session:
        kept = kit.one(session, demo, "people", number)
        assert (kept.name, kept.note) == ("Isaura X", "vegetarian")


def test_the_database_itself_refuses_a_stale_row(database: Database, demo: int) -> None:
    with database.session() as first:
        row = first.scalars(select(Course).where(Course.id == demo)).one()
        with database.session() as second:
            second.scalars(select(Course).where(Course.id == demo)).one().note = "theirs"
        row.note = "mine"
        with pytest.raises(StaleDataError):
            first.flush()
        first.rollback()


def test_bad_cells_change_nothing(database: Database, demo: int) -> None:
    with database.session() as session:
        course = courses.course(session, demo)
        row = kit.rows(session, demo, "people")[0]
        with pytest.raises(InputError):
            kit.change(
                session, course, "people", row.id, "stature", "tall", row.version, "1.71 m"
            )
        with pytest.raises(kit.NotFoundError):
            kit.change(session, course, "people", 10**6, "name", "X", 1, "")


def test_deleting_and_restoring(database: Database, demo: int) -> None:
    with database.session() as session:
        row = kit.rows(session, demo, "stakes")[0]
        kit.delete(session, demo, "stakes", row.id)
        assert kit.supports_of(session, demo).stakes == 6
        kit.restore(session, demo, "stakes", row.id)
        assert kit.supports_of(session, demo).stakes == 70
        courses.delete_course(session, demo)
        assert courses.courses(session) == []
        courses.delete_course(session, demo, undo=True)
        assert len(courses.courses(session)) == 1


def test_another_course_s_rows_are_out_of_reach(database: Database, demo: int) -> None:
    with database.session() as session:
        other = courses.new_course(session, "Other", "", "metric", 1, None)
        row = kit.rows(session, demo, "people")[0]
        with pytest.raises(kit.NotFoundError):
            kit.one(session, other.id, "people", row.id)
        with pytest.raises(kit.NotFoundError):
            courses.night(session, other.id, courses.nights(session, demo)[0].id)


def _choice(
    session: object, course: int, owner: int, people: tuple[int, ...]
) -> plans.Choice:
    sheet = next(s for s in kit.rows(session, course, "sheets") if s.owner_id == owner)  # type: ignore[arg-type]
    return plans.Choice(sheet.id, "plow-point", {"height": 1.2}, people)


def test_choosing_moves_people_and_undo_brings_all_back(
    database: Database, demo: int
) -> None:
    """A person sleeps in one shelter; each undo takes back one change, to the very start."""
    with database.session() as session:
        night = courses.nights(session, demo)[0]
        a, b = (p.id for p in kit.rows(session, demo, "people")[:2])
        plans.choose(session, night, _choice(session, demo, a, (a,)))
        plans.choose(session, night, _choice(session, demo, b, (a, b)))
        rows = plans.shelters(session, night.id)
        assert [[p.id for p in plans.sleepers(r)] for r in rows] == [[a, b]]
        plans.remove(session, night, rows[0].id)
        assert plans.shelters(session, night.id) == []
        assert plans.undo(session, night) == "taking a shelter off"
        assert plans.undo(session, night) == "choosing a shelter"
        assert [
            [p.id for p in plans.sleepers(r)] for r in plans.shelters(session, night.id)
        ] == [[a]]
        plans.undo(session, night)
        assert plans.undo(session, night) is None


def test_choices_are_checked(database: Database, demo: int) -> None:
    with database.session() as session:
        night = courses.nights(session, demo)[0]
        person = kit.rows(session, demo, "people")[0].id
        good = _choice(session, demo, person, (person,))
        for bad in (
            plans.Choice(good.sheet_id, "igloo", {}, (person,)),
            plans.Choice(good.sheet_id, "plow-point", {"height": 77}, (person,)),
            plans.Choice(good.sheet_id, "plow-point", {}, ()),
        ):
            with pytest.raises(InputError):
                plans.choose(session, night, bad)
        with pytest.raises(kit.NotFoundError):
            plans.choose(session, night, plans.Choice(10**6, "plow-point", {}, (person,)))


def test_undo_keeps_a_bounded_memory(database: Database, demo: int) -> None:
    with database.session() as session:
        night = courses.nights(session, demo)[0]
        for _ in range(plans.MOST_STEPS + 10):
            plans.replace_all(session, night, [], "test")
        kept = session.scalars(select(PlanStep).where(PlanStep.night_id == night.id)).all()
        assert len(kept) <= plans.MOST_STEPS + 1


def test_new_courses_are_checked(database: Database) -> None:
    with database.session() as session:
        for name, units, nights in (
            ("", "metric", 1),
            ("x" * 121, "metric", 1),
            ("A", "cubits", 1),
            ("A", "metric", 0),
        ):
            with pytest.raises(InputError):
                courses.new_course(session, name, "", units, nights, None)
        made = courses.new_course(session, " A  B ", "", "imperial", 2, None)
        assert made.name == "A B"
        courses.add_night(session, made.id)
        assert [
            n.title
            for n in session.scalars(select(Night).where(Night.course_id == made.id))
        ][-1] == "Night 3"


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_stopping_the_program_stops_its_database_cleanly(
    how: signal.Signals, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Ctrl-C, kill and even kill -9 of the program: PostgreSQL shuts down and leaves no lock; the
    data is there again.
    """
    folder = (
        Path(f"/var/tmp/tarvik-stop-{os.getpid()}")  # noqa: S108
        if os.geteuid() == 0
        else tmp_path_factory.mktemp("stop")
    )
    code = (
        "import sys, time; from pathlib import Path; from tarvik.store.server import Server\n"
        "import signal; "
        "signal.signal(signal.SIGINT, "
        "signal.default_int_handler)\n"  # ignored by what runs in the background
        "signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))\n"
        f"s = Server(Path({str(folder)!r})).start(); print(s.port, flush=True)\n"
        "try:\n    time.sleep(600)\nexcept (KeyboardInterrupt, SystemExit):\n    pass\n"
        "finally:\n    s.stop()\n"
    )
    program = subprocess.Popen(
        [sys.executable, "-c", code], cwd=ROOT, stdout=subprocess.PIPE, text=True
    )
    assert program.stdout is not None
    assert int(program.stdout.readline()) > 0
    lock = folder / "postgres" / "postmaster.pid"
    assert lock.exists()
    program.send_signal(how)
    program.wait(timeout=PATIENCE_S)
    program.stdout.close()
    assert comes_true(lambda: not lock.exists())
    again = Server(folder).start()
    try:
        with Database(again.url()).engine.connect() as connection:
            assert connection.execute(text("select 1")).scalar() == 1
    finally:
        again.stop()
        subprocess.run(["rm", "-rf", str(folder)], check=False)
