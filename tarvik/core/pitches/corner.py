"""Corner pitches: the sheet on its diagonal, a corner or two high."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role, stacked
from tarvik.core.pitches.base import (
    DEGREES,
    NARROWEST_SPAN_M,
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
    most_height,
    root,
)
from tarvik.core.pitches.geometry import circles
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import SNOW, Suits
from tarvik.core.plane import cross

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.fold.pattern import Floats, Place

STEEPEST_SINE: Final = constant(
    "diagonal_fly_steepest",
    0.985,
    "sine",
    ENGINEERING,
    "steepest side of a diagonal fly: 80 degrees from level",
)
LOWEST_RISE_M: Final = constant(
    "diagonal_fly_rise",
    0.10,
    "m",
    ENGINEERING,
    "least height of the ridge above the held-off corners, so that water runs",
)
SHADE_LEAST_DEG: Final = constant(
    "shade_least",
    10.0,
    "degrees",
    "common practice",
    "a four-corner shade falls at least so much",
)

_DIAGONAL: Final = Pattern(
    ("P", "R", "A", "B"),
    (Panel("right", Role.ROOF, ("P", "A", "R")), Panel("left", Role.ROOF, ("P", "R", "B"))),
)


def _diagonal_uv(box: SheetBox, size: int) -> Floats:
    width, length = box
    return np.broadcast_to(
        np.array([[0, 0], [width, length], [width, 0], [0, length]], dtype=np.float64),
        (size, 4, 2),
    )


def _plow_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: P above the origin, R straight back at sqrt(D^2 - h^2), each side corner where
    two circles meet.

    For a rectangle the side corners are W and L from P and L and W from R; x = (side^2 - h^2) /
    reach.
    """
    width, length = box
    h = values["height"]
    zero = np.zeros_like(h)
    reach = root(width**2 + length**2 - h**2)
    corners = []
    for side in (width, length):
        x = (side**2 - h**2) / reach
        corners.append((x, root(side**2 - h**2 - x**2)))
    reach = np.where(h <= most_height(np.full_like(h, min(box))), reach, np.nan)
    (xa, ya), (xb, yb) = corners
    start = stacked(
        [(zero, zero, h), (reach, zero, zero), (xa, -ya, zero), (xb, yb, zero)], h.size
    )
    held = np.zeros((4, 3), dtype=bool)
    held[:, 2] = True
    held[0] = True
    held[1, 1] = True
    return Layout(_DIAGONAL, _diagonal_uv(box, h.size), start, held)


def _plow_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    shorter = np.full_like(values["height"], min(box))
    return (
        Limit(
            "height",
            most_height(shorter),
            "the shorter side of the sheet does not reach the ground",
        ),
    )


def _fly_frame(
    box: SheetBox, near: Floats, far: Floats
) -> tuple[Floats, list[tuple[Floats, Floats]]]:
    """Ridge reach on the ground, and for each side corner (A, B) its foot's share along the ridge
    and height there.
    """
    width, length = box
    diagonal2 = width**2 + length**2
    reach = root(diagonal2 - (near - far) ** 2)
    feet = []
    for side in (width, length):
        share = np.full_like(near, side**2 / diagonal2)
        feet.append((share, near + (far - near) * share))
    return reach, feet


def _altitude(box: SheetBox) -> float:
    """Height of either half of the sheet over its diagonal."""
    return box[0] * box[1] / float(np.hypot(*box))


def _fly_sines(box: SheetBox, near: Floats, far: Floats, corner: Floats) -> list[Floats]:
    """Sine of the tilt that brings each side corner down to its height; above 1 there is none."""
    width, length = box
    reach, feet = _fly_frame(box, near, far)
    return [
        (foot - corner) * np.hypot(width, length) / (_altitude(box) * reach)
        for _, foot in feet
    ]


def _fly_layout(box: SheetBox, values: Values) -> Layout:
    width, length = box
    near, far, corner = values["height"], values["height_far"], values["corner_height"]
    diagonal = np.hypot(width, length)
    reach, feet = _fly_frame(box, near, far)
    zero = np.zeros_like(near)
    altitude = _altitude(box)
    points = [(zero, zero, near), (reach, zero, far)]
    for (share, foot), sine, hand in zip(
        feet, _fly_sines(box, near, far, corner), (-1.0, 1.0), strict=True
    ):
        fall = np.where(
            (foot - corner >= LOWEST_RISE_M) & (sine <= STEEPEST_SINE), sine, np.nan
        )
        out = altitude * root(1 - fall**2)
        points.append(
            (
                share * reach + altitude * fall * (far - near) / diagonal,
                hand * out,
                corner + 0 * foot,
            )
        )
    start = stacked(points, near.size)
    held = np.zeros((4, 3), dtype=bool)
    held[:, 2] = True
    held[0] = True
    held[1, 1] = True
    return Layout(_DIAGONAL, _diagonal_uv(box, near.size), start, held)


