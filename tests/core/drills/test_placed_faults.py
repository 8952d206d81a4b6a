"""What is wrong with a shelter's place, or its mat's: looked at again from what the drill draws."""

from __future__ import annotations

import itertools
import math

import numpy as np
from shapely import LineString, Point, Polygon

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.drills.faults import FAULTS, told_of
from tarvik.core.drills.placed_faults import PATH_M
from tests.core.drills.drill_cases import CALM, WET, WINDY, judged, made, words_of


def asked_of(fault: str) -> list[Choice]:
    """The drills whose right answer is this fault of a place."""
    some = [d for d in made(Kind.FAULT) if isinstance(d, Choice) and "as drawn" in d.asks]
    return [d for d in some if FAULTS[fault] in {d.options[n] for n in d.right}]


def test_the_path_as_drawn_runs_under_a_line_and_clear_of_the_cloth() -> None:
    """With the shelter's own corners and lines, without the map's checks."""
    drills = asked_of("path")
    assert drills
    for drill in drills:
        solution = drill.shelter
        assert solution is not None and solution.shelter is not None
        shelter, rig = solution.shelter, solution.assessment.rig
        assert rig is not None
        strip = LineString(drill.path).buffer(PATH_M / 2, cap_style="flat")
        crossed = [
            line
            for line in rig.lines
            if LineString([shelter.at(line.start)[:2], line.to[:2]]).intersects(strip)
        ]
        stakes = [s for s in rig.stakes if strip.contains(Point(s.at))]
        assert crossed or stakes
        for face in shelter.faces():
            flat = Polygon(face.xyz[:, :2])
            assert not flat.is_valid or flat.intersection(strip).area < 1e-9
        assert drill.right and len(drill.right) == 1


def test_the_mat_as_drawn_lies_under_an_edge_and_its_sound_neighbour_did_not() -> None:
    """A mat lies, after the push, nearer than a hand's width to where an edge ends in plan, and on
    no other mat; before that the shelter had no fault.
    """
    drills = asked_of("drip")
    assert drills
    for drill in drills:
        solution = drill.shelter
        assert solution is not None and solution.figures is not None
        night = next(n for n in (WINDY, WET, CALM) if words_of(n) in drill.asks)
        assert night.needs.rain_mm_h
        _, tonight = judged(solution.question, night)
        assert not told_of(tonight.findings)
        shelter = solution.figures.shelter
        edges = [
            LineString([a[:2], b[:2]])
            for face in shelter.faces()
            for a, b in zip(face.xyz, np.roll(face.xyz, -1, axis=0), strict=True)
            if math.dist(a[:2], b[:2]) > 0.05
        ]
        mats = [Polygon(mat.corners()) for mat in solution.figures.mats]
        assert any(edge.distance(mat) < 0.11 for edge in edges for mat in mats)
        for a, b in itertools.combinations(mats, 2):
            assert a.intersection(b).area < 1e-6
        assert FAULTS["bed"] not in drill.options
