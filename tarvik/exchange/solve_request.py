"""Requests of the automation contract as Pydantic models, and their way into the core."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from shapely import Point, Polygon

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.errors import InputError
from tarvik.core.hang.fabric import fabric_named
from tarvik.core.hang.hung import MESH_LINES, Hanging
from tarvik.core.hang.ties import TAUTNESS, Lift
from tarvik.core.intent import intent_named
from tarvik.core.loads.holding import (
    CORD_MM,
    RIDGE_CORD_MM,
    STAKE_DEPTH_M,
    STAKE_WIDTH_M,
    Holding,
    ground_named,
)
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.lying import HeadRule, Lying
from tarvik.core.pitches import pitch_named
from tarvik.core.plain import JsonObject  # noqa: TC001 - Pydantic reads it
from tarvik.core.rig.house import PLAIN_HOUSE, House
from tarvik.core.rig.supports import MOST_THINGS, UNLIMITED, Carrier, Pole, Supports, Tree
from tarvik.core.sheet import JOIN_OVERLAP_M, MOST_POINTS, Sheet, joined_sheet
from tarvik.core.solve import DEFAULT_LYING, Question
from tarvik.core.tonight import Night
from tarvik.core.weather.needs import Insects, NightNeeds, Stay
from tarvik.core.weather.rain import CALM, SPREAD_DEG, Weather
from tarvik.exchange.night_form import SurroundingsText  # noqa: TC001 - Pydantic reads it

Number = Annotated[float, Field(allow_inf_nan=False)]
Place = Annotated[list[Number], Field(min_length=2, max_length=2)]


class Strict(BaseModel):
    """A request part: unknown fields are refused, so that a misspelt one is noticed."""

    model_config = ConfigDict(extra="forbid", validate_by_name=True)


class JoinIn(Strict):
    """A second sheet tied to this one along an edge: its size, and how far the two overlap."""

    width_m: Number
    length_m: Number
    overlap_m: Number = JOIN_OVERLAP_M


class SheetIn(Strict):
    """A rectangle by its sides, or any outline. Without tie-outs, any point is taken as tied.
    `join` adds another sheet.
    """

    width_m: Number | None = None
    length_m: Number | None = None
    outline_m: Annotated[list[Place], Field(max_length=MOST_POINTS)] | None = None
    tie_outs_m: Annotated[list[Place], Field(max_length=MOST_POINTS)] | None = None
    hood_m: Place | None = None
    join: JoinIn | None = None
    fabric: Annotated[str, Field(max_length=40)] | None = None

    def to_core(self) -> Sheet:
        """The sheet. Raises InputError."""
        fabric = None if self.fabric is None else fabric_named(self.fabric).slug
        if self.join is None:
            return replace(self._single(), fabric=fabric)
        other = Sheet.rectangle(self.join.width_m, self.join.length_m)
        return replace(
            joined_sheet(self._single(), other, self.join.overlap_m), fabric=fabric
        )

    def _single(self) -> Sheet:
        ties = (
            None if self.tie_outs_m is None else tuple((u, v) for u, v in self.tie_outs_m)
        )
        hood = (self.hood_m[0], self.hood_m[1]) if self.hood_m else None
        if self.outline_m is not None:
            if self.width_m is not None or self.length_m is not None:
                raise InputError(
                    "sheet", "give either width_m and length_m, or outline_m, not both"
                )
            return Sheet(tuple((u, v) for u, v in self.outline_m), ties, hood)
        if self.width_m is None or self.length_m is None:
            missing = "width_m" if self.width_m is None else "length_m"
            raise InputError(
                f"sheet.{missing}",
                "give the sheet's width_m and length_m in metres, or its outline_m",
            )
        return Sheet.rectangle(self.width_m, self.length_m, ties, hood)


class PersonIn(Strict):
    """Who sleeps there: stature, and measured heights that override the body ratios."""

    stature_m: Number = DEFAULT_STATURE_M
    measured_m: dict[str, Number] = Field(default_factory=dict)


class TreeIn(BaseModel):
    """A tree: its place (`at_m`, or `x_m` and `y_m`), and its trunk's diameter. What else is known
    of it is passed over.
    """

    at_m: Place | None = None
    x_m: Number | None = None
    y_m: Number | None = None
    diameter_m: Number = 0.20

    def to_core(self) -> Tree:
        """The tree. Raises InputError."""
        if self.at_m is not None:
            return Tree((self.at_m[0], self.at_m[1]), self.diameter_m)
        place = None if self.x_m is None or self.y_m is None else (self.x_m, self.y_m)
        return Tree(place, self.diameter_m)


class HouseIn(Strict):
    """House rules of rigging; what is left out is the usual."""

    pole: Annotated[str, Field(max_length=20)] = "upright"
    ridge: Annotated[str, Field(max_length=20)] = "either"
    ridge_side: Annotated[str, Field(max_length=20)] = "under"
    hitch: Annotated[str, Field(max_length=20)] = "taut-line"
    lift: Annotated[str, Field(max_length=20)] = "outside"


Things = Annotated[list[Number], Field(max_length=MOST_THINGS)]
Sized = Annotated[
    list[Annotated[list[Number], Field(min_length=1, max_length=2)]],
    Field(max_length=MOST_THINGS),
]


class SupportsIn(Strict):
    """What is at hand. Of trees, poles, stakes and lines a field left out means no end of it; of
    the rest, none.

    `forked_m`, `bipods_m` (legs) and `branches_m` (heights) in metres; `tripods_m` [leg, ridge
    pole]; `boats_m`, `vehicles_m`, `fences_m` [height, length]; `in_the_way_m` trunks and rocks [x,
    y, diameter] in the shelter's frame.
    """

    trees: Annotated[list[TreeIn | Place], Field(max_length=MOST_THINGS)] | None = None
    poles_m: Annotated[list[Place], Field(max_length=MOST_THINGS)] | None = None
    stakes: Annotated[int, Field(ge=0, le=MOST_THINGS)] | None = None
    lines_m: Annotated[list[Number], Field(max_length=MOST_THINGS)] | None = None
    forked_m: Things = Field(default_factory=list)
    bipods_m: Things = Field(default_factory=list)
    branches_m: Things = Field(default_factory=list)
    tripods_m: Sized = Field(default_factory=list)
    boats_m: Sized = Field(default_factory=list)
    vehicles_m: Sized = Field(default_factory=list)
    fences_m: Sized = Field(default_factory=list)
    cut_sticks: bool = False
    house: HouseIn | None = None
    in_the_way_m: Annotated[
        list[Annotated[list[Number], Field(min_length=3, max_length=3)]],
        Field(max_length=MOST_THINGS),
    ] = Field(default_factory=list)

    def to_core(self) -> Supports:
        """The supports. Raises InputError."""
        trees = None
        if self.trees is not None:
            trees = tuple(
                Tree((t[0], t[1])) if isinstance(t, list) else t.to_core()
                for t in self.trees
            )
        poles = (
            None
            if self.poles_m is None
            else tuple(Pole(least, most) for least, most in self.poles_m)
        )
        others = [
            Carrier(kind, size)
            for kind, field in SINGLE_CARRIERS.items()
            for size in getattr(self, field)
        ]
        for kind, field in SIZED_CARRIERS.items():
            others += [
                Carrier(kind, size[0], size[1] if len(size) > 1 else 0.0)
                for size in getattr(self, field)
            ]
        return Supports(
            trees,
            poles,
            self.stakes,
            None if self.lines_m is None else tuple(self.lines_m),
            tuple(others),
            self.cut_sticks,
            House(**self.house.model_dump()) if self.house else PLAIN_HOUSE,
            tuple((x, y, d) for x, y, d in self.in_the_way_m),
        )


SINGLE_CARRIERS = {"forked stick": "forked_m", "bipod": "bipods_m", "branch": "branches_m"}
SIZED_CARRIERS = {
    "tripod": "tripods_m",
    "boat": "boats_m",
    "vehicle": "vehicles_m",
    "fence": "fences_m",
}


class WeatherIn(Strict):
    """Rain and wind. Left out: calm air."""

    rain_mm_h: Number = 4.0
    wind_m_s: Number = 0.0
    wind_from_deg: Number = 90.0
    spread_deg: Number = SPREAD_DEG


class LyingIn(Strict):
    """How people lie: head ends (any, uphill, away), uphill in the shelter's frame, packs under the
    roof or not.
    """

    head: HeadRule = HeadRule.ANY
    uphill_deg: Number | None = None
    gear_in: bool = False


class NightIn(Strict):
    """A night by which the shelter is judged. Wind and gust for 10 m over open ground; what is left
    out is not known.
    """

    lowest_c: Number | None = None
    highest_c: Number | None = None
    rain_mm_h: Number | None = None
    wind_m_s: Number | None = None
    gust_m_s: Number | None = None
    spread_deg: Number = SPREAD_DEG
    humidity_pct: Number | None = None
    cloud_pct: Number | None = None
    surroundings: SurroundingsText = "open"
    insects: Insects = Insects.NONE
    snow: bool = False
    snow_depth_m: Number | None = None
    snow_kg_m3: Number | None = None
    lightning: bool = False
    sun: bool = False
    stay: Stay = Stay.NIGHT
    fire: bool = False
    ground: Annotated[str, Field(max_length=20)] = "turf"
    stake_depth_m: Number = STAKE_DEPTH_M
    stake_width_m: Number = STAKE_WIDTH_M
    guy_mm: Number = CORD_MM
    ridge_mm: Number = RIDGE_CORD_MM

    def to_core(self, intent: str | None, lying: Lying) -> Night:
        """The night. Raises InputError."""
        held_by = {"ground", "stake_depth_m", "stake_width_m", "guy_mm", "ridge_mm"}
        values = self.model_dump(exclude=held_by)
        holding = Holding(
            ground_named(self.ground),
            self.stake_depth_m,
            self.guy_mm,
            self.ridge_mm,
            self.stake_width_m,
        )
        return Night(NightNeeds(intent=intent, **values), lying, holding)


class LiftIn(Strict):
    """A place of the sheet drawn by a cord: `by_m` up from the fold, `out_m` away from the
    shelter's middle.
    """

    at_m: Place
    by_m: Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)] = 0.0
    out_m: Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)] = 0.0


class HangIn(Strict):
    """How the sheet is to hang; what is left out is the usual."""

    fabric: Annotated[str, Field(max_length=40)] | None = None
    tautness: Annotated[float, Field(ge=0.0, le=0.05, allow_inf_nan=False)] = TAUTNESS
    wet: bool = False
    snow_kg_m2: Annotated[float, Field(ge=0.0, le=200.0, allow_inf_nan=False)] = 0.0
    pressure_pa: Annotated[float, Field(ge=0.0, le=2000.0, allow_inf_nan=False)] = 0.0
    lines: Annotated[int, Field(ge=5, le=25)] = MESH_LINES
    lifts: Annotated[list[LiftIn], Field(max_length=4)] = Field(default_factory=list)
    probe_m: Annotated[list[Place], Field(max_length=200)] = Field(default_factory=list)

    def to_core(self, wind_from_deg: float, sheet: Sheet) -> Hanging:
        """How it hangs. Raises InputError."""
        cloth = Polygon(sheet.outline)
        for n, lift in enumerate(self.lifts):
            if not cloth.buffer(1e-6).covers(Point(lift.at_m[0], lift.at_m[1])):
                raise InputError(f"hang.lifts[{n}].at_m", "this place is off the sheet")
        lifts = tuple(
            Lift(f"lift {n + 1}", (lift.at_m[0], lift.at_m[1]), lift.by_m, lift.out_m)
            for n, lift in enumerate(self.lifts)
        )
        return Hanging(
            fabric=fabric_named(self.fabric),
            tautness=self.tautness,
            wet=self.wet,
            pressure_pa=self.pressure_pa,
            wind_from_deg=wind_from_deg,
            snow_kg_m2=self.snow_kg_m2,
            lifts=lifts,
            lines=self.lines,
        )


class SolveIn(Strict):
    """`POST /api/solve`."""

    sheet: SheetIn
    pitch: Annotated[str, Field(max_length=60)]
    settings: Annotated[dict[str, Number], Field(max_length=40)] = Field(
        default_factory=dict
    )
    intent: Annotated[str, Field(max_length=60)] | None = None
    person: PersonIn | None = None
    supports: SupportsIn | None = None
    weather: WeatherIn | None = None
    clearance: Annotated[dict[str, Number], Field(max_length=20)] | None = None
    sleepers_wanted: Annotated[int, Field(ge=1, le=100)] | None = None
    people: Annotated[list[PersonIn], Field(max_length=12)] = Field(default_factory=list)
    lying: LyingIn | None = None
    night: NightIn | None = None
    rose: bool = False
    hang: HangIn | None = None

    def to_core(self) -> Question:
        """The question. Raises InputError naming the field."""
        person = self.person or PersonIn()
        known = set(Clearance.__dataclass_fields__)
        for name in self.clearance or {}:
            if name not in known:
                raise InputError(
                    f"clearance.{name}",
                    f"no such clearance; there are {', '.join(sorted(known))}",
                )
        pitch = pitch_named(self.pitch)
        night = self.judged_night()
        weather = Weather(**self.weather.model_dump()) if self.weather else CALM
        if night is not None and self.weather is None:
            weather = night.needs.weather(weather.wind_from_deg)
        people = tuple(_body(p, f"people[{i}]") for i, p in enumerate(self.people))
        return Question(
            sheet=self.sheet.to_core(),
            pitch=pitch,
            settings=pitch.checked(self.settings),
            body=_body(person, "person"),
            intent=night.needs.wanted if night else intent_named(self.intent),
            supports=self.supports.to_core() if self.supports else UNLIMITED,
            weather=weather,
            clearance=Clearance(**(self.clearance or {})),
            wanted=self.sleepers_wanted,
            people=people,
            lying=self._lying(),
            free_to_turn=night is not None and self.weather is None,
            handy=night is not None,
        )

    def _lying(self) -> Lying:
        return Lying(**self.lying.model_dump()) if self.lying else DEFAULT_LYING

    def judged_night(self) -> Night | None:
        """The night the shelter is judged by, if one is given. Raises InputError."""
        if self.night is None:
            return None
        try:
            return self.night.to_core(
                intent_named(self.intent).slug if self.intent else None, self._lying()
            )
        except InputError as err:
            raise InputError(f"night.{err.field}", err.message) from err


def _body(person: PersonIn, field: str) -> Body:
    try:
        return Body(person.stature_m, dict(person.measured_m))
    except InputError as err:
        raise InputError(f"{field}.{err.field}", err.message) from err


class Problem(BaseModel):
    """An error (RFC 9457): what is wrong, in which field, what to do."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    field: str | None = None
    errors: list[JsonObject] = Field(default_factory=list)
