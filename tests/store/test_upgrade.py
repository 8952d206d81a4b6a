"""A database of the first release becomes today's: every row is kept, every page of it opens."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import TYPE_CHECKING, Any

import pytest
from sqlalchemy import MetaData, func, inspect, select

from tarvik.store.database import Database
from tarvik.store.models import Base
from tests.conftest import client_of, owner_token

if TYPE_CHECKING:
    from tarvik.store.server import Server

pytestmark = pytest.mark.database
ROWS: dict[str, list[dict[str, Any]]] = {
    "course": [
        {
            "name": "Old course",
            "place": "Hollin Edge",
            "note": "",
            "units": "metric",
            "demo": False,
            "created_at": datetime(2026, 5, 1, tzinfo=UTC),
        }
    ],
    "person": [
        {"name": "Ada", "stature_m": 1.7, "role": "leader", "measured": {}, "note": ""},
        {
            "name": "Bel",
            "stature_m": 1.8,
            "role": "student",
            "measured": {},
            "note": "",
        },
    ],
    "sheet": [
        {
            "label": "Square",
            "owner_id": 1,
            "width_m": 3.0,
            "length_m": 3.0,
            "outline": None,
            "tie_outs": ["corners", "mid-sides"],
            "material": "",
            "note": "",
        }
    ],
    "support": [{"kind": "tree", "count": 4, "note": ""}],
    "line": [{"length_m": 6.0, "count": 3, "note": ""}],
    "stake": [{"count": 12, "note": ""}],
    "night": [{"title": "First", "on": date(2026, 6, 1), "intent": "steady-rain"}],
    "shelter": [
        {"night_id": 1, "sheet_id": 1, "pitch": "plow-point", "settings": {"height": 1.2}}
    ],
    "shelter_member": [{"shelter_id": 1, "person_id": 1, "night_id": 1}],
    "plan_step": [
        {
            "night_id": 1,
            "what": "Chose",
            "before": {},
            "made_at": datetime(2026, 5, 2, tzinfo=UTC),
        }
    ],
}
"""Rows of the tables that the first release had, in an order in which they can be written."""


def _fill(database: Database) -> None:
    """Write the rows as the first release did: no column that came later is named."""
    tables = MetaData()
    tables.reflect(database.engine)
    with database.session() as session:
        for name, rows in ROWS.items():
            table = tables.tables[name]
            common = {"course_id": 1, "position": 0, "version": 1}
            given = [
                {k: v for k, v in common.items() if k in table.columns} | row
                for row in rows
            ]
            for row in given:
                session.execute(table.insert().values(row))


@pytest.mark.parametrize("between", ["", "0004", "0006"])
def test_a_database_of_the_first_release_opens_today(server: Server, between: str) -> None:
    """All at once, or release by release."""
    database = Database(server.fresh_database("tarvik_old"))
    database.migrate("0001")
    assert set(inspect(database.engine).get_table_names()) == {*ROWS, "alembic_version"}
    _fill(database)
    if between:
        database.migrate(between)
    database.migrate()
    with database.session() as session:
        for name, rows in ROWS.items():
            table = Base.metadata.tables[name]
            assert session.scalar(select(func.count()).select_from(table)) == len(rows), (
                name
            )
    with client_of(database, owner_token(database)) as client:
        home = client.get("/courses/1")
        assert home.status_code == 200 and "Old course" in home.text
        for page in (
            "kit",
            "nights/1/board",
            "nights/1/weather",
            "nights/1/plan",
            "nights/1/camp",
            "nights/1/ground",
            "history",
            "file",
        ):
            got = client.get(f"/courses/1/{page}")
            assert got.status_code == 200, (page, got.status_code)
        assert "Square" in got.text  # the course file has every sheet
        made = client.post("/courses/1/nights", follow_redirects=False)
        assert made.status_code < 400
    database.close()
