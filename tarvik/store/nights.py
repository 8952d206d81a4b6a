"""A night's needs, a course's rules, its sites, and the last good forecast of each night."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import TYPE_CHECKING

from sqlalchemy import delete, func, select

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.intent import intent_named
from tarvik.core.loads.holding import ground_named
from tarvik.core.tonight import Night as CoreNight
from tarvik.core.weather.forecast import Forecast
from tarvik.core.weather.needs import NightNeeds, zone_named
from tarvik.core.weather.surroundings import surroundings_named
from tarvik.exchange.forecast import as_form, read_json
from tarvik.exchange.night_form import (
    RULE_DEFAULTS,
    from_plain,
    holding_of,
    lying_of,
    net_of,
    own_values_of,
    read_rule,
    rules_shown,
    to_plain,
)
from tarvik.store import courses, kit
from tarvik.store.kit import ConflictError, NotFoundError
from tarvik.store.models import PROPOSED, Course, ForecastRow, NeedsStep, Night, Site, now

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import datetime

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping
    from tarvik.core.units import Units

MOST_STEPS = 50
MOST_SITES = 200
POLL_EVERY = timedelta(minutes=10)
"""How often a night's forecast is asked for anew."""
POLL_AHEAD_DAYS = 10
"""Nights further ahead than this, or past, are not asked about."""


def needs_of(night: Night) -> NightNeeds:
    """What is known of a night."""
    return from_plain(
        night.needs or {}, night.on, None if night.intent == PROPOSED else night.intent
    )


def night_of(session: Session, course: Course, night: Night) -> CoreNight:
    """A night as the core judges by it: its needs, how people lie, what holds, the net."""
    site = session.get(Site, night.site_id) if night.site_id else None
    rules = course.rules or {}
    return CoreNight(
        needs_of(night),
        lying_of(rules),
        kit.stakes_of(session, course.id, rules, night.id).held_by(
            holding_of(rules, site.ground if site else None)
        ),
        net_of(rules),
        site.uphill_deg if site else None,
        bool({**RULE_DEFAULTS, **rules}["plan_buttons"]),
        own_values_of(rules),
    )


def _locked(session: Session, night: Night, seen: int | None) -> Night:
    """The night's row, locked. Raises ConflictError when somebody changed it since version
    `seen`.
    """
    row = session.scalars(
        select(Night)
        .where(Night.id == night.id)
        .with_for_update()
        .execution_options(populate_existing=True)
    ).one()
    if seen is not None and row.version != seen:
        raise ConflictError("needs", "your changes", "other values", row.version)
    return row


def _remember(session: Session, row: Night, what: str) -> None:
    session.add(
        NeedsStep(
            night_id=row.id,
            what=what[:200],
            before={
                "needs": dict(row.needs or {}),
                "intent": row.intent,
                "site_id": row.site_id,
            },
        )
    )
    session.flush()
    old = (
        select(NeedsStep.id)
        .where(NeedsStep.night_id == row.id)
        .order_by(NeedsStep.id.desc())
        .offset(MOST_STEPS)
    )
    session.execute(delete(NeedsStep).where(NeedsStep.id.in_(old)))


def set_needs(
    session: Session, night: Night, needs: NightNeeds, what: str, *, seen: int | None = None
) -> Night:
    """Keep needs (their date and intent are the night's own). Raises ConflictError."""
    row = _locked(session, night, seen)
    if to_plain(needs) != (row.needs or {}):
        _remember(session, row, what)
        row.needs = to_plain(needs)
    session.flush()
    return row


def set_intent(session: Session, night: Night, slug: str) -> Night:
    """What the night asks of the shelters; PROPOSED leaves it to the weather. Raises InputError."""
    row = _locked(session, night, None)
    wanted = PROPOSED if slug == PROPOSED else intent_named(slug).slug
    if wanted != row.intent:
        _remember(session, row, "the intent")
        row.intent = wanted
    session.flush()
    return row


def use_site(session: Session, night: Night, site_id: int | None) -> Night:
    """Spend the night at a site: its place, zone and surroundings become the night's. Raises
    NotFoundError.
    """
    row = _locked(session, night, None)
    site = None if site_id is None else one_site(session, night.course_id, site_id)
    _remember(session, row, "the site")
    row.site_id = site.id if site else None
    if site:
        kept = dict(row.needs or {})
        located = {"latitude": site.latitude, "longitude": site.longitude}
        kept |= {k: v for k, v in located.items() if v is not None}
        kept |= {
            "zone": site.zone,
            "surroundings": site.surroundings,
        }
        row.needs = kept
    session.flush()
    return row


def last_needs_step(session: Session, night: Night) -> NeedsStep | None:
    """The change of the needs that undo would take back."""
    return session.scalars(
        select(NeedsStep)
        .where(NeedsStep.night_id == night.id)
        .order_by(NeedsStep.id.desc())
        .limit(1)
    ).first()


def undo_needs(session: Session, night: Night) -> str | None:
    """Take back the last change of a night's needs; says what it was."""
    row = _locked(session, night, None)
    step = last_needs_step(session, row)
    if step is None:
        return None
    row.needs, row.intent = dict(step.before["needs"]), step.before["intent"]
    site = session.get(Site, step.before["site_id"]) if step.before["site_id"] else None
    row.site_id = site.id if site is not None and site.deleted_at is None else None
    session.delete(step)
    session.flush()
    return step.what


def sites(session: Session, course_id: int) -> Sequence[Site]:
    """Undeleted sites in order."""
    query = select(Site).where(Site.course_id == course_id, Site.deleted_at.is_(None))
    return session.scalars(query.order_by(Site.position, Site.id)).all()


