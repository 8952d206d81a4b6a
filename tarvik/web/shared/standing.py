"""A night's ground as screens show it: what stands where, solved with the wind as it meets it
there, and what is wrong.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, NamedTuple

from pydantic import BaseModel, Field

from tarvik.core.errors import FoldError, InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.kept import keep_last
from tarvik.core.pitches import PITCHES, pitch_named
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
from tarvik.store.models import Course, GroundItem, Night, Person, ShelterRow, Site
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.shared.house_rules import marker
from tarvik.web.shared.judged import Judge, Judged
from tarvik.web.shared.questions import cloth_words, owner_names
from tarvik.web.state import parts_of

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
    items: list[GroundItem]
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
    rules = ground_rules_of(course.rules or {}, Units(course.units))
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


def at_hand(session: Session, course_id: int, night: Night) -> Supports:
    """The kit present on a night; of trees those of its site, where they are mapped."""
    supports = kit.supports_of(session, course_id, night.id)
    ground = ground_of(session, night.site_id)
    if ground is None:
        return supports
    trees = carriers(ground)
    return (
        replace(supports, trees=tuple(Tree(t.at, t.across_m) for t in trees))
        if trees
        else supports
    )


def judge_of(
    request: Request,
    session: Session,
    course: Course,
    tonight: TonightsNight,
    night_id: int | None = None,
) -> Judge:
    """The judge of a night's shelters, with the kit that is present then."""
    app = parts_of(request)
    supports = kit.supports_of(session, course.id, night_id)
    marks = marker(session, course)
    return Judge(app.solver, app.hangings, tonight, supports, Units(course.units), marks)


def _middle(figures: Figures) -> tuple[float, float]:
    low, high = (
        figures.shelter.xyz[:, :2].min(axis=0),
        figures.shelter.xyz[:, :2].max(axis=0),
    )
    return float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2


def _spot(spot: SpotIn, figures: Figures) -> Spot:
    return Spot((spot.x, spot.y), spot.front_deg % 360, spot.anchor or _middle(figures))


class PlacedShelter(NamedTuple):
    """A shelter where it is put, what is wrong there, and its judgement."""

    placed: Placed
    findings: list[Finding]
    judged: Judged


