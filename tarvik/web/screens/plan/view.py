"""What the plan's screen shows: the map with the shelters, who sleeps where, what was reached, why,
kit, the evening.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Pitch
from tarvik.core.plain import JsonMapping, JsonObject
from tarvik.core.plan.aims import AIMS, PlanAim, aim_named
from tarvik.core.plan.constraint import Constraint, Kind, Repair
from tarvik.core.plan.kit_use import Total, totals
from tarvik.core.units import Units
from tarvik.exchange.night_form import plan_rules_of
from tarvik.store import asks, kit, night_plan, nights, plans
from tarvik.store.models import Course, NamedPlan, Night, Person, PlanJob, SheetRow, now
from tarvik.web.drawing.lanes import lanes
from tarvik.web.screens.plan.job_view import shown
from tarvik.web.screens.plan.present_view import PieceHere, pieces_here
from tarvik.web.shared.night_words import OfThePlace, of_the_place, weather_words
from tarvik.web.shared.questions import owner_name
from tarvik.web.shared.repairs import for_leaders
from tarvik.web.shared.shelters_map import camp_of
from tarvik.web.shared.standing import StandingShelter, at_hand

if TYPE_CHECKING:
    from fastapi import Request
    from sqlalchemy.orm import Session

Kept = JsonMapping
"""What the worker found, as it is kept: JSON, of a shape of its own for each question."""
KIT_TITLES = {
    "stake": "stakes",
    "pole": "poles or sticks",
    "line": "lines",
    "tree": "trees",
}


@dataclass(frozen=True, slots=True)
class Reached:
    """How far a plan gets with one aim, in words; `by_eye`: with everybody under their own."""

    heading: str
    value: str
    bound: str
    by_eye: str


@dataclass(frozen=True, slots=True)
class PairSaid:
    """Two people who never, or always, share."""

    kind: str
    one: int
    two: int
    words: str


@dataclass(frozen=True, slots=True)
class PlanWaiting:
    """A plan that was found but not taken up."""

    id: int
    state: str


@dataclass(frozen=True, slots=True)
class PlanView:
    """The plan's screen. `found`: what the worker found of each kind of question; `locked`: what
    the leader fixed; `resting`: sheets that stay in the bag; `numbers`: the shelter of each sheet;
    `turned`: the night has changed since the plan was made; `absent`: who and what is not there
    tonight, `astray`: in words, those of them that the choices reckon with all the same.
    """

    course: Course
    night: Night
    place: OfThePlace
    weather: str
    wind_m_s: float | None
    asked: Kept
    shelters: list[StandingShelter]
    map: str | None
    step: int
    names: Mapping[int, str]
    owners: Mapping[int, str]
    numbers: Mapping[int, int]
    unplaced: list[Person]
    people: list[Person]
    resting: list[SheetRow]
    locked: Mapping[str, set[int]]
    aims: list[PlanAim]
    reached: list[Reached]
    found: Mapping[str, Kept]
    totals: list[Total]
    job: PlanJob | None
    running: Kept | None
    kept: PlanWaiting | None
    named: Sequence[NamedPlan]
    undo: str | None
    redo: str | None
    pairs: list[PairSaid]
    evening: Kept | None
    turned: bool
    absent: asks.Absent
    pieces: tuple[PieceHere, ...]
    sheets: list[SheetRow]
    astray: tuple[str, ...]
    tab: str = "plan"
    pitches: Mapping[str, Pitch] = field(default_factory=lambda: PITCHES)


def plan_view(request: Request, session: Session, course: Course, night: Night) -> PlanView:
    """Everything on the screen, from the night's choices as they are."""
    units, row = Units(course.units), night_plan.of_night(session, night.id)
    asked = asks.asked_of(row, plan_rules_of(course.rules or {}).school)
    away = asks.absent(session, night.id)
    step = plans.current_step(session, night)
    found = _found(row.found or {}, step)
    people = list(kit.rows(session, course.id, "people"))
    sheets = list(kit.rows(session, course.id, "sheets"))
    camp = camp_of(request, session, course, night)
    names = {p.id: p.name for p in people}
    placed = {p.id for s in camp.shelters for p in s.people}
    numbers = {sheet: s.number for s in camp.shelters for sheet in s.sheets}
    before, again = plans.last_step(session, night), plans.next_step(session, night)
    told, needs = found.get("plan"), nights.needs_of(night)
    return PlanView(
        course=course,
        night=night,
        place=of_the_place(needs, units),
        weather=weather_words(needs, units),
        wind_m_s=needs.wind_m_s,
        asked=asked,
        shelters=camp.shelters,
        map=camp.map,
        step=step,
        names=names,
        owners={s.id: owner_name(s) for s in sheets},
        numbers=numbers,
        unplaced=[p for p in people if p.id not in placed | away.people],
        people=people,
        resting=[s for s in sheets if s.id not in numbers and s.id not in away.sheets],
        locked={k: set(v) for k, v in asked["locks"].items()},
        aims=[aim_named(a) for a in asked["aims"]],
        reached=_reached(told or {}, units),
        found=found,
        totals=totals(camp.rigs, at_hand(session, course.id, night)),
        job=(job := asks.latest_job(session, night.id, "plan")),
        running=None
        if (now := asks.running_job(session, night.id)) is None
        else shown(now, units),
        kept=_waiting(job),
        named=asks.named(session, night.id),
        undo=before.what if before else None,
        redo=again.what if again else None,
        pairs=_pairs(course, names),
        evening=_evening(found.get("evening"), people),
        turned=told is not None and told["night_version"] != night.version,
        absent=away,
        pieces=pieces_here(session, course, night.id),
        sheets=sheets,
        astray=(
            *(names[p] for p in sorted(placed & away.people) if p in names),
            *(
                f"the sheet of {owner_name(s)}"
                for s in sheets
                if s.id in numbers and s.id in away.sheets
            ),
        ),
    )


