"""What follows from a night's needs, as its screen shows it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import TYPE_CHECKING, Final

from tarvik.core.explain import Explained
from tarvik.core.finding import Finding, Level
from tarvik.core.intent import INTENTS, Intent
from tarvik.core.quantities import format_speed
from tarvik.core.solve import ADULT, DEFAULT_CLEARANCE
from tarvik.core.units import Units
from tarvik.core.weather.forecast import Forecast, Outlook, age_finding, age_words, outlook
from tarvik.core.weather.needs import NightNeeds, Proposal, needs_from, propose
from tarvik.core.weather.wind import beaufort
from tarvik.exchange.night_form import FIELDS, to_plain
from tarvik.stand_ins.stories import STORIES
from tarvik.store import nights
from tarvik.store.models import PROPOSED, Course, ForecastRow, Night, now
from tarvik.web.drawing.strip import hour_rows, strip_chart
from tarvik.web.shared.night_words import figures_of, fire_words, weather_words

if TYPE_CHECKING:
    from sqlalchemy.orm import Session


NO_DATE: Final = Finding(
    "no_date",
    "night",
    "the night has no date, so none of the hours belongs to it",
    "give the night its date on the course page",
)


@dataclass(frozen=True, slots=True)
class ForecastShown:
    """A night's forecast. `kept`: what was received, `outlook`: the night's own hours of it;
    `changes`: titles of the fields that it would change.
    """

    row: ForecastRow | None
    kept: Forecast | None
    age: str = ""
    outlook: Outlook | None = None
    findings: tuple[Finding, ...] = ()
    changes: tuple[str, ...] = ()


def measured_words(
    mean_m_s: float, before: NightNeeds, after: NightNeeds, units: Units, *, over_open: bool
) -> str:
    """What a wind meter's reading was taken for and what it changes, in words. `mean_m_s`: as read
    at head height; `after`: the needs with the wind that it means.
    """
    place = "on open ground" if over_open else f"here ({before.around.name[0].lower()}"
    place += "" if over_open else f"{before.around.name[1:]})"
    wind = after.wind_m_s or 0.0
    said = (
        f"{format_speed(mean_m_s, units)} at head height {place} is a wind of "
        f"{format_speed(wind, units)} (force {beaufort(wind)}) at 10 m over open ground."
    )
    if before.wind_m_s is not None:
        said += f" Until now: {format_speed(before.wind_m_s, units)}."
    was, now_wanted = propose(before, units).intent, propose(after, units).intent
    if was.slug != now_wanted.slug:
        said += f" It makes the night “{now_wanted.name}” in place of “{was.name}”."
    return said


def forecast_shown(
    row: ForecastRow | None, needs: NightNeeds, at: datetime
) -> ForecastShown:
    """The same, `at` a time."""
    kept = nights.kept_forecast(row, needs.zone)
    failed = _failed(row, at)
    if kept is None or row is None or row.fetched_at is None:
        return ForecastShown(row, kept, findings=failed)
    old = age_finding(kept.issued_at or row.fetched_at, at)
    shown = ForecastShown(
        row,
        kept,
        age_words(hours_since(row.fetched_at, at)),
        findings=(*failed, *([old] if old else []), *kept.findings),
    )
    if needs.window is None:
        return replace(shown, findings=(*shown.findings, NO_DATE))
    seen = outlook(kept, *needs.window)
    changes = changed_fields(needs, needs_from(seen, needs))
    return replace(
        shown,
        outlook=seen,
        findings=(*shown.findings, *seen.findings),
        changes=tuple(changes),
    )


def _failed(row: ForecastRow | None, at: datetime) -> tuple[Finding, ...]:
    """That the forecast service did not answer, and whether an older forecast stays."""
    if row is None or not row.failure:
        return ()
    old = age_words(hours_since(row.fetched_at, at)) if row.fetched_at else ""
    stays = f"; the last good one, {old} old, stays" if old else ""
    said = f"no newer forecast: {row.failure}{stays}"
    return (
        Finding("feed_failed", "feed", said, "it is asked again by itself", Level.CAUTION),
    )


def hours_since(then: datetime | None, at: datetime) -> float:
    return (at - then).total_seconds() / 3600 if then else 0.0


def changed_fields(before: NightNeeds, after: NightNeeds) -> list[str]:
    """Names of the fields that a forecast would change."""
    was, would = to_plain(before), to_plain(after)
    return [f.title for f in FIELDS if was.get(f.name) != would.get(f.name)]


@dataclass(frozen=True, slots=True)
class OutcomeView:
    """Everything that follows from a night's needs."""

    course: Course
    night: Night
    needs: NightNeeds
    proposal: Proposal
    figures: list[Explained]
    forecast: ForecastShown
    strip: str
    rows: list[tuple[str, ...]]
    words: str
    fire: str
    undo: str | None
    intents: Mapping[str, Intent] = field(default_factory=lambda: INTENTS)
    proposed: str = PROPOSED
    stories: Mapping[str, str] = field(default_factory=lambda: STORIES)


def outcome_of(session: Session, course: Course, night: Night) -> OutcomeView:
    """The same, of the night as it is kept."""
    units, needs = Units(course.units), nights.needs_of(night)
    told = forecast_shown(nights.forecast_row(session, night), needs, now())
    hours = told.outlook.hours if told.outlook is not None else ()
    step = nights.last_needs_step(session, night)
    return OutcomeView(
        course=course,
        night=night,
        needs=needs,
        proposal=propose(needs, units),
        figures=figures_of(needs, ADULT, DEFAULT_CLEARANCE, units),
        forecast=told,
        strip=strip_chart(hours, needs, units) if hours else "",
        rows=hour_rows(hours, needs, units),
        words=weather_words(needs, units),
        fire=fire_words(units),
        undo=step.what if step else None,
    )
