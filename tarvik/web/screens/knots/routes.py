"""The page of knots."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from tarvik.core.knots import KNOTS
from tarvik.web.access import for_members, guarded_router
from tarvik.web.deps import page
from tarvik.web.drawing.knots import knot_drawing

router = guarded_router()


@router.get("/knots")
@for_members
def knots(request: Request) -> Response:
    """Every knot, drawn and told."""
    drawn = [(knot, knot_drawing(knot.slug)) for knot in KNOTS.values()]
    return page(request, "knots/knots.html", knots=drawn)
