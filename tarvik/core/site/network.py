"""Readings as equations between places, and the places that fit them best: damped Gauss-Newton
steps (Marquardt 1963).

Every equation is divided by its reading's standard error, so that a residual of 1 is an ordinary
one. Rows come in the order of the readings, an offset as two: along, then to the right.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.site.reading import Bearing, Distance, names_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.site.reading import Reading

    Floats = NDArray[np.float64]
    Ints = NDArray[np.intp]

_STEPS: Final = 60
_AT_REST: Final = 1e-11
_NEAR_M: Final = 1e-9


@dataclass(frozen=True)
class Network:
    """Readings in index form. `first`: the row at which each reading starts; `of_row`: which
    reading a row belongs to.
    """

    names: tuple[str, ...]
    readings: tuple[Reading, ...]
    tapes: Ints  # (T, 3): row, start, end
    lengths: Floats
    aims: Ints  # (B, 3): row, start, end
    angles: Floats
    offsets: Ints  # (O, 4): row, start, end, point
    places: Floats  # (O, 2)
    errors: Floats  # (R,) standard error of each row: metres or radians
    of_row: Ints

    @classmethod
    def of(cls, names: Sequence[str], readings: Sequence[Reading]) -> Network:
        """The equations of readings between points of these names."""
        index = {name: i for i, name in enumerate(names)}
        tapes, lengths, aims, angles, offsets, places = [], [], [], [], [], []
        errors: list[float] = []
        of_row: list[int] = []
        for n, reading in enumerate(readings):
            row = len(errors)
            at = [index[name] for name in names_of(reading)]
            of_row.append(n)
            if isinstance(reading, Distance):
                tapes.append([row, *at])
                lengths.append(reading.length_m)
                errors.append(reading.error_m)
            elif isinstance(reading, Bearing):
                aims.append([row, *at])
                angles.append(np.radians(reading.bearing_deg))
                errors.append(np.radians(reading.error_deg))
            else:
                offsets.append([row, *at])
                places.append([reading.along_m, reading.right_m])
                errors += [reading.error_m] * 2
                of_row.append(n)
        return cls(
            tuple(names),
            tuple(readings),
            _ints(tapes, 3),
            np.array(lengths),
            _ints(aims, 3),
            np.array(angles),
            _ints(offsets, 4),
            np.array(places).reshape(-1, 2),
            np.array(errors),
            np.array(of_row, dtype=np.intp),
        )

    @property
    def rows(self) -> int:
        """Number of equations."""
        return len(self.errors)

    def residuals(self, xy: Floats) -> Floats:
        """Told minus read (R,), in standard errors."""
        out = np.empty(self.rows)
        row, i, j = self.tapes.T
        out[row] = np.hypot(*(xy[j] - xy[i]).T) - self.lengths
        row, i, j = self.aims.T
        dx, dy = (xy[j] - xy[i]).T
        out[row] = np.mod(np.arctan2(dx, dy) - self.angles + np.pi, 2 * np.pi) - np.pi
        row, i, j, p = self.offsets.T
        along, right, _, _, _ = _beside(xy, i, j, p)
        out[row], out[row + 1] = along - self.places[:, 0], right - self.places[:, 1]
        return out / self.errors

    def slopes(self, xy: Floats) -> Floats:
        """How the residuals change with the places: (R, 2 n), x and y of each point in turn."""
        out = np.zeros((self.rows, len(xy), 2))
        row, i, j = self.tapes.T
        gap = xy[j] - xy[i]
        unit = gap / np.maximum(np.hypot(*gap.T), _NEAR_M)[:, None]
        out[row, j] += unit
        out[row, i] -= unit
        row, i, j = self.aims.T
        dx, dy = (xy[j] - xy[i]).T
        turn = np.column_stack([dy, -dx]) / np.maximum(dx**2 + dy**2, _NEAR_M**2)[:, None]
        out[row, j] += turn
        out[row, i] -= turn
        row, i, j, p = self.offsets.T
        along, right, u, n, size = _beside(xy, i, j, p)
        swing = n / size[:, None]
        out[row, p] += u
        out[row, j] += right[:, None] * swing
        out[row, i] -= u + right[:, None] * swing
        out[row + 1, p] += n
        out[row + 1, j] -= along[:, None] * swing
        out[row + 1, i] += along[:, None] * swing - n
        return out.reshape(self.rows, -1) / self.errors[:, None]

    def without(self, readings: set[int]) -> Network:
        """The network less some of its readings, given by number."""
        return Network.of(
            self.names, [r for n, r in enumerate(self.readings) if n not in readings]
        )


def _ints(rows: list[list[int]], width: int) -> Ints:
    return np.array(rows, dtype=np.intp).reshape(-1, width)


class Beside(NamedTuple):
    """Places beside a base line: along and right of it, its unit vector, that to its
    right, its length.
    """

    along: Floats
    right: Floats
    unit: Floats
    square: Floats
    length: Floats


def _beside(xy: Floats, i: Ints, j: Ints, p: Ints) -> Beside:
    """Along and right of a base line, its unit vector, the unit vector to its right, its length."""
    gap, q = xy[j] - xy[i], xy[p] - xy[i]
    size = np.maximum(np.hypot(*gap.T), _NEAR_M)
    u = gap / size[:, None]
    n = np.column_stack([u[:, 1], -u[:, 0]])
    return Beside((q * u).sum(axis=1), (q * n).sum(axis=1), u, n, size)


def settled(network: Network, start: Floats, *, robust: float | None = None) -> Floats:
    """Places (n, 2) that fit the readings best, from a start. With `robust` a residual beyond that
    many standard errors weighs less the larger it is (Cauchy's weights, the readings weighed anew
    at each step), so that a bad reading does not draw the others along.
    """
    xy = start.copy()
    damping = 1e-3
    res = network.residuals(xy)
    cost = _cost(res, robust)
    for _ in range(_STEPS):
        weight = np.ones_like(res) if robust is None else 1 / (1 + (res / robust) ** 2)
        slopes = network.slopes(xy)
        normal = slopes.T @ (slopes * weight[:, None])
        aim = -(slopes.T @ (weight * res))
        for _try in range(8):
            step = np.linalg.solve(
                normal + damping * np.diag(np.diag(normal) + 1e-6), aim
            ).reshape(-1, 2)
            new = network.residuals(xy + step)
            new_cost = _cost(new, robust)
            if new_cost <= cost:
                break
            damping *= 10
        else:
            break
        gain = cost - new_cost
        xy, res, cost = xy + step, new, new_cost
        damping = max(damping * 0.1, 1e-12)
        if np.abs(step).max() < _AT_REST or gain < 1e-14 * (1 + cost):
            break
    return xy


def _cost(res: Floats, robust: float | None) -> float:
    return float(
        (res**2).sum()
        if robust is None
        else (robust**2 * np.log1p((res / robust) ** 2)).sum()
    )
