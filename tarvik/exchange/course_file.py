"""A whole course as one readable JSON file. The models below are its published JSON Schema
(`/schema/course.json`).

Lengths are metres. People, sheets and sites are named by numbers of the file's own; a reader gives
them new ones.
"""

from __future__ import annotations

import json
from datetime import date
from typing import Annotated, Any, Final, Literal

from pydantic import (
    AwareDatetime,
    BaseModel,
    ConfigDict,
    Field,
    FiniteFloat,
    ValidationError,
)

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.exchange.columns import MEASURED_MOST_M
from tarvik.exchange.night_form import SurroundingsText  # noqa: TC001 - Pydantic reads it

FORM: Final = "tarvik-course-1"
MOST_BYTES: Final = 900_000
MOST_DEPTH: Final = 24
MOST_ROWS: Final = 1000
"""Most people, sheets or rows of other kit in a course."""

Metres = Annotated[FiniteFloat, Field(ge=0, le=1000)]
Key = Annotated[int, Field(ge=0, le=2_000_000_000)]
Short = Annotated[str, Field(max_length=120, pattern=r"^[^\x00]*$")]
Note = Annotated[str, Field(max_length=4000, pattern=r"^[^\x00]*$")]
Plain = JsonObject


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_by_name=True)


class PersonIn(_Part):
    """A leader or student. No birth dates and no medical notes belong here."""

    key: Key
    name: Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    stature_m: Annotated[FiniteFloat, Field(ge=0.9, le=2.3)]
    role: Literal["leader", "student"] = "student"
    measured: dict[str, Annotated[FiniteFloat, Field(gt=0, le=MEASURED_MOST_M)]] = {}
    age: Annotated[int, Field(ge=0, le=120)] | None = None
    patrol: Annotated[str, Field(max_length=40)] = ""
    quarters: Annotated[str, Field(max_length=40)] = ""
    shares: Literal["anyone", "patrol", "nobody"] = "anyone"
    skill: Literal["novice", "able", "practised"] = "able"
    snores: bool = False
    lends: bool = True
    note: Annotated[str, Field(max_length=400)] = ""


class SheetIn(_Part):
    """A sheet with its tie-outs by pattern."""

    key: Key
    owner: Key | None = None
    label: Annotated[str, Field(max_length=80)] = ""
    width_m: Annotated[FiniteFloat, Field(ge=0.5, le=20)]
    length_m: Annotated[FiniteFloat, Field(ge=0.5, le=20)]
    outline: list[tuple[Metres, Metres]] | None = None
    tie_outs: list[Annotated[str, Field(max_length=20)]] = ["corners"]
    hood_u_m: Metres | None = None
    hood_v_m: Metres | None = None
    material: Annotated[str, Field(max_length=40)] = ""
    note: Annotated[str, Field(max_length=400)] = ""


class KitIn(_Part):
    """Supports, lines or stakes, `count` alike."""

    owner: Key | None = None
    kind: Annotated[str, Field(max_length=20)] | None = None
    length_m: Annotated[FiniteFloat, Field(gt=0, le=200)] | None = None
    least_m: Metres | None = None
    most_m: Metres | None = None
    width_m: Annotated[FiniteFloat, Field(ge=0.003, le=0.2)] | None = None
    uncut: bool = False
    count: Annotated[int, Field(ge=1, le=500)] = 1
    note: Annotated[str, Field(max_length=400)] = ""


class ItemIn(_Part):
    """A point, area, spot height or reading of a site's ground."""

    kind: Literal["thing", "area", "height", "reading", "check"]
    data: Plain


class SiteIn(_Part):
    """A place where the course spends nights."""

    key: Key
    name: Short
    latitude: Annotated[FiniteFloat, Field(ge=-90, le=90)] | None = None
    longitude: Annotated[FiniteFloat, Field(ge=-180, le=180)] | None = None
    zone: Annotated[str, Field(max_length=60)] = "UTC"
    surroundings: SurroundingsText = "open"
    ground: Annotated[str, Field(max_length=20)] = "turf"
    uphill_deg: Annotated[FiniteFloat, Field(ge=0, le=360)] | None = None
    items: Annotated[list[ItemIn], Field(max_length=6000)] = []


class SpotIn(_Part):
    """Where a shelter stands on the ground."""

    x: FiniteFloat
    y: FiniteFloat
    front_deg: FiniteFloat = 0.0
    anchor: tuple[FiniteFloat, FiniteFloat] = (0.0, 0.0)
    trees: list[Annotated[str, Field(max_length=40)]] = []
    planned: bool = False


class ShelterIn(_Part):
    """A sheet, or two joined, in a pitch, and who sleeps there."""

    sheet: Key
    pitch: Annotated[str, Field(max_length=40)]
    settings: dict[str, FiniteFloat] = {}
    people: list[Key] = []
    spot: SpotIn | None = None
    joined: Key | None = None


