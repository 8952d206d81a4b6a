"""The camp sheet: who sleeps where, each shelter's set-up card, and the kit it all takes. On
screen, on paper, as PDF.
"""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import Response

from tarvik.core import cards
from tarvik.core.finding import Level
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.kit_use import left_after, totals
from tarvik.core.rig.verdict import assess
from tarvik.core.site.things import Ground
from tarvik.core.units import Units
from tarvik.core.weather.needs import propose
from tarvik.store import courses, kit, nights, plans
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.drawing import views
from tarvik.web.drawing.ground_map import fitting_scale, ruled_mm
from tarvik.web.drawing.rose import side_words
from tarvik.web.judged import Judge, Judged, carried_so
from tarvik.web.night_words import of_the_place, weather_words
from tarvik.web.pages.common import front_to, owner_name, page, tarvik
from tarvik.web.plan_view import shelters_and_map
from tarvik.web.standing import at_hand, ground_of, judge_of

PAPER_MM = 178.0
"""Width of a page between its margins."""
MAP_SCALES = (50, 100, 200, 500, 1000)
router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")


def shelter_cards(
    judge: Judge, shelters: list[Judged], ground: Ground | None
) -> list[dict[str, Any]]:
    """A card for each shelter. The kit is handed out in order, so that what is short shows at the
    shelter that lacks it. `ground`: that of the night, where it is mapped.
    """
    units, left = judge.units, judge.supports
    out = []
    for judged in shelters:
        row, solution = judged.row, judged.solution
        people, body = plans.sleepers(row), solution.question.body
        card: dict[str, Any] = {
            "number": judged.number,
            "judged": judged,
            "row": row,
            "people": people,
            "owner": owner_name(row.sheet),
            "pitch": PITCHES[row.pitch],
            "solution": solution,
            "reasons": [(r, r.text(units)) for r in solution.assessment.reasons],
            "rig": None,
        }
        shelter, figures = solution.shelter, solution.figures
        if shelter is not None and figures is not None:
            assessment = assess(shelter, carried_so(left, row))
            rig = assessment.rig
            notes = [
                r for r in solution.assessment.reasons if not r.blocks and r.code == "no_mat_fits"
            ]
            reasons = [(r, r.text(units)) for r in (*assessment.reasons, *notes)]
            out_of_room = [p.name for i, p in enumerate(people) if i not in figures.who]
            findings = [
                f for f in judged.findings if f.code != "nobody_fits" and f.level > Level.NOTE
            ]
            gale = judged.tonight.gale
            own = figures.weather.wind_from_deg
            if rig is not None:
                left = left_after(left, rig)
            names = cards.marks(shelter)
            card |= {
                "figures": figures,
                "rig": rig,
                "reasons": reasons,
                "findings": findings,
                "out_of_room": out_of_room if figures.sleepers else [],
                "side": side_words(own),
                "front_to": front_to(judge.night, own),
                "gale": gale,
                "verdict": assessment.verdict.value,
                "plan": views.plan(
                    shelter, figures, rig, body, units, solution.question.supports.in_the_way
                ),
                "flat": views.flat_sheet(shelter, rig, units),
                "steps": cards.steps(
                    shelter, rig, units, body, solution.question.supports.house, judged.whose
                ),
                "where": judged.where(ground),
                "whose": judged.whose,
                "mats": [
                    (number, people[who].name.split()[0])
                    for number, who in enumerate(figures.who, start=1)
                    if who < len(people)
                ],
                "lines": [(names.get(x.start, x.start), x) for x in rig.lines] if rig else [],
            }
        out.append(card)
    return out


def camp(request: Request, course_id: int, night_id: int) -> dict[str, Any]:
    """Everything on the camp sheet."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        people = kit.rows(session, course_id, "people")
        tonight = nights.night_of(session, course, night)
        judge = judge_of(request, session, course, tonight)
        ground = ground_of(session, night.site_id)
        each = judge.each(list(plans.shelters(session, night_id)))
        shelters = shelter_cards(judge, each, ground)
        drawing = (
            shelters_and_map(request, session, course, night)[1]
            if any(row["row"].spot for row in shelters)
            else None
        )
        scale = fitting_scale(drawing, PAPER_MM, MAP_SCALES) if drawing else 0
        where = {p.id: card for card in shelters for p in card["people"]}
        step = plans.last_step(session, night)
        return {
            "course": course,
            "night": night,
            "nights": courses.nights(session, course_id),
            "cards": shelters,
            "people": [(p, where.get(p.id)) for p in people],
            "undo": step.what if step else None,
            "tab": "camp",
            "seen": step.id if step else 0,
            "totals": totals(
                [c["rig"] for c in shelters if c["rig"]], at_hand(session, course_id, night.site_id)
            ),
            "cautions": cards.CAUTIONS,
            "map": ruled_mm(drawing, scale) if drawing else None,
            "scale": scale,
            "walk_round": cards.WALK_ROUND,
            "weather": weather_words(tonight.needs, Units(course.units)),
            "evening": tonight.needs.evening,
            "proposal": propose(tonight.needs),
            **of_the_place(tonight.needs, Units(course.units)),
        }


@router.get("/camp")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Any:
    """On screen, made to be printed."""
    return page(request, "camp.html", **camp(request, course_id, night_id))


@router.get("/camp.pdf")
@for_role(Role.VIEWER)
def pdf(request: Request, course_id: int, night_id: int) -> Response:
    """The same as PDF."""
    from tarvik.web.pdf import to_pdf, with_drawing_styles  # noqa: PLC0415

    context = camp(request, course_id, night_id)
    html = with_drawing_styles(
        tarvik(request).pages.get_template("camp_print.html").render(**context)
    )
    return Response(
        to_pdf(html),
        media_type="application/pdf",
        headers={
            "Content-Disposition": (
                f'inline; filename="camp-sheet-night-{context["night"].position}.pdf"'
            )
        },
    )
