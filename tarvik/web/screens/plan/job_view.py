"""A job of a night's plan as its page hears of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plain import JsonObject
from tarvik.core.plan.aims import aim_named
from tarvik.store import asks

if TYPE_CHECKING:
    from tarvik.core.units import Units
    from tarvik.store.models import PlanJob


def shown(job: PlanJob, units: Units) -> JsonObject:
    """A job as the page hears of it, what it has reached in words."""
    result, progress = job.result or {}, dict(job.progress or {})
    if "reached" in progress:
        progress["reached"] = [_reached(row, units) for row in progress["reached"]]
    return {
        "id": job.id,
        "kind": job.kind,
        "state": job.state,
        "progress": progress,
        "words": result.get("words", ""),
        "applied": result.get("applied"),
        "open": job.state in asks.OPEN,
    }


def _reached(row: JsonObject, units: Units) -> JsonObject:
    """What was reached of an aim, its name and value in words."""
    aim = aim_named(row["aim"])
    return {**row, "name": aim.heading, "told": aim.told(row["value"], units)}
