"""A shelter set up by its card alone, with a tape and nothing else, stands as it was worked out."""

from __future__ import annotations

import math
import re
from itertools import combinations, pairwise

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.cards import (
    CardStep,
    in_few,
    marks,
    measured,
    minutes,
    stake_marks,
    stake_out,
    steps,
)
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.supports import Carrier, Pole, Supports, Tree
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.units import Units, format_length, parse_length
from tests.reference import STANDING, some_settings

SIZES = ((2.4, 2.4), (3.0, 3.0), (2.6, 3.4), (3.7, 4.3))
SHELTERS = [
    fold_sheet(PITCHES[slug], Sheet.rectangle(*size), found)
    for slug in STANDING
    for size in SIZES
    if (found := some_settings(slug, Sheet.rectangle(*size))) is not None
]
TAPE_M = 0.005
"""A tape is read to the centimetre: a distance is off by half of one at most."""


def name(shelter: Shelter) -> str:
    return f"{shelter.pitch.slug} {shelter.sheet.box}"


def laid_out(shelter: Shelter, told: dict[frozenset[str], float]) -> dict[str, np.ndarray]:
    """Every mark put where its told distances from those already there say, the first two along a
    line; which of two places it is, where the distances leave two, is seen by eye (the drawing
    shows the side).
    """
    names = marks(shelter)
    order = [
        a.point for a in shelter.pitch.anchors if a.hold is not Hold.FREE and a.on_sheet
    ]
    true = {p: shelter.at(p)[:2] for p in order}
    first, second = (
        order[0],
        next(p for p in order[1:] if frozenset((names[order[0]], names[p])) in told),
    )
    base = told[frozenset((names[first], names[second]))]
    along = (true[second] - true[first]) / np.hypot(*(true[second] - true[first]))
    square = np.array([-along[1], along[0]])
    placed = {first: np.zeros(2), second: np.array([base, 0.0])}
    for point in order:
        if point in placed:
            continue
        known = [
            (placed[q], told.get(frozenset((names[point], names[q])), 0.0))
            for q in placed
            if frozenset((names[point], names[q])) in told
            or np.hypot(*(true[point] - true[q])) <= 0.05
        ]
        (p, a), (q, b) = known[:2]
        apart = max(np.hypot(*(q - p)), 1e-9)
        x = (a**2 - b**2 + apart**2) / (2 * apart)
        y = math.sqrt(max(a**2 - x**2, 0.0))
        way = (q - p) / apart
        both = [
            p + x * way + side * y * np.array([-way[1], way[0]]) for side in (1.0, -1.0)
        ]
        side = np.sign((true[point] - true[first]) @ square)
        off = [
            sum((np.hypot(*(place - other)) - length) ** 2 for other, length in known)
            + (0.0 if np.sign(place[1]) == side or abs(place[1]) < 0.05 else 1.0)
            for place in both
        ]
        placed[point] = both[int(np.argmin(off))]
    return placed


@pytest.mark.parametrize("shelter", SHELTERS, ids=name)
def test_the_distances_mark_out_the_plan(shelter: Shelter) -> None:
    """Stakes put by the told distances, exact or read off a tape, stand where they should: every
    distance between two, told or not, comes out.
    """
    names = marks(shelter)
    for exact in (True, False):
        told = {
            frozenset((d.a, d.b)): d.metres if exact else round(d.metres, 2)
            for d in stake_out(shelter)
        }
        placed = laid_out(shelter, told)
        assert len(placed) == len({names[p] for p in placed})
        for a, b in combinations(placed, 2):
            wanted = float(math.dist(shelter.at(a)[:2], shelter.at(b)[:2]))
            # A place from two distances can be off by several times what these are, where they meet
            # at a flat angle.
            assert np.hypot(*(placed[a] - placed[b])) == pytest.approx(
                wanted, abs=1e-6 if exact else 20 * TAPE_M
            )


