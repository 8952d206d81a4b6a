"""Requests of the automation contract as Pydantic models, and their way into the core."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from tarvik.core.body import DEFAULT_STATURE_M, Body
from tarvik.core.errors import InputError
from tarvik.core.intent import intent_named
from tarvik.core.measure.clearance import Clearance
from tarvik.core.pitches import pitch_named
from tarvik.core.rig.supports import MOST_THINGS, UNLIMITED, Pole, Supports, Tree
from tarvik.core.sheet import MOST_POINTS, Sheet
from tarvik.core.solve import Question
from tarvik.core.weather.rain import CALM, Weather

Number = Annotated[float, Field(allow_inf_nan=False)]
Place = Annotated[list[Number], Field(min_length=2, max_length=2)]


class Strict(BaseModel):
    """A request part: unknown fields are refused, so that a misspelt one is noticed."""

    model_config = ConfigDict(extra="forbid")


class SheetIn(Strict):
    """A rectangle by its sides, or any outline. Without tie-outs, any point is taken as tied."""

    width_m: Number | None = None
    length_m: Number | None = None
    outline_m: Annotated[list[Place], Field(max_length=MOST_POINTS)] | None = None
    tie_outs_m: Annotated[list[Place], Field(max_length=MOST_POINTS)] | None = None
    hood_m: Place | None = None

    def to_core(self) -> Sheet:
        """The sheet. Raises InputError."""
        ties = None if self.tie_outs_m is None else tuple((u, v) for u, v in self.tie_outs_m)
        hood = (self.hood_m[0], self.hood_m[1]) if self.hood_m else None
        if self.outline_m is not None:
            if self.width_m is not None or self.length_m is not None:
                raise InputError("sheet", "give either width_m and length_m, or outline_m, not both")
            return Sheet(tuple((u, v) for u, v in self.outline_m), ties, hood)
        if self.width_m is None or self.length_m is None:
            missing = "width_m" if self.width_m is None else "length_m"
            raise InputError(f"sheet.{missing}", "give the sheet's width_m and length_m in metres, or its outline_m")
        return Sheet.rectangle(self.width_m, self.length_m, ties, hood)


class PersonIn(Strict):
    """Who sleeps there: stature, and measured heights that override the body ratios."""

    stature_m: Number = DEFAULT_STATURE_M
    measured_m: dict[str, Number] = Field(default_factory=dict)


class TreeIn(BaseModel):
    """A tree: its place (`at_m`, or `x_m` and `y_m`), and its trunk's diameter. What else is known of it is passed over."""

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


class SupportsIn(Strict):
    """What is at hand; a field left out means no end of it."""

    trees: Annotated[list[TreeIn | Place], Field(max_length=MOST_THINGS)] | None = None
    poles_m: Annotated[list[Place], Field(max_length=MOST_THINGS)] | None = None
    stakes: Annotated[int, Field(ge=0, le=MOST_THINGS)] | None = None
    lines_m: Annotated[list[Number], Field(max_length=MOST_THINGS)] | None = None

    def to_core(self) -> Supports:
        """The supports. Raises InputError."""
        trees = None
        if self.trees is not None:
            trees = tuple(Tree((t[0], t[1])) if isinstance(t, list) else t.to_core() for t in self.trees)
        poles = None if self.poles_m is None else tuple(Pole(least, most) for least, most in self.poles_m)
        return Supports(trees, poles, self.stakes, None if self.lines_m is None else tuple(self.lines_m))


class WeatherIn(Strict):
    """Rain and wind. Left out: calm air."""

    rain_mm_h: Number = 4.0
    wind_m_s: Number = 0.0
    wind_from_deg: Number = 90.0


class SolveIn(Strict):
    """`POST /api/solve`."""

    sheet: SheetIn
    pitch: Annotated[str, Field(max_length=60)]
    settings: Annotated[dict[str, Number], Field(max_length=40)] = Field(default_factory=dict)
    intent: Annotated[str, Field(max_length=60)] | None = None
    person: PersonIn | None = None
    supports: SupportsIn | None = None
    weather: WeatherIn | None = None
    clearance: Annotated[dict[str, Number], Field(max_length=20)] | None = None
    sleepers_wanted: Annotated[int, Field(ge=1, le=100)] | None = None

    def to_core(self) -> Question:
        """The question. Raises InputError naming the field."""
        person = self.person or PersonIn()
        known = set(Clearance.__dataclass_fields__)
        for name in self.clearance or {}:
            if name not in known:
                raise InputError(f"clearance.{name}", f"no such clearance; there are {', '.join(sorted(known))}")
        pitch = pitch_named(self.pitch)
        return Question(
            sheet=self.sheet.to_core(),
            pitch=pitch,
            settings=pitch.checked(self.settings),
            body=_body(person),
            intent=intent_named(self.intent),
            supports=self.supports.to_core() if self.supports else UNLIMITED,
            weather=Weather(**self.weather.model_dump()) if self.weather else CALM,
            clearance=Clearance(**(self.clearance or {})),
            wanted=self.sleepers_wanted,
        )


def _body(person: PersonIn) -> Body:
    try:
        return Body(person.stature_m, dict(person.measured_m))
    except InputError as err:
        raise InputError(f"person.{err.field}", err.message) from err


class Problem(BaseModel):
    """An error (RFC 9457): what is wrong, in which field, what to do."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    field: str | None = None
    errors: list[dict[str, Any]] = Field(default_factory=list)
