"""The bench: one sheet, one pitch, its settings under the fingers, drawings and figures
following.
"""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from tarvik.core import cards
from tarvik.core.pitches import PITCHES
from tarvik.core.units import Units
from tarvik.store import kit, plans
from tarvik.store.accounts import Role
from tarvik.store.models import ShelterRow
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import Db, fields_of, page, part
from tarvik.web.screens.bench.asked import Asked, asked_of, hung, solved
from tarvik.web.screens.bench.view import bench_view, more_view, sliders_of
from tarvik.web.shared.judged import Judged
from tarvik.web.shared.questions import (
    owner_name,
    wind_from,
)
from tarvik.web.shared.standing import judge_of

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/bench")


AS_IF = frozenset({"person", "wanted", "from", "mate", "gear"})
"""Words in a bench's address that ask how the shelter would be for others, or in another wind."""


@router.get("/{sheet_id:number}/{pitch}")
@for_role(Role.VIEWER)
def show(
    request: Request, session: Db, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """The whole bench. Without settings in the address, the chosen ones if this was chosen, else
    the best.
    """
    asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
    standing = (
        r
        for r in plans.shelters(session, night_id)
        if r.sheet_id == sheet_id and r.pitch == pitch and r.joined == asked.joined
    )
    chosen = next(standing, None)
    keep = chosen is not None and not asked.given and "best" not in request.query_params
    as_it_is = keep and not set(request.query_params) & AS_IF
    stands = (
        _standing(request, session, asked, chosen)
        if chosen is not None and as_it_is
        else None
    )
    shape = (
        stands.shape
        if stands is not None
        else hung(
            request,
            session,
            asked,
            pitch,
            dict(chosen.settings) if chosen and keep else asked.given,
        )
    )
    return page(
        request,
        "bench/bench.html",
        course_units=Units(asked.course.units),
        sliders=sliders_of(shape.solution),
        pitches=PITCHES.values(),
        tab="board",
        chosen=chosen,
        joined=asked.joined,
        joined_owner=owner_name(asked.joined) if asked.joined else "",
        people=kit.rows(session, course_id, "people"),
        cautions=cards.CAUTIONS,
        slant_known=bool(asked.tonight.needs.wind_m_s),
        fixed_from=wind_from(request),
        **fields_of(bench_view(asked, shape, asked.mates, stands)),
    )


def _standing(request: Request, session: Session, asked: Asked, row: ShelterRow) -> Judged:
    """The chosen shelter judged where it stands."""
    rows = [r.id for r in plans.shelters(session, asked.night.id)]
    judge = judge_of(request, session, asked.course, asked.tonight, asked.night.id)
    return judge.of(row, rows.index(row.id) + 1)


@router.get("/{sheet_id:number}/{pitch}/view")
@for_role(Role.VIEWER)
def view(
    request: Request, session: Db, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """Only the part that moves with the sliders."""
    asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
    shape = hung(request, session, asked, pitch, asked.given)
    return part(
        request, "bench/view.html", **fields_of(bench_view(asked, shape, asked.mates))
    )


@router.get("/{sheet_id:number}/{pitch}/more")
@for_role(Role.VIEWER)
def more(
    request: Request, session: Db, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """What takes longer: the heading rose, the net, shade through the day, water at the low
    corners, the ridge line.
    """
    asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
    solution = solved(request, session, asked, pitch, asked.given)
    return part(
        request, "bench/more.html", view=more_view(asked.course, asked.tonight, solution)
    )