@pytest.mark.parametrize("shelter", SHELTERS, ids=name)
def test_every_distance_in_the_steps_is_the_shelters(shelter: Shelter) -> None:
    """Told in metres and in feet, read back from the words: the ground between two marks, or square
    off the ridge.
    """
    rig = assess(shelter, Supports(others=None)).rig
    places = {p: shelter.at(p)[:2] for p in shelter.pattern.points}
    high = shelter.pitch.high_points()
    for units, slack in (
        (Units.METRIC, TAPE_M + 1e-9),
        (Units.IMPERIAL, 0.0254 / 2 + 1e-9),
    ):
        texts = [s.text for s in steps(shelter, rig, units)]
        said = " ".join(texts)
        for step in shelter.pitch.steps:
            for key in re.findall(r"\{([A-Za-z0-9]+-[A-Za-z0-9]+)\}", step.text):
                a, b = key.split("-")
                if b == "ridge":
                    p, q = places[high[0]], places[high[-1]]
                    along = (q - p) / np.hypot(*(q - p))
                    wanted = abs(
                        float(along[0] * (places[a] - p)[1] - along[1] * (places[a] - p)[0])
                    )
                else:
                    wanted = float(np.hypot(*(places[a] - places[b])))
                text = format_length(wanted, units)
                assert text in said
                assert parse_length(text, units) == pytest.approx(wanted, abs=slack)
        assert "{" not in said


@pytest.mark.parametrize("slug", STANDING)
def test_stakes_are_numbered_in_the_order_they_are_driven(slug: str) -> None:
    """Stakes are told from 1 on, none twice; what the rig adds is counted on; and the steps name
    each of the pitch's own.
    """
    shelter = next(s for s in SHELTERS if s.pitch.slug == slug)
    for supports in (
        Supports(),
        Supports(trees=(), poles=(Pole(0.3, 2.6),) * 6),
        Supports(
            trees=(Tree(),),
            poles=(),
            others=tuple(Carrier(k, 4.0) for k in ("bipod", "tripod", "branch", "boat")),
        ),
    ):
        rig = assess(shelter, supports).rig
        assert rig is not None
        numbers = [int(mark) for mark in stake_marks(shelter, rig) if mark.isdigit()]
        assert len(set(numbers)) == len(numbers)
        names = marks(shelter)
        own = sorted(int(m) for m in names.values() if m.isdigit())
        assert own == list(range(1, len(own) + 1))
        first_told = [names[p] for step in shelter.pitch.steps for p in step.stakes]
        assert [int(m) for m in first_told] == sorted(int(m) for m in first_told)
        said = " ".join(s.text for s in steps(shelter, rig))
        said += "".join(
            f" {n}"
            for a, b in re.findall(r"\b(\d+) to (\d+)\b", said)
            for n in range(int(a), int(b) + 1)
        )
        assert all(re.search(rf"\b{mark}\b", said) for mark in first_told)


@pytest.mark.parametrize("slug", STANDING)
def test_more_hands_are_quicker_and_first_times_slower(slug: str) -> None:
    shelter = next(s for s in SHELTERS if s.pitch.slug == slug)
    rig = assess(shelter, Supports(others=None)).rig
    for skill in ("practised", "learning", "first time"):
        taken = [minutes(shelter.pitch, rig, skill, hands) for hands in (1, 2, 3, 8)]
        assert all(a >= b for a, b in pairwise(taken))
        assert taken[2] == taken[3]
    alone = [
        minutes(shelter.pitch, rig, skill)
        for skill in ("practised", "learning", "first time")
    ]
    assert alone == sorted(alone)
    assert alone[0] >= shelter.pitch.minutes


def test_steps_and_arm_spans_are_the_bodys_own() -> None:
    """Counted back with the person's own step and span, a distance is told to half a step or a
    twentieth of a span.
    """
    for stature in (1.4, 1.6, 1.75, 1.95):
        body = Body(stature)
        for metres in np.arange(0.35, 7.0, 0.31):
            text = measured(float(metres), Units.METRIC, body)
            found = re.search(r"\(([\d.]+) steps?, ([\d.]+) spans\)", text)
            assert found is not None
            walked, spanned = (
                float(found[1]) * body.height("step"),
                float(found[2]) * body.height("span"),
            )
            assert abs(walked - metres) <= body.height("step") / 2 + 1e-9
            assert abs(spanned - metres) <= body.height("span") / 20 + 1e-9


def test_a_card_has_seven_steps_at_most_and_loses_no_word() -> None:
    told = [CardStep(f"Step {n} says {'more ' * n}.") for n in range(11)]
    few = in_few(told)
    assert len(few) == 7
    assert " ".join(s.text for s in few) == " ".join(s.text for s in told)
    assert in_few(told[:3]) == told[:3]
