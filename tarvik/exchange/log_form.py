"""A morning's log of one shelter, as it is typed and as it is kept."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, StringConstraints, field_validator

from tarvik.core.errors import InputError
from tarvik.core.loads.holding import GROUNDS
from tarvik.core.units import Units, parse_length

MINUTES_MOST: Final = 600
FORCE_MOST: Final = 12
STAKES_MOST: Final = 60
PEAK_LEAST_M, PEAK_MOST_M = 0.2, 5.0
Line = Annotated[str, StringConstraints(max_length=200, strip_whitespace=True)]
Short = Annotated[str, StringConstraints(max_length=20, strip_whitespace=True)]


class PlannedKept(BaseModel):
    """What was predicted when the log was written. SI units; `stake_used`: share of its holding
    with which the weakest stake is pulled; `ground`: its slug.
    """

    peak_m: float | None = None
    minutes: float | None = None
    stake_used: float | None = None
    ground: str = ""

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
    wet: str = ""
    where: str = ""
    pulled: int | None = None
    force: int | None = None
    again: str = ""
    note: str = ""
    planned: PlannedKept = PlannedKept()


class LogIn(BaseModel):
    """What is typed. Empty: nobody looked. `changed`: to what, where not as planned; `where`: which
    place got wet; `pulled`: stakes that came out; `force`: wind as it felt.
    """

    changed: Line = ""
    minutes: Short = ""
    peak: Short = ""
    wet: Literal["", "dry", "damp", "wet"] = ""
    where: Line = ""
    pulled: Short = ""
    force: Short = ""
    again: Literal["", "yes", "no"] = ""
    note: Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)] = ""

    def values(self, units: Units) -> dict[str, Any]:
        """As it is kept, in SI units. Raises InputError."""
        peak = parse_length(self.peak, units, field="peak") if self.peak else None
        if peak is not None and not PEAK_LEAST_M <= peak <= PEAK_MOST_M:
            raise InputError("peak", f"“{self.peak}” is no height of a shelter's peak")
        return {
            "changed": self.changed,
            "minutes": _whole(self.minutes, "minutes", MINUTES_MOST),
            "peak_m": peak,
            "wet": self.wet,
            "where": self.where,
            "pulled": _whole(self.pulled, "pulled", STAKES_MOST),
            "force": _whole(self.force, "force", FORCE_MOST),
            "again": self.again,
            "note": self.note,
        }


def _whole(text: str, field: str, most: int) -> int | None:
    """A whole number, as "12" or "12 min" or "force 5"; None where nothing is typed."""
    if not text:
        return None
    digits = "".join(text.lower().replace("force", "").replace("min", "").split()).rstrip(".utes")
    if not digits.isdecimal() or len(digits) > 4 or int(digits) > most:
        raise InputError(field, f"“{text}” isn't a whole number from 0 to {most}")
    return int(digits)
