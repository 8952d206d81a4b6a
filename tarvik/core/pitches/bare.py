"""Without a pitch: a sheet worn as a bag, and a net alone over a ground sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches.base import (
    TURN,
    Anchor,
    Bed,
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
    free,
    root,
    turned_box,
)
from tarvik.core.pitches.geometry import across, laid_out
from tarvik.core.pitches.move import Move
from tarvik.core.pitches.suits import NO_RAIN, SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Layout, Place

_BAG: Final = Pattern(
    ("A", "B", "C", "D", "P", "Q", "S", "T"),
    (
        Panel("floor", Role.FLOOR, ("A", "B", "D", "C")),
        Panel("left", Role.ROOF, ("P", "Q", "B", "A")),
        Panel("right", Role.ROOF, ("C", "D", "T", "S")),
    ),
)


def _bag_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: a tube lying on one side, its two long edges meeting over the sleeper at the
    loft's height. A floor f and two sides s of the sheet's W: s^2 = (f / 2)^2 + loft^2, so f = (W^2
    - 4 loft^2) / 2 W.
    """
    width, length = turned_box(box, values)
    loft, zero = values["loft"], np.zeros_like(width)
    floor = (width**2 - 4 * loft**2) / (2 * width)
    side = (width - floor) / 2
    half = length / 2
    world: dict[str, Place] = {
        "A": (half, floor / 2, zero),
        "B": (-half, floor / 2, zero),
        "C": (half, -floor / 2, zero),
        "D": (-half, -floor / 2, zero),
        "P": (half, zero, loft),
        "Q": (-half, zero, loft),
        "S": (half, zero, loft),
        "T": (-half, zero, loft),
    }
    flat: dict[str, Place] = {
        "P": (zero, zero),
        "Q": (zero, length),
        "A": (side, zero),
        "B": (side, length),
        "C": (side + floor, zero),
        "D": (side + floor, length),
        "S": (width, zero),
        "T": (width, length),
    }
    return laid_out(_BAG, loft.size, across(values, flat), world, floor > 0.4)


def _bag_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit("loft", root(width**2 / 4 - 0.2 * width), "it leaves no floor to lie on"),
    )


BAG: Final = Pitch(
    slug="bag",
    name="Bag",
    also_known_as=("wind bag", "sleeping bag cover"),
    family=Family.BARE,
    summary=(
        "The sheet wrapped round one person and a pack, seam up, the hood at the face. No "
        "supports, no stakes."
    ),
    settings=(
        Setting(
            "loft",
            "m",
            0.2,
            0.6,
            0.35,
            "height of the seam over the ground, as far as the sleeper fills it",
            "Loft",
            sought=Sought.NEVER,
        ),
        TURN,
    ),
    pattern=_BAG,
    anchors=free("A", "B", "C", "D", "P", "Q", "S", "T"),
    pull=PullSide.LONE,
    layout=_bag_layout,
    limits=_bag_limits,
    steps=(
        Step("Clear the ground of stones and sticks, and lay a bed of leaves or a mat."),
        Step(
            "Lay the sheet along the bed, the hood, if it has one, at the head end and tied off."
        ),
        Step(
            "Lie on one side of it and bring both long edges up over you, {loft} high; button "
            "or tie them together."
        ),
        Step(
            "Fold the foot end under. Keep the face open to the air: breath must get out, and "
            "so must you."
        ),
    ),
    minutes=2,
    suits=Suits(fair=("storm",)),
    faults=(
        (
            "It is wet inside by morning: the sheet does not breathe. Open it at the face and at "
            "the seam."
        ),
    ),
    bed=Bed.WORN,
)

_NET: Final = Pattern(
    ("P", "A", "B", "C", "D"), (Panel("ground sheet", Role.FLOOR, ("A", "B", "C", "D")),)
)


def _net_layout(box: SheetBox, values: Values) -> Layout:
    """The sheet flat on the ground, the net's hanging point over its middle."""
    width, length = box
    zero = np.zeros_like(values["height"])
    world: dict[str, Place] = {
        "P": (zero, zero, values["height"]),
        "A": (zero - width / 2, zero - length / 2, zero),
        "B": (zero + width / 2, zero - length / 2, zero),
        "C": (zero + width / 2, zero + length / 2, zero),
        "D": (zero - width / 2, zero + length / 2, zero),
    }
    flat: dict[str, Place] = {
        "P": (width / 2, length / 2),
        "A": (0.0, 0.0),
        "B": (width, 0.0),
        "C": (width, length),
        "D": (0.0, length),
    }
    return laid_out(_NET, zero.size, flat, world)


NET_ONLY: Final = Pitch(
    slug="net-only",
    name="Net alone",
    also_known_as=("hung net", "bed net"),
    family=Family.BARE,
    summary="A net hung from one point or as a box over the bed, the sheet under it as a ground "
    "sheet. Keeps "
    "insects off, not rain.",
    settings=(
        Setting(
            "height",
            "m",
            0.9,
            2.5,
            1.5,
            "height of the point the net hangs from",
            "Hanging point",
        ),
        Setting(
            "style",
            "0 or 1",
            0,
            1,
            0,
            "0: hung from one point; 1: a box hung from a line",
            "Net",
            sought=Sought.NEVER,
            words=("from one point", "box"),
        ),
    ),
    pattern=_NET,
    anchors=(Anchor("P", Hold.HIGH, on_sheet=False), *free("A", "B", "C", "D")),
    pull=PullSide.LONE,
    layout=_net_layout,
    limits=lambda box, values: (),
    steps=(
        Step(
            "Clear the ground of nests, thorns and stones, and lay the sheet down as a ground "
            "sheet."
        ),
        Step(
            "Hang the net from {P} at {height} over the middle of the bed; a box net from a "
            "line along the bed."
        ),
        Step(
            "Tuck its hem under the sheet or the mats all round before dusk. Keep a sheet at "
            "hand for rain."
        ),
    ),
    minutes=3,
    suits=Suits(first=(NO_RAIN,), never=("storm", "steady-rain", SNOW)),
    faults=(
        "Insects inside: the hem lies loose. Tuck it in all round and look before you lie down.",
        (
            "The net touches the sleeper, who is bitten through it: hang it higher or spread its "
            "corners."
        ),
    ),
    bed=Bed.OPEN,
    moves=(
        Move(
            "lean-to",
            "Put the sheet over the net",
            (
                "Take the sheet from under the mats and hang it as a roof over the net's point.",
                "Stake its low edge to the wind.",
            ),
            5.0,
        ),
    ),
)
