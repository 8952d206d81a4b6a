"""Closed wedges and tents: a square sheet with the bed all round inside it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np
from shapely import LineString, Polygon

from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches.base import (
    NARROWEST_SPAN_M,
    Family,
    Limit,
    Pitch,
    PullSide,
    Setting,
    Shape,
    SheetBox,
    Sought,
    Step,
    Values,
    anchors,
    foot_reach,
    free,
    root,
)
from tarvik.core.pitches.geometry import (
    circles,
    furthest_meeting,
    laid_out,
    limit_by_trying,
    point,
    turned_about,
)
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import POLES, SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats, Layout, Place

SHUT, OPEN, PINNED, FLOWN = range(4)
DOOR_STATES: Final = Setting(
    "doors",
    "0 to 3",
    0,
    3,
    0,
    "0: shut; 1: open, laid back against the walls; 2: pinned out in front; 3: flown as awnings",
    "Doors",
    sought=Sought.NEVER,
    words=("shut", "open", "pinned out", "flown"),
    shut_at=SHUT,
)
FLOWN_SHARE: Final = 0.8
"""A flown door's corner stands at this share of the peak's height."""


def meeting_hem(
    h: Floats, half: Floats, peak: Floats, hem: Floats, mx: Floats
) -> tuple[Floats, Floats]:
    """Where a hem on the ground comes to the middle: (how far along its side of the sheet from the
    corner, x there).

    The hem is a sheet edge at `half` across from the peak; the peak lies `peak` along it and stands
    over the origin at `h`; the hem leaves the stake at `hem` along, which stands at x = `mx`. With
    e and k the distances along the edge from the peak to the meeting point and to the stake, x mx =
    q + e k and x^2 = q + e^2, where q = half^2 - h^2.
    """
    q, k = half**2 - h**2, peak - hem
    a, b, c = k**2 - mx**2, 2 * q * k, q**2 - mx**2 * q
    spread = root(b**2 - 4 * a * c)
    best, at = np.full_like(h, np.nan), np.full_like(h, np.nan)
    for sign in (-1.0, 1.0):
        e = (-b + sign * spread) / (2 * a)
        d = peak - e
        better = (d >= 0) & (d < hem - 1e-6) & ~(best <= d)
        best, at = np.where(better, d, best), np.where(better, (q + e * k) / mx, at)
    return best, at


_WEDGE: Final = Pattern(
    ("P", "R", "E", "F", "M", "N", "J", "K", "O", "B", "Z", "Y"),
    (
        Panel("back", Role.ROOF, ("P", "F", "R", "E")),
        Panel("right", Role.WALL, ("P", "E", "M")),
        Panel("left", Role.WALL, ("P", "N", "F")),
        Panel("right door", Role.DOOR, ("P", "M", "J")),
        Panel("right lap", Role.DOOR, ("P", "J", "O")),
        Panel("left door", Role.DOOR, ("P", "K", "N")),
        Panel("left lap", Role.DOOR, ("P", "B", "K")),
        Panel("floor", Role.FLOOR, ("E", "F", "Y", "Z")),
    ),
)


def _wedge_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. The rear edge lies straight on the ground behind, so that P-E-F is one slope;
    each side triangle comes down to M where two circles meet; its hem goes on to the middle as the
    door's, and what is over laps onto the other.
    """
    s = min(box)
    h, side, strip = values["height"], values["side"], values["strip"]
    zero, half = np.zeros_like(h), np.full_like(h, s / 2)
    rear = s - strip
    back = foot_reach(rear, h)
    flat_side = rear - side
    mx, my = circles(
        zero, zero, root(half**2 + side**2 - h**2), back, -half, flat_side, -1.0
    )
    d, x = meeting_hem(h, half, zero, side, mx)
    state = values["doors"]
    shut = state == SHUT
    d = np.where(shut, d, side / 2)
    peak, m3, hem = point(zero, zero, h), point(mx, my, zero), point(x, zero, zero)
    along = (hem - m3) / np.linalg.norm(hem - m3, axis=1, keepdims=True)
    lap = turned_about(
        hem + d[:, None] * along, peak, hem, np.full_like(h, np.pi)
    ) * np.array([1.0, -1.0, 1.0])
    tip = _door_tip(state, h, half, side, (mx, my), point(back, -half, zero))
    corner = np.where(shut[:, None], lap, tip)
    crease = np.where(shut[:, None], hem, m3 + (corner - m3) * ((side - d) / side)[:, None])
    world: dict[str, Place] = {
        "P": (zero, zero, h),
        "R": (back, zero, zero),
        "E": (back, -half, zero),
        "M": (mx, my, zero),
        "J": tuple(crease.T),
        "O": tuple(corner.T),
        "Z": (back - strip, -half, zero),
    }
    flat: dict[str, Place] = {
        "P": (half, zero),
        "R": (half, rear),
        "E": (zero, rear),
        "M": (zero, side),
        "J": (zero, d),
        "O": (zero, zero),
        "Z": (zero, s + zero),
    }
    for one, other in zip("EMJOZ", "FNKBY", strict=True):
        wx, wy, wz = world[one]
        world[other] = (wx, -wy, wz)
        flat[other] = (s - flat[one][0], flat[one][1])
    ok = (
        (flat_side >= NARROWEST_SPAN_M)
        & (my < 0)
        & (corner[:, 2] >= -1e-9)
        & (back > strip)
    )
    ok &= shut | (corner[:, 1] <= 0)  # an open door stays on its own side
    return laid_out(_WEDGE, h.size, flat, world, ok)


