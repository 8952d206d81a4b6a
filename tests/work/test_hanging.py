"""Hung shapes for the pages: kept by content, never worked out twice, and hung even when the
process that was to do it dies.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pytest

from tarvik.core.hang.hung import Hanging, Hung, hang
from tarvik.core.hang.tell import Told, findings, hung_figures, tell
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.units import Units
from tarvik.work import hanger, hanging
from tarvik.work.hanger import Errand, Hanger
from tarvik.work.hanging import Hangings, Wish
from tarvik.work.hung_key import can_hang, shape_key, told_key

if TYPE_CHECKING:
    from tarvik.store.database import Database

COARSE = Hanging(lines=7)


def plainly(kept: object) -> str:
    return json.dumps(kept, sort_keys=True)


def refuse(*_: object) -> None:
    raise AssertionError("it was solved again")


def shelter_of(height: float = 1.2, slug: str = "plow-point") -> Solution:
    return solve(
        Question(Sheet.rectangle(3.0, 3.0), PITCHES[slug], {"height": height}, wanted=1)
    )


def test_what_is_told_survives_being_kept() -> None:
    solution = shelter_of()
    assert solution.shelter and solution.figures and solution.assessment.rig
    told = tell(
        hang(solution.shelter, solution.assessment.rig, COARSE),
        solution.figures,
        solution.question.body,
    )
    assert Told.of_plain(told.plain()) == told
    figures = hung_figures(solution.figures, told)
    assert figures.sleepers == told.sleepers
    assert figures.sit_area_m2 < solution.figures.sit_area_m2
    assert {f.code for f in findings(told, solution.figures, Units.METRIC)} & {
        "sags",
        "hangs_on_mats",
    }


def test_a_key_tells_apart_what_hangs_apart_and_nothing_else() -> None:
    one, same, other = shelter_of(), shelter_of(), shelter_of(1.21)
    assert told_key(one, COARSE) == told_key(same, COARSE)
    others = [
        told_key(other, COARSE),
        told_key(one, Hanging(lines=9)),
        told_key(one, replace(COARSE, wet=True)),
        told_key(one, replace(COARSE, tautness=0.005)),
        told_key(one, replace(COARSE, moved=((0, (0.01, 0.0)),))),
        told_key(one, replace(COARSE, fabric=replace(COARSE.fabric, shear_n_m=1.0))),
    ]
    assert len({told_key(one, COARSE), *others}) == 1 + len(others)
    taller = replace(
        one, question=replace(one.question, body=replace(one.question.body, stature_m=1.9))
    )
    assert told_key(taller, COARSE) != told_key(one, COARSE)
    assert one.shelter and taller.shelter and one.assessment.rig
    assert shape_key(taller.shelter, one.assessment.rig, COARSE) == shape_key(
        one.shelter, one.assessment.rig, COARSE
    )


@pytest.mark.database
def test_a_shape_once_solved_is_never_solved_again(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, hung = Hangings(database).now(shelter_of(), COARSE)

    monkeypatch.setattr(hanger, "hang", refuse)
    later = Hangings(database)  # another process, or the same after a restart
    again, same = later.now(shelter_of(), COARSE)
    assert again == first
    assert np.abs(same.xyz - hung.xyz).max() < 1e-5
    assert later.known([(shelter_of(), COARSE), (shelter_of(1.3), COARSE)]) == [first, None]


@pytest.mark.database
def test_nothing_is_told_of_what_does_not_hang(database: Database) -> None:
    bag = solve(Question(Sheet.rectangle(2.0, 2.4), PITCHES["bag"], {}))
    assert not can_hang(bag)
    assert Hangings(database).told([(bag, COARSE)]) == [None]


@pytest.mark.database
def test_another_wind_over_the_same_shape_hangs_no_sheet_anew(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    hangings, times = Hangings(database), []

    def counted(*asked: Any) -> Hung:
        times.append(1)
        return hang(*asked)

    monkeypatch.setattr(hanger, "hang", counted)
    one = shelter_of()
    other = replace(
        one, question=replace(one.question, body=replace(one.question.body, stature_m=1.9))
    )
    told = [hangings.told([(solution, COARSE)])[0] for solution in (one, other, one)]
    assert len(times) == 1
    assert told[0] == told[2]


@pytest.mark.database
def test_a_board_is_hung_by_processes_and_even_when_one_dies(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    wishes = [(shelter_of(h), COARSE) for h in (1.0, 1.1, 1.2, 1.3)]
    alone = Hangings(database).told(wishes)
    hangings = Hangings(database).start()
    try:
        monkeypatch.setattr(Hanger, "answer", refuse)
        assert hangings.told(wishes) == alone  # from the database
        more = [(shelter_of(h), COARSE) for h in (1.4, 1.5, 1.6)]
        assert None not in hangings.told(more)
        monkeypatch.undo()
        for hand in hangings._hands:
            hand._process.kill()
        last = [(shelter_of(h), COARSE) for h in (0.9, 1.7, 1.8)]
        assert None not in hangings.told(last)
        assert None not in hangings.told([(shelter_of(0.95), COARSE), *last, *more])
    finally:
        hangings.stop()
    assert not hangings.there


@pytest.mark.database
def test_who_waits_too_long_hangs_the_sheet_alone(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    hangings = Hangings(database).start()
    try:
        monkeypatch.setattr(hanging, "LONGEST_S", 0.0)
        assert None not in hangings.told([(shelter_of(h), COARSE) for h in (1.0, 1.1, 1.2)])
    finally:
        hangings.stop()


@pytest.mark.database
def test_a_single_sheet_is_hung_before_those_of_a_board(database: Database) -> None:
    hangings = Hangings(database)
    board = [Wish(str(h), shelter_of(h), Errand("told", COARSE)) for h in (1.0, 1.1, 1.2)]
    one = Wish("one", shelter_of(1.3), Errand("told", COARSE))
    for wish in board:
        hangings._ask(wish, soon=False)
    hangings._ask(one, soon=True)
    assert next(iter(hangings._waiting.values())) == one
    hangings._ask(board[1], soon=True)  # somebody looks at just this one meanwhile
    assert next(iter(hangings._waiting.values())) == board[1]
    assert len(hangings._waiting) == 4


@pytest.mark.database
def test_advice_is_the_same_from_a_process_and_from_memory(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = shelter_of(), COARSE, 40.0, 200.0
    hangings = Hangings(database).start()
    try:
        by_hand = hangings.advice(*asked)
    finally:
        hangings.stop()
    monkeypatch.setattr(Hanger, "answer", refuse)
    assert plainly(Hangings(database).advice(*asked)) == plainly(by_hand)
    monkeypatch.undo()
    again = Hangings(database).advice(asked[0], COARSE, 60.0, 200.0)
    assert again["tauter"] == by_hand["tauter"]
    harder = [n for _, _, n, _ in again["gust"]], [n for _, _, n, _ in by_hand["gust"]]
    assert max(harder[0]) > max(harder[1]) > 0
