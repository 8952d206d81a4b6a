"""First places for a network of readings: points are laid one after the other where most readings
agree.

Several beginnings are tried, since one bad reading in the first triangle would spoil all that is
laid on it; as a last one classical scaling of the shortest ways through the network (Torgerson
1952).
"""

from __future__ import annotations

from itertools import combinations
from typing import TYPE_CHECKING, Final

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import shortest_path

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from tarvik.core.site.network import Network

    Floats = NDArray[np.float64]

_SEEDS: Final = 10
_MOST_PAIRS: Final = 15
_DULL: Final = 3.0
"""Residuals beyond so many standard errors are all alike bad."""


class _Fixes:
    """What each point is tied to: circles round others, rays from others, places beside base
    lines.
    """

    def __init__(self, network: Network) -> None:
        n = len(network.names)
        self.circles: list[list[tuple[int, float, float]]] = [
            [] for _ in range(n)
        ]  # other, radius, error
        self.rays: list[list[tuple[int, float, float]]] = [
            [] for _ in range(n)
        ]  # other, angle from it, error
        self.beside: list[list[tuple[int, int, float, float]]] = [[] for _ in range(n)]
        for (row, i, j), length in zip(network.tapes, network.lengths, strict=True):
            error = float(network.errors[row])
            self.circles[i].append((int(j), float(length), error))
            self.circles[j].append((int(i), float(length), error))
        for (row, i, j), angle in zip(network.aims, network.angles, strict=True):
            error = float(network.errors[row])
            self.rays[j].append((int(i), float(angle), error))
            self.rays[i].append((int(j), float(angle) + np.pi, error))
        for (_, i, j, p), (along, right) in zip(
            network.offsets, network.places, strict=True
        ):
            self.beside[p].append((int(i), int(j), float(along), float(right)))

    def count(self, point: int, laid: NDArray[np.bool_]) -> int:
        """How many readings tie a point to those laid."""
        out = sum(bool(laid[o]) for o, _, _ in (*self.circles[point], *self.rays[point]))
        return out + 2 * sum(bool(laid[i] and laid[j]) for i, j, _, _ in self.beside[point])


def starts(network: Network, more: int) -> Iterator[Floats]:
    """Places (n, 2) to begin from; none is right for sure. After the likeliest come `more` in which
    points that may lie in either of two places are laid at random.
    """
    fixes = _Fixes(network)
    seeds = _seeds(network, fixes)
    generator = np.random.default_rng(len(network.names))
    for seed in seeds:
        yield _grown(network, fixes, seed, generator, chance=False)
    scaled = _scaled(network)
    if scaled is not None:
        yield scaled
    for turn in range(more):
        yield _grown(network, fixes, seeds[turn % len(seeds)], generator, chance=True)


def _seeds(network: Network, fixes: _Fixes) -> list[dict[int, Floats]]:
    """Beginnings: a pair whose bearing was read, or triangles taped on all sides, the roundest
    first, spread out.
    """
    length = {
        frozenset((int(i), int(j))): float(x)
        for (_, i, j), x in zip(network.tapes, network.lengths, strict=True)
    }
    found: list[dict[int, Floats]] = []
    for (_, i, j), angle in zip(network.aims[:_SEEDS], network.angles, strict=False):
        far = length.get(frozenset((int(i), int(j))), 10.0)
        found.append(
            {int(i): np.zeros(2), int(j): far * np.array([np.sin(angle), np.cos(angle)])}
        )
    triangles = []
    near = [{o for o, _, _ in circles} for circles in fixes.circles]
    for i, j in (sorted(pair) for pair in length):
        for k in near[i] & near[j]:
            if k > j:
                a, b, c = (
                    length[frozenset((i, j))],
                    length[frozenset((i, k))],
                    length[frozenset((j, k))],
                )
                half = (a + b + c) / 2
                area2 = half * (half - a) * (half - b) * (half - c)
                if area2 > 0:
                    triangles.append((np.sqrt(area2) / max(a, b, c), i, j, k))
    triangles.sort(reverse=True)
    used: dict[int, int] = {}
    for _, i, j, k in triangles:
        if len(found) >= _SEEDS:
            break
        if max(used.get(p, 0) for p in (i, j, k)) >= 2:
            continue
        for p in (i, j, k):
            used[p] = used.get(p, 0) + 1
        a, b, c = (
            length[frozenset((i, j))],
            length[frozenset((i, k))],
            length[frozenset((j, k))],
        )
        x = (a * a + b * b - c * c) / (2 * a)
        found.append(
            {
                i: np.zeros(2),
                j: np.array([a, 0.0]),
                k: np.array([x, np.sqrt(max(b * b - x * x, 0.0))]),
            }
        )
    if not found:
        for (_, i, j), far in list(zip(network.tapes, network.lengths, strict=True))[:1]:
            found.append({int(i): np.zeros(2), int(j): np.array([float(far), 0.0])})
        for _, i, j, _ in network.offsets[:1]:
            found.append({int(i): np.zeros(2), int(j): np.array([10.0, 0.0])})
    return found


