"""The ground of a night's site: field book, map, hazards, and the night's shelters put on it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Request, UploadFile, WebSocket, WebSocketDisconnect
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field
from websockets.asyncio.client import connect
from websockets.exceptions import WebSocketException

from tarvik.core.errors import FoldError, InputError
from tarvik.core.finding import Finding, Level
from tarvik.core.site.hazards import TICKS, GroundRules, Hazard, hazards
from tarvik.core.site.pairs import tree_pairs
from tarvik.core.site.placing import Placed, Spot, conflicts, place, wind_in_frame
from tarvik.core.site.relief import slope_of
from tarvik.core.site.spots import best_spots, snapped, swing
from tarvik.core.site.survey import next_tapes
from tarvik.core.site.things import Health, Kind, Sort
from tarvik.core.units import Units
from tarvik.exchange.ground_files import READERS, WRITERS
from tarvik.exchange.ground_form import READING_WAYS, reading_words
from tarvik.exchange.night_form import ground_rules_of
from tarvik.store import courses, kit, nights, plans
from tarvik.store import ground as store
from tarvik.store.kit import NotFoundError, body_of
from tarvik.store.models import Course, Night, ShelterRow, Site
from tarvik.web.drawing.ground_map import ground_map, ruled_mm, shelter_group
from tarvik.web.pages.common import owner_name, page, question, tarvik

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tarvik.core.measure.figures import Figures
    from tarvik.core.site.pairs import TreePair
    from tarvik.core.site.things import Ground
    from tarvik.core.tonight import Night as TonightsNight
    from tarvik.store.ground import Surveyed

router = APIRouter(prefix="/courses/{course_id}/nights/{night_id}/ground", include_in_schema=False)
SCALES = (50, 100, 200)
PAIRS_SHOWN_RIDGE_M = 3.0
PAIRS_LISTED = 12
NIGHT_RAIN_HOURS = 10.0
SHIFT_DEG = 40.0
"""A wind that shifts by less is met as it is."""


class ItemIn(BaseModel):
    """A new item."""

    kind: str
    values: dict[str, Any]


class ItemChange(BaseModel):
    """Some new values of an item, with what was seen before."""

    values: dict[str, Any]
    version: int
    was: dict[str, Any] | None = None


class SpotIn(BaseModel):
    """Where a shelter is put: its middle, and the bearing to which its front looks."""

    x: float = Field(ge=-5000, le=5000, allow_inf_nan=False)
    y: float = Field(ge=-5000, le=5000, allow_inf_nan=False)
    front_deg: float = Field(ge=-720, le=720, allow_inf_nan=False)
    anchor: tuple[float, float] | None = None
    trees: list[str] = Field(default_factory=list, max_length=4)
    snap: bool = False


@dataclass
class _Scene:
    """All that a page of the ground is made from."""

    course: Course
    night: Night
    site: Site
    tonight: TonightsNight
    items: list[Any]
    known: Surveyed
    found: list[Hazard]
    rules: GroundRules


def _site(session: Session, course_id: int, night: Night) -> Site:
    if night.site_id is None:
        raise NotFoundError("this night has no site yet: choose one on the night's page")
    return nights.one_site(session, course_id, night.site_id)


@lru_cache(maxsize=64)
def _hazards(ground: Ground, rules: GroundRules, wind_from_deg: float | None, rain_mm: float) -> list[Hazard]:
    return hazards(ground, rules, wind_from_deg, rain_mm)


def _scene(session: Session, course_id: int, night_id: int) -> _Scene:
    course = courses.course(session, course_id)
    night = courses.night(session, course_id, night_id)
    site = _site(session, course_id, night)
    tonight = nights.night_of(session, course, night)
    items = list(store.items(session, site.id))
    known = store.ground_of(items)
    rules = ground_rules_of(course.rules or {})
    needs = tonight.needs
    wind = needs.wind_from_deg if needs.wind_m_s else None
    rain = (needs.rain_mm_h or 0.0) * NIGHT_RAIN_HOURS
    return _Scene(course, night, site, tonight, items, known, _hazards(known.ground, rules, wind, rain), rules)


def _figures(request: Request, session: Session, scene: _Scene, row: ShelterRow, front_deg: float | None) -> Any:
    """The shelter solved with tonight's wind as it meets it there; on its back where it stands nowhere yet."""
    people = plans.sleepers(row)
    body = body_of(max(people, key=lambda p: p.stature_m) if people else row.sheet.owner)
    wind = scene.tonight.needs.wind_from_deg
    asked = question(
        row.sheet, row.pitch, scene.tonight, kit.supports_of(session, scene.course.id), row.settings, body=body,
        wanted=len(row.members) or 1, people=tuple(body_of(p) for p in people),
        wind_from_deg=None if front_deg is None or wind is None else wind_in_frame(wind, round(front_deg, 1)),
    )  # fmt: skip
    return tarvik(request).solver.solve(asked)


