"""The pitch board: a row a sheet, a column a pitch, each cell the very shelter solved; choosing and undo."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse

from tarvik.core.errors import InputError
from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.simple import Sleeper, choose_for_all
from tarvik.core.rig.verdict import Reason, Verdict
from tarvik.core.solve import Solution
from tarvik.core.units import Units
from tarvik.store import courses, kit, plans
from tarvik.store.models import Night, Person, SheetRow, ShelterRow
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.pages.common import every_pitch, given_settings, owner_name, page, question, tarvik, wanted

router = APIRouter(prefix="/courses/{course_id}/nights/{night_id}", include_in_schema=False)


@router.get("/board")
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The board's frame; its cells follow with progress shown meanwhile."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        step = plans.last_step(session, night)
        people = kit.rows(session, course_id, "people")
        placed = {p.id for row in plans.shelters(session, night_id) for p in plans.sleepers(row)}
        return page(
            request, "board.html", course=course, night=night, nights=courses.nights(session, course_id), tab="board",
            intents=INTENTS, pitches=PITCHES.values(), sheets=kit.rows(session, course_id, "sheets"),
            undo=step.what if step else None, seen=step.id if step else 0, people=people,
            unplaced=[p for p in people if p.id not in placed],
        )  # fmt: skip


@router.get("/board/cells")
def cells(request: Request, course_id: int, night_id: int) -> Any:
    """All rows of the board, solved."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        sheets = kit.rows(session, course_id, "sheets")
        supports = kit.supports_of(session, course_id)
        chosen = {row.sheet_id: row for row in plans.shelters(session, night_id)}
        asked = [
            question(sheet, pitch, night, supports, wanted=wanted(request)) for sheet in sheets for pitch in every_pitch()
        ]
        solutions = iter(tarvik(request).solver.solve_all(asked))
        units = Units(course.units)
        rows = [
            {"sheet": sheet, "owner": owner_name(sheet),
             "cells": [_cell(next(solutions), chosen.get(sheet.id), pitch, units) for pitch in every_pitch()]}
            for sheet in sheets
        ]  # fmt: skip
        return page(request, "board_rows.html", course=course, night=night, rows=rows, pitches=PITCHES)


def worst(reasons: tuple[Reason, ...]) -> Reason | None:
    """The reason a cell shows: what stands in the way first, then what matters most to the sleeper."""
    blocking = [r for r in reasons if r.blocks]
    notes = [r for r in reasons if r.code == "no_mat_fits"]
    return next(iter([*blocking, *notes, *reasons]), None)


def _cell(solution: Solution, chosen: ShelterRow | None, pitch: str, units: Units) -> dict[str, Any]:
    figures, shelter = solution.figures, solution.shelter
    reason = worst(solution.assessment.reasons)
    mine = chosen if chosen is not None and chosen.pitch == pitch else None
    drawing = ""
    if shelter is not None:
        name = f"{solution.question.pitch.name}, {solution.verdict.value}"
        drawing = silhouette(shelter, name, solution.question.body.height("sitting"))
    return {
        "pitch": pitch, "verdict": solution.verdict.value, "drawing": drawing, "figures": figures,
        "reason": reason.text(units) if reason else "", "more": max(0, len(solution.assessment.reasons) - 1),
        "remedy": reason.remedy if reason else "", "chosen": [p.name for p in plans.sleepers(mine)] if mine else None,
        "family": PITCHES[pitch].family.value, "settings": solution.settings,
    }  # fmt: skip


@router.post("/intent")
def intent(request: Request, course_id: int, night_id: int, intent: Annotated[str, Form()]) -> Any:
    """What the night asks."""
    with tarvik(request).database.session() as session:
        courses.set_intent(session, course_id, night_id, intent)
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/board", status_code=303)


def overtaken(request: Request, session: Any, night: Night, seen: str, mine: str, again: dict[str, Any]) -> Any:
    """A page with both choices when somebody changed the night since this leader looked, else None."""
    plans.lock(session, night)
    now = plans.current_step(session, night)
    if not seen.isdecimal() or int(seen) == now:
        return None
    theirs = [
        f"{owner_name(row.sheet)}: {PITCHES[row.pitch].name}, {', '.join(p.name for p in plans.sleepers(row)) or 'nobody'}"
        for row in plans.shelters(session, night.id)
    ]
    course = courses.course(session, night.course_id)
    return page(
        request, "overtaken.html", 409, course=course, night=night, mine=mine, theirs=theirs, tab="board",
        again={**again, "seen": [now]},
    )  # fmt: skip


