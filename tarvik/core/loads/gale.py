"""A shelter in tonight's gust: what each stake, line, pole and tree takes, and the wind at which to
move.

The sheet is set by hand and then hung under every case of the wind (`pressure.wind_cases`); what
its holders give back is their force, so loads and reactions balance as well as the sheet has come
to rest. A part counts with the most that it takes in any case.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import FoldError
from tarvik.core.hang.fabric import DEFAULT_FABRIC, Fabric
from tarvik.core.hang.hand_set import HandSet, hand_pull_n
from tarvik.core.kept import keep_last
from tarvik.core.loads.holding import DEFAULT_HOLDING, TRUST, Holding, trunk_holds_n
from tarvik.core.loads.pressure import PanelLoad, WindCase, snow_case, wind_cases
from tarvik.core.loads.ridge_line import TIGHT_SAG, RidgeLine, from_sag
from tarvik.core.weather.surroundings import DEFAULT_SURROUNDINGS
from tarvik.core.weather.wind import (
    beaufort,
    dynamic_pressure,
    gust_of,
    gust_share,
    when_to_change,
    wind_of_pressure,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.balance import Rest
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.weather.surroundings import Surroundings

LEAST_HEIGHT_M: Final = constant(
    "load_least_height",
    0.3,
    "m",
    ENGINEERING,
    "wind on a lower shelter is taken at this height",
)
GIVES_M: Final = constant(
    "held_point_gives",
    0.35,
    "m",
    ENGINEERING,
    "a held point that the wind moves further than this is not held",
)
GALE_LINES: Final = 9
"""Grid lines along the longer side of the sheet that is hung for its forces."""
MOST_SET: Final = 6
"""Sheets set by hand that are kept."""
MOST_GALES: Final = 600
"""Gales that are kept."""
MOVE_TRIES: Final = 2
PULL_GROWTH: Final = 1.25
"""Where a pull grows with the 0.8th power of the pressure, pressure grows with this power of it."""
MOST_FACTOR: Final = 400.0
"""Most times tonight's pressure that is looked at: twenty times the wind."""
NO_LIMIT_M_S: Final = 99.0
GUSTS: Final = "in tonight's gusts"
SNOW: Final = "under tonight's snow"


@dataclass(frozen=True, slots=True)
class Reaction:
    """What one holder gives to the sheet, N (3,), and where (3,). `kind`: stake, guy, pole, tree,
    and so on; `number`: its stake among the rig's, or -1.
    """

    kind: str
    point: str
    force_n: tuple[float, float, float]
    at: tuple[float, float, float]
    number: int = -1

    @property
    def newtons(self) -> float:
        """In all."""
        return math.hypot(*self.force_n)


@dataclass(frozen=True, slots=True)
class Weakest:
    """A part that may give way: what it is, where, its pull, what it holds; `number`: its stake
    among the rig's, or -1; `under`: what pulls at it.
    """

    kind: str
    where: str
    pull_n: float
    holds_n: float
    number: int = -1
    under: str = GUSTS

    @property
    def used(self) -> float:
        """Share of the holding that is used."""
        return self.pull_n / self.holds_n


