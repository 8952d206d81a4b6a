"""A-frames with their ends shut: ridge ties set in, or corners turned in as doors."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches.base import (
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
    free,
    most_height,
    turned_box,
)
from tarvik.core.pitches.geometry import (
    across,
    laid_out,
    limit_by_trying,
    point,
    turned_about,
)
from tarvik.core.pitches.move import Move
from tarvik.core.pitches.suits import NO_TIES, SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats, Layout, Place

DOORS: Final = Setting(
    "doors",
    "0 or 1",
    0,
    1,
    0,
    "0: doors shut; 1: doors open",
    "Doors",
    sought=Sought.NEVER,
    words=("shut", "open"),
    shut_at=0,
)
_LOOK: Final = Step(
    "Look up for dead branches, and clear the ground of stones and sticks. A side goes to the "
    "wind, not an end."
)
_SIDES: Final = (
    Panel("left", Role.ROOF, ("A", "B", "Q", "P")),
    Panel("right", Role.ROOF, ("P", "Q", "D", "C")),
)


_CLOSED: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D", "F1", "F", "F2", "G1", "G", "G2"),
    (
        *_SIDES,
        Panel("front left", Role.DOOR, ("P", "A", "F1")),
        Panel("front pleat left", Role.DOOR, ("P", "F1", "F")),
        Panel("front pleat right", Role.DOOR, ("P", "F", "F2")),
        Panel("front right", Role.DOOR, ("P", "F2", "C")),
        Panel("rear left", Role.DOOR, ("Q", "G1", "B")),
        Panel("rear pleat left", Role.DOOR, ("Q", "G", "G1")),
        Panel("rear pleat right", Role.DOOR, ("Q", "G2", "G")),
        Panel("rear right", Role.DOOR, ("Q", "D", "G2")),
    ),
)


def _closed_layout(box: SheetBox, values: Values) -> Layout:
    """Closed form. With the ridge ties set in, an end leans in as a plane A-P-C. The flap at P
    spans more than that plane's angle there; what is over is laid in one pleat, its two creases
    P-F1 and P-F2 as far beyond the middle on either hand, so that the two doors overlap.
    """
    width, length = turned_box(box, values)
    h, inset = values["height"], values["inset"]
    zero, half = np.zeros_like(h), width / 2
    b = foot_reach(half, h)
    flat, lean = 2 * np.arctan2(half, inset), np.hypot(inset, h)
    stands = 2 * np.arctan2(b, lean)
    beyond = (flat - stands) / 4  # each door's crease, past the middle of the end
    off = half - inset * np.tan(beyond)
    shut = values["doors"] < 0.5
    out = inset * np.tan(beyond)
    x_in, z_in = inset - inset * inset / lean, h - inset * h / lean
    share = off / half

    def end(name: str, at: Floats, way: float) -> dict[str, Place]:
        """An end's three rim points; `at` is the x of the rim, `way` +1 towards the inside."""
        x = at + way * np.where(shut, x_in, 0.0)
        z = np.where(shut, z_in, h * share)
        y = np.where(shut, -out, b * (1 - share))
        return {
            f"{name}1": (x, y, z),
            f"{name}2": (x, -y, z),
            name: (x, zero, np.where(shut, z_in, h)),
        }

    world: dict[str, Place] = {
        "P": (inset, zero, h),
        "Q": (length - inset, zero, h),
        "A": (zero, b, zero),
        "B": (length, b, zero),
        "C": (zero, -b, zero),
        "D": (length, -b, zero),
        **end("F", zero, 1.0),
        **end("G", length, -1.0),
    }
    sheet: dict[str, Place] = {
        "P": (half, inset),
        "Q": (half, length - inset),
        "A": (zero, zero),
        "B": (zero, length),
        "C": (width, zero),
        "D": (width, length),
        "F1": (off, zero),
        "F": (half, zero),
        "F2": (width - off, zero),
        "G1": (off, length),
        "G": (half, length),
        "G2": (width - off, length),
    }
    ok = (length - 2 * inset >= NARROWEST_SPAN_M) & (off > 0)
    return laid_out(_CLOSED, h.size, across(values, sheet), world, ok)


def _closed_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, length = turned_box(box, values)
    return (
        Limit("height", most_height(width / 2), "the sides do not reach the ground"),
        Limit("inset", (length - NARROWEST_SPAN_M) / 2, "it leaves no ridge"),
    )


