"""The ground of a night's site: field book, map, hazards, and the night's shelters put on it."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import TYPE_CHECKING, Annotated, Final, NamedTuple

from fastapi import Depends, Form, Request, UploadFile, WebSocket, WebSocketDisconnect
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel
from websockets.asyncio.client import connect
from websockets.exceptions import WebSocketException

from tarvik.core.errors import InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.loads.holding import GROUNDS
from tarvik.core.plain import JsonObject
from tarvik.core.site.hazards import Hazard
from tarvik.core.site.spots import best_spots
from tarvik.core.site.things import Kind
from tarvik.core.units import Units, format_ruler, format_way
from tarvik.core.weather.surroundings import SURROUNDINGS
from tarvik.exchange.columns import whole_number
from tarvik.exchange.ground_files import MOST_BYTES, READERS, WRITERS
from tarvik.exchange.ground_form import in_metres
from tarvik.store import courses, nights, plans
from tarvik.store import ground as store
from tarvik.store.accounts import Role
from tarvik.store.kit import NotFoundError
from tarvik.store.models import ShelterRow
from tarvik.web.access import for_role, guarded_router, permit_socket
from tarvik.web.deps import CourseHere, Db, NightHere, fields_of, page, part
from tarvik.web.drawing.ground_map import bar_m, ruled_mm, scales_of, shelter_group
from tarvik.web.screens.ground.view import ground_view
from tarvik.web.shared.questions import owner_names
from tarvik.web.shared.standing import (
    SpotIn,
    judge_of,
    placed_of,
    scene_of,
    site_of,
    standing_of,
)

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.store.models import Course, Night, Site


router = guarded_router("/courses/{course_id:number}/nights/{night_id:number}/ground")
BEARING_STEP_DEG: Final = 10.0
"""Places are ranked by who lies dry with the front to the nearest of so many bearings."""


class ItemIn(BaseModel):
    """A new item."""

    kind: str
    values: JsonObject


class ItemChange(BaseModel):
    """Some new values of an item, with what was seen before."""

    values: JsonObject
    version: int
    was: JsonObject | None = None


@router.get("")
@for_role(Role.VIEWER)
def show(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    course_id: int,
    night_id: int,
) -> Response:
    """The page."""
    if night.site_id is None:
        return page(request, "ground/none.html", **_unmapped(session, course, night))
    scene = scene_of(session, course_id, night_id)
    return page(
        request, "ground/ground.html", **fields_of(ground_view(request, session, scene))
    )


def _unmapped(session: Session, course: Course, night: Night) -> JsonObject:
    """What the screen shows of a night that has no site yet."""
    return {
        "course": course,
        "night": night,
        "sites": nights.sites(session, course.id),
        "surroundings": SURROUNDINGS,
        "grounds": GROUNDS,
        "tab": "ground",
    }


@router.post("/start")
@for_role(Role.ASSISTANT)
def start(
    request: Request,
    session: Db,
    course: CourseHere,
    night: NightHere,
    name: Annotated[str, Form()] = "",
    surroundings: Annotated[str, Form()] = "open",
    ground: Annotated[str, Form()] = "turf",
    site: Annotated[str, Form()] = "",
) -> Response:
    """Give the night its site: one of the course's, or a new one that nobody need have located."""
    if site and whole_number(site) < 0:
        raise InputError("site", "choose one of the course's sites")
    try:
        with session.begin_nested():
            kept = (
                int(site)
                if site
                else _new_site(session, night, name, surroundings, ground).id
            )
            nights.use_site(session, night, kept)
    except InputError as err:
        typed = {"called": name, "around": surroundings, "on": ground, "fault": err.message}
        shown = _unmapped(session, course, night) | typed
        return page(request, "ground/none.html", status=422, **shown)
    return RedirectResponse(
        f"/courses/{course.id}/nights/{night.id}/ground", status_code=303
    )


def _new_site(
    session: Session, night: Night, name: str, surroundings: str, ground: str
) -> Site:
    """A site where the night's weather is for, if that is known. Raises InputError."""
    needs = nights.needs_of(night)
    values = {
        "name": name,
        "surroundings": surroundings,
        "ground": ground,
        "latitude": needs.latitude,
        "longitude": needs.longitude,
        "zone": needs.zone,
    }
    return nights.add_site(session, night.course_id, values)


