"""The evening: who sets up what, so that all stands before dark and rain."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

from tarvik.core.pitches import PITCHES
from tarvik.core.plan.evening import MARGIN_MIN, Hands, ToPitch, evening
from tarvik.core.plan.gather import standing_offers
from tarvik.store import asks, night_plan
from tarvik.work.report import Done

if TYPE_CHECKING:
    from tarvik.core.plain import JsonMapping
    from tarvik.core.plan.make import Case
    from tarvik.work.desk import Desk
    from tarvik.work.report import Report


def evening_tasks(
    desk: Desk, course_id: int, night_id: int, _: JsonMapping, report: Report
) -> Done:
    """The evening's tasks in order: who does what, from when to when."""
    case, _seconds = desk.case(course_id, night_id)
    with desk.database.session() as session:
        row = night_plan.of_night(session, night_id)
        wish, told = asks.asked_of(row)["evening"], (row.asked or {}).get("evening", {})
    shelters = _to_pitch(desk, case)
    arrival, due, why = due_of(case, wish["arrival"])
    hands = Hands(
        case.bag.campers,
        {int(p): int(m) for p, m in wish["late"].items()},
        frozenset(wish["gone"]),
        int(wish["mallets"]),
    )
    report.say("putting the tasks in order", at_once=True)
    done = {(int(n), stage): int(at) for n, stage, at in wish["done"]}
    found = evening(shelters, hands, due, desk.limits(report, 5.0), done)
    tasks = [
        {
            "shelter": t.shelter,
            "stage": t.stage,
            "start": t.start,
            "end": t.end,
            "who": t.who,
            "mallet": t.mallet,
        }
        for t in found.tasks
    ]
    late = {str(n): m for n, m in found.late.items() if m}
    return Done(
        "done",
        {
            "tasks": tasks,
            "late": late,
            "due": due,
            "why": why,
            "arrival": wish["arrival"],
            "assumed": "arrival" not in told,
            "done_min": found.done,
            "proven": found.proven,
            "on": arrival.isoformat() if arrival else None,
        },
    )


def _to_pitch(desk: Desk, case: Case) -> list[ToPitch]:
    offers = standing_offers(
        case.bag, case.night, case.camp, case.standing, desk.solver.solve_all
    )
    stood = {o.sheets: o for o in reversed(offers)}
    out = []
    for number, standing in enumerate(case.standing, start=1):
        pitch = PITCHES[standing.pitch]
        offer = stood.get(standing.sheets)
        stakes = offer.stakes if offer else len(pitch.anchors)
        out.append(
            ToPitch(
                number,
                standing.people,
                case.night.own.minutes_of(pitch),
                len(pitch.high_points()),
                stakes,
                pitch.minutes > 6,
                case.rules.leaf_beds,
            )
        )
    return out


class Due(NamedTuple):
    """When the group arrives, minutes after it by which all is to stand, and why then."""

    arrival: datetime | None
    minutes: int | None
    why: str


def due_of(case: Case, arrival: str) -> Due:
    """(arrival, minutes after it by which all is to stand, why then): the first of dark and rain,
    less a margin.
    """
    needs = case.night.needs
    light = needs.evening
    if needs.on is None:
        return Due(None, None, "no date is set for the night")
    hour, minute = (int(part) for part in arrival.split(":"))
    zone = light.sunset.tzinfo if light and light.sunset else None
    start = datetime(needs.on.year, needs.on.month, needs.on.day, hour, minute, tzinfo=zone)
    ends: list[tuple[datetime, str]] = []
    if light is not None and light.last_light is not None:
        ends.append((light.last_light, "last light"))
    if needs.rain_mm_h and needs.rain_from is not None:
        rain = start.replace(hour=needs.rain_from.hour, minute=needs.rain_from.minute)
        ends.append(
            (
                rain if rain >= start - timedelta(hours=6) else rain + timedelta(days=1),
                "the rain",
            )
        )
    if not ends:
        return Due(start, None, "neither dark nor rain is known")
    first, why = min(ends, key=lambda e: e[0])
    minutes = int((first - start).total_seconds() // 60) - MARGIN_MIN
    return Due(start, minutes, f"{MARGIN_MIN} minutes before {why} at {first:%H:%M}")
