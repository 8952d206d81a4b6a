"""The ground of a night's site: field book, map, hazards, and the night's shelters put on it."""

from __future__ import annotations

import math
from functools import cache
from typing import TYPE_CHECKING, Any, Final

from fastapi import Depends, Request, UploadFile, WebSocket, WebSocketDisconnect
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel
from websockets.asyncio.client import connect
from websockets.exceptions import WebSocketException

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.site.hazards import TICKS, Hazard
from tarvik.core.site.pairs import tree_pairs
from tarvik.core.site.spots import best_spots
from tarvik.core.site.survey import next_tapes
from tarvik.core.site.things import Health, Kind, Sort
from tarvik.core.units import Units
from tarvik.exchange.ground_files import MOST_BYTES, READERS, WRITERS
from tarvik.exchange.ground_form import READING_WAYS, reading_words
from tarvik.store import courses, plans
from tarvik.store import ground as store
from tarvik.store.accounts import Role
from tarvik.store.kit import NotFoundError
from tarvik.store.models import ShelterRow
from tarvik.web.access import for_role, guarded_router, permit_socket
from tarvik.web.drawing.ground_map import ground_map, ruled_mm, shelter_group
from tarvik.web.night_words import of_the_place
from tarvik.web.pages.common import owner_name, page, tarvik
from tarvik.web.standing import (
    Scene,
    SpotIn,
    between,
    judge_of,
    placed_of,
    scene_of,
    site_of,
    standing_of,
)

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.core.site.pairs import TreePair
    from tarvik.store.ground import Surveyed

router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/ground")
BEARING_STEP_DEG: Final = 10.0
"""Places are ranked by who lies dry with the front to the nearest of so many bearings."""
SCALES = (50, 100, 200)
PAIRS_SHOWN_RIDGE_M = 3.0
PAIRS_LISTED = 12


class ItemIn(BaseModel):
    """A new item."""

    kind: str
    values: dict[str, Any]


class ItemChange(BaseModel):
    """Some new values of an item, with what was seen before."""

    values: dict[str, Any]
    version: int
    was: dict[str, Any] | None = None


def _view(request: Request, session: Session, scene: Scene) -> dict[str, Any]:
    shelters = standing_of(request, session, scene)
    between(shelters)
    known = scene.known
    ids = {f"{i.kind} {i.data['name']}": i.id for i in scene.items if i.kind in ("thing", "area")}
    free = {
        i.data["name"] for i in scene.items if i.kind == "thing" and i.data.get("x") is not None
    }
    surveyed = frozenset(known.survey.names) - free if known.survey else frozenset()
    needs = scene.tonight.needs
    pairs = tree_pairs(known.ground, PAIRS_SHOWN_RIDGE_M, 0.15)
    drawing = ground_map(
        known.ground,
        ids,
        scene.found,
        [
            (
                s["id"],
                str(s["number"]),
                s["placed"],
                any(f.level is Level.STOPS for f in s["findings"]),
            )
            for s in shelters
            if s["placed"] is not None
        ],
        pairs,
        needs.wind_from_deg if needs.wind_m_s else None,
        surveyed,
    )
    done, undone = store.steps(session, scene.site.id)
    return {
        "course": scene.course,
        "night": scene.night,
        "site": scene.site,
        "tab": "ground",
        "map": drawing,
        "shelters": shelters,
        "pairs": _pairs(known, pairs),
        "pair_count": len(pairs),
        "hazards": [h.finding for h in scene.found],
        "ticks": _ticks(scene),
        "book": _book(scene),
        "survey": known.survey,
        "fault": known.fault,
        "unplaced": known.unplaced,
        "next": next_tapes(known.survey, known.readings) if known.survey else [],
        "things": [(i, _where(known, i)) for i in scene.items if i.kind == "thing"],
        "areas": [i for i in scene.items if i.kind == "area"],
        "heights": [i for i in scene.items if i.kind == "height"],
        "undo": done.what if done else None,
        "redo": undone.what if undone else None,
        "Level": Level,
        "scales": SCALES,
        "kinds": [str(k) for k in Kind],
        "sorts": [str(s) for s in Sort],
        "healths": [str(h) for h in Health],
        "ways": READING_WAYS,
        "empty": not scene.items,
        **of_the_place(needs, Units(scene.course.units)),
    }