def _middle(figures: Figures) -> tuple[float, float]:
    low, high = figures.shelter.xyz[:, :2].min(axis=0), figures.shelter.xyz[:, :2].max(axis=0)
    return float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2


def _spot(spot: SpotIn, figures: Figures) -> Spot:
    return Spot((spot.x, spot.y), spot.front_deg % 360, spot.anchor or _middle(figures))


def _placed(request: Request, session: Session, scene: _Scene, row: ShelterRow, spot: SpotIn) -> tuple[Placed, list[Finding]]:
    """A shelter where it is put, and what is wrong there. Raises InputError where it does not fold."""
    asked_front = spot.front_deg
    solution = _figures(request, session, scene, row, asked_front)
    if solution.figures is None:
        raise InputError("shelter", solution.assessment.reasons[0].text(Units(scene.course.units)))
    figures = solution.figures
    if spot.snap:
        there, names = snapped(figures.shelter, solution.assessment.rig, _spot(spot, figures), scene.known.ground)
        spot.x, spot.y, spot.front_deg, spot.anchor, spot.trees, spot.snap = (
            *there.at, there.front_deg, there.anchor, list(names), False
        )  # fmt: skip
        if abs((there.front_deg - asked_front + 180) % 360 - 180) > 0.5:  # turned with its trees: the wind meets it anew
            return _placed(request, session, scene, row, spot)
    try:
        stands = place(figures.shelter.pitch, figures.shelter.sheet, figures.shelter.settings, _spot(spot, figures),
                       scene.known.ground, solution.assessment.rig, figures.mats)  # fmt: skip
    except FoldError:
        raise InputError("spot", "the sheet does not fold on ground as steep as this") from None
    wrong = conflicts(stands, scene.known.ground, scene.found, scene.rules, frozenset(spot.trees))
    if row.members and figures.sleepers < len(row.members):
        words = f"with this heading {figures.sleepers} of {len(row.members)} lie dry tonight"
        remedy = "turn it, or take a pitch that closes to the wind"
        wrong.insert(0, Finding("wet", owner_name(row.sheet), words, remedy, Level.STOPS))
    return stands, wrong


def _standing(request: Request, session: Session, scene: _Scene) -> list[dict[str, Any]]:
    """The night's shelters: those on the map with their findings, the others waiting beside it."""
    out: list[dict[str, Any]] = []
    for number, row in enumerate(plans.shelters(session, scene.night.id), start=1):
        told: dict[str, Any] = {"id": row.id, "number": number, "owner": owner_name(row.sheet), "pitch": row.pitch,
                                "placed": None, "findings": [], "people": plans.sleepers(row), "fault": ""}  # fmt: skip
        if row.spot:
            try:
                told["placed"], told["findings"] = _placed(request, session, scene, row, SpotIn(**row.spot))
            except InputError as err:
                told["fault"] = err.message
        trees = (row.spot or {}).get("trees", [])
        if told["placed"] is not None:
            told["fall"] = slope_of(told["placed"].gradient)
        told["swing"] = _swing(request, session, scene, row, trees[0]) if len(trees) == 1 else None
        out.append(told)
    return out


def _swing(request: Request, session: Session, scene: _Scene, row: ShelterRow, tree: str) -> tuple[float, float] | None:
    """Where a shelter on one tree is to swing when the night's wind shifts: (wind from, front to); None while it stays."""
    turned = nights.wind_at_dawn(session, scene.night)
    now = scene.tonight.needs.wind_from_deg
    if turned is None or now is None or abs((turned - now + 180) % 360 - 180) < SHIFT_DEG:
        return None
    figures = _figures(request, session, scene, row, None).figures
    if figures is None:
        return None
    best = swing(figures.shelter, (0.0, 0.0), (0.0, 0.0), scene.tonight.needs.weather(turned), tree)
    return turned, best.spot.front_deg


