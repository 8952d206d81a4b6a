"""Cloth does not stretch: closed forms against symbolic maths, and every pitch on random
rectangles.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
import sympy as sp
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from tarvik.core.fitting import Misfit, fit
from tarvik.core.fold.bias import SHEAR_MOST_DEG
from tarvik.core.fold.check import lowest_m, tiling_fault_m2
from tarvik.core.fold.crossing import panels_cross
from tarvik.core.fold.pattern import Layout, Panel, Pattern, Role
from tarvik.core.fold.solve import length_residual, solve_fold
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.pitches.base import Shape, batch
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet, foldable, refusals

SIDES = st.floats(1.2, 6.0)


def cases_that_fold(
    slug: str, rng: np.random.Generator, wanted: int
) -> list[tuple[Sheet, dict[str, float]]]:
    """Random sheets and settings over the whole range a pitch offers, those that form; doors and
    flaps in every state.
    """
    pitch, found = PITCHES[slug], []
    for _ in range(400):
        width, length = rng.uniform(1.6, 5.0, 2)
        length = width if rng.random() < 0.2 else length
        sheet = Sheet.rectangle(float(width), float(length))
        fitting = fit(pitch, sheet)
        if isinstance(fitting, Misfit):
            continue
        values = {
            s.name: rng.integers(s.least, s.most + 1, 60).astype(float)
            if s.is_choice
            else rng.uniform(s.least, s.most, 60)
            for s in pitch.settings
        }
        good = np.flatnonzero(foldable(fitting.pitch, fitting.box, values))
        found += [
            (sheet, {name: float(v[k]) for name, v in values.items()}) for k in good[:2]
        ]
        if len(found) >= wanted:
            return found[:wanted]
    raise AssertionError(f"only {len(found)} of {wanted} cases of {slug} fold")


@pytest.mark.parametrize("slug", PITCHES)
def test_every_fold_is_cloth(slug: str) -> None:
    """200 random sheets and settings: panels tile the sheet, keep every edge and diagonal within
    0.1 mm (bias that a pitch declares aside, and that within its cap), are joined, stay flat, pass
    through none, and nothing is below the ground.
    """
    pitch = PITCHES[slug]
    for sheet, settings in cases_that_fold(slug, np.random.default_rng(7), 200):
        shelter = fold_sheet(pitch, sheet, settings)
        assert (
            tiling_fault_m2(
                sheet,
                {p: shelter.sheet_at(p) for p in shelter.pattern.points},
                shelter.panels,
            )
            < 1e-7
        )
        i, j = shelter.pattern.rigid_pairs().T
        flat = np.linalg.norm(shelter.uv[i] - shelter.uv[j], axis=1)
        world = np.linalg.norm(shelter.xyz[i] - shelter.xyz[j], axis=1)
        assert np.abs(flat - world).max(initial=0.0) < 1e-4
        assert shelter.shear_deg <= (SHEAR_MOST_DEG + 1e-9 if pitch.lifted else 0.0)
        assert lowest_m(shelter.xyz) >= -1e-9
        assert not panels_cross(shelter.pattern, shelter.xyz[None])[0]
        for face in shelter.faces():  # points of a panel stay in one plane
            off = face.xyz - face.xyz.mean(axis=0)
            assert len(face.xyz) == 3 or np.linalg.svd(off)[1][2] < 1e-6


def test_a_panel_through_another_is_seen() -> None:
    """Two triangles of which one stands through the other, and the same two apart."""
    pattern = Pattern(
        ("A", "B", "C", "D", "E", "F"),
        (Panel("1", Role.ROOF, ("A", "B", "C")), Panel("2", Role.ROOF, ("D", "E", "F"))),
    )
    lying = [[0, 0, 0], [2, 0, 0], [0, 2, 0]]
    through, beside = (
        [[0.5, 0.5, -1], [0.5, 0.5, 1], [0.6, 0.5, 1]],
        [[3, 3, -1], [3, 3, 1], [3.1, 3, 1]],
    )
    xyz = np.array([lying + through, lying + beside], dtype=float)
    assert panels_cross(pattern, xyz).tolist() == [True, False]


def test_plow_point_against_symbolic_circles() -> None:
    """Side corners of a rectangle: where the sphere about the peak, the sphere about the rear stake
    and the ground meet.
    """
    x, y = sp.symbols("x y", real=True)
    width, length, h = sp.Rational(24, 10), 3, sp.Rational(13, 10)
    reach = sp.sqrt(width**2 + length**2 - h**2)
    solved = sp.solve(
        [x**2 + y**2 + h**2 - width**2, (x - reach) ** 2 + y**2 - length**2], [x, y]
    )
    wanted = {(float(a), round(abs(float(b)), 9)) for a, b in solved}
    corner = fold_sheet(
        PITCHES["plow-point"], Sheet.rectangle(2.4, 3.0), {"height": 1.3}
    ).at("A")
    assert min(math.dist((corner[0], abs(corner[1])), w) for w in wanted) < 1e-9


def test_plow_point_of_a_square() -> None:
    """Computed value: length sqrt(D^2 - h^2), side corners at the side's length from peak and
    rear.
    """
    shelter = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3, 3), {"height": 1.2})
    assert shelter.at("R")[0] == pytest.approx(math.sqrt(18 - 1.44))
    for corner in ("A", "B"):
        assert math.dist(shelter.at(corner), shelter.at("P")) == pytest.approx(3)
        assert math.dist(shelter.at(corner), shelter.at("R")) == pytest.approx(3)


def test_a_frame_and_lean_to_closed_forms() -> None:
    """Half span sqrt((W/2)^2 - h^2); depth sqrt(W^2 - h^2); with a floor the roof is W - f
    (Pythagoras, symbolic).
    """
    w, h, f = sp.symbols("w h f", positive=True)
    span = sp.lambdify((w, h), sp.sqrt((w / 2) ** 2 - h**2))
    depth = sp.lambdify((w, h, f), sp.sqrt((w - f) ** 2 - h**2))
    sheet = Sheet.rectangle(2.9, 2.9)
    assert fold_sheet(PITCHES["a-frame"], sheet, {"height": 1.0}).at("A")[
        1
    ] == pytest.approx(span(2.9, 1.0))
    assert fold_sheet(PITCHES["lean-to"], sheet, {"height": 1.3}).at("A")[
        0
    ] == pytest.approx(depth(2.9, 1.3, 0))
    floored = fold_sheet(PITCHES["lean-to-floored"], sheet, {"height": 1.1, "floor": 0.8})
    assert floored.at("A")[0] == pytest.approx(depth(2.9, 1.1, 0.8))
    assert floored.at("A")[0] - floored.at("C")[0] == pytest.approx(0.8)


@given(
    near=st.floats(0.5, 1.5),
    far=st.floats(0.5, 1.5),
    corner=st.floats(0, 0.3),
    width=SIDES,
    length=SIDES,
)
def test_diagonal_fly_corners_by_general_optimiser(
    near: float, far: float, corner: float, width: float, length: float
) -> None:
    """An independent solver, given only the distances, finds the same side corners."""
    settings = {"height": near, "height_far": far, "corner_height": corner}
    assume(not refusals(PITCHES["diagonal-fly"], (width, length), settings))
    shelter = fold_sheet(PITCHES["diagonal-fly"], Sheet.rectangle(width, length), settings)
    top, rear = shelter.at("P"), shelter.at("R")

    def off(xy: np.ndarray) -> list[float]:
        place = np.array([xy[0], xy[1], corner])
        return [
            float(np.linalg.norm(place - top) - width),
            float(np.linalg.norm(place - rear) - length),
        ]

    found = least_squares(
        off,
        shelter.at("A")[:2] + np.array([0.05, -0.05]),
        xtol=1e-14,
        ftol=1e-14,
        gtol=1e-14,
    ).x
    assert found == pytest.approx(shelter.at("A")[:2], abs=1e-5)


@pytest.mark.parametrize("slug", PITCHES)
def test_the_solver_finds_the_fold_from_a_rough_start(slug: str) -> None:
    """From places up to 5 cm off, the batched solver comes back to a rigid fold, each case by
    itself.
    """
    pitch = PITCHES[slug]
    rng = np.random.default_rng(3)
    values = {
        s.name: np.full(4000, s.default)
        if s.is_choice or not s.searched
        else rng.uniform(s.least, s.most, 4000)
        for s in pitch.settings
    }
    box = (3.4, 3.4 if pitch.shape is Shape.SQUARE else 3.1)
    good = np.flatnonzero(foldable(pitch, box, values))[:50]
    layout = pitch.layout(box, {name: v[good] for name, v in values.items()})
    moved = (
        ~layout.held
        & np.isin(np.arange(len(layout.pattern.points)), layout.pattern.rigid_pairs())[
            :, None
        ]
    )
    noise = rng.uniform(-0.02, 0.02, layout.start.shape) * moved
    rough = Layout(layout.pattern, layout.uv, layout.start + noise, layout.held)
    assert length_residual(rough, rough.start).max() > 1e-3
    assert solve_fold(rough).residual_m.max() < 1e-6
    alone = Layout(layout.pattern, rough.uv[7:8], rough.start[7:8], rough.held)
    assert solve_fold(alone).xyz[0] == pytest.approx(solve_fold(rough).xyz[7], abs=1e-6)


def test_a_fold_that_cannot_be_says_so() -> None:
    layout = PITCHES["a-frame"].layout(
        (2.0, 2.0), batch({"height": 1.4}, PITCHES["a-frame"])
    )
    assert not solve_fold(layout).rigid[0]


@pytest.mark.parametrize("slug", PITCHES)
@given(width=SIDES, length=SIDES, height=st.floats(0.3, 2.5))
def test_limits_explain_every_refusal(
    slug: str, width: float, length: float, height: float
) -> None:
    """A setting the sheet does not allow comes with the most it allows, and that most can be
    folded.
    """
    pitch = pitch_named(slug)
    length = width if pitch.shape is Shape.SQUARE else length
    for refusal in refusals(pitch, (width, length), {"height": height}):
        assert refusal.why
        if (
            math.isfinite(refusal.most)
            and refusal.short_by_m > 0
            and refusal.setting == "height"
        ):
            nearest = refusal.least + 1e-4 if refusal.too_small else refusal.most - 1e-4
            values = batch({"height": nearest}, pitch)
            others = list(refusals(pitch, (width, length), {"height": nearest}))
            assert foldable(pitch, (width, length), values)[0] or any(
                r.setting != "height" for r in others
            )


def test_scaling_the_sheet_scales_the_fold() -> None:
    small = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2, 3), {"height": 0.8})
    large = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(4, 6), {"height": 1.6})
    assert large.xyz == pytest.approx(2 * small.xyz)


def test_swapping_the_sides_mirrors_a_plow_point() -> None:
    one = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2.4, 3.0), {"height": 1.1})
    two = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3.0, 2.4), {"height": 1.1})
    assert one.at("A") * [1, -1, 1] == pytest.approx(two.at("B"))


def test_a_fold_with_a_place_missing_is_none_whichever_it_is() -> None:
    """One point without a place, and the fold's change of length is no number: never that of the
    other points.
    """
    pitch = PITCHES["a-frame"]
    layout = pitch.layout((3.0, 3.0), batch({}, pitch))
    for point in range(len(layout.pattern.points)):
        start = layout.start.copy()
        start[0, point, 1] = np.nan
        assert np.isnan(length_residual(layout, start)[0])
        assert not solve_fold(Layout(layout.pattern, layout.uv, start, layout.held)).rigid[
            0
        ]