def _pairs(known: Surveyed, pairs: list[TreePair]) -> list[dict[str, Any]]:
    """The tightest pairs of trees, their spacing with its plus or minus: from the survey where both
    were surveyed.
    """
    out = []
    for pair in pairs[:PAIRS_LISTED]:
        error = pair.error_m
        if known.survey and {pair.one.name, pair.two.name} <= set(known.survey.names):
            error = known.survey.spacing_m(pair.one.name, pair.two.name)[1]
        out.append(
            {
                "one": pair.one.name,
                "two": pair.two.name,
                "clear_m": pair.clear_m,
                "error_m": error,
                "line_m": pair.line_m,
            }
        )
    return out


def _ticks(scene: Scene) -> list[tuple[str, str, Any]]:
    """The short list, with what was ticked and noted."""
    kept = {i.data["key"]: i for i in scene.items if i.kind == "check"}
    return [(key, words, kept.get(key)) for key, words in TICKS]


def _where(known: Surveyed, item: Any) -> str:
    if item.data.get("x") is not None:
        return f"placed by hand, {item.data['x']:.1f} m east, {item.data['y']:.1f} m north"
    if known.survey and item.data["name"] in known.survey.names:
        error = known.survey.plus_or_minus_m(item.data["name"])
        return "not held yet" if math.isinf(error) else f"surveyed, ± {max(error * 100, 1):.0f} cm"
    return "waits for the survey"


def _book(scene: Scene) -> list[dict[str, Any]]:
    """The field book with each reading's residual."""
    known = scene.known
    by_row: dict[int, list[Any]] = {}
    if known.survey:
        for checked in known.survey.readings:
            by_row.setdefault(known.rows[checked.number], []).append(checked)
    words = {i.id: reading_words(i.data) for i in scene.items if i.kind == "reading"}
    out = []
    for item in scene.items:
        if item.kind != "reading":
            continue
        checks = by_row.get(item.id, [])
        worst = max(checks, key=lambda c: c.strain, default=None)
        others = [words[known.rows[n]] for c in checks for n in c.or_one_of]
        out.append(
            {
                "item": item,
                "words": words[item.id],
                "check": worst,
                "others": others,
                "aside": any(c.set_aside for c in checks),
                "unit": "°" if item.data["way"] == "bearing" else "m",
            }
        )
    return sorted(out, key=lambda r: (not r["aside"], r["item"].id))


@router.get("")
@for_role(Role.VIEWER)
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The page."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        if night.site_id is None:
            return page(request, "ground_none.html", course=course, night=night, tab="ground")
        scene = scene_of(session, course_id, night_id)
        return page(request, "ground.html", **_view(request, session, scene))


def _refreshed(request: Request, session: Session, course_id: int, night_id: int) -> Any:
    session.flush()
    session.expire_all()
    return page(
        request,
        "ground_view.html",
        **_view(request, session, scene_of(session, course_id, night_id)),
    )


def _site_id(session: Session, course_id: int, night_id: int) -> int:
    return site_of(session, course_id, courses.night(session, course_id, night_id)).id


@router.get("/view")
@for_role(Role.VIEWER)
def view(request: Request, course_id: int, night_id: int) -> Any:
    """Map and lists alone."""
    with tarvik(request).database.session() as session:
        return _refreshed(request, session, course_id, night_id)


@router.post("/items")
@for_role(Role.ASSISTANT)
def add(request: Request, course_id: int, night_id: int, new: ItemIn) -> Any:
    """Put something on the ground."""
    with tarvik(request).database.session() as session:
        store.add(session, _site_id(session, course_id, night_id), new.kind, [new.values])
        return _refreshed(request, session, course_id, night_id)


@router.get("/items/{item_id:number}")
@for_role(Role.VIEWER)
def item(request: Request, course_id: int, night_id: int, item_id: int) -> Any:
    """An item's values and version."""
    with tarvik(request).database.session() as session:
        found = store.one(session, _site_id(session, course_id, night_id), item_id)
        return {"values": found.data, "version": found.version}


@router.patch("/items/{item_id:number}")
@for_role(Role.ASSISTANT)
def change(
    request: Request, course_id: int, night_id: int, item_id: int, change: ItemChange
) -> Any:
    """Change an item."""
    with tarvik(request).database.session() as session:
        site = _site_id(session, course_id, night_id)
        store.change(session, site, item_id, change.values, change.version, change.was)
        return _refreshed(request, session, course_id, night_id)