A_FRAME_CLOSED: Final = Pitch(
    slug="a-frame-closed",
    name="A-frame, ends closed",
    also_known_as=("closed ridge tent", "storm A-frame"),
    family=Family.RIDGE,
    summary=(
        "An A-frame whose ridge ties are set in from the ends: the ends hang in as "
        "overlapping "
        "doors."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.0,
            0.95,
            "height of the ridge above the ground",
            "Ridge height",
        ),
        Setting(
            "inset",
            "m",
            0.3,
            1.2,
            0.5,
            "how far the ridge ties are set in from each end",
            "Ridge ties set in",
        ),
        DOORS,
        TURN,
    ),
    pattern=_CLOSED,
    anchors=(*anchors("PQ", "ABCD"), *free("F1", "F", "F2", "G1", "G", "G2")),
    pull=PullSide.RIDGE_LINE,
    layout=_closed_layout,
    limits=_closed_limits,
    steps=(
        _LOOK,
        Step(
            "Make a button on the ridge {inset} in from each end, at {P} and {Q}, and rig "
            "them at {height}, {P-Q} apart."
        ),
        Step(
            (
                "Stake the weather side first, corners {A} and {B}: {A-B} apart, the whole edge "
                "on the ground."
            ),
            ("A", "B"),
        ),
        Step(
            "Stake the other side, corners {C} and {D}: {A-C} across from the first.",
            ("C", "D"),
        ),
        Step(
            "Lay each end in a pleat under its ridge tie, one door over the other, the "
            "weather side outside. Leave a gap "
            "at the top for air."
        ),
    ),
    minutes=8,
    suits=Suits(
        first=("storm", NO_TIES),
        well=("steady-rain", SNOW),
        never=("cold-fire", "fair-view", "shade"),
    ),
    faults=(
        (
            "It drips inside: the ends are too tight. Open the pleat a hand's breadth at the top "
            "of both ends."
        ),
        "The ridge tie slips: the button is too small. Use a stone as large as an egg.",
    ),
    moves=(
        Move(
            "a-frame-closed",
            "Shut the ends",
            (
                "Lay each end's flap in a pleat under its ridge tie, the weather side outside.",
                "Tie the pleats; leave a hand's breadth open at the top.",
            ),
            2.0,
            keeps=("height", "inset", "turn"),
            sets=(("doors", 0.0),),
        ),
    ),
)


_DOORED: Final = Pattern(
    ("P", "Q", "A", "B", "C", "D", "M1", "M2", "M3", "M4", "T1", "T2", "T3", "T4"),
    (
        *_SIDES,
        Panel("front left", Role.DOOR, ("P", "M1", "A")),
        Panel("front left lap", Role.DOOR, ("P", "T1", "M1")),
        Panel("front right", Role.DOOR, ("P", "C", "M2")),
        Panel("front right lap", Role.DOOR, ("P", "M2", "T2")),
        Panel("rear left", Role.DOOR, ("Q", "B", "M3")),
        Panel("rear left lap", Role.DOOR, ("Q", "M3", "T3")),
        Panel("rear right", Role.DOOR, ("Q", "M4", "D")),
        Panel("rear right lap", Role.DOOR, ("Q", "T4", "M4")),
    ),
)


def _doored_layout(rise: float, box: SheetBox, values: Values) -> Layout:
    """Closed form. `rise`: how far each ridge end reaches beyond the side corners (0 for a
    rectangle).

    A hem that stays on the ground can only turn where it mirrors about a line through the foot of
    the peak. The crease runs from the peak to the foot A at 45 degrees and half the lap's angle, so
    that the hem comes straight to the middle M; what is left, the lap, is turned about P-M onto the
    other door.
    """
    width, length = turned_box(box, values)
    h, lap = values["height"], values["overlap"]
    zero, half = np.zeros_like(h), width / 2
    b = foot_reach(half, h)
    middle = rise + lap
    turn = np.arctan2(middle, b)
    foot = b * np.tan(np.pi / 4 + turn / 2)
    stand = np.hypot(b, middle)
    shut = values["doors"] < 0.5
    peak, hem = point(zero, zero, h), point(stand, zero, zero)
    along = hem - point(foot, b, zero)
    tip = hem + lap[:, None] * along / np.linalg.norm(along, axis=1, keepdims=True)
    tip = turned_about(
        tip, peak, hem, np.full_like(h, np.pi)
    )  # in its own door's plane, mirrored about P-M
    tip = tip * np.array(
        [1.0, -1.0, 1.0]
    )  # and that plane's mirror image is the other door's
    world: dict[str, Place] = {
        "P": (zero, zero, h),
        "Q": (length, zero, h),
        "A": (foot, b, zero),
        "B": (length - foot, b, zero),
        "C": (foot, -b, zero),
        "D": (length - foot, -b, zero),
    }
    flat: dict[str, Place] = {
        "P": (half, zero),
        "Q": (half, length),
        "A": (zero, foot),
        "B": (zero, length - foot),
        "C": (width, foot),
        "D": (width, length - foot),
    }
    for i, (far, right) in enumerate(((0, 0), (0, 1), (1, 0), (1, 1)), start=1):
        y = -1.0 if right else 1.0
        x0, way = (length, -1.0) if far else (zero, 1.0)
        mx, my = np.where(shut, stand, middle), np.where(shut, 0.0, b)
        tx, ty, tz = (np.where(shut, tip[:, k], (rise, b, 0.0)[k]) for k in range(3))
        world |= {
            f"M{i}": (x0 + way * mx, y * my, zero),
            f"T{i}": (x0 + way * tx, y * ty, tz),
        }
        u = width if right else zero
        flat |= {f"M{i}": (u, x0 + way * middle), f"T{i}": (u, x0 + way * (rise + zero))}
    ok = (length - 2 * foot >= NARROWEST_SPAN_M) & ((rise == 0) | (values["turn"] < 0.5))
    return laid_out(_DOORED, h.size, across(values, flat), world, ok)


