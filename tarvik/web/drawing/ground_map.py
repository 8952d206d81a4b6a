"""The map of a site: ground, hazards, points with their uncertainty, shelters as they stand. North
is up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING, Final

import shapely
from shapely import Polygon

from tarvik.core.finding import Level
from tarvik.core.site.things import Health, Kind, Sort
from tarvik.core.units import FOOT_M, Units, format_depth, format_way
from tarvik.web.drawing.names import NAME_PX, Name, alone, lettered, slot
from tarvik.web.drawing.svg import PX_PER_M, Paper

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from shapely.geometry.base import BaseGeometry

    from tarvik.core.site.hazards import Hazard
    from tarvik.core.site.pairs import TreePair
    from tarvik.core.site.placing import Placed
    from tarvik.core.site.things import Ground, Thing
    from tarvik.web.drawing.svg import XY

SORT_CSS = {
    Sort.PAD: "g-pad",
    Sort.HOLLOW: "g-hollow",
    Sort.THICKET: "g-thicket",
    Sort.PATH: "g-path",
    Sort.WATER: "g-water",
    Sort.FENCE: "g-fence",
    Sort.NO_GO: "g-closed",
}
HAZARD_CSS = {
    "near_water": "h-far",
    "near_path": "h-far",
    "smoke": "h-smoke",
    "drainage": "h-wet",
    "puddle": "h-wet",
}
THING_LEAST_M = 0.12
"""A point is drawn with at least this radius."""
NAMED_SHARE = 0.3
"""An area of which less is seen is not named."""
LOOSE_M = 99.0
"""A point that the survey does not hold has at least this error."""
EVERY_M = (1, 2, 5, 10, 20, 50, 100, 200, 500)
EVERY_FT = (3, 6, 15, 30, 60, 150, 300, 600, 1500)
"""Steps of the map's grid."""


@dataclass(frozen=True, slots=True)
class Cut:
    """What is cut out of a map for paper: its south-west and north-east corners (m), how large its
    letters are, and which points are named even where names grow thick.
    """

    low: XY
    high: XY
    letter_px: float
    needed: frozenset[str] = frozenset()


def _rings(shape: BaseGeometry) -> list[list[XY]]:
    out: list[list[XY]] = []
    for part in shapely.get_parts(shape):
        if isinstance(part, Polygon) and not part.is_empty:
            out.append([(float(x), float(y)) for x, y in part.exterior.coords[:-1]])
            out += [
                [(float(x), float(y)) for x, y in hole.coords[:-1]]
                for hole in part.interiors
            ]
    return out


def _group(paper: Paper, attributes: str, draw: Sequence[str]) -> None:
    paper.raw(f"<g {attributes}>{''.join(draw)}</g>")