def _bisect(ok: Callable[[Floats], np.ndarray], low: Floats, high: Floats) -> Floats:
    """Largest value (N,) between low and high that is still allowed; NaN where low is not."""
    lo, hi = low.copy(), high.copy()
    start = ok(lo)
    for _ in range(40):
        mid = (lo + hi) / 2
        good = ok(mid)
        lo, hi = np.where(good, mid, lo), np.where(good, hi, mid)
    return np.where(start, np.where(ok(high), high, lo), np.nan)


def _fly_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    near, far, corner = values["height"], values["height_far"], values["corner_height"]

    def foldable(near: Floats, far: Floats) -> np.ndarray:
        sines = _fly_sines(box, near, far, corner)
        return np.asarray(np.all([s <= STEEPEST_SINE for s in sines], axis=0))

    _, feet = _fly_frame(box, near, far)
    low, high = np.full_like(near, 0.1), np.full_like(near, 6.0)
    short = "the side corners do not reach down so far"
    return (
        Limit(
            "corner_height",
            np.fmax(np.min([foot for _, foot in feet], axis=0) - LOWEST_RISE_M, 0.0),
            "the ridge must stand above the side corners, or water pools",
        ),
        Limit(
            "height", _bisect(lambda v: foldable(v, far), np.fmin(near, low), high), short
        ),
        Limit(
            "height_far",
            _bisect(lambda v: foldable(near, v), np.fmin(far, low), high),
            short,
        ),
    )


_LOOK: Final = Step("Look up for dead branches, and clear the ground of stones and sticks.")

PLOW_POINT: Final = Pitch(
    slug="plow-point",
    name="Plow point",
    also_known_as=("diamond", "one-corner pitch"),
    family=Family.CORNER,
    summary=(
        "One corner high on a support, the other three staked. Back to the wind, open towards "
        "the support."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.3,
            "height of the peak corner above the ground",
            "Peak height",
        ),
    ),
    pattern=_DIAGONAL,
    anchors=anchors("P", "RAB"),
    pull=PullSide.LONE,
    layout=_plow_layout,
    limits=_plow_limits,
    steps=(
        _LOOK,
        Step(
            "Stand with your back to the wind: that is where the far corner goes. Tie corner "
            "{P} to its support at "
            "{height}."
        ),
        Step(
            (
                "Walk the opposite corner {R} straight back into the wind and stake it {P-R} "
                "from the foot of the support."
            ),
            ("R",),
        ),
        Step(
            "Stake side corner {A}: {A-P} from the foot of the support and {A-R} from {R}.",
            ("A",),
        ),
        Step(
            (
                "Stake side corner {B}: {B-P} from the foot of the support and {B-R} from {R}; "
                "the two are {A-B} apart."
            ),
            ("B",),
        ),
        Step(
            "Pull each corner along the line it points, drive the stakes, and go round once "
            "more. If the wind turns, pull "
            "the three stakes and swing the sheet round its support."
        ),
    ),
    minutes=2,
    suits=Suits(
        first=("storm", "fair-view"),
        well=("steady-rain", "lunch"),
        never=("warm-insects",),
        plain=True,
    ),
    faults=(
        (
            "The middle hangs low over the sleeper: tighten the far corner first, then lift the "
            "centre with a cord to a tree."
        ),
        "One side slack: its stake stands too near the support. Measure both sides again.",
    ),
    moves=(
        Move(
            "plow-point",
            "Lower the peak",
            (
                "Slip the peak's line down the trunk, or shorten the pole.",
                "Move the far stake back and the side stakes out: more "
                "ground is covered the lower it is.",
                ROUND,
            ),
            2.0,
        ),
    ),
)