@dataclass(frozen=True, slots=True)
class Gale:
    """A shelter in tonight's wind and gust. Speeds at 10 m over open ground, m/s.

    `loads` (wind and weight) and `reactions` are those of the governing case, whose wind is
    `swing_deg` off the given one. `parts` have the most of all cases, `wind_parts` what
    the worst wind gives. `move_at_m_s` is the mean
    wind at which the weakest part is used up; `move_at_force` the Beaufort force at which to change
    pitch: the highest below which nothing gives way. `loose`: points that nothing holds.
    """

    wind_m_s: float
    gust_m_s: float
    local_gust_m_s: float
    pressure_pa: float
    loads: tuple[PanelLoad, ...]
    reactions: tuple[Reaction, ...]
    swing_deg: float
    ridge: RidgeLine | None
    parts: tuple[Weakest, ...]
    wind_parts: tuple[Weakest, ...]
    move_at_m_s: float
    move_at_force: int
    loose: tuple[str, ...]

    def held_by(self, holding: Holding) -> Gale:
        """The same forces on stakes that hold more or less: the wind to move at follows the pull of
        the weakest, as it grows with the pressure.
        """

        def anew(parts: Sequence[Weakest]) -> tuple[Weakest, ...]:
            return tuple(
                replace(p, holds_n=holding.stake_at_n(p.number)) if p.kind == "stake" else p
                for p in parts
            )

        wind_parts = anew(self.wind_parts)
        before, now = _used(self.wind_parts), _used(wind_parts)
        mean = (
            self.move_at_m_s * math.sqrt((before / now) ** PULL_GROWTH)
            if now > 0
            else math.inf
        )
        force = beaufort(min(mean, NO_LIMIT_M_S))
        return replace(
            self,
            parts=anew(self.parts),
            wind_parts=wind_parts,
            move_at_m_s=mean,
            move_at_force=force,
        )

    @property
    def change_when(self) -> str:
        """When to change pitch, in words; empty where it holds whatever is forecast."""
        return when_to_change(self.move_at_force, self.wind_m_s)

    @property
    def weakest(self) -> Weakest | None:
        """The part nearest to giving way."""
        return max(self.parts, key=lambda p: p.used, default=None)


@keep_last(MOST_SET)
def _hand_set(
    shelter: Shelter, rig: Rig, fabric: Fabric, pull_n: float, lines: int
) -> HandSet | None:
    """The sheet set by hand; None for one that hangs from nothing: who lies in it holds it."""
    try:
        return HandSet(shelter, rig, fabric, pull_n, lines)
    except FoldError:
        return None


@keep_last(MOST_GALES)
def in_gale(
    shelter: Shelter,
    rig: Rig,
    wind_from_deg: float,
    wind_m_s: float,
    gust_m_s: float | None = None,
    *,
    holding: Holding = DEFAULT_HOLDING,
    around: Surroundings = DEFAULT_SURROUNDINGS,
    temp_c: float = 10.0,
    fabric: Fabric = DEFAULT_FABRIC,
    spread_deg: float = 0.0,
    snow_kg_m2: float = 0.0,
    lines: int = GALE_LINES,
) -> Gale | None:
    """Forces on a rigged shelter; wind and gust for 10 m over open ground, `wind_from_deg` in the
    shelter's frame, swinging by `spread_deg` to either hand, or by what the surroundings have if
    that is more. Snow on level ground is a case of its own. None for a shelter that no tie holds.
    """
    pull_n = hand_pull_n(holding.trusted_stake_n, holding.drawn)
    stands = _hand_set(shelter, rig, fabric, pull_n, lines)
    if stands is None:
        return None
    height = max(float(shelter.xyz[:, 2].max()), LEAST_HEIGHT_M)
    gust = gust_of(wind_m_s, gust_m_s)
    share = gust_share(height, around)
    pressure = dynamic_pressure(gust * share, temp_c)
    cases = wind_cases(
        shelter, wind_from_deg, max(around.load_spread_deg, spread_deg), pressure
    )
    if snow_kg_m2:
        cases.append(snow_case(shelter, wind_from_deg, snow_kg_m2))
    hung = _hung_all(stands, cases)
    every = [h.parts(holding) for h in hung]
    worst = max(range(len(cases)), key=lambda k: _used(every[k]))
    windy = max(
        (k for k, c in enumerate(cases) if not c.snow), key=lambda k: _used(every[k])
    )
    loose = tuple(dict.fromkeys(p for h in hung for p in h.loose))
    limit_pa = (
        0.0 if loose else _limit_pa(hung[windy], pressure, _used(every[windy]), holding)
    )
    gust_over_mean = gust / wind_m_s if wind_m_s > 1 else gust_of(1.0, None)
    mean = wind_of_pressure(limit_pa, temp_c) / share / gust_over_mean
    case, found = cases[worst], hung[worst]
    return Gale(
        wind_m_s,
        gust,
        gust * share,
        pressure,
        found.loads,
        found.reactions,
        (case.wind_from_deg - wind_from_deg + 180) % 360 - 180,
        _ridge(rig, found.reactions),
        _most(every),
        tuple(every[windy]),
        mean,
        beaufort(min(mean, NO_LIMIT_M_S)),
        loose,
    )