def _found(kept: Kept, step: int) -> dict[str, JsonObject]:
    """What was found, each with whether the choices are still those it was found for; ways out of
    an impasse in words.
    """
    found = {
        kind: {**told, "fresh": told.get("step") == step} for kind, told in kept.items()
    }
    stuck = found.get("plan", {}).get("impasse")
    if stuck:
        repairs = [_repair(r) for r in stuck["repairs"]]
        found["plan"]["impasse"] = {**stuck, "repairs": repairs}
    return found


def _reached(told: Kept, units: Units) -> list[Reached]:
    """What a plan reaches of each aim, in words: by itself, no plan under, by eye. Aims of plans
    made long ago that are none any more are left out.
    """
    by_eye = {r["aim"]: r["value"] for r in told.get("by_rule") or ()}
    out = []
    for row in told.get("reached") or ():
        if row["aim"] in AIMS:
            aim, eye = aim_named(row["aim"]), by_eye.get(row["aim"])
            own = "–" if eye is None else aim.told(eye, units)
            value, bound = (aim.told(row[key], units) for key in ("value", "bound"))
            out.append(Reached(aim.heading, value, bound, own))
    return out


def _repair(plain: Kept) -> Kept:
    """A repair in words, and whether people must be asked first."""
    said = [
        f"{pieces} more {KIT_TITLES.get(kind, kind)}" for kind, pieces in plain["short"]
    ]
    aside = [
        Constraint.of_tag(*each) for each in zip(plain["tags"], plain["words"], strict=True)
    ]
    for kept in aside:
        if kept.kind is Kind.BED:
            said.append(f"one more sheet ({kept.words})")
        elif kept.kind is not Kind.KIT:
            said.append(f"not holding to “{kept.words}”")
    ways = {kept.repair for kept in aside}
    return {
        **plain,
        "told": " and ".join(said),
        "ask": ways not in ({Repair.BRING}, {Repair.LET_GO}),
        "bring": Repair.BRING in ways,
        "for_leaders": for_leaders(plain),
    }


def _waiting(job: PlanJob | None) -> PlanWaiting | None:
    """A plan that was found but not taken up: called off, or the choices changed meanwhile."""
    result = (job.result or {}) if job is not None else {}
    if job is None or job.state not in ("done", "cancelled") or not result.get("choices"):
        return None
    return None if result.get("applied") else PlanWaiting(job.id, job.state)


def _pairs(course: Course, names: Mapping[int, str]) -> list[PairSaid]:
    return [
        PairSaid(kind, one, two, f"{names[one]} and {names[two]}")
        for kind, one, two in (course.rules or {}).get("pairs", [])
        if one in names and two in names
    ]


def _evening(found: Kept | None, people: Sequence[Person]) -> Kept | None:
    """The schedule with its chart."""
    if found is None:
        return None
    at = None
    if found.get("on"):
        start = datetime.fromisoformat(found["on"])
        here = (
            now().astimezone(start.tzinfo) if start.tzinfo else now().replace(tzinfo=None)
        )
        at = int((here - start).total_seconds() // 60)
    busy = {p for t in found["tasks"] for p in t["who"]}
    order = [(p.id, p.name) for p in people if p.id in busy]
    return {**found, "chart": lanes(found, order, at)}
