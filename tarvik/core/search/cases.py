"""Many settings of one pitch at once: folded, and what their room is worth."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Role
from tarvik.core.kept import keep_last
from tarvik.core.measure.figures import sitting_height, standing_height
from tarvik.core.measure.kernel.mats import MOST_MATS
from tarvik.core.measure.kernel.quick import best_case, quick_areas
from tarvik.core.measure.mats import INNER_M
from tarvik.core.measure.rim import free_edges
from tarvik.core.measure.runoff import least_slopes_deg
from tarvik.core.plane import signed_area
from tarvik.core.search.aim import MAT_FIRST, doors_worth, worth_of_room
from tarvik.core.search.grids import combined, usual_value
from tarvik.core.sheet import TIE_OUT_REACH_M
from tarvik.core.shelter import fold_batch
from tarvik.core.weather.rain import fall_directions

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats, Pattern
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.search.aim import Aim
    from tarvik.core.sheet import Sheet

BUTTON_FREE: Final = constant(
    "button_free", 0.8, "1", ENGINEERING, "worth of a crease that ends on tie-outs"
)
COARSE: Final = 5
"""Headings every 10 degrees."""
FINE: Final = 3
"""Headings every 6 degrees."""
_FINEST: Final = {COARSE: 0.2, FINE: 0.05}  # how finely areas under hollow roofs are taken
NAMED_STEPS: Final = 13
"""Values of a setting at which it is looked whether a pitch can be what its name says."""
_FEW: Final = 2
_SOME_WINDS: Final = 3
"""The wind, and both ends of its spread."""
_MANY_WINDS: Final = 9
"""Between them the rain wets a few millimetres more at most."""
_ANYTHING: Final = -1e18  # less than any case that folds is worth


class Faces(NamedTuple):
    """Points of the roof's faces (F, V), the last one repeated, their corners (F,), and
    the points of each floor.
    """

    points: NDArray[np.intp]
    corners: NDArray[np.int64]
    floors: list[list[int]]


@keep_last(256)
def _faces_of(
    pattern: Pattern,
) -> Faces:
    """Points of the roof's faces (F, V), the last one repeated, their corners (F,), and the points
    of each floor.
    """
    index = pattern.index
    roofs = [
        [index(q) for q in p.points] for p in pattern.panels if p.role is not Role.FLOOR
    ]
    floors = [[index(q) for q in p.points] for p in pattern.panels if p.role is Role.FLOOR]
    most = max((len(r) for r in roofs), default=3)
    padded = np.array(
        [r + [r[-1]] * (most - len(r)) for r in roofs], dtype=np.intp
    ).reshape(-1, most)
    return Faces(padded, np.array([len(r) for r in roofs], dtype=np.int64), floors)


@keep_last(256)
def _edges_of(pitch: Pitch) -> tuple[NDArray[np.intp], NDArray[np.bool_]]:
    """Points (E, 2) of the roof's free edges, and which of them open nothing while the doors are
    shut.
    """
    index, laps = pitch.pattern.index, {frozenset(edge) for edge in pitch.laps}
    edges = [(a, b) for _, a, b in free_edges(pitch.pattern.panels)]
    ends = np.array([(index(a), index(b)) for a, b in edges], dtype=np.intp).reshape(-1, 2)
    return ends, np.array([frozenset(edge) in laps for edge in edges], dtype=np.bool_)


def open_area(pitch: Pitch, xyz: Floats, values: Mapping[str, Floats]) -> Floats:
    """Area (N,) of all gaps between the free edges of folded sheets (N, P, 3) and the ground."""
    ends, lapped = _edges_of(pitch)
    a, b = xyz[:, ends[:, 0]], xyz[:, ends[:, 1]]
    gaps = (
        np.hypot(b[..., 0] - a[..., 0], b[..., 1] - a[..., 1]) * (a[..., 2] + b[..., 2]) / 2
    )
    if lapped.any():
        gaps = np.where(lapped & pitch.doors_shut(values, len(xyz))[:, None], 0.0, gaps)
    return np.asarray(gaps.sum(axis=1))


@dataclass(frozen=True, slots=True)
class Cases:
    """Many settings of one pitch, folded: the roof faces (N, F, V, 3), their corners (F,), and the
    area of floors and of openings and the slope of the flattest face (N,), these two 0 and 90
    where nobody weighs them.
    """

    faces: Floats
    corners: np.ndarray
    floor: Floats
    peak: Floats
    open_m2: Floats
    slope_deg: Floats

    @classmethod
    def folded(
        cls,
        pitch: Pitch,
        box: tuple[float, float],
        values: Mapping[str, Floats],
        *,
        airy: bool,
        sloped: bool,
        named: bool = False,
    ) -> Cases:
        """Fold every case; with `named` those only that are what the pitch's name says."""
        _, xyz = fold_batch(pitch, box, values)
        if named and pitch.named is not None:
            xyz[~pitch.named(box, values)] = np.nan
        padded, corners, floors = _faces_of(pitch.pattern)
        floor = np.zeros(len(xyz))
        for points in floors:
            floor += np.abs(signed_area(xyz[:, points]))
        open_m2 = open_area(pitch, xyz, values) if airy else np.zeros(len(xyz))
        faces = np.take(xyz, padded, axis=1)
        slope_deg = least_slopes_deg(faces) if sloped else np.full(len(xyz), 90.0)
        return cls(faces, corners, floor, xyz[..., 2].max(axis=1), open_m2, slope_deg)


