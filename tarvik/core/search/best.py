"""The search for the settings that serve the sleepers and the night's intent best.

First comes how many lie dry with their clearances, then the intent's weighing of the room. A grid over the settings is
measured at once by the compiled quick figures, then refined round the best of it; under slanted rain "dry" means dry
under it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import accumulate, pairwise
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.body import STATURE_LEAST_M, Body
from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fitting import Misfit, fit
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.kernel.mats import MOST_MATS
from tarvik.core.measure.kernel.quick import best_case, quick_areas
from tarvik.core.measure.mats import INNER_M
from tarvik.core.pitches.base import Bed
from tarvik.core.plane import signed_area
from tarvik.core.sheet import TIE_OUT_REACH_M, Sheet
from tarvik.core.shelter import fold_batch
from tarvik.core.weather.rain import CALM, Weather, fall_directions

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats, Pattern
    from tarvik.core.intent import Intent
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.pitches.base import Pitch, Setting
    from tarvik.core.rig.supports import Supports

SIT_EACH_M2: Final = constant("sit_each", 0.5, "m2", ENGINEERING, "sitting ground a sleeper that the search values")
MAT_FIRST: Final = constant("mat_first", 100.0, "1", ENGINEERING, "a sleeper more outweighs any room")
TAPE_COST: Final = constant("tape_cost", 0.01, "1", ENGINEERING, "worth given up for a setting in whole centimetres")
BUTTON_FREE: Final = constant("button_free", 0.8, "1", ENGINEERING, "worth of a crease that ends on tie-outs")
WORTH_A_LOOK: Final = constant("worth_a_look", 0.002, "1", ENGINEERING, "share of its worth by which a finer look has to gain")
_STRIDE: Final = 5  # every 10 degrees on the first grid, where a few are to lie
_FINER: Final = 3  # every 6 degrees while refining, and where as many as fit are counted
_FEW: Final = 2
_FINEST: Final = {_STRIDE: 0.2, _FINER: 0.05}  # how finely areas under hollow roofs are taken
_GRIDS: Final = {0: 1, 1: 22, 2: 10, 3: 8}
_MANY_GRIDS: Final = {0: 1, 1: 120, 2: 15, 3: 8}  # for as many as fit: the room for one more is often narrow
_MANY_APART: Final = (90, 8)  # in slanted rain the place of one more is a few centimetres of height wide, wider beside it
_CLOSE_GRIDS: Final = {0: 1, 1: 120, 2: 36, 3: 15}  # where slanted rain leaves all wet but for somebody shorter
_CLOSEST_GRIDS: Final = {0: 1, 1: 300, 2: 48, 3: 16}  # where it leaves some wet: a bed may be a centimetre of height wide
_AROUND: Final = {0: 1, 1: 21, 2: 7, 3: 3}
_EITHER_SIDE: Final = {count: np.linspace(-1.0, 1.0, count) for count in _AROUND.values()}
_ROUNDS: Final = {0: 0, 1: 1, 2: 2, 3: 2}
_STARTS: Final = 2
_MOST_SLIDING: Final = 3
_BAND_TRIED: Final = 64
_BAND_TAKEN: Final = 5
_ANYTHING: Final = -1e18  # less than any case that folds is worth
_SHORTER: Final = (0.85, 0.6)  # shares of the stature tried when nobody fits


@dataclass(frozen=True, slots=True)
class Aim:
    """What the search looks for. `wanted` sleepers are enough; None: as many as fit. `weather`: the rain they lie under.
    `close`: whether slanted rain that leaves some of them wet is looked at closely, which takes longer; else only where
    somebody a little shorter lies dry. `shorter`: where nobody fits, whether to look for what serves a shorter person.
    """

    body: Body
    intent: Intent
    supports: Supports
    clearance: Clearance
    wanted: int | None = None
    weather: Weather = CALM
    close: bool = True
    shorter: bool = True

    def mat_m2(self) -> float:
        """Area of one mat."""
        return self.clearance.mat_length(self.body.stature_m) * self.clearance.mat_width_m


def worth_of_room(
    intent: Intent, peak: Floats, dry: Floats, sit: Floats, stand: Floats, floor: Floats, heads: int, mat_m2: float,
    sit_m: float,
) -> Floats:  # fmt: skip
    """What the intent makes of a shelter's room (N,), its mats apart, for `heads` sleepers. Lengths m, areas m2."""
    return np.asarray(
        intent.sit * np.minimum(sit, SIT_EACH_M2 * heads) + intent.stand * stand + intent.covered * dry
        + intent.headroom * np.minimum(peak, sit_m) + intent.peak * np.maximum(peak - sit_m, 0.0)
        + intent.floor * np.minimum(floor, heads * mat_m2)
    )  # fmt: skip


