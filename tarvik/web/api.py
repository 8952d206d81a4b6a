"""The automation contract: pitches, solve, health."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from tarvik.core.pitches import PITCHES
from tarvik.web.schemas import Problem, SolveIn

if TYPE_CHECKING:
    from tarvik.core.solve import Solution

router = APIRouter()
_PROBLEMS: dict[int | str, dict[str, Any]] = {422: {"model": Problem}, 400: {"model": Problem}, 413: {"model": Problem}}


@router.get("/healthz", tags=["running it"])
def healthz() -> dict[str, str]:
    """Answers when the program is ready to serve."""
    return {"status": "ok"}


@router.get("/docs", include_in_schema=False)
def docs(request: Request) -> Any:
    """The OpenAPI document as a page: read with no network, like every page."""
    document = request.app.openapi()
    calls = [
        {"method": method.upper(), "path": path, **call}
        for path, methods in document["paths"].items()
        for method, call in methods.items()
    ]
    context = {"calls": calls, "models": document["components"]["schemas"], "title": document["info"]["title"]}
    return request.app.state.tarvik.pages.TemplateResponse(request, "docs.html", context)


@router.get("/api/pitches", tags=["pitches"])
def pitches() -> list[dict[str, Any]]:
    """Every pitch with its settings."""
    return [
        {
            "slug": p.slug, "name": p.name, "also_known_as": list(p.also_known_as), "family": p.family.value,
            "summary": p.summary, "minutes": p.minutes,
            "settings": [
                {"name": s.name, "unit": s.unit, "min": s.least, "max": s.most, "default": s.default, "meaning": s.meaning,
                 "step": s.step, "label": s.label}
                for s in p.settings
            ],
        }
        for p in PITCHES.values()
    ]  # fmt: skip


@router.post("/api/solve", tags=["pitches"], responses=_PROBLEMS)
def solve(request: Request, body: SolveIn) -> JSONResponse:
    """Fold one sheet into one pitch and measure it. Settings left out are searched for the intent."""
    return JSONResponse(answer(request.app.state.tarvik.solver.solve(body.to_core())))


def _r(value: float) -> float:
    return round(float(value), 6)


def answer(solution: Solution) -> dict[str, Any]:
    """A solution in the contract's words. Lengths to a micrometre."""
    shelter, rig = solution.shelter, solution.assessment.rig
    out: dict[str, Any] = {
        "pitch": solution.question.pitch.slug,
        "verdict": solution.verdict.value,
        "reasons": [
            {"code": r.code, "message": r.message, "blocks": r.blocks, "remedy": r.remedy}
            | ({"short_by_m": _r(r.short_by_m)} if r.short_by_m is not None else {})
            for r in solution.assessment.reasons
        ],
        "settings": {name: _r(value) for name, value in solution.settings.items()},
        "points": {}, "panels": [], "lines": [], "stakes": [], "supports": [], "measures": None,
    }  # fmt: skip
    if shelter is not None:
        out["points"] = {
            p: {"sheet_m": [_fine(x) for x in shelter.sheet_at(p)], "at_m": [_fine(x) for x in shelter.at(p)]}
            for p in shelter.pitch.pattern.points
        }
        out["panels"] = [{"id": p.id, "role": p.role.value, "points": list(p.points)} for p in shelter.panels]
    if rig is not None:
        out["lines"] = [
            {"from": x.start, "to_m": [_r(c) for c in x.to], "length_m": _r(x.cord_m), "span_m": _r(x.span_m),
             "purpose": x.purpose}
            for x in rig.lines
        ]  # fmt: skip
        out["stakes"] = [
            {"at_m": [_r(c) for c in s.at], "point": s.point, "purpose": s.purpose, "optional": s.optional} for s in rig.stakes
        ]
        out["supports"] = [
            {"kind": s.kind, "at_m": [_r(c) for c in s.at], "height_m": _r(s.height_m), "point": s.point} for s in rig.supports
        ]
    if solution.figures is not None:
        out["measures"] = _measures(solution)
    return out


def _fine(value: float) -> float:
    """Places keep nanometres, so that lengths computed from them stay exact; no negative zero."""
    return round(float(value), 9) + 0.0


def _measures(solution: Solution) -> dict[str, Any]:
    f = solution.figures
    if f is None:
        return {}
    room = f.clearance
    return {
        "peak_m": _r(f.peak_m), "covered_area_m2": _r(f.covered_area_m2), "dry_area_m2": _r(f.dry_area_m2),
        "sit_area_m2": _r(f.sit_area_m2), "stand_area_m2": _r(f.stand_area_m2), "sleepers": f.sleepers,
        "mats": [
            {"corners_m": [[_fine(x), _fine(y)] for x, y in mat.corners()], "head": [_fine(c) for c in mat.head()],
             "heading_deg": mat.heading_deg}
            for mat in f.mats
        ],
        "least_slope_deg": _r(f.least_slope_deg), "open_to_wind": _r(f.open_to_wind), "rain_slope": _r(f.rain_slope),
        "clearance": {name: getattr(room, name) for name in room.__dataclass_fields__},
    }  # fmt: skip
