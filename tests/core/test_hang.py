"""The hung sheet against published curves and membranes, a general optimiser, and what must not
change.
"""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from scipy.optimize import brentq, minimize

from tarvik.core.fold.pattern import Panel, Pattern, Role
from tarvik.core.hang.balance import Members, System, come_to_rest
from tarvik.core.hang.cloth import threads
from tarvik.core.hang.fabric import DEFAULT_FABRIC, FABRICS, Fabric, fabric_named
from tarvik.core.hang.hung import Hanging, Hung, hang
from tarvik.core.hang.kernel import TOE
from tarvik.core.hang.mesh import Mesh, mesh_of
from tarvik.core.hang.room import HungRoom
from tarvik.core.measure.figures import measure
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter
from tarvik.core.solve import ADULT, Question, Solution, solve
from tarvik.core.units import GRAVITY
from tarvik.core.weather.rain import Weather

PLAIN = Fabric("plain", "plain", 0.1, 50_000, 50_000, 0.0, 0.0, 0.0)
"""A cloth with threads and no shear stiffness, for the published cases."""


UP_M = 5.0


def flat_sheet(width: float, length: float) -> Shelter:
    """A sheet level in the air, UP_M above the ground, as one panel."""
    sheet = Sheet.rectangle(width, length)
    uv = np.array(sheet.outline)
    pattern = Pattern(
        ("A", "B", "C", "D"), (Panel("cloth", Role.ROOF, ("A", "B", "C", "D")),)
    )
    return Shelter(
        PITCHES["lean-to"], sheet, {}, uv, np.column_stack([uv, np.full(4, UP_M)]), pattern
    )


def weight_on(mesh: Mesh, newtons_m2: float) -> np.ndarray:
    load = np.zeros((len(mesh.uv), 3))
    load[:, 2] = newtons_m2 * mesh.node_area
    return load


def solved(
    slug: str, sheet: Sheet, settings: dict[str, float], weather: Weather | None = None
) -> Solution:
    return solve(
        Question(sheet, PITCHES[slug], settings, weather=weather or Weather(0.0, 0.0, 90.0))
    )


def hung(
    slug: str, sheet: Sheet, settings: dict[str, float], hanging: Hanging | None = None
) -> Hung:
    solution = solved(slug, sheet, settings)
    assert solution.shelter is not None and solution.assessment.rig is not None
    return hang(solution.shelter, solution.assessment.rig, hanging or Hanging())


@pytest.mark.parametrize("share", [0.90, 0.97, 0.995])
def test_a_slack_strip_hangs_as_a_catenary(share: float) -> None:
    """Sag of an inextensible chain of length L over a span s: L = 2 a sinh(s / 2a), sag = a (cosh(s
    / 2a) - 1) (any textbook of mechanics, after J. Bernoulli).
    """
    length = 4.0
    mesh = mesh_of(flat_sheet(length, 0.5), 41)
    start, held = mesh.xyz.copy(), np.zeros(len(mesh.uv), dtype=bool)
    span = share * length
    start[:, 0] *= share
    start[:, 2] -= 0.3 * np.sin(np.pi * mesh.uv[:, 0] / length)
    ends = (mesh.uv[:, 0] < 1e-9) | (mesh.uv[:, 0] > length - 1e-9)
    held[ends], start[ends, 2] = True, UP_M
    stiff = replace(PLAIN, warp_n_m=2e6, weft_n_m=2e6)
    rest = come_to_rest(
        System(threads(mesh, stiff), held), start, weight_on(mesh, -1.0), mesh.node_area
    )
    a = brentq(lambda q: 2 * q * math.sinh(span / 2 / q) - length, 0.3, 400.0)
    sag = a * (math.cosh(span / 2 / a) - 1)
    assert rest.settled
    assert UP_M - rest.x[:, 2].min() == pytest.approx(sag, rel=0.01)