def worth(figures: Figures, aim: Aim) -> float:
    """The search's own yardstick, from the exact figures: 100 for each sleeper wanted who lies dry, then the room."""
    heads = aim.wanted or 1
    mats = figures.sleepers if aim.wanted is None else min(figures.sleepers, aim.wanted)
    floor = sum(abs(float(signed_area(face.xyz))) for face in figures.shelter.faces() if face.role is Role.FLOOR)
    peak, dry, sit, stand, low = (
        np.array([x]) for x in (figures.peak_m, figures.dry_area_m2, figures.sit_area_m2, figures.stand_area_m2, floor)
    )
    room = worth_of_room(aim.intent, peak, dry, sit, stand, low, heads, aim.mat_m2(), sitting_height(aim.body))
    return float(MAT_FIRST * mats + room[0])


@lru_cache(maxsize=256)
def _faces_of(pattern: Pattern) -> tuple[NDArray[np.intp], NDArray[np.int64], list[list[int]]]:
    """Points of the roof's faces (F, V), the last one repeated, their corners (F,), and the points of each floor."""
    index = pattern.index
    roofs = [[index(q) for q in p.points] for p in pattern.panels if p.role is not Role.FLOOR]
    floors = [[index(q) for q in p.points] for p in pattern.panels if p.role is Role.FLOOR]
    most = max((len(r) for r in roofs), default=3)
    padded = np.array([r + [r[-1]] * (most - len(r)) for r in roofs], dtype=np.intp).reshape(-1, most)
    return padded, np.array([len(r) for r in roofs], dtype=np.int64), floors


@dataclass(frozen=True, slots=True)
class _Cases:
    """Many settings of one pitch, folded: the roof faces (N, F, V, 3), their corners (F,), and floor area (N,)."""

    faces: Floats
    corners: np.ndarray
    floor: Floats
    peak: Floats

    @classmethod
    def folded(cls, pitch: Pitch, box: tuple[float, float], values: Mapping[str, Floats]) -> _Cases:
        _, xyz = fold_batch(pitch, box, values)
        padded, corners, floors = _faces_of(pitch.pattern)
        floor = np.zeros(len(xyz))
        for points in floors:
            floor += np.abs(signed_area(xyz[:, points]))
        return cls(np.ascontiguousarray(xyz[:, padded]), corners, floor, xyz[..., 2].max(axis=1))


@dataclass(frozen=True, slots=True)
class _Hunt:
    """What is looked for, and what of it is the same for every case: `given` settings stay, `falls` (K, 2) is the rain,
    `some_falls` as much of it as tells where to look.
    """

    fitting: Fitting
    sheet: Sheet
    aim: Aim
    given: Mapping[str, float]
    sit: float
    stand: float
    falls: Floats
    some_falls: Floats
    heights: Floats
    boxes: Floats
    mat: Floats

    @classmethod
    def of(cls, fitting: Fitting, sheet: Sheet, aim: Aim, given: Mapping[str, float]) -> _Hunt:
        body, clearance, falls = aim.body, aim.clearance, fall_directions(aim.weather)
        return cls(
            fitting, sheet, aim, given, sitting_height(body), standing_height(body), falls, spread_of(falls),
            np.array(clearance.heights()), clearance.boxes(body.stature_m),
            np.array([clearance.mat_length(body.stature_m), clearance.mat_width_m]),
        )  # fmt: skip

    @property
    def few(self) -> bool:
        """Whether so few are wanted that coarse headings find room for them."""
        return self.aim.wanted is not None and self.aim.wanted <= _FEW

    def values(self, names: Sequence[str], cases: Floats) -> dict[str, Floats]:
        """Every setting of the pitch (N,): those of the `cases` (N, names), those given, or their defaults."""
        out = {s.name: np.full(len(cases), self.given.get(s.name, s.default)) for s in self.fitting.pitch.settings}
        return out | {name: cases[:, column].copy() for column, name in enumerate(names)}

    def folded(self, values: Mapping[str, Floats]) -> _Cases:
        """The sheet folded at these settings."""
        return _Cases.folded(self.fitting.pitch, self.fitting.box, values)


