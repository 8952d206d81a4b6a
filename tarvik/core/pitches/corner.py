"""Corner pitches: the sheet on its diagonal, a corner or two high."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role
from tarvik.core.pitches.base import (
    Family,
    Limit,
    Pitch,
    PullSide,
    Setting,
    SheetBox,
    Step,
    Values,
    anchors,
    most_height,
    root,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.fold.pattern import Floats

STEEPEST_SINE: Final = constant(
    "diagonal_fly_steepest", 0.985, "sine", ENGINEERING, "steepest side of a diagonal fly: 80 degrees from level"
)
LOWEST_RISE_M: Final = constant(
    "diagonal_fly_rise", 0.10, "m", ENGINEERING, "least height of the ridge above the held-off corners, so that water runs"
)

_DIAGONAL: Final = Pattern(
    ("P", "R", "A", "B"),
    (Panel("right", Role.ROOF, ("P", "A", "R")), Panel("left", Role.ROOF, ("P", "R", "B"))),
)


def _diagonal_uv(box: SheetBox, size: int) -> Floats:
    width, length = box
    return np.broadcast_to(np.array([[0, 0], [width, length], [width, 0], [0, length]], dtype=np.float64), (size, 4, 2))


def _plow_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form: P above the origin, R straight back at sqrt(D^2 - h^2), each side corner where two circles meet.

    For a rectangle the side corners are W and L from P and L and W from R; x = (side^2 - h^2) / reach.
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
    start = np.stack([np.stack(c, 1) for c in ([zero, reach, xa, xb], [zero, zero, -ya, yb], [h, zero, zero, zero])], axis=-1)
    held = np.zeros((4, 3), dtype=bool)
    held[:, 2] = True
    held[0] = True
    held[1, 1] = True
    return Layout(_DIAGONAL, _diagonal_uv(box, h.size), start, held)


def _plow_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    shorter = np.full_like(values["height"], min(box))
    return (Limit("height", most_height(shorter), "the shorter side of the sheet does not reach the ground"),)


def _fly_frame(box: SheetBox, near: Floats, far: Floats) -> tuple[Floats, list[tuple[Floats, Floats]]]:
    """Ridge reach on the ground, and for each side corner (A, B) its foot's share along the ridge and height there."""
    width, length = box
    diagonal2 = width**2 + length**2
    reach = root(diagonal2 - (near - far) ** 2)
    feet = []
    for side in (width, length):
        share = np.full_like(near, side**2 / diagonal2)
        feet.append((share, near + (far - near) * share))
    return reach, feet


def _fly_sines(box: SheetBox, near: Floats, far: Floats, corner: Floats) -> list[Floats]:
    """Sine of the tilt that brings each side corner down to its height; above 1 there is none."""
    width, length = box
    reach, feet = _fly_frame(box, near, far)
    altitude = width * length / np.hypot(width, length)
    return [(foot - corner) * np.hypot(width, length) / (altitude * reach) for _, foot in feet]


def _fly_layout(box: SheetBox, values: Values) -> Layout:
    width, length = box
    near, far, corner = values["height"], values["height_far"], values["corner_height"]
    diagonal = np.hypot(width, length)
    reach, feet = _fly_frame(box, near, far)
    zero = np.zeros_like(near)
    altitude = width * length / diagonal
    points = [(zero, zero, near), (reach, zero, far)]
    for (share, foot), sine, hand in zip(feet, _fly_sines(box, near, far, corner), (-1.0, 1.0), strict=True):
        fall = np.where((foot - corner >= LOWEST_RISE_M) & (sine <= STEEPEST_SINE), sine, np.nan)
        out = altitude * root(1 - fall**2)
        points.append((share * reach + altitude * fall * (far - near) / diagonal, hand * out, corner + 0 * foot))
    start = np.stack([np.stack(point, axis=-1) for point in points], axis=1)
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
        Limit("corner_height", np.fmax(np.min([foot for _, foot in feet], axis=0) - LOWEST_RISE_M, 0.0),
              "the ridge must stand above the side corners, or water pools"),
        Limit("height", _bisect(lambda v: foldable(v, far), np.fmin(near, low), high), short),
        Limit("height_far", _bisect(lambda v: foldable(near, v), np.fmin(far, low), high), short),
    )  # fmt: skip


_LOOK: Final = Step("Look up for dead branches, and clear the ground of stones and sticks.")

PLOW_POINT: Final = Pitch(
    slug="plow-point",
    name="Plow point",
    also_known_as=("diamond", "one-corner pitch"),
    family=Family.CORNER,
    summary="One corner high on a support, the other three staked. Back to the wind, open towards the support.",
    settings=(Setting("height", "m", 0.3, 2.5, 1.3, "height of the peak corner above the ground", "Peak height"),),
    pattern=_DIAGONAL,
    anchors=anchors("P", "RAB"),
    pull=PullSide.LONE,
    layout=_plow_layout,
    limits=_plow_limits,
    steps=(
        _LOOK,
        Step("Stand with your back to the wind: that is where the far corner goes. Tie corner {P} to its support at "
             "{height}."),
        Step("Walk the opposite corner {R} straight back into the wind and stake it {P-R} from the foot of the support.",
             ("R",)),
        Step("Stake side corner {A}: {A-P} from the foot of the support and {A-R} from {R}.", ("A",)),
        Step("Stake side corner {B}: {B-P} from the foot of the support and {B-R} from {R}; the two are {A-B} apart.",
             ("B",)),
        Step("Pull each corner along the line it points, drive the stakes, and go round once more. If the wind turns, pull "
             "the three stakes and swing the sheet round its support."),
    ),
    minutes=2,
    faults=(
        "The middle hangs low over the sleeper: tighten the far corner first, then lift the centre with a cord to a tree.",
        "One side slack: its stake stands too near the support. Measure both sides again.",
    ),
)  # fmt: skip

DIAGONAL_FLY: Final = Pitch(
    slug="diagonal-fly",
    name="Diagonal fly",
    also_known_as=("diamond fly", "corner ridge"),
    family=Family.CORNER,
    summary="Ridge along the diagonal between two supports, the two other corners staked down or held off the ground.",
    settings=(
        Setting("height", "m", 0.3, 2.5, 1.4, "height of the front end of the diagonal", "Front height"),
        Setting("height_far", "m", 0.3, 2.5, 1.4, "height of the rear end of the diagonal", "Rear height"),
        Setting("corner_height", "m", 0.0, 1.5, 0.0, "height of the two side corners above the ground",
                "Side corners' height", searched=False),
    ),
    pattern=_DIAGONAL,
    anchors=anchors("PR", "AB", "corner guy"),
    pull=PullSide.RIDGE_LINE,
    layout=_fly_layout,
    limits=_fly_limits,
    steps=(
        _LOOK,
        Step("Rig the diagonal between two supports: corner {P} at {height}, corner {R} at {height_far}. Tighten it until "
             "it hums."),
        Step("Pull side corner {A} square off the ridge and stake it {A-ridge} out, on the weather side first.", ("A",)),
        Step("Pull side corner {B} the other way and stake it; the two stand {A-B} apart.", ("B",)),
        Step("One corner a little lower than the other sheds the water to one place. Go round once more."),
    ),
    minutes=3,
    faults=(
        "A pool beside the ridge: a side corner is too high or the ridge too slack.",
        "The sheet creeps along the line: tie the two end corners to it, not only over it.",
    ),
)  # fmt: skip
