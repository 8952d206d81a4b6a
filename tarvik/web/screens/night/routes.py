"""The night: what is coming, who sleeps and how long, and what follows. Forecasts by service, by
file or by hand.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Annotated, Any

import httpx2
from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field

from tarvik.core.errors import InputError
from tarvik.core.quantities import format_speed
from tarvik.core.units import Units
from tarvik.core.weather.forecast import Forecast, outlook
from tarvik.core.weather.needs import NightNeeds, needs_from, zone_named
from tarvik.core.weather.surroundings import SURROUNDINGS
from tarvik.core.weather.wind import forecast_from_hand
from tarvik.exchange.columns import whole_number
from tarvik.exchange.forecast import as_form, read_any, write_csv
from tarvik.exchange.grid_reference import with_positions
from tarvik.exchange.night_form import (
    BY_NAME,
    FIELDS,
    FieldError,
    read_needs,
    shown,
    to_plain,
)
from tarvik.stand_ins.stories import STORIES
from tarvik.store import courses, kit, nights
from tarvik.store.accounts import Role
from tarvik.store.kit import ConflictError
from tarvik.store.models import Course, Night, now
from tarvik.web.access import for_role, guarded_router, safe_back
from tarvik.web.deps import Db, fields_of, page, part
from tarvik.web.drawing.strip import hour_rows
from tarvik.web.polling import fetch_for
from tarvik.web.screens.night.view import measured_words, outcome_of
from tarvik.web.state import parts_of

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/weather")
METER_HEIGHT_M = 1.5
"""Height at which a wind meter is held up."""
METER_TIMEOUT_S = 2.0
LEAST_READINGS = 5


class Change(BaseModel):
    """One field as typed, with what was seen before; `also`: another that belongs with it and was
    not kept yet, as gusts and the wind.
    """

    column: str
    text: str
    version: int
    was: str = ""
    also: dict[str, str] = Field(default={}, max_length=1)


def _both(session: Session, course_id: int, night_id: int) -> tuple[Course, Night]:
    return courses.course(session, course_id), courses.night(session, course_id, night_id)


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, session: Db, course_id: int, night_id: int) -> Response:
    """The night screen."""
    course, night = _both(session, course_id, night_id)
    units = Units(course.units)
    return page(
        request,
        "night/night.html",
        tab="night",
        fields={f.name: f for f in FIELDS},
        text=shown(nights.needs_of(night), units),
        sites=nights.sites(session, course_id),
        site=night.site_id,
        everyone=len(kit.rows(session, course_id, "people")),
        meter=parts_of(request).stand_ins is not None,
        **fields_of(outcome_of(session, course, night)),
    )


@router.get("/outcome")
@for_role(Role.VIEWER)
def outcome(request: Request, session: Db, course_id: int, night_id: int) -> Response:
    """Only what follows from the needs."""
    return part(
        request,
        "night/outcome.html",
        **fields_of(outcome_of(session, *_both(session, course_id, night_id))),
    )


@router.patch("")
@for_role(Role.ASSISTANT)
def change(session: Db, course_id: int, night_id: int, change: Change) -> dict[str, object]:
    """Change one field of the needs, as typed."""
    course, night = _both(session, course_id, night_id)
    units = Units(course.units)
    before = nights.needs_of(night)
    typed = with_positions({**change.also, change.column: change.text})
    if unknown := next((name for name in typed if name not in BY_NAME), None):
        raise InputError(unknown[:40], "there is no such field")
    theirs = shown(before, units)[change.column]
    try:
        after = read_needs(typed, before, units)
    except FieldError as err:
        field, message = next(iter(err.errors.items()))
        raise InputError(field, message) from err
    told = shown(after, units)
    # Two who say the same, or one whose change comes twice, do not stand against each other.
    changed = night.version != change.version and theirs not in (
        change.was,
        told[change.column],
    )
    if changed:
        raise ConflictError(change.column, change.text, theirs, night.version)
    title = next(f.title for f in FIELDS if f.name == change.column)
    row = nights.set_needs(session, night, after, f"“{title}”", seen=night.version)
    return {
        "version": row.version,
        "text": told[change.column],
        "also": {name: told[name] for name in typed if name != change.column},
    }


def _back(course_id: int, night_id: int) -> RedirectResponse:
    return RedirectResponse(
        f"/courses/{course_id}/nights/{night_id}/weather", status_code=303
    )


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(session: Db, course_id: int, night_id: int) -> Response:
    """Take back the last change of the needs."""
    nights.undo_needs(session, _both(session, course_id, night_id)[1])
    return _back(course_id, night_id)


@router.post("/intent")
@for_role(Role.ASSISTANT)
def intent(
    session: Db, course_id: int, night_id: int, intent: Annotated[str, Form()]
) -> Response:
    """What the night asks for; “proposed” leaves it to the weather."""
    nights.set_intent(session, _both(session, course_id, night_id)[1], intent)
    return _back(course_id, night_id)


@router.post("/site")
@for_role(Role.ASSISTANT)
def site(
    session: Db, course_id: int, night_id: int, site: Annotated[str, Form()] = ""
) -> Response:
    """Spend the night at one of the course's sites, or at none of them."""
    if site and whole_number(site) < 0:
        raise InputError("site", "choose one of the course's sites")
    nights.use_site(
        session, _both(session, course_id, night_id)[1], int(site) if site else None
    )
    return _back(course_id, night_id)