@dataclass(frozen=True, slots=True)
class _First:
    """The cases (N, settings) that a search begins with, the same for every body; `width`: how far about each sliding
    setting's value the next round looks.
    """

    cases: Floats
    values: dict[str, Floats]
    folded: _Cases
    sliding: list[Setting]
    width: dict[str, float]

    @classmethod
    def of(cls, hunt: _Hunt, counts: Mapping[int, int], apart: tuple[int, int] | None = None) -> _First | None:
        """`counts`: how many values of each sliding setting, by the number of those; `apart`: of a height, and of one other
        setting beside it. None when none folds.
        """
        sheet, supports, given, box = hunt.sheet, hunt.aim.supports, hunt.given, hunt.fitting.box
        settings = hunt.fitting.pitch.settings
        free = [s for s in settings if s.searched and s.name not in given and not (s.name == "turn" and given)]
        sliding = [s for s in free if not s.is_choice][:_MOST_SLIDING]
        size = len(sliding)
        each = {s.name: counts[size] for s in free}
        carried = [s.name for s in sliding if s.name.startswith(CARRIED_HEIGHTS)]
        if apart is not None and len(carried) == 1 and size == 2:
            each = {name: apart[0] if name in carried else apart[1] for name in each}
        grids = {s.name: _grid(s, sheet, supports, each[s.name]) for s in free}
        if box[0] == box[1] and "turn" in grids:
            grids["turn"] = np.zeros(1)
        width = {s.name: float(np.ptp(grids[s.name])) / max(len(grids[s.name]) - 1, 1) for s in sliding}
        banded = size > 1 and sum(s.searched and not s.is_choice for s in settings) >= _MOST_SLIDING
        cases = _banded(hunt, grids, sliding[0]) if banded else _combined(list(grids.values()))
        heights = [column for column, name in enumerate(grids) if name.startswith("height") and len(grids[name]) > 1]
        if len(heights) > 1 and len(cases):
            # Also all heights alike, in fine steps: where the room for one more is often narrowest.
            level = np.tile(cases[0], (counts[1], 1))
            spread = list(grids.values())[heights[0]]
            level[:, heights] = np.linspace(spread[0], spread[-1], counts[1])[:, None]
            cases = np.vstack([cases, level])
        values = hunt.values(list(grids), cases)
        folded = hunt.folded(values)
        return cls(cases, values, folded, sliding, width) if np.isfinite(folded.peak).any() else None


def _banded(hunt: _Hunt, grids: Mapping[str, Floats], along: Setting) -> Floats:
    """Cases (N, settings) of the other grids' combinations, each at some values of one setting over the band in which the
    sheet folds: of three settings that must suit each other, hardly any of a plain grid's combinations does.
    """
    names = [*(n for n in grids if n != along.name), along.name]
    tried = _allowed(np.linspace(along.least, along.most, _BAND_TRIED), along, hunt.aim.supports)
    cases = _combined([*(grids[n] for n in names[:-1]), tried])
    start = hunt.fitting.pitch.layout(hunt.fitting.box, hunt.values(names, cases)).start
    folds = np.isfinite(start).all(axis=(1, 2)).reshape(-1, len(tried))
    rows = np.flatnonzero(folds.any(axis=1))
    low, high = folds[rows].argmax(axis=1), len(tried) - 1 - folds[rows, ::-1].argmax(axis=1)
    picked = np.rint(low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, _BAND_TAKEN)).astype(np.intp)
    some = cases.reshape(-1, len(tried), len(names))[rows[:, None], picked].reshape(-1, len(names))
    return np.unique(some[:, [names.index(n) for n in grids]], axis=0)


def best_settings(pitch: Pitch, sheet: Sheet, aim: Aim, fixed: Mapping[str, float] | None = None) -> dict[str, float] | None:
    """Settings that serve best; `fixed` ones stay. None when the sheet folds into this pitch at no setting.

    With any setting fixed, the sheet lies as it is given (`turn` 0) unless `turn` is fixed too. Where nobody of that
    stature fits, the setting that serves the next shorter person.
    """
    fitting = fit(pitch, sheet)
    if isinstance(fitting, Misfit):
        return None
    if fitting.pitch.bed is Bed.WORN:
        return _along_the_sleeper(fitting, fixed or {})
    hunt = _Hunt.of(fitting, sheet, aim, fixed or {})
    slanted = len(hunt.falls) > 1
    first = _First.of(hunt, _GRIDS) if aim.wanted else _First.of(hunt, _MANY_GRIDS, _MANY_APART if slanted else None)
    if first is None:
        return None
    found = _searched(hunt, first)
    if fitting.pitch.bed is not None:
        return found[2]
    if slanted and aim.close and found[1] < (aim.wanted or 1):
        found = _looked_closely(hunt, found, _CLOSEST_GRIDS)
    if found[1] > 0:
        return found[2]
    shares = _SHORTER if aim.shorter else () if aim.close or not slanted else _SHORTER[:1]
    for share in shares:
        shorter = Body(max(share * aim.body.stature_m, STATURE_LEAST_M))
        served = _searched(_Hunt.of(fitting, sheet, replace(aim, body=shorter), hunt.given), first)
        if served[1] == 0:
            continue
        if slanted and not aim.close and share == _SHORTER[0]:
            # Where somebody shorter has a dry bed, one more narrow may be there.
            again = _looked_closely(hunt, found, _CLOSE_GRIDS)
            if again[1] > 0:
                return again[2]
        if aim.shorter:
            return served[2]
    return found[2]


