"""The automation contract: pitches, solve, health."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.fold.pattern import Role
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Sought
from tarvik.core.plain import JsonObject
from tarvik.exchange.solve_request import Problem, SolveIn
from tarvik.web.access import for_anyone, guarded_router
from tarvik.web.deps import page
from tarvik.web.limits import refusal
from tarvik.work.solve_pool import BrokenError, BusyError, GoneError, TooDearError

router = guarded_router(shown=True)
_PROBLEMS: dict[int | str, JsonObject] = {
    422: {"model": Problem},
    400: {"model": Problem},
    413: {"model": Problem},
    429: {"model": Problem},
}
_SOLVING: dict[int | str, JsonObject] = {
    **_PROBLEMS,
    200: {"content": {"application/json": {"schema": {"type": "object"}}}},
    503: {"model": Problem, "description": "Busy: Retry-After says when to ask again"},
}


@router.head("/healthz", include_in_schema=False)
@router.get("/healthz", tags=["running it"])
@for_anyone
async def healthz() -> dict[str, str]:
    """Answers when the program is ready to serve."""
    return {"status": "ok"}


@router.get(
    "/readyz",
    tags=["running it"],
    response_model=None,
    responses={503: {"model": Problem, "description": "Not ready: the words say why"}},
)
@for_anyone
async def readyz(request: Request) -> Response | dict[str, object]:
    """Answers 200 while the database answers too and the geometry is compiled, else 503. The
    database was asked in the last two seconds: nobody waits for it here.
    """
    compiling = request.app.state.tarvik.compiling
    if not compiling.over:
        return refusal(503, "Getting ready", compiling.words)
    if request.app.state.tarvik.watch.answers():
        return {"status": "ready"}
    return refusal(503, "The database is not answering", "the database does not answer")


@router.get("/docs", include_in_schema=False)
@for_anyone
def docs(request: Request) -> Response:
    """The OpenAPI document as a page: read with no network, like every page."""
    document = request.app.openapi()
    calls = [
        {"method": method.upper(), "path": path, **call}
        for path, methods in document["paths"].items()
        for method, call in methods.items()
    ]
    return page(
        request,
        "docs.html",
        calls=calls,
        models=document["components"]["schemas"],
        title=document["info"]["title"],
    )


@router.get("/api/pitches", tags=["pitches"])
@for_anyone
def pitches() -> list[JsonObject]:
    """Every pitch with its settings."""
    return [
        {
            "slug": p.slug,
            "name": p.name,
            "also_known_as": list(p.also_known_as),
            "family": p.family.value,
            "summary": p.summary,
            "minutes": p.minutes,
            "sheet": p.shape.value,
            "carried_by": list(p.carried_by),
            "lifted": p.lifted,
            "floored": any(panel.role is Role.FLOOR for panel in p.pattern.panels),
            "settings": [
                {
                    "name": s.name,
                    "unit": s.unit,
                    "min": s.least,
                    "max": s.most,
                    "default": s.default,
                    "meaning": s.meaning,
                    "step": 1 if s.is_choice else s.step,
                    "label": s.label,
                    "searched": s.searched,
                    "usual": s.sought is Sought.ALSO,
                }
                for s in p.settings
            ],
        }
        for p in PITCHES.values()
    ]


@router.post("/api/solve", tags=["pitches"], responses=_SOLVING)
@for_anyone
async def solve(request: Request, body: SolveIn) -> Response:
    """Fold one sheet into one pitch and measure it. Settings left out are searched for the
    intent.
    """
    charge = getattr(request.state, "charge", lambda _: None)
    try:
        content = await request.app.state.tarvik.pool.answer(
            body, request.is_disconnected, charge
        )
    except BusyError as err:
        return _later(
            err.retry_s, "two questions are being worked at already; ask again soon"
        )
    except TooDearError:
        words = "this question takes too long here; give settings, or ask for fewer people"
        return _later(60, words)
    except BrokenError:
        return _later(1, "this question could not be answered just now; ask again")
    except GoneError:
        return Response(status_code=499)
    return Response(content, media_type="application/json")


def _later(seconds: int, words: str) -> Response:
    """Not now: when to ask again."""
    return refusal(503, "Busy", words, {"Retry-After": str(seconds)})
