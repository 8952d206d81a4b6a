"""A card's drawings: every mark once, distances true, words that cover no mark."""

from __future__ import annotations

import math
import re
from html import unescape

import pytest

from tarvik.core.cards import marks, taped
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import ADULT, Question, Solution, solve
from tarvik.core.units import Units
from tarvik.web.drawing.stake_out import from_above, standing

SHEET = Sheet.rectangle(3.05, 3.05)
TEXT = re.compile(
    r'<text class="([^"]+)" x="([-\d.]+)" y="([-\d.]+)" font-size="(\d+)"[^>]*>([^<]*)<'
)
STANDING = (
    "a-frame",
    "lean-to",
    "plow-point",
    "diagonal-fly",
    "corner-wrap",
    "closed-wedge",
)


def solved(slug: str) -> Solution:
    return solve(Question(SHEET, PITCHES[slug], {}, wanted=1))


def drawn(solution: Solution, units: Units = Units.METRIC) -> str:
    figures, rig = solution.figures, solution.assessment.rig
    assert figures is not None
    return from_above(
        figures.shelter, figures, rig, ADULT, units, {"p": "Oak 3"}, [(1, "Isaura")]
    )


@pytest.mark.parametrize("slug", STANDING)
def test_each_mark_stands_on_both_drawings_once(slug: str) -> None:
    solution = solved(slug)
    assert solution.figures is not None
    shelter, rig = solution.figures.shelter, solution.assessment.rig
    above = [words for css, *_, words in TEXT.findall(drawn(solution)) if css == "mark-t"]
    stands = standing(shelter, solution.figures, rig)
    upright = [words for css, *_, words in TEXT.findall(stands) if css == "mark-t"]
    for name in marks(shelter).values():
        assert above.count(name) == 1, name
        assert upright.count(name) == 1, name


@pytest.mark.parametrize("slug", STANDING)
def test_letters_are_nine_points_on_the_card(slug: str) -> None:
    """9 points are 3.175 mm; the drawing is printed 80 mm wide or 46 mm high, whichever it fills
    first.
    """
    svg = drawn(solved(slug))
    box = [float(v) for v in svg.split('viewBox="', 1)[1].split('"', 1)[0].split()]
    mm_per_px = min(80 / box[2], 46 / box[3])
    sizes = {float(size) for _, _, _, size, _ in TEXT.findall(svg)}
    assert min(sizes) * mm_per_px > 0.9 * 3.175


def test_sides_and_the_diagonal_are_true() -> None:
    """Those of an A-frame by hand: corners along the ridge as far apart as the sheet is long."""
    solution = solved("a-frame")
    assert solution.figures is not None
    shelter = solution.figures.shelter
    words = unescape(" ".join(w for *_, w in TEXT.findall(drawn(solution))))
    at = {name: shelter.at(point)[:2] for point, name in marks(shelter).items()}
    length = math.dist(at["1"], at["2"])
    assert length == pytest.approx(3.05, abs=0.02)
    assert taped(length, Units.METRIC, ADULT) in words
    across = max(math.dist(at["1"], at[n]) for n in at)
    assert f"dashed {taped(across, Units.METRIC, ADULT)}" in words
    feet = " ".join(w for *_, w in TEXT.findall(drawn(solution, Units.IMPERIAL)))
    assert " ft" in feet
    assert " m," not in feet


@pytest.mark.parametrize("slug", STANDING)
def test_distances_cover_no_mark(slug: str) -> None:
    svg = drawn(solved(slug))
    discs = [
        (float(x), float(y), float(r))
        for x, y, r in re.findall(
            r'<circle class="mark[^"]*" cx="([-\d.]+)" cy="([-\d.]+)" r="([\d.]+)"', svg
        )
    ]
    assert discs
    for css, x, y, size, words in TEXT.findall(svg):
        if "measure-t" not in css or not words[0].isdigit():
            continue
        high = float(size)
        middle = float(y) - 0.35 * high
        for cx, cy, r in discs:
            beside = abs(cx - float(x)) - r > 0 or abs(cy - middle) - r > 0.1 * high
            assert beside, (words, slug)