def _looked_closely(hunt: _Hunt, found: _Found, counts: Mapping[int, int]) -> _Found:
    """What a finer first grid finds that is worth more, or what was found: slanted rain leaves dry places that are small, and
    what is best may lie between the values tried.
    """
    close = _First.of(hunt, counts)
    return found if close is None else _searched(hunt, close, found)


def _along_the_sleeper(fitting: Fitting, given: Mapping[str, float]) -> dict[str, float]:
    """A bag's settings: the longer side of the sheet along the sleeper."""
    turn = 0.0 if fitting.box[1] >= fitting.box[0] else 1.0
    return {s.name: given.get(s.name, turn if s.name == "turn" and not given else s.default) for s in fitting.pitch.settings}


_Found = tuple[float, int, dict[str, float]]  # worth, mats, settings


def _searched(hunt: _Hunt, first: _First, known: _Found | None = None) -> _Found:
    """The best for one body; what is `known`, where that is not bettered."""
    starts = _best(hunt, first, known)
    if not starts and known is not None:
        return known
    rounds, count, width = _ROUNDS[len(first.width)], _AROUND[len(first.width)], first.width
    if not rounds:
        return starts[0]
    # Every start is followed one round, in one batch; then only the one that is ahead.
    ends = _round(hunt, first.sliding, starts, width, last=rounds == 1)
    top = max(range(len(ends)), key=lambda i: (ends[i][1], ends[i][0]))
    found = ends[top]
    for turn in range(2, rounds + 1):
        # The next grid reaches as far as this one's neighbours lie apart, and half as far at most.
        width = {name: reach * min(2 / (count - 1), 0.5) for name, reach in width.items()}
        found = _round(hunt, first.sliding, [found], width, last=turn == rounds)[0]
    return found if known is None or found[0] > known[0] else known


def _round(
    hunt: _Hunt, sliding: list[Setting], starts: list[_Found], width: Mapping[str, float], *, last: bool
) -> list[_Found]:
    """For each start the best of a finer grid about it, or the start itself; `width`: how far that grid reaches."""
    count = _AROUND[len(sliding)]
    grids = []
    for _, _, settings in starts:
        finer = {s.name: _around(s, settings[s.name], width[s.name], count, last, hunt.aim) for s in sliding}
        grids.append({name: np.array([value]) for name, value in settings.items() if name not in hunt.given} | finer)
    better = _best_of_each(hunt, grids)
    slack = TAPE_COST if last else 0.0
    return [
        new if new is not None and new[0] >= old[0] - slack and new[1] >= old[1] else old
        for old, new in zip(starts, better, strict=True)
    ]


def _around(setting: Setting, best: float, step: float, count: int, last: bool, aim: Aim) -> Floats:
    """Finer values about the best one; in the last round whole centimetres, as a tape reads, or whole degrees."""
    values = best + step * _EITHER_SIDE[count]
    if last:
        values = np.round(values, 2 if setting.is_length else 0)
    inside = np.minimum(np.maximum(values, setting.least), setting.most)
    new = np.empty(len(inside), dtype=np.bool_)
    new[0] = True
    np.greater(inside[1:], inside[:-1], out=new[1:])
    return _allowed(inside[new], setting, aim.supports)


def _best(hunt: _Hunt, first: _First, known: _Found | None) -> list[_Found]:
    """The best of the first cases and, of several settings, also the best that is no neighbour of it; of those that are worth
    more than what is `known`, where something is: then every heading that counts is tried.
    """
    room = _Room.of(hunt, first.folded, first.values, _STRIDE if hunt.few and known is None else _FINER)
    more_than = _ANYTHING if known is None else known[0] + WORTH_A_LOOK * abs(known[0])
    out: list[_Found] = []
    while len(out) < (_STARTS if first.cases.shape[1] > 1 else 1):
        top = room.best(None, more_than)
        if top is None:
            break
        out.append(_found(top, first.values))
        reach = np.ptp(first.cases, axis=0) / 6 + 1e-9
        room.worth[(np.abs(first.cases - first.cases[top[0]]) <= reach).all(axis=1)] = -np.inf
    return out