@router.delete("/items/{item_id:number}")
@for_role(Role.ASSISTANT)
def remove(request: Request, course_id: int, night_id: int, item_id: int) -> Any:
    """Take an item off the ground."""
    with tarvik(request).database.session() as session:
        store.remove(session, _site_id(session, course_id, night_id), item_id)
        return _refreshed(request, session, course_id, night_id)


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(request: Request, course_id: int, night_id: int, redo: bool = False) -> Any:
    """Take back the last change of the ground, or make it again."""
    with tarvik(request).database.session() as session:
        store.undo(session, _site_id(session, course_id, night_id), redo=redo)
        return _refreshed(request, session, course_id, night_id)


def _shelter(session: Session, course_id: int, night_id: int, shelter_id: int) -> ShelterRow:
    courses.night(session, course_id, night_id)
    return plans.shelter(session, night_id, shelter_id)


def _number(session: Session, row: ShelterRow) -> int:
    """Its number in the plan."""
    return [r.id for r in plans.shelters(session, row.night_id)].index(row.id) + 1


def _remember(session: Session, night_id: int, shelter_id: int, doing: str) -> None:
    """Let undo take back what is done to a shelter on the map. Raises NotFoundError where a plan
    has put others in its place meanwhile.
    """
    night = courses.night_by_id(session, night_id)
    plans.lock(session, night)
    session.expire_all()
    row = plans.shelter(session, night_id, shelter_id)
    plans.remember(session, night, f"{doing} shelter {_number(session, row)}")


