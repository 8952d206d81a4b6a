"""The search for the settings that serve the sleepers and the night's intent best.

First comes how many lie dry with their clearances, then the intent's weighing of the room. A grid over the settings is
measured at once by the compiled quick figures, then refined twice round the best.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.body import STATURE_LEAST_M, Body
from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.kernel.mats import MOST_MATS
from tarvik.core.measure.kernel.quick import quick_figures
from tarvik.core.measure.mats import INNER_M
from tarvik.core.measure.roof import pack
from tarvik.core.sheet import TIE_OUT_REACH_M, Sheet
from tarvik.core.shelter import fold_batch

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.intent import Intent
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.pitches.base import Pitch, Setting
    from tarvik.core.rig.supports import Supports

SIT_EACH_M2: Final = constant("sit_each", 0.5, "m2", ENGINEERING, "sitting ground a sleeper that the search values")
MAT_FIRST: Final = constant("mat_first", 100.0, "1", ENGINEERING, "a sleeper more outweighs any room")
TAPE_COST: Final = constant("tape_cost", 0.05, "1", ENGINEERING, "worth given up for a setting in whole centimetres")
BUTTON_FREE: Final = constant("button_free", 0.8, "1", ENGINEERING, "worth of a crease that ends on tie-outs")
LOOSE_ROLES: Final = frozenset({Role.AWNING, Role.DOOR})
"""Panels that the quick figures leave out where the whole roof is no convex lid."""
_STRIDE: Final = 5  # every 10 degrees on the first grid
_FINER: Final = 3  # every 6 degrees while refining
_GRIDS: Final = {0: 1, 1: 22, 2: 8, 3: 6}
_AROUND: Final = {0: 1, 1: 21, 2: 5, 3: 3}
_ROUNDS: Final = {0: 0, 1: 1, 2: 2, 3: 2}
_SHORTER: Final = (0.9, 0.75, 0.55)  # shares of the stature tried when nobody fits


def score(figures: Floats, floor_m2: Floats, mat_m2: float, sit_m: float, intent: Intent, wanted: int | None = None) -> Floats:
    """Worth (N,) of quick figures (N, 5); -inf for settings that cannot be folded. Mats beyond `wanted` count nothing."""
    peak, covered, sit, stand, mats = figures.T
    mats = mats if wanted is None else np.minimum(mats, wanted)
    heads = np.maximum(mats, 1)
    worth = (
        MAT_FIRST * mats + intent.sit * np.minimum(sit, SIT_EACH_M2 * heads) + intent.stand * stand
        + intent.covered * covered + intent.headroom * np.minimum(peak, sit_m)
        + intent.peak * np.maximum(peak - sit_m, 0.0) + intent.floor * np.minimum(floor_m2, heads * mat_m2)
    )  # fmt: skip
    return np.where(np.isnan(worth), -np.inf, worth)


def quick(
    pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats], body: Body, clearance: Clearance, stride: int = 1,
    wanted: int | None = None,
) -> tuple[Floats, Floats]:  # fmt: skip
    """Quick figures (N, 5: peak, covered, sit, stand, mats up to `wanted`) and floor area (N,) of many settings."""
    _, xyz = fold_batch(pitch, box, values)
    index = pitch.pattern.index
    out = np.full((len(xyz), 5), np.nan)
    for awnings in (True, False):  # where the whole is no convex lid, what stands without its awnings and doors
        panels = [p for p in pitch.pattern.panels if p.role is not Role.FLOOR and (awnings or p.role not in LOOSE_ROLES)]
        left = np.flatnonzero(np.isnan(out[:, 0]) & np.isfinite(xyz[:, 0, 0]))
        if not len(left) or (not awnings and len(panels) == len(pitch.pattern.panels)):
            break
        roofs = [[index(q) for q in panel.points] for panel in panels]
        most = max(len(r) for r in roofs)
        padded = np.array([r + [r[-1]] * (most - len(r)) for r in roofs])
        _, corners = pack([np.zeros((len(r), 3)) for r in roofs])
        some = np.empty((len(left), 5))
        quick_figures(
            np.ascontiguousarray(xyz[left][:, padded]), corners, np.array(clearance.heights()),
                clearance.boxes(body.stature_m),
            np.array([clearance.mat_length(body.stature_m), clearance.mat_width_m]), sitting_height(body),
                standing_height(body),
            stride, INNER_M, wanted or MOST_MATS, some,
        )  # fmt: skip
        if not awnings:
            some[:, 0] = np.where(np.isnan(some[:, 0]), np.nan, xyz[left][:, :, 2].max(axis=1))  # the whole stands that high
        out[left] = some
    floor = np.zeros(len(xyz))
    for panel in pitch.pattern.panels:
        if panel.role is Role.FLOOR:
            xy = xyz[:, [index(p) for p in panel.points], :2]
            nxt = np.roll(xy, -1, axis=1)
            floor += np.abs((xy[..., 0] * nxt[..., 1] - xy[..., 1] * nxt[..., 0]).sum(axis=1)) / 2
    return out, floor


@dataclass(frozen=True, slots=True)
class Aim:
    """What the search looks for. `wanted` sleepers are enough; None: as many as fit."""

    body: Body
    intent: Intent
    supports: Supports
    clearance: Clearance
    wanted: int | None = None


def best_settings(pitch: Pitch, sheet: Sheet, aim: Aim, fixed: Mapping[str, float] | None = None) -> dict[str, float] | None:
    """Settings that serve best; `fixed` ones stay. None when the sheet folds into this pitch at no setting.

    With any setting fixed, the sheet lies as it is given (`turn` 0) unless `turn` is fixed too. Where nobody of that
    stature fits, the setting that serves the next shorter person.
    """
    if sheet.box is None:
        return None
    found = _searched(pitch, sheet, sheet.box, aim, fixed or {})
    if found is not None and found[0] < MAT_FIRST / 2:
        for share in _SHORTER:
            shorter = Body(max(share * aim.body.stature_m, STATURE_LEAST_M))
            again = _searched(pitch, sheet, sheet.box, replace(aim, body=shorter), fixed or {})
            if again is not None and again[0] >= MAT_FIRST / 2:
                return again[1]
    return found[1] if found else None


def _searched(
    pitch: Pitch, sheet: Sheet, box: tuple[float, float], aim: Aim, given: Mapping[str, float]
) -> tuple[float, dict[str, float]] | None:
    free = [s for s in pitch.settings if s.searched and s.name not in given and not (s.name == "turn" and given)]
    sliding = [s for s in free if not s.is_choice]
    grids = {s.name: _grid(s, sheet, aim.supports, _GRIDS[min(len(sliding), 3)]) for s in free}
    if box[0] == box[1] and "turn" in grids:
        grids["turn"] = np.zeros(1)
    found = _best(pitch, sheet, box, aim, given, grids, _STRIDE)
    if found is None:
        return None
    rounds = _ROUNDS[min(len(sliding), 3)]
    for turn in range(1, rounds + 1):
        finer = {s.name: _around(s, found[1][s.name], grids[s.name], len(sliding), turn == rounds, aim) for s in sliding}
        grids = {name: np.array([found[1][name]]) for name in grids} | finer
        better = _best(pitch, sheet, box, aim, given, grids, _FINER)
        if better is not None and better[0] >= found[0] - (TAPE_COST if turn == rounds else 0.0):
            found = better
    return found


def _around(setting: Setting, best: float, grid: Floats, sliders: int, last: bool, aim: Aim) -> Floats:
    """Finer values about the best one; in the last round whole centimetres, as a tape reads, or whole degrees."""
    step = (grid[-1] - grid[0]) / max(len(grid) - 1, 1)
    values = np.linspace(best - step, best + step, _AROUND[min(sliders, 3)])
    if last:
        values = np.round(values, 2 if setting.is_length else 0)
    return _allowed(np.unique(np.clip(values, setting.least, setting.most)), setting, aim.supports)


def _best(
    pitch: Pitch, sheet: Sheet, box: tuple[float, float], aim: Aim, given: Mapping[str, float], grids: Mapping[str, Floats],
    stride: int,
) -> tuple[float, dict[str, float]] | None:  # fmt: skip
    """The best of all combinations of the grids' values."""
    cases = np.array(list(product(*grids.values()))) if grids else np.zeros((1, 0))
    heights = [column for column, name in enumerate(grids) if name.startswith("height") and len(grids[name]) > 1]
    if (
        len(heights) > 1 and stride == _STRIDE
    ):  # also all heights alike, in fine steps: where the room for one more is often narrowest
        level = np.tile(cases[0], (_GRIDS[1], 1))
        first = list(grids.values())[heights[0]]
        level[:, heights] = np.linspace(first[0], first[-1], _GRIDS[1])[:, None]
        cases = np.vstack([cases, level])
    values = {s.name: np.full(len(cases), given.get(s.name, s.default)) for s in pitch.settings}
    for column, name in enumerate(grids):
        values[name] = cases[:, column].copy()
    figures, floor = quick(pitch, box, values, aim.body, aim.clearance, stride, aim.wanted)
    mat_m2 = aim.clearance.mat_length(aim.body.stature_m) * aim.clearance.mat_width_m
    worth = score(figures, floor, mat_m2, sitting_height(aim.body), aim.intent, aim.wanted)
    worth = worth + BUTTON_FREE * _on_tie_outs(pitch, sheet, box, values)
    top = int(np.argmax(worth))
    if not np.isfinite(worth[top]):
        return None
    return float(worth[top]), {name: float(array[top]) for name, array in values.items()}


