"""Pitches whose middle is lifted: the cloth gives on the bias, by no more than a cap, and the angle
is reported.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, constant
from tarvik.core.fold.bias import SHEAR_MOST_DEG, Mesh, hang, shear_deg
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role, stacked
from tarvik.core.fold.solve import RIGID_M, length_residual
from tarvik.core.pitches.base import (
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
    free,
    most_height,
    turned_box,
)
from tarvik.core.pitches.corner import PLOW_POINT
from tarvik.core.pitches.geometry import across, limit_by_trying
from tarvik.core.pitches.move import ROUND, Move
from tarvik.core.pitches.suits import SNOW, Suits

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats, Place
MIDDLE_LEAST_M: Final = constant(
    "middle_lift_least",
    0.10,
    "m",
    COMMON_PRACTICE,
    "less lift than this makes a plain plow point of one with its middle lifted",
)


def _mesh_pattern(names: dict[str, str], roles: dict[str, Role]) -> Pattern:
    """Four corners c0..c3 in order round, four rim points m0..m3 (m0 between c0 and c1), the lifted
    middle: two triangles a quarter, hinged on the middle's line to the corner, which runs on the
    bias.
    """
    panels = []
    for i in range(4):
        corner, before, after = names[f"c{i}"], names[f"m{(i + 3) % 4}"], names[f"m{i}"]
        role = roles[f"c{i}"]
        panels.append(Panel(f"{corner} near {after}", role, (corner, after, names["k"])))
        panels.append(Panel(f"{corner} near {before}", role, (corner, names["k"], before)))
    give = frozenset(frozenset((names["k"], names[f"c{i}"])) for i in range(4))
    return Pattern(tuple(names.values()), tuple(panels), give)


def _settled(
    pattern: Pattern, mesh: Mesh, flat: Floats, start: Floats, held: np.ndarray
) -> Layout:
    """The hung shape, NaN where a thread would stretch, the cloth shear too far, or a point sink
    into the ground.
    """
    xyz = hang(mesh, flat, start, held)
    layout = Layout(pattern, flat, xyz, held)
    with np.errstate(invalid="ignore"):
        good = (length_residual(layout, xyz) <= RIGID_M / 10) & (
            shear_deg(pattern, flat, xyz) <= SHEAR_MOST_DEG
        )
        good &= (xyz[..., 2] >= -1e-9).all(axis=1)
    xyz[~good] = np.nan
    return layout


_PLOW_NAMES: Final = {
    "c0": "P",
    "c1": "A",
    "c2": "R",
    "c3": "B",
    "m0": "E",
    "m1": "F",
    "m2": "G",
    "m3": "H",
    "k": "K",
}
_PLOW: Final = _mesh_pattern(
    _PLOW_NAMES, dict.fromkeys(("c0", "c1", "c2", "c3"), Role.ROOF)
)
_PLOW_MESH: Final = Mesh.of(
    _PLOW, (("E", "P", "A"), ("F", "A", "R"), ("G", "B", "R"), ("H", "P", "B"))
)


def _plow_layout_at(
    hood: tuple[float, float] | None, box: SheetBox, values: Values
) -> Layout:
    """From the plain plow point, the middle (or hood) raised by `lift`; rear edges stay on the
    ground.
    """
    width, length = box
    u, v = hood or (width / 2, length / 2)
    plain = PLOW_POINT.layout(box, values)
    p, r, a, b = (plain.start[:, i] for i in range(4))
    right = (u / width) >= (v / length)  # which of the two slopes the lifted point lies on
    side, along, off = (
        (a, u - v * width / length, v / length)
        if right
        else (b, v - u * length / width, u / width)
    )
    size = width if right else length
    k = p + (side - p) * (along / size) + (r - p) * off
    k = k + np.stack([0 * values["lift"], 0 * values["lift"], values["lift"]], axis=-1)
    start = np.stack(
        [
            p,
            a,
            r,
            b,
            p + (a - p) * (u / width),
            a + (r - a) * (v / length),
            b + (r - b) * (u / width),
            p + (b - p) * (v / length),
            k,
        ],
        axis=1,
    )
    places: list[Place] = [
        (0, 0),
        (width, 0),
        (width, length),
        (0, length),
        (u, 0),
        (width, v),
        (u, length),
        (0, v),
        (u, v),
    ]
    flat = stacked(places, len(start))
    held = np.zeros((9, 3), dtype=bool)
    held[0] = True
    held[2, 1:] = True
    held[[1, 3, 5, 6, 8], 2] = True
    return _settled(_PLOW, _PLOW_MESH, flat, start, held)


def _plow_pitch(hood: tuple[float, float] | None) -> Pitch:
    def layout(box: SheetBox, values: Values) -> Layout:
        return _plow_layout_at(hood, box, values)

    def limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
        return (
            *PLOW_POINT.limits(box, values),
            limit_by_trying(
                layout,
                box,
                values,
                "lift",
                0.0,
                0.6,
                f"the cloth would shear by more than {SHEAR_MOST_DEG:g}°",
            ),
        )

    return Pitch(
        slug="plow-point-lifted",
        name="Plow point, middle lifted",
        also_known_as=("lifted diamond",),
        family=Family.CORNER,
        summary=(
            "A plow point whose middle is drawn up by a cord, a bipod or a stick: much more "
            "room "
            "inside."
        ),
        settings=(
            *PLOW_POINT.settings,
            Setting(
                "lift",
                "m",
                0.0,
                0.5,
                0.2,
                "how far the middle, hood or button is raised above the plain pitch",
                "Middle lifted by",
                handy_least=MIDDLE_LEAST_M,
            ),
        ),
        pattern=_PLOW,
        anchors=(
            *anchors("P", "RAB"),
            Anchor("K", Hold.LIFTED, "lifting cord"),
            *free("E", "F", "G", "H"),
        ),
        pull=PullSide.LONE,
        layout=layout,
        limits=limits,
        steps=(
            *PLOW_POINT.steps[:5],
            Step(
                "Lift the middle at {K} by {lift}: a cord to a tree behind, a bipod over the "
                "sheet, or a padded "
                "stick inside. "
                "Then go round once more."
            ),
        ),
        minutes=4,
        suits=Suits(first=("steady-rain",), well=("fair-view",), fair=("storm",)),
        faults=(
            *PLOW_POINT.faults,
            "Folds run from the lifted point: it is lifted too far. Let it down until they go.",
        ),
        lifted=True,
        hooded=_plow_pitch,
        moves=(
            Move(
                "plow-point",
                "Let the middle down and lower the peak",
                (
                    "Untie the lifting cord, or take the stick away.",
                    "Slip the peak's line down.",
                    "Move the far stake back.",
                    ROUND,
                ),
                3.0,
            ),
        ),
    )


PLOW_POINT_LIFTED: Final = _plow_pitch(None)


_LEAN_NAMES: Final = {
    "c0": "P",
    "c1": "Q",
    "c2": "B",
    "c3": "A",
    "m0": "T",
    "m1": "F",
    "m2": "C",
    "m3": "E",
    "k": "K",
}
_LEAN: Final = _mesh_pattern(
    _LEAN_NAMES, dict.fromkeys(("c0", "c1", "c2", "c3"), Role.ROOF)
)
_LEAN_MESH: Final = Mesh.of(_LEAN, (("F", "Q", "B"), ("E", "P", "A"), ("C", "A", "B")))


def _lean_layout(box: SheetBox, values: Values) -> Layout:
    """From the plain lean-to, the middle drawn up by `lift`; the front edge stays straight on its
    line.
    """
    width, length = turned_box(box, values)
    h, at, lift = values["height"], values["button"], values["lift"]
    zero, half = np.zeros_like(h), length / 2
    depth = foot_reach(width, h)
    share = at / width
    rise = h * (1 - share)
    world: list[Place] = [
        (zero, half, h),
        (zero, -half, h),
        (depth, -half, zero),
        (depth, half, zero),
        (zero, zero, h),
        (depth * share, -half, rise),
        (depth, zero, zero),
        (depth * share, half, rise),
        (depth * share, zero, rise + lift),
    ]
    flat: dict[str, Place] = {
        "P": (zero, zero),
        "Q": (zero, length),
        "B": (width, length),
        "A": (width, zero),
        "T": (zero, half),
        "F": (at, length),
        "C": (width, half),
        "E": (at, zero),
        "K": (at, half),
    }
    held = np.zeros((9, 3), dtype=bool)
    held[[0, 1, 4]] = True
    held[[2, 3, 6, 8], 2] = True
    start = stacked(world, h.size)
    start[~(share < 0.95)] = np.nan
    return _settled(
        _LEAN, _LEAN_MESH, stacked(list(across(values, flat).values()), h.size), start, held
    )


def _lean_limits(box: SheetBox, values: Values) -> tuple[Limit, ...]:
    width, _ = turned_box(box, values)
    return (
        Limit("height", most_height(width), "the sheet does not reach the ground behind"),
        Limit("button", width * 0.94, "it leaves no cloth behind the button"),
        limit_by_trying(
            _lean_layout,
            box,
            values,
            "lift",
            0.0,
            0.6,
            f"the cloth would shear by more than {SHEAR_MOST_DEG:g}°",
        ),
    )


LIFT_LEAST_M: Final = constant(
    "lift_least", 0.15, "m", COMMON_PRACTICE, "a back lifted by less is a plain lean-to"
)


LEAN_TO_LIFTED: Final = Pitch(
    slug="lean-to-lifted",
    name="Lean-to, back lifted",
    also_known_as=("lifted single slope",),
    family=Family.LEAN_TO,
    summary=(
        "A lean-to with the middle of its back drawn out and up at a button: nearly closed "
        "behind, open to a small fire."
    ),
    settings=(
        Setting(
            "height",
            "m",
            0.3,
            2.5,
            1.3,
            "height of the front edge above the ground",
            "Front height",
        ),
        Setting(
            "lift",
            "m",
            0.0,
            0.5,
            0.15,
            "how far the middle is raised above the plain slope",
            "Middle lifted by",
            handy_least=LIFT_LEAST_M,
        ),
        Setting(
            "button",
            "m",
            0.5,
            2.5,
            1.5,
            "distance from the front edge down the sheet to the lifted button",
            "Button from the front edge",
            sought=Sought.ALSO,
        ),
        TURN,
    ),
    pattern=_LEAN,
    anchors=(
        *anchors("PQ", "ABC"),
        Anchor("K", Hold.LIFTED, "lifting cord"),
        *free("T", "E", "F"),
    ),
    pull=PullSide.FRONT_EDGE,
    layout=_lean_layout,
    limits=_lean_limits,
    steps=(
        Step(
            "Look up for dead branches, and clear the ground. The low edge goes to the wind, "
            "the open front away."
        ),
        Step("Rig the front edge at {height}, corners {P} and {Q} {P-Q} apart."),
        Step(
            (
                "Stake the rear corners {A} and {B} and the back's middle {C}: {A-P} behind the "
                "front edge, {A-B} apart."
            ),
            ("A", "B", "C"),
        ),
        Step(
            "Make a button in the middle at {K}, {button} down from the front edge, and draw "
            "it out and up by "
            "{lift} to a tree "
            "or a bipod behind."
        ),
        Step(
            "Move the rear corners in until no fold is left, and go round once more. Keep a "
            "fire small, one long step off."
        ),
    ),
    minutes=7,
    suits=Suits(first=("cold-fire",), fair=("steady-rain",), never=(SNOW,)),
    faults=("Folds run from the button: it is lifted too far. Let it down until they go.",),
    lifted=True,
    moves=(
        Move(
            "lean-to",
            "Let the middle down and lower the front",
            (
                "Untie the lifting cord.",
                "Lower both ends of the front alike.",
                "Move the rear stakes back.",
                ROUND,
            ),
            4.0,
            keeps=("turn",),
        ),
    ),
)