@router.post("/shelters/{shelter_id:number}/try")
@for_role(Role.ASSISTANT)
def try_spot(request: Request, course_id: int, night_id: int, shelter_id: int, spot: SpotIn) -> Any:
    """How a shelter would stand there: drawing and findings, nothing kept."""
    with tarvik(request).database.session() as session:
        scene = scene_of(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        number = _number(session, row)
        judge = judge_of(request, session, scene.course, scene.tonight)
        stands, wrong, _ = placed_of(judge, scene, row, spot, number)
        troubled = any(f.level is Level.STOPS for f in wrong)
        return {
            "drawing": shelter_group(row.id, str(number), stands, troubled=troubled),
            "findings": [
                {"words": f.message, "remedy": f.remedy, "level": int(f.level)} for f in wrong
            ],
            "trees": spot.trees,
        }


@router.post("/shelters/{shelter_id:number}/spot")
@for_role(Role.ASSISTANT)
def keep_spot(
    request: Request, course_id: int, night_id: int, shelter_id: int, spot: SpotIn
) -> Any:
    """Put a shelter on the map."""
    with tarvik(request).database.session() as session:
        scene = scene_of(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        judge = judge_of(request, session, scene.course, scene.tonight)
        placed_of(judge, scene, row, spot)  # a spot where it cannot stand is refused
        before = row.spot or {}
        spot.planned = bool(before.get("planned")) and len(before["trees"]) == len(spot.trees)
        _remember(session, night_id, shelter_id, "moving" if before else "placing")
        row.spot = spot.model_dump(exclude={"snap"})
        return _refreshed(request, session, course_id, night_id)


@router.delete("/shelters/{shelter_id:number}/spot")
@for_role(Role.ASSISTANT)
def clear_spot(request: Request, course_id: int, night_id: int, shelter_id: int) -> Any:
    """Take a shelter off the map."""
    with tarvik(request).database.session() as session:
        row = _shelter(session, course_id, night_id, shelter_id)
        _remember(session, night_id, shelter_id, "taking off the map")
        row.spot = None
        return _refreshed(request, session, course_id, night_id)


@router.get("/shelters/{shelter_id:number}/spots")
@for_role(Role.VIEWER)
def spots(request: Request, course_id: int, night_id: int, shelter_id: int) -> Any:
    """The best places for a shelter, with reasons."""
    with tarvik(request).database.session() as session:
        scene = scene_of(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        judge = judge_of(request, session, scene.course, scene.tonight)
        solution = judge.seen(row, None).solution
        if solution.figures is None:
            raise InputError(
                "shelter", solution.assessment.reasons[0].text(Units(scene.course.units))
            )
        others = [
            s["placed"]
            for s in standing_of(request, session, scene)
            if s["placed"] is not None and s["id"] != row.id
        ]
        taken = [
            Hazard(
                Finding("taken", "shelter", "another shelter stands here", "", Level.STOPS),
                p.taken.buffer(0.5),
            )
            for p in others
        ]
        near = None
        if others:
            middles = [p.cloth.centroid.coords[0] for p in others]
            near = (
                sum(x for x, _ in middles) / len(middles),
                sum(y for _, y in middles) / len(middles),
            )

        @cache
        def dry_at(step: int) -> int:
            found = judge.seen(row, BEARING_STEP_DEG * step).solution.figures
            return 0 if found is None else int(found.sleepers)

        ranked = best_spots(
            solution.figures.shelter,
            solution.assessment.rig,
            solution.figures.mats,
            scene.known.ground,
            [*scene.found, *taken],
            solution.figures.weather
            if scene.tonight.needs.wind_from_deg is None
            else scene.tonight.needs.weather(scene.tonight.needs.wind_from_deg),
            scene.rules,
            near,
            wanted=len(row.members),
            dry_sleepers=lambda deg: dry_at(round(deg % 360 / BEARING_STEP_DEG)),
        )
        return page(
            request, "ground_spots.html", ranked=ranked, shelter=row, owner=owner_name(row.sheet)
        )


@router.post("/import")
@for_role(Role.ASSISTANT)
def bring_in(request: Request, course_id: int, night_id: int, file: UploadFile) -> Any:
    """Put a GPX, GeoJSON or CSV file on the ground: all of it, or none with the line and the
    reason.
    """
    kind = (
        (file.filename or "")
        .rpartition(".")[2]
        .lower()
        .replace("json", "geojson")
        .replace("geogeojson", "geojson")
    )
    if kind not in READERS:
        raise InputError("file", "choose a file that ends in .gpx, .geojson or .csv")
    raw = file.file.read(MOST_BYTES + 1)
    with tarvik(request).database.session() as session:
        site = site_of(session, course_id, courses.night(session, course_id, night_id))
        read = READERS[kind](raw, (site.latitude, site.longitude))
        store.put_in(session, site.id, read, f"bringing in {(file.filename or '')[:60]}")
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/ground", status_code=303)


MEDIA = {
    "gpx": "application/gpx+xml",
    "geojson": "application/geo+json",
    "csv": "text/csv; charset=utf-8",
}


@router.get("/site.{kind}")
@for_role(Role.VIEWER)
def take_out(request: Request, course_id: int, night_id: int, kind: str) -> Response:
    """The ground as a file."""
    if kind not in WRITERS:
        raise NotFoundError("there are .gpx, .geojson and .csv")
    with tarvik(request).database.session() as session:
        scene = scene_of(session, course_id, night_id)
        text = WRITERS[kind](
            scene.known.ground, (scene.site.latitude, scene.site.longitude), scene.site.name
        )
        return Response(
            text,
            media_type=MEDIA[kind],
            headers={"Content-Disposition": f'attachment; filename="site-{scene.site.id}.{kind}"'},
        )


@router.get("/print")
@for_role(Role.VIEWER)
def on_paper(request: Request, course_id: int, night_id: int, scale: int = 100) -> Any:
    """The map to scale."""
    if scale not in SCALES:
        raise InputError("scale", f"1:{scale} is none of {', '.join(f'1:{s}' for s in SCALES)}")
    with tarvik(request).database.session() as session:
        told = _view(request, session, scene_of(session, course_id, night_id))
        return page(
            request,
            "ground_print.html",
            **{**told, "map": ruled_mm(told["map"], scale)},
            scale=scale,
        )


@router.websocket("/finder", dependencies=[Depends(permit_socket)])
@for_role(Role.ASSISTANT)
async def finder(socket: WebSocket, course_id: int, night_id: int) -> None:
    """What the range-and-bearing finder shows, live: each shot as it comes, to Tarvik's own pages
    only.
    """
    service = socket.app.state.tarvik.stand_ins
    if service is None:
        await socket.close(code=1008)
        return
    await socket.accept()
    try:
        async with connect(
            f"ws{service.removeprefix('http')}/finder?seed={course_id * 1000 + night_id}"
        ) as shots:
            async for shot in shots:
                await socket.send_text(str(shot))
        await socket.close()
    except (OSError, WebSocketException):
        await socket.close(code=1011)
    except (WebSocketDisconnect, RuntimeError):  # the page is gone
        return
