"""What a hung sheet has to tell, as plain values that can be kept, and how figures of the fold give
way to those of the hung shape.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from tarvik.core.finding import Finding, Level
from tarvik.core.hang.advice import headroom_m, heads_of
from tarvik.core.hang.lines import line_pulls
from tarvik.core.hang.room import measure_hung
from tarvik.core.hang.water import Grows, pools
from tarvik.core.measure.drips import under_drips
from tarvik.core.measure.mats import Mat
from tarvik.core.units import Units, format_length, format_litres

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.body import Body
    from tarvik.core.hang.hung import Hung
    from tarvik.core.measure.figures import Figures
    from tarvik.core.plain import JsonMapping, JsonObject


@dataclass(frozen=True, slots=True)
class ToldForce:
    """What a tie holds, N: in all, and upwards against its holder."""

    name: str
    kind: str
    newtons: float
    up_n: float


@dataclass(frozen=True, slots=True)
class ToldPool:
    """A pool in words: where, litres in the hollow at first and once it is full, depth, and what
    becomes of it.
    """

    at: tuple[float, float, float]
    litres_first: float
    litres: float
    depth_m: float
    grows: str


@dataclass(frozen=True, slots=True)
class Told:
    """A hung sheet told beside its fold. Metres, square metres, newtons, litres, shares.

    `headroom_m`: the lowest cloth over the heads of the mats that the fold has room for,
    `fold_headroom_m` the fold there.
    `mats`: x, y, heading, length, width; `who`: which of the named people lies on each;
    `ridge_sag_m`: of a ridge line under the sheet; `lines`: each line of the rig with its point,
    purpose and pull.
    """

    settled: bool
    why: str
    steps: int
    fabric: str
    tautness: float
    peak_m: float
    covered_m2: float
    dry_m2: float
    sit_m2: float
    stand_m2: float
    mats: tuple[tuple[float, float, float, float, float], ...]
    who: tuple[int, ...]
    headroom_m: float
    fold_headroom_m: float
    sag_m: float
    ridge_sag_m: float | None
    slack: float
    wrinkled: float
    forces: tuple[ToldForce, ...]
    lines: tuple[tuple[str, str, float], ...]
    pools: tuple[ToldPool, ...]
    lifting: tuple[str, ...]

    def plain(self) -> JsonObject:
        """As plain values."""
        return asdict(self)

    @classmethod
    def of_plain(cls, plain: JsonMapping) -> Told:
        """From plain values."""
        made = dict(plain)
        made["mats"] = tuple(tuple(m) for m in plain["mats"])
        made["who"] = tuple(plain["who"])
        made["lines"] = tuple(tuple(x) for x in plain["lines"])
        made["lifting"] = tuple(plain["lifting"])
        made["forces"] = tuple(ToldForce(**f) for f in plain["forces"])
        made["pools"] = tuple(
            ToldPool(**{**p, "at": tuple(p["at"])}) for p in plain["pools"]
        )
        return cls(**made)

    @property
    def sleepers(self) -> int:
        """Mats that lie dry with their clearances under the hung sheet."""
        return len(self.mats)


def tell(hung: Hung, figures: Figures, body: Body, people: Sequence[Body] = ()) -> Told:
    """Tell a hung sheet beside the figures of its fold, for the same people and the same night."""
    found = measure_hung(
        hung, body, figures.weather, figures.clearance, figures.lying, people
    )
    heads = heads_of(figures.mats, found.room)
    fold = figures.roof.height_at(heads)
    return Told(
        settled=hung.settled,
        why=hung.why_loose,
        steps=hung.rest.steps,
        fabric=hung.hanging.fabric.slug,
        tautness=hung.hanging.tautness,
        peak_m=found.peak_m,
        covered_m2=found.covered_area_m2,
        dry_m2=found.dry_area_m2,
        sit_m2=found.sit_area_m2,
        stand_m2=found.stand_area_m2,
        mats=tuple((m.x, m.y, m.heading_deg, m.length_m, m.width_m) for m in found.mats),
        who=found.who,
        headroom_m=_number(headroom_m(found.room, heads)),
        fold_headroom_m=_number(float(np.min(fold, initial=np.inf))),
        sag_m=float((hung.mesh.xyz[:, 2] - hung.xyz[:, 2]).max()),
        ridge_sag_m=hung.ridge_sag_m,
        slack=float(hung.slack.mean()),
        wrinkled=float(hung.wrinkled.mean()),
        forces=tuple(
            ToldForce(f.tie.name, f.tie.kind, f.newtons, f.up_n) for f in hung.forces
        ),
        lines=tuple((x.start, x.purpose, x.newtons) for x in line_pulls(hung)),
        pools=tuple(
            ToldPool(p.at, p.litres_first, p.litres, p.depth_m, p.grows.value)
            for p in pools(hung)
        ),
        lifting=tuple(f.tie.name for f in hung.lifting),
    )


def _number(value: float) -> float:
    """A height, 0 where nothing hangs."""
    return value if np.isfinite(value) else 0.0


def hung_figures(figures: Figures, told: Told) -> Figures:
    """The figures of a shelter with those of its hung shape in the place of the fold's."""
    mats = tuple(Mat(*m) for m in told.mats)
    clear = figures.weather.splash_m > 0 or figures.shelter.pitch.bed is not None
    wetted = () if clear else under_drips(mats, figures.shelter)
    return replace(
        figures,
        peak_m=told.peak_m,
        covered_area_m2=told.covered_m2,
        dry_area_m2=told.dry_m2,
        sit_area_m2=told.sit_m2,
        stand_area_m2=told.stand_m2,
        mats=mats,
        who=told.who,
        wetted=wetted,
        lost=max(len(figures.mats) - len(mats), 0),
    )


