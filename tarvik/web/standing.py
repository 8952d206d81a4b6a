"""A night's ground as screens show it: what stands where, solved with the wind as it meets it
there, and what is wrong.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel, Field

from tarvik.core.errors import FoldError, InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.kept import keep_last
from tarvik.core.plan.camps import tied
from tarvik.core.rig.supports import Tree
from tarvik.core.site.hazards import GroundRules, Hazard, hazards
from tarvik.core.site.pairs import carriers
from tarvik.core.site.placing import Placed, Spot, conflicts, place
from tarvik.core.site.relief import Relief, slope_of
from tarvik.core.site.spots import snapped, swing
from tarvik.core.units import Units
from tarvik.exchange.night_form import ground_rules_of
from tarvik.store import courses, kit, nights, plans
from tarvik.store import ground as store
from tarvik.store.kit import NotFoundError
from tarvik.store.models import Course, Night, ShelterRow, Site
from tarvik.web.house_rules import marker
from tarvik.web.judged import Judge, Judged
from tarvik.web.pages.common import owner_name, tarvik

if TYPE_CHECKING:
    from fastapi import Request
    from sqlalchemy.orm import Session

    from tarvik.core.measure.figures import Figures
    from tarvik.core.rig.supports import Supports
    from tarvik.core.site.things import Ground
    from tarvik.core.tonight import Night as TonightsNight
    from tarvik.store.ground import Surveyed

NIGHT_RAIN_HOURS = 10.0
SHIFT_DEG = 40.0
"""A wind that shifts by less is met as it is."""


class SpotIn(BaseModel):
    """Where a shelter is put: its middle, and the bearing to which its front looks."""

    x: float = Field(ge=-5000, le=5000, allow_inf_nan=False)
    y: float = Field(ge=-5000, le=5000, allow_inf_nan=False)
    front_deg: float = Field(ge=-720, le=720, allow_inf_nan=False)
    anchor: tuple[float, float] | None = None
    trees: list[str] = Field(default_factory=list, max_length=4)
    snap: bool = False
    planned: bool = False


@dataclass
class Scene:
    """All that a page of the ground is made from."""

    course: Course
    night: Night
    site: Site
    tonight: TonightsNight
    items: list[Any]
    known: Surveyed
    found: list[Hazard]
    rules: GroundRules


def site_of(session: Session, course_id: int, night: Night) -> Site:
    if night.site_id is None:
        raise NotFoundError("this night has no site yet: choose one on the night's page")
    return nights.one_site(session, course_id, night.site_id)


@keep_last(64)
def hazards_of(
    ground: Ground, rules: GroundRules, wind_from_deg: float | None, rain_mm: float
) -> list[Hazard]:
    return hazards(ground, rules, wind_from_deg, rain_mm)


def scene_of(session: Session, course_id: int, night_id: int) -> Scene:
    course = courses.course(session, course_id)
    night = courses.night(session, course_id, night_id)
    site = site_of(session, course_id, night)
    tonight = nights.night_of(session, course, night)
    items, known = store.known(session, site.id)
    rules = ground_rules_of(course.rules or {})
    needs = tonight.needs
    wind = needs.wind_from_deg if needs.wind_m_s else None
    rain = (needs.rain_mm_h or 0.0) * NIGHT_RAIN_HOURS
    return Scene(
        course,
        night,
        site,
        tonight,
        list(items),
        known,
        hazards_of(known.ground, rules, wind, rain),
        rules,
    )


def ground_of(session: Session, site_id: int | None) -> Ground | None:
    """The ground of a night's site; None where it has none."""
    return None if site_id is None else store.known(session, site_id)[1].ground


def at_hand(session: Session, course_id: int, site_id: int | None) -> Supports:
    """The course's kit; of trees those of the site, where they are mapped."""
    supports = kit.supports_of(session, course_id)
    ground = ground_of(session, site_id)
    if ground is None:
        return supports
    trees = carriers(ground)
    return (
        replace(supports, trees=tuple(Tree(t.at, t.across_m) for t in trees)) if trees else supports
    )


def judge_of(request: Request, session: Session, course: Course, tonight: TonightsNight) -> Judge:
    """The judge of a night's shelters."""
    app = tarvik(request)
    supports = kit.supports_of(session, course.id)
    marks = marker(session, course)
    return Judge(app.solver, app.hangings, tonight, supports, Units(course.units), marks)


def _middle(figures: Figures) -> tuple[float, float]:
    low, high = figures.shelter.xyz[:, :2].min(axis=0), figures.shelter.xyz[:, :2].max(axis=0)
    return float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2


