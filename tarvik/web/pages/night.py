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
from pydantic import BaseModel

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.intent import INTENTS
from tarvik.core.quantities import format_speed
from tarvik.core.solve import ADULT, DEFAULT_CLEARANCE
from tarvik.core.units import Units
from tarvik.core.weather.forecast import Forecast, age_finding, age_words, outlook
from tarvik.core.weather.needs import NightNeeds, needs_from, propose, zone_named
from tarvik.core.weather.wind import forecast_from_hand
from tarvik.exchange.columns import whole_number
from tarvik.exchange.forecast import as_form, read_any, write_csv
from tarvik.exchange.night_form import FIELDS, FieldError, read_needs, shown, to_plain
from tarvik.stand_ins.stories import STORIES
from tarvik.store import courses, kit, nights
from tarvik.store.accounts import Role
from tarvik.store.kit import ConflictError
from tarvik.store.models import PROPOSED, Course, ForecastRow, Night, now
from tarvik.web.access import for_role, guarded_router, safe_back
from tarvik.web.drawing.strip import hour_rows, strip_chart
from tarvik.web.night_words import figures_of, fire_words, weather_words
from tarvik.web.pages.common import page, tarvik
from tarvik.web.polling import fetch_for

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/weather")
METER_HEIGHT_M = 1.5
"""Height at which a wind meter is held up."""
METER_TIMEOUT_S = 2.0


class Change(BaseModel):
    """One field as typed, with what was seen before."""

    column: str
    text: str
    version: int
    was: str = ""


def _forecast(row: ForecastRow | None, needs: NightNeeds, at: datetime) -> dict[str, Any]:
    """What the screen shows of a night's forecast."""
    kept = nights.kept_forecast(row, needs.zone)
    out: dict[str, Any] = {
        "kept": kept,
        "row": row,
        "outlook": None,
        "findings": [],
        "age": "",
        "changes": [],
    }
    if row is not None and row.failure:
        stays = (
            f"; the last good one, {age_words(_hours(row.fetched_at, at))} old, stays"
            if row.fetched_at
            else ""
        )
        out["findings"].append(
            Finding(
                "feed_failed",
                "feed",
                f"no newer forecast: {row.failure}{stays}",
                "it is asked again by itself",
                Level.CAUTION,
            )
        )
    if kept is None or row is None or row.fetched_at is None:
        return out
    out["age"] = age_words(_hours(row.fetched_at, at))
    old = age_finding(kept.issued_at or row.fetched_at, at)
    out["findings"] += [*([old] if old else []), *kept.findings]
    if needs.window is not None:
        seen = outlook(kept, *needs.window)
        out["outlook"] = seen
        out["findings"] += seen.findings
        out["changes"] = _changes(needs, needs_from(seen, needs))
    else:
        out["findings"].append(
            Finding(
                "no_date",
                "night",
                "the night has no date, so none of the hours belongs to it",
                "give the night its date on the course page",
            )
        )
    return out


def _hours(then: datetime | None, at: datetime) -> float:
    return (at - then).total_seconds() / 3600 if then else 0.0


def _changes(before: NightNeeds, after: NightNeeds) -> list[str]:
    """Names of the fields that a forecast would change."""
    was, would = to_plain(before), to_plain(after)
    return [f.title for f in FIELDS if was.get(f.name) != would.get(f.name)]


def _outcome(session: Session, course: Course, night: Night) -> dict[str, Any]:
    """Everything that follows from the needs."""
    units = Units(course.units)
    needs = nights.needs_of(night)
    told = _forecast(nights.forecast_row(session, night), needs, now())
    hours = told["outlook"].hours if told["outlook"] is not None else ()
    step = nights.last_needs_step(session, night)
    return {
        "course": course,
        "night": night,
        "needs": needs,
        "units": units,
        "proposal": propose(needs),
        "intents": INTENTS,
        "proposed": PROPOSED,
        "figures": figures_of(needs, ADULT, DEFAULT_CLEARANCE, units),
        "forecast": told,
        "strip": strip_chart(hours, needs, units) if hours else "",
        "rows": hour_rows(hours, needs, units),
        "words": weather_words(needs, units),
        "fire": fire_words(units),
        "undo": step.what if step else None,
        "stories": STORIES,
    }