def values_of(
    names: Sequence[str], cases: Floats, still: Mapping[str, float]
) -> dict[str, Floats]:
    """Every setting (N,): those of the cases (N, names), and those that are the same in all of
    them.
    """
    out = {name: np.full(len(cases), value) for name, value in still.items()}
    return out | {name: cases[:, column].copy() for column, name in enumerate(names)}


@dataclass(frozen=True, slots=True)
class Hunt:
    """What is looked for, and what of it is the same for every case: `given` settings stay, the
    others stand at their `usual` values unless searched; `stand` is out of reach where nobody
    weighs it; `rain` are its `tellings`, each (K, 2); `mats` of such `boxes` and length and width
    `mat` are enough. `named`: only what the pitch is by its name is looked at, as what is given
    by hand leaves room for that.
    """

    fitting: Fitting
    sheet: Sheet
    aim: Aim
    given: Mapping[str, float]
    sit: float
    stand: float
    rain: tuple[Floats, ...]
    heights: Floats
    boxes: Floats
    mat: Floats
    mats: int
    usual: Mapping[str, float]
    named: bool

    @classmethod
    def of(
        cls, fitting: Fitting, sheet: Sheet, aim: Aim, given: Mapping[str, float]
    ) -> Hunt:
        body, clearance = aim.body, aim.clearance
        return cls(
            fitting,
            sheet,
            aim,
            given,
            sitting_height(body),
            standing_height(body) if aim.intent.stand else np.inf,
            tellings(fall_directions(aim.weather)),
            np.array(clearance.heights()),
            clearance.boxes(body.stature_m),
            np.array([clearance.mat_length(body.stature_m), clearance.mat_width_m]),
            aim.wanted or MOST_MATS,
            {s.name: usual_value(s, aim.supports) for s in fitting.pitch.settings},
            _can_be_named(fitting, given),
        )

    def for_one_shorter(self, stature_m: float) -> Hunt:
        """The same for one sleeper of that stature; the room is weighed as for those who were to
        lie there.
        """
        clearance = self.aim.clearance
        mat = np.array([clearance.mat_length(stature_m), clearance.mat_width_m])
        return replace(self, boxes=clearance.boxes(stature_m), mat=mat, mats=1)

    @property
    def airy(self) -> bool:
        """Whether anybody weighs the openings."""
        return self.aim.intent.air != 0

    @property
    def sloped(self) -> bool:
        """Whether anybody weighs how steep the roof is."""
        return self.aim.intent.flat != 0

    @property
    def calm(self) -> bool:
        """Whether the rain falls straight down."""
        return len(self.rain[-1]) == 1

    @property
    def of_own_stature(self) -> bool:
        """Whether it is for people of the body's stature, not for somebody shorter."""
        return float(self.mat[0]) == self.aim.clearance.mat_length(self.aim.body.stature_m)

    @property
    def few(self) -> bool:
        """Whether so few are wanted that coarse headings find room for them."""
        return self.mats <= _FEW

    def values(self, names: Sequence[str], cases: Floats) -> dict[str, Floats]:
        """Every setting of the pitch (N,): those of the `cases` (N, names), those given, or their
        defaults.
        """
        return values_of(names, cases, self.still(names))

    def still(self, names: Sequence[str]) -> dict[str, float]:
        """The values of the settings but those names."""
        return {
            name: self.given.get(name, value)
            for name, value in self.usual.items()
            if name not in names
        }

    def folded(self, values: Mapping[str, Floats]) -> Cases:
        """The sheet folded at these settings."""
        return Cases.folded(
            self.fitting.pitch,
            self.fitting.box,
            values,
            airy=self.airy,
            sloped=self.sloped,
            named=self.named,
        )


def _can_be_named(fitting: Fitting, given: Mapping[str, float]) -> bool:
    """Whether with the given settings the pitch can be what its name says."""
    pitch = fitting.pitch
    if pitch.named is None:
        return False
    grids = [
        np.array([given[s.name]])
        if s.name in given
        else np.linspace(
            s.least, s.most, int(s.most - s.least) + 1 if s.is_choice else NAMED_STEPS
        )
        for s in pitch.settings
    ]
    values = values_of([s.name for s in pitch.settings], combined(grids), {})
    return bool(pitch.named(fitting.box, values).any())