@router.post("/overhead")
@for_role(Role.ASSISTANT)
def overhead(
    request: Request,
    course_id: int,
    night_id: int,
    looked: Annotated[str, Form()] = "no",
    back: Annotated[str, Form()] = "",
) -> Response:
    """Tick that the trees overhead were looked at for this night, or take it back."""
    with parts_of(request).database.session() as session:
        night = _both(session, course_id, night_id)[1]
        needs = replace(nights.needs_of(night), overhead_checked=looked == "yes")
        nights.set_needs(session, night, needs, "trees overhead looked at")
    own = f"/courses/{course_id}/nights/{night_id}/"
    to = safe_back(back) if back.startswith(own) else f"{own}weather"
    return RedirectResponse(to, status_code=303)


@router.post("/keep-site")
@for_role(Role.ASSISTANT)
def keep_site(
    session: Db, course_id: int, night_id: int, name: Annotated[str, Form()] = ""
) -> Response:
    """Keep the night's place among the course's sites, under a name."""
    _, night = _both(session, course_id, night_id)
    made = nights.add_site(
        session, course_id, {**to_plain(nights.needs_of(night)), "name": name}
    )
    nights.use_site(session, night, made.id)
    return _back(course_id, night_id)


@router.post("/feed")
@for_role(Role.ASSISTANT)
def feed(
    request: Request,
    course_id: int,
    night_id: int,
    story: Annotated[str, Form()] = "front",
    seed: Annotated[str, Form()] = "1",
) -> Response:
    """Ask the forecast service for this night, now and from now on."""
    service = parts_of(request).feed
    if service is None:
        raise InputError(
            "feed", "no forecast service is set up on this server; import a file instead"
        )
    if story not in STORIES:
        raise InputError("story", f"choose one of {', '.join(STORIES.values())}")
    if not seed.isdecimal() or len(seed) > 6:
        raise InputError("seed", "the number of the practice weather is a whole number")
    with parts_of(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        needs = nights.needs_of(night)
    day = needs.on or now().date()
    begin = datetime(day.year, day.month, day.day, tzinfo=zone_named(needs.zone))
    query = {"story": story, "seed": seed, "start": begin.astimezone(UTC).isoformat()}
    fetch_for(parts_of(request).database, service, night_id, query, needs.zone)
    return _back(course_id, night_id)


@router.post("/feed/again")
@for_role(Role.ASSISTANT)
def feed_again(request: Request, course_id: int, night_id: int) -> Response:
    """Ask once more, now."""
    service = parts_of(request).feed
    with parts_of(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        row = nights.forecast_row(session, night)
        query, zone = dict(row.feed) if row is not None else {}, nights.needs_of(night).zone
    if service is not None and query:
        fetch_for(parts_of(request).database, service, night_id, query, zone)
    return _back(course_id, night_id)


@router.post("/import/preview")
@for_role(Role.ASSISTANT)
def preview(
    request: Request,
    session: Db,
    course_id: int,
    night_id: int,
    text: Annotated[str, Form()] = "",
) -> Response:
    """What a pasted forecast would bring, before anything is kept."""
    course, night = _both(session, course_id, night_id)
    needs = nights.needs_of(night)
    read, seen = _read(text, needs)
    rows = hour_rows(seen.hours if seen else read.hours[:24], needs, Units(course.units))
    return part(
        request,
        "night/forecast_preview.html",
        course=course,
        night=night,
        read=read,
        seen=seen,
        rows=rows,
    )


def _read(text: str, needs: NightNeeds) -> tuple[Forecast, Any]:
    read = read_any(text, zone_named(needs.zone))
    return read, outlook(read, *needs.window) if needs.window else None


@router.post("/import")
@for_role(Role.ASSISTANT)
def import_now(
    session: Db, course_id: int, night_id: int, text: Annotated[str, Form()] = ""
) -> Response:
    """Keep a pasted forecast; no service is asked for this night any more."""
    _, night = _both(session, course_id, night_id)
    read, _ = _read(text, nights.needs_of(night))
    nights.keep_forecast(session, night, read, feed={})
    return _back(course_id, night_id)


@router.post("/use")
@for_role(Role.ASSISTANT)
def use(session: Db, course_id: int, night_id: int) -> Response:
    """Take what the forecast says into the night's needs."""
    _, night = _both(session, course_id, night_id)
    needs = nights.needs_of(night)
    kept = nights.kept_forecast(nights.forecast_row(session, night), needs.zone)
    if kept is None or needs.window is None:
        raise InputError("forecast", "there is no forecast for this night yet")
    nights.set_needs(
        session,
        night,
        needs_from(outlook(kept, *needs.window), needs),
        "what the forecast brought",
    )
    return _back(course_id, night_id)


@router.get("/forecast.csv")
@for_role(Role.VIEWER)
def as_csv(request: Request, course_id: int, night_id: int) -> Response:
    """The kept forecast in the open CSV form."""
    return Response(
        write_csv(_kept(request, course_id, night_id)),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="forecast.csv"'},
    )


@router.get("/forecast.json")
@for_role(Role.VIEWER)
def as_json(request: Request, course_id: int, night_id: int) -> dict[str, object]:
    """The kept forecast in the open JSON form."""
    return as_form(_kept(request, course_id, night_id))


def _kept(request: Request, course_id: int, night_id: int) -> Forecast:
    with parts_of(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        kept = nights.kept_forecast(
            nights.forecast_row(session, night), nights.needs_of(night).zone
        )
        if kept is None:
            raise kit.NotFoundError("no forecast is kept for this night")
        return kept


@router.get("/meter")
@for_role(Role.VIEWER)
def meter(request: Request, course_id: int, night_id: int) -> dict[str, object]:
    """One reading of the hand wind meter."""
    address = parts_of(request).stand_ins
    if address is None:
        raise InputError("meter", "no wind meter is connected")
    with parts_of(request).database.session() as session:
        course, night = _both(session, course_id, night_id)
        units, seed = Units(course.units), night.id
    try:
        answer = httpx2.get(
            f"{address}/wind-meter",
            params={"seed": seed, "mean": "3.5"},
            timeout=METER_TIMEOUT_S,
            trust_env=False,
        )
        speed = float(answer.raise_for_status().json()["wind_m_s"])
    except (httpx2.HTTPError, ValueError, KeyError, TypeError):
        raise InputError(
            "meter", "the wind meter does not answer; switch it on and try again"
        ) from None
    return {
        "wind_m_s": speed,
        "shown": f"{speed:.1f} m/s"
        if units is Units.METRIC
        else format_speed(speed, units),
    }


class Readings(BaseModel):
    """Readings of the wind meter, one a second; `open`: taken on open ground near by, not here.
    `keep`: take them as tonight's wind, else only tell what they mean.
    """

    wind_m_s: list[float]
    open: bool = False
    keep: bool = True


@router.post("/measured")
@for_role(Role.ASSISTANT)
def measured(
    session: Db, course_id: int, night_id: int, readings: Readings
) -> dict[str, object]:
    """What a minute's readings mean as tonight's wind, and take them as that: mean and strongest,
    brought up to 10 m over open ground from where they were taken.
    """
    values = [v for v in readings.wind_m_s if 0 <= v <= 60][:600]
    if len(values) < LEAST_READINGS:
        raise InputError("wind_m_s", "hold the meter up for at least five readings")
    course, night = _both(session, course_id, night_id)
    needs, units = nights.needs_of(night), Units(course.units)
    around = SURROUNDINGS["open"] if readings.open else needs.around
    mean = forecast_from_hand(sum(values) / len(values), METER_HEIGHT_M, around)
    gust = max(forecast_from_hand(max(values), METER_HEIGHT_M, around), mean)
    after = replace(
        needs,
        wind_m_s=round(min(mean, 60.0), 1),
        gust_m_s=round(min(max(gust, mean), 90.0), 1),
    )
    told = measured_words(
        sum(values) / len(values), needs, after, units, over_open=readings.open
    )
    if not readings.keep:
        return {"told": told}
    row = nights.set_needs(session, night, after, "the measured wind")
    return {"version": row.version, "told": told}
