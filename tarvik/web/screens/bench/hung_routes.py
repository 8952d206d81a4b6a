"""The bench's hung shape: the fold and the cloth as it hangs over each other, with what to do about
it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from fastapi import Request
from fastapi.responses import Response

from tarvik.core import cards
from tarvik.core.errors import FoldError, InputError
from tarvik.core.explain_more import explain_hung
from tarvik.core.hang.advice import HAND_PULL_N, LIFT_TRIED_M, handles
from tarvik.core.hang.fabric import fabric_of
from tarvik.core.hang.hung import Hanging
from tarvik.core.hang.tell import findings
from tarvik.core.hang.ties import TAUTNESS, Lift
from tarvik.core.plain import JsonObject
from tarvik.core.tonight import judge
from tarvik.core.units import Units, format_length
from tarvik.store.accounts import Role
from tarvik.web.access import for_role, guarded_router
from tarvik.web.deps import part
from tarvik.web.drawing import hung as drawing
from tarvik.web.screens.bench.asked import Asked, asked_of, solved
from tarvik.web.state import parts_of
from tarvik.work.hung_key import can_hang

if TYPE_CHECKING:
    from tarvik.core.hang.hung import Hung
    from tarvik.core.solve import Solution

router = guarded_router()
BENCH = (
    "/courses/{course_id:number}/nights/{night_id:number}/bench/{sheet_id:number}/{pitch}"
)
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
        raise InputError(name, f"“{text[:20]}” isn't a number") from None
    if not least <= value <= most:
        raise InputError(name, f"{value:g} is outside {least:g} to {most:g}")
    return value


def how_hung(request: Request, asked: Asked) -> HowHung:
    """What the address says of tautness, rain and a lifted point. Raises InputError."""
    usual = asked.tonight.own.drawn * TAUTNESS
    taut = _number(request, "hang_taut", usual, 0.0, TAUT_MOST)
    by = _number(request, "hang_by", 0.0, -LIFT_MOST_M, LIFT_MOST_M)
    out = _number(request, "hang_out", 0.0, 0.0, LIFT_MOST_M)
    handle = request.query_params.get("hang_at", "")
    lifts: tuple[Lift, ...] = ()
    if handle and (by or out):
        try:
            u, v = (float(part) for part in handle.split("_"))
        except ValueError:
            raise InputError(
                "hang_at", f"“{handle[:20]}” is no place on the sheet"
            ) from None
        width, length = asked.cloth.box or (asked.sheet.width_m, asked.sheet.length_m)
        if not (
            0 <= u <= max(width, length) + 1e-6 and 0 <= v <= max(width, length) + 1e-6
        ):
            raise InputError("hang_at", "this place is off the sheet")
        lifts = (Lift(handle, (u, v), by, out),)
    wet = request.query_params.get("hang_wet", "") == "1"
    return HowHung(
        Hanging(
            fabric=fabric_of(asked.sheet.material),
            tautness=taut,
            wet=wet,
            lifts=lifts,
            reached=asked.tonight.own.reached,
        ),
        handle,
    )


class AskedHung(NamedTuple):
    """What the bench's address asks for, the shelter solved, and how it is to hang."""

    asked: Asked
    solution: Solution
    how: HowHung


def _asked(
    request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> AskedHung:
    """What the bench's address asks for, the shelter solved, and how it is to hang. Raises
    InputError and NotFoundError.
    """
    with parts_of(request).database.session() as session:
        asked = asked_of(request, session, course_id, night_id, sheet_id, pitch)
        return AskedHung(
            asked,
            solved(request, session, asked, pitch, asked.given),
            how_hung(request, asked),
        )


@router.get(BENCH + "/hung")
@for_role(Role.VIEWER)
def hung(
    request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """The hung shape over the fold, its figures beside the fold's, forces, pools and findings."""
    asked, solution, how = _asked(request, course_id, night_id, sheet_id, pitch)
    units = Units(asked.course.units)
    plain: JsonObject = {
        "course": asked.course,
        "units": units,
        "how": how,
        "fabric": how.hanging.fabric,
        "told": None,
        "why": "",
    }
    figures, shelter = solution.figures, solution.shelter
    if figures is None or shelter is None:
        return part(request, "bench/hung.html", **plain)
    if not can_hang(solution):
        plain["why"] = "It hangs from no ties: it lies on the ground, or on who is in it."
        return part(request, "bench/hung.html", **plain)
    try:
        told, shape = parts_of(request).hangings.now(solution, how.hanging)
    except FoldError as err:
        plain["why"] = str(err)
        return part(request, "bench/hung.html", **plain)
    names = cards.marks(shelter)
    return part(
        request,
        "bench/hung.html",
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
            "handles": _handles(shape, names, units),
            "explained": explain_hung(how.hanging.fabric, units),
            "lift_most": LIFT_MOST_M,
            "taut_most": TAUT_MOST,
        },
    )


def _handles(
    shape: Hung, names: dict[str, str], units: Units
) -> list[tuple[str, str, float]]:
    """Places to lift by: key, words, height now."""
    marks = {
        shape.mesh.named[point]: mark
        for point, mark in names.items()
        if point in shape.mesh.named
    }
    out = []
    for name, uv in handles(shape).items():
        node = shape.mesh.node_at(uv)
        across, along = (format_length(part, units) for part in uv)
        words = f"at {marks[node]}" if node in marks else f"{across} across, {along} along"
        out.append((name, words, float(shape.xyz[node, 2])))
    return out


@router.get(BENCH + "/hung/advice")
@for_role(Role.VIEWER)
def advice(
    request: Request, course_id: int, night_id: int, sheet_id: int, pitch: str
) -> Response:
    """What to do about it: how taut, which stake to move, what the gust pulls, and how sure the
    shape is.
    """
    asked, solution, how = _asked(request, course_id, night_id, sheet_id, pitch)
    units = Units(asked.course.units)
    if solution.shelter is None or not can_hang(solution):
        return part(request, "bench/hung_advice.html", advice=None)
    judged = judge(solution, asked.tonight)
    gust = judged.gale.pressure_pa if judged.gale else 0.0
    holds = asked.tonight.holding.stake_n
    try:
        found = parts_of(request).hangings.advice(solution, how.hanging, gust, holds)
    except FoldError:
        return part(request, "bench/hung_advice.html", advice=None)
    names = cards.marks(solution.shelter)
    return part(
        request,
        "bench/hung_advice.html",
        advice=found,
        names=names,
        units=units,
        course=asked.course,
        hand_n=HAND_PULL_N,
        holds_n=holds,
        gust=gust,
        tried=LIFT_TRIED_M,
    )