def _door_tip(
    state: Floats,
    h: Floats,
    half: Floats,
    side: Floats,
    stake: tuple[Floats, Floats],
    rear: Floats,
) -> Floats:
    """Corner (N, 3) of the right door when it is not shut: laid back on its wall, staked out in
    front, or flown.
    """
    mx, my = stake
    zero = np.zeros_like(h)
    rise = np.where(state == FLOWN, FLOWN_SHARE * h, 0.0)
    reach, arm = root(half**2 - (h - rise) ** 2), root(side**2 - rise**2)
    front = furthest_meeting(zero, zero, reach, mx, my, arm, (-1.0, 0.0))
    peak, m3, pinned = point(zero, zero, h), point(mx, my, zero), point(*front, rise)
    hinge = (m3 - peak) / np.linalg.norm(m3 - peak, axis=1, keepdims=True)
    wall = rear - peak
    wall = wall - (wall * hinge).sum(axis=1, keepdims=True) * hinge
    wall = wall / np.linalg.norm(wall, axis=1, keepdims=True)
    long = np.sqrt(half**2 + side**2)[:, None]
    back = peak + (half**2)[:, None] / long * hinge + (half * side)[:, None] / long * wall
    return np.asarray(np.where((state == OPEN)[:, None], back, pinned))


def _wedge_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    s = min(box)
    return (
        limit_by_trying(
            _wedge_layout,
            box,
            values,
            "height",
            0.3,
            s,
            "the doors do not meet, or the sheet does not reach the ground",
        ),
        limit_by_trying(
            _wedge_layout,
            box,
            values,
            "side",
            0.1,
            s,
            "the doors do not meet in the middle",
        ),
        limit_by_trying(
            _wedge_layout, box, values, "strip", 0.0, s / 2, "it leaves too little roof"
        ),
    )


