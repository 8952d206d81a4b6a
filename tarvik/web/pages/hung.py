"""The bench's hung shape: the fold and the cloth as it hangs over each other, with what to do about
it.
"""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

from fastapi import Request

from tarvik.core import cards
from tarvik.core.errors import FoldError, InputError
from tarvik.core.explain_more import explain_hung
from tarvik.core.hang.advice import (
    HAND_PULL_N,
    LIFT_TRIED_M,
    gains,
    go_round,
    heads_of,
    loose_stakes,
    sensitivity,
    tautness_to_aim_for,
)
from tarvik.core.hang.fabric import fabric_of
from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.hang.room import HungRoom
from tarvik.core.hang.tell import findings
from tarvik.core.hang.ties import TAUTNESS, Lift
from tarvik.core.measure.figures import sitting_height
from tarvik.core.tonight import judge
from tarvik.core.units import Units
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.drawing import hung as drawing
from tarvik.web.pages.bench import Asked, asked_of, solved
from tarvik.web.pages.common import page, tarvik
from tarvik.work.hanging import can_hang, shape_key

if TYPE_CHECKING:
    from tarvik.core.hang.hung import Hung
    from tarvik.core.measure.figures import Figures
    from tarvik.core.solve import Solution

router = guarded_router()
BENCH = "/courses/{course_id:number}/nights/{night_id:number}/bench/{sheet_id:number}/{pitch}"
TAUT_MOST = 0.03
LIFT_MOST_M = 0.6


@dataclass(frozen=True)
class HowHung:
    """How the bench's address asks for the sheet to be hung."""

    hanging: Hanging
    handle: str


def _number(request: Request, name: str, usual: float, least: float, most: float) -> float:
    text = request.query_params.get(name, "")
    if not text:
        return usual
    try:
        value = float(text)
    except ValueError:
        raise InputError(name, f"«{text[:20]}» is no number") from None
    if not least <= value <= most:
        raise InputError(name, f"{value:g} is outside {least:g} to {most:g}")
    return value


def how_hung(request: Request, asked: Asked) -> HowHung:
    """What the address says of tautness, rain and a lifted point. Raises InputError."""
    taut = _number(request, "hang_taut", TAUTNESS, 0.0, TAUT_MOST)
    by = _number(request, "hang_by", 0.0, -LIFT_MOST_M, LIFT_MOST_M)
    out = _number(request, "hang_out", 0.0, 0.0, LIFT_MOST_M)
    handle = request.query_params.get("hang_at", "")
    lifts: tuple[Lift, ...] = ()
    if handle and (by or out):
        try:
            u, v = (float(part) for part in handle.split("_"))
        except ValueError:
            raise InputError("hang_at", f"«{handle[:20]}» is no place on the sheet") from None
        width, length = asked.sheet.width_m, asked.sheet.length_m
        if not (0 <= u <= max(width, length) + 1e-6 and 0 <= v <= max(width, length) + 1e-6):
            raise InputError("hang_at", "this place is off the sheet")
        lifts = (Lift(handle, (u, v), by, out),)
    wet = request.query_params.get("hang_wet", "") == "1"
    return HowHung(
        Hanging(fabric=fabric_of(asked.sheet.material), tautness=taut, wet=wet, lifts=lifts), handle
    )