def test_a_taut_strip_hangs_as_a_parabola() -> None:
    """Sag of a taut string under an even load w: w s^2 / 8 T (textbook; common in cable tables)."""
    length, stretch, load = 4.0, 0.01, -3.0
    mesh = mesh_of(flat_sheet(length, 0.5), 33)
    start, held = mesh.xyz.copy(), np.zeros(len(mesh.uv), dtype=bool)
    start[:, 0] *= 1 + stretch
    held[(mesh.uv[:, 0] < 1e-9) | (mesh.uv[:, 0] > length - 1e-9)] = True
    rest = come_to_rest(
        System(threads(mesh, PLAIN), held), start, weight_on(mesh, load), mesh.node_area
    )
    pull = PLAIN.weft_n_m * (stretch - TOE / 2)
    # The load is per metre of cloth, which spans a little more.
    sag = -load / (1 + stretch) * (length * (1 + stretch)) ** 2 / 8 / pull
    assert UP_M - rest.x[:, 2].min() == pytest.approx(sag, rel=0.01)


@pytest.mark.parametrize("shear", [0.0, 2_000.0])
def test_a_square_membrane_bulges_as_published(shear: float) -> None:
    """Middle of a square membrane of side a under pull T and pressure p: 0.07367 p a^2 / T
    (Timoshenko and Goodier, Theory of Elasticity, membrane analogy of torsion, series solution).
    """
    side, stretch, pressure = 2.0, 0.01, 2.0
    mesh = mesh_of(flat_sheet(side, side), 17)
    start, held = mesh.xyz.copy(), np.zeros(len(mesh.uv), dtype=bool)
    start[:, :2] *= 1 + stretch
    held[np.unique(mesh.rim)] = True
    fabric = replace(PLAIN, shear_n_m=shear)
    rest = come_to_rest(
        System(threads(mesh, fabric), held),
        start,
        weight_on(mesh, pressure),
        mesh.node_area,
    )
    pull = (PLAIN.warp_n_m + 4 * shear) * (
        stretch - TOE / 2
    )  # both biases pull along and across by half each
    wide = side * (1 + stretch)
    bulge = 0.07367 * pressure / (1 + stretch) ** 2 * wide**2 / (pull / (1 + stretch))
    assert rest.x[mesh.node_at((side / 2, side / 2)), 2] - UP_M == pytest.approx(
        bulge, rel=0.02
    )


RIGID = replace(
    DEFAULT_FABRIC, shear_n_m=1e6, warp_n_m=1e6, weft_n_m=1e6, weight_kg_m2=1e-4
)
FOLDED = [
    ("a-frame", {"height": 1.1}),
    ("plow-point", {"height": 1.2}),
    ("lean-to", {"height": 1.2}),
    ("corner-wrap", {"height": 1.2}),
    ("closed-wedge", {"height": 1.4}),
]


@pytest.mark.parametrize(("slug", "settings"), FOLDED)
def test_a_cloth_that_cannot_shear_or_weigh_stays_folded(
    slug: str, settings: dict[str, float]
) -> None:
    found = hung(
        slug,
        Sheet.rectangle(3.2, 3.2),
        settings,
        Hanging(fabric=replace(RIGID, weight_kg_m2=0.0), tautness=0.0),
    )
    assert found.settled
    assert np.abs(found.xyz - found.mesh.xyz).max() < 0.002


def numpy_energy(
    system: System, load: np.ndarray, flat: np.ndarray, free: np.ndarray, held: np.ndarray
) -> tuple[float, np.ndarray]:
    """The energy and its gradient written anew in plain NumPy, from the description alone."""
    x = held.copy()
    x[free] = flat.reshape(-1, 3)
    m = system.members
    y = np.einsum("ep,epm->em", m.coef, x[m.nodes])
    size = np.linalg.norm(y, axis=1)
    over, toe = size - m.rest, TOE * m.rest
    soft = (over > 0) & (over < toe)
    hard = over >= toe
    stored = np.where(
        soft,
        over**3 / 6 / toe,
        np.where(hard, over**2 / 2 - toe * over / 2 + toe**2 / 6, 0.0),
    )
    pull = m.stiff * np.where(soft, over**2 / 2 / toe, np.where(hard, over - toe / 2, 0.0))
    gradient = -load.copy()
    np.add.at(
        gradient,
        m.nodes,
        (pull / np.maximum(size, 1e-12))[:, None, None]
        * y[:, None, :]
        * m.coef[:, :, None],
    )
    sunk = np.minimum(x[:, 2], 0.0)
    gradient[:, 2] += system.ground_n_m * sunk
    total = float(
        (m.stiff * stored).sum()
        - (load * x).sum()
        + system.ground_n_m / 2 * (sunk**2).sum()
    )
    return total, gradient[free].ravel()


