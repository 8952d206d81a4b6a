"""The pitch board: a row a sheet, a column a pitch, each cell the very shelter solved and judged
for tonight.
"""

from __future__ import annotations

from itertools import islice
from typing import TYPE_CHECKING, Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from tarvik.core.errors import InputError
from tarvik.core.intent import INTENTS
from tarvik.core.pitches import PITCHES
from tarvik.core.suggest import suggestions
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.units import Units, format_size
from tarvik.core.weather.needs import propose
from tarvik.store import asks, kit, nights, plans
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import CourseHere, Db, NightHere, page, part
from tarvik.web.screens.board.view import BEST_SHOWN, NamedSheet, Show, judged_board, row_of
from tarvik.web.shared.house_rules import marker
from tarvik.web.shared.night_words import weather_words
from tarvik.web.shared.questions import every_pitch, owner_name, question, wanted
from tarvik.web.state import parts_of

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.core.solve import Question
    from tarvik.store.models import SheetRow

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}")


@router.get("/board")
@for_role(Role.VIEWER)
def show(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
) -> Response:
    """The board's frame; its cells follow with progress shown meanwhile."""
    tonight = nights.night_of(session, course, night)
    step = plans.last_step(session, night)
    away = asks.absent(session, night_id)
    people, sheets = (kit.rows(session, course_id, table) for table in ("people", "sheets"))
    placed = {
        p.id for row in plans.shelters(session, night_id) for p in plans.sleepers(row)
    }
    sheets = [s for s in sheets if s.id not in away.sheets]
    return page(
        request,
        "board/board.html",
        course=course,
        night=night,
        tab="board",
        intents=INTENTS,
        proposal=propose(tonight.needs, Units(course.units)),
        weather=weather_words(tonight.needs, Units(course.units)),
        pitches=PITCHES.values(),
        sheets=sheets,
        named=[
            NamedSheet(
                s.id, owner_name(s), format_size(s.width_m, s.length_m, Units(course.units))
            )
            for s in sheets
        ],
        best_shown=BEST_SHOWN,
        undo=step.what if step else None,
        seen=step.id if step else 0,
        people=people,
        unplaced=[p for p in people if p.id not in placed | away.people],
        away=len(away.sheets),
    )


@router.get("/board/cells")
@for_role(Role.VIEWER)
def cells(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
) -> Response:
    """Rows of the board, solved: all, or those of the sheets named in `sheets`."""
    chosen = {
        sheet.id: row for row in plans.shelters(session, night_id) for sheet in row.sheets
    }
    tonight = nights.night_of(session, course, night)
    sleepers, show = wanted(request), _show(request)
    sheets, asked = _asked(request, session, course_id, night_id, tonight)
    units, app = Units(course.units), parts_of(request)
    every = iter(
        judged_board(app.solver, app.hangings, asked, tonight, sleepers or 1, units)
    )
    rows, marks = [], marker(session, course)
    for sheet in sheets:
        judged = list(islice(every, len(every_pitch())))
        told = [(shape.solution, one) for shape, one in judged]
        best = suggestions(told, tonight, sleepers or 1)
        rows.append(row_of(sheet, judged, chosen.get(sheet.id), best, units, marks, show))
    return part(
        request, "board/rows.html", course=course, night=night, rows=rows, pitches=PITCHES
    )


def _show(request: Request) -> Show:
    """Which pitches the address asks for. Raises InputError."""
    text = request.query_params.get("show", Show.ALL.value)
    try:
        return Show(text)
    except ValueError:
        raise InputError("show", f"“{text[:20]}” is none of {', '.join(Show)}") from None


def _asked(
    request: Request,
    session: Session,
    course_id: int,
    night_id: int,
    tonight: TonightsNight,
) -> tuple[list[SheetRow], list[Question]]:
    """The sheets that the address names, or all, and what is asked of each in every pitch."""
    only = {
        int(t)
        for t in request.query_params.get("sheets", "").split(",")
        if t.isdecimal() and len(t) < 10
    }
    away = asks.absent(session, night_id).sheets
    here = [s for s in kit.rows(session, course_id, "sheets") if s.id not in away]
    sheets = [s for s in here if not only or s.id in only]
    supports, sleepers = kit.supports_of(session, course_id, night_id), wanted(request)
    every = [
        question(s, pitch, tonight, supports, wanted=sleepers)
        for s in sheets
        for pitch in every_pitch()
    ]
    return sheets, every


@router.post("/intent")
@for_role(Role.ASSISTANT)
def intent(
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    intent: Annotated[str, Form()],
) -> Response:
    """What the night asks."""
    nights.set_intent(session, night, intent)
    return RedirectResponse(
        f"/courses/{course_id}/nights/{night_id}/board", status_code=303
    )
