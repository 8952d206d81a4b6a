"""What the bench shows of one sheet in one pitch."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Final

from tarvik.core import cards
from tarvik.core.body import Body
from tarvik.core.explain import Explained, explain
from tarvik.core.explain_more import (
    explain_catch,
    explain_net,
    explain_panels,
    explain_ridge,
    explain_rose,
    explain_shade,
)
from tarvik.core.fitting import Misfit, fit
from tarvik.core.loads.ridge_line import RidgeLine, from_pull, from_sag
from tarvik.core.measure.catch import Catch, catches
from tarvik.core.measure.figures import Figures, tallest_sleeper_m
from tarvik.core.measure.heading import Rose, rose
from tarvik.core.measure.net import Net, NetFit, hang_net
from tarvik.core.measure.shade import Shade, shade_through
from tarvik.core.pitches.base import Pitch, Setting, batch
from tarvik.core.rig.carried import Line, Rig, Stake, Support
from tarvik.core.rig.verdict import Reason
from tarvik.core.solve import Solution
from tarvik.core.suggest import Suggestion, weighed
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.tonight import Tonight, judge
from tarvik.core.units import Units
from tarvik.core.weather.needs import NightNeeds
from tarvik.store.models import Course, Night, Person, SheetRow
from tarvik.web.drawing import solid, views
from tarvik.web.drawing.handles import handles
from tarvik.web.drawing.rose import rose_drawing, side_words
from tarvik.web.screens.bench.asked import Asked
from tarvik.web.shared.as_hung import Seen
from tarvik.web.shared.judged import Judged
from tarvik.web.shared.night_words import bed_words, fire_words, weather_words
from tarvik.web.shared.questions import (
    front_to,
    owner_name,
)

PULLS_N = (250.0, 500.0, 1000.0, 2000.0)
"""Pulls on the trees for which the sag is shown."""
MAIN_FIGURES: Final = (
    "Headroom at the peak",
    "Mats that lie dry",
    "Dry ground",
    "Ground to sit up on",
    "Change pitch",
)
"""Titles of the figures that stand at the drawing; the others are a tap away."""
PARTS: Final = (
    ("room", "Room"),
    ("stakes", "Stake it out"),
    ("wind", "Wind and pull"),
    ("setup", "Set it up"),
    ("compare", "Compare settings"),
)
"""What more there is to a shelter, one part shown at a time."""
LEAST_DRAIN_M2 = 0.05
"""Low points that drain less are not named."""
WEST_DEG = 270.0
SAGS = (0.02, 0.03, 0.05, 0.10)
"""Sags of a ridge line, shares of its span, for which the pull is shown."""


@dataclass(frozen=True, slots=True)
class Pull:
    """What a part takes in tonight's gust, and what it is trusted with, in newtons."""

    kind: str
    mark: str
    pull_n: float
    holds_n: float


@dataclass(frozen=True, slots=True)
class Stands:
    """What the bench tells of a sheet that makes the pitch: its figures, drawings, what carries it.
    `lying`: who lies on which mat, `without`: for whom there is none; `own_from`: where the wind
    comes from in the shelter's own frame, degrees, and `front_to` its front then looks.
    """

    figures: Figures
    rig: Rig | None
    explained: list[Explained]
    suits: Suggestion
    lying: list[tuple[str, int]]
    without: list[str]
    own_from: float
    wind_onto: str
    front_to: float | None
    plan: str
    front: str
    side: str
    solid: str
    mesh: Mapping[str, object]
    section: str
    flat: str
    distances: list[cards.Distance]
    lines: list[tuple[str, Line]]
    stakes: list[tuple[str, Stake]]
    supports: list[tuple[str, Support]]
    tallest: float | None
    pulls: list[Pull]


@dataclass(frozen=True, slots=True)
class BenchView:
    """The moving part of the bench. `standing`: the shelter's judgement where it stands, when the
    bench shows it just so; `shape` is None where the sheet makes no such pitch.
    """

    course: Course
    night: Night
    sheet: SheetRow
    owner: str
    solution: Solution
    pitch: Pitch
    reasons: list[tuple[Reason, str]]
    person: Person | None
    body: Body
    tonight: Tonight
    standing: Judged | None
    mates: Sequence[Person]
    weather: str
    shape: Stands | None
    main_figures: Sequence[str] = MAIN_FIGURES
    parts: Sequence[tuple[str, str]] = PARTS