@pytest.mark.parametrize(
    ("slug", "settings"),
    [
        ("plow-point", {"height": 1.2}),
        ("four-corner-shade", {"height": 1.4, "low": 0.9}),
        ("lean-to", {"height": 1.3}),
    ],
)
def test_a_general_optimiser_finds_the_same_shape(
    slug: str, settings: dict[str, float]
) -> None:
    """SciPy's L-BFGS-B on the energy: the same shape within 5 mm."""
    found = hung(slug, Sheet.rectangle(3.0, 3.0), settings, Hanging(lines=9))
    system, free = found.system, np.flatnonzero(~found.system.held)
    start = np.concatenate([found.mesh.xyz, found.rest.x[len(found.mesh.uv) :]])
    start[found.system.held] = found.rest.x[found.system.held]
    other = minimize(
        lambda flat: numpy_energy(system, found.load, flat, free, start),
        start[free].ravel(),
        jac=True,
        method="L-BFGS-B",
        options={
            "maxiter": 60_000,
            "maxfun": 80_000,
            "maxcor": 40,
            "ftol": 1e-15,
            "gtol": 1e-6,
        },
    )
    assert found.settled
    assert found.system.energy(found.rest.x, found.load) <= other.fun + 1e-5
    assert np.abs(other.x.reshape(-1, 3) - found.rest.x[free]).max() < 0.005


@pytest.mark.parametrize("slug", [s for s in PITCHES if s not in ("bag", "net-only")])
def test_every_pitch_hangs_and_its_ties_balance_all_loads(slug: str) -> None:
    pitch = PITCHES[slug]
    sheet = (
        Sheet.rectangle(2.6, 3.6) if pitch.shape == "oblong" else Sheet.rectangle(3.2, 3.2)
    )
    solution = solve(Question(sheet, pitch, {}, wanted=1))
    assert solution.shelter is not None and solution.assessment.rig is not None
    for hanging in (
        Hanging(lines=11),
        Hanging(lines=9, pressure_pa=60.0, wind_from_deg=60.0, wet=True, snow_kg_m2=2.0),
    ):
        found = hang(solution.shelter, solution.assessment.rig, hanging)
        assert found.settled
        assert found.unbalanced < 1e-3
        assert found.xyz[:, 2].min() > -0.01


def test_balance_adds_up_from_the_ties_alone() -> None:
    """Weight and wind summed by hand against the forces named at each tie; nothing rests on the
    ground here.
    """
    found = hung(
        "four-corner-shade",
        Sheet.rectangle(3.0, 3.0),
        {"height": 1.6, "low": 1.0},
        Hanging(pressure_pa=40.0),
    )
    taken = np.sum(
        [f.pull for f in found.forces], axis=0
    )  # a tie's upward pull on its holder is negative where it carries
    assert np.allclose(
        taken, found.load.sum(axis=0), atol=1e-3 * float(np.abs(found.load).sum())
    )
    on_ground = hung(
        "lean-to-floored", Sheet.rectangle(3.0, 3.0), {"height": 1.2, "floor": 0.8}
    )
    taken = np.sum([f.pull for f in on_ground.forces], axis=0) + np.array(
        [0.0, 0.0, on_ground.ground_n]
    )
    assert np.allclose(
        taken, on_ground.load.sum(axis=0), atol=1e-3 * float(np.abs(on_ground.load).sum())
    )
    calm = hung("four-corner-shade", Sheet.rectangle(3.0, 3.0), {"height": 1.6, "low": 1.0})
    assert float(calm.load[:, 2].sum()) == pytest.approx(
        -9.0 * DEFAULT_FABRIC.weight_kg_m2 * GRAVITY, rel=1e-9
    )