@router.get("/choose/{sheet_id}/{pitch}")
def ask(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """The form that puts people under a sheet."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
        asked = question(
            sheet, pitch, night, kit.supports_of(session, course_id), given_settings(request, pitch), wanted=wanted(request)
        )
        solution = tarvik(request).solver.solve(asked)
        beds = {p.id: row for row in plans.shelters(session, night_id) for p in plans.sleepers(row)}
        people = [
            {"person": p, "elsewhere": beds[p.id].sheet if p.id in beds and beds[p.id].sheet_id != sheet_id else None,
             "ticked": (p.id in beds and beds[p.id].sheet_id == sheet_id) or (p.id == sheet.owner_id and p.id not in beds)}
            for p in kit.rows(session, course_id, "people")
        ]  # fmt: skip
        return page(
            request, "choose.html", course=course, night=night, sheet=sheet, owner=owner_name(sheet), people=people,
            pitch=PITCHES[pitch], solution=solution, seen=plans.current_step(session, night),
        )  # fmt: skip


@router.post("/choose/{sheet_id}/{pitch}")
def choose(
    request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str,
    people: Annotated[list[int] | None, Form()] = None, seen: Annotated[str, Form()] = "",
) -> Any:  # fmt: skip
    """Put people under a sheet in a pitch."""
    with tarvik(request).database.session() as session:
        night = courses.night(session, course_id, night_id)
        sheet: SheetRow = kit.one(session, course_id, "sheets", sheet_id)
        sleepers = [kit.one(session, course_id, "people", p) for p in people or ()]
        tallest = max(sleepers, key=lambda p: p.stature_m, default=None)
        asked = question(
            sheet, pitch, night, kit.supports_of(session, course_id), given_settings(request, pitch), tallest,
            wanted=max(1, len(sleepers)),
        )  # fmt: skip
        solution = tarvik(request).solver.solve(asked)
        if solution.verdict is Verdict.CANNOT:
            raise InputError("pitch", f"this sheet cannot be pitched so: {solution.assessment.reasons[0].message}")
        mine = f"{owner_name(sheet)}: {PITCHES[pitch].name}, {', '.join(p.name for p in sleepers)}"
        late = overtaken(request, session, night, seen, mine, {"people": people or []})
        if late is not None:
            return late
        plans.choose(session, night, plans.Choice(sheet_id, pitch, dict(solution.settings), tuple(people or ())))
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/board", status_code=303)


@router.post("/shelters/{shelter_id}/remove")
def remove(request: Request, course_id: int, night_id: int, shelter_id: int, seen: Annotated[str, Form()] = "") -> Any:
    """Take a shelter off; undo brings it back."""
    with tarvik(request).database.session() as session:
        night = courses.night(session, course_id, night_id)
        late = overtaken(request, session, night, seen, "one shelter taken off", {})
        if late is not None:
            return late
        plans.remove(session, night, shelter_id)
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/camp", status_code=303)


@router.post("/choose-for-me")
def choose_for_me(request: Request, course_id: int, night_id: int, seen: Annotated[str, Form()] = "") -> Any:
    """Each person under the own sheet in its best pitch for calm rain, within the kit."""
    with tarvik(request).database.session() as session:
        courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        late = overtaken(request, session, night, seen, "a new choice for everybody", {})
        if late is not None:
            return late
        people = kit.rows(session, course_id, "people")
        sheets = {s.id: s for s in kit.rows(session, course_id, "sheets")}
        choices = pick_for_all(tarvik(request).solver.solve_all, night, people, sheets, kit.supports_of(session, course_id))
        plans.replace_all(session, night, choices, "«Choose for me»")
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/board", status_code=303)


def pick_for_all(solve_all: Any, night: Night, people: Any, sheets: dict[int, SheetRow], supports: Any) -> list[plans.Choice]:
    """The plain choice for a whole night."""

    def solutions(sheet: int, stature: float, sleepers: int) -> list[Solution]:
        bodies = [p for p in people if abs(p.stature_m - stature) < 1e-9] or [None]
        asked = [question(sheets[sheet], pitch, night, supports, person=bodies[0], wanted=sleepers) for pitch in every_pitch()]
        answered: list[Solution] = solve_all(asked)
        return answered

    def own(person: Person) -> tuple[int, ...]:
        return tuple(s.id for s in sheets.values() if s.owner_id == person.id)

    sleepers = [Sleeper(p.id, p.stature_m, own(p)) for p in people]
    spare = [s.id for s in sheets.values() if s.owner_id is None]
    outcome = choose_for_all(sleepers, spare, solutions, supports)
    return [
        plans.Choice(pick.sheet, pick.solution.question.pitch.slug, dict(pick.solution.settings), pick.people)
        for pick in outcome.picks
    ]


@router.post("/undo")
def undo(request: Request, course_id: int, night_id: int) -> Any:
    """Take back the last change of this night's choices."""
    with tarvik(request).database.session() as session:
        plans.undo(session, courses.night(session, course_id, night_id))
    back = "camp" if request.query_params.get("back") == "camp" else "board"
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/{back}", status_code=303)
