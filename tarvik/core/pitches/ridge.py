"""Ridge pitches: the sheet over a ridge line, a side down on each hand."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import constant
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role, stacked
from tarvik.core.pitches.base import (
    DEGREES,
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
    most_height,
    place_uv,
    turned_box,
)
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import POLES, SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats

PORCH_LEAST_DEG: Final = constant(
    "porch_least",
    5.0,
    "degrees",
    "common practice",
    "a flown edge is never nearer to level than this",
)
_A_FRAME: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D"),
    (
        Panel("left", Role.ROOF, ("A", "B", "Q", "P")),
        Panel("right", Role.ROOF, ("P", "Q", "D", "C")),
    ),
)


def _a_frame_layout(box: SheetBox, values: Values) -> Layout:
    width, length = turned_box(box, values)
    crease = width / 2 + values["offset"]
    height, zero = values["height"], np.zeros_like(width)
    left, right = foot_reach(crease, height), foot_reach(width - crease, height)
    uv = place_uv(
        values,
        [crease, crease, zero, zero, width, width],
        [zero, length, zero, length, zero, length],
    )
    x = [zero, length, zero, length, zero, length]
    y = [zero, zero, left, left, -right, -right]
    z = [height, height, zero, zero, zero, zero]
    start = stacked(list(zip(x, y, z, strict=True)), width.size)
    held = np.zeros((6, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_A_FRAME, uv, start, held)


def _a_frame_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    shorter = width / 2 - np.abs(values["offset"])
    return (
        Limit(
            "height",
            most_height(shorter),
            "the shorter side of the sheet does not reach the ground",
        ),
    )


A_FRAME: Final = Pitch(
    slug="a-frame",
    name="A-frame",
    also_known_as=("ridge tent", "two-sided ridge"),
    family=Family.RIDGE,
    summary=(
        "Sheet over a ridge between two supports, both long edges staked to the ground. Open "
        "at "
        "the two ends."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.0,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting(
            "offset",
            "m",
            -0.6,
            0.6,
            0.0,
            "how far the crease lies from the middle of the sheet",
            "Crease off the middle",
            sought=Sought.ALSO,
        ),
        TURN,
    ),
    pattern=_A_FRAME,
    anchors=anchors("PQ", "ABCD"),
    pull=PullSide.RIDGE_LINE,
    layout=_a_frame_layout,
    limits=_a_frame_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground of stones and sticks. A closed side "
            "goes to the wind, never an open end."
        ),
        Step(
            "Rig the ridge at {height}: fixed knot at one support, tensioning hitch at the "
            "other. Hang the sheet over it "
            "with the crease on the line and hold both ends of the ridge out."
        ),
        Step(
            "Stake the weather side first, corners {A} and {B}: {A-B} apart, {A-P} out from "
            "the foot of the ridge end. "
            "Set the stakes loosely.",
            ("A", "B"),
        ),
        Step(
            (
                "Stake the other side, corners {C} and {D}: {A-C} from {A} to {C} across, {A-D} "
                "corner to corner."
            ),
            ("C", "D"),
        ),
        Step(
            "Pull each corner along the line it points, drive the stakes with their tops "
            "leaning away, tighten the ridge, "
            "then go round once more."
        ),
    ),
    minutes=5,
    suits=Suits(
        first=("storm", "steady-rain", SNOW, POLES),
        well=("warm-insects", "fixed-camp"),
        plain=True,
    ),
    faults=(
        (
            "A fold from corner to ridge: one stake is off the line its corner points along. "
            "Move that stake, not its neighbour."
        ),
        "Both ends flap: the ridge is slack. Tighten it before touching the stakes.",
    ),
    moves=(
        Move(
            "a-frame",
            "Lower the ridge",
            (
                "Slacken the side stakes' loops, lower both ridge ends alike.",
                "Move the stakes of both sides out, weather side first.",
                ROUND,
            ),
            4.0,
            keeps=("turn",),
        ),
    ),
)


_PORCH: Final = Pattern(
    _A_FRAME.points, (_A_FRAME.panels[0], Panel("porch", Role.AWNING, ("P", "Q", "D", "C")))
)


def _spread_layout(
    box: SheetBox, values: Values, left: tuple[Floats, Floats], right: tuple[Floats, Floats]
) -> Layout:
    """A ridge over the middle of the sheet; each side's edge at (level distance, height)."""
    width, length = turned_box(box, values)
    half, zero = width / 2, np.zeros_like(width)
    uv = place_uv(
        values,
        [half, half, zero, zero, width, width],
        [zero, length, zero, length, zero, length],
    )
    x = [zero, length, zero, length, zero, length]
    y = [zero, zero, left[0], left[0], -right[0], -right[0]]
    z = [values["height"]] * 2 + [left[1]] * 2 + [right[1]] * 2
    start = stacked(list(zip(x, y, z, strict=True)), width.size)
    held = np.zeros((6, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_A_FRAME, uv, start, held)


def _hanging(half: Floats, height: Floats, angle_deg: Floats) -> tuple[Floats, Floats]:
    """Level distance and height of an edge that falls by an angle from the ridge; NaN under the
    ground.
    """
    fall = np.radians(angle_deg)
    edge = height - half * np.sin(fall)
    return half * np.cos(fall), np.where(edge >= 0, edge, np.nan)


def _flown_layout(box: SheetBox, values: Values) -> Layout:
    width, _ = turned_box(box, values)
    side = _hanging(width / 2, values["height"], values["angle"])
    return _spread_layout(box, values, side, side)


def _porch_layout(box: SheetBox, values: Values) -> Layout:
    width, _ = turned_box(box, values)
    level = np.abs(values["angle"]) < PORCH_LEAST_DEG - 1e-9
    out, edge = _hanging(width / 2, values["height"], values["angle"])
    reach = foot_reach(width / 2, values["height"])
    made = _spread_layout(
        box, values, (reach, np.zeros_like(reach)), (np.where(level, np.nan, out), edge)
    )
    return replace(made, pattern=_PORCH)


def _steepest(half: Floats, height: Floats) -> Floats:
    """Angle at which an edge comes to the ground; 90 where it never does."""
    return np.degrees(np.arcsin(np.clip(height / half, 0, 1)))


def _flown_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit(
            "angle",
            _steepest(width / 2, values["height"]),
            "the edges would reach into the ground",
        ),
    )


