"""Lean-tos: one edge high, the sheet sloping to the ground behind."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role, stacked
from tarvik.core.pitches.base import (
    DEGREES,
    NARROWEST_SPAN_M,
    TURN,
    Family,
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
    root,
    turned_box,
)
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import POLES, SNOW, Suits

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

_HEIGHT: Final = Setting(
    "height",
    "m",
    0.3,
    2.5,
    1.3,
    "height of the front edge above the ground",
    "Front height",
)
_LOOK: Final = Step(
    "Look up for dead branches, and clear the ground of stones and sticks. The low edge goes "
    "to the wind, the open front away."
)
_FRONT: Final = Step(
    "Rig the front edge at {height} between its two supports, corners {P} and {Q} {P-Q} "
    "apart: fixed knot at one, "
    "tensioning hitch at the other."
)
_FINISH: Final = Step(
    "Pull each stake straight back from the front edge, drive it leaning away, and go round "
    "once more."
)

_AWNED: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D"),
    (
        Panel("roof", Role.ROOF, ("P", "Q", "B", "A")),
        Panel("awning", Role.AWNING, ("C", "D", "Q", "P")),
    ),
)
_PLAIN: Final = Pattern(
    ("P", "Q", "A", "B"), (Panel("roof", Role.ROOF, ("P", "Q", "B", "A")),)
)
_FLOORED: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D"),
    (
        Panel("roof", Role.ROOF, ("P", "Q", "B", "A")),
        Panel("floor", Role.FLOOR, ("A", "B", "D", "C")),
    ),
)


def _lay(
    pattern: Pattern,
    values: Values,
    along: list[np.ndarray],
    places: list[np.ndarray],
    length: np.ndarray,
) -> Layout:
    """Points in left/right pairs: `along` their sheet places down the slope, `places` their x; the
    first pair is high.
    """
    zero = np.zeros_like(length)
    uv = place_uv(values, [u for u in along for _ in range(2)], [zero, length] * len(along))
    x = [x for x in places for _ in range(2)]
    y = [length / 2, -length / 2] * len(along)
    z = [values["height"]] * 2 + [zero] * (2 * len(along) - 2)
    start = stacked(list(zip(x, y, z, strict=True)), length.size)
    held = np.zeros((2 * len(along), 3), dtype=bool)
    held[:, 2] = True
    held[:2] = True
    return Layout(pattern, uv, start, held)


def _plain_layout(box: SheetBox, values: Values) -> Layout:
    width, length = turned_box(box, values)
    depth = foot_reach(width, values["height"])
    zero = np.zeros_like(width)
    return _lay(_PLAIN, values, [zero, width], [zero, depth], length)


def _plain_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit("height", most_height(width), "the sheet does not reach the ground behind"),
    )


def _floored_layout(box: SheetBox, values: Values) -> Layout:
    width, length = turned_box(box, values)
    roof = width - values["floor"]
    depth = foot_reach(roof, values["height"])
    depth = np.where(depth >= values["floor"], depth, np.nan)
    zero = np.zeros_like(width)
    return _lay(
        _FLOORED,
        values,
        [zero, roof, width],
        [zero, depth, depth - values["floor"]],
        length,
    )


def _floored_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    roof = np.maximum(width - values["floor"], 0.0)
    under = root(roof**2 - np.maximum(values["floor"], NARROWEST_SPAN_M) ** 2)
    return (
        Limit("floor", width / 2, "it leaves too little cloth for a roof over it"),
        Limit(
            "height",
            under,
            "the roof would end short of the floor's front edge, and rain would run onto the floor",
        ),
    )


def _awned_layout(flap: str) -> Callable[[SheetBox, Values], Layout]:
    """A roof behind and a flap in front of the ridge; `flap` names the setting of its length."""

    def layout(box: SheetBox, values: Values) -> Layout:
        width, length = turned_box(box, values)
        front, fall = values[flap], np.radians(values["angle"])
        depth = foot_reach(width - front, values["height"])
        edge = values["height"] - front * np.sin(fall)
        out = np.where(edge >= 0, -front * np.cos(fall), np.nan)
        made = _lay(
            _AWNED,
            values,
            [front, width, np.zeros_like(width)],
            [np.zeros_like(width), depth, out],
            length,
        )
        made.start[:, 4:, 2] = edge[:, None]
        made.held[4:] = True
        return made

    return layout


def _awned_limits(flap: str) -> Callable[[SheetBox, Values], tuple[Limit, ...]]:
    def limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
        width, _ = turned_box(box, values)
        fall = np.sin(np.radians(values["angle"]))
        steepest = np.degrees(
            np.arcsin(np.clip(values["height"] / np.maximum(values[flap], 1e-9), -1, 1))
        )
        return (
            Limit(
                flap,
                width - root(values["height"] ** 2 + NARROWEST_SPAN_M**2),
                "the roof behind does not reach the ground",
            ),
            Limit(
                "height",
                most_height(width - values[flap]),
                "the roof behind does not reach the ground",
            ),
            Limit(
                "angle",
                np.where(fall * values[flap] > values["height"], steepest, 90.0),
                "the flap would reach into the ground",
            ),
        )

    return limits


FLOOR_LEAST_M: Final = constant(
    "floor_takes_mat",
    0.70,
    "m",
    COMMON_PRACTICE,
    "least depth of a floor on which somebody lies",
)
FLAP_SHARES: Final = (0.28, 0.40)
"""Share of a wind wedge's depth that its flap takes: about a third."""
FLAP_ENDS_M: Final = constant(
    "flap_ends",
    0.40,
    "m",
    COMMON_PRACTICE,
    "highest that a wind wedge's flap ends over the ground",
)