def test_a_finer_mesh_of_a_membrane_converges_with_order_two() -> None:
    """Against the published bulge of a square membrane: a mesh twice as fine errs about a quarter
    as much.
    """
    side, stretch, pressure = 2.0, 0.01, 0.2
    exact = (
        0.0736713
        * pressure
        * side**2
        * (1 + stretch)
        / (PLAIN.warp_n_m * (stretch - TOE / 2))
    )
    errors = []
    for lines in (5, 9, 17):
        mesh = mesh_of(flat_sheet(side, side), lines)
        start, held = mesh.xyz.copy(), np.zeros(len(mesh.uv), dtype=bool)
        start[:, :2] *= 1 + stretch
        held[np.unique(mesh.rim)] = True
        rest = come_to_rest(
            System(threads(mesh, PLAIN), held),
            start,
            weight_on(mesh, pressure),
            mesh.node_area,
        )
        errors.append(
            abs(rest.x[mesh.node_at((side / 2, side / 2)), 2] - UP_M - exact) / exact
        )
    orders = [math.log2(a / b) for a, b in pairwise(errors)]
    assert all(1.7 < order < 2.3 for order in orders), (errors, orders)


def test_a_finer_mesh_changes_a_sheet_held_at_points_by_millimetres() -> None:
    middle = [
        float(
            hung(
                "plow-point", Sheet.rectangle(3.0, 3.0), {"height": 1.2}, Hanging(lines=n)
            ).at((1.5, 1.5))[2]
        )
        for n in (9, 17, 33)
    ]
    assert abs(middle[2] - middle[1]) < abs(middle[1] - middle[0]) < 0.008


def test_turning_changes_nothing() -> None:
    found = hung(
        "corner-wrap", Sheet.rectangle(3.0, 3.0), {"height": 1.2}, Hanging(lines=9)
    )
    start = found.rest.x.copy()
    start[: len(found.mesh.uv)] = np.where(
        found.system.held[: len(found.mesh.uv), None],
        start[: len(found.mesh.uv)],
        found.mesh.xyz,
    )
    mass = np.full(len(start), 1.0)
    plain = come_to_rest(found.system, start, found.load, mass)
    a = np.radians(37.0)
    turn = np.array(
        [[np.cos(a), -np.sin(a), 0.0], [np.sin(a), np.cos(a), 0.0], [0.0, 0.0, 1.0]]
    )
    turned = come_to_rest(found.system, start @ turn.T, found.load @ turn.T, mass)
    assert np.abs(turned.x - plain.x @ turn.T).max() < 0.001


def test_mirroring_changes_nothing() -> None:
    """The corner pitch of a square is its own mirror image about its crease, when warp and weft are
    alike.
    """
    fabric = replace(DEFAULT_FABRIC, weft_n_m=DEFAULT_FABRIC.warp_n_m)
    found = hung(
        "plow-point",
        Sheet.rectangle(3.0, 3.0),
        {"height": 1.2},
        Hanging(fabric=fabric, lines=13),
    )
    for u, v in ((0.5, 1.25), (1.0, 2.0), (0.25, 2.75), (0.0, 1.5)):
        one, two = found.at((u, v)), found.at((v, u))
        assert np.allclose(one * [1, -1, 1], two, atol=1e-3)


def test_an_unlifted_corner_pitch_sags_as_measured() -> None:
    """3 m, peak 1.2 m, one per cent past taut: the middle hangs between 0.48 and 0.56 m where the
    fold has 0.60.
    """
    found = hung("plow-point", Sheet.rectangle(3.0, 3.0), {"height": 1.2})
    middle = float(found.at((1.5, 1.5))[2])
    assert float(found.mesh.xyz[found.mesh.node_at((1.5, 1.5)), 2]) == pytest.approx(
        0.60, abs=1e-6
    )
    assert 0.48 <= middle <= 0.56
    rear = found.mesh.node_at((2.25, 2.25))
    assert 0.06 <= found.mesh.xyz[rear, 2] - found.xyz[rear, 2] <= 0.13


