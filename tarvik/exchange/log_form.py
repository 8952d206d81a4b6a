"""A morning's log of one shelter, as it is typed and as it is kept."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Annotated, Final, Literal

from pydantic import BaseModel, Field, StringConstraints, field_validator

from tarvik.core.errors import InputError
from tarvik.core.loads.holding import GROUNDS
from tarvik.core.quantities import parse_temperature
from tarvik.core.units import Units, parse_length

if TYPE_CHECKING:
    from tarvik.core.plain import JsonObject

MINUTES_MOST: Final = 600
FORCE_MOST: Final = 12
STAKES_MOST: Final = 60
PEAK_LEAST_M, PEAK_MOST_M = 0.2, 5.0
SPAN_MOST_M: Final = 30.0
COLDEST_C, HOTTEST_C = -40.0, 50.0
PLACES_MOST: Final = 12
FAR_M: Final = 20.0
"""A wet place further from the shelter's middle is no part of it."""
Line = Annotated[str, StringConstraints(max_length=200, strip_whitespace=True)]
Short = Annotated[str, StringConstraints(max_length=20, strip_whitespace=True)]
Metres = Annotated[float, Field(ge=-FAR_M, le=FAR_M, allow_inf_nan=False)]
Place = tuple[Metres, Metres]
Dryness = Literal["", "dry", "damp", "wet"]
Rain = Literal["", "none", "some", "heavy"]
Tautness = Literal["", "tight", "firm", "slack"]
YesNo = Literal["", "yes", "no"]


class PlannedKept(BaseModel):
    """What was predicted when the log was written. SI units; `stake_used`: share of its holding, as
    built in, with which the weakest stake is pulled; `ground`: its slug; `minutes` as built in;
    `force`, `rain_mm_h`, `lowest_c`: as forecast; `rain_slope`: rain's run over its fall;
    `footprint` and `mats`: corners on the ground, metres from the shelter's origin.
    """

    peak_m: float | None = None
    minutes: float | None = None
    stake_used: float | None = None
    ground: str = ""
    force: int | None = None
    rain_mm_h: float | None = None
    lowest_c: float | None = None
    rain_slope: float | None = None
    span_m: float | None = None
    footprint: Annotated[tuple[Place, ...], Field(max_length=60)] = ()
    mats: Annotated[tuple[tuple[Place, ...], ...], Field(max_length=20)] = ()

    @field_validator("ground")
    @classmethod
    def _known(cls, slug: str) -> str:
        if slug and slug not in GROUNDS:
            raise ValueError(f"no ground “{slug[:40]}”")
        return slug


class LogKept(BaseModel):
    """A log as it is kept. SI units."""

    pitch: str = ""
    people: tuple[str, ...] = ()
    changed: str = ""
    minutes: int | None = None
    peak_m: float | None = None
    span: str = ""
    span_m: float | None = None
    wet: Dryness = ""
    where: str = ""
    wet_at: Annotated[tuple[Place, ...], Field(max_length=PLACES_MOST)] = ()
    taut: Tautness = ""
    pulled: int | None = None
    force: int | None = None
    rain: Rain = ""
    lowest_c: float | None = None
    again: YesNo = ""
    damage: str = ""
    note: str = ""
    planned: PlannedKept = PlannedKept()


class LogIn(BaseModel):
    """What is typed. Empty: nobody looked. `changed`: to what, where not as planned; `span`: which
    distance was measured; `where`, `wet_at`: which places got wet, in words and tapped on the plan
    (as "x,y x,y" in metres); `pulled`: stakes that came out; `force`, `rain`, `lowest`: the weather
    that came; `damage`: kit that was damaged or lost.
    """

    changed: Line = ""
    minutes: Short = ""
    peak: Short = ""
    span: Short = ""
    distance: Short = ""
    wet: Dryness = ""
    where: Line = ""
    wet_at: Annotated[str, StringConstraints(max_length=300, strip_whitespace=True)] = ""
    taut: Tautness = ""
    pulled: Short = ""
    force: Short = ""
    rain: Rain = ""
    lowest: Short = ""
    again: YesNo = ""
    damage: Line = ""
    note: Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)] = ""

    def values(self, units: Units) -> JsonObject:
        """As it is kept, in SI units. Raises InputError."""
        between = "distance between two points"
        span_m = _metres(self.distance, "distance", between, SPAN_MOST_M, units)
        peak_m = _metres(
            self.peak, "peak", "height of a shelter's peak", PEAK_MOST_M, units
        )
        lowest = (
            parse_temperature(self.lowest, units, field="lowest") if self.lowest else None
        )
        if lowest is not None and not COLDEST_C <= lowest <= HOTTEST_C:
            raise InputError(
                "lowest", f"“{self.lowest}” is no temperature of a night outside"
            )
        return {
            "changed": self.changed,
            "minutes": _whole(self.minutes, "minutes", MINUTES_MOST),
            "peak_m": peak_m,
            "span": self.span if span_m is not None else "",
            "span_m": span_m,
            "wet": self.wet,
            "where": self.where,
            "wet_at": _places(self.wet_at),
            "taut": self.taut,
            "pulled": _whole(self.pulled, "pulled", STAKES_MOST),
            "force": _whole(self.force, "force", FORCE_MOST),
            "rain": self.rain,
            "lowest_c": lowest,
            "again": self.again,
            "damage": self.damage,
            "note": self.note,
        }


def _metres(
    text: str, field: str, of_what: str, most_m: float, units: Units
) -> float | None:
    """A measured length; None where nothing is typed. Raises InputError."""
    if not text:
        return None
    metres = parse_length(text, units, field=field)
    if not PEAK_LEAST_M <= metres <= most_m:
        raise InputError(field, f"“{text}” is no {of_what}")
    return metres


def _whole(text: str, field: str, most: int) -> int | None:
    """A whole number, as "12" or "12 min" or "force 5"; None where nothing is typed."""
    if not text:
        return None
    read = re.fullmatch(r"(?:force\s*)?(\d{1,4})\s*(?:min(?:utes?)?\.?|bft)?", text.lower())
    if read is None or int(read[1]) > most:
        raise InputError(field, f"“{text}” isn't a whole number from 0 to {most}")
    return int(read[1])


def _places(text: str) -> list[list[float]]:
    """Places on the ground from "x,y x,y", to the centimetre. Raises InputError."""
    found: list[list[float]] = []
    for part in text.split():
        read = re.fullmatch(r"(-?\d{1,2}(?:\.\d{1,4})?),(-?\d{1,2}(?:\.\d{1,4})?)", part)
        at = [round(float(read[k]), 2) for k in (1, 2)] if read else []
        if not at or max(map(abs, at)) > FAR_M or len(found) == PLACES_MOST:
            raise InputError(
                "wet_at", "tap the wet places on the drawing, a dozen at the most"
            )
        found.append(at)
    return found