def _floor_takes_a_mat(_: SheetBox, values: Values) -> NDArray[np.bool_]:
    return np.asarray(values["floor"] >= FLOOR_LEAST_M - 1e-9)


def _closes_low(box: SheetBox, values: Values) -> NDArray[np.bool_]:
    width, _ = turned_box(box, values)
    share = values["flap"] / width
    edge = values["height"] - values["flap"] * np.sin(np.radians(values["angle"]))
    low, high = FLAP_SHARES
    return np.asarray((share >= low) & (share <= high) & (edge <= FLAP_ENDS_M + 1e-9))


LEAN_TO: Final = Pitch(
    slug="lean-to",
    name="Lean-to",
    also_known_as=("single slope",),
    family=Family.LEAN_TO,
    summary=(
        "One long edge high between two supports, the opposite edge staked behind. Open to "
        "the "
        "front and both sides."
    ),
    settings=(_HEIGHT, TURN),
    pattern=_PLAIN,
    anchors=anchors("PQ", "AB"),
    pull=PullSide.FRONT_EDGE,
    layout=_plain_layout,
    limits=_plain_limits,
    steps=(
        _LOOK,
        _FRONT,
        Step(
            (
                "Stake the rear corners {A} and {B}: {A-B} apart, {A-P} behind the foot of the "
                "front edge."
            ),
            ("A", "B"),
        ),
        _FINISH,
    ),
    minutes=4,
    suits=Suits(
        first=("cold-fire", "fair-view", "lunch"), never=("storm", SNOW), plain=True
    ),
    faults=(
        "The middle hangs as a trough: pull the middle of the rear edge back, or lower the front.",
        (
            "Rain drives in at the front: the wind has turned. Lower the front edge or turn the "
            "shelter."
        ),
    ),
    moves=(
        Move(
            "lean-to-awning",
            "Draw it over the line and drop an awning in front",
            (
                "Lower the line to the new height, both ends alike.",
                "Draw the sheet forward over the line as far as the awning is to reach, and tie "
                "it there (buttons if there are no "
                "tie-outs).",
                "Guy the awning's corners out and down.",
                "Move the rear stakes in until the roof is tight.",
                ROUND,
            ),
            6.0,
            keeps=("turn",),
        ),
        Move(
            "lean-to",
            "Lower the front edge",
            (
                "Lower both ends alike.",
                "Move the rear stakes back until the roof is tight.",
                ROUND,
            ),
            3.0,
            keeps=("turn",),
        ),
    ),
)

LEAN_TO_FLOORED: Final = Pitch(
    slug="lean-to-floored",
    name="Lean-to with floor",
    also_known_as=("folded lean-to",),
    family=Family.LEAN_TO,
    summary=(
        "A lean-to whose rear part is folded forward under the roof as a floor against wet ground."
    ),
    settings=(
        _HEIGHT,
        Setting(
            "floor",
            "m",
            0.3,
            2.0,
            0.9,
            "how much of the sheet comes forward as a floor",
            "Floor depth",
            folds_far_edge=True,
        ),
        TURN,
    ),
    pattern=_FLOORED,
    anchors=anchors("PQ", "ABCD"),
    pull=PullSide.FRONT_EDGE,
    layout=_floored_layout,
    limits=_floored_limits,
    steps=(
        _LOOK,
        Step(
            (
                "Lay the sheet flat where the bed will be and stake the floor's front corners "
                "{C} and {D}, {C-D} apart."
            ),
            ("C", "D"),
        ),
        Step(
            "Stake the fold behind at {A} and {B}, {A-C} behind the floor's front edge. Use a "
            "tie-out or a button at the "
            "fold.",
            ("A", "B"),
        ),
        Step(
            "Bring the rest of the sheet forward over the floor and rig the front edge at "
            "{height}: corners {P} and {Q} "
            "{P-Q} apart, {A-P} in front of the fold measured on the ground."
        ),
        Step(
            "Check that the roof reaches beyond the floor everywhere, so that nothing runs "
            "onto it. Go round once more."
        ),
    ),
    named=_floor_takes_a_mat,
    minutes=7,
    suits=Suits(well=(POLES,), fair=("cold-fire",), never=("storm", SNOW), plain=True),
    faults=(
        (
            "Water on the floor: it shows beyond the roof's edge. Tuck the floor's front edge "
            "under, or lower the roof."
        ),
        (
            "The fold creeps forward: the rear stakes take the whole pull. Weight the floor with "
            "packs."
        ),
    ),
    moves=(
        Move(
            "lean-to-floored",
            "Lower the front edge",
            ("Lower both ends alike until the roof reaches well beyond the floor.", ROUND),
            3.0,
            keeps=("floor", "turn"),
        ),
    ),
)

