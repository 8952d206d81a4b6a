"""What the chosen shelters take together from the kit, against what is there."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tarvik.core.rig.lines import allot_lines
from tarvik.core.rig.supports import EDGE_KINDS, POLE_KINDS, Supports

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.rig.carried import Rig


@dataclass(frozen=True, slots=True)
class Total:
    """Needed and there, in pieces (or metres of cord); `short` pieces are missing."""

    what: str
    needed: float
    there: float | None
    short: float
    unit: str = ""


def left_after(supports: Supports, rig: Rig) -> Supports:
    """What is left once a rig has taken its part. Kinds without end stay so."""
    trees = supports.trees
    wanted = sum(s.kind == "tree" for s in rig.supports)
    if trees is not None:
        trees = trees[wanted:]
    poles = None if supports.poles is None else list(supports.poles)
    if poles is not None:
        for support in rig.supports:
            if support.pole in poles:
                poles.remove(support.pole)
    stakes = (
        None if supports.stakes is None else max(0, supports.stakes - rig.stakes_needed())
    )
    lines = supports.lines_m
    if lines is not None:
        used = {
            i
            for served in allot_lines(
                [line.cord_m for line in rig.lines], lines
            ).served.values()
            for i in served
        }
        lines = tuple(line for i, line in enumerate(lines) if i not in used)
    others = supports.others
    if others is not None:
        rest = list(others)
        for kind in {s.kind for s in rig.supports}:
            mine = [s for s in rig.supports if s.kind == kind]
            for _ in range(1 if kind in EDGE_KINDS else len(mine)):
                gone = next((o for o in rest if o.kind == kind), None)
                if gone is not None:
                    rest.remove(gone)
        others = tuple(rest)
    return replace(
        supports,
        trees=trees,
        poles=None if poles is None else tuple(poles),
        stakes=stakes,
        lines_m=lines,
        others=others,
    )


def totals(rigs: Sequence[Rig], supports: Supports) -> list[Total]:
    """Stakes, trees, poles, lines and cord over all shelters."""
    stakes = sum(rig.stakes_needed() for rig in rigs)
    trees = sum(s.kind == "tree" for rig in rigs for s in rig.supports)
    poles = [s.height_m for rig in rigs for s in rig.supports if s.kind in POLE_KINDS]
    cords = [line.cord_m for rig in rigs for line in rig.lines]
    there = supports.lines_m
    short_lines = len(allot_lines(cords, there).short) if there is not None else 0
    free = sorted(supports.poles or (), key=lambda p: p.most_m)
    met = 0
    for height in sorted(poles, reverse=True):
        pole = next((p for p in free if p.reaches(height)), None)
        if pole is not None:
            free.remove(pole)
            met += 1
    return [
        _pieces("Stakes", stakes, supports.stakes),
        _pieces(
            "Trees or posts", trees, None if supports.trees is None else len(supports.trees)
        ),
        Total(
            "Poles and sticks",
            len(poles),
            None if supports.poles is None else len(supports.poles),
            0 if supports.poles is None else len(poles) - met,
        ),
        Total("Lines", len(cords), None if there is None else len(there), short_lines),
        Total(
            "Cord in all",
            sum(cords),
            None if there is None else sum(there),
            0.0 if there is None else max(0.0, sum(cords) - sum(there)),
            "m",
        ),
    ]


def _pieces(what: str, needed: int, there: int | None) -> Total:
    return Total(what, needed, there, 0 if there is None else max(0, needed - there))