CLOSED_WEDGE: Final = Pitch(
    slug="closed-wedge",
    name="Closed wedge",
    also_known_as=("wedge tent", "folded peak tent"),
    family=Family.WEDGE,
    summary=(
        "A square from a peak to a straight rear edge, side points pulled out, the two front "
        "corners shut as doors."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.6,
            2.6,
            1.4,
            "height of the peak above the ground",
            "Peak height",
        ),
        Setting(
            "side",
            "m",
            0.2,
            4.0,
            1.2,
            "how far along each side edge, from the front corner, the side stake stands",
            "Side stakes from the corner",
        ),
        Setting(
            "strip",
            "m",
            0.0,
            1.5,
            0.0,
            "how much of the rear is folded forward as a strip of floor",
            "Floor strip",
            sought=Sought.ALSO,
        ),
        DOOR_STATES,
    ),
    pattern=_WEDGE,
    anchors=(*anchors("P", "EFMNJKR"), *free("O", "B", "Z", "Y")),
    pull=PullSide.LONE,
    layout=_wedge_layout,
    laps=(("J", "O"), ("O", "P"), ("K", "B"), ("B", "P")),
    limits=_wedge_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground of stones and sticks. The "
            "straight rear edge goes to the wind."
        ),
        Step(
            "Fold the sheet in half to find the middle of the front edge {P}; stake the rear "
            "corners {E} and {F}, {E-F} "
            "apart, and the middle {R} between them.",
            ("E", "F", "R"),
        ),
        Step("Raise {P} to {height}, its foot {P-R} in front of the rear edge."),
        Step(
            "Pull the side points {M} and {N} out and stake them {E-M} from the rear corners "
            "and {P-M} from the foot of the "
            "peak.",
            ("M", "N"),
        ),
        Step(
            "Bring the front corners round and in: the hems meet at {J} and {K}, {P-J} behind "
            "the foot of the peak; lap one "
            "over the other and stake them there.",
            ("J", "K"),
        ),
    ),
    minutes=8,
    suits=Suits(
        first=("storm", "steady-rain", SNOW), never=("cold-fire", "fair-view", "shade")
    ),
    faults=(
        (
            "The doors gape: the side stakes stand too far forward. Move them along the edge "
            "away from the corner."
        ),
        "It drips inside: open a hand's breadth under the peak.",
    ),
    shape=Shape.SQUARE,
    moves=(
        Move(
            "closed-wedge",
            "Shut the doors",
            (
                "Bring the front corners round and in until the hems meet.",
                "Lap one over the other, weather side outside, and stake both.",
            ),
            2.0,
            keeps=("height", "side", "strip"),
            sets=(("doors", 0.0),),
        ),
    ),
)


FIN_SPREAD_RAD: Final = np.radians(3.0)
"""Half the angle between the two layers of a pole tent's doubled front flap."""

_TENT: Final = Pattern(
    ("P", "X", "Y", "W", "V", "E", "F", "J", "K", "O", "B", "C"),
    (
        Panel("back", Role.ROOF, ("P", "Y", "X")),
        Panel("right corner", Role.WALL, ("P", "X", "W")),
        Panel("left corner", Role.WALL, ("P", "V", "Y")),
        Panel("right side", Role.WALL, ("P", "W", "J")),
        Panel("left side", Role.WALL, ("P", "K", "V")),
        Panel("right tuck", Role.FLOOR, ("X", "E", "W")),
        Panel("left tuck", Role.FLOOR, ("Y", "V", "F")),
        Panel("right door", Role.DOOR, ("P", "J", "O")),
        Panel("left door", Role.DOOR, ("P", "B", "K")),
        Panel("right flap", Role.DOOR, ("P", "O", "C")),
        Panel("left flap", Role.DOOR, ("P", "C", "B")),
    ),
)


