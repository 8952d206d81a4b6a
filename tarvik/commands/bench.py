"""`./run bench`: the speeds an issue asks for, each against a plain reference measured in the same
run.
"""

from __future__ import annotations

import json
import statistics
import time
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, NamedTuple, TypeVar

import numpy as np
import shapely
from scipy.optimize import least_squares

from tarvik.commands import bench_boards
from tarvik.commands.pace import paced
from tarvik.commands.testbed import Testbed, testbed
from tarvik.core.fold.pattern import Layout
from tarvik.core.fold.solve import length_residual, solve_fold
from tarvik.core.kept import memories
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.dry import dry_ground
from tarvik.core.measure.figures import measure
from tarvik.core.measure.heading import rose
from tarvik.core.measure.roof import Roof
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import batch
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import Shelter, fold_sheet
from tarvik.core.site.hazards import hazards
from tarvik.core.site.pairs import forget_pairs, tree_pairs
from tarvik.core.site.placing import Spot, conflicts, place
from tarvik.core.site.relief import Relief
from tarvik.core.site.spots import best_spots
from tarvik.core.site.things import Ground, Kind, SpotHeight, Thing
from tarvik.core.solve import ADULT, Question, solve
from tarvik.core.tonight import Night, judge
from tarvik.core.weather.rain import Weather, fall_directions
from tarvik.store import courses, kit, nights
from tarvik.store.server import Server, default_folder
from tarvik.web.shared.questions import question
from tarvik.work.searching import Searcher
from tarvik.work.solving import Solver

Timed = TypeVar("Timed")

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from pathlib import Path

    from tarvik.core.plain import JsonObject

FIRST_FIVE = ("a-frame", "lean-to", "lean-to-floored", "plow-point", "diagonal-fly")
"""The pitches of the boards whose speed is told."""
SIZES = ((2.13, 2.13), (2.44, 2.44), (2.4, 3.0), (3.05, 3.05), (2.74, 3.66))


@dataclass(frozen=True)
class Figure:
    """One measured figure with its target, and a baseline where there is one. `slower`: how many
    times slower than usual the machine was when it was measured; a time is judged without that.
    """

    name: str
    value: float
    unit: str
    better: str
    target: float
    baseline: float | None = None
    slower: float = 1.0

    def as_json(self) -> JsonObject:
        """As the contract writes it."""
        judged = self.value / self.slower
        ok = judged <= self.target if self.better == "lower" else judged >= self.target
        out: JsonObject = {
            "value": self.value,
            "unit": self.unit,
            "better": self.better,
            "target": self.target,
            "ok": ok,
        }
        if self.slower != 1.0:
            out |= {
                "machine_slower": round(self.slower, 2),
                "at_usual_pace": round(judged, 5),
            }
        if self.baseline is not None:
            slower = (
                self.baseline / max(self.value, 1e-9)
                if self.better == "lower"
                else self.value / self.baseline
            )
            out |= {"baseline": self.baseline, "ratio": round(slower, 2)}
        return out


