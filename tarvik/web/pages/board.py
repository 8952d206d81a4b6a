"""The pitch board: a row a sheet, a column a pitch, each cell the very shelter solved and judged
for tonight.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from typing import TYPE_CHECKING, Annotated, Any, Final

from fastapi import Form, Request
from fastapi.responses import RedirectResponse

from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.suggest import Suggestion, suggestions
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.tonight import Tonight, judge
from tarvik.core.units import Units
from tarvik.core.weather.needs import propose
from tarvik.store import courses, kit, nights, plans
from tarvik.store.accounts import Role
from tarvik.store.models import ShelterRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.as_hung import Seen, seen
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.house_rules import marker
from tarvik.web.judged import said_of
from tarvik.web.night_words import weather_words
from tarvik.web.pages.common import every_pitch, owner_name, page, question, tarvik, wanted

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from sqlalchemy.orm import Session

    from tarvik.core.finding import Finding
    from tarvik.core.solve import Question
    from tarvik.store.models import SheetRow
    from tarvik.work.hanging import Hangings
    from tarvik.work.solving import Solver

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")
JUDGES: Final = 2
"""Shelters of a board judged at a time."""
MARKED: Final = 3
"""How many of a sheet's suggestions the board marks."""


@router.get("/board")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The board's frame; its cells follow with progress shown meanwhile."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        tonight = nights.night_of(session, course, night)
        step = plans.last_step(session, night)
        people = kit.rows(session, course_id, "people")
        placed = {p.id for row in plans.shelters(session, night_id) for p in plans.sleepers(row)}
        return page(
            request,
            "board.html",
            course=course,
            night=night,
            nights=courses.nights(session, course_id),
            tab="board",
            intents=INTENTS,
            proposal=propose(tonight.needs),
            weather=weather_words(tonight.needs, Units(course.units)),
            pitches=PITCHES.values(),
            sheets=kit.rows(session, course_id, "sheets"),
            undo=step.what if step else None,
            seen=step.id if step else 0,
            people=people,
            unplaced=[p for p in people if p.id not in placed],
        )


@router.get("/board/cells")
@for_role(Role.VIEWER)
def cells(request: Request, course_id: int, night_id: int) -> Any:
    """Rows of the board, solved: all, or those of the sheets named in `sheets`."""
    with tarvik(request).database.session() as session:
        course, night = (
            courses.course(session, course_id),
            courses.night(session, course_id, night_id),
        )
        chosen = {row.sheet_id: row for row in plans.shelters(session, night_id)}
        tonight = nights.night_of(session, course, night)
        sleepers = wanted(request)
        sheets, asked = _asked(request, session, course_id, tonight)
        units, app = Units(course.units), tarvik(request)
        every = iter(judged_board(app.solver, app.hangings, asked, tonight, sleepers or 1, units))
        rows, marks = [], marker(session, course)
        for sheet in sheets:
            judged = list(islice(every, len(every_pitch())))
            told = [(shape.solution, one) for shape, one in judged]
            best = suggestions(told, tonight, sleepers or 1)
            rows.append(_row(sheet, judged, chosen.get(sheet.id), best, units, marks))
        return page(
            request, "board_rows.html", course=course, night=night, rows=rows, pitches=PITCHES
        )


def _asked(
    request: Request, session: Session, course_id: int, tonight: TonightsNight
) -> tuple[list[SheetRow], list[tuple[SheetRow, Question]]]:
    """The sheets that the address names, or all, and what is asked of each in every pitch."""
    only = {
        int(t)
        for t in request.query_params.get("sheets", "").split(",")
        if t.isdecimal() and len(t) < 10
    }
    sheets = [s for s in kit.rows(session, course_id, "sheets") if not only or s.id in only]
    supports, sleepers = kit.supports_of(session, course_id), wanted(request)
    every = [
        (s, question(s, pitch, tonight, supports, wanted=sleepers))
        for s in sheets
        for pitch in every_pitch()
    ]
    return sheets, every


def judged_board(
    solver: Solver,
    hangings: Hangings,
    asked: Sequence[tuple[SheetRow, Question]],
    night: TonightsNight,
    sleepers: int,
    units: Units,
) -> list[tuple[Seen, Tonight]]:
    """Every shelter asked for solved, hung and judged; judged two at a time, for most of it is
    compiled code that lets the other thread run.
    """
    solved = solver.solve_all([question for _, question in asked])
    owners = [sheet for sheet, _ in asked]
    shapes = seen(hangings, list(zip(owners, solved, strict=True)))

    def judged(shape: Seen) -> tuple[Seen, Tonight]:
        tonight = judge(shape.solution, night, sleepers, units)
        return shape, shape.judged(tonight, units, sleepers)

    with ThreadPoolExecutor(JUDGES) as pool:
        return list(pool.map(judged, shapes))


def _row(
    sheet: SheetRow,
    judged: Sequence[tuple[Seen, Tonight]],
    chosen: ShelterRow | None,
    suggested: Sequence[Suggestion],
    units: Units,
    marks: Callable[[ShelterRow], list[Finding]],
) -> dict[str, Any]:
    """One sheet in every pitch, the first of those suggested marked. `marks`: rules that the people
    of a shelter break.
    """
    best = {one.number: one for one in suggested}
    places = {number: place for place, number in enumerate(best, start=1) if place <= MARKED}
    cells = [
        _cell(shape, told, chosen, units, marks)
        | {
            "place": places.get(n),
            "why": best[n].why if n in best else "",
            "worth": round(best[n].worth, 2) if n in best else -99,
        }
        for n, (shape, told) in enumerate(judged)
    ]
    return {
        "sheet": sheet,
        "owner": owner_name(sheet),
        "cells": cells,
    }


def _cell(
    shape: Seen,
    judged: Tonight,
    chosen: ShelterRow | None,
    units: Units,
    marks: Callable[[ShelterRow], list[Finding]],
) -> dict[str, Any]:
    solution = shape.solution
    pitch = solution.question.pitch.slug
    figures, shelter = solution.figures, solution.shelter
    reason, said = said_of(solution, judged, units)
    mine = chosen if chosen is not None and chosen.pitch == pitch else None
    drawing = ""
    if shelter is not None:
        name = f"{solution.question.pitch.name}, {judged.verdict.value}"
        drawing = silhouette(shelter, name, solution.question.body.height("sitting"))
    return {
        "pitch": pitch,
        "verdict": judged.verdict.value,
        "drawing": drawing,
        "figures": figures,
        "reason": reason,
        "more": max(0, said - 1),
        "chosen": [p.name for p in plans.sleepers(mine)] if mine else None,
        "rules": marks(mine) if mine else [],
        "family": PITCHES[pitch].family.value,
        "settings": solution.settings,
    }


@router.post("/intent")
@for_role(Role.ASSISTANT)
def intent(request: Request, course_id: int, night_id: int, intent: Annotated[str, Form()]) -> Any:
    """What the night asks."""
    with tarvik(request).database.session() as session:
        nights.set_intent(session, courses.night(session, course_id, night_id), intent)
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/board", status_code=303)