def _tent_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. Back triangle P-X-Y; the corner beyond X-W is tucked under; the side's hem W-J
    lies straight on the ground as far as the middle; from there both front parts stand out together
    as one doubled flap, the small door.
    """
    s = min(box)
    h, a, front = values["height"], values["tuck"], values["front"]
    zero, half = np.zeros_like(h), np.full_like(h, s / 2)
    across = half - a
    bx = root((s - front) ** 2 - h**2)
    wx, wy = circles(
        zero,
        zero,
        root(half**2 + (front - s + a) ** 2 - h**2),
        bx,
        -across,
        a * np.sqrt(2),
        -1.0,
    )
    ox, oy = circles(
        zero, zero, root(half**2 + front**2 - h**2), wx, wy, s - a, -1.0
    )  # where the corner would come
    share = wy / (wy - oy)  # of the hem W-O, where it meets the middle
    d = (s - a) * (1 - share)
    jx = wx + share * (ox - wx)
    size = np.hypot(jx, h)
    turn = np.arccos(
        np.clip(
            (size**2 + d**2 - half**2 - front**2) / (2 * size * np.maximum(d, 1e-9)), -1, 1
        )
    )
    turn = (
        np.arctan2(h, -jx) + turn
    )  # of the flap's hem in the middle plane, up from straight back
    peak, hem = point(zero, zero, h), point(jx, zero, zero)
    corner = point(jx + d * np.cos(turn), zero, d * np.sin(turn))
    corner = turned_about(
        corner, hem, peak, np.full_like(h, FIN_SPREAD_RAD)
    )  # the two layers stand a little apart
    cx, cy, cz = corner.T
    cy = -np.abs(cy)
    # The flap's middle C from P and both corners, on the far side of P-O from J: the flap is
    # spread.
    tip = circles(zero, h, front, cx, cz, root(half**2 - cy**2), -1.0)
    crease_x, crease_y = wx - bx, wy + across
    inwards = np.sign(crease_x * across + crease_y * bx)
    ex = (bx + wx) / 2 - inwards * crease_y / 2
    ey = (wy - across) / 2 + inwards * crease_x / 2
    world: dict[str, Place] = {
        "P": (zero, zero, h),
        "X": (bx, -across, zero),
        "W": (wx, wy, zero),
        "E": (ex, ey, zero),
        "J": (jx, zero, zero),
        "O": (cx, cy, cz),
        "C": (tip[0], zero, tip[1]),
    }
    flat: dict[str, Place] = {
        "P": (half, front),
        "X": (a, s + zero),
        "W": (zero, s - a),
        "E": (zero, s + zero),
        "J": (zero, d),
        "O": (zero, zero),
        "C": (half, zero),
    }
    for one, two in zip("XWEJO", "YVFKB", strict=True):
        x, y, z = world[one]
        world[two] = (x, -np.asarray(y), z)
        flat[two] = (s - np.asarray(flat[one][0]), flat[one][1])
    ok = (
        (share > 0)
        & (share <= 1)
        & (d > 0)
        & (wy < 0)
        & (cz >= -1e-9)
        & (tip[1] >= 0)
        & (across > 0)
        & (bx > jx)
    )
    return laid_out(_TENT, h.size, flat, world, ok)


def _tent_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    s = min(box)
    return (
        limit_by_trying(
            _tent_layout,
            box,
            values,
            "height",
            0.3,
            s,
            "the front does not close, or the back does not reach the ground",
        ),
        limit_by_trying(
            _tent_layout,
            box,
            values,
            "tuck",
            0.05,
            s / 2,
            "it leaves too little cloth at the back",
        ),
        limit_by_trying(
            _tent_layout, box, values, "front", 0.1, s, "the front does not close"
        ),
    )


POLE_TENT: Final = Pitch(
    slug="pole-tent",
    name="Pole tent",
    also_known_as=("one-pole tent",),
    family=Family.WEDGE,
    summary=(
        "A square over one inside pole, rear corners tucked under, front corners brought "
        "together as a small door."
    ),
    settings=(
        Setting("height", "m", 0.6, 2.4, 1.4, "height of the pole", "Pole height"),
        Setting(
            "front",
            "m",
            0.3,
            3.0,
            1.0,
            "distance from the front edge of the sheet to the point over the pole",
            "Peak from the front edge",
        ),
        Setting(
            "tuck",
            "m",
            0.1,
            1.2,
            0.3,
            "how much of each edge the tucked rear corners take",
            "Rear corners tucked",
        ),
    ),
    pattern=_TENT,
    anchors=(*anchors("P", "XYWVJK", "flap guy"), *free("E", "F", "O", "B", "C")),
    pull=PullSide.LONE,
    layout=_tent_layout,
    laps=(("J", "O"), ("O", "C"), ("K", "B"), ("B", "C")),
    limits=_tent_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground of stones and sticks. The back "
            "goes to the wind."
        ),
        Step(
            "Tuck the rear corners under by {tuck} and stake the back at {X} and {Y}, {X-Y} "
            "apart, and the sides at {W} and "
            "{V}.",
            ("X", "Y", "W", "V"),
        ),
        Step(
            "Put a pad or a button over the pole at {P}, {front} from the front edge, and "
            "raise it to {height}, its foot "
            "{P-X} from {X}."
        ),
        Step(
            "Bring the front corners together: the hems run straight from {W} and {V} and "
            "meet at {J} and {K}, "
            "{P-J} in front "
            "of the pole. Stake them there.",
            ("J", "K"),
        ),
        Step(
            "Fold both front flaps to one side as a door and tie them shut; guy the tie-outs "
            "above the front stakes."
        ),
    ),
    minutes=15,
    suits=Suits(
        first=(POLES,),
        well=("storm", SNOW),
        fair=("steady-rain",),
        never=("cold-fire", "fair-view", "shade"),
    ),
    faults=(
        "The front gapes: the rear stakes stand too far back. Practise it at home.",
        "The pole pierces the cloth: pad its tip and lower it a hand's breadth.",
    ),
    shape=Shape.SQUARE,
    carried_by=("pole", "stick", "branch", "bipod", "tripod"),
    moves=(
        Move(
            "pole-tent",
            "Lower the pole",
            ("Shorten the pole.", "Draw the side and rear stakes out.", ROUND),
            4.0,
        ),
    ),
)


HALF_TURN_MOST_RAD: Final = np.radians(330.0)
"""Ground that a half cone's hem may go round: beyond it, no way in is left."""