def _refreshed(
    request: Request, session: Session, course_id: int, night_id: int
) -> Response:
    session.flush()
    session.expire_all()
    return part(
        request,
        "ground/view.html",
        **fields_of(ground_view(request, session, scene_of(session, course_id, night_id))),
    )


def _site_id(session: Session, course_id: int, night_id: int) -> int:
    return site_of(session, course_id, courses.night(session, course_id, night_id)).id


@router.get("/view")
@for_role(Role.VIEWER)
def view(request: Request, session: Db, course_id: int, night_id: int) -> Response:
    """Map and lists alone."""
    return _refreshed(request, session, course_id, night_id)


@router.post("/items")
@for_role(Role.ASSISTANT)
def add(
    request: Request,
    session: Db,
    course: CourseHere,
    course_id: int,
    night_id: int,
    new: ItemIn,
) -> Response:
    """Put something on the ground."""
    site = _site_id(session, course_id, night_id)
    values = in_metres(new.values, Units(course.units))
    if new.kind == "reading":
        kind = str(values.pop("new_kind", Kind.TREE))
        store.add_reading(session, site, values, kind)
    else:
        store.add(session, site, new.kind, [values])
    return _refreshed(request, session, course_id, night_id)


@router.get("/items/{item_id:number}")
@for_role(Role.VIEWER)
def item(session: Db, course_id: int, night_id: int, item_id: int) -> dict[str, object]:
    """An item's values and version."""
    found = store.one(session, _site_id(session, course_id, night_id), item_id)
    return {"values": found.data, "version": found.version}


@router.patch("/items/{item_id:number}")
@for_role(Role.ASSISTANT)
def change(
    request: Request,
    session: Db,
    course_id: int,
    night_id: int,
    item_id: int,
    change: ItemChange,
) -> Response:
    """Change an item."""
    site = _site_id(session, course_id, night_id)
    store.change(session, site, item_id, change.values, change.version, change.was)
    return _refreshed(request, session, course_id, night_id)


@router.delete("/items/{item_id:number}")
@for_role(Role.ASSISTANT)
def remove(
    request: Request, session: Db, course_id: int, night_id: int, item_id: int
) -> Response:
    """Take an item off the ground."""
    store.remove(session, _site_id(session, course_id, night_id), item_id)
    return _refreshed(request, session, course_id, night_id)


@router.post("/undo")
@for_role(Role.ASSISTANT)
def undo(
    request: Request, session: Db, course_id: int, night_id: int, redo: bool = False
) -> Response:
    """Take back the last change of the ground, or make it again."""
    store.undo(session, _site_id(session, course_id, night_id), redo=redo)
    return _refreshed(request, session, course_id, night_id)


def _shelter(
    session: Session, course_id: int, night_id: int, shelter_id: int
) -> ShelterRow:
    courses.night(session, course_id, night_id)
    return plans.shelter(session, night_id, shelter_id)


def _number(session: Session, row: ShelterRow) -> int:
    """Its number in the plan."""
    return [r.id for r in plans.shelters(session, row.night_id)].index(row.id) + 1


@router.post("/shelters/{shelter_id:number}/try")
@for_role(Role.ASSISTANT)
def try_spot(
    request: Request,
    session: Db,
    course_id: int,
    night_id: int,
    shelter_id: int,
    spot: SpotIn,
) -> dict[str, object]:
    """How a shelter would stand there: drawing and findings, nothing kept."""
    scene = scene_of(session, course_id, night_id)
    row = _shelter(session, course_id, night_id, shelter_id)
    number = _number(session, row)
    judge = judge_of(request, session, scene.course, scene.tonight, scene.night.id)
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
    request: Request,
    session: Db,
    course_id: int,
    night_id: int,
    shelter_id: int,
    spot: SpotIn,
) -> Response:
    """Put a shelter on the map."""
    scene = scene_of(session, course_id, night_id)
    row = _shelter(session, course_id, night_id, shelter_id)
    judge = judge_of(request, session, scene.course, scene.tonight, scene.night.id)
    placed_of(judge, scene, row, spot)  # a spot where it cannot stand is refused
    before = row.spot or {}
    spot.planned = bool(before.get("planned")) and len(before["trees"]) == len(spot.trees)
    doing = "moving" if before else "placing"
    row = plans.begin_change(session, scene.night, shelter_id, doing)
    row.spot = spot.model_dump(exclude={"snap"})
    return _refreshed(request, session, course_id, night_id)