def _both(session: Session, course_id: int, night_id: int) -> tuple[Course, Night]:
    return courses.course(session, course_id), courses.night(session, course_id, night_id)


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The night screen."""
    with tarvik(request).database.session() as session:
        course, night = _both(session, course_id, night_id)
        units = Units(course.units)
        return page(
            request,
            "night.html",
            tab="night",
            nights=courses.nights(session, course_id),
            fields={f.name: f for f in FIELDS},
            text=shown(nights.needs_of(night), units),
            sites=nights.sites(session, course_id),
            site=night.site_id,
            everyone=len(kit.rows(session, course_id, "people")),
            meter=tarvik(request).stand_ins is not None,
            **_outcome(session, course, night),
        )


@router.get("/outcome")
@for_role(Role.VIEWER)
def outcome(request: Request, course_id: int, night_id: int) -> Any:
    """Only what follows from the needs."""
    with tarvik(request).database.session() as session:
        return page(
            request, "night_outcome.html", **_outcome(session, *_both(session, course_id, night_id))
        )


@router.patch("")
@for_role(Role.ASSISTANT)
def change(request: Request, course_id: int, night_id: int, change: Change) -> Any:
    """Change one field of the needs, as typed."""
    with tarvik(request).database.session() as session:
        course, night = _both(session, course_id, night_id)
        units = Units(course.units)
        before = nights.needs_of(night)
        if change.column not in {f.name for f in FIELDS}:
            raise InputError(change.column[:40], "there is no such field")
        theirs = shown(before, units)[change.column]
        if night.version != change.version and theirs != change.was:
            raise ConflictError(change.column, change.text, theirs, night.version)
        try:
            after = read_needs({change.column: change.text}, before, units)
        except FieldError as err:
            field, message = next(iter(err.errors.items()))
            raise InputError(field, message) from err
        title = next(f.title for f in FIELDS if f.name == change.column)
        row = nights.set_needs(session, night, after, f"«{title}»", seen=night.version)
        return {"version": row.version, "text": shown(after, units)[change.column]}


def _back(course_id: int, night_id: int) -> RedirectResponse:
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/weather", status_code=303)


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(request: Request, course_id: int, night_id: int) -> Any:
    """Take back the last change of the needs."""
    with tarvik(request).database.session() as session:
        nights.undo_needs(session, _both(session, course_id, night_id)[1])
    return _back(course_id, night_id)


@router.post("/intent")
@for_role(Role.ASSISTANT)
def intent(request: Request, course_id: int, night_id: int, intent: Annotated[str, Form()]) -> Any:
    """What the night asks for; «proposed» leaves it to the weather."""
    with tarvik(request).database.session() as session:
        nights.set_intent(session, _both(session, course_id, night_id)[1], intent)
    return _back(course_id, night_id)


@router.post("/site")
@for_role(Role.ASSISTANT)
def site(request: Request, course_id: int, night_id: int, site: Annotated[str, Form()] = "") -> Any:
    """Spend the night at one of the course's sites, or at none of them."""
    if site and whole_number(site) < 0:
        raise InputError("site", "choose one of the course's sites")
    with tarvik(request).database.session() as session:
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
) -> Any:
    """Tick that the trees overhead were looked at for this night, or take it back."""
    with tarvik(request).database.session() as session:
        night = _both(session, course_id, night_id)[1]
        needs = replace(nights.needs_of(night), overhead_checked=looked == "yes")
        nights.set_needs(session, night, needs, "trees overhead looked at")
    own = f"/courses/{course_id}/nights/{night_id}/"
    to = safe_back(back) if back.startswith(own) else f"{own}weather"
    return RedirectResponse(to, status_code=303)


