"""Ridge pitches: the sheet over a ridge line, a side down on each hand."""

from __future__ import annotations

from typing import Final

import numpy as np

from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role
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
    most_height,
    place_uv,
    turned_box,
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
    uv = place_uv(values, [crease, crease, zero, zero, width, width], [zero, length, zero, length, zero, length])
    x = [zero, length, zero, length, zero, length]
    y = [zero, zero, left, left, -right, -right]
    z = [height, height, zero, zero, zero, zero]
    start = np.stack([np.stack(c, 1) for c in (x, y, z)], axis=-1)
    held = np.zeros((6, 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(_A_FRAME, uv, start, held)


def _a_frame_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    shorter = width / 2 - np.abs(values["offset"])
    return (Limit("height", most_height(shorter), "the shorter side of the sheet does not reach the ground"),)


A_FRAME: Final = Pitch(
    slug="a-frame",
    name="A-frame",
    also_known_as=("ridge tent", "two-sided ridge"),
    family=Family.RIDGE,
    summary="Sheet over a ridge between two supports, both long edges staked to the ground. Open at the two ends.",
    settings=(
        Setting("height", "m", 0.3, 2.5, 1.0, "height of the ridge above the ground", "Ridge height"),
        Setting("offset", "m", -0.6, 0.6, 0.0, "how far the crease lies from the middle of the sheet",
                "Crease off the middle", searched=False),
        TURN,
    ),
    pattern=_A_FRAME,
    anchors=anchors("PQ", "ABCD"),
    pull=PullSide.RIDGE_LINE,
    layout=_a_frame_layout,
    limits=_a_frame_limits,
    steps=(
        Step("Look up for dead branches, and clear the ground of stones and sticks. Turn an end, never a long open side, "
             "away from the wind."),
        Step("Rig the ridge at {height}: fixed knot at one support, tensioning hitch at the other. Hang the sheet over it "
             "with the crease on the line and hold both ends of the ridge out."),
        Step("Stake the weather side first, corners {A} and {B}: {A-B} apart, {A-P} out from the foot of the ridge end. "
             "Set the stakes loosely.", ("A", "B")),
        Step("Stake the other side, corners {C} and {D}: {A-C} from {A} to {C} across, {A-D} corner to corner.",
             ("C", "D")),
        Step("Pull each corner along the line it points, drive the stakes with their tops leaning away, tighten the ridge, "
             "then go round once more."),
    ),
    minutes=5,
    faults=(
        "A fold from corner to ridge: one stake is off the line its corner points along. Move that stake, not its neighbour.",
        "Both ends flap: the ridge is slack. Tighten it before touching the stakes.",
    ),
)  # fmt: skip
