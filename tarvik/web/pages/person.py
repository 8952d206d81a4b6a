"""Person first: for this person, which sheet of the bag in which pitch; and the smallest sheet to bring."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from tarvik.core.advice import for_person, kit_advice
from tarvik.core.pitches import PITCHES
from tarvik.core.solve import Question
from tarvik.core.units import Units
from tarvik.store import courses, kit, nights
from tarvik.store.kit import body_of, sheet_of
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.pages.common import every_pitch, owner_name, page, question, tarvik

router = APIRouter(prefix="/courses/{course_id}", include_in_schema=False)
MOST_SHOWN = 12


@router.get("/nights/{night_id}/people/{person_id}")
def show(request: Request, course_id: int, night_id: int, person_id: int) -> Any:
    """The frame; the answers follow with progress shown meanwhile."""
    with tarvik(request).database.session() as session:
        return page(
            request, "person.html", course=courses.course(session, course_id), night=courses.night(session, course_id, night_id),
            person=kit.one(session, course_id, "people", person_id), people=kit.rows(session, course_id, "people"), tab="board",
            sheets=kit.rows(session, course_id, "sheets"),
        )  # fmt: skip


@router.get("/nights/{night_id}/people/{person_id}/choices")
def choices(request: Request, course_id: int, night_id: int, person_id: int) -> Any:
    """The best shelters of the bag for this person tonight."""
    with tarvik(request).database.session() as session:
        course, night = courses.course(session, course_id), courses.night(session, course_id, night_id)
        person = kit.one(session, course_id, "people", person_id)
        rows = [r for r in kit.rows(session, course_id, "sheets")]
        tonight, supports = nights.night_of(session, course, night), kit.supports_of(session, course_id)
        if not rows:
            return page(request, "person_choices.html", course=course, night=night, person=person, best=[])
        asked = question(rows[0], every_pitch()[0], tonight, supports, person=person)
        found = for_person(asked, [sheet_of(r) for r in rows], tarvik(request).solver.workings)
        seen: dict[tuple[int, str], bool] = {}
        best = [c for c in found if not seen.setdefault((rows[c.sheet].id, c.solution.question.pitch.slug), False)][:MOST_SHOWN]
        shown = [
            {"sheet": rows[c.sheet], "owner": owner_name(rows[c.sheet]), "pitch": c.solution.question.pitch, "figures": c.solution.figures,
             "verdict": c.solution.verdict.value, "reasons": [r.text(Units(course.units)) for r in c.solution.assessment.reasons if r.blocks],
             "drawing": silhouette(c.solution.shelter, c.solution.question.pitch.name, body_of(person).height("sitting"))
             if c.solution.shelter else ""}
            for c in best
        ]  # fmt: skip
        return page(request, "person_choices.html", course=course, night=night, person=person, best=shown)


@router.get("/people/{person_id}/kit-advice")
def advice(request: Request, course_id: int, person_id: int) -> Any:
    """The smallest sheet that would do for this person under each kind of night."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        person = kit.one(session, course_id, "people", person_id)
        asked = Question(sheet_of_nobody(), PITCHES["a-frame"], {})
        rows = kit_advice(body_of(person), asked, tarvik(request).solver.workings)
        return page(request, "kit_advice.html", course=course, person=person, rows=rows, pitches=PITCHES)


def sheet_of_nobody() -> Any:
    """A sheet to start the question with; the advice tries its own."""
    from tarvik.core.sheet import Sheet

    return Sheet.rectangle(3.0, 3.0)