def seconds(action: Callable[[], object], times: int) -> float:
    """Median duration of an action."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        action()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def each_takes(
    things: Iterable[Timed], action: Callable[[Timed], object], times: int
) -> float:
    """Median over some things of the time that an action takes on one, in seconds."""
    return statistics.median(seconds(partial(action, one), times) for one in things)


def bench_solve() -> list[Figure]:
    """One solve with measures: settings searched, and settings given."""
    questions = [
        Question(Sheet.rectangle(*size), pitch, {})
        for size in SIZES
        for pitch in (PITCHES[slug] for slug in FIRST_FIVE)
    ]
    given = [Question(q.sheet, q.pitch, solve(q).settings) for q in questions]
    searched = each_takes(questions, solve, 3)
    fixed = each_takes(given, solve, 5)
    return [
        Figure("solve_with_search_ms", searched * 1e3, "ms", "lower", 20),
        Figure("solve_given_settings_ms", fixed * 1e3, "ms", "lower", 20),
    ]


def _perturbed(pitch: str, cases: int) -> Layout:
    """Folds to be solved from starts up to 3 cm off, so that the solver has work to do."""
    generator = np.random.default_rng(7)
    kind = PITCHES[pitch]
    values = batch({}, kind, cases)
    values["height"] = generator.uniform(0.6, 1.3, cases)
    layout = kind.layout((3.0, 3.2), values)
    noise = generator.uniform(-0.03, 0.03, layout.start.shape) * ~layout.held
    return Layout(layout.pattern, layout.uv, layout.start + noise, layout.held)


def bench_fold(cases: int = 2000, few: int = 40) -> Figure:
    """The batched fold solver against SciPy's least_squares, one case after the other."""
    layout = _perturbed("plow-point", cases)
    solve_fold(layout)
    batched = seconds(lambda: solve_fold(layout), 3) / cases
    i, j = layout.pattern.rigid_pairs().T
    free = ~layout.held.ravel()

    def one(n: int) -> float:
        flat = np.linalg.norm(layout.uv[n, i] - layout.uv[n, j], axis=-1)
        place = layout.start[n].ravel().copy()

        def off(x: np.ndarray) -> np.ndarray:
            place[free] = x
            xyz = place.reshape(-1, 3)
            return np.asarray(np.linalg.norm(xyz[i] - xyz[j], axis=-1) - flat)

        return float(
            np.abs(
                least_squares(off, place[free], xtol=1e-12, ftol=1e-12, gtol=1e-12).fun
            ).max()
        )

    start = time.perf_counter()
    worst_reference = max(one(n) for n in range(few))
    reference = (time.perf_counter() - start) / few
    worst = float(length_residual(layout, solve_fold(layout).xyz).max())
    if worst > 1e-6 or worst_reference > 1e-6:
        raise RuntimeError(
            f"the compared solvers are not equally exact: {worst:g} m and {worst_reference:g} m"
        )
    return Figure(
        "fold_us_per_case",
        batched * 1e6,
        "us",
        "lower",
        reference * 1e6 / 50,
        reference * 1e6,
    )


def _cells(roof: Roof, step: float) -> np.ndarray:
    low = roof.faces[..., :2].min(axis=(0, 1))
    high = roof.faces[..., :2].max(axis=(0, 1))
    x, y = (np.arange(a + step / 2, b, step) for a, b in zip(low, high, strict=True))
    return np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)


class GridAreas(NamedTuple):
    """Ground counted on a grid, m2: covered, high enough to sit, and to stand."""

    covered_m2: float
    sit_m2: float
    stand_m2: float


def grid_measures(roof: Roof, sit: float, stand: float, step: float = 0.01) -> GridAreas:
    """Reference: covered, sitting and standing ground by casting a ray up from every cell of a
    grid.
    """
    height = np.nan_to_num(roof.height_at(_cells(roof, step)), nan=-1.0)
    cell = step * step
    return GridAreas(
        float((height >= 0).sum() * cell),
        float((height >= sit).sum() * cell),
        float((height >= stand).sum() * cell),
    )


def grid_dry(roof: Roof, weather: Weather, step: float = 0.01) -> float:
    """Reference: dry ground by sending a ray against the rain from every cell, for calm air and
    every wind of the spread.
    """
    cells = _cells(roof, step)
    dry = np.ones(len(cells), dtype=bool)
    for travel in fall_directions(weather):
        hit = np.zeros(len(cells), dtype=bool)
        for face, n in zip(roof.faces, roof.corners, strict=True):
            hit |= shapely.contains_xy(
                shapely.Polygon(face[:n, :2] + face[:n, 2:] * travel),
                cells[:, 0],
                cells[:, 1],
            )
        dry &= hit
    return float(dry.sum() * step * step)


