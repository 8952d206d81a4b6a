"""What carries a sheet, and trunks in the way, seen from above: each kind by a shape of its own,
not by colour alone.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.rig.verdict import STAKE_ROOM_M, blocks

if TYPE_CHECKING:
    from collections.abc import Iterable

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.rig.carried import Rig, Support
    from tarvik.core.shelter import Shelter
    from tarvik.web.drawing.svg import Paper

TREE_M: Final = 0.10
POLE_M: Final = 0.04
LEG_M: Final = 0.35
HULL_HALF_M: Final = 0.32
RAIL_M: Final = 1.6


def draw_carriers(paper: Paper, shelter: Shelter, rig: Rig) -> None:
    """Every support of a rig."""
    hulls: set[str] = set()
    for support in rig.supports:
        if support.kind in ("boat", "vehicle", "fence"):
            if support.kind not in hulls:
                hulls.add(support.kind)
                _rail(paper, shelter, [s for s in rig.supports if s.kind == support.kind])
        else:
            _one(paper, support, _outwards(shelter, support))


def _outwards(shelter: Shelter, support: Support) -> Floats:
    """Level unit vector from the middle of the sheet to a support."""
    way = np.array(support.at) - shelter.xyz[:, :2].mean(axis=0)
    size = float(np.hypot(*way))
    return way / size if size > 1e-9 else np.array([-1.0, 0.0])


def _one(paper: Paper, support: Support, out: Floats) -> None:
    x, y = support.at
    side = np.array([-out[1], out[0]])

    def leg(way: Floats) -> None:
        end = np.array([x, y]) + way * LEG_M
        paper.line((x, y), (float(end[0]), float(end[1])), "carrier-leg")

    if support.kind == "bipod":
        leg(side)
        leg(-side)
    elif support.kind == "tripod":
        for turn in (0.0, 2.1, -2.1):
            leg(math.cos(turn) * out + math.sin(turn) * side)
    elif support.kind == "forked stick":
        leg(0.5 * out + 0.35 * side)
        leg(0.5 * out - 0.35 * side)
    elif support.kind == "branch":
        far, near = np.array([x, y]) + 0.7 * side, np.array([x, y]) - 0.7 * side
        paper.line(
            (float(far[0]), float(far[1])),
            (float(near[0]), float(near[1])),
            "carrier-branch",
        )
    paper.circle((x, y), TREE_M if support.kind == "tree" else POLE_M, support.kind)


def _rail(paper: Paper, shelter: Shelter, supports: list[Support]) -> None:
    """A boat on its side, a vehicle or a fence along the points it carries."""
    at = np.array([s.at for s in supports])
    middle = at.mean(axis=0)
    along = at[-1] - at[0] if len(at) > 1 else np.array([0.0, 1.0])
    along = along / max(float(np.hypot(*along)), 1e-9) if len(at) > 1 else along
    out = np.array([-along[1], along[0]])
    if float(out @ (middle - shelter.xyz[:, :2].mean(axis=0))) < 0:
        out = -out
    half = max(RAIL_M, float(np.hypot(*(at[-1] - at[0]))) / 2 + 0.4)
    ends = (middle - along * half, middle + along * half)
    if supports[0].kind == "fence":
        start, end = ((float(p[0]), float(p[1])) for p in ends)
        paper.line(start, end, "carrier-fence")
    elif supports[0].kind == "boat":
        turn = np.linspace(-1, 1, 13)
        ring = [middle + along * half * t + out * HULL_HALF_M * (1 - t * t) for t in turn]
        ring += [
            middle + along * half * t - out * HULL_HALF_M * 0.4 * (1 - t * t)
            for t in turn[::-1]
        ]
        paper.polygon(
            [(float(p[0]), float(p[1])) for p in ring], "carrier-hull", "Boat on its side"
        )
    else:
        ring = [ends[0], ends[1], ends[1] + out * 1.5, ends[0] + out * 1.5]
        paper.polygon([(float(p[0]), float(p[1])) for p in ring], "carrier-hull", "Vehicle")
    for support in supports:
        paper.circle(support.at, POLE_M, support.kind)


def draw_in_the_way(
    paper: Paper, rig: Rig, trunks: Iterable[tuple[float, float, float]], middle: Floats
) -> None:
    """Trunks and rocks where a stake would go, with the line that goes round one to a stake behind
    it.
    """
    for trunk in trunks:
        blocked = [s for s in rig.stakes if blocks(trunk, s)]
        if not blocked:
            continue
        x, y, across = trunk
        paper.circle((x, y), across / 2, "in-the-way")
        for stake in blocked:
            out = np.array(stake.at) - middle
            out = out / max(float(np.hypot(*out)), 1e-9)
            side = np.array([-out[1], out[0]])
            reach = across / 2 + 2 * STAKE_ROOM_M
            path = [
                np.array(stake.at),
                np.array([x, y]) + side * reach,
                np.array([x, y]) + out * (reach + 0.2),
            ]
            paper.path([(float(p[0]), float(p[1])) for p in path], "round-it")
            paper.mark((float(path[-1][0]), float(path[-1][1])), "", "mark round-stake")