def bench_view(
    asked: Asked, seen: Seen, mates: Sequence[Person] = (), standing: Judged | None = None
) -> BenchView:
    """Everything the moving part of the bench shows; `standing`: the shelter's judgement where it
    stands, when the bench shows it just so.
    """
    units, solution, sleepers = Units(asked.course.units), seen.solution, max(1, len(mates))
    judged = (
        seen.judged(judge(solution, asked.tonight, sleepers, units), units, sleepers)
        if standing is None
        else standing.tonight
    )
    return BenchView(
        course=asked.course,
        night=asked.night,
        sheet=asked.sheet,
        owner=owner_name(asked.sheet),
        solution=solution,
        pitch=solution.question.pitch,
        reasons=[(r, r.text(units)) for r in solution.assessment.reasons],
        person=asked.person or asked.sheet.owner,
        body=solution.question.body,
        tonight=judged,
        standing=standing,
        mates=mates,
        weather=weather_words(asked.tonight.needs, units),
        shape=_stands(asked.tonight, solution, judged, mates, units),
    )


def _stands(
    night: TonightsNight,
    solution: Solution,
    judged: Tonight,
    mates: Sequence[Person],
    units: Units,
) -> Stands | None:
    """The shelter's figures and drawings; None where there is none."""
    shelter, figures, rig = solution.shelter, solution.figures, solution.assessment.rig
    if shelter is None or figures is None:
        return None
    names, body = cards.marks(shelter), solution.question.body
    stakes = (
        list(zip(cards.stake_marks(shelter, rig), rig.stakes, strict=True)) if rig else []
    )
    from_deg = figures.weather.wind_from_deg
    in_the_way = solution.question.supports.in_the_way
    lie = (
        [(mates[who].name, number) for number, who in enumerate(figures.who, 1)]
        if mates
        else []
    )
    return Stands(
        figures=figures,
        rig=rig,
        explained=explain(figures, body, units, judged),
        suits=weighed(0, solution, judged, night, max(1, len(mates))),
        lying=lie,
        without=[m.name for i, m in enumerate(mates) if i not in figures.who],
        own_from=from_deg,
        wind_onto=side_words(from_deg),
        front_to=front_to(night, from_deg),
        plan=views.plan(shelter, figures, rig, body, units, in_the_way),
        front=views.elevation(shelter, rig, False, units, body),
        side=views.elevation(shelter, rig, True, units, body),
        solid=solid.oblique(shelter, figures, rig),
        mesh=solid.mesh(shelter, figures, rig, units) | {"handles": _handles(solution)},
        section=views.mat_section(shelter, figures, body, units),
        flat=views.flat_sheet(shelter, rig, units),
        distances=cards.stake_out(shelter),
        lines=[(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
        stakes=stakes,
        supports=[(names.get(x.point, x.point), x) for x in rig.supports] if rig else [],
        tallest=tallest_sleeper_m(figures),
        pulls=_pulls(judged, rig, names, [mark for mark, _ in stakes]) if rig else [],
    )


def _pulls(
    judged: Tonight, rig: Rig, names: Mapping[str, str], stakes: list[str]
) -> list[Pull]:
    """What each part takes in tonight's gust, the most used first. `stakes`: their marks."""
    if judged.gale is None:
        return []
    marks = {rig.stakes[i].point: mark for i, mark in enumerate(stakes)} | dict(names)
    parts = sorted(judged.gale.parts, key=lambda p: -p.used)
    return [Pull(p.kind, marks.get(p.where, p.where), p.pull_n, p.holds_n) for p in parts]


def limits(solution: Solution) -> dict[str, float]:
    """The most of each setting that this sheet allows, the others as they are, never under what is
    set.
    """
    fitting = fit(solution.question.pitch, solution.question.sheet)
    most = {s.name: s.most for s in solution.question.pitch.settings}
    if not isinstance(fitting, Misfit):
        for limit in fitting.pitch.limits(
            fitting.box, batch(solution.settings, fitting.pitch)
        ):
            value = float(limit.most[0])
            if math.isfinite(value) and value >= solution.settings[limit.setting] - 1e-9:
                most[limit.setting] = min(most[limit.setting], int(value * 100) / 100)
    return most


def _handles(solution: Solution) -> list[dict[str, object]]:
    """What can be taken hold of in the turning view, as the page's script reads it."""
    shelter, asked = solution.shelter, solution.question
    if shelter is None:
        return []
    return [asdict(handle) for handle in handles(shelter, asked.pitch, asked.sheet)]


def sliders_of(solution: Solution) -> list[tuple[Setting, float, float]]:
    most = limits(solution)
    return [
        (s, solution.settings.get(s.name, s.default), max(most[s.name], s.least))
        for s in solution.question.pitch.settings
    ]


@dataclass(frozen=True, slots=True)
class MoreView:
    """What takes longer to work out: the heading rose, the net, shade, water, the ridge line.
    `explained`: how each is found; angles of the wind in the shelter's own frame, degrees.
    """

    course: Course
    figures: Figures
    rose: Rose
    rose_svg: str
    own_from: float
    front_to: float | None
    best_front: float | None
    net: Net | None
    fit: NetFit | None
    shade: list[Shade]
    ridge: RidgeLine | None
    sags: list[RidgeLine]
    pulled: list[RidgeLine]
    catches: list[tuple[str, Catch]]
    rain: float
    bed: Explained
    fire: str
    explained: Mapping[str, Explained | None]


def more_view(course: Course, night: TonightsNight, solution: Solution) -> MoreView | None:
    """The same, of a shelter; None where the sheet makes no such pitch."""
    shelter, figures, needs = solution.shelter, solution.figures, night.needs
    if shelter is None or figures is None:
        return None
    units, own = Units(course.units), figures.weather.wind_from_deg
    names, petals = cards.marks(shelter), rose(shelter, figures.weather)
    front = front_to(night, own)
    gale = judge(solution, night).gale
    ridge = gale.ridge if gale else None
    loaded = ridge is not None and ridge.load_n > 0
    drains = catches(shelter, figures.weather.rain_mm_h)
    return MoreView(
        course=course,
        figures=figures,
        rose=petals,
        rose_svg=rose_drawing(shelter, petals, own, units),
        own_from=own,
        front_to=front,
        best_front=front_to(night, petals.best.from_deg),
        net=night.net,
        fit=hang_net(figures.roof, night.net)
        if night.net and figures.roof.faces.size
        else None,
        shade=_shade(figures, needs, front),
        ridge=ridge,
        sags=[from_sag(ridge.span_m, ridge.load_n, s * ridge.span_m) for s in SAGS]
        if ridge and loaded
        else [],
        pulled=[
            from_pull(ridge.span_m, ridge.load_n, n)
            for n in PULLS_N
            if n > ridge.load_n / 2
        ]
        if ridge and loaded
        else [],
        catches=[
            (names.get(c.point, c.point), c) for c in drains if c.drains_m2 > LEAST_DRAIN_M2
        ],
        rain=figures.weather.rain_mm_h,
        bed=bed_words(solution.question.body, figures.clearance, units),
        fire=fire_words(units),
        explained={
            "rose": explain_rose(petals, figures, units),
            "net": explain_net(units),
            "shade": explain_shade(),
            "catch": explain_catch(figures.weather.rain_mm_h, units),
            "panels": explain_panels(gale, units) if gale else None,
            "ridge": explain_ridge(gale, units) if gale else None,
        },
    )


def _shade(figures: Figures, needs: NightNeeds, front: float | None) -> list[Shade]:
    """Shade through the day, where place and date are known; the front to the west while its
    bearing is not.
    """
    if needs.place is None or needs.on is None:
        return []
    return shade_through(
        figures.roof, needs.place, needs.on, WEST_DEG if front is None else front
    )