DIAGONAL_FLY: Final = Pitch(
    slug="diagonal-fly",
    name="Diagonal fly",
    also_known_as=("diamond fly", "corner ridge"),
    family=Family.CORNER,
    summary=(
        "Ridge along the diagonal between two supports, the two other corners staked down or "
        "held off the ground."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.4,
            "height of the front end of the diagonal",
            "Front height",
        ),
        Setting(
            "height_far",
            "m",
            0.3,
            2.5,
            1.4,
            "height of the rear end of the diagonal",
            "Rear height",
        ),
        Setting(
            "corner_height",
            "m",
            0.0,
            1.5,
            0.0,
            "height of the two side corners above the ground",
            "Side corners' height",
            sought=Sought.ALSO,
        ),
    ),
    pattern=_DIAGONAL,
    anchors=anchors("PR", "AB", "corner guy"),
    pull=PullSide.RIDGE_LINE,
    layout=_fly_layout,
    limits=_fly_limits,
    steps=(
        _LOOK,
        Step(
            "Rig the diagonal between two supports: corner {P} at {height}, corner {R} at "
            "{height_far}. Tighten it until "
            "it hums."
        ),
        Step(
            (
                "Pull side corner {A} square off the ridge and stake it {A-ridge} out, on the "
                "weather side first."
            ),
            ("A",),
        ),
        Step(
            "Pull side corner {B} the other way and stake it; the two stand {A-B} apart.",
            ("B",),
        ),
        Step(
            "One corner a little lower than the other sheds the water to one place. Go round "
            "once more."
        ),
    ),
    minutes=3,
    suits=Suits(
        first=("shade",),
        well=("warm-insects", "fair-view", "lunch"),
        never=("storm", SNOW),
        plain=True,
    ),
    faults=(
        "A pool beside the ridge: a side corner is too high or the ridge too slack.",
        "The sheet creeps along the line: tie the two end corners to it, not only over it.",
    ),
    moves=(
        Move(
            "diagonal-fly",
            "Bring the corners to the ground and lower the ridge",
            (
                "Lower both ends of the ridge alike.",
                "Bring the side corners down and stake them, weather side first.",
                ROUND,
            ),
            3.0,
            sets=(("corner_height", 0.0),),
        ),
    ),
)


def _as_fly(values: Values) -> Values:
    """A four-corner shade's settings as a diagonal fly's."""
    return {**values, "height_far": values["height"], "corner_height": values["low"]}


def _shade_low(box: SheetBox, values: Values) -> Floats:
    """Height of the low corners above which the sides would be too flat to shed water."""
    return np.asarray(
        np.fmax(
            values["height"] - _altitude(box) * np.sin(np.radians(SHADE_LEAST_DEG)), 0.0
        )
    )


def _shade_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    return (
        Limit(
            "low",
            _shade_low(box, values),
            "flatter than ten degrees, water would stand on it",
        ),
        Limit(
            "height",
            values["low"] + _altitude(box) * STEEPEST_SINE,
            "the side corners do not reach down so far",
        ),
    )


def _shade_layout(box: SheetBox, values: Values) -> Layout:
    """A diagonal fly with both ends of its ridge alike and both low corners alike, none of it too
    flat.
    """
    made = _fly_layout(box, _as_fly(values))
    made.start[~(values["low"] <= _shade_low(box, values) + 1e-9)] = np.nan
    return made


FOUR_CORNER_SHADE: Final = Pitch(
    slug="four-corner-shade",
    name="Four-corner shade",
    also_known_as=("two high, two low",),
    family=Family.CORNER,
    summary=(
        "Two opposite corners high, two low, all four on lines: shade and air below, water "
        "off "
        "at the low corners."
    ),
    settings=(
        Setting(
            "height", "m", 0.8, 2.5, 1.8, "height of the two high corners", "High corners"
        ),
        Setting("low", "m", 0.2, 2.2, 0.4, "height of the two low corners", "Low corners"),
    ),
    pattern=_DIAGONAL,
    anchors=anchors("PR", "", "corner guy", "AB"),
    pull=PullSide.RIDGE_LINE,
    layout=_shade_layout,
    limits=_shade_limits,
    steps=(
        _LOOK,
        Step(
            "Tie the high corners {P} and {R} to two supports at {height}; pull the line "
            "between them tight."
        ),
        Step(
            "Guy the low corners {A} and {B} out square to it, {A-ridge} from the line to the "
            "corner, at {low}."
        ),
        Step(
            "See that both sides fall at least ten degrees, and set one low corner a little "
            "lower than the other: a pot "
            "fills there."
        ),
    ),
    minutes=4,
    suits=Suits(first=("shade",), well=("lunch",), never=("storm", SNOW)),
    faults=(
        (
            "Water stands in the middle: lower the low corners, or tighten the line between the "
            "high ones."
        ),
    ),
    moves=(
        Move(
            "diagonal-fly",
            "Bring the low corners to the ground",
            (
                "Lower the two high corners alike.",
                "Stake the low corners, weather side first.",
                ROUND,
            ),
            3.0,
            sets=(("corner_height", 0.0),),
        ),
    ),
)