def grid_sleeper(roof: Roof, step: float = 0.01, turn_deg: int = 10) -> bool:
    """Reference: whether one mat fits, its places tried on the grid at every tenth degree, one
    clearance for all of it.
    """
    cells = _cells(roof, step)
    columns = int(np.argmax(np.diff(cells[:, 1]) > 0)) + 1
    height = np.nan_to_num(roof.height_at(cells), nan=-1.0).reshape(-1, columns)
    room = Clearance()
    x, y = np.meshgrid(np.arange(-0.925, 0.93, 0.1), np.arange(-0.3, 0.31, 0.1))
    found = False
    for heading in range(0, 360, turn_deg):
        a = np.radians(heading)
        fits = np.ones_like(height, dtype=bool)
        for px, py in zip(x.ravel(), y.ravel(), strict=True):
            dx = round((px * np.cos(a) - py * np.sin(a)) / step)
            dy = round((px * np.sin(a) + py * np.cos(a)) / step)
            fits &= np.roll(height, (-dy, -dx), axis=(0, 1)) >= room.edge_m
        found = found or bool(fits.any())
    return found


def bench_measures() -> list[Figure]:
    """All measures of one shelter on a windy night against the same on a 1 cm grid; dry ground and
    heading rose alone.
    """
    shelters = [
        fold_sheet(
            pitch,
            Sheet.rectangle(*size),
            solve(Question(Sheet.rectangle(*size), pitch, {})).settings,
        )
        for size in SIZES
        for pitch in (PITCHES[slug] for slug in FIRST_FIVE)
    ]
    weather = Weather(4, 6, 60)

    def ours(shelter: Shelter) -> object:
        fresh = replace(shelter)  # nothing kept from before
        figures = measure(fresh, ADULT, weather)
        return (
            figures.packs,
            figures.open_to_wind,
            figures.least_slope_deg,
            figures.open_area_m2,
        )

    def reference(shelter: Shelter) -> object:
        roof = Roof.over(shelter.faces())
        return grid_measures(roof, 0.96, 1.8), grid_dry(roof, weather), grid_sleeper(roof)

    taken = each_takes(shelters, ours, 3)
    some = shelters[:: max(len(shelters) // 10, 1)]
    grid = each_takes(some, reference, 1)
    turned = each_takes(shelters, lambda shelter: rose(shelter, weather), 1)
    return [
        Figure("measures_ms", taken * 1e3, "ms", "lower", 15, grid * 1e3),
        _dry(shelters, weather),
        Figure("heading_rose_ms", turned * 1e3, "ms", "lower", 100),
    ]


def _dry(shelters: list[Shelter], weather: Weather) -> Figure:
    """Dry ground alone; it is to be 50 times faster than the grid."""
    roofs = [Roof.over(s.faces()) for s in shelters]
    ours = each_takes(roofs, lambda roof: dry_ground(roof, weather), 5)
    grid = each_takes(roofs, lambda roof: grid_dry(roof, weather), 1)
    return Figure("dry_ground_ms", ours * 1e3, "ms", "lower", grid * 1e3 / 50, grid * 1e3)


def bench_areas() -> Figure:
    """The areas alone against the same grid."""
    shelter = fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3, 3), {"height": 1.4})
    roof = Roof.over(shelter.faces())

    def ours() -> float:
        fresh = Roof.over(shelter.faces())
        return fresh.plan().area + fresh.area_above(0.96) + fresh.area_above(1.8)

    grid = seconds(lambda: grid_measures(roof, 0.96, 1.8), 5)
    return Figure(
        "areas_ms", seconds(ours, 50) * 1e3, "ms", "lower", grid * 1e3 / 20, grid * 1e3
    )


def _lower(told: Iterable[tuple[str, float, str, float]]) -> list[Figure]:
    """Figures of which the lower is the better, from name, value, unit and target."""
    return [
        Figure(name, value, unit, "lower", target) for name, value, unit, target in told
    ]


