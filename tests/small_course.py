"""A small course on a small wood, for tests that make plans."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING, Any

from sqlalchemy import func, select

from tarvik.exchange.ground_form import checked
from tarvik.store import courses, kit, nights
from tarvik.store.models import GroundItem, Provider
from tarvik.work.planning import Planner
from tarvik.work.queue import work_on
from tarvik.work.solving import Solver

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database


def work_off(database: Database, planner: Planner | None = None) -> None:
    """Let a worker do every job there is, in a thread of its own as in life."""
    planner = planner or Planner(database, Solver())
    worker = threading.Thread(
        target=work_on,
        args=(database.url, planner.perform),
        kwargs={"once": True, "signals": False, "ahead": planner.ahead},
    )
    worker.start()
    worker.join()


TREES = [
    (0, 0),
    (4.2, 0),
    (8.8, 0.4),
    (0.5, 9),
    (4.9, 9.2),
    (9.5, 8.8),
    (15, 2),
    (15, 7),
    (19.5, 2),
    (19.5, 7.4),
]


def small_course(
    session: Session, *, stakes: int = 30, sheets: int = 3, wood: bool = True
) -> tuple[int, int]:
    """Four people, a leader among them, squares of 3 m of their own, poles, cord; (course,
    night). Of the first provider there is, a demo's too.
    """
    course = courses.new_course(
        session,
        "Small wood",
        "",
        "metric",
        2,
        courses.read_date("2027-06-20"),
        session.scalar(select(func.min(Provider.id))),
    )
    night = courses.nights(session, course.id)[0]
    people: list[dict[str, Any]] = [
        {"name": "Ada L", "stature_m": 1.72, "role": "leader", "skill": "practised"},
        {"name": "Bo S", "stature_m": 1.80, "role": "student"},
        {"name": "Cy S", "stature_m": 1.66, "role": "student", "snores": True},
        {"name": "Di S", "stature_m": 1.70, "role": "student", "skill": "novice"},
    ]
    made = kit.add(session, course.id, "people", people)
    square = {
        "width_m": 3.0,
        "length_m": 3.0,
        "tie_outs": ["corners", "mid-sides", "centre"],
    }
    kit.add(
        session, course.id, "sheets", [{**square, "owner_id": p.id} for p in made[:sheets]]
    )
    kit.add(
        session,
        course.id,
        "supports",
        [{"kind": "pole", "count": 4, "least_m": 1.0, "most_m": 1.5}],
    )
    kit.add(
        session,
        course.id,
        "lines",
        [{"length_m": 6.0, "count": 4}, {"length_m": 3.0, "count": 10}],
    )
    kit.add(session, course.id, "stakes", [{"count": stakes}])
    site = nights.add_site(
        session, course.id, {"name": "Wood", "latitude": 54.0, "longitude": -2.0}
    )
    if wood:
        for n, (x, y) in enumerate(TREES):
            values = {"name": f"T{n}", "kind": "tree", "x": x, "y": y, "across_m": 0.2}
            session.add(
                GroundItem(site_id=site.id, kind="thing", data=checked("thing", values))
            )
    session.flush()
    nights.use_site(session, night, site.id)
    return course.id, night.id