def _used(parts: Sequence[Weakest]) -> float:
    """Share of the weakest part that is used."""
    return max((p.used for p in parts), default=0.0)


def _hung_all(stands: HandSet, cases: Sequence[WindCase]) -> list[_Hung]:
    """Every case, each from where the last one alike came to rest."""
    out: list[_Hung] = []
    last: dict[bool, Floats] = {}
    for case in cases:
        out.append(_Hung(stands, case, start=last.get(case.pushes)))
        last[case.pushes] = out[-1].rest.x
    return out


class _Hung:
    """A sheet hung under one case of the wind, and what its holders give."""

    def __init__(
        self,
        stands: HandSet,
        case: WindCase,
        factor: float = 1.0,
        start: Floats | None = None,
    ) -> None:
        self.stands, self.case = stands, case
        mesh = stands.mesh
        place = {panel.id: k for k, panel in enumerate(stands.shelter.panels)}
        per_m2 = np.zeros((len(place), 3))
        for load in case.loads:
            per_m2[place[load.id]] = factor * load.force_n / load.area_m2
        wind = mesh.on_nodes(mesh.area[:, None] * per_m2[mesh.panel])
        self.rest: Rest = stands.under(wind, start)
        self.reactions = tuple(_reactions(stands, self.rest.x))

    @property
    def loads(self) -> tuple[PanelLoad, ...]:
        """Wind and weight of each panel as it hangs, where they act."""
        return tuple(_hung_loads(self.stands, self.case, self.rest.x))

    def parts(self, holding: Holding) -> list[Weakest]:
        """Every stake and line with its pull and what it is trusted with."""
        parts = _parts(self.stands.rig, self.reactions, holding)
        return [replace(p, under=SNOW) for p in parts] if self.case.snow else parts

    @property
    def loose(self) -> list[str]:
        """Held points that give way to the wind; any point where the sheet finds no rest."""
        moved = np.linalg.norm(self.rest.x - self.stands.set.x, axis=1)
        out = [
            tie.name
            for tie in self.stands.ties
            if tie.kind == "support" and moved[tie.node] > GIVES_M
        ]
        if not self.rest.settled and not out:
            out = [max(self.stands.ties, key=lambda tie: moved[tie.node]).name]
        return out


def _hung_loads(stands: HandSet, case: WindCase, x: Floats) -> list[PanelLoad]:
    mesh = stands.mesh
    weight = stands.weight[: len(mesh.uv)].sum(axis=0)
    middles = x[mesh.triangles].mean(axis=1)
    areas = np.zeros(len(stands.shelter.panels))
    np.add.at(areas, mesh.panel, mesh.area)
    by_id = {load.id: load for load in case.loads}
    out = []
    for k, panel in enumerate(stands.shelter.panels):
        if areas[k] <= 0:
            continue
        own = mesh.panel == k
        centre = (mesh.area[own, None] * middles[own]).sum(axis=0) / areas[k]
        force = weight * areas[k] / areas.sum()
        load = by_id.get(panel.id)
        if load is None:
            out.append(PanelLoad(panel.id, float(areas[k]), 0.0, 0.0, force, centre))
            continue
        wind = load.force_n * areas[k] / load.area_m2
        out.append(
            PanelLoad(
                load.id,
                load.area_m2,
                load.slope_deg,
                load.coefficient,
                wind + force,
                centre,
            )
        )
    return out


def _reactions(stands: HandSet, x: Floats) -> list[Reaction]:
    """What every holder gives, the ground under cloth that lies on it last."""
    springs = stands.system.springs
    given: dict[int, Floats] = {}
    for node, force in zip(springs.nodes, springs.forces(x), strict=True):
        given[int(node)] = given.get(int(node), np.zeros(3)) + force
    pulls = stands.cord_pulls(x)
    kinds = {s.point: s.kind for s in stands.rig.supports}
    out = []
    cord = 0
    for tie in stands.ties:
        if tie.length_m:
            pull, cord = pulls[cord], cord + 1
            if tie.kind == "clip":  # cloth to cloth: inside the sheet
                continue
            way = np.array(tie.at) - x[tie.node]
            force = pull * way / max(float(np.linalg.norm(way)), 1e-12)
            out.append(_reaction(tie.kind, tie.name, force, tie.at, tie.number))
        else:
            kind = kinds.get(tie.name, "tree") if tie.kind == "support" else tie.kind
            out.append(_reaction(kind, tie.name, given[tie.node], x[tie.node], tie.number))
    out += [
        _reaction("tree", point, force, x[node], -1)
        for point, node, force in stands.ridge_line_ends(x)
    ]
    ground, at = stands.ground(x)
    if ground > 0:
        out.append(_reaction("ground", "", np.array([0.0, 0.0, ground]), at, -1))
    return out


