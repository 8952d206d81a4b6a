"""The hung shape on its pages, without a browser."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pytest

from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.hang.tell import ToldPool, tell
from tarvik.core.hang.water import Grows
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, solve
from tarvik.core.tonight import Night, judge
from tarvik.core.units import Units, format_area, format_length
from tarvik.demo.course import ensure_demo
from tarvik.store import courses, kit
from tarvik.web.shared.as_hung import Seen

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
HIGH = {"height": 1.7}
"""High enough to sit up in."""


@pytest.fixture
def here(client: TestClient, database: Database) -> tuple[TestClient, str, str]:
    """A client, the first night's address and a bench of one sheet."""
    with database.session() as session:
        course = ensure_demo(session)
        night = courses.nights(session, course.id)[0]
        sheet = next(
            s
            for s in kit.rows(session, course.id, "sheets")
            if s.owner and s.owner.name == "Faro T"
        )
        night_at = f"/courses/{course.id}/nights/{night.id}"
        return client, night_at, f"{night_at}/bench/{sheet.id}"


def test_the_bench_shows_the_hung_shape_over_the_fold(
    here: tuple[TestClient, str, str],
) -> None:
    client, _, bench = here
    plain = client.get(f"{bench}/plow-point/hung?height=1.2").text
    for words in (
        "As it hangs",
        "Taut fold",
        "Lowest over the heads",
        "h-fold",
        "h-wrinkled",
        "data-lift",
        "Pull at rest",
    ):
        assert words in plain
    raised = client.get(
        f"{bench}/plow-point/hung?height=1.2&hang_at=1.52_1.52&hang_by=0.25"
    ).text
    assert "cord" in raised
    wet = client.get(f"{bench}/plow-point/hung?height=1.2&hang_wet=1&hang_taut=0").text
    assert "wet, stakes pulled 0.0 % past taut" in wet
    assert "hangs from no ties" in client.get(f"{bench}/bag/hung").text


def test_advice_says_how_taut_which_stake_and_how_sure(
    here: tuple[TestClient, str, str],
) -> None:
    client, _, bench = here
    told = client.get(f"{bench}/plow-point/hung/advice?height=1.2").text
    for words in (
        "How taut to pull it",
        "Go round again",
        "shear stiffness",
        "Wet and not pulled again",
    ):
        assert words in told
    assert told == client.get(f"{bench}/plow-point/hung/advice?height=1.2").text
    assert client.get(f"{bench}/bag/hung/advice").text.strip() == ""


@pytest.mark.parametrize(
    "query",
    [
        "hang_taut=2",
        "hang_taut=x",
        "hang_at=9_9&hang_by=0.1",
        "hang_at=oops&hang_by=0.1",
        "hang_by=7",
    ],
)
def test_what_cannot_be_hung_so_is_refused_kindly(
    here: tuple[TestClient, str, str], query: str
) -> None:
    client, _, bench = here
    answer = client.get(
        f"{bench}/plow-point/hung?height=1.2&{query}",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert "hang_" in str(answer.json())


def test_board_and_bench_judge_by_the_hung_shape(
    here: tuple[TestClient, str, str],
) -> None:
    client, night, bench = here
    sheet = bench.rsplit("/", 1)[1]
    rows = client.get(f"{night}/board/cells?sheets={sheet}").text
    bench_at = client.get(f"{bench}/plow-point?height={HIGH['height']}").text
    app = client.app.state.tarvik  # type: ignore[attr-defined]
    from tarvik.core.hang.hung import usual_hanging
    from tarvik.store import nights
    from tarvik.web.shared.questions import question

    course_id = int(night.split("/")[2])
    with app.database.session() as session:
        course = courses.course(session, course_id)
        tonight = nights.night_of(session, course, courses.nights(session, course_id)[0])
        row = kit.one(session, course_id, "sheets", int(sheet))
        solution = app.solver.solve(
            question(row, "plow-point", tonight, kit.supports_of(session, course_id))
        )
        told, _ = app.hangings.now(solution, usual_hanging(kit.sheet_of(row)))
        fold = app.solver.solve(
            question(row, "plow-point", tonight, kit.supports_of(session, course_id), HIGH)
        )
        high, _ = app.hangings.now(fold, usual_hanging(kit.sheet_of(row)))
    assert told.sleepers <= solution.figures.sleepers
    peak = format_length(told.peak_m, Units.METRIC)
    cell = rows.split('data-pitch="plow-point"')[1].split("</td>")[0]
    assert f"<b>{peak}</b> peak" in cell
    sat = format_area(high.sit_m2, Units.METRIC)
    assert sat != format_area(fold.figures.sit_area_m2, Units.METRIC)
    assert f"<strong>{sat}</strong>" in bench_at


def test_a_pool_that_feeds_itself_stops_a_shelter_on_the_board() -> None:
    solution = solve(
        Question(
            Sheet.rectangle(3.0, 3.0),
            PITCHES["four-corner-shade"],
            {"height": 1.6, "low": 1.0},
        )
    )
    assert solution.shelter and solution.figures and solution.assessment.rig
    told = tell(
        hang(solution.shelter, solution.assessment.rig, Hanging(lines=7)),
        solution.figures,
        solution.question.body,
    )
    plain = judge(solution, Night(), 1)
    calm = Seen(solution, told, solution)
    assert calm.judged(plain, Units.METRIC).verdict is plain.verdict
    pool = ToldPool((0.0, 0.0, 1.0), 3.0, 90.0, 0.3, Grows.FEEDS_ITSELF.value)
    filling = Seen(solution, replace(told, pools=(pool,)), solution).judged(
        plain, Units.METRIC
    )
    assert filling.worst is not None
    assert filling.worst.code == "pool_feeds"
    assert filling.verdict is Verdict.NEEDS
    assert Seen(solution, None, solution).findings(Units.METRIC) == []