def _porch_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    near_level = np.abs(values["angle"]) < PORCH_LEAST_DEG - 1e-9
    return (
        Limit(
            "height", most_height(width / 2), "the weather side does not reach the ground"
        ),
        Limit(
            "angle",
            np.where(near_level, -PORCH_LEAST_DEG, _steepest(width / 2, values["height"])),
            "a flown edge this near to level lets water stand, or it would reach into the ground",
        ),
    )


_RIDGE_STEP: Final = Step(
    "Rig the ridge at {height}: fixed knot at one support, tensioning hitch at the other. "
    "Hang the sheet over it with the "
    "crease on "
    "the line, {P} and {Q} {P-Q} apart."
)

A_FRAME_FLOWN: Final = Pitch(
    slug="a-frame-flown",
    name="Flown A-frame",
    also_known_as=("ridge fly",),
    family=Family.RIDGE,
    summary=(
        "A ridge with both edges held up and out by guys: sit or stand under it. Sun, and "
        "wind "
        "and rain from above."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.5,
            2.5,
            1.8,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting(
            "angle",
            DEGREES,
            10,
            75,
            30,
            "how far the roof falls from level",
            "Roof falls by",
            step=1,
        ),
        TURN,
    ),
    pattern=_A_FRAME,
    anchors=anchors("PQ", "", "edge guy", "ABCD"),
    pull=PullSide.RIDGE_LINE,
    layout=_flown_layout,
    limits=_flown_limits,
    steps=(
        Step(
            "Look up for dead branches. Choose the pair of supports so that a side, not an "
            "end, faces the wind."
        ),
        _RIDGE_STEP,
        Step(
            "Guy the weather side's corners {A} and {B} out at about 45 degrees, square to "
            "the ridge, {A-P} from its foot "
            "to the corner."
        ),
        Step(
            "Guy the other side's corners {C} and {D} the same; the roof falls by {angle} on "
            "both sides."
        ),
        Step(
            "Let one corner hang a little lower than the other, so that water runs off. Go "
            "round once more, and mark the "
            "guys."
        ),
    ),
    minutes=4,
    suits=Suits(
        first=("warm-insects", "shade"),
        well=("lunch", "fair-view"),
        fair=("fixed-camp",),
        never=("storm", SNOW),
    ),
    faults=(
        "The roof sags between its guys: set them further out, all four alike.",
        "Wind gets under it: drop the weather side to the ground, and it is half a storm A-frame.",
    ),
    moves=(
        Move(
            "a-frame",
            "Drop the corners",
            (
                "Lower the ridge first, both ends alike, as far as the new height.",
                "Drop the weather side's two corners and stake them; leave their guys on.",
                "Drop and stake the other two.",
                ROUND,
            ),
            3.0,
            keeps=("turn",),
        ),
    ),
)