@router.delete("/shelters/{shelter_id:number}/spot")
@for_role(Role.ASSISTANT)
def clear_spot(
    request: Request,
    session: Db,
    night: NightHere,
    course_id: int,
    night_id: int,
    shelter_id: int,
) -> Response:
    """Take a shelter off the map."""
    row = plans.begin_change(session, night, shelter_id, "taking off the map")
    row.spot = None
    return _refreshed(request, session, course_id, night_id)


@router.get("/shelters/{shelter_id:number}/spots")
@for_role(Role.VIEWER)
def spots(
    request: Request, session: Db, course_id: int, night_id: int, shelter_id: int
) -> Response:
    """The best places for a shelter, with reasons."""
    scene = scene_of(session, course_id, night_id)
    row = _shelter(session, course_id, night_id, shelter_id)
    judge = judge_of(request, session, scene.course, scene.tonight, scene.night.id)
    solution = judge.seen(row, None).solution
    if solution.figures is None:
        raise InputError(
            "shelter", solution.assessment.reasons[0].text(Units(scene.course.units))
        )
    others = [
        s.placed
        for s in standing_of(request, session, scene)
        if s.placed is not None and s.id != row.id
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
    return part(
        request, "ground/spots.html", ranked=ranked, shelter=row, owner=owner_names(row)
    )


@router.post("/import")
@for_role(Role.ASSISTANT)
def bring_in(
    session: Db, night: NightHere, course_id: int, night_id: int, file: UploadFile
) -> Response:
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
    site = site_of(session, course_id, night)
    read = READERS[kind](raw, _origin(site, kind))
    store.put_in(session, site.id, read, f"bringing in {(file.filename or '')[:60]}")
    return RedirectResponse(
        f"/courses/{course_id}/nights/{night_id}/ground", status_code=303
    )


def _origin(site: Site, kind: str) -> tuple[float, float]:
    """Where the map's origin is on the earth, which a table of metres need not know. Raises
    InputError.
    """
    if site.latitude is not None and site.longitude is not None:
        return site.latitude, site.longitude
    if kind == "csv":
        return 0.0, 0.0
    raise InputError(
        "file",
        f"a {kind} file tells places by latitude and longitude, and nobody has said yet where "
        f"“{site.name}” is: keep the site anew with both on the rules page, or use a CSV table",
    )


MEDIA = {
    "gpx": "application/gpx+xml",
    "geojson": "application/geo+json",
    "csv": "text/csv; charset=utf-8",
}


@router.get("/site.{kind}")
@for_role(Role.VIEWER)
def take_out(session: Db, course_id: int, night_id: int, kind: str) -> Response:
    """The ground as a file."""
    if kind not in WRITERS:
        raise NotFoundError("there are .gpx, .geojson and .csv")
    scene = scene_of(session, course_id, night_id)
    text = WRITERS[kind](scene.known.ground, _origin(scene.site, kind), scene.site.name)
    return Response(
        text,
        media_type=MEDIA[kind],
        headers={
            "Content-Disposition": f'attachment; filename="site-{scene.site.id}.{kind}"'
        },
    )


class OnPaper(NamedTuple):
    """The bar on a printed map: how long it is on the ground, and on the paper."""

    ground: str
    paper: str


@router.get("/print")
@for_role(Role.VIEWER)
def on_paper(
    request: Request, session: Db, course_id: int, night_id: int, scale: int | None = None
) -> Response:
    """The map to scale; at the middle one where none is asked for."""
    scene = scene_of(session, course_id, night_id)
    units = Units(scene.course.units)
    known = scales_of(units)
    chosen = known[len(known) // 2] if scale is None else scale
    if chosen not in known:
        raise InputError(
            "scale", f"1:{chosen} is none of {', '.join(f'1:{s}' for s in known)}"
        )
    view = ground_view(request, session, scene)
    on_paper = replace(view, map=ruled_mm(view.map, chosen))
    bar = OnPaper(
        format_way(bar_m(units), units), format_ruler(bar_m(units) / chosen, units)
    )
    return page(request, "ground/print.html", **fields_of(on_paper), scale=chosen, bar=bar)


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