LEAN_TO_AWNING: Final = Pitch(
    slug="lean-to-awning",
    name="Lean-to with awning",
    also_known_as=("porch lean-to",),
    family=Family.LEAN_TO,
    summary=(
        "A lean-to whose front part goes on beyond the ridge as an awning, guyed out "
        "downwards "
        "or flown on poles."
    ),
    settings=(
        _HEIGHT,
        Setting(
            "awning",
            "m",
            0.3,
            2.0,
            0.8,
            "how much of the sheet goes on in front of the ridge",
            "Awning",
        ),
        Setting(
            "angle",
            DEGREES,
            -45,
            75,
            25,
            "how far the awning falls from level; below zero it rises",
            "Awning falls by",
            step=1,
            sought=Sought.ALSO,
        ),
        TURN,
    ),
    pattern=_AWNED,
    anchors=anchors("PQ", "AB", "awning guy", "CD"),
    pull=PullSide.RIDGE_LINE,
    layout=_awned_layout("awning"),
    limits=_awned_limits("awning"),
    steps=(
        _LOOK,
        Step(
            "Rig the ridge at {height} and hang the sheet over it, {P} and {Q} on the line "
            "{P-Q} apart, the longer part "
            "behind."
        ),
        Step(
            "Stake the rear corners {A} and {B}: {A-B} apart, {A-P} behind the foot of the ridge.",
            ("A", "B"),
        ),
        Step(
            "Pull the awning corners {C} and {D} out square to the ridge, {C-P} in front of "
            "its foot, falling by {angle}; "
            "guy them, or "
            "set poles under them."
        ),
        _FINISH,
    ),
    minutes=6,
    suits=Suits(
        well=("steady-rain", "fixed-camp"), fair=("cold-fire", "lunch"), never=(SNOW,)
    ),
    faults=(
        (
            "Water runs down onto who sits in front: let the awning fall further, or lift one "
            "corner less than the other."
        ),
        "The awning flaps: its guys stand too near. Set them out as far as the corner is high.",
    ),
    moves=(
        Move(
            "wind-wedge",
            "Drop the awning to a flap",
            (
                "Lower the ridge, both ends alike.",
                "Bring the awning's corners in and down until the flap stands steep.",
                "Move the rear stakes back until the roof is tight.",
                ROUND,
            ),
            4.0,
            keeps=("turn",),
        ),
    ),
)

WIND_WEDGE: Final = Pitch(
    slug="wind-wedge",
    name="Wind wedge",
    also_known_as=("low wedge",),
    family=Family.LEAN_TO,
    summary=(
        "Roof down to the weather side, a short steep flap in front that ends above the ground."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            0.9,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting("flap", "m", 0.2, 1.5, 0.5, "length of the front flap", "Front flap"),
        Setting(
            "angle",
            DEGREES,
            45,
            85,
            65,
            "how steeply the flap falls from level",
            "Flap falls by",
            step=1,
            sought=Sought.ALSO,
        ),
        TURN,
    ),
    pattern=_AWNED,
    anchors=anchors("PQ", "AB", "flap guy", "CD"),
    pull=PullSide.RIDGE_LINE,
    layout=_awned_layout("flap"),
    limits=_awned_limits("flap"),
    steps=(
        _LOOK,
        Step(
            "Rig the ridge at {height} between its supports, {P} and {Q} {P-Q} apart, the "
            "long part of the sheet to the "
            "wind."
        ),
        Step(
            (
                "Stake the weather side first, {A} and {B}: {A-B} apart, {A-P} from the foot of "
                "the ridge."
            ),
            ("A", "B"),
        ),
        Step(
            "Pull the front flap's corners {C} and {D} out and down, falling by {angle}, and "
            "guy them: a gap for air stays "
            "under it."
        ),
        _FINISH,
    ),
    named=_closes_low,
    minutes=5,
    suits=Suits(fair=("storm", "steady-rain", "lunch")),
    faults=(
        "Smoke and breath stay in: raise the flap's corners.",
        "Rain comes in under the flap: the wind has turned. Swing it round.",
    ),
    moves=(
        Move(
            "wind-wedge",
            "Lower the ridge",
            (
                "Lower both ends alike.",
                "Move the rear stakes back, the flap's guys in.",
                ROUND,
            ),
            3.0,
            keeps=("flap", "turn"),
        ),
    ),
)
