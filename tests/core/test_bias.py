"""Cloth that gives on the bias, against a general optimiser."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.optimize import minimize

from tarvik.core.fold.bias import Mesh, hang, shear_deg
from tarvik.core.fold.kernel import solve_quasi_definite
from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet


def test_shear_of_a_rhombus_by_hand() -> None:
    """A unit square cell drawn to a rhombus of 85 degrees: its threads keep their length, the shear
    is 5 degrees.
    """
    pattern = Pattern(
        ("A", "B", "C", "D"),
        (Panel("1", Role.ROOF, ("A", "B", "C")), Panel("2", Role.ROOF, ("A", "C", "D"))),
        frozenset({frozenset(("A", "C"))}),
    )
    flat = np.array([[[0.0, 0], [1, 0], [1, 1], [0, 1]]])
    a = np.radians(85)
    world = np.array(
        [[[0.0, 0, 0], [1, 0, 0], [1 + np.cos(a), np.sin(a), 0], [np.cos(a), np.sin(a), 0]]]
    )
    assert shear_deg(pattern, flat, world)[0] == pytest.approx(5.0)
    assert shear_deg(pattern, flat, np.concatenate([flat, np.zeros((1, 4, 1))], axis=-1))[
        0
    ] == pytest.approx(0.0)


def test_the_lifted_shape_is_the_least_sheared_one() -> None:
    """SciPy's constrained minimiser, given only thread lengths and the aim, comes to the same
    shape.
    """
    side, height, lift = 3.0, 1.2, 0.2
    shelter = fold_sheet(
        PITCHES["plow-point-lifted"],
        Sheet.rectangle(side, side),
        {"height": height, "lift": lift},
    )
    pattern, points = shelter.pattern, shelter.pattern.points
    rim = (("E", "P", "A"), ("F", "A", "R"), ("G", "B", "R"), ("H", "P", "B"))
    mesh = Mesh.of(pattern, rim)
    flat = np.column_stack([shelter.uv, np.zeros(len(points))])
    held = np.zeros((len(points), 3), dtype=bool)
    held[0] = True
    held[2, 1:] = True
    held[[points.index(p) for p in "ABFGK"], 2] = True
    free = np.flatnonzero(~held.ravel())

    def whole(x: np.ndarray) -> np.ndarray:
        out = shelter.xyz.copy().ravel()
        out[free] = x
        return out.reshape(-1, 3)

    def lengths(xyz: np.ndarray, pairs: np.ndarray) -> np.ndarray:
        return np.asarray(np.linalg.norm(xyz[pairs[:, 0]] - xyz[pairs[:, 1]], axis=1))

    def aim(x: np.ndarray) -> float:
        xyz = whole(x)
        bent = [xyz[p] - (xyz[a] + xyz[b]) / 2 for p, a, b in mesh.straight]
        return float(
            ((lengths(xyz, mesh.bias) - lengths(flat, mesh.bias)) ** 2).sum()
            + 0.09 * np.square(bent).sum()
        )

    start = shelter.xyz.ravel()[free] + np.random.default_rng(2).uniform(
        -0.03, 0.03, free.size
    )
    found = minimize(
        aim,
        start,
        method="SLSQP",
        options={"maxiter": 500, "ftol": 1e-14},
        constraints={
            "type": "eq",
            "fun": lambda x: lengths(whole(x), mesh.threads) - lengths(flat, mesh.threads),
        },
    )
    assert aim(shelter.xyz.ravel()[free]) <= found.fun + 1e-6
    assert np.abs(whole(found.x) - shelter.xyz).max() < 5e-3


def test_rows_that_cannot_fold_stay_so() -> None:
    """NaN in, NaN out, the others untouched by it."""
    pitch = PITCHES["plow-point-lifted"]
    values = {"height": np.array([1.2, 4.9, 1.2]), "lift": np.array([0.1, 0.1, 0.1])}
    made = pitch.layout((3.0, 3.0), values)
    assert np.isnan(made.start[1]).all()
    assert made.start[0] == pytest.approx(made.start[2])
    mesh = Mesh.of(pitch.pattern, ())
    assert np.isnan(hang(mesh, made.uv, made.start, np.zeros((9, 3), dtype=bool))[1]).all()


@pytest.mark.parametrize("size", [2, 9, 26])
def test_quasi_definite_equations_against_numpy(size: int) -> None:
    """A positive and a negative definite block, many zeros: the solution LAPACK finds with
    exchanges.
    """
    dice = np.random.default_rng(size)
    half = size // 2
    sparse = dice.normal(size=(size, size)) * (dice.random((size, size)) < 0.4)
    whole = sparse + sparse.T
    whole[:half, :half] = sparse[:half, :half] @ sparse[:half, :half].T + np.eye(half)
    whole[half:, half:] = -(sparse[half:, half:] @ sparse[half:, half:].T) - np.eye(
        size - half
    )
    aim = dice.normal(size=size)
    found = aim.copy()
    solve_quasi_definite(whole.copy(), found)
    assert found == pytest.approx(np.linalg.solve(whole, aim), abs=1e-9)