def _best_of_each(hunt: _Hunt, grids: Sequence[Mapping[str, Floats]]) -> list[_Found | None]:
    """The best of all combinations for each of several sets of grids over the same settings, folded together."""
    parts = [_combined(list(g.values())) for g in grids]
    values = hunt.values(list(grids[0]), np.vstack(parts))
    room = _Room.of(hunt, hunt.folded(values), values, _FINER)
    ends = accumulate((len(part) for part in parts), initial=0)
    tops = [room.best(slice(a, b)) for a, b in pairwise(ends)]
    return [None if top is None else _found(top, values) for top in tops]


def _found(top: tuple[int, float, int], values: Mapping[str, Floats]) -> _Found:
    case, total, mats = top
    return total, mats, {name: float(array[case]) for name, array in values.items()}


def _combined(grids: Sequence[Floats]) -> Floats:
    """Every combination (N, settings) of the grids' values, the last setting changing fastest; one of none."""
    out = np.empty((*(len(g) for g in grids), len(grids)))
    for axis, grid in enumerate(grids):
        out[..., axis] = grid.reshape(-1, *(1,) * (len(grids) - 1 - axis))
    return out.reshape(out.size // max(len(grids), 1) or 1, len(grids))


@dataclass(frozen=True, slots=True)
class _Room:
    """What the intent makes of many folded cases, their mats apart: `worth` (N,), -inf where a case does not fold."""

    folded: _Cases
    hunt: _Hunt
    stride: int
    lid: np.ndarray
    dry: Floats
    worth: Floats

    @classmethod
    def of(cls, hunt: _Hunt, folded: _Cases, values: Mapping[str, Floats], stride: int) -> _Room:
        aim = hunt.aim
        out, lid = np.full((len(folded.faces), 4), np.nan), np.zeros(len(folded.faces), dtype=np.int64)
        if len(folded.corners):
            quick_areas(folded.faces, folded.corners, hunt.sit, hunt.stand, hunt.some_falls, _FINEST[stride], out, lid)
        else:  # a floor and nothing over it
            out[:] = 0.0
            out[:, 0] = folded.peak
        peak, dry, sits, stands = out.T
        room = worth_of_room(aim.intent, peak, dry, sits, stands, folded.floor, aim.wanted or 1, aim.mat_m2(), hunt.sit)
        room = room + BUTTON_FREE * _on_tie_outs(hunt.fitting.pitch, hunt.sheet, hunt.fitting.box, values)
        return cls(folded, hunt, stride, lid, dry, np.where(np.isnan(room), -np.inf, room))

    def best(self, part: slice | None, more_than: float = _ANYTHING) -> tuple[int, float, int] | None:
        """Number of the best case (of a part of them), its worth and its mats; None when none folds, or none is worth more
        than that.
        """
        worth = self.worth if part is None else self.worth[part]
        order = np.argsort(-worth, kind="stable")
        order = order[np.isfinite(worth[order])] + (0 if part is None else part.start)
        if not len(order):
            return None
        hunt, top, mats = self.hunt, int(order[0]), 0
        if len(self.folded.corners):
            wanted = hunt.aim.wanted or MOST_MATS
            top, mats = best_case(
                self.folded.faces, self.folded.corners, hunt.heights, hunt.boxes, hunt.mat, self.stride, INNER_M, wanted,
                hunt.some_falls, hunt.falls, self.lid, self.dry, self.worth, order, MAT_FIRST, more_than,
            )  # fmt: skip
            mats = min(mats, wanted)
            if top < 0:
                return None
        return int(top), float(self.worth[top] + MAT_FIRST * mats), int(mats)


def spread_of(falls: Floats) -> Floats:
    """Those falls (K, 2) of all that the quick figures try: calm, the wind, and both ends of its spread."""
    return np.ascontiguousarray(falls if len(falls) == 1 else falls[[0, 1, len(falls) // 2, -1]])


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
    spans = None
    if setting.name.startswith(CARRIED_HEIGHTS):
        spans = supports.height_spans()
    elif setting.name == HULL:
        spans = supports.hull_spans()
    if not spans:
        return values
    kept = [v for v in values if any(a <= v <= b for a, b in spans)]
    kept += [v for span in spans for v in span if values.min() <= v <= values.max()]
    return np.unique(np.array(kept)) if kept else values


CARRIED_HEIGHTS: Final = ("height", "pole")
"""Names of settings that are heights of carried points begin so."""
HULL: Final = "hull"
"""The setting that is the height of a boat on its side."""
