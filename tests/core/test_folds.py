"""Cloth does not stretch: closed forms against symbolic maths, and every pitch on random rectangles."""

from __future__ import annotations

import math

import numpy as np
import pytest
import sympy as sp
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from tarvik.core.fold.check import lowest_m, tiling_fault_m2
from tarvik.core.fold.pattern import Layout
from tarvik.core.fold.solve import length_residual, solve_fold
from tarvik.core.pitches import PITCHES, pitch_named
from tarvik.core.pitches.base import batch
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet, foldable, refusals
from tests.reference import SQUARES

SIDES = st.floats(1.2, 6.0)


def settings_of(slug: str) -> st.SearchStrategy[dict[str, float]]:
    """Random settings over the whole range a pitch offers."""
    return st.fixed_dictionaries(
        {
            s.name: st.floats(s.least, s.most) if not s.is_choice else st.sampled_from([0.0, 1.0])
            for s in PITCHES[slug].settings
        }
    )


@pytest.mark.parametrize("slug", PITCHES)
@given(data=st.data(), width=SIDES, length=SIDES)
def test_every_fold_is_cloth(slug: str, data: st.DataObject, width: float, length: float) -> None:
    """Panels tile the sheet, keep every edge and diagonal within 0.1 mm, and nothing is below the ground."""
    settings = data.draw(settings_of(slug))
    length = width if slug in SQUARES else length
    pitch, sheet = PITCHES[slug], Sheet.rectangle(width, length)
    if refusals(pitch, (width, length), settings):
        # Scale the heights down into what the sheet allows: half a side always folds.
        small = min(width, length) / 4
        settings |= {n: min(v, small) for n, v in settings.items() if n.startswith("height")}
        settings |= {n: 0.0 for n in settings if n in ("offset", "corner_height")}
        settings |= {n: 0.6 for n in settings if n == "floor"}
        settings |= {n: small / 2 for n in settings if n in ("awning", "flap", "inset", "tip") and pitch.setting(n).is_length}
        settings |= {n: 15.0 for n in settings if pitch.setting(n).unit == "degrees"}
        settings |= {n: 0.2 for n in settings if n == "low"}
    assume(not refusals(pitch, (width, length), settings))
    shelter = fold_sheet(pitch, sheet, settings)
    assert tiling_fault_m2(sheet, {p: shelter.sheet_at(p) for p in pitch.pattern.points}, shelter.panels) < 1e-9
    i, j = pitch.pattern.rigid_pairs().T
    flat = np.linalg.norm(shelter.uv[i] - shelter.uv[j], axis=1)
    world = np.linalg.norm(shelter.xyz[i] - shelter.xyz[j], axis=1)
    assert np.abs(flat - world).max() < 1e-4
    assert lowest_m(shelter.xyz) >= -1e-9
    for face in shelter.faces():  # four points of a rigid panel stay in one plane
        if len(face.xyz) > 3:
            a, b, c = face.xyz[1] - face.xyz[0], face.xyz[2] - face.xyz[0], face.xyz[3] - face.xyz[0]
            assert abs(np.dot(np.cross(a, b), c)) < 1e-6


def test_plow_point_against_symbolic_circles() -> None:
    """Side corners of a rectangle: where the sphere about the peak, the sphere about the rear stake and the ground meet."""
    x, y = sp.symbols("x y", real=True)
    width, length, h = sp.Rational(24, 10), 3, sp.Rational(13, 10)
    reach = sp.sqrt(width**2 + length**2 - h**2)
    solved = sp.solve([x**2 + y**2 + h**2 - width**2, (x - reach) ** 2 + y**2 - length**2], [x, y])
    wanted = {(float(a), round(abs(float(b)), 9)) for a, b in solved}
    corner = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2.4, 3.0), {"height": 1.3}).at("A")
    assert min(math.dist((corner[0], abs(corner[1])), w) for w in wanted) < 1e-9


def test_plow_point_of_a_square() -> None:
    """Computed value: length sqrt(D^2 - h^2), side corners at the side's length from peak and rear."""
    shelter = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3, 3), {"height": 1.2})
    assert shelter.at("R")[0] == pytest.approx(math.sqrt(18 - 1.44))
    for corner in ("A", "B"):
        assert math.dist(shelter.at(corner), shelter.at("P")) == pytest.approx(3)
        assert math.dist(shelter.at(corner), shelter.at("R")) == pytest.approx(3)


