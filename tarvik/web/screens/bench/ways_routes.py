"""What else this sheet could do: the trade-off curve, the moves when the weather turns, what would
make it work, its knots.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.cards import HANDS, SKILLS, minutes
from tarvik.core.cards import steps as card_steps
from tarvik.core.knots import knots_for
from tarvik.core.make_it import changes
from tarvik.core.moves import outcomes
from tarvik.core.trade_off import trade_off
from tarvik.core.units import Units, format_length
from tarvik.exchange.night_form import own_values_of
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import Db, part
from tarvik.web.drawing.knots import knot_drawing
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.drawing.trade_off import curve_drawing
from tarvik.web.screens.bench.asked import asked_of, solved
from tarvik.web.state import parts_of

router = guarded_router()
BENCH = (
    "/courses/{course_id:number}/nights/{night_id:number}/bench/{sheet_id:number}/{pitch}"
)


@router.get(BENCH + "/ways")
@for_role(Role.VIEWER)
def ways(
    request: Request, session: Db, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """The part of the bench below the drawings that looks beyond the settings as they are."""
    asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
    solution = solved(request, session, asked, pitch, asked.given)
    units, backend = Units(asked.course.units), parts_of(request).solver.backend
    curve = trade_off(solution.question, backend)
    moves = [
        {
            "move": o.move,
            "after": o.after,
            "why_not": o.why_not,
            "drawing": silhouette(
                o.after.shelter, o.move.title, solution.question.body.height("sitting")
            )
            if o.after and o.after.shelter
            else "",
        }
        for o in outcomes(solution, backend)
    ]
    found = [
        (c, c.template.format(*(format_length(x, units) for x in c.lengths)))
        for c in changes(solution, backend)
    ]
    rig, house = solution.assessment.rig, solution.question.supports.house
    buttons = solution.assessment.buttons > 0
    knots = (
        knots_for({x.purpose for x in rig.lines}, house.hitch, buttons=buttons)
        if rig
        else []
    )
    steps = (
        card_steps(solution.shelter, rig, units, solution.question.body, house)
        if solution.shelter
        else []
    )
    own = own_values_of(asked.course.rules or {})
    times = [
        (
            skill,
            [minutes(solution.question.pitch, rig, skill, hands, own) for hands in HANDS],
        )
        for skill in SKILLS
    ]
    return part(
        request,
        "bench/ways.html",
        course=asked.course,
        night=asked.night,
        sheet=asked.sheet,
        units=units,
        solution=solution,
        curve=curve,
        curve_svg=curve_drawing(curve, units) if curve else "",
        moves=moves,
        changes=found,
        times=times,
        hands=HANDS,
        knots=[(k, knot_drawing(k.slug)) for k in knots],
        steps=steps,
        faults=solution.question.pitch.faults,
    )
