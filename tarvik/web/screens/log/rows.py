"""The log's rows: a shelter of a morning, as planned and as it was."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from tarvik.core.pitches import PITCHES
from tarvik.exchange.log_form import LogKept, Place
from tarvik.store import field
from tarvik.store.models import FieldEntry, Night


@dataclass(frozen=True, slots=True)
class LogRow:
    """One shelter of one morning. `pitch`, `people`: as planned; `slug`: the pitch's; the rest as
    it was said and as it was forecast, SI units.
    """

    night: str
    pitch: str
    slug: str
    people: tuple[str, ...]
    changed: str
    minutes: int | None
    planned_minutes: float
    peak_m: float | None
    planned_peak_m: float | None
    span: str
    span_m: float | None
    planned_span_m: float | None
    wet: str
    where: str
    wet_at: tuple[Place, ...]
    taut: str
    pulled: int | None
    force: int | None
    forecast_force: int | None
    rain: str
    forecast_rain_mm_h: float | None
    rain_slope: float | None
    lowest_c: float | None
    forecast_lowest_c: float | None
    again: str
    damage: str
    note: str
    by: str
    at: datetime
    stake_used: float | None
    ground: str
    footprint: tuple[Place, ...]
    mats: tuple[tuple[Place, ...], ...]


def row_of(night: Night, entry: FieldEntry) -> LogRow:
    """An entry as a row."""
    log = LogKept.model_validate(entry.data)
    planned = log.planned
    return LogRow(
        night=night.title,
        pitch=PITCHES[log.pitch].name if log.pitch in PITCHES else log.pitch,
        slug=log.pitch,
        people=log.people,
        changed=log.changed,
        minutes=log.minutes,
        planned_minutes=planned.minutes or 0.0,
        peak_m=log.peak_m,
        planned_peak_m=planned.peak_m,
        span=log.span,
        span_m=log.span_m,
        planned_span_m=planned.span_m,
        wet=log.wet,
        where=log.where,
        wet_at=log.wet_at,
        taut=log.taut,
        pulled=log.pulled,
        force=log.force,
        forecast_force=planned.force,
        rain=log.rain,
        forecast_rain_mm_h=planned.rain_mm_h,
        rain_slope=planned.rain_slope,
        lowest_c=log.lowest_c,
        forecast_lowest_c=planned.lowest_c,
        again=log.again,
        damage=log.damage,
        note=log.note,
        by=entry.by,
        at=entry.said_at,
        stake_used=planned.stake_used,
        ground=planned.ground,
        footprint=planned.footprint,
        mats=planned.mats,
    )


def logged_rows(session: Session, course_id: int) -> list[LogRow]:
    """The log of a course, shelter by shelter."""
    return [row_of(night, entry) for night, entry in field.logged(session, course_id)]