def _between(shelters: list[dict[str, Any]]) -> None:
    """Shelters that stand in each other's way."""
    some = [s for s in shelters if s["placed"] is not None]
    for i, one in enumerate(some):
        for two in some[i + 1 :]:
            if one["placed"].taken.intersects(two["placed"].taken):
                for a, b in ((one, two), (two, one)):
                    a["findings"].insert(0, Finding("overlap", str(b["number"]), f"stands in the way of shelter {b['number']}",
                                                    "move one of them", Level.STOPS))  # fmt: skip


def _view(request: Request, session: Session, scene: _Scene) -> dict[str, Any]:
    shelters = _standing(request, session, scene)
    _between(shelters)
    known = scene.known
    ids = {f"{i.kind} {i.data['name']}": i.id for i in scene.items if i.kind in ("thing", "area")}
    free = {i.data["name"] for i in scene.items if i.kind == "thing" and i.data.get("x") is not None}
    surveyed = frozenset(known.survey.names) - free if known.survey else frozenset()
    needs = scene.tonight.needs
    pairs = tree_pairs(known.ground, PAIRS_SHOWN_RIDGE_M, 0.15)
    drawing = ground_map(
        known.ground, ids, scene.found,
        [(s["id"], str(s["number"]), s["placed"], any(f.level is Level.STOPS for f in s["findings"]))
         for s in shelters if s["placed"] is not None],
        pairs, needs.wind_from_deg if needs.wind_m_s else None, surveyed,
    )  # fmt: skip
    done, undone = store.steps(session, scene.site.id)
    return {
        "course": scene.course, "night": scene.night, "site": scene.site, "tab": "ground", "map": drawing,
        "shelters": shelters, "pairs": _pairs(known, pairs),
        "pair_count": len(pairs), "hazards": [h.finding for h in scene.found], "ticks": _ticks(scene),
        "book": _book(scene), "survey": known.survey, "fault": known.fault, "unplaced": known.unplaced,
        "next": next_tapes(known.survey, known.readings) if known.survey else [],
        "things": [(i, _where(known, i)) for i in scene.items if i.kind == "thing"],
        "areas": [i for i in scene.items if i.kind == "area"], "heights": [i for i in scene.items if i.kind == "height"],
        "undo": done.what if done else None, "redo": undone.what if undone else None, "Level": Level, "scales": SCALES,
        "kinds": [str(k) for k in Kind], "sorts": [str(s) for s in Sort], "healths": [str(h) for h in Health],
        "ways": READING_WAYS, "empty": not scene.items,
    }  # fmt: skip


def _pairs(known: Surveyed, pairs: list[TreePair]) -> list[dict[str, Any]]:
    """The tightest pairs of trees, their spacing with its plus or minus: from the survey where both were surveyed."""
    out = []
    for pair in pairs[:PAIRS_LISTED]:
        error = pair.error_m
        if known.survey and {pair.one.name, pair.two.name} <= set(known.survey.names):
            error = known.survey.spacing_m(pair.one.name, pair.two.name)[1]
        out.append(
            {"one": pair.one.name, "two": pair.two.name, "clear_m": pair.clear_m, "error_m": error, "line_m": pair.line_m}
        )
    return out


def _ticks(scene: _Scene) -> list[tuple[str, str, Any]]:
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


def _book(scene: _Scene) -> list[dict[str, Any]]:
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
        out.append({"item": item, "words": words[item.id], "check": worst, "others": others,
                    "aside": any(c.set_aside for c in checks),
                    "unit": "°" if item.data["way"] == "bearing" else "m"})  # fmt: skip
    return sorted(out, key=lambda r: (not r["aside"], r["item"].id))


@router.get("")
def show(request: Request, course_id: int, night_id: int) -> Any:
    """The page."""
    with tarvik(request).database.session() as session:
        course = courses.course(session, course_id)
        night = courses.night(session, course_id, night_id)
        if night.site_id is None:
            return page(request, "ground_none.html", course=course, night=night, tab="ground")
        scene = _scene(session, course_id, night_id)
        return page(request, "ground.html", **_view(request, session, scene))