def _cone_points(
    outline: tuple[tuple[float, float], ...],
) -> tuple[tuple[float, float], list[tuple[float, float]]]:
    """The point of an outline that sees the rest most evenly far away, and the rest in order:
    (apex, rim).
    """
    corners = np.array(outline)
    n = len(corners)
    middles = (corners + np.roll(corners, -1, axis=0)) / 2
    best: tuple[float, tuple[float, float], list[tuple[float, float]]] | None = None
    for i in range(n):
        for apex, rim in (
            (corners[i], np.roll(corners, -i - 1, axis=0)[: n - 1]),
            (middles[i], np.roll(corners, -i - 1, axis=0)),
        ):
            away = np.hypot(*(rim - apex).T)
            even = float(away.max() / max(away.min(), 1e-9))
            if best is None or even < best[0] - 1e-9:
                best = (
                    even,
                    (float(apex[0]), float(apex[1])),
                    [(float(u), float(v)) for u, v in rim],
                )
    if best is None:
        raise ValueError("an outline has points")
    return best[1], best[2]


def _cone_pattern(count: int) -> Pattern:
    rim = tuple(f"B{k}" for k in range(count))
    return Pattern(
        ("P", *rim),
        tuple(
            Panel(f"gore {k + 1}", Role.ROOF, ("P", rim[k], rim[k + 1]))
            for k in range(count - 1)
        ),
    )


