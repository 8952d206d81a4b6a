"""A solved pitch: the sheet folded into the world at one setting."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.errors import FoldError
from tarvik.core.fitting import Misfit, finished, fit
from tarvik.core.fold.bias import shear_deg
from tarvik.core.fold.crossing import panels_cross
from tarvik.core.fold.solve import RIGID_M, solve_fold
from tarvik.core.pitches.base import batch
from tarvik.core.plane import signed_area

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fold.pattern import Floats, Panel, Pattern, Role
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Point2, Sheet


@dataclass(frozen=True, slots=True)
class Face:
    """A panel in the world: its corner points (k, 3) in metres, in order."""

    id: str
    role: Role
    xyz: Floats


MOST_KEPT: Final = 450
"""Shelters whose derived geometry is kept: a board of 16 sheets in every pitch."""
RECENT: Final = 64
"""Shelters of which that is kept which only other kept things are made of."""


@dataclass(frozen=True, eq=False)
class Shelter:
    """A folded sheet. `uv` (P, 2) and `xyz` (P, 3) follow the order of the pattern's points; the
    pattern is the pitch's own, or that with a strip doubled under or shaped edges. `bare`: the same
    shelter of the sheet's cloth alone, when that was folded before: what is measured of one holds
    for the other.

    Compared by identity, so that what is derived from one and does not depend on the weather can be
    kept.
    """

    pitch: Pitch
    sheet: Sheet
    settings: Mapping[str, float]
    uv: Floats
    xyz: Floats
    whole: Pattern | None = None
    bare: Shelter | None = None

    def of(self, sheet: Sheet) -> Shelter:
        """The same shelter of another sheet of the same cloth."""
        return replace(self, sheet=sheet, bare=self)

    @property
    def measured(self) -> Shelter:
        """The one that is measured for this one too."""
        return self.bare or self

    @property
    def pattern(self) -> Pattern:
        """Points and panels as they are on this sheet."""
        return self.whole or self.pitch.pattern

    @cached_property
    def _rows(self) -> dict[str, int]:
        return (
            self.bare._rows
            if self.bare
            else {point: row for row, point in enumerate(self.pattern.points)}
        )

    def at(self, point: str) -> Floats:
        """World place (3,) of a point. Raises KeyError for an unknown point."""
        place: Floats = self.xyz[self._rows[point]]
        return place

    def at_all(self, points: Sequence[str]) -> Floats:
        """World places (k, 3) of several points. Raises KeyError for an unknown point."""
        rows = self._rows
        places: Floats = self.xyz[[rows[p] for p in points]]
        return places

    def sheet_at(self, point: str) -> Point2:
        """Sheet place of a point. Raises KeyError for an unknown point."""
        u, v = self.uv[self._rows[point]].tolist()
        return u, v

    @cached_property
    def panels(self) -> tuple[Panel, ...]:
        """The panels that have any cloth; all of them lie on the sheet."""
        if self.bare:
            return self.bare.panels
        rows = self._rows
        return tuple(
            p
            for p in self.pattern.panels
            if abs(signed_area(self.uv[[rows[q] for q in p.points]])) > EMPTY_M2
        )

    @cached_property
    def panel_rows(self) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Rows of the corners of all panels, one after the other (K,), and to which panel each
        belongs (K,).
        """
        rows = [self._rows[q] for p in self.panels for q in p.points]
        return np.array(rows, dtype=np.intp), np.repeat(
            np.arange(len(self.panels)), [len(p.points) for p in self.panels]
        )

    @cached_property
    def shear_deg(self) -> float:
        """Largest change of the angle between threads, where the pitch lifts the cloth; else 0."""
        return (
            float(shear_deg(self.pattern, self.uv[None], self.xyz[None])[0])
            if self.pattern.give
            else 0.0
        )

    def faces(self) -> list[Face]:
        """Every panel in the world."""
        return [Face(p.id, p.role, self.at_all(p.points)) for p in self.panels]


EMPTY_M2: Final = 1e-9
"""A panel with less cloth than this is none: a strip of no width."""


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a sheet cannot take a setting: which setting, the value wanted and the most, or least,
    that is possible.
    """

    setting: str
    value: float
    most: float
    why: str
    least: float = -np.inf

    @property
    def too_small(self) -> bool:
        """Whether the value is under the least."""
        return bool(self.value < self.least)

    @property
    def short_by_m(self) -> float:
        """How far the value is out; 0 when nothing of it is possible."""
        if self.too_small:
            return self.least - self.value
        return self.value - self.most if np.isfinite(self.most) else 0.0


def foldable(
    pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats]
) -> np.ndarray:
    """Which settings (N,) the sheet allows."""
    return np.asarray(np.isfinite(pitch.layout(box, values).start).all(axis=(1, 2)))


def refusals(
    pitch: Pitch, box: tuple[float, float], settings: Mapping[str, float]
) -> list[Refusal]:
    """Every limit of the sheet that the settings break; empty when the sheet folds."""
    values = batch(settings, pitch)
    if foldable(pitch, box, values)[0]:
        return []
    found = []
    for limit in pitch.limits(box, values):
        least = -np.inf if limit.least is None else float(limit.least[0])
        found.append(
            Refusal(
                limit.setting,
                float(values[limit.setting][0]),
                float(limit.most[0]),
                limit.why,
                least,
            )
        )
    broken = [r for r in found if not r.value <= r.most or r.value < r.least]
    # Together they do not fold, though each alone might: the first is named, as out of reach.
    return (
        broken
        or [replace(r, most=np.nan) for r in found[:1]]
        or [
            Refusal(
                pitch.settings[0].name,
                float(values[pitch.settings[0].name][0]),
                np.nan,
                "the sheet does not fold so",
            )
        ]
    )


def fold_batch(
    pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats]
) -> tuple[Floats, Floats]:
    """Fold every setting at once: (uv (N, P, 2), xyz (N, P, 3)); NaN rows where the sheet does not
    allow a setting.
    """
    layout = pitch.layout(box, values)
    fold = solve_fold(layout)
    xyz = fold.xyz
    xyz[~fold.rigid] = np.nan
    return layout.uv, xyz


def fold_sheet(pitch: Pitch, sheet: Sheet, settings: Mapping[str, float]) -> Shelter:
    """Fold one sheet. Raises FoldError when the sheet does not fit the pitch or does not take the
    settings (`refusals` tells which), the fold is not rigid, or one panel would pass through
    another.
    """
    fitting = fit(pitch, sheet)
    if isinstance(fitting, Misfit):
        raise FoldError(fitting.why)
    pitch = fitting.pitch
    full = {s.name: float(settings.get(s.name, s.default)) for s in pitch.settings}
    layout = pitch.layout(fitting.box, batch(full, pitch))
    fold = solve_fold(layout)
    if not (fold.rigid[0] and np.isfinite(layout.start).all()):
        raise FoldError(
            f"{pitch.slug} with {full} is off by {fold.residual_m[0]:.6f} m, more than "
            f"{RIGID_M:g} m"
        )
    if panels_cross(pitch.pattern, fold.xyz)[0]:
        raise FoldError(f"{pitch.slug} with {full}: one panel would pass through another")
    whole, uv, xyz = finished(fitting, sheet, layout.uv[0], fold.xyz[0])
    return Shelter(pitch, sheet, full, uv, xyz, None if whole is pitch.pattern else whole)