def _asked(
    request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> tuple[Asked, Solution, HowHung]:
    """What the bench's address asks for, the shelter solved, and how it is to hang. Raises
    InputError and NotFoundError.
    """
    with tarvik(request).database.session() as session:
        asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
        return asked, solved(request, session, asked, pitch, asked.given), how_hung(request, asked)


@router.get(BENCH + "/hung")
@for_role(Role.VIEWER)
def hung(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """The hung shape over the fold, its figures beside the fold's, forces, pools and findings."""
    asked, solution, how = _asked(request, course_id, night_id, sheet_id, pitch)
    units = Units(asked.course.units)
    plain: dict[str, Any] = {
        "course": asked.course,
        "units": units,
        "how": how,
        "fabric": how.hanging.fabric,
        "told": None,
        "why": "",
    }
    figures, shelter = solution.figures, solution.shelter
    if figures is None or shelter is None:
        return page(request, "bench_hung.html", **plain)
    if not can_hang(solution):
        plain["why"] = "It hangs from no ties: it lies on the ground, or on who is in it."
        return page(request, "bench_hung.html", **plain)
    try:
        told, shape = tarvik(request).hangings.now(solution, how.hanging)
    except FoldError as err:
        plain["why"] = str(err)
        return page(request, "bench_hung.html", **plain)
    names = cards.marks(shelter)
    return page(
        request,
        "bench_hung.html",
        **plain
        | {
            "told": told,
            "figures": figures,
            "names": names,
            "found": findings(told, figures, units, names),
            "plan": drawing.plan(shape, told, figures, units, how.handle),
            "section": drawing.cut(shape, figures, units),
            "mesh": drawing.body(shape, told),
            "solid": drawing.oblique(shape),
            "handles": _handles(shape, names),
            "explained": explain_hung(how.hanging.fabric, units),
            "lift_most": LIFT_MOST_M,
            "taut_most": TAUT_MOST,
        },
    )


def _handles(shape: Hung, names: dict[str, str]) -> list[tuple[str, str, float]]:
    """Places to lift by: key, words, height now."""
    marks = {
        shape.mesh.named[point]: mark for point, mark in names.items() if point in shape.mesh.named
    }
    out = []
    for name, uv in drawing.handles(shape).items():
        node = shape.mesh.node_at(uv)
        words = f"at {marks[node]}" if node in marks else f"{uv[0]:.2f} across, {uv[1]:.2f} along"
        out.append((name, words, float(shape.xyz[node, 2])))
    return out


@router.get(BENCH + "/hung/advice")
@for_role(Role.VIEWER)
def advice(request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str) -> Any:
    """What to do about it: how taut, which stake to move, what the gust pulls, and how sure the
    shape is.
    """
    asked, solution, how = _asked(request, course_id, night_id, sheet_id, pitch)
    units = Units(asked.course.units)
    shelter, rig, figures = solution.shelter, solution.assessment.rig, solution.figures
    if shelter is None or rig is None or figures is None or not can_hang(solution):
        return page(request, "bench_hung_advice.html", advice=None)
    try:
        _, shape = tarvik(request).hangings.now(solution, how.hanging)
    except FoldError:
        return page(request, "bench_hung_advice.html", advice=None)
    judged = judge(solution, asked.tonight)
    gust = judged.gale.pressure_pa if judged.gale else 0.0
    holds = asked.tonight.holding.stake_n
    heads = heads_of(figures.mats, HungRoom.under(shape))
    told = [
        shape_key(shelter, rig, how.hanging),
        heads.round(3).tolist(),
        round(gust, 1),
        figures.weather.wind_from_deg,
        holds,
    ]
    key = hashlib.sha256(
        repr(["advice", solution.question.body.stature_m, *told]).encode()
    ).hexdigest()
    sit = sitting_height(solution.question.body)
    found = tarvik(request).hangings.once(
        key, lambda: _advice(shape, figures, heads, sit, gust, holds)
    )
    names = cards.marks(shelter)
    return page(
        request,
        "bench_hung_advice.html",
        advice=found,
        names=names,
        units=units,
        course=asked.course,
        hand_n=HAND_PULL_N,
        holds_n=holds,
        gust=gust,
        tried=LIFT_TRIED_M,
    )


def _advice(
    shape: Hung, figures: Figures, heads: Any, sit_m: float, gust_pa: float, holds_n: float
) -> dict[str, Any]:
    aim, rows = tautness_to_aim_for(shape, heads, holds_n)
    windy = None
    if gust_pa:
        blown = replace(
            shape.hanging, pressure_pa=gust_pa, wind_from_deg=figures.weather.wind_from_deg
        )
        windy = hang(shape.shelter, shape.rig, blown)
    moves = go_round(shape, heads)
    wet = hang(shape.shelter, shape.rig, replace(shape.hanging, wet=True))
    room = HungRoom.under(wet).height_at(heads)
    return {
        "aim": aim,
        "tauter": [asdict(row) for row in rows],
        "round": [asdict(m) for m in moves],
        "gains": [asdict(g) for g in gains(shape, heads, sit_m, drawing.handles(shape))],
        "loose": loose_stakes(moves),
        "sensitivity": [asdict(s) for s in sensitivity(shape, heads)],
        "gust": [(f.tie.name, f.tie.kind, f.newtons, f.up_n) for f in windy.forces]
        if windy
        else [],
        "wet_headroom_m": float(room.min()) if len(room) and room.min() == room.min() else None,
    }
