"""What the plan's screen shows: the map with the shelters, who sleeps where, what was reached, why,
kit, the evening.
"""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from tarvik.core.finding import Level
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.aims import AIMS, aim_named
from tarvik.core.plan.constraint import Constraint, Kind, Repair
from tarvik.core.plan.kit_use import totals
from tarvik.core.units import Units
from tarvik.exchange.night_form import plan_rules_of
from tarvik.store import asks, courses, kit, night_plan, nights, plans
from tarvik.store.models import now
from tarvik.web.drawing.ground_map import ground_map
from tarvik.web.drawing.lanes import clock, lanes
from tarvik.web.night_words import of_the_place, weather_words
from tarvik.web.pages.common import owner_name
from tarvik.web.repairs import for_leaders
from tarvik.web.standing import at_hand, between, judge_of, scene_of, standing_of

if TYPE_CHECKING:
    from collections.abc import Mapping

    from fastapi import Request
    from sqlalchemy.orm import Session

    from tarvik.store.models import Course, Night, PlanJob

KIT_TITLES = {"stake": "stakes", "pole": "poles or sticks", "line": "lines", "tree": "trees"}


def plan_view(request: Request, session: Session, course_id: int, night_id: int) -> dict[str, Any]:
    """Everything on the screen, from the night's choices as they are."""
    course = courses.course(session, course_id)
    night = courses.night(session, course_id, night_id)
    row = night_plan.of_night(session, night_id)
    asked = asks.asked_of(row, plan_rules_of(course.rules or {}).school)
    step = plans.current_step(session, night)
    found = {
        kind: {**told, "fresh": told.get("step") == step}
        for kind, told in (row.found or {}).items()
    }
    people = list(kit.rows(session, course_id, "people"))
    sheets = list(kit.rows(session, course_id, "sheets"))
    shelters, drawing, rigs = shelters_and_map(request, session, course, night)
    names = {p.id: p.name for p in people}
    owners = {s.id: owner_name(s) for s in sheets}
    placed = {p.id for s in shelters for p in s["people"]}
    used = {s["sheet_id"] for s in shelters}
    if "plan" in found and found["plan"].get("impasse"):
        found["plan"]["impasse"] = {
            **found["plan"]["impasse"],
            "repairs": [_repair(r) for r in found["plan"]["impasse"]["repairs"]],
        }
    job = asks.latest_job(session, night_id, "plan")
    before, again = plans.last_step(session, night), plans.next_step(session, night)
    units = Units(course.units)
    return {
        "course": course,
        "night": night,
        "nights": courses.nights(session, course_id),
        "tab": "plan",
        **of_the_place(nights.needs_of(night), units),
        "asked": asked,
        "shelters": shelters,
        "map": drawing,
        "Level": Level,
        "step": step,
        "names": names,
        "owners": owners,
        "numbers": {s["sheet_id"]: s["number"] for s in shelters},
        "unplaced": [p for p in people if p.id not in placed],
        "people": people,
        "resting": [s for s in sheets if s.id not in used],
        "locked": {k: set(v) for k, v in asked["locks"].items()},
        "aims": [aim_named(a) for a in asked["aims"]],
        "aim_told": lambda aim, value: aim_named(aim).told(value, units),
        "reached": _reached(found.get("plan") or {}, units),
        "found": found,
        "pitches": PITCHES,
        "totals": totals(rigs, at_hand(session, course_id, night.site_id)),
        "job": job,
        "kept": _kept(job),
        "named": asks.named(session, night_id),
        "undo": before.what if before else None,
        "redo": again.what if again else None,
        "pairs": _pairs(course, names),
        "evening": _evening(found.get("evening"), people),
        "turned": bool(found.get("plan")) and found["plan"].get("night_version") != night.version,
        "weather": weather_words(nights.needs_of(night), units),
        "clock": clock,
    }


def _reached(told: Mapping[str, Any], units: Units) -> list[dict[str, str]]:
    """What a plan reaches of each aim, in words: by itself, no plan under, by eye. Aims of plans
    made long ago that are none any more are left out.
    """
    by_eye = {r["aim"]: r["value"] for r in told.get("by_rule") or ()}
    out = []
    for row in told.get("reached") or ():
        if row["aim"] in AIMS:
            aim, eye = aim_named(row["aim"]), by_eye.get(row["aim"])
            out.append(
                {
                    "heading": aim.heading,
                    "value": aim.told(row["value"], units),
                    "bound": aim.told(row["bound"], units),
                    "by_eye": "–" if eye is None else aim.told(eye, units),
                }
            )
    return out


