"""A solved pitch: the sheet folded into the world at one setting."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.errors import FoldError
from tarvik.core.fold.solve import RIGID_M, solve_fold
from tarvik.core.pitches.base import batch

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.fold.pattern import Floats, Panel, Role
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Point2, Sheet


@dataclass(frozen=True, slots=True)
class Face:
    """A panel in the world: its corner points (k, 3) in metres, in order."""

    id: str
    role: Role
    xyz: Floats


MOST_KEPT: Final = 2048
"""Shelters whose derived geometry is kept."""


@dataclass(frozen=True, eq=False)
class Shelter:
    """A folded sheet. `uv` (P, 2) and `xyz` (P, 3) follow the order of the pitch's pattern points.

    Compared by identity, so that what is derived from one and does not depend on the weather can be kept.
    """

    pitch: Pitch
    sheet: Sheet
    settings: Mapping[str, float]
    uv: Floats
    xyz: Floats

    def at(self, point: str) -> Floats:
        """World place (3,) of a point."""
        return np.asarray(self.xyz[self.pitch.pattern.index(point)])

    def at_all(self, points: Sequence[str]) -> Floats:
        """World places (k, 3) of several points."""
        return np.asarray(self.xyz[[self.pitch.pattern.index(p) for p in points]])

    def sheet_at(self, point: str) -> Point2:
        """Sheet place of a point."""
        u, v = self.uv[self.pitch.pattern.index(point)]
        return float(u), float(v)

    @property
    def panels(self) -> tuple[Panel, ...]:
        """The panels of the pitch, all of which lie on the sheet."""
        return self.pitch.pattern.panels

    def faces(self) -> list[Face]:
        """Every panel in the world."""
        return [Face(p.id, p.role, self.at_all(p.points)) for p in self.panels]


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a sheet cannot take a setting: which setting, the value wanted and the most that is possible."""

    setting: str
    value: float
    most: float
    why: str

    @property
    def short_by_m(self) -> float:
        """How much too large the value is; 0 when nothing of it is possible."""
        return self.value - self.most if np.isfinite(self.most) else 0.0


def foldable(pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats]) -> np.ndarray:
    """Which settings (N,) the sheet allows."""
    return np.asarray(np.isfinite(pitch.layout(box, values).start).all(axis=(1, 2)))


def refusals(pitch: Pitch, box: tuple[float, float], settings: Mapping[str, float]) -> list[Refusal]:
    """Every limit of the sheet that the settings break; empty when the sheet folds."""
    values = batch(settings, pitch)
    if foldable(pitch, box, values)[0]:
        return []
    limits = pitch.limits(box, values)
    wanted = [(limit, float(values[limit.setting][0]), float(limit.most[0])) for limit in limits]
    broken = [Refusal(limit.setting, value, most, limit.why) for limit, value, most in wanted if not value <= most]
    return broken or [Refusal(limit.setting, value, most, limit.why) for limit, value, most in wanted[:1]]


def fold_batch(pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats]) -> tuple[Floats, Floats]:
    """Fold every setting at once: (uv (N, P, 2), xyz (N, P, 3)); NaN rows where the sheet does not allow a setting."""
    layout = pitch.layout(box, values)
    fold = solve_fold(layout)
    good = np.isfinite(layout.start).all(axis=(1, 2)) & fold.rigid
    return layout.uv, np.where(good[:, None, None], fold.xyz, np.nan)


def fold_sheet(pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]) -> Shelter:
    """Fold one sheet. The caller has checked `refusals`. Raises FoldError when the fold is not rigid."""
    box = sheet.box
    if box is None:
        raise FoldError(f"{pitch.slug} is worked out for rectangles")
    full = {s.name: float(settings.get(s.name, s.default)) for s in pitch.settings}
    layout = pitch.layout(box, batch(full, pitch))
    fold = solve_fold(layout)
    if not fold.rigid[0]:
        raise FoldError(f"{pitch.slug} with {full} is off by {fold.residual_m[0]:.6f} m, more than {RIGID_M:g} m")
    return Shelter(pitch, sheet, full, layout.uv[0], fold.xyz[0])
