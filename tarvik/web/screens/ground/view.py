"""What the ground screen shows: map, survey, hazards, trees that pair."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fastapi import Request

from tarvik.core.finding import Finding
from tarvik.core.site.hazards import TICKS
from tarvik.core.site.pairs import tree_pairs
from tarvik.core.site.survey import Checked, Survey
from tarvik.core.site.things import Health, Kind, Sort
from tarvik.core.site.walk import Step, steps
from tarvik.core.units import Units, format_depth, format_way
from tarvik.exchange.ground_form import READING_WAYS, reading_words
from tarvik.store import ground as store
from tarvik.store.models import Course, GroundItem, Night, Site
from tarvik.web.drawing.ground_map import ground_map, scales_of
from tarvik.web.shared.night_words import OfThePlace, of_the_place
from tarvik.web.shared.standing import (
    Scene,
    StandingShelter,
    in_the_way,
    on_map,
    standing_of,
)

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.core.site.pairs import TreePair
    from tarvik.store.ground import Surveyed

PAIRS_SHOWN_RIDGE_M = 3.0
PAIRS_LISTED = 12


@dataclass(frozen=True, slots=True)
class PairShown:
    """Two trees a ridge may be strung between, in metres."""

    one: str
    two: str
    clear_m: float
    error_m: float
    line_m: float


@dataclass(frozen=True, slots=True)
class TickShown:
    """A line of the short list of things to look at, and the item that keeps its tick."""

    key: str
    words: str
    kept: GroundItem | None


@dataclass(frozen=True, slots=True)
class ThingShown:
    """A point of the ground and where it is, in words."""

    item: GroundItem
    where: str


@dataclass(frozen=True, slots=True)
class BookRow:
    """A reading of the field book. `check`: how far it is off, `others`: which readings may be
    wrong in its place, `aside`: whether it is left out.
    """

    item: GroundItem
    words: str
    check: Checked | None
    others: tuple[str, ...]
    aside: bool
    unit: str


@dataclass(frozen=True, slots=True)
class GroundView:
    """The ground screen. `ticks` to `heights` are what the leader wrote down, `survey` to `steps`
    what the survey makes of it; `fault` says why there is none. `first`: the part that is shown
    when the page opens.
    """

    course: Course
    night: Night
    site: Site
    place: OfThePlace
    map: str
    shelters: list[StandingShelter]
    pairs: list[PairShown]
    pair_count: int
    hazards: list[Finding]
    ticks: list[TickShown]
    book: list[BookRow]
    survey: Survey | None
    fault: str
    unplaced: tuple[str, ...]
    steps: list[Step]
    things: list[ThingShown]
    areas: list[GroundItem]
    heights: list[GroundItem]
    undo: str | None
    redo: str | None
    first: str
    scales: tuple[int, ...]
    tab: str = "ground"
    kinds: tuple[str, ...] = tuple(str(k) for k in Kind)
    sorts: tuple[str, ...] = tuple(str(s) for s in Sort)
    healths: tuple[str, ...] = tuple(str(h) for h in Health)
    ways: tuple[str, ...] = tuple(READING_WAYS)


def ground_view(request: Request, session: Session, scene: Scene) -> GroundView:
    """The same, of a night's site as it is."""
    known, units = scene.known, Units(scene.course.units)
    shelters = in_the_way(standing_of(request, session, scene))
    ids = {
        f"{i.kind} {i.data['name']}": i.id
        for i in scene.items
        if i.kind in ("thing", "area")
    }
    free = {
        i.data["name"]
        for i in scene.items
        if i.kind == "thing" and i.data.get("x") is not None
    }
    surveyed = frozenset(known.survey.names) - free if known.survey else frozenset()
    needs = scene.tonight.needs
    pairs = tree_pairs(known.ground, PAIRS_SHOWN_RIDGE_M, 0.15)
    wind = needs.wind_from_deg if needs.wind_m_s else None
    done, undone = store.steps(session, scene.site.id)

    def those(kind: str) -> list[GroundItem]:
        return [i for i in scene.items if i.kind == kind]

    return GroundView(
        course=scene.course,
        night=scene.night,
        site=scene.site,
        place=of_the_place(needs, units),
        map=ground_map(
            known.ground, ids, scene.found, on_map(shelters), pairs, wind, surveyed, units
        ),
        shelters=shelters,
        pairs=_pairs(known, pairs),
        pair_count=len(pairs),
        hazards=[h.finding for h in scene.found],
        ticks=_ticks(those("check")),
        book=_book(scene),
        survey=known.survey,
        fault=known.fault,
        unplaced=known.unplaced,
        steps=steps(known.survey, known.readings),
        things=[ThingShown(i, _where(known, i, units)) for i in those("thing")],
        areas=those("area"),
        heights=those("height"),
        undo=done.what if done else None,
        redo=undone.what if undone else None,
        scales=scales_of(units),
        first="shelters" if shelters else "survey" if not known.ground.things else "points",
    )


def _pairs(known: Surveyed, pairs: list[TreePair]) -> list[PairShown]:
    """The tightest pairs of trees, their spacing with its plus or minus: from the survey where both
    were surveyed.
    """
    out = []
    for pair in pairs[:PAIRS_LISTED]:
        error = pair.error_m
        if known.survey and {pair.one.name, pair.two.name} <= set(known.survey.names):
            error = known.survey.spacing_m(pair.one.name, pair.two.name)[1]
        out.append(
            PairShown(pair.one.name, pair.two.name, pair.clear_m, error, pair.line_m)
        )
    return out


def _ticks(checks: list[GroundItem]) -> list[TickShown]:
    """The short list, with what was ticked and noted."""
    kept = {i.data["key"]: i for i in checks}
    return [TickShown(key, words, kept.get(key)) for key, words in TICKS]


def _where(known: Surveyed, item: GroundItem, units: Units) -> str:
    if item.data.get("x") is not None:
        east, north = (format_way(item.data[axis], units) for axis in ("x", "y"))
        return f"placed by hand, {east} east, {north} north"
    if known.survey and item.data["name"] in known.survey.names:
        error = known.survey.plus_or_minus_m(item.data["name"])
        least = f"surveyed, ± {format_depth(max(error, 0.01), units)}"
        return "not held yet" if math.isinf(error) else least
    return "waits for the survey"


def _book(scene: Scene) -> list[BookRow]:
    """The field book with each reading's residual; those left out first."""
    known = scene.known
    by_row: dict[int, list[Checked]] = {}
    if known.survey:
        for checked in known.survey.readings:
            by_row.setdefault(known.rows[checked.number], []).append(checked)
    units = Units(scene.course.units)
    readings = [i for i in scene.items if i.kind == "reading"]
    words = {i.id: reading_words(i.data, units) for i in readings}
    out = []
    for item in readings:
        checks = by_row.get(item.id, [])
        out.append(
            BookRow(
                item,
                words[item.id],
                max(checks, key=lambda c: c.strain, default=None),
                tuple(words[known.rows[n]] for c in checks for n in c.or_one_of),
                any(c.set_aside for c in checks),
                "°" if item.data["way"] == "bearing" else "m",
            )
        )
    return sorted(out, key=lambda r: (not r.aside, r.item.id))