def _refreshed(request: Request, session: Session, course_id: int, night_id: int) -> Any:
    session.flush()
    session.expire_all()
    return page(request, "ground_view.html", **_view(request, session, _scene(session, course_id, night_id)))


def _site_id(session: Session, course_id: int, night_id: int) -> int:
    return _site(session, course_id, courses.night(session, course_id, night_id)).id


@router.get("/view")
def view(request: Request, course_id: int, night_id: int) -> Any:
    """Map and lists alone."""
    with tarvik(request).database.session() as session:
        return _refreshed(request, session, course_id, night_id)


@router.post("/items")
def add(request: Request, course_id: int, night_id: int, new: ItemIn) -> Any:
    """Put something on the ground."""
    with tarvik(request).database.session() as session:
        store.add(session, _site_id(session, course_id, night_id), new.kind, [new.values])
        return _refreshed(request, session, course_id, night_id)


@router.get("/items/{item_id}")
def item(request: Request, course_id: int, night_id: int, item_id: int) -> Any:
    """An item's values and version."""
    with tarvik(request).database.session() as session:
        found = store.one(session, _site_id(session, course_id, night_id), item_id)
        return {"values": found.data, "version": found.version}


@router.patch("/items/{item_id}")
def change(request: Request, course_id: int, night_id: int, item_id: int, change: ItemChange) -> Any:
    """Change an item."""
    with tarvik(request).database.session() as session:
        site = _site_id(session, course_id, night_id)
        store.change(session, site, item_id, change.values, change.version, change.was)
        return _refreshed(request, session, course_id, night_id)


@router.delete("/items/{item_id}")
def remove(request: Request, course_id: int, night_id: int, item_id: int) -> Any:
    """Take an item off the ground."""
    with tarvik(request).database.session() as session:
        store.remove(session, _site_id(session, course_id, night_id), item_id)
        return _refreshed(request, session, course_id, night_id)


@router.post("/undo")
def undo(request: Request, course_id: int, night_id: int, redo: bool = False) -> Any:
    """Take back the last change of the ground, or make it again."""
    with tarvik(request).database.session() as session:
        store.undo(session, _site_id(session, course_id, night_id), redo=redo)
        return _refreshed(request, session, course_id, night_id)


def _shelter(session: Session, course_id: int, night_id: int, shelter_id: int) -> ShelterRow:
    courses.night(session, course_id, night_id)
    row = next((r for r in plans.shelters(session, night_id) if r.id == shelter_id), None)
    if row is None:
        raise NotFoundError("this shelter is no longer planned for the night")
    return row