def _spot(spot: SpotIn, figures: Figures) -> Spot:
    return Spot((spot.x, spot.y), spot.front_deg % 360, spot.anchor or _middle(figures))


def placed_of(
    judge: Judge, scene: Scene, row: ShelterRow, spot: SpotIn, number: int = 0
) -> tuple[Placed, list[Finding], Judged]:
    """A shelter where it is put, what is wrong there, and its judgement. Raises InputError where it
    does not fold.
    """
    asked_front = spot.front_deg
    judged = judge.of(row, number, asked_front)
    solution = judged.solution
    if solution.figures is None:
        raise InputError("shelter", solution.assessment.reasons[0].text(Units(scene.course.units)))
    figures = solution.figures
    if spot.snap:
        there, names = snapped(
            figures.shelter, solution.assessment.rig, _spot(spot, figures), scene.known.ground
        )
        spot.x, spot.y, spot.front_deg, spot.anchor, spot.trees, spot.snap = (
            *there.at,
            there.front_deg,
            there.anchor,
            list(names),
            False,
        )
        if (
            abs((there.front_deg - asked_front + 180) % 360 - 180) > 0.5
        ):  # turned with its trees: the wind meets it anew
            return placed_of(judge, scene, row, spot, number)
    try:
        stands = place(
            figures.shelter.pitch,
            figures.shelter.sheet,
            figures.shelter.settings,
            _spot(spot, figures),
            Relief.of(scene.known.ground.heights),
            solution.assessment.rig,
            figures.mats,
        )
    except FoldError:
        raise InputError("spot", "the sheet does not fold on ground as steep as this") from None
    if spot.trees and stands.rig is not None:
        there_too = [t for t in scene.known.ground.things if t.name in spot.trees]
        stands = stands.carried_by(tied(stands, stands.rig, there_too)[0])
    wrong = conflicts(stands, scene.known.ground, scene.found, scene.rules, frozenset(spot.trees))
    return stands, sorted([*judged.warnings, *wrong], key=lambda f: -f.level), judged


def standing_of(request: Request, session: Session, scene: Scene) -> list[dict[str, Any]]:
    """The night's shelters: those on the map with their findings, the others waiting beside it."""
    out: list[dict[str, Any]] = []
    judge = judge_of(request, session, scene.course, scene.tonight)
    for number, row in enumerate(plans.shelters(session, scene.night.id), start=1):
        told: dict[str, Any] = {
            "id": row.id,
            "number": number,
            "owner": owner_name(row.sheet),
            "pitch": row.pitch,
            "placed": None,
            "findings": [],
            "people": plans.sleepers(row),
            "fault": "",
            "where": "",
            "judged": None,
        }
        if row.spot:
            try:
                told["placed"], told["findings"], told["judged"] = placed_of(
                    judge, scene, row, SpotIn(**row.spot), number
                )
            except InputError as err:
                told["fault"] = err.message
        else:
            told["judged"] = judge.of(row, number)
            told["findings"] = told["judged"].warnings
        if told["judged"] is not None:
            told["where"] = told["judged"].where(scene.known.ground)
        trees = (row.spot or {}).get("trees", [])
        if told["placed"] is not None:
            told["fall"] = slope_of(told["placed"].gradient)
        told["swing"] = swing_of(judge, session, scene, row, trees[0]) if len(trees) == 1 else None
        out.append(told)
    return out


def swing_of(
    judge: Judge, session: Session, scene: Scene, row: ShelterRow, tree: str
) -> tuple[float, float] | None:
    """Where a shelter on one tree is to swing when the night's wind shifts: (wind from, front to);
    None while it stays.
    """
    turned = nights.wind_at_dawn(session, scene.night)
    now = scene.tonight.needs.wind_from_deg
    if turned is None or now is None or abs((turned - now + 180) % 360 - 180) < SHIFT_DEG:
        return None
    figures = judge.seen(row, None).solution.figures
    if figures is None:
        return None
    best = swing(figures.shelter, (0.0, 0.0), (0.0, 0.0), scene.tonight.needs.weather(turned), tree)
    return turned, best.spot.front_deg


def between(shelters: list[dict[str, Any]]) -> None:
    """Shelters that stand in each other's way."""
    some = [s for s in shelters if s["placed"] is not None]
    for i, one in enumerate(some):
        for two in some[i + 1 :]:
            if one["placed"].taken.intersects(two["placed"].taken):
                for a, b in ((one, two), (two, one)):
                    a["findings"].insert(
                        0,
                        Finding(
                            "overlap",
                            str(b["number"]),
                            f"stands in the way of shelter {b['number']}",
                            "move one of them",
                            Level.STOPS,
                        ),
                    )
