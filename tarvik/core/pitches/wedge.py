"""Wedges: square sheets folded round a bed, closed on three sides or all round."""

from __future__ import annotations

from typing import Final

import numpy as np

from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role
from tarvik.core.pitches.base import (
    DEGREES,
    Anchor,
    Family,
    Hold,
    Limit,
    Pitch,
    PullSide,
    Setting,
    SheetBox,
    Step,
    Values,
    anchors,
    root,
)

SQUARE_M: Final = 0.02
"""Sides that differ by no more than this make a square."""

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
    """Closed form. The roof is a rectangle of width a sqrt 2 and length (S - a) sqrt 2 between the ridge A-B and the rear "
    "stakes
    E-F; each side triangle has two sides of S - a, so its corner lies where two circles of that radius meet on the ground."""
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
    ok = (gx > 0) & (nose[1] >= 0) & (depth > half) & (abs(box[0] - box[1]) <= SQUARE_M)
    places = [
        (zero, -half, h), (zero, half, h), (depth, -half, zero), (depth, half, zero), (gx, -gy, zero), (gx, gy, zero),
        (nose[0], zero, nose[1]), (depth - half, zero, zero),
    ]  # fmt: skip
    start = np.stack([np.stack(p, axis=-1) for p in places], axis=1)
    start[~ok] = np.nan
    full = np.full_like(a, s)
    flat = [(a, zero), (zero, a), (full, rest), (rest, full), (full, zero), (zero, full), (zero, zero), (full, full)]
    uv = np.stack([np.stack(p, axis=-1) for p in flat], axis=1)
    held = np.zeros((8, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_WRAP, uv, start, held)


def _wrap_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    s = _side(box)
    rest = s - values["inset"]
    square = np.full_like(rest, np.nan if abs(box[0] - box[1]) > SQUARE_M else 1.0)
    awning = np.degrees(np.arcsin(np.clip(values["height"] * np.sqrt(2) / values["inset"], -1, 1)))
    return (
        Limit(
            "height", rest * 0.999 * square, "the sheet must be square (fold it to one), and the sides must reach the ground"
        ),
        Limit("inset", np.full_like(rest, s / 2), "it leaves too little roof"),
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
    summary="A short ridge across one corner of a square, roof behind, a wall on each hand: open to a fire in front.",
    settings=(
        Setting("height", "m", 0.4, 2.5, 1.3, "height of the ridge above the ground", "Ridge height"),
        Setting("inset", "m", 0.3, 1.5, 0.76, "distance from the front corner to the ridge ties along the edges",
            "Ridge ties in from the corner"),
        Setting("awning", DEGREES, -30, 90, 20, "how far the front corner falls from level; 90 hangs down", "Awning falls by",
            step=1,
                searched=False),
    ),
    pattern=_WRAP,
    anchors=(*anchors("AB", "EFGH", "awning guy", "O"), Anchor("K", Hold.FREE)),
    pull=PullSide.RIDGE_LINE,
    layout=_wrap_layout,
    limits=_wrap_limits,
    steps=(
        Step("Look up for dead branches, and clear the ground. The front corner goes away from the wind, the ridge across "
            "it."),
        Step("Tie the ridge points {A} and {B}, {A-B} apart, to a line or two supports at {height}."),
        Step("Stake the rear at {E} and {F}, {E-F} apart, {A-E} behind the foot of the ridge; fold the rear corner in "
            "between as a floor.", ("E", "F")),
        Step("Pull the side corners {G} and {H} out and stake them {A-G} from the foot of the ridge.", ("G", "H")),
        Step("Guy the front corner {O} out as an awning, or let it hang. A fire sits one long step in front, off to one "
            "side."),
    ),
    minutes=6,
    faults=("A wall flaps: its corner stands too near the ridge. Measure both distances again.",
            "The roof folds from ridge tie to rear stake: the rear stakes stand too far apart."),
)  # fmt: skip
