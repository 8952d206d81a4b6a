"""Sections: the roof cut by an upright plane along a line on the ground."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.shelter import Face


@dataclass(frozen=True, slots=True)
class Cut:
    """One panel's cut: (distance along the section line, height) of its two ends, in metres."""

    id: str
    role: str
    start: tuple[float, float]
    end: tuple[float, float]


def section(
    faces: Sequence[Face], origin: tuple[float, float], heading_deg: float
) -> list[Cut]:
    """Cut every face by the upright plane through `origin` along a heading (anticlockwise from +x).

    A face that only touches the plane gives nothing. Distances run from the origin along the
    heading.
    """
    angle = np.radians(heading_deg)
    along, across = (
        np.array([np.cos(angle), np.sin(angle)]),
        np.array([-np.sin(angle), np.cos(angle)]),
    )
    cuts = []
    for face in faces:
        flat = face.xyz[:, :2] - np.asarray(origin)
        d, s, z = flat @ across, flat @ along, face.xyz[:, 2]
        ends: list[tuple[float, float]] = []
        for i in range(len(d)):
            j = (i + 1) % len(d)
            if (d[i] > 0) != (d[j] > 0):
                t = d[i] / (d[i] - d[j])
                ends.append(
                    (float(s[i] + t * (s[j] - s[i])), float(z[i] + t * (z[j] - z[i])))
                )
        ends.sort()
        cuts += [
            Cut(face.id, face.role.value, a, b)
            for a, b in zip(ends[::2], ends[1::2], strict=False)
        ]
    return cuts


def clear_height(cuts: Sequence[Cut], at: Floats) -> Floats:
    """Roof height along a section at distances `at` (N,): the lowest cut that is not floor, NaN
    where there is none.
    """
    height = np.full(len(at), np.inf)
    for cut in cuts:
        if cut.role == "floor" or cut.end[0] - cut.start[0] < 1e-9:
            continue
        t = (at - cut.start[0]) / (cut.end[0] - cut.start[0])
        z = cut.start[1] + t * (cut.end[1] - cut.start[1])
        height = np.where((t >= -1e-9) & (t <= 1 + 1e-9) & (z < height), z, height)
    return np.where(np.isfinite(height), height, np.nan)
