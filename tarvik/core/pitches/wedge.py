"""Wedges: square sheets folded round a bed, closed on three sides or all round."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role, stacked
from tarvik.core.pitches.base import (
    DEGREES,
    Anchor,
    Family,
    Hold,
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
    root,
)
from tarvik.core.pitches.geometry import circles, laid_out, limit_by_trying, point
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import POLES, Suits
from tarvik.core.plane import cross

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats, Place

_WRAP: Final = Pattern(
    ("A", "B", "E", "F", "G", "H", "O", "K"),
    (
        Panel("roof", Role.ROOF, ("A", "B", "F", "E")),
        Panel("right", Role.WALL, ("A", "E", "G")),
        Panel("left", Role.WALL, ("B", "H", "F")),
        Panel("awning", Role.AWNING, ("O", "B", "A")),
        Panel("floor", Role.FLOOR, ("E", "F", "K")),
    ),
)


def _side(box: SheetBox) -> float:
    """Side of the largest square of the sheet."""
    return min(box)


def _wrap_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. The roof is a rectangle of width a sqrt 2 and length (S - a) sqrt 2 between the
    ridge A-B and the rear " "stakes E-F; each side triangle has two sides of S - a, so its corner
    lies where two circles of that radius meet on the ground.
    """
    s = _side(box)
    a, h = values["inset"], values["height"]
    zero = np.zeros_like(h)
    rest = s - a
    half = a / np.sqrt(2)
    depth = root(2 * rest**2 - h**2)
    gx = (depth**2 - h**2) / (2 * depth)
    gy = half + root(rest**2 - h**2 - gx**2)
    fall = np.radians(values["awning"])
    nose = (-half * np.cos(fall), h - half * np.sin(fall))
    ok = (gx > 0) & (nose[1] >= 0) & (depth > half)
    places = [
        (zero, -half, h),
        (zero, half, h),
        (depth, -half, zero),
        (depth, half, zero),
        (gx, -gy, zero),
        (gx, gy, zero),
        (nose[0], zero, nose[1]),
        (depth - half, zero, zero),
    ]
    start = stacked(places, h.size)
    start[~ok] = np.nan
    full = np.full_like(a, s)
    flat = [
        (a, zero),
        (zero, a),
        (full, rest),
        (rest, full),
        (full, zero),
        (zero, full),
        (zero, zero),
        (full, full),
    ]
    uv = stacked(flat, h.size)
    held = np.zeros((8, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_WRAP, uv, start, held)


def _wrap_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    s = _side(box)
    awning = np.degrees(
        np.arcsin(np.clip(values["height"] * np.sqrt(2) / values["inset"], -1, 1))
    )
    return (
        limit_by_trying(
            _wrap_layout, box, values, "height", 0.1, s, "the sides do not reach the ground"
        ),
        limit_by_trying(
            _wrap_layout, box, values, "inset", 0.05, s, "it leaves too little roof"
        ),
        Limit(
            "awning",
            np.where(values["height"] * np.sqrt(2) >= values["inset"], 90.0, awning),
            "the awning would reach into the ground",
        ),
    )


CORNER_WRAP: Final = Pitch(
    slug="corner-wrap",
    name="Corner wrap",
    also_known_as=("three-walled wedge",),
    family=Family.WEDGE,
    summary=(
        "A short ridge across one corner of a square, roof behind, a wall on each hand: open "
        "to "
        "a fire in front."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.4,
            2.5,
            1.3,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting(
            "inset",
            "m",
            0.3,
            1.5,
            0.76,
            "distance from the front corner to the ridge ties along the edges",
            "Ridge ties in from the corner",
        ),
        Setting(
            "awning",
            DEGREES,
            -30,
            90,
            20,
            "how far the front corner falls from level; 90 hangs down",
            "Awning falls by",
            step=1,
            sought=Sought.ALSO,
        ),
    ),
    pattern=_WRAP,
    anchors=(*anchors("AB", "EFGH", "awning guy", "O"), Anchor("K", Hold.FREE)),
    pull=PullSide.RIDGE_LINE,
    layout=_wrap_layout,
    limits=_wrap_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground. The front corner goes away from "
            "the wind, the ridge across "
            "it."
        ),
        Step(
            "Tie the ridge points {A} and {B}, {A-B} apart, to a line or two supports at {height}."
        ),
        Step(
            "Stake the rear at {E} and {F}, {E-F} apart, {A-E} behind the foot of the ridge; "
            "fold the rear corner in "
            "between as a floor.",
            ("E", "F"),
        ),
        Step(
            (
                "Pull the side corners {G} and {H} out and stake them {A-G} from the foot of the "
                "ridge."
            ),
            ("G", "H"),
        ),
        Step(
            "Guy the front corner {O} out as an awning, or let it hang. A fire sits one long "
            "step in front, off to one "
            "side."
        ),
    ),
    minutes=6,
    suits=Suits(
        first=("cold-fire",),
        fair=("storm", "steady-rain", "fixed-camp"),
        never=("warm-insects",),
    ),
    shape=Shape.SQUARE,
    faults=(
        "A wall flaps: its corner stands too near the ridge. Measure both distances again.",
        "The roof folds from ridge tie to rear stake: the rear stakes stand too far apart.",
    ),
    moves=(
        Move(
            "corner-wrap",
            "Let the awning hang down in front",
            (
                "Untie the awning's guy and let the corner hang.",
                "Lower the ridge, both ends alike, and move the side corners out.",
                ROUND,
            ),
            3.0,
            keeps=("inset",),
            sets=(("awning", 80.0),),
        ),
    ),
)