SAG_TOLD_M = 0.02
"""A sheet that hangs less than this below its fold is as good as taut."""
SLACK_TOLD = 0.15
"""Share of slack cloth from which it is told."""


def findings(
    told: Told, figures: Figures, units: Units, names: Mapping[str, str] | None = None
) -> list[Finding]:
    """What a leader should know of the way a sheet hangs, gravest first. `names`: marks of the
    points on the card.
    """
    out = [
        *_cloth(told),
        *(_pool(pool, units) for pool in told.pools),
        *_room(told, figures, units),
        *_lifted(told, names or {}),
    ]
    return sorted(out, key=lambda f: -f.level)


def _cloth(told: Told) -> list[Finding]:
    """Whether the cloth comes to rest, and how much of it is slack."""
    out = []
    if not told.settled:
        taut = "pull it taut and look again"
        out.append(Finding("hangs_loose", "cloth", told.why, taut, Level.CAUTION))
    if told.slack > SLACK_TOLD:
        words = f"{told.slack:.0%} of the cloth hangs slack and will flap"
        again = "go round the stakes again"
        out.append(Finding("slack_cloth", "cloth", words, again, Level.NOTE))
    return out


def _pool(pool: ToldPool, units: Units) -> Finding:
    """What water does that gathers in a hollow."""
    where = "water gathers on it"
    if pool.grows == Grows.FEEDS_ITSELF.value:
        endless = (
            f"{where}, and each litre makes room for more: it sags until something gives"
        )
        cure = "steepen it, lift it below the hollow, or pull it taut"
        return Finding("pool_feeds", "pool", endless, cure, Level.STOPS)
    if pool.grows == Grows.HOLDS.value:
        held = format_litres(pool.litres, units)
        words = f"{where}: {held}, {format_length(pool.depth_m, units)} deep"
        cure = "lift the hollow, lower one corner, or pull it taut"
        return Finding("pool", "pool", words, cure)
    words = f"{where} and runs off by its own weight"
    return Finding("pool_drains", "pool", words, "", Level.NOTE)


def _room(told: Told, figures: Figures, units: Units) -> list[Finding]:
    """Beds and headroom that the sag takes."""
    out = []
    if told.sleepers < figures.sleepers:
        lie = "lies" if told.sleepers == 1 else "lie"
        words = f"as it hangs {told.sleepers} {lie} clear of it, not {figures.sleepers}"
        cure = "pull it tauter, lift its middle, or raise it"
        out.append(Finding("hangs_on_mats", "mats", words, cure))
    if told.fold_headroom_m - told.headroom_m > SAG_TOLD_M:
        fall = format_length(told.fold_headroom_m - told.headroom_m, units)
        words = f"over the heads it sags by {fall}"
        out.append(Finding("sags", "cloth", words, "", Level.NOTE))
    return out


def _lifted(told: Told, names: Mapping[str, str]) -> list[Finding]:
    """Stakes that the sheet pulls up."""
    if not told.lifting:
        return []
    *some, last = (names.get(point, point) for point in told.lifting)
    which = f"stakes {', '.join(some)} and {last}" if some else f"stake {last}"
    them = "them" if some else "it"
    words = f"the sheet pulls {which} up out of the ground"
    cure = f"lean {them} back, weight {them} with a stone, or give {them} a longer line"
    return [Finding("stake_lifts", last, words, cure)]


def warnings(
    told: Told,
    figures: Figures,
    units: Units,
    names: Mapping[str, str] | None = None,
    people: int | None = None,
) -> list[Finding]:
    """The findings without notes. With `people` to lie there, mats that they do not want are not
    missed.
    """
    enough = people is not None and told.sleepers >= people
    return [
        f
        for f in findings(told, figures, units, names)
        if f.level > Level.NOTE and not (enough and f.code == "hangs_on_mats")
    ]