def _grown(
    network: Network,
    fixes: _Fixes,
    seed: dict[int, Floats],
    generator: np.random.Generator,
    *,
    chance: bool,
) -> Floats:
    n = len(network.names)
    xy, laid = np.zeros((n, 2)), np.zeros(n, dtype=bool)
    for point, place in seed.items():
        xy[point], laid[point] = place, True
    ties = np.array([fixes.count(p, laid) for p in range(n)])
    while not laid.all():
        ties[laid] = -1
        point = int(np.argmax(ties + (generator.uniform(0, 0.9, n) if chance else 0.0)))
        xy[point] = _best_place(fixes, point, xy, laid, generator, 2.0 if chance else 0.0)
        laid[point] = True
        touched = {o for o, _, _ in (*fixes.circles[point], *fixes.rays[point])}
        touched |= {
            p for p in range(n) for i, j, _, _ in fixes.beside[p] if point in (i, j)
        }
        for other in touched:
            ties[other] = fixes.count(other, laid)
    return xy


def _best_place(
    fixes: _Fixes,
    point: int,
    xy: Floats,
    laid: NDArray[np.bool_],
    generator: np.random.Generator,
    play: float,
) -> Floats:
    """Where most of what ties a point to those laid agrees; with `play` at random among what comes
    so near to the best.
    """
    circles = [(xy[o], r, e) for o, r, e in fixes.circles[point] if laid[o]]
    rays = [(xy[o], a, e) for o, a, e in fixes.rays[point] if laid[o]]
    places: list[Floats] = []
    for i, j, along, right in fixes.beside[point]:
        if laid[i] and laid[j]:
            u = (xy[j] - xy[i]) / max(float(np.hypot(*(xy[j] - xy[i]))), 1e-9)
            places.append(xy[i] + along * u + right * np.array([u[1], -u[0]]))
    pairs = sorted(
        combinations(circles, 2), key=lambda p: -float(np.hypot(*(p[0][0] - p[1][0])))
    )[:_MOST_PAIRS]
    for one, two in pairs:
        places += _circles_meet(one[0], one[1], two[0], two[1])
    for centre, angle, _ in rays:
        way = np.array([np.sin(angle), np.cos(angle)])
        places += [
            centre + way * r for c, r, _ in circles if np.hypot(*(c - centre)) < 1e-9
        ]
        for c, r, _ in circles:
            foot = float((c - centre) @ way)
            off = float(np.hypot(*(centre + foot * way - c)))
            for side in (-1.0, 1.0):
                places.append(
                    centre
                    + max(foot + side * np.sqrt(max(r * r - off * off, 0.0)), 0.0) * way
                )
    for (c1, a1, _), (c2, a2, _) in combinations(rays, 2):
        w1, w2 = np.array([np.sin(a1), np.cos(a1)]), np.array([np.sin(a2), np.cos(a2)])
        cross = w1[0] * w2[1] - w1[1] * w2[0]
        if abs(cross) > 1e-3:
            gap = c2 - c1
            places.append(c1 + (gap[0] * w2[1] - gap[1] * w2[0]) / cross * w1)
    if not places:
        centre, radius = (
            (circles[0][0], circles[0][1])
            if circles
            else (rays[0][0] if rays else np.zeros(2), 10.0)
        )
        angle = rays[0][1] if rays else float(generator.uniform(0, 2 * np.pi))
        return np.asarray(centre + radius * np.array([np.sin(angle), np.cos(angle)]))
    some = np.array(places)
    cost = np.zeros(len(some))
    for centre, radius, error in circles:
        cost += np.minimum(np.abs(np.hypot(*(some - centre).T) - radius) / error, _DULL * 3)
    for centre, angle, error in rays:
        off = np.mod(np.arctan2(*(some - centre).T) - angle + np.pi, 2 * np.pi) - np.pi
        cost += np.minimum(np.abs(off) / error, _DULL * 3)
    return np.asarray(some[int(np.argmin(cost + generator.uniform(0, play, len(cost))))])


def _circles_meet(a: Floats, r: float, b: Floats, s: float) -> list[Floats]:
    """Where two circles meet; the places nearest to both when they do not."""
    gap = b - a
    far = float(np.hypot(*gap))
    if far < 1e-9:
        return []
    along = (r * r - s * s + far * far) / (2 * far)
    high2 = r * r - along * along
    u = gap / far
    if high2 <= 0:
        return [a + float(np.clip(along, -r, r)) * u]
    square = np.sqrt(high2) * np.array([-u[1], u[0]])
    return [a + along * u + square, a + along * u - square]


def _scaled(network: Network) -> Floats | None:
    """Classical scaling of the shortest ways; None where not all hangs together by distances."""
    n = len(network.names)
    if not len(network.tapes):
        return None
    _, i, j = network.tapes.T
    far = shortest_path(csr_array((network.lengths, (i, j)), shape=(n, n)), directed=False)
    if not np.isfinite(far).all():
        return None
    middle = np.eye(n) - 1 / n
    values, vectors = np.linalg.eigh(-middle @ (far**2) @ middle / 2)
    return np.asarray(vectors[:, -2:] * np.sqrt(np.maximum(values[-2:], 0.0)))
