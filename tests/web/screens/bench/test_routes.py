"""Every pitch on every page of the bench, under a plain sheet and one with shaped edges: no page
breaks, whatever the pitch lacks.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from tarvik.core.pitches import PITCHES
from tarvik.store import kit
from tarvik.store.models import Course
from tests.conftest import client_of, owner_token
from tests.small_course import small_course
from tests.web.test_fuzz import SHAPED

if TYPE_CHECKING:
    from collections.abc import Iterator

    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def bench(database: Database) -> Iterator[tuple[TestClient, list[str]]]:
    """A client and the addresses of both sheets' benches."""
    with database.session() as session:
        course, night = small_course(session)
        shaped = {
            "width_m": 3.0,
            "length_m": 3.0,
            "outline": SHAPED,
            "tie_outs": ["corners"],
        }
        sheets = [
            kit.rows(session, course, "sheets")[0],
            *kit.add(session, course, "sheets", [shaped]),
        ]
        session.get_one(Course, course).rules = {"net_kind": "box"}
        base = f"/courses/{course}/nights/{night}"
        addresses = [f"{base}/bench/{s.id}" for s in sheets]
        night_row = f"{base}/weather"
    with client_of(database, owner_token(database), rate=0) as client:
        shown = client.get(night_row)
        assert shown.status_code == 200
        yield client, addresses


@pytest.mark.parametrize("group", range(3))
def test_every_pitch_opens_on_every_page_of_the_bench(
    bench: tuple[TestClient, list[str]], group: int
) -> None:
    client, addresses = bench
    for pitch in sorted(PITCHES)[group::3]:
        for address in addresses:
            for part in ("", "/view", "/more", "/ways"):
                got = client.get(f"{address}/{pitch}{part}")
                assert got.status_code in (200, 422), (pitch, address, part, got.text[:200])
                assert part or got.status_code == 200, (pitch, address)


def test_the_board_shows_a_sheet_with_shaped_edges(
    bench: tuple[TestClient, list[str]],
) -> None:
    client, addresses = bench
    base, _, shaped = addresses[1].rpartition("/bench/")
    for intent in ("storm", "warm-insects", "shade", "fair-view"):
        client.post(f"{base}/intent", data={"intent": intent})
        assert client.get(f"{base}/board").status_code == 200
        cells = client.get(f"{base}/board/cells?sheets={shaped}")
        assert cells.status_code == 200
        assert cells.text.count('class="sheet-row') == 1