def _slider(bed: Testbed) -> Figure:
    """The bench's slider: the server's answer to each place it is drawn to."""
    import urllib.request

    base = (
        f"{bed.url}/courses/{bed.course}/nights/{bed.nights[0]}/bench/"
        f"{bed.sheets['Faro T']}/plow-point/view"
    )
    heights = iter(np.arange(0.8, 2.0, 0.013))

    def slide() -> None:
        asked = urllib.request.Request(  # noqa: S310
            f"{base}?height={next(heights):.3f}", headers={"Cookie": f"tarvik={bed.token}"}
        )
        with urllib.request.urlopen(asked) as answer:  # noqa: S310
            answer.read()

    slide()
    return Figure("bench_slider_ms", seconds(slide, 40) * 1e3, "ms", "lower", 80.0)


def bench_web(checkout: Path) -> list[Figure]:
    """What the web asks for: boards, the bench slider's round trip, plans, hung sheets, load."""
    server = Server(default_folder(checkout)).start()
    searcher = Searcher().start()  # as the program that serves has one
    figures = []
    try:
        with testbed(server, "tarvik_bench", worker=False) as bed:
            with bed.database.session() as session:
                course = courses.course(session, bed.course)
                night = nights.night_of(
                    session, course, courses.night(session, bed.course, bed.nights[0])
                )
                supports = kit.supports_of(session, bed.course)
                sheets = kit.rows(session, bed.course, "sheets")[:16]

            def board_of(night: Night) -> list[Question]:
                return [
                    question(sheet, pitch, night, supports)
                    for sheet in sheets
                    for pitch in FIRST_FIVE
                ]

            calm = Night()
            asked_of_board = board_of(calm)
            solver = Solver(searcher)

            def board() -> None:
                solver.forget()
                solver.solve_all(asked_of_board)

            board()
            figures += paced(
                lambda: [Figure("board_16x5_cold_s", seconds(board, 5), "s", "lower", 0.5)]
            )
            where = bed.database.url, bed.course, bed.nights[0]
            figures += paced(lambda: _lower(bench_boards.measured(*where)))
            winds = iter(np.arange(5.0, 12.0, 0.13))

            def forecast_changed() -> None:
                changed = replace(
                    night,
                    needs=replace(
                        night.needs,
                        wind_m_s=float(next(winds)),
                        gust_m_s=None,
                        spread_deg=15.0,
                    ),
                )
                for solution in solver.solve_all(board_of(changed)):
                    judge(solution, changed)

            forecast_changed()
            figures += paced(
                lambda: _lower(
                    [
                        (
                            "board_16x5_changed_forecast_s",
                            seconds(forecast_changed, 7),
                            "s",
                            0.4,
                        )
                    ]
                )
            )
            figures += paced(lambda: [_slider(bed)])
            from tarvik.commands import bench_hang, bench_load, bench_plan, bench_safe
            from tarvik.work.cases import case_of

            with bed.database.session() as session:
                demo = case_of(session, bed.course, bed.nights[0])
            figures += paced(
                lambda: [
                    Figure(name, value, unit, "lower", target, rule)
                    for name, value, unit, target, rule in bench_plan.measured(
                        demo, searcher
                    )
                ]
            )
            every = [
                question(sheet, pitch, night, supports)
                for sheet in sheets
                for pitch in PITCHES
            ]
            figures += paced(lambda: [Figure(*told) for told in bench_hang.measured()])
            figures += paced(
                lambda: [
                    Figure(*told)
                    for told in bench_hang.board(bed.hangings, searcher, every, night)
                ]
            )
            figures += paced(lambda: _lower(bench_load.measured(server)))
            figures += paced(lambda: _lower(bench_safe.measured(server)))
    finally:
        searcher.stop()
        server.stop()
    return figures


