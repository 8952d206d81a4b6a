"""What to do about a sheet that hangs badly: how taut, which stake to move, what to lift, and how
sure all of it is.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.hang.hung import Hanging, Hung, hang
from tarvik.core.hang.room import HungRoom
from tarvik.core.hang.ties import Lift
from tarvik.core.measure.figures import sitting_height

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.body import Body
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.mats import Mat
    from tarvik.core.plain import JsonObject

    Advice = JsonObject
    """Plain values by what they tell, as they are kept."""

STAKE_MOVE_M: Final = constant(
    "stake_move",
    0.02,
    "m",
    ENGINEERING,
    "how far a stake is moved outwards to see what it does",
)
TAUTNESSES: Final = (0.0, 0.0025, 0.005, 0.0075, 0.01, 0.015, 0.02)
"""Tautnesses compared."""
HAND_PULL_N: Final = constant(
    "hand_pull",
    200.0,
    "N",
    ENGINEERING,
    "pull with which one person draws a stake or line taut",
)
LOOSE_N: Final = constant(
    "loose_stake",
    25.0,
    "N",
    ENGINEERING,
    "a stake that holds less than this was not drawn tight",
)
TIGHT_N: Final = constant(
    "tight_stake", 60.0, "N", ENGINEERING, "pull that a loose stake is moved out to"
)
GAIN_LEAST_M: Final = constant(
    "gain_least", 0.01, "m", ENGINEERING, "headroom worth pulling tauter for"
)
HEAD_M: Final = constant(
    "head_place",
    0.30,
    "m",
    ENGINEERING,
    "from the head end of a mat to where headroom is read",
)
OFF_BY: Final = (0.5, 1.5)
"""Factors by which a fabric's figures are taken to be off."""


def headroom_m(room: HungRoom, heads: Floats) -> float:
    """Lowest cloth over the places (k, 2) where heads lie, m; NaN where none hangs there."""
    return float(np.min(room.height_at(heads))) if len(heads) else float("nan")


def heads_of(mats: Sequence[Mat], room: HungRoom) -> Floats:
    """Where headroom is read (k, 2): over the head of each mat, or over the middle of the ground
    when nobody lies there.
    """
    if mats:
        return np.array([_head(mat) for mat in mats])
    middle = room.plan.representative_point() if room.plan.is_empty else room.plan.centroid
    return np.array([[middle.x, middle.y]])


def _head(mat: Mat) -> Floats:
    head = np.array(mat.head())
    way = head - np.array([mat.x, mat.y])
    return np.asarray(head - way / max(float(np.linalg.norm(way)), 1e-12) * HEAD_M)


@dataclass(frozen=True, slots=True)
class Tauter:
    """One tautness: headroom, the largest pull on a stake, share of the cloth that is slack."""

    tautness: float
    headroom_m: float
    stake_n: float
    slack: float


def tautness_to_aim_for(
    hung: Hung, heads: Floats, stake_n: float
) -> tuple[float | None, list[Tauter]]:
    """The least tautness past which little headroom is gained, none of whose stakes pulls harder
    than a hand or than they hold (`stake_n`); None when even a slack sheet pulls harder. And what
    was compared.
    """
    rows = []
    for tautness in TAUTNESSES:
        again = _again(hung, replace(hung.hanging, tautness=tautness))
        rows.append(
            Tauter(
                tautness,
                headroom_m(HungRoom.under(again), heads),
                _most_stake_n(again),
                float(again.slack.mean()),
            )
        )
    fit = [row for row in rows if row.stake_n <= min(HAND_PULL_N, stake_n)]
    if not fit:
        return None, rows
    best = max(row.headroom_m for row in fit)
    return next(
        row.tautness
        for row in fit
        if row.headroom_m >= best - GAIN_LEAST_M or np.isnan(best)
    ), rows


def _most_stake_n(hung: Hung) -> float:
    return max(
        (f.newtons for f in hung.forces if f.tie.kind in ("stake", "guy")), default=0.0
    )


def _again(hung: Hung, hanging: Hanging) -> Hung:
    return hang(hung.shelter, hung.rig, hanging)