def ground_map(
    ground: Ground,
    ids: Mapping[str, int],
    hazards: Sequence[Hazard],
    shelters: Sequence[tuple[int, str, Placed, bool]],
    pairs: Sequence[TreePair] = (),
    wind_from_deg: float | None = None,
    surveyed: frozenset[str] = frozenset(),
    units: Units = Units.METRIC,
    cut: Cut | None = None,
) -> str:
    """The whole map, or what is `cut` out of it. `ids`: item numbers by name, for the page's
    script; `shelters`: (number, label, placed, troubled).
    """
    css = "ground-map for-paper" if cut else "ground-map"
    paper = Paper("Map of the site, north up", css, margin=0.0 if cut else 2.0)
    low, high = (cut.low, cut.high) if cut else _corners(ground, shelters)
    frame, size = shapely.box(*low, *high), cut.letter_px if cut else NAME_PX
    names: list[Name] = []
    paper.grow(low, high)
    _grid(paper, low, high, units, told=cut is None)
    for area in ground.areas:
        shape = shapely.intersection(area.shape(), frame)
        if shape.is_empty:
            continue
        number = ids.get(f"area {area.name}", 0)
        before = len(paper.parts)
        paper.region(_rings(shape), SORT_CSS[area.sort])
        x, y = shape.representative_point().coords[0]
        if shape.area >= NAMED_SHARE * area.shape().area:
            names.append(Name((x, y), 0.0, area.name, "t area-t", 2, size))
            paper.raw("" if cut else slot(len(names)))
        parts = paper.parts[before:]
        del paper.parts[before:]
        _group(paper, f'class="item area" data-item="{number}" data-kind="area"', parts)
    for hazard in sorted(hazards, key=lambda h: -h.shape.area):
        code = hazard.finding.code
        if code in ("in_water", "on_path", "hollow", "thicket", "no_go", "fence"):
            continue
        css = HAZARD_CSS.get(
            code, "h-stop" if hazard.finding.level is Level.STOPS else "h-far"
        )
        paper.region(_rings(shapely.intersection(hazard.shape, frame)), css)
    for pair in pairs:
        paper.line(pair.one.at, pair.two.at, "g-pair")
    for thing in ground.things:
        if not frame.covers(shapely.Point(thing.at)):
            continue
        before = len(paper.parts)
        _thing(paper, thing, loose=thing.error_m >= LOOSE_M)
        rank = 1 if cut and thing.name in cut.needed else None
        names.append(_name_of(thing, rank, size))
        paper.raw("" if cut else slot(len(names)))
        parts = paper.parts[before:]
        del paper.parts[before:]
        told = f"{thing.kind} {thing.name}" + (
            f", ± {format_depth(thing.error_m, units)}"
            if 0 < thing.error_m < LOOSE_M
            else ""
        )
        fixed = "survey" if thing.name in surveyed else "free"
        _group(
            paper,
            f'class="item thing" data-item="{ids.get("thing " + thing.name, 0)}" data-kind="thing" '
            f'data-place="{fixed}" tabindex="0" role="button" aria-label="{escape(told)}"',
            parts,
        )
    for spot in ground.heights:
        if not cut:
            paper.text(spot.at, f"{spot.height_m:.1f}", "t spot-t", size=34)
    for number, label, placed, troubled in shelters:
        paper.raw(shelter_group(number, label, placed, troubled=troubled, size=size))
    if cut:  # on paper names lie over the shelters
        paper.parts += [slot(n) for n in range(1, len(names) + 1)]
    paper.raw(_badge((low[0], high[1]), wind_from_deg))
    paper.raw(_bar(low, units))
    drawn = lettered(
        paper.svg(),
        names,
        [s[2].cloth for s in shelters],
        needed=2 if cut else None,
        within=(low, high) if cut else None,
    )
    if cut:
        return drawn
    return _at_home(
        drawn,
        [t.at for t in ground.things]
        + [
            (float(p.cloth.centroid.x), float(p.cloth.centroid.y))
            for _, _, p, _ in shelters
        ],
    )


def _corners(
    ground: Ground, shelters: Sequence[tuple[int, str, Placed, bool]]
) -> tuple[XY, XY]:
    """South-west and north-east of all there is, a little beyond."""
    x0, y0, x1, y1 = ground.bounds()
    for _, _, placed, _ in shelters:
        a, b, c, d = placed.taken.bounds
        x0, y0, x1, y1 = min(x0, a), min(y0, b), max(x1, c), max(y1, d)
    return (x0 - 2, y0 - 2), (x1 + 2, y1 + 2)


def _at_home(svg: str, places: Sequence[XY]) -> str:
    """The drawing with the frame in which it is first shown: about the points, not about water far
    off.
    """
    if not places:
        return svg
    x, y = [p[0] for p in places], [p[1] for p in places]
    box = (min(x) - 3, -max(y) - 3, max(x) - min(x) + 6, max(y) - min(y) + 6)
    return svg.replace(
        "<svg ", f'<svg data-home="{" ".join(f"{v * PX_PER_M:.0f}" for v in box)}" ', 1
    )


def _grid(paper: Paper, low: XY, high: XY, units: Units, *, told: bool) -> None:
    wide = max(high[0] - low[0], high[1] - low[1])
    metric = units is Units.METRIC
    every = EVERY_M if metric else tuple(feet * FOOT_M for feet in EVERY_FT)
    step = next(e for e in every if wide / e <= 26 or e == every[-1])
    for axis in (0, 1):
        at = math.ceil(low[axis] / step) * step
        while at <= high[axis]:
            a, b = (
                ((at, low[1]), (at, high[1]))
                if axis == 0
                else ((low[0], at), (high[0], at))
            )
            paper.line(a, b, "g-axis" if at == 0 else "g-grid")
            at += step
    if told:
        paper.text(
            (high[0], low[1] + 0.3),
            f"grid {format_way(step, units)}",
            "t spot-t",
            "end",
            40,
        )