def _doored_limits(rise: float, box: SheetBox, values: Values) -> tuple[Limit, ...]:
    _, length = turned_box(box, values)

    def layout(box: SheetBox, values: Values) -> Layout:
        return _doored_layout(rise, box, values)

    why = "the sides do not reach the ground, or the ridge is too short for doors at both ends"
    return (
        limit_by_trying(layout, box, values, "height", 0.2, 3.0, why),
        Limit("overlap", length / 4, "the doors take the whole side"),
    )


def _doored(rise: float) -> Pitch:
    return Pitch(
        slug="a-frame-doored",
        name="A-frame with doors",
        also_known_as=("ridge tent with doors",),
        family=Family.RIDGE,
        summary=(
            "The sides shorter on the ground than the ridge; four end flaps turn in and "
            "overlap "
            "as doors."
        ),
        settings=(
            Setting(
                "height",
                "m",
                0.3,
                2.2,
                1.15,
                "height of the ridge above the ground",
                "Ridge height",
            ),
            Setting(
                "overlap",
                "m",
                0.05,
                0.3,
                0.12,
                "how far the doors of an end overlap at the hem",
                "Doors overlap",
                sought=Sought.NEVER,
            ),
            DOORS,
            TURN,
        ),
        pattern=_DOORED,
        anchors=(
            *anchors("PQ", ("A", "B", "C", "D", "M1", "M2", "M3", "M4")),
            *free("T1", "T2", "T3", "T4"),
        ),
        pull=PullSide.RIDGE_LINE,
        layout=lambda box, values: _doored_layout(rise, box, values),
        limits=lambda box, values: _doored_limits(rise, box, values),
        steps=(
            _LOOK,
            Step(
                "Set the ridge ends {P} and {Q} at {height} on two poles or between two "
                "supports, {P-Q} apart."
            ),
            Step(
                (
                    "Stake the sides, the weather side first: {A} and {B}, {A-B} apart; then {C} "
                    "and {D}, {A-C} across."
                ),
                ("A", "B", "C", "D"),
            ),
            Step(
                "Turn the weather flaps in and stake their hems at {M1} and {M3} in the "
                "middle of each end, {A-M1} from the "
                "side's stake.",
                ("M1", "M3"),
            ),
            Step(
                "Lay the other flaps over them by {overlap} and stake them at {M2} and {M4}. "
                "The peak of each end stands "
                "{P-M1} out over the hem.",
                ("M2", "M4"),
            ),
        ),
        minutes=9,
        suits=Suits(
            first=("storm",),
            well=("steady-rain", SNOW),
            never=("cold-fire", "fair-view", "shade"),
        ),
        faults=(
            (
                "The doors gape at the hem: the side's end stakes stand too far out. Move them "
                "towards the middle."
            ),
            "It drips inside: open the lee flaps a hand's breadth at the top.",
        ),
        outlined=_doored_for,
        laps=tuple(
            (a, b)
            for i, top in enumerate("PPQQ", start=1)
            for a, b in ((f"M{i}", f"T{i}"), (f"T{i}", top))
        ),
        moves=(
            Move(
                "a-frame-doored",
                "Shut the doors",
                (
                    "Turn the weather flaps in and stake their hems in the middle.",
                    "Lap the other flaps over them and stake those.",
                ),
                2.0,
                keeps=("height", "overlap", "turn"),
                sets=(("doors", 0.0),),
            ),
        ),
    )


def _doored_for(outline: tuple[tuple[float, float], ...]) -> Pitch | None:
    """The same from a sheet with a ridge longer than its sides: six corners, the ridge ends in the
    middle of the ends.
    """
    width, length = max(u for u, _ in outline), max(v for _, v in outline)
    rise = min((v for u, v in outline if abs(u) < 1e-6), default=0.0)
    wanted = {
        (0.0, rise),
        (0.0, length - rise),
        (width / 2, length),
        (width, length - rise),
        (width, rise),
        (width / 2, 0.0),
    }
    near = len(outline) == 6 and all(
        any(abs(u - a) + abs(v - c) < 0.02 for a, c in wanted) for u, v in outline
    )
    return _doored(rise) if near and rise > 0 else None


A_FRAME_DOORED: Final = _doored(0.0)