@dataclass(frozen=True, slots=True)
class StakeMoved:
    """What moving one stake outwards by STAKE_MOVE_M does: pulls of all ties before and after, N,
    and headroom gained.
    """

    number: int
    point: str
    before_n: float
    after_n: float
    others: tuple[tuple[str, float, float], ...]
    gain_m: float


def go_round(hung: Hung, heads: Floats) -> list[StakeMoved]:
    """Each stake moved outwards alone, the rest as they are: what it does to itself, its neighbours
    and the headroom.
    """
    now = headroom_m(HungRoom.under(hung), heads)
    pulls = {f.tie.name: f.newtons for f in hung.forces}
    middle = np.mean([tie.at[:2] for tie in hung.ties], axis=0)
    out = []
    for force in hung.forces:
        tie = force.tie
        if tie.number < 0:
            continue
        way = np.array(tie.at[:2]) - middle
        step = way / max(float(np.linalg.norm(way)), 1e-12) * STAKE_MOVE_M
        moved = dict(hung.hanging.moved)
        x, y = moved.get(tie.number, (0.0, 0.0))
        moved[tie.number] = (x + float(step[0]), y + float(step[1]))
        again = _again(hung, replace(hung.hanging, moved=tuple(moved.items())))
        after = {f.tie.name: f.newtons for f in again.forces}
        others = tuple(
            (name, pulls[name], after[name])
            for name in pulls
            if name != tie.name and name in after
        )
        gain = headroom_m(HungRoom.under(again), heads) - now
        out.append(
            StakeMoved(tie.number, tie.name, force.newtons, after[tie.name], others, gain)
        )
    return out


def loose_stakes(moves: Sequence[StakeMoved]) -> list[tuple[str, float]]:
    """Of the stakes moved, those that hold next to nothing, with how far out to move each, m, so
    that it is drawn tight.

    By the secant of a move of STAKE_MOVE_M, and at most five times that at once: then go round
    again.
    """
    out = []
    for moved in moves:
        if moved.before_n < LOOSE_N:
            rate = max((moved.after_n - moved.before_n) / STAKE_MOVE_M, 1e-6)
            out.append(
                (
                    moved.point,
                    float(min((TIGHT_N - moved.before_n) / rate, 5 * STAKE_MOVE_M)),
                )
            )
    return out


LIFT_TRIED_M: Final = constant(
    "lift_tried",
    0.20,
    "m",
    ENGINEERING,
    "how far points are lifted, or drawn out, to see what it gains",
)
MOST_TRIED: Final = 6


@dataclass(frozen=True, slots=True)
class Gain:
    """What drawing one point up (`way` "up") or out ("out") by LIFT_TRIED_M gains: headroom, m, and
    room to sit, m2.
    """

    name: str
    uv: tuple[float, float]
    way: str
    headroom_m: float
    sit_m2: float


def gains(
    hung: Hung, heads: Floats, sit_m: float, places: Mapping[str, tuple[float, float]]
) -> list[Gain]:
    """For some places of the sheet (the innermost first), what lifting it there gains, and what
    drawing it out there does. `sit_m`: height under which one sits up. The best first; what gains
    nothing is left out.
    """
    room = HungRoom.under(hung)
    now, sit = headroom_m(room, heads), float(room.above(sit_m).area)
    corners = np.array(hung.shelter.sheet.outline)
    middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
    inmost = sorted(
        places.items(), key=lambda p: float(np.hypot(*(np.array(p[1]) - middle)))
    )[:MOST_TRIED]
    out = []
    for name, uv in inmost:
        for way, by, out_by in (("up", LIFT_TRIED_M, 0.0), ("out", 0.0, LIFT_TRIED_M)):
            again = lifted(hung, name, uv, by, out_by)
            under = HungRoom.under(again)
            gain = Gain(
                name,
                uv,
                way,
                headroom_m(under, heads) - now,
                float(under.above(sit_m).area) - sit,
            )
            if again.settled and (
                gain.headroom_m > GAIN_LEAST_M or gain.sit_m2 > GAIN_LEAST_M
            ):
                out.append(gain)
    return sorted(out, key=lambda g: (-g.sit_m2, -g.headroom_m))