def _on_tie_outs(pitch: Pitch, sheet: Sheet, box: tuple[float, float], values: Mapping[str, Floats]) -> Floats:
    """1 where a crease across the sheet ends on tie-outs at both edges, 0 where it would take buttons."""
    out = np.zeros(len(values[pitch.settings[0].name]))
    ties = np.array(sheet.tie_outs or ()).reshape(-1, 2)
    for setting in pitch.settings:
        if not setting.folds_far_edge or not len(ties):
            continue
        for turned in (0, 1):
            across, along = (box[1], box[0]) if turned else box
            u, v = (ties[:, 1], ties[:, 0]) if turned else (ties[:, 0], ties[:, 1])
            near = np.abs(across - values[setting.name][:, None] - u) <= TIE_OUT_REACH_M
            both = (near & (np.abs(v) <= TIE_OUT_REACH_M)).any(1) & (near & (np.abs(v - along) <= TIE_OUT_REACH_M)).any(1)
            out += both & ((values["turn"] > 0.5) == bool(turned))
    return out


def _grid(setting: Setting, sheet: Sheet, supports: Supports, size: int) -> Floats:
    if setting.is_choice:
        return np.arange(setting.least, setting.most + 0.5)
    values = np.linspace(setting.least, setting.most, size)
    if setting.folds_far_edge and sheet.tie_outs and sheet.box:
        ties = [side - place for tie in sheet.tie_outs for side, place in zip(sheet.box, tie, strict=True)]
        kept = [t for t in ties if setting.least <= t <= setting.most]
        values = np.unique(np.round(np.concatenate([values, kept]), 4))
    return _allowed(values, setting, supports)


def _allowed(values: Floats, setting: Setting, supports: Supports) -> Floats:
    """Heights that some support can reach, ends of the poles included; all of them when none can."""
    spans = supports.height_spans() if setting.name.startswith("height") else None
    if not spans:
        return values
    kept = [v for v in values if any(a <= v <= b for a, b in spans)]
    kept += [v for span in spans for v in span if values.min() <= v <= values.max()]
    return np.unique(np.array(kept)) if kept else values