_AWNING_WEDGE: Final = Pattern(
    ("O", "B", "M", "T", "Q1", "Q2", "K"),
    (
        Panel("floor", Role.FLOOR, ("O", "B", "M")),
        Panel("left", Role.WALL, ("M", "T", "Q1")),
        Panel("roof", Role.ROOF, ("M", "Q1", "Q2")),
        Panel("right", Role.WALL, ("M", "Q2", "B")),
        Panel("awning", Role.AWNING, ("Q1", "K", "Q2")),
    ),
)
STAKED_DOOR: Final = 1


def _awning_wedge_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form, circle by circle: Q2 about B and M at its pole's height, Q1 about M and Q2 at
    its own, T about M and Q1 on the ground; the corner K turns about Q1-Q2. Worked in (p, q): p
    along the floor's front edge O-B, q to the back.
    """
    s = _side(box)
    a, h1, h2 = values["tie"], values["pole"], values["pole_far"]
    zero = np.zeros_like(a)
    rest = s - a
    mp, mq = zero, zero + s / 2
    m_q2, m_q1 = np.hypot(s, rest - s / 2), np.hypot(rest, s / 2)
    p2, q2 = circles(
        zero + s, zero, root(rest**2 - h2**2), mp, mq, root(m_q2**2 - h2**2), 1.0
    )
    pole_gap = root(2 * a**2 - (h1 - h2) ** 2)
    p1, q1 = circles(mp, mq, root(m_q1**2 - h1**2), p2, q2, pole_gap, -1.0)
    pt, qt = circles(mp, mq, zero + s / 2, p1, q1, root(rest**2 - h1**2), -1.0)
    one, two = point(p1, q1, h1), point(p2, q2, h2)
    axis = (two - one) / np.linalg.norm(two - one, axis=1, keepdims=True)
    out = cross(axis, np.array([0.0, 0.0, 1.0]))
    out = out / np.linalg.norm(out, axis=1, keepdims=True)  # level, away from M
    back = point(mp, mq, zero) - one
    out = np.where(((out * back).sum(axis=1) > 0)[:, None], -out, out)
    rise = cross(out, axis)
    rise = np.where((rise[:, 2] < 0)[:, None], -rise, rise)
    arm, middle = (a / np.sqrt(2))[:, None], (one + two) / 2
    staked = np.arcsin(
        np.where(
            middle[:, 2] <= arm[:, 0] * rise[:, 2],
            middle[:, 2] / (arm[:, 0] * rise[:, 2]),
            np.nan,
        )
    )
    fall = np.where(values["door"] == STAKED_DOOR, staked, np.radians(values["awning"]))[
        :, None
    ]
    corner = middle + arm * (np.cos(fall) * out - np.sin(fall) * rise)
    places: dict[str, tuple[Floats, Floats, Floats]] = {
        "O": (zero, zero, zero),
        "B": (zero + s, zero, zero),
        "M": (mp, mq, zero),
        "T": (pt, qt, zero),
        "Q1": (p1, q1, h1),
        "Q2": (p2, q2, h2),
        "K": (corner[:, 0], corner[:, 1], corner[:, 2]),
    }
    world: dict[str, Place] = {
        name: (q, -np.asarray(p), z) for name, (p, q, z) in places.items()
    }  # the front, -q, faces -x
    flat: dict[str, Place] = {
        "O": (0.0, 0.0),
        "B": (s, 0.0),
        "M": (0.0, s / 2),
        "T": (0.0, s),
        "Q1": (rest, zero + s),
        "Q2": (zero + s, rest),
        "K": (s, s),
    }
    ok = (corner[:, 2] >= -1e-9) & (rest >= s / 2)
    return laid_out(_AWNING_WEDGE, a.size, flat, world, ok)


def _awning_wedge_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    s = _side(box)
    return (
        limit_by_trying(
            _awning_wedge_layout,
            box,
            values,
            "pole",
            0.3,
            s,
            "the fold does not close with the other pole",
        ),
        limit_by_trying(
            _awning_wedge_layout,
            box,
            values,
            "pole_far",
            0.3,
            s,
            "the fold does not close with the other pole",
        ),
        limit_by_trying(
            _awning_wedge_layout,
            box,
            values,
            "tie",
            0.1,
            s / 2,
            "it leaves too little roof",
        ),
        limit_by_trying(
            _awning_wedge_layout,
            box,
            values,
            "awning",
            -30,
            90,
            "the awning would reach into the ground",
        ),
        limit_by_trying(
            _awning_wedge_layout,
            box,
            values,
            "door",
            0,
            1,
            "the corner does not reach the ground",
        ),
    )


AWNING_WEDGE: Final = Pitch(
    slug="awning-wedge",
    name="Awning wedge",
    also_known_as=("two-pole wedge with floor",),
    family=Family.WEDGE,
    summary=(
        "Half a side is the floor, two poles carry the roof, a corner flies as an awning or "
        "is "
        "staked down as a door."
    ),
    settings=(
        Setting(
            "pole", "m", 0.6, 2.0, 1.45, "height of the pole on the open side", "First pole"
        ),
        Setting(
            "pole_far",
            "m",
            0.4,
            2.0,
            1.15,
            "height of the pole on the closed side",
            "Second pole",
        ),
        Setting(
            "tie",
            "m",
            0.3,
            1.6,
            1.016,
            "distance from the awning's corner to the poles' tie-outs along the edges",
            "Poles from the corner",
            sought=Sought.ALSO,
        ),
        Setting(
            "awning",
            DEGREES,
            -30,
            90,
            10,
            "how far the awning falls from level",
            "Awning falls by",
            step=1,
            sought=Sought.ALSO,
        ),
        Setting(
            "door",
            "0 or 1",
            0,
            1,
            0,
            "0: the corner flies as an awning; 1: staked down as a door",
            "Front corner",
            sought=Sought.NEVER,
            words=("flown as an awning", "staked down as a door"),
            shut_at=STAKED_DOOR,
        ),
    ),
    pattern=_AWNING_WEDGE,
    anchors=anchors(("Q1", "Q2"), ("O", "B", "M", "T"), "awning guy", ("K",)),
    pull=PullSide.RIDGE_LINE,
    layout=_awning_wedge_layout,
    limits=_awning_wedge_limits,
    steps=(
        Step(
            "Clear the ground of stones and sticks. The floor's back edge goes to the wind."
        ),
        Step(
            "Stake the floor flat: {O} and {B} in front, {O-B} apart, {M} half a side behind {O}.",
            ("O", "B", "M"),
        ),
        Step(
            (
                "Bring the corner {T} round to the front and stake it {O-T} from {O} and {M-T} "
                "from {M}."
            ),
            ("T",),
        ),
        Step(
            "Set the first pole at {Q1} to {pole}, {Q1-T} from {T}, and the second at {Q2} to "
            "{pole_far}, {B-Q2} from {B}; "
            "guy both outwards."
        ),
        Step(
            "Fly the corner {K} as an awning, or stake it down as a door when the weather turns."
        ),
    ),
    minutes=8,
    suits=Suits(
        first=("cold-fire",), well=(POLES,), fair=("storm", "steady-rain", "fair-view")
    ),
    faults=(
        "Cloth slack between the poles: the first corner stands too near the floor. Lengthen "
        "the gap, or raise the second "
        "pole.",
    ),
    shape=Shape.SQUARE,
    carried_by=("pole", "stick", "forked stick", "tree", "bipod", "tripod", "branch"),
    moves=(
        Move(
            "awning-wedge",
            "Stake the corner down as a door",
            (
                "Untie the awning's guy.",
                "Bring the corner down and stake it on the ground in front.",
            ),
            2.0,
            keeps=("pole", "pole_far", "tie"),
            sets=(("door", 1.0),),
        ),
    ),
)