def lifted(
    hung: Hung, name: str, uv: tuple[float, float], by_m: float, out_m: float = 0.0
) -> Hung:
    """The same sheet with one more point drawn up, `by_m` above the fold, or out."""
    lifts = (
        *(x for x in hung.hanging.lifts if x.name != name),
        Lift(name, uv, by_m, out_m),
    )
    return _again(hung, replace(hung.hanging, lifts=lifts))


@dataclass(frozen=True, slots=True)
class Sensitivity:
    """How far headroom moves when one of the fabric's figures is half or half as much again: the
    larger of the two, m.
    """

    figure: str
    moves_m: float


def sensitivity(hung: Hung, heads: Floats) -> list[Sensitivity]:
    """For stiffness along the threads, shear stiffness and weight."""
    now = headroom_m(HungRoom.under(hung), heads)
    fabric = hung.hanging.fabric
    figures: tuple[tuple[str, Callable[[float], object]], ...] = (
        ("stiffness", lambda k: fabric.stretched(stiffness=k)),
        ("shear stiffness", lambda k: fabric.stretched(shear=k)),
        ("weight", lambda k: fabric.stretched(weight=k)),
    )
    out = []
    for name, changed in figures:
        moves = []
        for factor in OFF_BY:
            hanging = replace(hung.hanging, fabric=changed(factor))  # type: ignore[arg-type]
            again = _again(hung, hanging)
            moves.append(abs(headroom_m(HungRoom.under(again), heads) - now))
        out.append(Sensitivity(name, float(max(moves))))
    return out


def handles(hung: Hung) -> dict[str, tuple[float, float]]:
    """Places of the sheet by which it can be lifted: tie-outs and buttons that nothing holds, and
    its middle.
    """
    held = {tie.node for tie in hung.ties if tie.kind != "cord"}
    out: dict[str, tuple[float, float]] = {}
    places = list(hung.shelter.sheet.tie_outs or ())
    corners = np.array(hung.shelter.sheet.outline)
    middle = tuple(float(v) for v in (corners.min(axis=0) + corners.max(axis=0)) / 2)
    for u, v in [*places, (middle[0], middle[1])]:
        node = hung.mesh.node_at((u, v))
        near = float(np.hypot(*(hung.mesh.uv[node] - np.array([u, v]))))
        floor = hung.mesh.xyz[node, 2] < 0.05
        if (
            node in held
            or floor
            or near > 0.35
            or any(np.hypot(u - a, v - b) < 0.05 for a, b in out.values())
        ):
            continue
        out[f"{u:.2f}_{v:.2f}"] = (u, v)
    return out


def advise(
    hung: Hung, figures: Figures, body: Body, gust_pa: float, holds_n: float
) -> Advice:
    """All advice on a hung sheet whose stakes hold `holds_n` (N), in plain values: how taut to pull
    it, what moving each stake does, what lifting it gains, what a gust of `gust_pa` pulls, its room
    when wet, and how sure all of it is.
    """
    heads = heads_of(figures.mats, HungRoom.under(hung))
    aim, rows = tautness_to_aim_for(hung, heads, holds_n)
    forces: list[tuple[str, str, float, float]] = []
    if gust_pa:
        wind = figures.weather.wind_from_deg
        windy = replace(hung.hanging, pressure_pa=gust_pa, wind_from_deg=wind)
        blown = hang(hung.shelter, hung.rig, windy)
        forces = [(f.tie.name, f.tie.kind, f.newtons, f.up_n) for f in blown.forces]
    moves = go_round(hung, heads)
    wet = hang(hung.shelter, hung.rig, replace(hung.hanging, wet=True))
    room = HungRoom.under(wet).height_at(heads)
    low = float(room.min()) if len(room) else math.nan
    found = gains(hung, heads, sitting_height(body), handles(hung))
    return {
        "aim": aim,
        "tauter": [asdict(row) for row in rows],
        "round": [asdict(move) for move in moves],
        "gains": [asdict(gain) for gain in found],
        "loose": loose_stakes(moves),
        "sensitivity": [asdict(one) for one in sensitivity(hung, heads)],
        "gust": forces,
        "wet_headroom_m": None if math.isnan(low) else low,
    }
