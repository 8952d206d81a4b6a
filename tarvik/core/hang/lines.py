"""Forces in the rig's lines and poles that carry a hung sheet: guys, tree lines, the ridge line."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.hang.ties import RIDGE_PULL_N

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.hung import Hung


@dataclass(frozen=True, slots=True)
class LinePull:
    """What a line of the rig pulls, by its place among the rig's lines; `start`: the point of the
    sheet it holds.
    """

    line: int
    start: str
    purpose: str
    newtons: float


def line_pulls(hung: Hung) -> list[LinePull]:
    """The pull in every line of the rig. A guy that alone holds a point pulls its stretch; at a
    pole the lines and the pole together balance the cloth, with the least pulls that do.
    """
    own = {f.tie.name: f.newtons for f in hung.forces if f.tie.kind in ("guy", "cord")}
    carried = {
        f.tie.name: hung.pulls[f.tie.node] for f in hung.forces if f.tie.kind == "support"
    }
    poles = {s.point for s in hung.rig.supports if s.kind != "tree"}
    out = []
    for number, line in enumerate(hung.rig.lines):
        if line.start in own:
            out.append(LinePull(number, line.start, line.purpose, own[line.start]))
        elif line.start in carried:
            out.append(
                LinePull(
                    number,
                    line.start,
                    line.purpose,
                    _share(hung, number, carried[line.start], line.start in poles),
                )
            )
    return out


def _share(hung: Hung, number: int, pull: Floats, poled: bool) -> float:
    """Pull of one of the lines at a carried point; `pull` (3,): of the cloth on what carries it."""
    rig = hung.rig
    here = [k for k, line in enumerate(rig.lines) if line.start == rig.lines[number].start]
    if rig.through_line and rig.lines[number].purpose == "ridge line":
        return RIDGE_PULL_N + float(np.linalg.norm(pull))
    if not poled:
        return float(np.linalg.norm(pull)) / len(here)
    node = hung.mesh.named[rig.lines[number].start]
    ways = [np.array(rig.lines[k].to) - hung.rest.x[node] for k in here]
    columns = [w / max(float(np.linalg.norm(w)), 1e-9) for w in ways] + [
        np.array([0.0, 0.0, 1.0])
    ]
    forces = _least_pulls(np.array(columns).T, -pull)
    return float(forces[here.index(number)])


def _least_pulls(ways: Floats, wanted: Floats) -> Floats:
    """Pulls (k,), none below zero, along `ways` (3, k) that come nearest to a force, the smallest
    that do. A point has few lines: every set of those that pull is tried.
    """
    count = ways.shape[1]
    best, least = np.zeros(count), float(np.linalg.norm(wanted))
    for size in range(1, min(count, 3) + 1):
        for some in combinations(range(count), size):
            pulls = np.linalg.lstsq(ways[:, some], wanted, rcond=None)[0]
            off = float(np.linalg.norm(ways[:, some] @ pulls - wanted))
            if pulls.min() >= 0 and off < least - 1e-9:
                best, least = np.zeros(count), off
                best[list(some)] = pulls
    return best