_TIPPED: Final = Pattern(
    ("P", "A", "B", "X", "Y", "R"),
    (
        Panel("right", Role.WALL, ("P", "A", "X")),
        Panel("left", Role.WALL, ("P", "Y", "B")),
        Panel("roof", Role.ROOF, ("P", "X", "Y")),
        Panel("floor", Role.FLOOR, ("X", "R", "Y")),
    ),
)


def _tipped_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. The crease X-Y lies on the ground across the back; P stands where its three
    distances let it; the side " "corners lie where circles about its foot and about X or Y meet;
    the tip R is turned under about the crease.
    """
    width, length = box
    h, tip = values["height"], values["tip"]
    zero = np.zeros_like(h)
    px, py = np.hypot(width, length - tip), np.hypot(width - tip, length)
    reach_x, reach_y = root(px**2 - h**2), root(py**2 - h**2)
    crease = tip * np.sqrt(2)
    at = (reach_x**2 - reach_y**2 + crease**2) / (
        2 * crease
    )  # of the foot of P along X-Y, from X
    back = root(reach_x**2 - at**2)
    x, y = (
        (back, -at),
        (back, crease - at),
    )  # P's foot at the origin, the crease across behind it
    a = circles(zero, zero, root(width**2 - h**2), x[0], x[1], length - tip, -1.0)
    b = circles(zero, zero, root(length**2 - h**2), y[0], y[1], width - tip, 1.0)
    r = (back - tip / np.sqrt(2), (x[1] + y[1]) / 2)
    ok = (tip > 0) & (tip < min(width, length)) & (r[0] >= 0)
    places = [(zero, zero, h), (*a, zero), (*b, zero), (*x, zero), (*y, zero), (*r, zero)]
    start = stacked(places, h.size)
    start[~ok] = np.nan
    sides: list[Place] = [
        (0, 0),
        (width, 0),
        (0, length),
        (width, length - tip),
        (width - tip, length),
        (width, length),
    ]
    flat = stacked(sides, h.size)
    held = np.zeros((6, 3), dtype=bool)
    held[:, 2] = True
    held[0] = True
    held[3, 0] = True
    return Layout(_TIPPED, flat, start, held)


def _tipped_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    def folds(height: Floats, tip: Floats) -> np.ndarray:
        made = _tipped_layout(box, {"height": height, "tip": tip})
        return np.asarray(np.isfinite(made.start).all(axis=(1, 2)))

    h, tip = values["height"], values["tip"]
    return (
        Limit(
            "tip",
            _bisect(
                lambda v: folds(h, v), np.full_like(h, 0.05), np.full_like(h, max(box))
            ),
            "it leaves too little roof",
        ),
        Limit(
            "height",
            _bisect(lambda v: folds(v, tip), np.full_like(h, 0.1), np.full_like(h, 6.0)),
            "the side corners do not reach the ground",
        ),
    )


PLOW_POINT_FLOORED: Final = Pitch(
    slug="plow-point-floored",
    name="Plow point with floor",
    also_known_as=("diamond with floor",),
    family=Family.CORNER,
    summary=(
        "A plow point whose rear tip is folded forward under the roof as a floor. One "
        "support, "
        "four stakes."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.2,
            "height of the peak corner above the ground",
            "Peak height",
        ),
        Setting(
            "tip",
            "m",
            0.3,
            2.0,
            0.8,
            "how much of each edge the folded tip takes",
            "Folded tip",
        ),
    ),
    pattern=_TIPPED,
    anchors=(*anchors("P", "XYAB"), Anchor("R", Hold.FREE)),
    pull=PullSide.LONE,
    layout=_tipped_layout,
    limits=_tipped_limits,
    steps=(
        _LOOK,
        Step(
            "Fold the rear tip under by the length of its edges and stake the fold's ends {X} "
            "and {Y}, {X-Y} apart, across "
            "the wind.",
            ("X", "Y"),
        ),
        Step(
            "Tie corner {P} to its support at {height}, its foot {P-X} from {X} and {P-Y} from {Y}."
        ),
        Step(
            "Stake the side corners {A} and {B}: {A-P} and {B-P} from the foot of the support.",
            ("A", "B"),
        ),
        Step(
            "Weight the tip inside with packs, pull every stake along the line its corner "
            "points, and go round once more."
        ),
    ),
    minutes=4,
    suits=Suits(fair=("storm", "steady-rain"), never=("warm-insects",)),
    faults=(
        (
            "Water runs in along the floor: the fold must be the lowest line outside, and the "
            "tip lie inside the roof."
        ),
    ),
    moves=(
        Move(
            "plow-point-floored",
            "Lower the peak",
            (
                "Slip the peak's line down.",
                "Move the side stakes out until both edges are tight.",
                ROUND,
            ),
            2.5,
            keeps=("tip",),
        ),
    ),
)


_BEYOND: Final = Pattern(
    ("P", "R", "A", "B", "N", "M"),
    (
        Panel("right", Role.ROOF, ("P", "A", "R")),
        Panel("left", Role.ROOF, ("P", "R", "B")),
        Panel("awning", Role.AWNING, ("P", "N", "M", "A")),
    ),
)


def _beyond_layout(box: SheetBox, values: Values) -> Layout:
    """The square end as a plow point; the rest turned about the front edge P-A, level at angle 0
    and rising with it.
    """
    side, rest = min(box), abs(box[1] - box[0])
    plow = _plow_layout((side, side), values)
    p, r, a, b = (plow.start[:, i] for i in range(4))
    edge = (a - p) / side
    level = np.stack([edge[:, 1], -edge[:, 0], np.zeros(len(edge))], axis=-1)
    level = level / np.linalg.norm(level, axis=1, keepdims=True)
    level = np.where(
        ((level * (a - b)).sum(axis=1) >= 0)[:, None], level, -level
    )  # away from the other half
    raised = cross(level, edge)
    raised = np.where((raised[:, 2] >= 0)[:, None], raised, -raised)
    turn = np.radians(values["angle"])[:, None]
    way = np.cos(turn) * level + np.sin(turn) * raised
    start = np.stack([p, r, a, b, p + rest * way, a + rest * way], axis=1)
    if rest < NARROWEST_SPAN_M:
        start = np.full_like(start, np.nan)
    flat = np.array(
        [[0, rest], [side, side + rest], [side, rest], [0, side + rest], [0, 0], [side, 0]],
        dtype=np.float64,
    )
    if box[0] > box[1]:
        flat = flat[:, ::-1]
    held = np.zeros((6, 3), dtype=bool)
    held[:4, 2] = True
    held[0] = True
    held[4] = True
    return Layout(_BEYOND, np.broadcast_to(flat, (len(start), 6, 2)), start, held)


def _beyond_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    square = abs(box[1] - box[0]) < NARROWEST_SPAN_M
    most = _plow_limits((min(box), min(box)), values)[0]
    return (
        Limit(
            "height",
            np.full_like(values["height"], np.nan) if square else most.most,
            "the sheet is square: nothing is left for an awning" if square else most.why,
        ),
    )


PLOW_POINT_AWNING: Final = Pitch(
    slug="plow-point-awning",
    name="Plow point with awning",
    also_known_as=("diamond with porch",),
    family=Family.CORNER,
    summary=(
        "The square part of a rectangle as a plow point, the rest flown as an awning off one "
        "front edge."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.3,
            "height of the peak above the ground",
            "Peak height",
        ),
        Setting(
            "angle",
            DEGREES,
            0,
            60,
            10,
            "how far the awning is turned up from level",
            "Awning turned up",
            step=1,
            sought=Sought.ALSO,
        ),
    ),
    pattern=_BEYOND,
    anchors=anchors("P", "RAB", "awning guy", "NM"),
    pull=PullSide.LONE,
    layout=_beyond_layout,
    limits=_beyond_limits,
    steps=(
        _LOOK,
        Step(
            "Measure the short side along the long one and tie the point {P} on the long edge "
            "to its support at {height}; "
            "button it "
            "if there is no tie-out."
        ),
        Step(
            (
                "Stake the far corner {R} straight back into the wind, {P-R} from the foot of "
                "the support."
            ),
            ("R",),
        ),
        Step(
            (
                "Stake the side corners {A} and {B}, {A-P} from the foot of the support and "
                "{A-R} from {R}."
            ),
            ("A", "B"),
        ),
        Step(
            "Fly the rest as an awning: corner {N} on a pole or to a tree, corner {M} guyed low."
        ),
    ),
    minutes=5,
    suits=Suits(
        well=("fixed-camp",), fair=("steady-rain", "fair-view"), never=("storm", SNOW)
    ),
    shape=Shape.OBLONG,
    faults=("The awning pulls the peak over: guy the support against it.",),
    moves=(
        Move(
            "plow-point-awning",
            "Lower the peak and the awning",
            (
                "Let the awning's outer corner down to level.",
                "Slip the peak's line down.",
                "Move the far stake back.",
                ROUND,
            ),
            3.5,
            sets=(("angle", 0.0),),
        ),
    ),
)
