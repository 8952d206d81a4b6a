"""Boards worked out by several at a time, and by a second process."""

import os
import signal
import subprocess
import sys
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import pytest

from tarvik.commands.bench_plan import large_case
from tarvik.core.errors import InputError
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Pitch
from tarvik.core.plan.gather import Depth, Gatherer, Gathering, Portion
from tarvik.core.search.objective import Objective
from tarvik.core.search.refine import best_settings
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.solve import ADULT, Question, solve
from tarvik.core.weather.rain import Weather, rain_slope
from tarvik.work import memory
from tarvik.work.searching import Searcher
from tarvik.work.sharing import Sharing
from tarvik.work.solving import Solver
from tests.patience import comes_true

SHEETS = [Sheet.rectangle(2.1, 2.1), Sheet.rectangle(2.4, 3.0), Sheet.rectangle(3.0, 3.0)]
QUESTIONS = [
    Question(
        sheet, PITCHES[slug], {}, body=replace(ADULT, measured={"sitting": 0.9}), wanted=1
    )
    for sheet in SHEETS
    for slug in ("a-frame", "plow-point", "lean-to", "bag", "half-cone")
]


@pytest.fixture(scope="module")
def searcher() -> Iterator[Searcher]:
    made = Searcher().start()
    yield made
    made.stop()


def settings_of(solver: Solver) -> list[dict[str, float]]:
    return [dict(solution.settings) for solution in solver.solve_all(QUESTIONS)]


def test_a_second_process_finds_the_same_settings(searcher: Searcher) -> None:
    """In the order asked, whoever worked them out."""
    alone = [dict(Solver().solve(question).settings) for question in QUESTIONS]
    assert settings_of(Solver()) == alone
    assert settings_of(Solver(searcher)) == alone
    assert searcher.there


def test_each_question_reaches_the_second_process(searcher: Searcher) -> None:
    """Given settings stay given, and a sheet that cannot take the pitch has no settings there
    either.
    """
    question = QUESTIONS[1]
    found = searcher.settings(
        question.pitch, question.sheet, question.objective(), {"height": 1.1}
    )
    assert found == {"height": 1.1}
    shaped = Sheet(((0, 0), (2, 0), (3, 1), (1, 3), (0, 2.5), (0.4, 1.0)))
    assert (
        searcher.settings(PITCHES["plow-point"], shaped, question.objective(), {}) is None
    )


