"""Hung shapes behind the pages: kept by content, never worked out twice, and their process started
again when it dies.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pytest

from tarvik.core.hang.hung import Hanging
from tarvik.core.hang.tell import Told, findings, hung_figures, tell
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.units import Units
from tarvik.work import hanging
from tarvik.work.hanging import Hangings, can_hang, shape_key, told_key
from tests.patience import PATIENCE_S, comes_true

if TYPE_CHECKING:
    from tarvik.store.database import Database

COARSE = Hanging(lines=7)


def shelter_of(height: float = 1.2, slug: str = "plow-point") -> Solution:
    return solve(Question(Sheet.rectangle(3.0, 3.0), PITCHES[slug], {"height": height}, wanted=1))


def test_what_is_told_survives_being_kept() -> None:
    solution = shelter_of()
    assert solution.shelter and solution.figures and solution.assessment.rig
    told = tell(
        hanging.hang(solution.shelter, solution.assessment.rig, COARSE),
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

    def refuse(*_: object) -> None:
        raise AssertionError("it was solved again")

    monkeypatch.setattr(hanging, "hang", refuse)
    later = Hangings(database)  # another process, or the same after a restart
    again, same = later.now(shelter_of(), COARSE)
    assert again == first
    assert np.abs(same.xyz - hung.xyz).max() < 1e-5
    assert later.known([(shelter_of(), COARSE), (shelter_of(1.3), COARSE)]) == [first, None]


@pytest.mark.database
def test_what_does_not_hang_is_neither_known_nor_waited_for(database: Database) -> None:
    bag = solve(Question(Sheet.rectangle(2.0, 2.4), PITCHES["bag"], {}))
    assert not can_hang(bag)
    hangings = Hangings(database)
    assert hangings.known([(bag, COARSE)]) == [None]
    assert hangings.left([(bag, COARSE)]) == 0


def until_known(hangings: Hangings, wishes: list[tuple[Solution, Hanging]]) -> list[Told | None]:
    comes_true(lambda: None not in hangings.known(wishes))
    return hangings.known(wishes)


@pytest.mark.database
def test_wishes_are_worked_off_behind_the_page_even_when_a_process_dies(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    hangings = Hangings(database).start()
    try:
        wishes = [(shelter_of(h), COARSE) for h in (1.0, 1.1, 1.2)]
        monkeypatch.setattr(hanging, "PAUSE_S", PATIENCE_S)
        hangings.want(wishes)
        hangings.want(wishes)
        assert hangings.left(wishes) == 3
        monkeypatch.setattr(hanging, "PAUSE_S", 0.0)
        hangings.want([(shelter_of(1.7), COARSE)])  # a newer wish begins the pause anew
        assert None not in until_known(hangings, wishes)
        assert hangings.left(wishes) == 0
        for hand in hangings._hands:
            hand._process.kill()
        more = [(shelter_of(h), COARSE) for h in (1.3, 1.4, 1.5, 1.6)]
        hangings.want(more)
        hangings.want(
            more
        )  # a wish over which a process died is asked for again by the next look at the page
        assert comes_true(lambda: hangings.left(more) == 0)
        hangings.want(more)
        assert None not in until_known(hangings, more)
    finally:
        hangings.stop()
    assert not hangings.there
