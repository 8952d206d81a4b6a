"""When it goes wrong: the storm form of each shelter, and a place for somebody hurt."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.mishap import casualty, foul_weather
from tarvik.work.report import Done

if TYPE_CHECKING:
    from tarvik.core.plain import JsonMapping
    from tarvik.work.desk import Desk
    from tarvik.work.report import Report


def mishap(
    desk: Desk, course_id: int, night_id: int, wish: JsonMapping, report: Report
) -> Done:
    """Where each shelter's people go in foul weather, and where somebody hurt is best put."""
    case, _seconds = desk.case(course_id, night_id)
    report.say("folding each shelter into its storm form", at_once=True)
    model, taken, beds, stood = desk.standing(case)
    people = {c.number: c for c in case.bag.campers}
    offers = {o.sheets: o for o in reversed(stood)}
    some = []
    for standing in case.standing:
        offer = offers.get(standing.sheets)
        if offer is None:
            continue
        there = [people[p] for p in standing.people if p in people]
        some.append(
            (
                offer,
                there,
                desk.solver.solve(desk.hung.question(case, offer, len(there))),
            )
        )
    foul = foul_weather(some, case.rules, desk.solver.backend)
    hurt = int(
        wish.get("hurt")
        or next(
            (c.number for c in case.bag.campers if not c.leader),
            case.bag.campers[0].number,
        )
    )
    place = casualty(model.asked, taken, beds, hurt) if hurt in people else None
    return Done(
        "done",
        {
            "foul": [
                {
                    "sheet": f.sheets[0],
                    "force": f.force,
                    "move": f.move.move.title if f.move else None,
                    "steps": f.move.move.steps if f.move else (),
                    "minutes": f.move.move.minutes if f.move else None,
                    "peak_m": f.move.after.figures.peak_m
                    if f.move and f.move.after and f.move.after.figures
                    else None,
                    "go_to": {str(p): s[0] for p, s in f.go_to.items()},
                    "without": f.without,
                }
                for f in foul
            ],
            "casualty": None
            if place is None
            else {
                "hurt": hurt,
                "sheet": place.sheets[0] if place.sheets else None,
                "carer": place.carer,
                "moves": {str(p): s[0] for p, s in place.moves.items()},
                "words": place.words,
                "bent": place.bent,
            },
        },
    )