@router.post("/keep-site")
@for_role(Role.ASSISTANT)
def keep_site(
    request: Request, course_id: int, night_id: int, name: Annotated[str, Form()] = ""
) -> Any:
    """Keep the night's place among the course's sites, under a name."""
    with tarvik(request).database.session() as session:
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
) -> Any:
    """Ask the forecast service for this night, now and from now on."""
    service = tarvik(request).feed
    if service is None:
        raise InputError(
            "feed", "no forecast service is set up on this server; import a file instead"
        )
    if story not in STORIES:
        raise InputError("story", f"choose one of {', '.join(STORIES.values())}")
    if not seed.isdecimal() or len(seed) > 6:
        raise InputError("seed", "the number of the practice weather is a whole number")
    with tarvik(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        needs = nights.needs_of(night)
    day = needs.on or now().date()
    begin = datetime(day.year, day.month, day.day, tzinfo=zone_named(needs.zone))
    query = {"story": story, "seed": seed, "start": begin.astimezone(UTC).isoformat()}
    fetch_for(tarvik(request).database, service, night_id, query, needs.zone)
    return _back(course_id, night_id)


@router.post("/feed/again")
@for_role(Role.ASSISTANT)
def feed_again(request: Request, course_id: int, night_id: int) -> Any:
    """Ask once more, now."""
    service = tarvik(request).feed
    with tarvik(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        row = nights.forecast_row(session, night)
        query, zone = dict(row.feed) if row is not None else {}, nights.needs_of(night).zone
    if service is not None and query:
        fetch_for(tarvik(request).database, service, night_id, query, zone)
    return _back(course_id, night_id)


@router.post("/import/preview")
@for_role(Role.ASSISTANT)
def preview(
    request: Request, course_id: int, night_id: int, text: Annotated[str, Form()] = ""
) -> Any:
    """What a pasted forecast would bring, before anything is kept."""
    with tarvik(request).database.session() as session:
        course, night = _both(session, course_id, night_id)
        needs = nights.needs_of(night)
        read, seen = _read(text, needs)
        rows = hour_rows(seen.hours if seen else read.hours[:24], needs, Units(course.units))
        return page(
            request,
            "forecast_preview.html",
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
    request: Request, course_id: int, night_id: int, text: Annotated[str, Form()] = ""
) -> Any:
    """Keep a pasted forecast; no service is asked for this night any more."""
    with tarvik(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        read, _ = _read(text, nights.needs_of(night))
        nights.keep_forecast(session, night, read, feed={})
    return _back(course_id, night_id)


@router.post("/use")
@for_role(Role.ASSISTANT)
def use(request: Request, course_id: int, night_id: int) -> Any:
    """Take what the forecast says into the night's needs."""
    with tarvik(request).database.session() as session:
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
def as_json(request: Request, course_id: int, night_id: int) -> Any:
    """The kept forecast in the open JSON form."""
    return as_form(_kept(request, course_id, night_id))


def _kept(request: Request, course_id: int, night_id: int) -> Forecast:
    with tarvik(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        kept = nights.kept_forecast(
            nights.forecast_row(session, night), nights.needs_of(night).zone
        )
        if kept is None:
            raise kit.NotFoundError("no forecast is kept for this night")
        return kept


@router.get("/meter")
@for_role(Role.VIEWER)
def meter(request: Request, course_id: int, night_id: int) -> Any:
    """One reading of the hand wind meter."""
    address = tarvik(request).stand_ins
    if address is None:
        raise InputError("meter", "no wind meter is connected")
    with tarvik(request).database.session() as session:
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
        "shown": f"{speed:.1f} m/s" if units is Units.METRIC else format_speed(speed, units),
    }


class Readings(BaseModel):
    """Readings of the wind meter, one a second."""

    wind_m_s: list[float]


@router.post("/measured")
@for_role(Role.ASSISTANT)
def measured(request: Request, course_id: int, night_id: int, readings: Readings) -> Any:
    """Take a minute's readings as tonight's wind: mean and strongest, brought up to 10 m over open
    ground.
    """
    values = [v for v in readings.wind_m_s if 0 <= v <= 60][:600]
    if len(values) < 5:
        raise InputError("wind_m_s", "hold the meter up for at least five readings")
    with tarvik(request).database.session() as session:
        _, night = _both(session, course_id, night_id)
        needs = nights.needs_of(night)
        mean = forecast_from_hand(sum(values) / len(values), METER_HEIGHT_M, needs.around)
        gust = max(forecast_from_hand(max(values), METER_HEIGHT_M, needs.around), mean)
        after = replace(
            needs, wind_m_s=round(min(mean, 60.0), 1), gust_m_s=round(min(max(gust, mean), 90.0), 1)
        )
        row = nights.set_needs(session, night, after, "the measured wind")
        return {"version": row.version}
