"""Against a boat on its side: the sheet staked behind it, over the hull, and out in front."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches.base import (
    NARROWEST_SPAN_M,
    TURN,
    Anchor,
    Family,
    Hold,
    Limit,
    Pitch,
    PullSide,
    Setting,
    SheetBox,
    Sought,
    Step,
    Values,
    anchors,
    foot_reach,
    root,
    turned_box,
)
from tarvik.core.pitches.geometry import across, furthest_meeting, laid_out, limit_by_trying
from tarvik.core.pitches.move import Move
from tarvik.core.pitches.suits import SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Layout, Place

_HULL: Final = Setting(
    "hull",
    "m",
    0.4,
    1.4,
    0.8,
    "height of the hull's upper edge, the boat on its side",
    "Hull height",
    sought=Sought.ALSO,
)
_BEHIND: Final = Setting(
    "behind",
    "m",
    0.45,
    3.0,
    1.0,
    "how much of the sheet goes down behind the hull to the stakes",
    "Sheet behind the hull",
    sought=Sought.ALSO,
)
_PROP: Final = Step(
    "Lay the boat on its side, its bottom to the wind; prop it with two paddles or its own "
    "lines at "
    "{hull} and rock "
    "it by hand: it must not move."
)
_CARRIERS: Final = ("boat", "vehicle", "fence")

_PORCH: Final = Pattern(
    ("H", "I", "F", "A", "B", "R1", "R2", "R3", "R4", "R5"),
    (
        Panel("rear", Role.WALL, ("H", "I", "R5", "R4", "R3", "R2", "R1")),
        Panel("front", Role.ROOF, ("H", "F", "I")),
        Panel("left end", Role.AWNING, ("H", "A", "F")),
        Panel("right end", Role.AWNING, ("I", "F", "B")),
    ),
)


def _rear(
    back: np.ndarray, length: np.ndarray, zero: np.ndarray
) -> tuple[dict[str, Place], dict[str, Place]]:
    """The straight row of five stakes behind the hull, in the world and on the sheet."""
    world: dict[str, Place] = {
        f"R{k + 1}": (back, length * (0.5 - k / 4), zero) for k in range(5)
    }
    flat: dict[str, Place] = {f"R{k + 1}": (zero, length * (k / 4)) for k in range(5)}
    return world, flat


def _porch_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: a flat panel down behind; in front a triangle from the hull's ends to the middle
    of the front edge; the two front corners turned down about its sides until they stand at the
    ends' height.
    """
    width, length = turned_box(box, values)
    hull, behind, front, end = (
        values["hull"],
        values["behind"],
        values["height"],
        values["ends"],
    )
    zero, half = np.zeros_like(hull), length / 2
    out = width - behind
    reach = foot_reach(out, front - hull)
    back = foot_reach(behind, hull)
    reach = np.where(np.isnan(reach) & (np.abs(front - hull) < 1e-9), out, reach)
    square, far = root(out**2 - (end - hull) ** 2), root(half**2 - (front - end) ** 2)
    ax, ay = furthest_meeting(zero, half, square, -reach, zero, far, (0.0, 1.0))
    world, flat = _rear(back, length, zero)
    world |= {
        "H": (zero, half, hull),
        "I": (zero, -half, hull),
        "F": (-reach, zero, front),
        "A": (ax, ay, end),
        "B": (ax, -ay, end),
    }
    flat |= {
        "H": (behind, zero),
        "I": (behind, length),
        "F": (width, half),
        "A": (width, zero),
        "B": (width, length),
    }
    ok = (out >= NARROWEST_SPAN_M) & (ax < 0) & (ay > 0)
    return laid_out(_PORCH, hull.size, across(values, flat), world, ok)


def _porch_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit(
            "behind",
            width - NARROWEST_SPAN_M,
            "it leaves nothing in front of the hull",
            np.hypot(values["hull"], NARROWEST_SPAN_M),
        ),
        limit_by_trying(
            _porch_layout,
            box,
            values,
            "height",
            0.5,
            3.0,
            "the front edge does not come so high",
        ),
        limit_by_trying(
            _porch_layout,
            box,
            values,
            "ends",
            0.0,
            3.0,
            "the ends do not come there with the middle so high",
        ),
    )