def _cone_layout(
    apex: tuple[float, float], rim: list[tuple[float, float]], values: Values
) -> Layout:
    """Closed form: every rim point stands on the ground at its own distance; neighbours keep
    theirs.
    """
    h = values["height"]
    zero = np.zeros_like(h)
    away = [float(np.hypot(u - apex[0], v - apex[1])) for u, v in rim]
    foot = [root(a**2 - h**2) for a in away]
    turns = [zero]
    for k in range(len(rim) - 1):
        chord = float(np.hypot(rim[k + 1][0] - rim[k][0], rim[k + 1][1] - rim[k][1]))
        cos = (foot[k] ** 2 + foot[k + 1] ** 2 - chord**2) / (2 * foot[k] * foot[k + 1])
        turns.append(
            turns[-1] + np.where(np.abs(cos) <= 1, np.arccos(np.clip(cos, -1, 1)), np.nan)
        )
    start = turns[-1] / 2
    world: dict[str, Place] = {"P": (zero, zero, h)}
    flat: dict[str, Place] = {"P": apex}
    for k, turn in enumerate(turns):
        world[f"B{k}"] = (
            foot[k] * np.cos(start - turn),
            foot[k] * np.sin(start - turn),
            zero,
        )
        flat[f"B{k}"] = rim[k]
    ok = (turns[-1] <= HALF_TURN_MOST_RAD) & (np.min(foot, axis=0) >= NARROWEST_SPAN_M)
    return laid_out(_cone_pattern(len(rim)), h.size, flat, world, ok)


def _half_rectangle(box: SheetBox) -> tuple[tuple[float, float], list[tuple[float, float]]]:
    """Of a rectangle the peak is the middle of a long side."""
    width, length = box
    if width >= length:
        return (width / 2, 0.0), [(width, 0.0), (width, length), (0.0, length), (0.0, 0.0)]
    return (0.0, length / 2), [(0.0, 0.0), (width, 0.0), (width, length), (0.0, length)]


def _half_cone(outline: tuple[tuple[float, float], ...] | None, count: int) -> Pitch:
    def layout(box: SheetBox, values: Values) -> Layout:
        return _cone_layout(
            *(_cone_points(outline) if outline else _half_rectangle(box)), values
        )

    def limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
        return (
            limit_by_trying(
                layout,
                box,
                values,
                "height",
                0.2,
                max(box),
                "the hem does not reach the ground all round",
            ),
        )

    pattern = _cone_pattern(count)
    outwards = tuple(
        sorted(pattern.points[1:], key=lambda q: abs(int(q[1:]) - (count - 1) / 2))
    )
    return Pitch(
        slug="half-cone",
        name="Half cone",
        also_known_as=("gored half tent",),
        family=Family.WEDGE,
        summary=(
            "Gores falling from one peak to stakes round the bed, open to the front. A cut "
            "half "
            "round does best."
        ),
        settings=(
            Setting(
                "height",
                "m",
                0.4,
                2.5,
                1.2,
                "height of the peak above the ground",
                "Peak height",
            ),
        ),
        pattern=pattern,
        anchors=anchors("P", pattern.points[1:]),
        pull=PullSide.LONE,
        layout=layout,
        limits=limits,
        steps=(
            Step(
                "Look up for dead branches, and clear the ground of stones and sticks. The "
                "round back goes to the wind."
            ),
            Step("Rig the peak {P} at {height} on a support in front, or a pole."),
            Step(
                (
                    "Stake the hem round the back from the middle outwards, each so far from the "
                    "foot of the peak: "
                )
                + ", ".join(f"{{{q}}} at {{P-{q}}}" for q in outwards)
                + ".",
                outwards,
            ),
            Step("Go round once more until no gore is slack."),
        ),
        minutes=6,
        suits=Suits(first=("cold-fire", "steady-rain"), fair=("storm", SNOW, "fixed-camp")),
        faults=("A gore is slack: its two stakes stand too near each other.",),
        outlined=_cone_for,
        moves=(
            Move(
                "half-cone",
                "Lower the peak",
                (
                    "Slip the peak down.",
                    "Move the stakes out from the middle of the back to the front.",
                    ROUND,
                ),
                4.0,
            ),
        ),
    )


def _cone_for(outline: tuple[tuple[float, float], ...]) -> Pitch | None:
    """The half cone of a shaped outline, whose every corner sees the peak; None when one does
    not.
    """
    apex, rim = _cone_points(outline)
    cloth = Polygon(outline).buffer(1e-6)
    if len(rim) < 3 or not all(cloth.covers(LineString([apex, p])) for p in rim):
        return None
    return _half_cone(outline, len(rim))


HALF_CONE: Final = _half_cone(None, 4)