def _radius(thing: Thing) -> float:
    return max(thing.across_m / 2, THING_LEAST_M)


def _name_of(thing: Thing, rank: int | None, size: float) -> Name:
    """Its name beside it; the fire, boats and vehicles come before trees."""
    loose = "?" if thing.error_m >= LOOSE_M else ""
    usual = 1 if thing.kind in (Kind.FIRE, Kind.BOAT, Kind.VEHICLE) else 3
    return Name(
        thing.at, _radius(thing), thing.name + loose, "t name-t", rank or usual, size
    )


def _thing(paper: Paper, thing: Thing, *, loose: bool) -> None:
    x, y = thing.at
    radius = _radius(thing)
    if 0.02 < thing.error_m < LOOSE_M:
        paper.circle(thing.at, thing.error_m, "g-error")
    if thing.kind is Kind.TREE:
        paper.circle(
            thing.at, radius, "g-tree" if thing.health is Health.SOUND else "g-tree sick"
        )
        if thing.health is Health.DEAD:
            for dx in (-1, 1):
                paper.line(
                    (x - radius * dx, y - radius), (x + radius * dx, y + radius), "g-cross"
                )
        elif thing.health is Health.DEAD_BRANCHES:
            paper.line((x - radius, y), (x + radius, y), "g-cross")
    elif thing.kind is Kind.FIRE:
        paper.polygon([(x, y + 0.45), (x + 0.35, y - 0.3), (x - 0.35, y - 0.3)], "g-fire")
    elif thing.kind in (Kind.ROCK, Kind.BOULDER, Kind.ROOT):
        turns = [k * math.pi / 3 for k in range(6)]
        paper.polygon(
            [(x + radius * math.cos(t), y + radius * math.sin(t)) for t in turns], "g-rock"
        )
    elif thing.kind in (Kind.BOAT, Kind.VEHICLE):
        half = max(thing.across_m, 1.0) / 2
        paper.polygon(
            [
                (x - half, y),
                (x - half / 2, y + 0.4),
                (x + half, y),
                (x - half / 2, y - 0.4),
            ],
            "g-rock",
        )
    else:
        paper.polygon(
            [
                (x - 0.12, y - 0.12),
                (x + 0.12, y - 0.12),
                (x + 0.12, y + 0.12),
                (x - 0.12, y + 0.12),
            ],
            "g-post",
        )
    if loose:
        paper.circle(thing.at, radius + 0.5, "g-loose")


def shelter_group(
    number: int, label: str, placed: Placed, *, troubled: bool, size: float = NAME_PX
) -> str:
    """One shelter as it stands, as a group of its own that a script may replace while it is
    dragged.
    """
    paper = Paper("", "")
    for ring in _rings(placed.cloth):
        paper.polygon(ring, "g-cloth troubled" if troubled else "g-cloth")
    for panel in placed.panels():
        paper.path([(float(p[0]), float(p[1])) for p in (*panel, panel[0])], "g-crease")
    for n, bed in enumerate(placed.beds, start=1):
        paper.polygon(
            [(float(x), float(y)) for x, y in bed.exterior.coords[:-1]], "mat", f"Mat {n}"
        )
    for _, course in placed.lines:
        paper.path([(float(x), float(y)) for x, y in course.coords], "cord")
    for _, at, optional in placed.stakes:
        paper.circle(at, 0.07, "g-stake optional" if optional else "g-stake")
    front = math.radians(placed.spot.front_deg)
    x, y = placed.cloth.centroid.coords[0]
    tip = (x + 1.1 * math.sin(front), y + 1.1 * math.cos(front))
    paper.line((x, y), tip, "g-front")
    paper.raw(alone(Name((x, y), 0.0, label, "t shelter-t", 0, size)))
    spot = placed.spot
    trouble = ", something is wrong here" if troubled else ""
    return (
        f'<g class="item shelter{" troubled" if troubled else ""}" data-shelter="{number}" '
        f'data-x="{spot.at[0]:.3f}" '
        f'data-y="{spot.at[1]:.3f}" data-front="{spot.front_deg:.1f}" '
        f'data-anchor="{spot.anchor[0]:.4f},{spot.anchor[1]:.4f}" tabindex="0" role="button" '
        f'aria-label="{escape(label)}, front to {spot.front_deg:.0f} degrees{trouble}">'
        f"{''.join(paper.parts)}</g>"
    )