BOAT_PORCH: Final = Pitch(
    slug="boat-porch",
    name="Boat porch",
    also_known_as=("lunch fly", "hull lean-to"),
    family=Family.BOAT,
    summary="Staked in a straight row behind a boat on its side, over the hull, the front edge on "
    "poles: middle "
    "high, ends low.",
    settings=(
        Setting(
            "height",
            "m",
            0.8,
            2.4,
            1.6,
            "height of the middle of the front edge",
            "Front middle height",
        ),
        Setting(
            "ends",
            "m",
            0.2,
            2.2,
            1.1,
            "height of the two front corners",
            "Front corners' height",
            sought=Sought.ALSO,
        ),
        _HULL,
        _BEHIND,
        TURN,
    ),
    pattern=_PORCH,
    anchors=anchors("HI", ("R1", "R2", "R3", "R4", "R5"), "front guy", ("F", "A", "B")),
    pull=PullSide.FRONT_EDGE,
    layout=_porch_layout,
    limits=_porch_limits,
    steps=(
        _PROP,
        Step(
            (
                "Stake the rear edge in a straight row of five, {R1} to {R5}, behind the hull, "
                "{R1-R5} long."
            ),
            ("R1", "R2", "R3", "R4", "R5"),
        ),
        Step(
            "Draw the sheet over the hull to {H} and {I}, and raise the middle of the front "
            "edge {F} on an upright pole to "
            "{height}, {F-H} from the hull's end."
        ),
        Step(
            "Set the front corners {A} and {B} at {ends}, the weather end lower; guy all "
            "three poles."
        ),
        Step("Leave a way past the guys, and mark them."),
    ),
    minutes=5,
    suits=Suits(first=("lunch",), never=("storm", SNOW)),
    faults=(
        "The boat rocks: set its paddles wider and tie it to a stake on the far side.",
        "Water gathers behind the hull: pull the middle of the front edge higher.",
    ),
    carried_by=_CARRIERS,
    moves=(
        Move(
            "boat-night",
            "Stake the front and raise a line over the middle",
            (
                "Take the front poles away.",
                (
                    "Run a line from the middle of the hull to one pole in front and lay the sheet "
                    "over it."
                ),
                "Stake the front corners and stuff the gaps under the hull's ends.",
            ),
            6.0,
            keeps=("hull",),
        ),
    ),
)

_NIGHT: Final = Pattern(
    ("H", "K", "A", "B", "R1", "R2", "R3", "R4", "R5"),
    (
        Panel("rear", Role.WALL, ("H", "R5", "R4", "R3", "R2", "R1")),
        Panel("left end", Role.WALL, ("H", "R1", "A")),
        Panel("right end", Role.WALL, ("H", "B", "R5")),
        Panel("left roof", Role.ROOF, ("H", "A", "K")),
        Panel("right roof", Role.ROOF, ("H", "K", "B")),
    ),
)


def _night_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: over the middle of the hull the sheet is highest; rear row, ends and front
    corners are on the ground, and the line from the hull to the front pole carries the crease H-K.
    """
    width, length = turned_box(box, values)
    hull, behind = values["hull"], values["behind"]
    zero, half = np.zeros_like(hull), length / 2
    back = foot_reach(behind, hull)
    out = width - behind
    ax, ay = furthest_meeting(
        back, half, width, zero, zero, root(out**2 + half**2 - hull**2), (-1.0, 0.0)
    )
    # K in the middle plane: from the hull's middle and from the corner.
    kx, kz = furthest_meeting(zero, hull, out, ax, zero, root(half**2 - ay**2), (0.0, 1.0))
    world, flat = _rear(back, length, zero)
    world |= {
        "H": (zero, zero, hull),
        "K": (kx, zero, kz),
        "A": (ax, ay, zero),
        "B": (ax, -ay, zero),
    }
    flat |= {
        "H": (behind, half),
        "K": (width, half),
        "A": (width, zero),
        "B": (width, length),
    }
    ok = (out >= NARROWEST_SPAN_M) & (ax < 0) & (ay > 0) & (kz > 0) & (kx < 0)
    return laid_out(_NIGHT, hull.size, across(values, flat), world, ok)


def _night_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    return (
        limit_by_trying(
            _night_layout,
            box,
            values,
            "behind",
            0.45,
            3.0,
            "the front corners do not come to the ground",
        ),
        limit_by_trying(
            _night_layout,
            box,
            values,
            "hull",
            0.2,
            2.0,
            "the front corners do not come to the ground",
        ),
    )


BOAT_NIGHT: Final = Pitch(
    slug="boat-night",
    name="Boat shelter for the night",
    also_known_as=("hull wedge",),
    family=Family.BOAT,
    summary=(
        "Over the middle of a boat on its side, all round on the ground, a raised line from "
        "the "
        "hull to a front pole."
    ),
    settings=(
        Setting(
            "hull",
            "m",
            0.4,
            1.4,
            0.9,
            "height of the hull's upper edge, the boat on its side",
            "Hull height",
        ),
        Setting(
            "behind",
            "m",
            0.45,
            3.0,
            1.2,
            "how much of the sheet goes down behind the hull to the stakes",
            "Sheet behind the hull",
        ),
        TURN,
    ),
    pattern=_NIGHT,
    anchors=(
        *anchors("H", ("A", "B", "R1", "R2", "R3", "R4", "R5")),
        Anchor("K", Hold.FLOWN, "front guy"),
    ),
    pull=PullSide.LONE,
    layout=_night_layout,
    limits=_night_limits,
    steps=(
        _PROP,
        Step(
            (
                "Stake the rear edge in a straight row of five, {R1} to {R5}, behind the hull, "
                "{R1-R5} long."
            ),
            ("R1", "R2", "R3", "R4", "R5"),
        ),
        Step(
            "Run a line from the hull's middle {H} to a front pole at {K} and lay the sheet "
            "over it."
        ),
        Step(
            (
                "Stake the front corners {A} and {B}: {A-R1} from the ends of the row, {A-H} "
                "from the hull's middle."
            ),
            ("A", "B"),
        ),
        Step("Stuff the gaps under the hull's ends with bags, and leave air at the front."),
    ),
    minutes=10,
    suits=Suits(fair=("storm", "steady-rain"), never=("fair-view", "shade")),
    faults=(
        "It presses on who lies there: raise the front pole and take the corners in.",
        "Wind comes under the hull's ends: more bags.",
    ),
    carried_by=_CARRIERS,
)