A_FRAME_PORCH: Final = Pitch(
    slug="a-frame-porch",
    name="A-frame with porch",
    also_known_as=("half-flown A-frame",),
    family=Family.RIDGE,
    summary="Weather side on the ground, the other side flown as a porch, its edge lower or higher "
    "than the ridge, never "
    "level.",
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.2,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting(
            "angle",
            DEGREES,
            -45,
            60,
            10,
            "how far the porch falls from level; below zero it rises",
            "Porch falls by",
            step=1,
        ),
        TURN,
    ),
    pattern=_PORCH,
    anchors=anchors("PQ", "AB", "porch guy", "CD"),
    pull=PullSide.RIDGE_LINE,
    layout=_porch_layout,
    limits=_porch_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground. The closed side goes to the wind."
        ),
        _RIDGE_STEP,
        Step(
            (
                "Stake the weather side, corners {A} and {B}: {A-B} apart, {A-P} out from the "
                "foot of the ridge end."
            ),
            ("A", "B"),
        ),
        Step(
            "Fly the porch corners {C} and {D} square off the ridge, {C-P} from its foot, "
            "falling by {angle}: guys, or "
            "poles about a "
            "foot beyond the corners with a guy each."
        ),
        Step(
            "Never leave the porch level: water would stand on it. Go round once more, and "
            "mark the guys."
        ),
    ),
    minutes=5,
    suits=Suits(
        first=("fair-view",),
        well=("fixed-camp", "warm-insects"),
        fair=("shade", "lunch"),
        never=("storm", SNOW),
    ),
    faults=(
        "A pool on the porch: drop one corner, or both.",
        (
            "The porch pulls the ridge over: set the weather side's stakes again, then the "
            "porch's guys."
        ),
    ),
    moves=(
        Move(
            "a-frame",
            "Drop the porch",
            (
                "Take the porch's poles away and bring its corners down.",
                (
                    "Stake both corners straight out from the ridge, and lower the ridge as far as "
                    "the new height."
                ),
                ROUND,
            ),
            2.5,
            keeps=("turn",),
        ),
    ),
)


_TUBE: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D", "E", "F"),
    (
        Panel("left", Role.ROOF, ("A", "B", "Q", "P")),
        Panel("right", Role.ROOF, ("P", "Q", "D", "C")),
        Panel("floor", Role.FLOOR, ("C", "D", "F", "E")),
    ),
)


def _tube_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: two sides s and a floor of 2 sqrt(s^2 - h^2) make up the width, so s = W/4 +
    h^2/W.
    """
    width, length = turned_box(box, values)
    height, zero = values["height"], np.zeros_like(width)
    side = width / 4 + height**2 / width
    half = np.where(
        width - 2 * side >= 2 * NARROWEST_SPAN_M, foot_reach(side, height), np.nan
    )
    across = [side, side, zero, zero, 2 * side, 2 * side, width, width]
    uv = place_uv(values, across, [zero, length] * 4)
    x = [zero, length] * 4
    y = [zero, zero, half, half, -half, -half, half, half]
    z = [height, height, *[zero] * 6]
    start = stacked(list(zip(x, y, z, strict=True)), width.size)
    held = np.zeros((8, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_TUBE, uv, start, held)


def _tube_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit(
            "height",
            np.sqrt(np.maximum(width**2 / 4 - width * NARROWEST_SPAN_M, 0.0)),
            "no cloth is left for a floor",
        ),
    )


A_FRAME_FLOORED: Final = Pitch(
    slug="a-frame-floored",
    name="A-frame with floor",
    also_known_as=("tube tent",),
    family=Family.RIDGE,
    summary=(
        "One closed tube: two sides and a floor of the same sheet, its last edge held to the "
        "first. Low, for one."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            1.5,
            0.8,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        TURN,
    ),
    pattern=_TUBE,
    anchors=(*anchors("PQ", "ABCD"), Anchor("E", Hold.FREE), Anchor("F", Hold.FREE)),
    pull=PullSide.RIDGE_LINE,
    layout=_tube_layout,
    limits=_tube_limits,
    steps=(
        Step("Look up for dead branches, and clear the ground. A side goes to the wind."),
        _RIDGE_STEP,
        Step(
            (
                "Stake the weather side's edge at {A} and {B}: {A-B} apart, {A-P} out from the "
                "foot of the ridge."
            ),
            ("A", "B"),
        ),
        Step(
            "Stake the fold of the other side at {C} and {D}, {A-C} across from the first.",
            ("C", "D"),
        ),
        Step(
            "Bring the rest across as a floor to the first edge and hold it there with the "
            "same stakes or with packs, the "
            "roof's edge outside."
        ),
    ),
    minutes=6,
    suits=Suits(fair=("storm", "steady-rain"), never=("cold-fire", "fair-view", "shade")),
    faults=(
        "Water on the floor: its edge lies outside the roof's. Tuck it in under the first side.",
    ),
    moves=(
        Move(
            "a-frame-floored",
            "Lower the ridge",
            (
                "Slacken the ridge at both ends, lower it, and draw the floor's edge out.",
                ROUND,
            ),
            4.0,
            keeps=("turn",),
        ),
    ),
)