def one_site(session: Session, course_id: int, site_id: int) -> Site:
    """One site of this course. Raises NotFoundError."""
    found = session.get(Site, site_id)
    if found is None or found.course_id != course_id or found.deleted_at is not None:
        raise NotFoundError("there is no such site in this course")
    return found


def add_site(session: Session, course_id: int, values: JsonMapping) -> Site:
    """Keep a site. Raises InputError."""
    name = " ".join(str(values.get("name", "")).split())
    if not 1 <= len(name) <= 120:
        raise InputError("name", "give the site a name of at most 120 letters")
    latitude, longitude = values.get("latitude"), values.get("longitude")
    if (latitude is None) != (longitude is None):
        missing = "latitude" if latitude is None else "longitude"
        raise InputError(missing, "give the site's latitude and longitude, or neither")
    NightNeeds(latitude=latitude, longitude=longitude)  # its ranges are checked there
    zone_named(str(values.get("zone") or "UTC"))
    around = surroundings_named(str(values.get("surroundings") or "open"))
    ground_named(str(values.get("ground") or "turf"))
    if len(sites(session, course_id)) >= MOST_SITES:
        raise InputError("name", f"a course has at most {MOST_SITES} sites")
    last = (
        session.scalar(select(func.max(Site.position)).where(Site.course_id == course_id))
        or 0
    )
    made = Site(
        course_id=course_id,
        position=last + 1,
        name=name,
        latitude=latitude,
        longitude=longitude,
        zone=str(values.get("zone") or "UTC"),
        surroundings=around.slug,
        ground=str(values.get("ground") or "turf"),
        uphill_deg=values.get("uphill_deg"),
    )
    session.add(made)
    session.flush()
    return made


def delete_site(
    session: Session, course_id: int, site_id: int, *, undo: bool = False
) -> Site:
    """Mark a site deleted, or take that back."""
    found = session.get(Site, site_id)
    if found is None or found.course_id != course_id:
        raise NotFoundError("there is no such site in this course")
    found.deleted_at = None if undo else now()
    session.flush()
    return found


def change_rule(
    session: Session,
    course_id: int,
    name: str,
    text: str,
    version: int,
    was: str,
    units: Units,
) -> Course:
    """Change one of a course's rules. Raises InputError, ConflictError, NotFoundError."""
    row = courses.locked(session, course_id)
    value = read_rule(name, text, units)
    theirs = rules_shown(row.rules or {}, units)[name]
    if row.version != version and theirs != was:
        raise ConflictError(name, text, theirs, row.version)
    row.rules = {**(row.rules or {}), name: value}
    session.flush()
    return row


def forecast_row(session: Session, night: Night) -> ForecastRow | None:
    """The forecast kept for a night."""
    return session.scalars(
        select(ForecastRow).where(ForecastRow.night_id == night.id)
    ).one_or_none()


def _row(session: Session, night: Night) -> ForecastRow:
    _locked(session, night, None)
    found = forecast_row(session, night)
    if found is None:
        found = ForecastRow(night_id=night.id)
        session.add(found)
        session.flush()
    return found


def kept_forecast(row: ForecastRow | None, zone: str) -> Forecast | None:
    """The last good forecast, its findings with it."""
    if row is None or row.form is None:
        return None
    read = read_json(json.dumps(row.form), zone_named(zone))
    told = tuple(
        Finding(f["code"], f["element"], f["message"], f["remedy"], Level(f["level"]))
        for f in row.findings
    )
    return Forecast(read.hours, read.issued_at, read.source, told)


def keep_forecast(
    session: Session,
    night: Night,
    forecast: Forecast,
    *,
    feed: JsonMapping | None = None,
) -> ForecastRow:
    """Keep a good forecast; `feed` None leaves what is asked for as it is, {} stops the asking."""
    row = _row(session, night)
    row.form = as_form(forecast)
    row.findings = [
        {
            "code": f.code,
            "element": f.element,
            "message": f.message,
            "remedy": f.remedy,
            "level": int(f.level),
        }
        for f in forecast.findings
    ]
    row.fetched_at = row.asked_at = now()
    row.failure = ""
    if feed is not None:
        row.feed = dict(feed)
    session.flush()
    return row


def note_failure(
    session: Session, night: Night, why: str, *, feed: JsonMapping | None = None
) -> ForecastRow:
    """Say why no newer forecast came; the last good one stays."""
    row = _row(session, night)
    row.failure, row.asked_at = why[:400], now()
    if feed is not None:
        row.feed = dict(feed)
    session.flush()
    return row


def due_for_polling(session: Session, at: datetime) -> Sequence[ForecastRow]:
    """Forecasts that are asked from a service and were not asked for lately, of nights that are
    near and not over.
    """
    query = (
        select(ForecastRow)
        .join(Night, Night.id == ForecastRow.night_id)
        .where(
            Night.deleted_at.is_(None),
            ForecastRow.feed != {},
            ForecastRow.asked_at < at - POLL_EVERY,
        )
        .where(
            (Night.on.is_(None))
            | (
                Night.on.between(
                    (at - timedelta(days=1)).date(),
                    (at + timedelta(days=POLL_AHEAD_DAYS)).date(),
                )
            )
        )
        .order_by(ForecastRow.asked_at)
    )
    return session.scalars(query).all()


def wind_at_dawn(session: Session, night: Night) -> float | None:
    """Bearing of the last wind that the night's forecast tells; None without one."""
    needs = needs_of(night)
    forecast = kept_forecast(forecast_row(session, night), needs.zone)
    if forecast is None or needs.window is None:
        return None
    start, end = needs.window
    hours = [h for h in forecast.hours if start <= h.at <= end]
    told = [
        h.wind_from_deg
        for h in hours
        if h.wind_from_deg is not None and (h.wind_m_s or 0) > 0
    ]
    return told[-1] if told else None
