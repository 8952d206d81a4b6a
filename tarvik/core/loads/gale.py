"""The wind at which to move: forces in the gust against what stakes, cords and poles hold."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.loads.holding import SAFETY, Holding, knotted_cord_n
from tarvik.core.loads.pressure import PanelLoad, panel_loads
from tarvik.core.loads.ridge_line import TIGHT_SAG, RidgeLine, from_sag
from tarvik.core.loads.statics import Statics, balance
from tarvik.core.shelter import MOST_KEPT, Shelter
from tarvik.core.weather.surroundings import DEFAULT_SURROUNDINGS
from tarvik.core.weather.wind import (
    air_density,
    beaufort,
    dynamic_pressure,
    gust_factor,
    gust_of,
    gust_share,
)

if TYPE_CHECKING:
    from tarvik.core.rig.carried import Rig
    from tarvik.core.weather.surroundings import Surroundings

LEAST_HEIGHT_M: Final = constant(
    "load_least_height", 1.0, "m", ENGINEERING, "wind on a lower shelter is taken at this height"
)


@dataclass(frozen=True, slots=True)
class Weakest:
    """The part that gives way first: what it is, where, its pull in the gust, what it holds."""

    kind: str
    where: str
    pull_n: float
    holds_n: float

    @property
    def used(self) -> float:
        """Share of the holding that is used."""
        return self.pull_n / self.holds_n


@dataclass(frozen=True, slots=True)
class Gale:
    """A shelter in tonight's gust. Speeds at 10 m over open ground, m/s.

    `move_at_m_s` is the mean wind at which the weakest part, with its factor of safety, is used up;
    `move_at_force` the Beaufort force at which to change pitch: the highest below which nothing
    gives way. None: it stands force 12.
    """

    gust_m_s: float
    local_gust_m_s: float
    pressure_pa: float
    loads: tuple[PanelLoad, ...]
    statics: Statics
    ridge: RidgeLine | None
    parts: tuple[Weakest, ...]
    move_at_m_s: float
    move_at_force: int

    @property
    def weakest(self) -> Weakest | None:
        """The part nearest to giving way."""
        return max(self.parts, key=lambda p: p.used, default=None)


def in_gale(
    shelter: Shelter,
    rig: Rig,
    wind_from_deg: float,
    wind_m_s: float,
    gust_m_s: float | None = None,
    *,
    holding: Holding | None = None,
    around: Surroundings = DEFAULT_SURROUNDINGS,
    temp_c: float = 10.0,
) -> Gale:
    """Forces on a rigged shelter; wind and gust for 10 m over open ground, `wind_from_deg` in the
    shelter's frame.

    Forces are worked out once for a pressure of 1 Pa, and grow with the pressure.
    """
    holds = holding or Holding()
    height = max(float(shelter.xyz[:, 2].max()), LEAST_HEIGHT_M)
    gust = gust_of(wind_m_s, gust_m_s)
    local = gust * gust_share(height, around)
    unit = _under_unit_pressure(shelter, rig, wind_from_deg % 360)
    parts = _parts(rig, unit.statics, unit.ridge, holds)
    worst = max((p.used for p in parts), default=0.0)  # for a pressure of 1 Pa
    limit = math.sqrt(2 / worst / air_density(temp_c)) if worst > 1e-12 else math.inf
    gust_over_mean = gust / wind_m_s if wind_m_s > 1 else gust_factor()
    mean = limit / gust_share(height, around) / gust_over_mean
    scale = dynamic_pressure(local, temp_c)
    ridge = unit.ridge
    return Gale(
        gust,
        local,
        scale,
        tuple(
            PanelLoad(p.id, p.area_m2, p.slope_deg, p.coefficient, p.force_n * scale, p.centre)
            for p in unit.loads
        ),
        scaled(unit.statics, scale),
        from_sag(ridge.span_m, ridge.load_n * scale, ridge.sag_m) if ridge else None,
        tuple(Weakest(p.kind, p.where, p.pull_n * scale, p.holds_n) for p in parts),
        mean,
        beaufort(min(mean, 99.0)),
    )


@dataclass(frozen=True, slots=True)
class _Unit:
    """All forces under a wind pressure of 1 Pa."""

    loads: tuple[PanelLoad, ...]
    statics: Statics
    ridge: RidgeLine | None


@lru_cache(maxsize=MOST_KEPT)
def _under_unit_pressure(shelter: Shelter, rig: Rig, wind_from_deg: float) -> _Unit:
    loads = panel_loads(shelter, wind_from_deg, 1.0)
    statics = balance(shelter, rig, loads)
    return _Unit(tuple(loads), statics, _ridge(rig, statics))


def scaled(statics: Statics, factor: float) -> Statics:
    """The same state under `factor` times the wind pressure."""
    return Statics(
        tuple(replace(x, newtons=x.newtons * factor) for x in statics.lines),
        tuple(
            replace(x, newtons=x.newtons * factor, up_n=x.up_n * factor, along_n=x.along_n * factor)
            for x in statics.stakes
        ),
        tuple(
            replace(x, push_n=x.push_n * factor, pull_n=x.pull_n * factor, pull=x.pull * factor)
            for x in statics.supports
        ),
        statics.total * factor,
        statics.reaction * factor,
        statics.loose,
    )


def _ridge(rig: Rig, statics: Statics) -> RidgeLine | None:
    """The line between two trees, whole or in two ends: the pull across it makes it sag."""
    trees = [s for s in statics.supports if s.kind == "tree"]
    if len(trees) != 2:
        return None
    places = [np.array([*s.at, s.height_m]) for s in rig.supports if s.kind == "tree"]
    span = float(np.linalg.norm(places[1] - places[0]))
    along = (places[1] - places[0]) / max(span, 1e-9)
    across = sum((t.pull - (t.pull @ along) * along for t in trees), np.zeros(3))
    return from_sag(span, float(np.linalg.norm(across)), TIGHT_SAG * span)


def _parts(
    rig: Rig, statics: Statics, ridge: RidgeLine | None, holds: Holding
) -> tuple[Weakest, ...]:
    """Every stake and line with its pull and what it holds, factor of safety taken off."""
    stake_n, guy_n = holds.stake_n / SAFETY, knotted_cord_n(holds.guy_mm) / SAFETY
    parts = [
        Weakest("stake", rig.stakes[s.stake].point, s.newtons, stake_n)
        for s in statics.stakes
        if not rig.stakes[s.stake].optional
    ]
    parts += [Weakest("guy", rig.lines[x.line].start, x.newtons, guy_n) for x in statics.lines]
    trees = [s for s in statics.supports if s.kind == "tree"]
    if ridge is not None:
        parts.append(
            Weakest(
                "ridge line", trees[0].point, ridge.end_n, knotted_cord_n(holds.ridge_mm) / SAFETY
            )
        )
    elif trees:
        parts += [Weakest("tree line", t.point, t.pull_n, guy_n) for t in trees]
    return tuple(parts)
