"""The lean-to folded in half: floor below, roof above, its side strips brought down as walls."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches.base import (
    TURN,
    Family,
    Limit,
    Pitch,
    PullSide,
    Setting,
    SheetBox,
    Step,
    Values,
    anchors,
    foot_reach,
    free,
    root,
    turned_box,
)
from tarvik.core.pitches.geometry import across, laid_out, limit_by_trying, mirrored
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import POLES, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Layout, Place

FRONT_LEAST_M: Final = constant(
    "walled_front",
    0.6,
    "m",
    ENGINEERING,
    "narrowest front between the poles of a lean-to with walls: a way in",
)
_WALLED: Final = Pattern(
    ("P", "Q", "X", "Y", "U", "V", "O", "N", "G", "H", "F", "K"),
    (
        Panel("roof", Role.ROOF, ("P", "Q", "V", "Y", "X", "U")),
        Panel("left", Role.WALL, ("P", "U", "O")),
        Panel("right", Role.WALL, ("Q", "N", "V")),
        Panel("floor", Role.FLOOR, ("U", "G", "H", "V", "Y", "X")),
        Panel("left tuck", Role.FLOOR, ("U", "G", "F")),
        Panel("right tuck", Role.FLOOR, ("V", "K", "H")),
    ),
)


def _layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. The crease P-U from each pole to the end of the fold lets the strip beyond come
    down as a wall; its corner O stands where two circles meet, and the floor's corner outside the
    wall's hem is tucked under along it.
    """
    width, length = turned_box(box, values)
    h, a = values["height"], values["inset"]
    zero, half = np.zeros_like(h), width / 2
    d = foot_reach(half, h)
    c = a**2 - h**2
    n2 = d**2 + a**2
    s = root(c * n2 - c**2)
    ox, oy = (
        (d * c - a * s) / n2,
        (a * c + d * s) / n2,
    )  # off the pole's foot: back, and outwards
    share = half / (d - ox)  # how far along the hem the floor's front edge is met
    inwards = (a - oy) * share
    y = length / 2 - a  # of the left pole
    tip = mirrored(d - half, y + a, d, y + a, ox - d, oy - a)
    front = d - half
    world: dict[str, Place] = {
        "P": (zero, y, h),
        "X": (d, y, zero),
        "U": (d, y + a, zero),
        "O": (ox, y + oy, zero),
        "G": (front, y + a - inwards, zero),
        "F": (*tip, zero),
    }
    for one, other in zip("PXUOGF", "QYVNHK", strict=True):
        x, yy, z = world[one]
        world[other] = (x, -yy, z)
    flat: dict[str, Place] = {
        "P": (zero, a),
        "X": (half, a),
        "U": (half, zero),
        "O": (zero, zero),
        "G": (width, inwards),
        "F": (width, zero),
    }
    for one, other in zip("PXUOGF", "QYVNHK", strict=True):
        flat[other] = (flat[one][0], length - flat[one][1])
    ok = (
        (c > 0)
        & (y >= FRONT_LEAST_M / 2)
        & (inwards > 0)
        & (inwards < length / 2)
        & (oy > 0)
        & (d > ox)
    )
    return laid_out(_WALLED, h.size, across(values, flat), world, ok)


def _limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, length = turned_box(box, values)
    why = "the front corners do not come down to the ground: no higher than the poles are set in"
    return (
        limit_by_trying(_layout, box, values, "height", 0.1, width.max() / 2, why),
        Limit("inset", (length - FRONT_LEAST_M) / 2, "it leaves no roof between the walls"),
    )


LEAN_TO_WALLED: Final = Pitch(
    slug="lean-to-walled",
    name="Lean-to with walls",
    also_known_as=("three-sided lean-to", "folded half shelter"),
    family=Family.LEAN_TO,
    summary=(
        "Folded in half at the back: floor below, roof above on two front poles, side strips "
        "down as walls."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            1.6,
            0.7,
            "height of the front edge above the ground",
            "Front height",
        ),
        Setting(
            "inset",
            "m",
            0.4,
            1.8,
            0.85,
            "how far the poles and the fold's stakes are set in from the sides",
            "Poles set in",
        ),
        TURN,
    ),
    pattern=_WALLED,
    anchors=(*anchors("PQ", "XYUVON"), *free("G", "H", "F", "K")),
    pull=PullSide.FRONT_EDGE,
    layout=_layout,
    limits=_limits,
    steps=(
        Step(
            "Clear the ground of stones and sticks. Fold the sheet in half, the fold towards "
            "the wind."
        ),
        Step(
            "Stake the fold at {X} and {Y}, {X-Y} apart, and at its ends {U} and {V}.",
            ("X", "Y", "U", "V"),
        ),
        Step(
            "Raise the upper edge on two poles at {P} and {Q}, {height} high and {P-X} in "
            "front of the fold."
        ),
        Step(
            "Bring the front corners {O} and {N} round and down: stake them {O-P} from the "
            "pole's foot, {O-U} from the end "
            "of the fold.",
            ("O", "N"),
        ),
        Step(
            "Tuck the floor's corners under along the walls, so that no floor shows outside."
        ),
    ),
    minutes=10,
    suits=Suits(well=("cold-fire", POLES), fair=("storm", "steady-rain")),
    faults=(
        "A wall bellies: its corner stands too near the pole. Measure both distances again.",
        "Water on the floor: a corner of it shows outside the wall. Tuck it under.",
    ),
    moves=(
        Move(
            "lean-to-walled",
            "Lower the poles",
            (
                "Shorten both front poles alike.",
                "Move the front corners out until the walls are tight.",
                ROUND,
            ),
            4.0,
            keeps=("inset", "turn"),
        ),
    ),
)
