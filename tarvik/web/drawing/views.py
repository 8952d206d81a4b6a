"""Bench and card drawings: plan, elevations, section, and the sheet laid flat."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from shapely import Polygon

from tarvik.core.cards import marks, stake_marks
from tarvik.core.fold.pattern import Role
from tarvik.core.measure.figures import kneeling_height, sitting_height, standing_height
from tarvik.core.measure.section import Cut, clear_height, section
from tarvik.core.units import Units, format_length
from tarvik.web.drawing.carriers import draw_carriers, draw_in_the_way
from tarvik.web.drawing.silhouette import sitter
from tarvik.web.drawing.svg import MARK_PX, WORDS_PX, Paper, scale_bar

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.mats import Mat
    from tarvik.core.measure.roof import Region
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.web.drawing.svg import XY


ZONE_LEAST_M2 = 0.05
"""A smaller zone is not named in the plan."""


def _rings(region: Region) -> list[list[XY]]:
    parts = [region] if isinstance(region, Polygon) else list(region.geoms)
    rings: list[list[XY]] = []
    for part in parts:
        if not part.is_empty:
            rings.append([(float(x), float(y)) for x, y in part.exterior.coords[:-1]])
            rings += [
                [(float(x), float(y)) for x, y in hole.coords[:-1]]
                for hole in part.interiors
            ]
    return rings


def _zone_heights(body: Body) -> list[tuple[str, float]]:
    """Zones of a person, the lowest first, with the roof height each wants."""
    return [
        ("sit", sitting_height(body)),
        ("kneel", kneeling_height(body)),
        ("stand", standing_height(body)),
    ]


def plan(
    shelter: Shelter,
    figures: Figures,
    rig: Rig | None,
    body: Body,
    units: Units,
    in_the_way: Sequence[tuple[float, float, float]] = (),
) -> str:
    """Seen from above: panels, dry ground, zones to sit, kneel and stand, drips, mats, supports,
    lines, stakes, the wind, and what stands `in_the_way` of a stake (x, y, diameter).
    """
    paper = Paper(f"Plan of the {shelter.pitch.name}", "plan")
    paper.region(_rings(figures.dry), "dry")
    for face in sorted(shelter.faces(), key=lambda f: f.role is not Role.FLOOR):
        css = "cloth-floor" if face.role is Role.FLOOR else "panel"
        paper.polygon([(float(x), float(y)) for x, y, _ in face.xyz], css)
    labels: list[tuple[XY, str]] = []
    for name, height in _zone_heights(body):
        zone = figures.roof.above(height)
        paper.region(_rings(zone), name)
        if zone.area > ZONE_LEAST_M2:
            _, low, right, _ = zone.bounds
            labels.append(((right + 0.04, low + 0.1 + 0.18 * len(labels)), name))
    for drip in figures.drips:
        if len(drip.xyz) == 2:
            (x0, y0, _), (x1, y1, _) = drip.xyz
            paper.line((float(x0), float(y0)), (float(x1), float(y1)), "drip")
    for number, mat in enumerate(figures.mats):
        _mat(paper, mat, number + 1, wet=number in figures.wetted)
    for place, name in labels:
        paper.text(place, name, "t zone-t", "start", 17)
    names = marks(shelter)
    if rig is not None:
        drawn = set(stake_marks(shelter, rig))
        for (
            point,
            name,
        ) in (
            names.items()
        ):  # folded-in corners, and those on poles, have no stake of their own
            if name not in drawn and point not in shelter.pitch.high_points():
                x, y = (float(c) for c in shelter.at(point)[:2])
                paper.mark((x, y), name)
        for line in rig.lines:
            a = shelter.at(line.start)
            paper.line((float(a[0]), float(a[1])), (line.to[0], line.to[1]), "cord")
        draw_carriers(paper, shelter, rig)
        draw_in_the_way(paper, rig, in_the_way, shelter.xyz[:, :2].mean(axis=0))
        for stake, name in zip(rig.stakes, stake_marks(shelter, rig), strict=True):
            paper.mark(stake.at, name, "mark optional" if stake.optional else "mark")
    for point in shelter.pitch.high_points():
        x, y = (float(c) for c in shelter.at(point)[:2])
        paper.mark((x, y), names[point], "mark high")
    x = float(shelter.xyz[:, 0].min())
    paper.text((x - 0.45, float(np.mean(shelter.xyz[:, 1])) - 0.5), "front", "t soft")
    if figures.weather.wind_m_s > 0:
        _wind_arrow(paper, figures.weather.wind_from_deg)
    scale_bar(paper, units)
    return paper.svg()


def _wind_arrow(paper: Paper, from_deg: float) -> None:
    """An arrow outside the drawing, flying with the wind."""
    way = np.array([math.sin(math.radians(from_deg)), math.cos(math.radians(from_deg))])
    middle = (np.array(paper.low) + np.array(paper.high)) / 2
    half = (np.array(paper.high) - np.array(paper.low)) / 2
    reach = float(min(h / max(abs(w), 1e-9) for h, w in zip(half, way, strict=True)))
    tip, tail = middle + way * (reach + 0.1), middle + way * (reach + 0.75)
    side = np.array([-way[1], way[0]]) * 0.12
    neck = tip + way * 0.24
    paper.line(
        (float(tail[0]), float(tail[1])), (float(neck[0]), float(neck[1])), "wind-shaft"
    )
    paper.polygon(
        [(float(p[0]), float(p[1])) for p in (tip, neck + side, neck - side)], "wind-head"
    )
    words = tail + np.array([side[0], side[1]]) * 2.2
    paper.text((float(words[0]), float(words[1])), "wind", "t")


def _mat(paper: Paper, mat: Mat, number: int, *, wet: bool = False) -> None:
    corners = [(float(x), float(y)) for x, y in mat.corners()]
    paper.polygon(
        corners,
        "mat under-drip" if wet else "mat",
        f"Mat {number}" + (", a drip line too near" if wet else ""),
    )
    angle = math.radians(mat.heading_deg)
    head = (
        mat.x + math.cos(angle) * (mat.length_m / 2 - 0.18),
        mat.y + math.sin(angle) * (mat.length_m / 2 - 0.18),
    )
    paper.circle(head, 0.12, "body")


def elevation(
    shelter: Shelter, rig: Rig | None, side: bool, units: Units, body: Body
) -> str:
    """Seen from the front (y across) or from the right side (x across), with heights and a person
    for scale.
    """
    name = "Side" if side else "Front"
    paper = Paper(f"{name} view of the {shelter.pitch.name}", "elevation")

    def flat(p: np.ndarray) -> XY:
        return (float(p[0]), float(p[2])) if side else (float(-p[1]), float(p[2]))

    for face in sorted(
        shelter.faces(), key=lambda f: -float(f.xyz[:, 1 if side else 0].mean())
    ):
        if face.role is not Role.FLOOR:
            paper.polygon([flat(p) for p in face.xyz], "panel")
    names = marks(shelter)
    for point in shelter.pitch.high_points():
        top = shelter.at(point)
        paper.line(flat(np.array([top[0], top[1], 0.0])), flat(top), "pole")
    if rig is not None:
        for line in rig.lines:
            paper.line(flat(shelter.at(line.start)), flat(np.array(line.to)), "cord")
    left, right = paper.low[0], paper.high[0]
    sitter(paper, (right + 0.45, 0.0), body.height("sitting"), -1)
    paper.line((left - 0.2, 0), (right + 0.8, 0), "ground")
    for point in shelter.pitch.high_points():
        top = shelter.at(point)
        x, z = flat(top)
        paper.text(
            (x, z + 0.17), f"{names[point]} {format_length(float(top[2]), units)}", "t"
        )
    return paper.svg((2, 1))


def mat_section(shelter: Shelter, figures: Figures, body: Body, units: Units) -> str:
    """Cut along the first mat (or the middle, when none fits): the person lies on it and sits where
    the roof is highest.
    """
    paper = Paper("Section along the sleeper", "section")
    mat = max(figures.mats, key=lambda m: _headroom(figures, m), default=None)
    middle = shelter.xyz[:, :2].mean(axis=0)
    centre = (mat.x, mat.y) if mat else (float(middle[0]), float(middle[1]))
    heading = mat.heading_deg if mat else 180.0
    cuts = section(shelter.faces(), centre, heading)
    for cut in cuts:
        paper.path([cut.start, cut.end], "cut-floor" if cut.role == "floor" else "cut")
    if mat is not None:
        half = mat.length_m / 2
        paper.path(room_wanted(mat, figures.clearance), "room")
        _lying(paper, half - 0.05, body.stature_m)
        paper.line((-half, 0.0), (half, 0.0), "mat-edge")
    _sitting_person(paper, figures, centre, heading, body)
    low, high = (paper.low[0], paper.high[0]) if paper.parts else (-1.0, 1.0)
    paper.line((low - 0.25, 0), (high + 0.25, 0), "ground")
    _zone_bars(paper, cuts, body)
    tops = [p for cut in cuts if cut.role != "floor" for p in (cut.start, cut.end)]
    if tops:
        s, z = max(tops, key=lambda p: p[1])
        paper.text((s, z + 0.16), format_length(z, units), "t")
    return paper.svg((2, 1))


def room_wanted(mat: Mat, room: Clearance) -> list[XY]:
    """Outline of the room wanted over a mat, seen from its side: the head end at plus half its
    length.
    """
    half = mat.length_m / 2
    return [
        (half, 0.0),
        (half, room.head_m),
        (half - room.head_length_m, room.head_m),
        (half - room.head_length_m, room.middle_m),
        (-half + room.foot_length_m, room.middle_m),
        (-half + room.foot_length_m, room.foot_m),
        (-half, room.foot_m),
        (-half, 0.0),
    ]


def _zone_bars(paper: Paper, cuts: list[Cut], body: Body) -> None:
    """Under the ground line: along which stretch one can sit, kneel, stand."""
    if not cuts:
        return
    at = np.linspace(min(c.start[0] for c in cuts), max(c.end[0] for c in cuts), 241)
    height = np.nan_to_num(clear_height(cuts, at), nan=-1.0)
    for row, (name, wanted) in enumerate(_zone_heights(body)):
        there = np.flatnonzero(height >= wanted)
        if there.size == 0:
            continue
        y = -0.12 - 0.15 * row
        for part in np.split(there, np.flatnonzero(np.diff(there) > 1) + 1):
            paper.line(
                (float(at[part[0]]), y), (float(at[part[-1]]), y), f"zone-bar {name}-bar"
            )
        paper.text((float(at[there[-1]]) + 0.08, y), name, "t zone-t", "start", 17)


def _headroom(figures: Figures, mat: Mat) -> float:
    """Highest roof over the middle line of a mat."""
    angle = math.radians(mat.heading_deg)
    at = np.linspace(-mat.length_m / 2, mat.length_m / 2, 21)
    heights = figures.roof.height_at(
        np.stack([mat.x + at * math.cos(angle), mat.y + at * math.sin(angle)], axis=1)
    )
    return float(np.nanmax(np.append(heights, 0.0)))


def _lying(paper: Paper, crown: float, stature: float) -> None:
    paper.circle((crown - 0.11, 0.13), 0.11, "body")
    paper.path(
        [
            (crown - 0.24, 0.12),
            (crown - stature * 0.5, 0.11),
            (crown - stature + 0.06, 0.08),
        ],
        "limb thick",
    )
    paper.path([(crown - stature + 0.05, 0.06), (crown - stature + 0.03, 0.22)], "limb")


def _sitting_person(
    paper: Paper, figures: Figures, centre: XY, heading: float, body: Body
) -> None:
    """Sit the person where the section is highest, crown marked when it touches the roof."""
    angle = math.radians(heading)
    at = np.linspace(-4, 4, 161)
    line = np.stack(
        [centre[0] + at * math.cos(angle), centre[1] + at * math.sin(angle)], axis=1
    )
    heights = figures.roof.height_at(line)
    if np.all(np.isnan(heights)):
        return
    need = body.height("sitting")
    fits = np.flatnonzero(np.nan_to_num(heights) >= need)
    k = int(fits[len(fits) // 2]) if fits.size else int(np.nanargmax(heights))
    sitter(paper, (float(at[k]), 0.0), need, -1, " ghost")
    if not fits.size:
        paper.text((float(at[k]), need + 0.36), "cannot sit up", "t warn")


def flat_sheet(shelter: Shelter, rig: Rig | None, units: Units) -> str:
    """The sheet laid flat: creases, tie-outs, hood, and the marks of plan and card."""
    return draw_flat(shelter, rig, units).svg()


def draw_flat(
    shelter: Shelter, rig: Rig | None, units: Units, size: float = MARK_PX
) -> Paper:
    """The same on a paper that may be drawn on, with letters of that size."""
    paper = Paper("The sheet laid flat", "flat", margin=0.3)
    larger = size / MARK_PX
    paper.polygon(list(shelter.sheet.outline), "sheet")
    edges: dict[frozenset[str], int] = {}
    for panel in shelter.panels:
        points = [shelter.sheet_at(p) for p in panel.points]
        if panel.role is Role.FLOOR:
            paper.polygon(points, "cloth-floor")
        for a, b in zip(panel.points, (*panel.points[1:], panel.points[0]), strict=True):
            key = frozenset((a, b))
            edges[key] = edges.get(key, 0) + 1
    for key, count in edges.items():
        if count > 1:
            a, b = tuple(key)
            paper.line(shelter.sheet_at(a), shelter.sheet_at(b), "crease")
    lap = shelter.sheet.lap
    if lap is not None:
        across = max(u for u, _ in shelter.sheet.outline)
        for along in (lap.start_m, lap.start_m + lap.deep_m):
            paper.line((0.0, along), (across, along), "lap")
        paper.text((across / 2, lap.start_m + lap.deep_m / 2), "joined here", "t")
    for u, v in shelter.sheet.tie_outs or ():
        paper.circle((u, v), 0.035, "tie-out")
    if shelter.sheet.hood:
        paper.circle(shelter.sheet.hood, 0.14, "hood")
    names = marks(shelter)
    for point, name in names.items():
        u, v = shelter.sheet_at(point)
        high = point in shelter.pitch.high_points()
        paper.mark((u, v), name, "mark high" if high else "mark", size)
        if not shelter.sheet.has_tie_out((u, v)) and (
            rig is None or not (high and rig.through_line)
        ):
            paper.circle((u, v), 0.2, "button")
    width, length = (
        max(u for u, _ in shelter.sheet.outline),
        max(v for _, v in shelter.sheet.outline),
    )
    wide, long = format_length(width, units), format_length(length, units)
    paper.words((width / 2, -0.32 * larger), wide, "t", size=WORDS_PX * larger)
    paper.words((-0.24 * larger, length / 2), long, "t", "end", WORDS_PX * larger)
    return paper