def placed_of(
    judge: Judge, scene: Scene, row: ShelterRow, spot: SpotIn, number: int = 0
) -> PlacedShelter:
    """A shelter where it is put, what is wrong there, and its judgement. Raises InputError where it
    does not fold.
    """
    asked_front = spot.front_deg
    judged = judge.of(row, number, asked_front)
    solution = judged.solution
    if solution.figures is None:
        raise InputError(
            "shelter", solution.assessment.reasons[0].text(Units(scene.course.units))
        )
    figures = solution.figures
    if spot.snap:
        there, names = snapped(
            figures.shelter,
            solution.assessment.rig,
            _spot(spot, figures),
            scene.known.ground,
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
        raise InputError(
            "spot", "the sheet does not fold on ground as steep as this"
        ) from None
    if spot.trees and stands.rig is not None:
        there_too = [t for t in scene.known.ground.things if t.name in spot.trees]
        stands = stands.carried_by(tied(stands, stands.rig, there_too)[0])
    wrong = conflicts(
        stands, scene.known.ground, scene.found, scene.rules, frozenset(spot.trees)
    )
    return PlacedShelter(
        stands, sorted([*judged.warnings, *wrong], key=lambda f: -f.level), judged
    )


@dataclass(frozen=True, slots=True)
class StandingShelter:
    """One of the night's shelters as the ground and the plan show it. `placed` and `judged` are
    None where it is not on the map, or does not fold there; `fault` then says why. `fall`: (degrees
    of the ground's slope, bearing downhill); `swing`: (wind from, front to), when the wind shifts.
    """

    row: ShelterRow
    number: int
    units: Units
    judged: Judged | None = None
    placed: Placed | None = None
    findings: tuple[Finding, ...] = ()
    fault: str = ""
    where: str = ""
    fall: tuple[float, float] | None = None
    swing: tuple[float, float] | None = None

    @property
    def id(self) -> int:
        """Number of its row."""
        return self.row.id

    @property
    def sheet_id(self) -> int:
        """The sheet it is pitched from; of two joined, the first."""
        return self.row.sheet_id

    @property
    def joined_id(self) -> int | None:
        """The second sheet, where two are joined."""
        return self.row.joined_id

    @property
    def sheets(self) -> list[int]:
        """Numbers of its sheets."""
        return [sheet.id for sheet in self.row.sheets]

    @property
    def owner(self) -> str:
        """Whose sheets they are."""
        return owner_names(self.row)

    @property
    def cloth(self) -> str:
        """What it is pitched from, in words."""
        return cloth_words(self.row, self.units)

    @property
    def pitch(self) -> str:
        """Slug of its pitch."""
        return self.row.pitch

    @property
    def pitch_name(self) -> str:
        """Its pitch in words."""
        return pitch_named(self.row.pitch).name

    @property
    def name(self) -> str:
        """Name of its pitch."""
        return PITCHES[self.row.pitch].name

    @property
    def people(self) -> list[Person]:
        """Who sleeps there."""
        return plans.sleepers(self.row)

    @property
    def figures(self) -> Figures | None:
        """Its figures as it hangs; None where it does not stand."""
        return self.judged.solution.figures if self.judged is not None else None

    @property
    def falls_short(self) -> bool:
        """Whether it will not do tonight as it is: it does not stand, something stops it, or
        somebody in it has no dry room.
        """
        if self.judged is None or self.figures is None or self.judged.stops:
            return True
        return any(n not in self.figures.who for n in range(len(self.people)))

    @property
    def drips(self) -> bool:
        """Whether somebody in it lies within reach of a drip."""
        return self.figures is not None and bool(self.figures.wetted)

    @property
    def cautions(self) -> list[Finding]:
        """What it is warned of, but for rules that its people break."""
        found = (f for f in self.findings if f.level is Level.CAUTION)
        return [f for f in found if f.code != "rule_broken"]

    @property
    def drawing(self) -> str:
        """A small true drawing of it; nothing where it does not fold."""
        solution = self.judged.solution if self.judged is not None else None
        if solution is None or solution.shelter is None:
            return ""
        return silhouette(
            solution.shelter, self.name, solution.question.body.height("sitting")
        )

    @property
    def stopped(self) -> bool:
        """Whether something found of it stops it."""
        return any(f.level is Level.STOPS for f in self.findings)


def standing_of(request: Request, session: Session, scene: Scene) -> list[StandingShelter]:
    """The night's shelters: those on the map with their findings, the others waiting beside it."""
    judge = judge_of(request, session, scene.course, scene.tonight, scene.night.id)
    rows = enumerate(plans.shelters(session, scene.night.id), start=1)
    return [_standing(judge, session, scene, row, number) for number, row in rows]


def _standing(
    judge: Judge, session: Session, scene: Scene, row: ShelterRow, number: int
) -> StandingShelter:
    trees = (row.spot or {}).get("trees", [])
    turns = swing_of(judge, session, scene, row, trees[0]) if len(trees) == 1 else None
    told = StandingShelter(row, number, Units(scene.course.units), swing=turns)
    ground = scene.known.ground
    if not row.spot:
        judged = judge.of(row, number)
        found = tuple(judged.warnings)
        return replace(told, judged=judged, findings=found, where=judged.where(ground))
    try:
        placed, findings, judged = placed_of(judge, scene, row, SpotIn(**row.spot), number)
    except InputError as err:
        return replace(told, fault=err.message)
    return replace(
        told,
        judged=judged,
        placed=placed,
        findings=tuple(findings),
        where=judged.where(ground),
        fall=slope_of(placed.gradient),
    )


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
    best = swing(
        figures.shelter, (0.0, 0.0), (0.0, 0.0), scene.tonight.needs.weather(turned), tree
    )
    return turned, best.spot.front_deg


def in_the_way(shelters: Sequence[StandingShelter]) -> list[StandingShelter]:
    """The same, each with those that it stands in the way of among its findings."""
    out = []
    for one in shelters:
        crossed = [
            other
            for other in shelters
            if one.placed is not None
            and other.placed is not None
            and other is not one
            and one.placed.taken.intersects(other.placed.taken)
        ]
        found = tuple(
            Finding(
                "overlap",
                str(other.number),
                f"stands in the way of shelter {other.number}",
                "move one of them",
                Level.STOPS,
            )
            for other in reversed(crossed)
        )
        out.append(replace(one, findings=(*found, *one.findings)))
    return out


def on_map(shelters: Sequence[StandingShelter]) -> list[tuple[int, str, Placed, bool]]:
    """What the map's drawing wants of those that are on it: (row, number, placed, troubled)."""
    return [
        (s.id, str(s.number), s.placed, s.stopped) for s in shelters if s.placed is not None
    ]
