"""Values of settings to try: those that some support allows, and every combination of them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.pitches.base import Sought

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.rig.supports import Supports
    from tarvik.core.sheet import Sheet

CARRIED_HEIGHTS: Final = ("height", "pole", "ends")
"""Names of settings that are heights of carried points begin so."""
HULL: Final = "hull"
"""The setting that is the height of a boat on its side."""


def combined(grids: Sequence[Floats]) -> Floats:
    """Every combination (N, settings) of the grids' values, the last setting changing fastest; one
    of none.
    """
    out = np.empty((*(len(g) for g in grids), len(grids)))
    for axis, grid in enumerate(grids):
        out[..., axis] = grid.reshape(-1, *(1,) * (len(grids) - 1 - axis))
    return out.reshape(out.size // max(len(grids), 1) or 1, len(grids))


def grid(setting: Setting, sheet: Sheet, supports: Supports, size: int) -> Floats:
    """Values (n,) of a setting over its range; those of a crease from the far edge also where
    tie-outs are.
    """
    if setting.is_choice:
        return np.arange(setting.least, setting.most + 0.5)
    values = np.linspace(setting.least, setting.most, size)
    if setting.sought is Sought.ALSO:
        values = np.unique(np.append(values, usual_value(setting, supports)))
    if setting.folds_far_edge and sheet.tie_outs and sheet.box:
        ties = [
            side - place
            for tie in sheet.tie_outs
            for side, place in zip(sheet.box, tie, strict=True)
        ]
        kept = [t for t in ties if setting.least <= t <= setting.most]
        values = np.unique(np.round(np.concatenate([values, kept]), 4))
    return allowed(values, setting, supports)


def in_range(values: Floats, setting: Setting) -> Floats:
    """Ascending values taken to the setting's range, none of them twice."""
    inside = np.minimum(np.maximum(values, setting.least), setting.most)
    new = np.empty(len(inside), dtype=np.bool_)
    new[0] = True
    np.greater(inside[1:], inside[:-1], out=new[1:])
    return np.asarray(inside[new])


def usual_value(setting: Setting, supports: Supports) -> float:
    """The value at which a setting stands unless it is searched: its default, or what some support
    can reach nearest to it.
    """
    spans = _spans(setting, supports) if setting.searched else None
    reached = [min(max(setting.default, a), b) for a, b in spans or ()]
    inside = [value for value in reached if setting.least <= value <= setting.most]
    return min(
        inside, key=lambda value: abs(value - setting.default), default=setting.default
    )


def _spans(setting: Setting, supports: Supports) -> list[tuple[float, float]] | None:
    """Stretches of a height within the reach of some support; None where any height is."""
    if setting.name.startswith(CARRIED_HEIGHTS):
        return supports.height_spans()
    return supports.hull_spans() if setting.name == HULL else None


def allowed(values: Floats, setting: Setting, supports: Supports) -> Floats:
    """Heights that some support can reach, ends of the poles included; all of them when none
    can.
    """
    spans = _spans(setting, supports)
    if not spans:
        return values
    kept = [v for v in values if any(a <= v <= b for a, b in spans)]
    kept += [v for span in spans for v in span if values.min() <= v <= values.max()]
    return np.unique(np.array(kept)) if kept else values
