"""Hollin Edge Field School: invented people in an invented place, with a mixed bag of sheets and kit a little too few."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import select

from tarvik.core.units import FOOT_M
from tarvik.core.weather.forecast import Forecast, outlook
from tarvik.core.weather.needs import needs_from
from tarvik.demo import wood
from tarvik.exchange.ground_form import checked
from tarvik.stand_ins.stories import hours_of
from tarvik.store import courses, kit, nights
from tarvik.store.models import Course, GroundItem

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

NAME = "Hollin Edge Field School"
PLACE = "Hollin Edge, above the Marrow Beck"
FIRST_NIGHT = date(2027, 9, 23)
NIGHTS = 4

_PLAIN, _SIDES, _QUARTERS, _FULL = ["corners"], ["corners", "mid-sides"], ["corners", "quarters"], [
    "corners", "mid-sides", "thirds", "quarters", "centre"
]  # fmt: skip
PONCHO = {"width_m": 1.45, "length_m": 2.2, "hood_u_m": 0.725, "hood_v_m": 1.0, "material": "coated nylon"}


def _square(feet: float, tie_outs: list[str], material: str = "coated nylon", note: str = "") -> dict[str, Any]:
    side = round(feet * FOOT_M, 4)
    return {"width_m": side, "length_m": side, "tie_outs": tie_outs, "material": material, "note": note}


PEOPLE: list[tuple[str, float, str, dict[str, Any] | None]] = [
    ("Isaura W", 1.71, "leader", _square(10, _FULL)),
    ("Bertil K", 1.84, "leader", _square(9.5, _QUARTERS)),
    ("Anouk D", 1.63, "student", _square(7, _SIDES)),
    ("Caspian R", 1.78, "student", _square(8, _SIDES)),
    ("Delphine M", 1.69, "student", _square(8, _QUARTERS)),
    ("Edda S", 1.58, "student", _square(7, _PLAIN)),
    ("Faro T", 1.93, "student", _square(10, _SIDES, note="longest person on the course")),
    ("Gwilym P", 1.75, "student", {"width_m": 2.4, "length_m": 3.0, "tie_outs": _SIDES, "material": "coated polyester"}),
    ("Hanneke B", 1.66, "student", {"width_m": 2.4, "length_m": 3.0, "tie_outs": _FULL, "material": "coated polyester"}),
    ("Ivo L", 1.81, "student", {"width_m": 9 * FOOT_M, "length_m": 12 * FOOT_M, "tie_outs": ["none"],
                                "material": "polythene 0.05 mm", "note": "drop cloth: make buttons"}),
    ("Juno A", 1.60, "student", {**PONCHO, "tie_outs": _PLAIN}),
    ("Kestrel N", 1.73, "student", _square(7, ["none"], "oilcloth", "no eyelets")),
    ("Linnea F", 1.70, "student", None),
    ("Matthis O", 1.76, "student", {**PONCHO, "tie_outs": _SIDES}),
    ("Nerys V", 1.64, "student", _square(9.5, _SIDES)),
    ("Orrin H", 1.79, "student", _square(8, _FULL)),
]  # fmt: skip
GROUP_SHEETS = [{**_square(10, _FULL, "coated polyester", "spare for a casualty"), "label": "Group sheet"}]
SUPPORTS: list[dict[str, Any]] = [
    {"kind": "tree", "count": 14, "note": "birch and holly along the edge"},
    {"kind": "pole", "count": 5, "least_m": 1.05, "most_m": 1.45, "note": "walking poles"},
    {"kind": "stick", "count": 2, "least_m": 1.8, "most_m": 1.8, "note": "cut hazel, from the estate's pile"},
]
LINES: list[dict[str, Any]] = [
    {"length_m": 18 * FOOT_M, "count": 8, "note": "ridge lines"},
    {"length_m": 3.0, "count": 16, "note": "guys"},
    {"length_m": 7 * FOOT_M, "count": 6, "note": "utility lines"},
]
SITES: list[dict[str, Any]] = [
    {"name": "Hollin Edge wood", "latitude": 54.62, "longitude": -2.48, "zone": "UTC", "terrain": "wood", "ground": "litter",
     "uphill_deg": 20.0},
    {"name": "Marrow Beck head", "latitude": 54.64, "longitude": -2.51, "zone": "UTC", "terrain": "open", "ground": "turf",
     "uphill_deg": 310.0},
]  # fmt: skip
RULES: dict[str, Any] = {
    "net_kind": "box",
    "net_length_m": 2.0,
    "net_width_m": 0.8,
    "net_height_m": 1.0,
    "ground_water_m": 30.0,
    "ground_path_m": 3.0,
}
STAKES: list[dict[str, Any]] = [{"count": 46, "note": "mixed bag"}, {"count": 6, "note": "carved last year"}]


NOVICES = ("Anouk D", "Edda S", "Orrin H")
SNORERS = ("Ivo L",)


def _skill(name: str, role: str) -> str:
    """Leaders are practised, a few students have never pitched a sheet."""
    return "practised" if role == "leader" else "novice" if name in NOVICES else "able"


def ensure_demo(session: Session) -> Course | None:
    """Make the demo course unless there is, or ever was, one. Returns it when it was made."""
    if session.scalars(select(Course).where(Course.demo)).first() is not None:
        return None
    course = courses.new_course(session, NAME, PLACE, "metric", NIGHTS, FIRST_NIGHT)
    course.demo = True
    course.note = "Lichen and peat-bog survey, four nights."
    people = [{"name": name, "stature_m": stature, "role": role, "skill": _skill(name, role), "snores": name in SNORERS}
              for name, stature, role, _ in PEOPLE]  # fmt: skip
    made = kit.add(session, course.id, "people", people)
    sheets = [{**sheet, "owner_id": row.id} for row, (*_, sheet) in zip(made, PEOPLE, strict=True) if sheet]
    kit.add(session, course.id, "sheets", [*sheets, *GROUP_SHEETS])
    kit.add(session, course.id, "supports", SUPPORTS)
    kit.add(session, course.id, "lines", LINES)
    kit.add(session, course.id, "stakes", STAKES)
    _nights(session, course)
    session.flush()
    return course


def _nights(session: Session, course: Course) -> None:
    """Sites, house rules, and a front for the first night."""
    made = [nights.add_site(session, course.id, site) for site in SITES]
    course.rules = dict(RULES)
    session.flush()
    session.add_all(GroundItem(site_id=made[0].id, kind=kind, data=checked(kind, values)) for kind, values in wood.items())
    session.flush()
    for number, night in enumerate(courses.nights(session, course.id)):
        nights.use_site(session, night, made[0].id if number < NIGHTS - 1 else made[1].id)
    first = courses.nights(session, course.id)[0]
    needs = nights.needs_of(first)
    start = datetime(FIRST_NIGHT.year, FIRST_NIGHT.month, FIRST_NIGHT.day, tzinfo=UTC)
    hours = hours_of("front", 1, start)
    forecast = Forecast(tuple(hours), start, "practice forecast «front»")
    nights.keep_forecast(session, first, forecast, feed={"story": "front", "seed": "1", "start": start.isoformat()})
    if needs.window:
        nights.set_needs(session, first, needs_from(outlook(forecast, *needs.window), needs), "what the forecast brought")