class NamedIn(_Part):
    """A plan kept under a name."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    shelters: list[ShelterIn]
    value: list[Any] = []


class LateIn(_Part):
    """Somebody who comes late."""

    person: Key
    minutes: Annotated[int, Field(ge=0, le=600)]


class AwayIn(_Part):
    """Pieces of a row of kit, by its table and its place there, that are not there on a night."""

    table: Literal["supports", "lines", "stakes"]
    place: Annotated[int, Field(ge=0, le=MOST_ROWS)]
    pieces: Annotated[int, Field(ge=1, le=2000)]


class AskedIn(_Part):
    """What is asked of a night's plan."""

    aims: list[Annotated[str, Field(max_length=20)]] | None = None
    locked_people: list[Key] = []
    locked_standing: list[Key] = []
    locked_unused: list[Key] = []
    seconds: Annotated[int, Field(ge=1, le=600)] = 20
    arrival: Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")] = "17:30"
    mallets: Annotated[int, Field(ge=1, le=50)] = 2
    late: list[LateIn] = []
    gone: list[Key] = []
    absent_people: list[Key] = []
    absent_sheets: list[Key] = []
    absent_kit: list[AwayIn] = []


class ForecastIn(_Part):
    """The last good forecast, in the open forecast form."""

    form: Plain
    findings: list[Plain] = []
    feed: Plain = {}


class SaidIn(_Part):
    """Something said of a shelter in the field: a check, a note, or a morning's log."""

    key: Annotated[str, Field(pattern=r"^[0-9a-f-]{36}$")]
    kind: Literal["check", "note", "log"]
    sheet: Key
    data: Plain = {}
    by: Annotated[str, Field(max_length=80)] = ""
    at: AwareDatetime


class NightIn(_Part):
    """One night."""

    title: Annotated[str, Field(min_length=1, max_length=120)]
    on: date | None = None
    intent: Annotated[str, Field(max_length=40)] = "proposed"
    site: Key | None = None
    needs: Plain = {}
    shelters: Annotated[list[ShelterIn], Field(max_length=400)] = []
    asked: AskedIn | None = None
    named: Annotated[list[NamedIn], Field(max_length=20)] = []
    forecast: ForecastIn | None = None
    said: Annotated[list[SaidIn], Field(max_length=5000)] = []


class PairIn(_Part):
    """Two people who never, or always, share."""

    kind: Literal["never", "always"]
    one: Key
    two: Key


class CourseFile(_Part):
    """A course with all that belongs to it."""

    form: Literal["tarvik-course-1"]
    name: Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00]*$")]
    place: Annotated[str, Field(max_length=200)] = ""
    note: Note = ""
    units: Literal["metric", "imperial"] = "metric"
    rules: Plain = {}
    pairs: Annotated[list[PairIn], Field(max_length=2000)] = []
    people: Annotated[list[PersonIn], Field(max_length=MOST_ROWS)] = []
    sheets: Annotated[list[SheetIn], Field(max_length=MOST_ROWS)] = []
    supports: Annotated[list[KitIn], Field(max_length=MOST_ROWS)] = []
    lines: Annotated[list[KitIn], Field(max_length=MOST_ROWS)] = []
    stakes: Annotated[list[KitIn], Field(max_length=MOST_ROWS)] = []
    sites: Annotated[list[SiteIn], Field(max_length=200)] = []
    nights: Annotated[list[NightIn], Field(max_length=60)] = []


def schema() -> JsonObject:
    """The published JSON Schema."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Tarvik course",
        **{k: v for k, v in CourseFile.model_json_schema().items() if k != "title"},
    }


def schema_text() -> str:
    """The same as a file."""
    return json.dumps(schema(), indent=1, ensure_ascii=False)


def _deep(value: Any, left: int = MOST_DEPTH) -> bool:
    if left == 0:
        return True
    inner = (
        value.values()
        if isinstance(value, dict)
        else value
        if isinstance(value, list)
        else ()
    )
    return any(_deep(v, left - 1) for v in inner)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} isn't a number")


def read(text: str | bytes) -> CourseFile:
    """A file's course. Raises InputError that names the place and what is wrong."""
    if len(text) > MOST_BYTES:
        raise InputError("file", f"a course file is at most {MOST_BYTES:,} bytes")
    if (b"\\u0000" if isinstance(text, bytes) else "\\u0000") in text:  # type: ignore[operator]
        raise InputError("file", "it holds a character that no text may hold (\\u0000)")
    try:
        raw = json.loads(text, parse_constant=_no_constant)
    except (ValueError, RecursionError) as err:
        raise InputError("file", f"this isn't JSON: {str(err)[:120]}") from None
    if not isinstance(raw, dict) or raw.get("form") != FORM:
        raise InputError("file", f"this isn't a course file: its “form” should be “{FORM}”")
    if _deep(raw):
        raise InputError("file", "it is nested too deeply")
    try:
        return CourseFile.model_validate(raw)
    except ValidationError as err:
        first = err.errors()[0]
        where = ".".join(str(p) for p in first["loc"])[:120]
        raise InputError("file", f"at {where}: {first['msg'][:160]}") from None


def write(course: CourseFile) -> str:
    """A course as text, sorted and indented so that two files can be compared line by line."""
    return (
        json.dumps(
            course.model_dump(mode="json", exclude_none=True), indent=1, ensure_ascii=False
        )
        + "\n"
    )