@pytest.mark.parametrize("rule", ["through", "ends"])
def test_a_taut_ridge_hardly_changes_an_a_frame(rule: str) -> None:
    solution = solved("a-frame", Sheet.rectangle(3.0, 3.0), {"height": 1.2})
    assert solution.shelter is not None and solution.assessment.rig is not None
    rig = replace(solution.assessment.rig, through_line=rule == "through")
    found = hang(solution.shelter, rig, Hanging())
    roof, under = HungRoom.under(found), solution.figures
    assert under is not None
    assert np.abs(found.xyz[:, 2] - found.mesh.xyz[:, 2]).max() < 0.05
    if (
        rule == "through"
    ):  # the stakes' pull presses the cloth on the line more than its weight does
        untaut = hang(solution.shelter, rig, Hanging(tautness=0.0))
        assert found.ridge_sag_m is not None and untaut.ridge_sag_m is not None
        weight = 9.0 * DEFAULT_FABRIC.weight_kg_m2 * GRAVITY
        assert (
            0 <= untaut.ridge_sag_m <= weight * 3.0 / 8 / 250.0 + 1e-3
        )  # w L / 8 T, all of the weight on the line (textbook)
        assert untaut.ridge_sag_m <= found.ridge_sag_m < 0.03
    else:
        assert found.ridge_sag_m is None
    assert abs(float(roof.plan.area) - under.covered_area_m2) < 0.05 * under.covered_area_m2


@pytest.mark.parametrize(("slug", "settings"), FOLDED)
def test_room_over_the_unhung_mesh_is_the_folds(
    slug: str, settings: dict[str, float]
) -> None:
    """The same ground, dry ground and sitting area as the fold's own exact figures, when the mesh
    is left folded.
    """
    weather = Weather(4.0, 6.0, 90.0)
    solution = solved(slug, Sheet.rectangle(3.2, 3.2), settings, weather)
    assert solution.shelter is not None and solution.assessment.rig is not None
    found = hang(solution.shelter, solution.assessment.rig, Hanging(lines=9))
    folded = replace(found, rest=replace(found.rest, x=found.mesh.xyz))
    room, fold = HungRoom.under(folded), measure(solution.shelter, ADULT, weather)
    assert room.plan.area == pytest.approx(fold.covered_area_m2, rel=1e-3)
    assert room.dry(weather).area == pytest.approx(fold.dry_area_m2, rel=1e-3)
    assert room.above(0.9).area == pytest.approx(
        fold.roof.area_above(0.9), rel=5e-3, abs=1e-3
    )
    places = np.array(
        [[x, y] for x in np.linspace(0.2, 2.4, 7) for y in np.linspace(-1.0, 1.0, 7)]
    )
    assert np.allclose(
        room.height_at(places), fold.roof.height_at(places), atol=1e-6, equal_nan=True
    )


def test_fabrics_are_told_apart_and_wet_nylon_sags() -> None:
    sheet, settings = Sheet.rectangle(3.0, 3.0), {"height": 1.2}
    dry, wet = (
        hung("plow-point", sheet, settings, Hanging(lines=9, wet=wet))
        for wet in (False, True)
    )
    assert (
        wet.at((1.5, 1.5))[2] < dry.at((1.5, 1.5))[2] - 0.02
    )  # nylon grows when wet (common practice)
    tight = hung(
        "plow-point",
        sheet,
        settings,
        Hanging(lines=9, wet=True, fabric=fabric_named("canvas")),
    )
    slack = hung(
        "plow-point", sheet, settings, Hanging(lines=9, fabric=fabric_named("canvas"))
    )
    assert max(f.newtons for f in tight.forces) > max(
        f.newtons for f in slack.forces
    )  # canvas shrinks (common practice)
    assert len({f.weight_kg_m2 for f in FABRICS.values()}) == len(FABRICS) == 6


def test_members_only_pull() -> None:
    cord = Members.cords(np.array([[0, 1]]), np.array([2.0]), np.array([100.0]))
    assert cord.pulls(np.array([[0.0, 0, 0], [1.9, 0, 0]]))[0] == 0.0
    assert cord.pulls(np.array([[0.0, 0, 0], [2.1, 0, 0]]))[0] == pytest.approx(
        100 * (0.1 - TOE), rel=1e-9
    )