def test_a_second_search_goes_to_the_second_process(
    searcher: Searcher, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where the settings best in calm rain leave somebody wet tonight, it searches anew, and the
    answers are those of one who works alone. This process takes no question for itself here, as it
    would while the other one is still warming up: then nothing would be left to send back.
    """
    asked = [
        replace(
            q, weather=Weather(5.4, 3.0, 90, 50), free_to_turn=True, pitch=PITCHES[slug]
        )
        for q in QUESTIONS[::5]
        for slug in ("a-frame", "a-frame-porch", "diagonal-fly", "lean-to", "bag")
    ]
    seen: list[Objective] = []
    search = searcher.search

    def watched(
        asks: Sequence[tuple[Pitch, Sheet, Objective, Mapping[str, float]]],
        tell: Callable[[int, dict[str, float] | None], None],
    ) -> None:
        seen.extend(objective for _, _, objective, _ in asks)
        search(asks, tell)

    monkeypatch.setattr(searcher, "search", watched)
    monkeypatch.setattr(Sharing, "_own", lambda _: None)
    shared = Solver(searcher).solve_all(asked)
    assert any(rain_slope(objective.weather) > 0 for objective in seen)
    alone = [Solver().solve(question) for question in asked]
    assert [dict(s.settings) for s in shared] == [dict(s.settings) for s in alone]
    assert [s.figures and s.figures.sleepers for s in shared] == [
        s.figures and s.figures.sleepers for s in alone
    ]


def test_sheets_that_differ_in_their_tie_outs_share_searches_and_figures(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What each is told is what it is told alone: its own buttons, tie-outs and picture, with the
    same figures. Where a crease would best end on tie-outs, each is searched by itself.
    """
    sides = (2.4, 3.0)
    patterns = (
        frozenset[TieOuts](),
        frozenset({TieOuts.CORNERS}),
        frozenset({TieOuts.CORNERS, TieOuts.QUARTERS}),
    )
    sheets = [
        Sheet.rectangle(*sides),
        *(Sheet.rectangle(*sides, tie_out_points(*sides, p), (1.2, 1.4)) for p in patterns),
    ]
    slugs = ("plow-point", "plow-point-lifted", "a-frame", "lean-to-floored", "half-cone")
    asked = [
        Question(
            sheet,
            PITCHES[slug],
            {},
            wanted=1,
            weather=Weather(5.4, 3.0, 90, 50),
            free_to_turn=True,
        )
        for sheet in sheets
        for slug in slugs
    ]
    searched: list[tuple[str, bool]] = []

    def watched(
        pitch: Pitch, sheet: Sheet, objective: Objective, given: Mapping[str, float]
    ) -> dict[str, float] | None:
        searched.append((pitch.slug, rain_slope(objective.weather) > 0))
        return best_settings(pitch, sheet, objective, given)

    monkeypatch.setattr(memory, "best_settings", watched)
    shared = Solver().alone(asked)
    calm = Counter(slug for slug, slanted in searched if not slanted)
    alone = [solve(question) for question in asked]
    for one, other in zip(shared, alone, strict=True):
        assert one.settings == other.settings and one.assessment == other.assessment
        assert one.shelter and other.shelter and one.figures and other.figures
        assert one.shelter.sheet == one.figures.shelter.sheet == one.question.sheet
        assert (one.figures.mats, one.figures.wetted, one.figures.weather) == (
            other.figures.mats,
            other.figures.wetted,
            other.figures.weather,
        )
        assert one.figures.open_area_m2 == pytest.approx(other.figures.open_area_m2)
    assert calm["a-frame"] == calm["half-cone"] == calm["plow-point"] == 1
    assert calm["plow-point-lifted"] == 2  # lifted by the hood where there is one
    assert calm["lean-to-floored"] == len({q.sheet for q in asked})
    verdicts = [s.assessment.reasons for s in shared if s.question.pitch.slug == "a-frame"]
    assert verdicts[1] != verdicts[3]  # of its own tie-outs


def test_an_error_ends_a_shared_board(searcher: Searcher) -> None:
    """Raised here or there, at the list's beginning or end: the board ends with it, and the next
    one is worked out.
    """
    wrong = replace(QUESTIONS[0], settings={"no such": 1.0})
    for questions in ([wrong, *QUESTIONS], [*QUESTIONS, wrong], [wrong]):
        with pytest.raises(InputError):
            Solver(searcher).solve_all(questions)
    assert searcher.there
    assert settings_of(Solver(searcher)) == settings_of(Solver())
    assert Solver(searcher).solve_all([]) == []


def test_what_it_raises_is_raised_here(searcher: Searcher) -> None:
    with pytest.raises(TypeError):
        searcher.settings(
            PITCHES["a-frame"], SHEETS[0], QUESTIONS[0].objective(), {"height": "tall"}
        )  # type: ignore[dict-item]
    assert settings_of(Solver(searcher)) == settings_of(Solver())


def test_a_board_is_finished_when_the_second_process_dies() -> None:
    searcher = Searcher().start()
    pid = searcher._process.pid if searcher._process else 0
    solver = Solver(searcher)
    os.kill(pid, signal.SIGKILL)
    assert settings_of(solver) == settings_of(Solver())
    assert not searcher.there
    searcher.stop()


def test_a_plans_offers_are_the_same_whoever_gathers_them(searcher: Searcher) -> None:
    """Some of the sheets are worked out by the other process; when it is dead, all of them here."""
    case = large_case(3, 25, seed=4)
    camp = case.camp

    def told(solver: Solver) -> list[tuple[object, ...]]:
        *_, offers = Gatherer(case.bag, case.night, camp).batches(
            solver.alone, elsewhere=solver.elsewhere
        )
        return [
            (
                o.sheets,
                o.pitch,
                o.settings,
                o.spot,
                o.beds,
                o.trees,
                round(o.ground.area, 6),
            )
            for o in offers
            if o.ground
        ]

    alone = told(Solver())
    assert alone and len({o[0] for o in alone}) > 1
    assert told(Solver(searcher)) == alone
    doomed = Searcher().start()
    asked, depth = Portion(case.bag, case.night, camp), Depth.whole(case.bag, ("a-frame",))
    assert doomed._process is not None
    os.kill(doomed._process.pid, signal.SIGKILL)
    alone = Gathering(asked).offers_of(depth, (0,), Solver().alone)[0]
    assert [o.sheets for o in doomed.offers(asked)(depth, (0,))[0]] == [
        o.sheets for o in alone
    ]
    doomed.stop()


def test_errors_of_a_question_come_through() -> None:
    with pytest.raises(InputError):
        Solver().solve_all([*QUESTIONS, replace(QUESTIONS[0], settings={"no such": 1.0})])


def test_it_ends_when_the_program_that_started_it_is_killed() -> None:
    """Its input ends then, so nothing is left behind."""
    code = (
        "from tarvik.work.searching import Searcher\nimport time\n"
        "s = Searcher().start(); print(s._process.pid, flush=True); time.sleep(600)"
    )
    parent = subprocess.Popen(
        [sys.executable, "-c", code],
        stdout=subprocess.PIPE,
        text=True,
        cwd=Path(__file__).parents[2],
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])},
    )
    assert parent.stdout is not None
    child = int(parent.stdout.readline())
    parent.kill()
    parent.wait()
    status = Path(f"/proc/{child}/status")
    if not comes_true(lambda: not status.exists() or "State:\tZ" in status.read_text()):
        os.kill(child, signal.SIGKILL)
        pytest.fail("the second process outlived the first")