@dataclass(frozen=True, slots=True)
class Room:
    """What the intent makes of many folded cases, their mats apart: `worth` (N,), -inf where a case
    does not fold.
    """

    folded: Cases
    hunt: Hunt
    stride: int
    lid: np.ndarray
    dry: Floats
    worth: Floats

    @classmethod
    def of(
        cls, hunt: Hunt, folded: Cases, values: Mapping[str, Floats], stride: int
    ) -> Room:
        aim = hunt.aim
        out, lid = (
            np.full((len(folded.faces), 4), np.nan),
            np.zeros(len(folded.faces), dtype=np.int64),
        )
        if len(folded.corners):
            quick_areas(
                folded.faces,
                folded.corners,
                hunt.sit,
                hunt.stand,
                hunt.rain[0],
                _FINEST[stride],
                out,
                lid,
            )
        else:  # a floor and nothing over it
            out[:] = 0.0
            out[:, 0] = folded.peak
        peak, dry, sits, stands = np.ascontiguousarray(
            out.T
        )  # else one case alone would have code of its own compiled
        room = worth_of_room(
            aim.intent,
            peak,
            dry,
            sits,
            stands,
            folded.floor,
            folded.open_m2,
            folded.slope_deg,
            aim.wanted or 1,
            aim.mat_m2(),
            hunt.sit,
            aim.tall_m(),
        )
        room = room + BUTTON_FREE * _on_tie_outs(
            hunt.fitting.pitch, hunt.sheet, hunt.fitting.box, values
        )
        room = room + doors_worth(aim.intent, hunt.fitting.pitch, values, len(room))
        return cls(folded, hunt, stride, lid, dry, np.where(np.isnan(room), -np.inf, room))

    def best(
        self,
        part: slice | None = None,
        apart_from: NDArray[np.bool_] | None = None,
        more_than: float = _ANYTHING,
    ) -> tuple[int, float, int] | None:
        """Number of the best case (of a part of them, or apart from some), its worth and its mats;
        None when none folds, or none is worth more than that.
        """
        worth = self.worth if part is None else self.worth[part]
        worth = worth if apart_from is None else np.where(apart_from, -np.inf, worth)
        order = np.argsort(-worth, kind="stable")
        order = order[np.isfinite(worth[order])] + (0 if part is None else part.start)
        if not len(order):
            return None
        hunt, top, mats = self.hunt, int(order[0]), 0
        if len(self.folded.corners):
            folded = self.folded
            top, mats = best_case(
                folded.faces,
                folded.corners,
                hunt.heights,
                hunt.boxes,
                hunt.mat,
                self.stride,
                INNER_M,
                hunt.mats,
                hunt.rain[0],
                hunt.rain[-1],
                self.lid,
                self.dry,
                self.worth,
                order,
                MAT_FIRST,
                more_than,
            )
            mats = min(mats, hunt.mats)
        if top < 0 or self.worth[top] + MAT_FIRST * mats <= more_than:
            return None
        return int(top), float(self.worth[top] + MAT_FIRST * mats), int(mats)

    def of_others(self, hunt: Hunt) -> Room:
        """The same for a hunt that weighs the room alike."""
        return replace(self, hunt=hunt)


def tellings(falls: Floats) -> tuple[Floats, ...]:
    """Little of the rain (K, 2), most of it and all of it: each tells sooner where the next is
    worth trying. In calm all.
    """
    fewer = (
        _spread(falls, winds)
        for winds in (_SOME_WINDS, _MANY_WINDS)
        if winds < len(falls) - 1
    )
    return (*fewer, falls)


def _spread(falls: Floats, winds: int) -> Floats:
    """Of all falls the calm one, and so many winds evenly from one end of the spread to the
    other.
    """
    return np.asarray(
        falls[np.append(0, np.rint(np.linspace(1, len(falls) - 1, winds)).astype(np.intp))]
    )


def _on_tie_outs(
    pitch: Pitch, sheet: Sheet, box: tuple[float, float], values: Mapping[str, Floats]
) -> Floats:
    """1 where a crease across the sheet ends on tie-outs at both edges, 0 where it would take
    buttons.
    """
    out = np.zeros(len(values[pitch.settings[0].name]))
    ties = np.array(sheet.tie_outs or ()).reshape(-1, 2)
    for setting in pitch.settings:
        if not setting.folds_far_edge or not len(ties):
            continue
        for turned in (0, 1):
            across, along = (box[1], box[0]) if turned else box
            u, v = (ties[:, 1], ties[:, 0]) if turned else (ties[:, 0], ties[:, 1])
            near = np.abs(across - values[setting.name][:, None] - u) <= TIE_OUT_REACH_M
            both = (near & (np.abs(v) <= TIE_OUT_REACH_M)).any(1) & (
                near & (np.abs(v - along) <= TIE_OUT_REACH_M)
            ).any(1)
            out += both & ((values["turn"] > 0.5) == bool(turned))
    return out