def test_a_frame_and_lean_to_closed_forms() -> None:
    """Half span sqrt((W/2)^2 - h^2); depth sqrt(W^2 - h^2); with a floor the roof is W - f (Pythagoras, symbolic)."""
    w, h, f = sp.symbols("w h f", positive=True)
    span = sp.lambdify((w, h), sp.sqrt((w / 2) ** 2 - h**2))
    depth = sp.lambdify((w, h, f), sp.sqrt((w - f) ** 2 - h**2))
    sheet = Sheet.rectangle(2.9, 2.9)
    assert fold_sheet(PITCHES["a-frame"], sheet, {"height": 1.0}).at("A")[1] == pytest.approx(span(2.9, 1.0))
    assert fold_sheet(PITCHES["lean-to"], sheet, {"height": 1.3}).at("A")[0] == pytest.approx(depth(2.9, 1.3, 0))
    floored = fold_sheet(PITCHES["lean-to-floored"], sheet, {"height": 1.1, "floor": 0.8})
    assert floored.at("A")[0] == pytest.approx(depth(2.9, 1.1, 0.8))
    assert floored.at("A")[0] - floored.at("C")[0] == pytest.approx(0.8)


@given(near=st.floats(0.5, 1.5), far=st.floats(0.5, 1.5), corner=st.floats(0, 0.3), width=SIDES, length=SIDES)
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
        return [float(np.linalg.norm(place - top) - width), float(np.linalg.norm(place - rear) - length)]

    found = least_squares(off, shelter.at("A")[:2] + np.array([0.05, -0.05]), xtol=1e-14, ftol=1e-14, gtol=1e-14).x
    assert found == pytest.approx(shelter.at("A")[:2], abs=1e-5)


@pytest.mark.parametrize("slug", PITCHES)
def test_the_solver_finds_the_fold_from_a_rough_start(slug: str) -> None:
    """From places up to 5 cm off, the batched solver comes back to a rigid fold, each case by itself."""
    pitch = PITCHES[slug]
    values = batch({}, pitch, 50)
    values["height"] = np.linspace(0.9, 1.2, 50)
    layout = pitch.layout((3.4, 3.4 if slug in SQUARES else 3.1), values)
    noise = np.random.default_rng(1).uniform(-0.05, 0.05, layout.start.shape) * ~layout.held
    rough = Layout(layout.pattern, layout.uv, layout.start + noise, layout.held)
    assert length_residual(rough, rough.start).max() > 1e-3
    assert solve_fold(rough).residual_m.max() < 1e-6
    alone = Layout(layout.pattern, rough.uv[7:8], rough.start[7:8], rough.held)
    assert solve_fold(alone).xyz[0] == pytest.approx(solve_fold(rough).xyz[7], abs=1e-6)


def test_a_fold_that_cannot_be_says_so() -> None:
    layout = PITCHES["a-frame"].layout((2.0, 2.0), batch({"height": 1.4}, PITCHES["a-frame"]))
    assert not solve_fold(layout).rigid[0]


@pytest.mark.parametrize("slug", PITCHES)
@given(width=SIDES, length=SIDES, height=st.floats(0.3, 2.5))
def test_limits_explain_every_refusal(slug: str, width: float, length: float, height: float) -> None:
    """A setting the sheet does not allow comes with the most it allows, and that most can be folded."""
    pitch = pitch_named(slug)
    for refusal in refusals(pitch, (width, length), {"height": height}):
        assert refusal.why
        if math.isfinite(refusal.most) and refusal.short_by_m > 0 and refusal.setting == "height":
            values = batch({"height": refusal.most - 1e-6}, pitch)
            others = list(refusals(pitch, (width, length), {"height": refusal.most - 1e-6}))
            assert foldable(pitch, (width, length), values)[0] or any(r.setting != "height" for r in others)


def test_scaling_the_sheet_scales_the_fold() -> None:
    small = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2, 3), {"height": 0.8})
    large = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(4, 6), {"height": 1.6})
    assert large.xyz == pytest.approx(2 * small.xyz)


def test_swapping_the_sides_mirrors_a_plow_point() -> None:
    one = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(2.4, 3.0), {"height": 1.1})
    two = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3.0, 2.4), {"height": 1.1})
    assert one.at("A") * [1, -1, 1] == pytest.approx(two.at("B"))
