"""Rig a folded shelter: choose what carries each high point, and lay its lines and stakes by
geometry.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.pitches.base import Hold, PullSide
from tarvik.core.rig.carried import (
    GUY_SLOPE,
    Carried,
    Line,
    Miss,
    Rig,
    Stake,
    Support,
    guy_to_ground,
)
from tarvik.core.rig.lines import through_line_m, tree_line_m
from tarvik.core.rig.supports import TRUNK_M, Supports, Tree

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Shelter

TREE_GAP_M: Final = constant(
    "tree_gap",
    0.50,
    "m",
    ENGINEERING,
    "distance from a tie-out to its tree when none is surveyed",
)
TREE_GAP_LEAST_M: Final = constant(
    "tree_gap_least", 0.15, "m", ENGINEERING, "least distance from a tie-out to its tree"
)
ON_GROUND_M: Final = constant(
    "on_ground", 0.02, "m", ENGINEERING, "a point this low is staked straight to the ground"
)
HANGS_SLOPE: Final = constant(
    "flown_slope",
    0.15,
    "1",
    ENGINEERING,
    "flattest cloth whose corner a guy in its line can still hold up (8.5 degrees)",
)
MID_EDGE_M: Final = constant(
    "mid_edge",
    2.0,
    "m",
    ENGINEERING,
    "an edge on the ground longer than this gains by a middle stake",
)


def _unit(vector: Floats) -> Floats:
    size = float(np.hypot(*vector))
    return vector / size if size > 1e-9 else np.array([-1.0, 0.0])


def _pulls(shelter: Shelter) -> dict[str, Floats]:
    """Which way, on the ground, each high point is pulled out: along the ridge, or away from the
    middle.
    """
    high = shelter.pitch.high_points()
    middle = shelter.xyz[:, :2].mean(axis=0)
    if shelter.pitch.pull is PullSide.LONE:
        return {p: _unit(shelter.at(p)[:2] - middle) for p in high}
    if shelter.pitch.pull is PullSide.FRONT_EDGE:
        return {p: _unit(np.sign(shelter.at(p)[:2] - middle)) for p in high}
    first, last = shelter.at(high[0])[:2], shelter.at(high[-1])[:2]
    return {high[0]: _unit(first - last), high[-1]: _unit(last - first)}


def _staked(shelter: Shelter, on_poles: tuple[str, ...]) -> tuple[list[Line], list[Stake]]:
    lines: list[Line] = []
    stakes: list[Stake] = []
    centre = shelter.xyz[:, :2].mean(axis=0)
    grounded: list[str] = []
    for anchor in shelter.pitch.anchors:
        if anchor.hold not in (Hold.STAKED, Hold.FLOWN) or anchor.point in on_poles:
            continue
        top = shelter.at(anchor.point)
        if top[2] <= ON_GROUND_M:
            stakes.append(
                Stake(
                    (float(top[0]), float(top[1])), anchor.point, "sheet", anchor.optional
                )
            )
            grounded.append(anchor.point)
        else:
            slope = (
                _cloth_slope(shelter, anchor.point)
                if anchor.hold is Hold.FLOWN
                else GUY_SLOPE
            )
            line, stake = guy_to_ground(
                anchor.point,
                top,
                _unit(_square_out(shelter, anchor.point, centre)),
                anchor.line,
                slope,
            )
            lines.append(line)
            stakes.append(stake)
    return lines, stakes + _mid_edges(shelter, grounded)


def _cloth_slope(shelter: Shelter, point: str) -> float:
    """How steeply the cloth comes down to a point from the highest it hangs from, at most
    GUY_SLOPE; 0 where from none.

    A guy holds a flown point only in the line of the cloth: steeper, it would pull the point down
    until it is.
    """
    top = shelter.at(point)
    near = {
        q for panel in shelter.panels if point in panel.points for q in panel.points
    } - {point}
    falls = [
        (shelter.at(q)[2] - top[2]) / max(float(np.hypot(*(shelter.at(q) - top)[:2])), 1e-9)
        for q in near
    ]
    return float(min(max([0.0, *falls]), GUY_SLOPE))


def poled(shelter: Shelter) -> tuple[str, ...]:
    """Flown points that a guy alone cannot hold: the cloth comes down to them too flat, or not at
    all.
    """
    return tuple(
        anchor.point
        for anchor in shelter.pitch.anchors
        if anchor.hold is Hold.FLOWN
        and shelter.at(anchor.point)[2] > ON_GROUND_M
        and _cloth_slope(shelter, anchor.point) < HANGS_SLOPE
    )


def _square_out(shelter: Shelter, point: str, centre: Floats) -> Floats:
    """Straight out from the ridge for a ridge pitch, else away from the middle."""
    if shelter.pitch.pull is PullSide.RIDGE_LINE:
        high = shelter.pitch.high_points()
        a, b = shelter.at(high[0])[:2], shelter.at(high[-1])[:2]
        along = _unit(b - a)
        off = shelter.at(point)[:2] - a
        return np.asarray(off - (off @ along) * along)
    return np.asarray(shelter.at(point)[:2] - centre)


def mid_edge_places(
    shelter: Shelter, grounded: Iterable[str] | None = None
) -> dict[str, tuple[tuple[float, float], tuple[float, float]]]:
    """Tie-outs in the middle of long rim edges between `grounded` points (or any on the ground), by
    the name of their stake: their place on the flat sheet, and where the stake goes.
    """
    out = {}
    on_ground = set(shelter.pattern.points if grounded is None else grounded)
    for panel in shelter.panels:
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            if (
                not {a, b} <= on_ground
                or sum({a, b} <= set(p.points) for p in shelter.panels) > 1
            ):
                continue
            pa, pb = shelter.at(a), shelter.at(b)
            if max(pa[2], pb[2]) > ON_GROUND_M:
                continue
            ua, ub = shelter.sheet_at(a), shelter.sheet_at(b)
            middle = ((ua[0] + ub[0]) / 2, (ua[1] + ub[1]) / 2)
            if math.dist(pa, pb) > MID_EDGE_M and shelter.sheet.has_tie_out(middle):
                x, y = ((pa + pb) / 2)[:2]
                out[f"{a}{b}"] = (middle, (float(x), float(y)))
    return out


def _mid_edges(shelter: Shelter, grounded: list[str]) -> list[Stake]:
    """Optional stakes in the middle of long rim edges on the ground, where the sheet has a
    tie-out.
    """
    return [
        Stake(at, name, "mid-edge", optional=True)
        for name, (_, at) in mid_edge_places(shelter, grounded).items()
    ]


@dataclass(frozen=True, slots=True)
class _Pair:
    """Two trees for a ridge: the gap at each end, both trunks together, the thinner one; what is
    wrong with them, by how many metres.
    """

    gap_m: float = TREE_GAP_M
    trunks_m: float = 2 * TRUNK_M
    thinner_m: float = TRUNK_M
    complaint: str = ""
    short_m: float = 0.0


def _tree_pair(ridge_m: float, trees: tuple[Tree, ...] | None) -> _Pair:
    """The closest pair of trees that takes the ridge."""
    least = ridge_m + 2 * TREE_GAP_LEAST_M
    if trees is None:
        return _Pair()
    if any(t.at is None for t in trees):
        return _Pair(thinner_m=sorted(t.diameter_m for t in trees)[-2])
    places = np.array([t.at for t in trees], dtype=np.float64)
    trunk = np.array([t.diameter_m for t in trees])
    i, j = np.triu_indices(len(trees), 1)
    clear = np.hypot(*(places[i] - places[j]).T) - (trunk[i] + trunk[j]) / 2
    fits = np.flatnonzero(clear >= least)
    k = int(fits[np.argmin(clear[fits])]) if fits.size else int(np.argmax(clear))
    gap = (float(clear[k]) - ridge_m) / 2
    both, thinner = float(trunk[i[k]] + trunk[j[k]]), float(min(trunk[i[k]], trunk[j[k]]))
    if fits.size:
        return _Pair(gap, both, thinner)
    close = "the trees stand too close together for this ridge"
    return _Pair(TREE_GAP_LEAST_M, both, thinner, close, least - float(clear[k]))


def _kinds(shelter: Shelter, supports: Supports) -> tuple[str, ...]:
    """Kinds of support to try for each high point: those the pitch takes, of which there may be
    any.
    """
    takes, others = shelter.pitch.carried_by, supports.others
    here = (
        tuple(dict.fromkeys(other.kind for other in others)) if others is not None else ()
    )
    usual = tuple(k for k in ("tree", "pole") if not takes or k in takes)
    special = tuple(k for k in here if not takes or k in takes)
    if usual or special:
        return usual + special
    return takes[:1]


def rigs(shelter: Shelter, supports: Supports) -> Iterator[Rig]:
    """Every way of rigging the shelter with the kinds of support there are; at least one, with its
    shortfalls.
    """
    high = shelter.pitch.high_points()
    trees, poles = supports.usable_trees(), supports.poles
    on_poles = poled(shelter)
    lines, stakes = _staked(shelter, on_poles)
    pulls = _pulls(shelter)
    offered = _kinds(shelter, supports)
    yielded = False
    for kinds in product(offered, repeat=len(high)):
        enough = trees is None or kinds.count("tree") <= len(trees)
        if (
            not enough
            and (len(trees or ()) == 0 or poles is None or poles)
            and (len(offered) > 1 and "pole" in offered)
        ):
            continue
        both_trees = kinds == ("tree", "tree")
        for through in _through(supports.house.ridge) if both_trees else (False,):
            rig = _rigged(shelter, kinds, supports, pulls, on_poles, through=through)
            lifts = _lifts(shelter, supports, rig)
            yielded = True
            yield Rig(
                (*rig.supports, *lifts.supports),
                (*rig.lines, *lines, *lifts.lines),
                (*stakes, *rig.stakes, *lifts.stakes),
                rig.through_line,
                (*rig.short, *lifts.short),
            )
    if not yielded:
        rig = _rigged(
            shelter, ("pole",) * len(high), supports, pulls, on_poles, through=False
        )
        yield Rig(
            rig.supports, (*rig.lines, *lines), (*stakes, *rig.stakes), False, rig.short
        )


def _through(rule: str) -> tuple[bool, ...]:
    return {"through": (True,), "ends": (False,)}.get(rule, (False, True))


def _rigged(
    shelter: Shelter,
    kinds: tuple[str, ...],
    supports: Supports,
    pulls: dict[str, Floats],
    on_poles: tuple[str, ...],
    *,
    through: bool,
) -> Rig:
    high = shelter.pitch.high_points()
    trees = supports.usable_trees()
    short: list[Miss] = []
    wanted_trees = kinds.count("tree")
    if trees is not None and wanted_trees > len(trees):
        missing = wanted_trees - len(trees)
        short.append(
            Miss(
                "no_support",
                f"{missing} more {'tree' if missing == 1 else 'trees'} or posts to tie to",
            )
        )
    pair = _Pair()
    if trees and wanted_trees == 1:
        pair = _Pair(thinner_m=max(t.diameter_m for t in trees))
    ridge = (
        float(math.dist(shelter.at(high[0]), shelter.at(high[-1])))
        if len(high) == 2
        else 0.0
    )
    if wanted_trees == 2 and not short:
        pair = _tree_pair(ridge, trees)
        if pair.complaint:
            words, metres = f"{pair.complaint}, short by {{0}}", pair.short_m
            short.append(Miss("trees_too_close", words, metres, (metres,)))
    gap, trunks = pair.gap_m, pair.trunks_m
    made = Carried(supports, [], [], [], short)
    middle = shelter.xyz[:, :2].mean(axis=0)
    for point, kind in (*zip(high, kinds, strict=True), *((p, "pole") for p in on_poles)):
        top = shelter.at(point)
        way = pulls[point] if point in pulls else _unit(_square_out(shelter, point, middle))
        if kind == "tree":
            trunk = top[:2] + way * gap
            at = (float(trunk[0]), float(trunk[1]))
            made.supports.append(
                Support("tree", at, float(top[2]), point, trunk_m=pair.thinner_m)
            )
            if not through:
                made.lines.append(
                    Line(
                        point,
                        (float(trunk[0]), float(trunk[1]), float(top[2])),
                        gap,
                        tree_line_m(gap, trunks / 2),
                        "to the tree",
                    )
                )
        elif kind == "pole":
            lone = shelter.pitch.pull is PullSide.LONE and point in high
            made.on_pole(point, top, way, lone=lone, inside=_inside(shelter, point))
        else:
            made.on_carrier(
                kind, point, top, way, ridge if kinds.count(kind) > 1 else 0.0, shelter
            )
    if through:
        far = made.supports[1]
        made.lines.append(
            Line(
                high[0],
                (*far.at, far.height_m),
                ridge + 2 * gap,
                through_line_m(ridge, 2 * gap, trunks),
                "ridge line",
            )
        )
    return made.rig(through=through)


def _inside(shelter: Shelter, point: str) -> bool:
    """Whether cloth goes down to the ground on all sides of a point: a pole under it needs no
    guys.
    """
    u, v = shelter.sheet_at(point)
    box = shelter.sheet.box
    return (
        box is not None
        and 0.01 < u < box[0] - 0.01
        and 0.01 < v < box[1] - 0.01
        and len(shelter.pitch.high_points()) == 1
    )


NOTHING_LIFTED: Final = Rig((), (), (), False, ())


def _lifts(shelter: Shelter, supports: Supports, rig: Rig) -> Rig:
    """What draws up, or props, the points that a pitch lifts."""
    if not any(anchor.hold is Hold.LIFTED for anchor in shelter.pitch.anchors):
        return NOTHING_LIFTED
    poles = (
        None
        if supports.poles is None
        else [p for p in supports.poles if all(p is not s.pole for s in rig.supports)]
    )
    made = Carried(
        replace(supports, poles=None if poles is None else tuple(poles)), [], [], [], []
    )
    used = sum(s.kind == "tree" for s in rig.supports)
    trees = supports.usable_trees()
    for anchor in shelter.pitch.anchors:
        if anchor.hold is Hold.LIFTED:
            made.lifted(
                anchor.point, shelter, anchor.line, tree=trees is None or len(trees) > used
            )
    return made.rig(through=False)