def shelters_and_map(
    request: Request, session: Session, course: Course, night: Night
) -> tuple[list[dict[str, Any]], str | None, list[Any]]:
    """The night's shelters with their findings; the map when the site has one; the rigs that take
    the kit.
    """
    rows = {r.id: r for r in plans.shelters(session, night.id)}
    if night.site_id is None:
        judge = judge_of(request, session, course, nights.night_of(session, course, night))
        out: list[dict[str, Any]] = [
            {
                "id": judged.row.id,
                "number": judged.number,
                "owner": owner_name(judged.row.sheet),
                "pitch": judged.row.pitch,
                "people": plans.sleepers(judged.row),
                "findings": judged.warnings,
                "fault": "",
                "placed": None,
                "judged": judged,
            }
            for judged in judge.each(list(rows.values()))
        ]
        drawing = None
    else:
        scene = scene_of(session, course.id, night.id)
        out = standing_of(request, session, scene)
        between(out)
        needs = scene.tonight.needs
        mapped = bool(scene.known.ground.things or scene.known.ground.areas)
        drawing = (
            None
            if not mapped
            else ground_map(
                scene.known.ground,
                {},
                scene.found,
                [
                    (
                        s["id"],
                        str(s["number"]),
                        s["placed"],
                        any(f.level is Level.STOPS for f in s["findings"]),
                    )
                    for s in out
                    if s["placed"] is not None
                ],
                (),
                needs.wind_from_deg if needs.wind_m_s else None,
            )
        )
    for shelter in out:
        row = rows[shelter["id"]]
        shelter["sheet_id"], shelter["sheet"], shelter["name"] = (
            row.sheet_id,
            row.sheet,
            PITCHES[row.pitch].name,
        )
        shelter["owner_id"] = row.sheet.owner_id
    rigs = [s["placed"].rig for s in out if s["placed"] is not None and s["placed"].rig is not None]
    return out, drawing, rigs


def _repair(plain: dict[str, Any]) -> dict[str, Any]:
    """A repair in words, and whether people must be asked first."""
    said = [f"{pieces} more {KIT_TITLES.get(kind, kind)}" for kind, pieces in plain["short"]]
    aside = [Constraint.of_tag(*each) for each in zip(plain["tags"], plain["words"], strict=True)]
    for kept in aside:
        if kept.kind is Kind.BED:
            said.append(f"one more sheet ({kept.words})")
        elif kept.kind is not Kind.KIT:
            said.append(f"not holding to «{kept.words}»")
    ways = {kept.repair for kept in aside}
    return {
        **plain,
        "told": " and ".join(said),
        "ask": ways not in ({Repair.BRING}, {Repair.LET_GO}),
        "bring": Repair.BRING in ways,
        "for_leaders": for_leaders(plain),
    }


def _kept(job: PlanJob | None) -> dict[str, Any] | None:
    """A plan that was found but not taken up: called off, or the choices changed meanwhile."""
    if (
        job is None
        or job.state not in ("done", "cancelled")
        or not (job.result or {}).get("choices")
    ):
        return None
    result = job.result or {}
    return (
        None
        if result.get("applied")
        else {"id": job.id, "state": job.state, "reached": result["reached"]}
    )


def _pairs(course: Course, names: dict[int, str]) -> list[tuple[str, int, int, str]]:
    return [
        (k, a, b, f"{names[a]} and {names[b]}")
        for k, a, b in (course.rules or {}).get("pairs", [])
        if a in names and b in names
    ]


def _evening(found: dict[str, Any] | None, people: list[Any]) -> dict[str, Any] | None:
    """The schedule with its chart."""
    if found is None:
        return None
    at = None
    if found.get("on"):
        start = datetime.fromisoformat(found["on"])
        here = now().astimezone(start.tzinfo) if start.tzinfo else now().replace(tzinfo=None)
        at = int((here - start).total_seconds() // 60)
    busy = {p for t in found["tasks"] for p in t["who"]}
    order = [(p.id, p.name) for p in people if p.id in busy]
    return {**found, "chart": lanes(found, order, at)}