@router.post("/shelters/{shelter_id}/try")
def try_spot(request: Request, course_id: int, night_id: int, shelter_id: int, spot: SpotIn) -> Any:
    """How a shelter would stand there: drawing and findings, nothing kept."""
    with tarvik(request).database.session() as session:
        scene = _scene(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        number = [r.id for r in plans.shelters(session, night_id)].index(row.id) + 1
        stands, wrong = _placed(request, session, scene, row, spot)
        troubled = any(f.level is Level.STOPS for f in wrong)
        return {
            "drawing": shelter_group(row.id, str(number), stands, troubled=troubled),
            "findings": [{"words": f.message, "remedy": f.remedy, "level": int(f.level)} for f in wrong],
            "trees": spot.trees,
        }


@router.post("/shelters/{shelter_id}/spot")
def keep_spot(request: Request, course_id: int, night_id: int, shelter_id: int, spot: SpotIn) -> Any:
    """Put a shelter on the map."""
    with tarvik(request).database.session() as session:
        scene = _scene(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        _placed(request, session, scene, row, spot)  # a spot where it cannot stand is refused
        row.spot = spot.model_dump()
        return _refreshed(request, session, course_id, night_id)


@router.delete("/shelters/{shelter_id}/spot")
def clear_spot(request: Request, course_id: int, night_id: int, shelter_id: int) -> Any:
    """Take a shelter off the map."""
    with tarvik(request).database.session() as session:
        _shelter(session, course_id, night_id, shelter_id).spot = None
        return _refreshed(request, session, course_id, night_id)


@router.get("/shelters/{shelter_id}/spots")
def spots(request: Request, course_id: int, night_id: int, shelter_id: int) -> Any:
    """The best places for a shelter, with reasons."""
    with tarvik(request).database.session() as session:
        scene = _scene(session, course_id, night_id)
        row = _shelter(session, course_id, night_id, shelter_id)
        solution = _figures(request, session, scene, row, None)
        if solution.figures is None:
            raise InputError("shelter", solution.assessment.reasons[0].text(Units(scene.course.units)))
        others = [s["placed"] for s in _standing(request, session, scene) if s["placed"] is not None and s["id"] != row.id]
        taken = [
            Hazard(Finding("taken", "shelter", "another shelter stands here", "", Level.STOPS), p.taken.buffer(0.5))
            for p in others
        ]
        near = None
        if others:
            middles = [p.cloth.centroid.coords[0] for p in others]
            near = (sum(x for x, _ in middles) / len(middles), sum(y for _, y in middles) / len(middles))

        def dry(front_deg: float) -> int:
            found = _figures(request, session, scene, row, front_deg).figures
            return 0 if found is None else int(found.sleepers)

        ranked = best_spots(
            solution.figures.shelter, solution.assessment.rig, solution.figures.mats, scene.known.ground,
            [*scene.found, *taken], solution.figures.weather
            if scene.tonight.needs.wind_from_deg is None else scene.tonight.needs.weather(scene.tonight.needs.wind_from_deg),
            scene.rules, near, wanted=len(row.members), dry_sleepers=dry,
        )  # fmt: skip
        return page(request, "ground_spots.html", ranked=ranked, shelter=row, owner=owner_name(row.sheet))


@router.post("/import")
async def bring_in(request: Request, course_id: int, night_id: int, file: UploadFile) -> Any:
    """Put a GPX, GeoJSON or CSV file on the ground: all of it, or none with the line and the reason."""
    kind = (file.filename or "").rpartition(".")[2].lower().replace("json", "geojson").replace("geogeojson", "geojson")
    if kind not in READERS:
        raise InputError("file", "choose a file that ends in .gpx, .geojson or .csv")
    raw = await file.read()
    with tarvik(request).database.session() as session:
        site = _site(session, course_id, courses.night(session, course_id, night_id))
        read = READERS[kind](raw, (site.latitude, site.longitude))
        store.put_in(session, site.id, read, f"bringing in {(file.filename or '')[:60]}")
    return RedirectResponse(f"/courses/{course_id}/nights/{night_id}/ground", status_code=303)


MEDIA = {"gpx": "application/gpx+xml", "geojson": "application/geo+json", "csv": "text/csv; charset=utf-8"}


@router.get("/site.{kind}")
def take_out(request: Request, course_id: int, night_id: int, kind: str) -> Response:
    """The ground as a file."""
    if kind not in WRITERS:
        raise NotFoundError("there are .gpx, .geojson and .csv")
    with tarvik(request).database.session() as session:
        scene = _scene(session, course_id, night_id)
        text = WRITERS[kind](scene.known.ground, (scene.site.latitude, scene.site.longitude), scene.site.name)
        return Response(text, media_type=MEDIA[kind],
                        headers={"Content-Disposition": f'attachment; filename="site-{scene.site.id}.{kind}"'})  # fmt: skip


@router.get("/print")
def on_paper(request: Request, course_id: int, night_id: int, scale: int = 100) -> Any:
    """The map to scale."""
    if scale not in SCALES:
        raise InputError("scale", f"1:{scale} is none of {', '.join(f'1:{s}' for s in SCALES)}")
    with tarvik(request).database.session() as session:
        told = _view(request, session, _scene(session, course_id, night_id))
        return page(request, "ground_print.html", **{**told, "map": ruled_mm(told["map"], scale)}, scale=scale)


@router.websocket("/finder")
async def finder(socket: WebSocket, course_id: int, night_id: int) -> None:
    """What the range-and-bearing finder shows, live: each shot as it comes, to Tarvik's own pages only."""
    origin = socket.headers.get("origin")
    service = socket.app.state.tarvik.stand_ins
    if service is None or (origin and urlsplit(origin).netloc != socket.headers.get("host")):
        await socket.close(code=1008)
        return
    await socket.accept()
    try:
        async with connect(f"ws{service.removeprefix('http')}/finder?seed={course_id * 1000 + night_id}") as shots:
            async for shot in shots:
                await socket.send_text(str(shot))
        await socket.close()
    except (OSError, WebSocketException):
        await socket.close(code=1011)
    except (WebSocketDisconnect, RuntimeError):  # the page is gone
        return
