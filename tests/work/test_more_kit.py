"""More kit for all nights of a course: bought where it is short, nothing where all is there, loans
before purchases, and the plan of a night with the bought kit in its bag keeps the promise.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest
from sqlalchemy import delete, select

from tarvik.core.sheet import Sheet
from tarvik.core.units import Units
from tarvik.exchange import more_kit_form
from tarvik.store import courses, kit, library
from tarvik.store.models import Course, SheetRow, StakeRow
from tarvik.work.planning import Planner
from tarvik.work.solving import Solver
from tests.small_course import small_course, work_off
from tests.work.test_planning import ask, job_of

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database

pytestmark = pytest.mark.database

SOLVER = Solver()
"""One for all: the courses are much alike."""
ASKED = {
    "by": "packs",
    "size-square": "3 x 3 m",
    "most-square": "2",
    "size-large": "3 x 4 m",
    "most-large": "0",
    "size-poles": "1.5 m",
    "most-poles": "1",
    "most-stakes": "2",
    "size-guys": "3 m",
    "most-guys": "1",
    "size-ridges": "6 m",
    "most-ridges": "1",
}


def asked_for(session: Session, course: int, **changes: str) -> None:
    """Keep what might be had with a course."""
    row = courses.course(session, course)
    loans = library.to_lend(session, row)
    typed = {**ASKED, **{f"most-{loan.key}": "6" for loan in loans}, **changes}
    kept = more_kit_form.read(typed, loans, Units(row.units))
    courses.set_rule(session, course, more_kit_form.RULE, kept.model_dump(mode="json"))


def advice(database: Database, night: int, **wish: object) -> dict[str, Any]:
    """What a worker finds; its proposals by name."""
    number = ask(database, night, "kit", **wish)
    work_off(database, Planner(database, SOLVER))
    job = job_of(database, number)
    assert job.state == "done", job.result
    result = job.result or {}
    return {one["name"]: one for one in result["proposals"]} | {"whole": result}


def test_what_is_short_is_bought_and_then_the_night_works(database: Database) -> None:
    """With one sheet for four people the rest sleep dry under what is bought; bought in earnest,
    the plan gives everybody a place.
    """
    with database.session() as session:
        course, night = small_course(session, sheets=1)
        asked_for(session, course)
    told = advice(database, night, own={"square": 1, "stakes": 1})
    now, works, ease, own = (told[name] for name in ("now", "works", "ease", "own"))
    assert sum(n["without"] for n in now["nights"]) > 0
    assert works["packs"] and works["proved"] and works["held"]
    assert [n["without"] for n in works["nights"]] == [0] * len(works["nights"])
    assert sum(works["packs"].values()) <= sum(ease["packs"].values())
    assert all(n["close"] == 0 for n in ease["nights"])
    assert own["packs"] == {"square": 1, "stakes": 1}
    assert own["kg"] > 0 and works["kg"] > 0
    with database.session() as session:
        square = {"width_m": 3.0, "length_m": 3.0}
        ties = ["corners", "quarters", "centre"]
        for _ in range(works["packs"].get("square", 0)):
            kit.add(session, course, "sheets", [{**square, "tie_outs": ties}])
        if n := works["packs"].get("stakes", 0):
            kit.add(session, course, "stakes", [{"count": 8 * n}])
        if n := works["packs"].get("guys", 0):
            kit.add(session, course, "lines", [{"count": 4 * n, "length_m": 3.0}])
        if n := works["packs"].get("ridges", 0):
            kit.add(session, course, "lines", [{"count": n, "length_m": 6.0}])
        if n := works["packs"].get("poles", 0):
            pole = {"kind": "pole", "count": n, "least_m": 1.0, "most_m": 1.5}
            kit.add(session, course, "supports", [pole])
    number = ask(database, night)
    work_off(database, Planner(database, SOLVER))
    assert (job_of(database, number).result or {})["without"] == []


def test_what_is_enough_is_left_as_it_is(database: Database) -> None:
    """Where everybody lies dry already, nothing is to be bought."""
    with database.session() as session:
        course, night = small_course(session)
        asked_for(session, course)
    told = advice(database, night)
    assert [n["without"] for n in told["now"]["nights"]] == [0] * len(told["now"]["nights"])
    assert told["works"]["packs"] == {} and told["works"]["proved"]


def test_what_the_library_has_is_borrowed_before_something_is_bought(
    database: Database,
) -> None:
    """By price a loan that costs nothing is taken; what another course has on the same dates, or
    what is to be mended, is not to be had.
    """
    with database.session() as session:
        course, night = small_course(session, sheets=1)
        other, _ = small_course(session)
        row = session.get_one(Course, course)
        told = {"size": "3 x 3 m", "ties": ("corners", "quarters", "centre")}
        for number, condition in (("T1", "good"), ("T2", "good"), ("T3", "mend")):
            item = library.ItemIn(number, condition=condition, **told)  # type: ignore[arg-type]
            library.add(session, row.provider_id, item, Units.METRIC)
        taken = next(i for i in library.items(session, row.provider_id) if i.number == "T2")
        library.lend(session, other, taken.id)
        (loan,) = library.to_lend(session, row)
        assert loan.count == 1 and isinstance(loan.sheet, Sheet)
        prices = {f"price-{u.key}": "30" for u in more_kit_form.USUAL}
        asked_for(session, course, by="price", **prices)
    works = advice(database, night)["works"]
    assert works["packs"].get(loan.key) == 1 or not works["packs"].get("square")
    assert sum(n["without"] for n in works["nights"]) == 0


def test_a_place_where_nobody_may_sleep_is_left_out_and_said(database: Database) -> None:
    """A storm on open ground is no matter of kit: that night is left out, with its reason."""
    with database.session() as session:
        course, night = small_course(session, sheets=1)
        asked_for(session, course)
        row = courses.night(session, course, night)
        row.needs = {
            **(row.needs or {}),
            "wind_m_s": 24.0,
            "surroundings": "open",
        }
        session.execute(delete(StakeRow).where(StakeRow.course_id == course))
        assert session.scalars(select(SheetRow)).all()
    whole = advice(database, night)["whole"]
    stopped = [one for one in whole["nights"] if one["night"] == night]
    assert stopped[0]["stopped"]
    assert all(len(p["nights"]) == len(whole["nights"]) - 1 for p in whole["proposals"])