def _reaction(
    kind: str, point: str, force: Floats, at: Sequence[float] | Floats, number: int
) -> Reaction:
    fx, fy, fz = (float(c) for c in force)
    x, y, z = (float(c) for c in at)
    return Reaction(kind, point, (fx, fy, fz), (x, y, z), number)


def _limit_pa(governing: _Hung, pressure: float, used: float, holding: Holding) -> float:
    """Pressure at which the weakest part of the governing case is just used up, Pa."""
    if used <= 0 or pressure <= 0:
        return math.inf
    factor, now, hung = 1.0, used, governing
    for _ in range(MOVE_TRIES):
        if abs(now - 1) < 0.03:
            break
        factor *= float(np.clip(now**-PULL_GROWTH, 0.05, 20.0))
        if factor > MOST_FACTOR:
            return math.inf
        hung = _Hung(hung.stands, hung.case, factor, hung.rest.x)
        now = _used(hung.parts(holding))
        if now <= 0:
            return math.inf
    return float(pressure * factor * now**-PULL_GROWTH)


def _ridge(rig: Rig, reactions: Sequence[Reaction]) -> RidgeLine | None:
    """The line between two trees, whole or in two ends: the pull across it makes it sag."""
    trees = [s for s in rig.supports if s.kind == "tree"]
    if len(trees) != 2:
        return None
    places = [np.array([*s.at, s.height_m]) for s in trees]
    span = float(np.linalg.norm(places[1] - places[0]))
    along = (places[1] - places[0]) / max(span, 1e-9)
    pull = sum((np.array(r.force_n) for r in reactions if r.kind == "tree"), np.zeros(3))
    across = pull - (pull @ along) * along
    return from_sag(span, float(np.linalg.norm(across)), TIGHT_SAG * span)


def _parts(rig: Rig, reactions: Sequence[Reaction], holds: Holding) -> list[Weakest]:
    """Every stake and line with its pull and what it is trusted with."""
    guy_n = holds.trusted_cord_n(holds.guy_mm)
    parts = []
    at_tree: dict[str, Floats] = {}
    for r in reactions:
        if r.kind in ("stake", "guy") and r.number >= 0:
            stake_n = holds.stake_at_n(r.number)
            parts.append(Weakest("stake", r.point, r.newtons, stake_n, r.number))
        if r.kind in ("guy", "cord"):
            parts.append(Weakest("guy", r.point, r.newtons, guy_n, r.number))
        if r.kind == "tree":
            at_tree[r.point] = at_tree.get(r.point, np.zeros(3)) + np.array(r.force_n)
    trunks = {s.point: s for s in rig.supports if s.kind == "tree"}
    for point, force in at_tree.items():
        tree = trunks.get(point)
        if tree is not None:
            holds_n = trunk_holds_n(tree.trunk_m, tree.height_m) / TRUST
            parts.append(Weakest("trunk", point, float(np.linalg.norm(force)), holds_n))
    ridge = _ridge(rig, reactions)
    if ridge is not None and rig.through_line:
        point = next(s.point for s in rig.supports if s.kind == "tree")
        ridge_n = holds.trusted_cord_n(holds.ridge_mm)
        return [*parts, Weakest("ridge line", point, ridge.end_n, ridge_n)]
    trees = [
        Weakest("tree line", point, float(np.linalg.norm(force)), guy_n)
        for point, force in at_tree.items()
    ]
    return parts + trees


def _most(every: Sequence[Sequence[Weakest]]) -> tuple[Weakest, ...]:
    """Each part with the most of all cases."""
    return tuple(max(same, key=lambda p: p.pull_n) for same in zip(*every, strict=True))