def _badge(at: XY, wind_from_deg: float | None) -> str:
    """North and the wind, drawn about one place so that a script may keep them in the corner of
    what is seen.
    """
    paper = Paper("", "")
    paper.polygon([(0.8, 0.0), (1.1, -1.1), (0.8, -0.9), (0.5, -1.1)], "g-north")
    paper.text((0.8, -1.45), "N", "t", size=50)
    if wind_from_deg is not None:
        a = math.radians(wind_from_deg)
        x, y = 2.4, -0.7
        tail, tip = (
            (x + 0.7 * math.sin(a), y + 0.7 * math.cos(a)),
            (x - 0.7 * math.sin(a), y - 0.7 * math.cos(a)),
        )
        side, neck = (
            (math.cos(a) * 0.22, -math.sin(a) * 0.22),
            (x - 0.25 * math.sin(a), y - 0.25 * math.cos(a)),
        )
        paper.line(tail, neck, "wind-shaft")
        paper.polygon(
            [
                tip,
                (neck[0] + side[0], neck[1] + side[1]),
                (neck[0] - side[0], neck[1] - side[1]),
            ],
            "wind-head",
        )
        paper.text((x, -1.75), "wind", "t", size=40)
    return _fixed("badge", at, paper)


BAR_PARTS: Final = 5


def bar_m(units: Units) -> float:
    """Length on the ground of the bar on maps: 5 m, or 15 ft."""
    return BAR_PARTS * (1.0 if units is Units.METRIC else 3 * FOOT_M)


def _bar(at: XY, units: Units) -> str:
    paper = Paper("", "")
    each = bar_m(units) / BAR_PARTS
    paper.line((0.4, 0.5), (0.4 + bar_m(units), 0.5), "bar")
    for k in range(BAR_PARTS + 1):
        reach = 0.2 if k in (0, BAR_PARTS) else 0.1
        x = 0.4 + k * each
        paper.line((x, 0.5 - reach), (x, 0.5 + reach), "bar")
    paper.text(
        (0.6 + bar_m(units), 0.5),
        format_way(bar_m(units), units),
        "t name-t",
        "start",
        NAME_PX,
    )
    return _fixed("scale-bar", at, paper)


def _fixed(css: str, at: XY, paper: Paper) -> str:
    return (
        f'<g class="{css}" transform="translate({at[0] * PX_PER_M:.0f} '
        f'{-at[1] * PX_PER_M:.0f})">{"".join(paper.parts)}</g>'
    )


def scales_of(units: Units) -> tuple[int, ...]:
    """Scales at which a map is printed: a metre is so many millimetres, a foot a quarter, an eighth
    or a sixteenth of an inch.
    """
    return (50, 100, 200) if units is Units.METRIC else (48, 96, 192)


def fitting_scale(
    wide_m: float, tall_m: float, wide_mm: float, tall_mm: float, scales: Sequence[int]
) -> int:
    """The largest of the scales at which so much ground is no larger than the paper; the smallest
    when none is.
    """
    return next(
        (
            s
            for s in sorted(scales)
            if wide_m * 1000 / s <= wide_mm and tall_m * 1000 / s <= tall_mm
        ),
        max(scales),
    )


def ruled_mm(svg: str, scale: int) -> str:
    """The drawing sized for paper: one metre is 1000 / `scale` millimetres."""
    box = svg.split('viewBox="', 1)[1].split('"', 1)[0].split()
    wide, tall = (float(v) / PX_PER_M * 1000 / scale for v in box[2:])
    return svg.replace("<svg ", f'<svg width="{wide:.1f}mm" height="{tall:.1f}mm" ', 1)