def _wood(count: int, size: float) -> Ground:
    dice = np.random.default_rng(11)
    places = dice.uniform(0, size, (count, 2))
    heights = [
        SpotHeight((x, y), 0.03 * x + 0.2 * np.sin(y / 5))
        for x in np.linspace(0, size, 9)
        for y in np.linspace(0, size, 9)
    ]
    trees = [(float(x), float(y), float(dice.uniform(0.08, 0.4))) for x, y in places]
    return Ground(
        tuple(Thing(f"t{i}", Kind.TREE, (x, y), w) for i, (x, y, w) in enumerate(trees)),
        heights=tuple(heights),
    )


def _plain_pairs(ground: Ground, ridge: float) -> int:
    """Reference: every two trees in turn, every other tree against the line between them."""
    count = 0
    for i, a in enumerate(ground.things):
        for b in ground.things[i + 1 :]:
            clear = (
                float(np.hypot(a.at[0] - b.at[0], a.at[1] - b.at[1]))
                - (a.across_m + b.across_m) / 2
            )
            if ridge + 0.3 <= clear <= ridge + 8:
                course = shapely.LineString([a.at, b.at])
                count += not any(
                    course.distance(shapely.Point(t.at)) < 0.3 + t.across_m / 2
                    for t in ground.things
                    if t not in (a, b)
                )
    return count


def bench_ground() -> list[Figure]:
    """Tree pairs on 500 trees against plain loops (of 100 trees, scaled by the cube); the best
    spots on 200; one step of a drag, folded and judged anew.
    """
    big, small, middling = _wood(500, 120.0), _wood(100, 54.0), _wood(200, 75.0)

    def pairs_anew() -> None:
        forget_pairs()
        tree_pairs(big, 3.0, 0.15)

    ours = seconds(pairs_anew, 3)
    start = time.perf_counter()
    _plain_pairs(small, 3.0)
    plain = (time.perf_counter() - start) * 5**3
    solution = solve(Question(Sheet.rectangle(3, 3), PITCHES["a-frame"], {}))
    shelter, figures, rig = solution.shelter, solution.figures, solution.assessment.rig
    if shelter is None or figures is None:
        raise RuntimeError("the A-frame of the benchmark does not fold")
    found = hazards(middling, wind_from_deg=225.0, rain_mm=20)
    weather = Weather(4, 6, 225)
    spots = seconds(
        lambda: best_spots(shelter, rig, figures.mats, middling, found, weather), 3
    )

    def drag(x: float) -> None:
        spot, relief = Spot((x, 30.0), 200.0 + x), Relief.of(middling.heights)
        stands = place(
            shelter.pitch, shelter.sheet, shelter.settings, spot, relief, rig, figures.mats
        )
        conflicts(stands, middling, found)

    places = iter(np.linspace(20, 40, 60))
    step = seconds(lambda: drag(float(next(places))), 20)
    return [
        Figure("tree_pairs_500_s", ours, "s", "lower", 0.3, plain),
        Figure("best_spots_200_s", spots, "s", "lower", 1.5),
        Figure("place_step_ms", step * 1e3, "ms", "lower", 60),
    ]


def bench(checkout: Path, out: Path | None) -> int:
    """Measure everything, print it and how the memories were of use, write the figures when asked.
    Returns 0 however it came out: machines are noisy.
    """
    from tarvik.commands.warm import warm

    warm()
    boards = bench_web(
        checkout
    )  # first: plans tell the memory they take, and the references below take more
    figures = [
        *paced(bench_solve),
        *paced(lambda: [bench_fold(), bench_areas()]),
        *paced(bench_measures),
        *paced(bench_ground),
        *boards,
    ]
    table = {f.name: f.as_json() for f in figures}
    print(json.dumps(table, indent=2))
    for use in memories():
        if use.hits + use.misses:
            print(
                f"{use.name}: {use.held} of {use.most}, {use.hits} hits, {use.misses} misses"
            )
    if out is not None:
        out.write_text(json.dumps(table, indent=2) + "\n")
    return 0
