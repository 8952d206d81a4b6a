"""A site's ground in open formats: GPX 1.1, GeoJSON (RFC 7946) and CSV, out and in.

Earth formats need the site's latitude and longitude: metres east and north are laid on the
ellipsoid there (WGS 84 radii of curvature), right to a millimetre within a kilometre and back again
exactly. A file is taken whole or refused with the line and the reason; a document type, and with it
every entity trick, is refused before anything else is read.
"""

from __future__ import annotations

import csv
import io
import json
import math
from typing import TYPE_CHECKING, Any, Final
from xml.etree.ElementTree import Element, SubElement, TreeBuilder, indent, tostring
from xml.parsers import expat

from tarvik.core.errors import InputError
from tarvik.core.site.things import Area, Ground, Kind, Sort
from tarvik.exchange.grid import FORMULA_STARTS
from tarvik.exchange.ground_form import (
    area_of,
    area_values,
    height_of,
    thing_of,
    thing_values,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.plain import JsonMapping, JsonObject

MOST_BYTES: Final = 2_000_000
MOST_DEPTH: Final = 20
GPX: Final = "http://www.topografix.com/GPX/1/1"
OURS: Final = "urn:tarvik:ground"
WGS84_A_M: Final = 6378137.0
WGS84_E2: Final = 6.69437999014e-3
"""Semi-major axis and squared eccentricity of WGS 84."""
COLUMNS: Final = (
    "item",
    "name",
    "kind",
    "x_m",
    "y_m",
    "across_m",
    "height_m",
    "health",
    "width_m",
    "corners_m",
)

Origin = tuple[float, float]
LatLon = tuple[float, float]


def _radii(latitude: float) -> tuple[float, float]:
    """Metres per radian of latitude and of longitude."""
    s = math.sin(math.radians(latitude))
    w = math.sqrt(1 - WGS84_E2 * s * s)
    return WGS84_A_M * (1 - WGS84_E2) / w**3, WGS84_A_M / w * math.cos(
        math.radians(latitude)
    )


def on_earth(at: tuple[float, float], origin: Origin) -> LatLon:
    """Latitude and longitude of a place."""
    north, east = _radii(origin[0])
    return origin[0] + math.degrees(at[1] / north), origin[1] + math.degrees(at[0] / east)


def on_site(place: LatLon, origin: Origin) -> tuple[float, float]:
    """Metres east and north of the origin; the inverse of `on_earth`."""
    north, east = _radii(origin[0])
    return math.radians(place[1] - origin[1]) * east, math.radians(
        place[0] - origin[0]
    ) * north


def _decoded(raw: bytes) -> str:
    if len(raw) > MOST_BYTES:
        raise InputError("file", f"the file has {len(raw):,} bytes; at most {MOST_BYTES:,}")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError as err:
        line = raw[: err.start].count(b"\n") + 1
        raise InputError("file", f"line {line}: the file is not UTF-8 text") from None


def _ground(things: list[Any], areas: list[Any], heights: list[Any]) -> Ground:
    names = [t.name for t in things]
    twice = (
        next((n for n in names if names.count(n) > 1), None) if len(names) < 2000 else None
    )
    if twice is not None:
        raise InputError(
            "file", f"two points are called “{twice}”: give each a name of its own"
        )
    return Ground(tuple(things), tuple(areas), tuple(heights))


# ---- GPX


def to_gpx(ground: Ground, origin: Origin, name: str) -> str:
    """Points as waypoints, areas and lines as tracks, spot heights as waypoints with an
    elevation.
    """
    root = Element(
        "gpx", {"version": "1.1", "creator": "Tarvik", "xmlns": GPX, "xmlns:t": OURS}
    )
    SubElement(SubElement(root, "metadata"), "name").text = name

    def point(
        parent: Element, tag: str, at: tuple[float, float], height: float | None = None
    ) -> Element:
        lat, lon = on_earth(at, origin)
        made = SubElement(parent, tag, {"lat": f"{lat:.11f}", "lon": f"{lon:.11f}"})
        if height is not None:
            SubElement(made, "ele").text = repr(height)
        return made

    for spot in ground.heights:
        made = point(root, "wpt", spot.at, spot.height_m)
        SubElement(made, "name").text = "height"
        SubElement(made, "type").text = "spot height"
    for thing in ground.things:
        made = point(root, "wpt", thing.at)
        SubElement(made, "name").text = thing.name
        SubElement(made, "type").text = str(thing.kind)
        values = thing_values(thing)
        _extend(made, {k: values[k] for k in ("across_m", "height_m", "health")})
    for area in ground.areas:
        track = SubElement(root, "trk")
        SubElement(track, "name").text = area.name
        SubElement(track, "type").text = str(area.sort)
        _extend(track, {"width_m": area.width_m})
        segment = SubElement(track, "trkseg")
        for corner in area.corners:
            point(segment, "trkpt", corner)
    indent(root)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        + tostring(root, encoding="unicode")
        + "\n"
    )


def _extend(parent: Element, values: JsonMapping) -> None:
    extensions = SubElement(parent, "extensions")
    for key, value in values.items():
        SubElement(extensions, f"t:{key}").text = str(value)


def _parsed(text: str) -> tuple[Element, dict[Element, int]]:
    """The document and the line of each of its elements. Raises InputError with the
    line.
    """
    builder = TreeBuilder()
    parser = expat.ParserCreate(namespace_separator="}")
    lines: dict[Element, int] = {}
    depth = 0

    def begin(tag: str, attributes: dict[str, str]) -> None:
        nonlocal depth
        depth += 1
        if depth > MOST_DEPTH:
            raise InputError(
                "file", f"line {parser.CurrentLineNumber}: the file is nested too deeply"
            )
        lines[builder.start(tag.rpartition("}")[2], attributes)] = parser.CurrentLineNumber

    def finish(tag: str) -> None:
        nonlocal depth
        depth -= 1
        builder.end(tag.rpartition("}")[2])

    def refuse(*_: object) -> None:
        raise InputError(
            "file",
            f"line {parser.CurrentLineNumber}: a document type or entity has no place in this file",
        )

    parser.StartElementHandler, parser.EndElementHandler = begin, finish
    parser.CharacterDataHandler = builder.data
    parser.StartDoctypeDeclHandler = refuse
    parser.EntityDeclHandler = refuse
    try:
        parser.Parse(text.encode(), True)
    except expat.ExpatError as err:
        raise InputError(
            "file",
            f"line {err.lineno}: this isn't well-formed XML ({expat.errors.messages[err.code]})",
        ) from None
    return builder.close(), lines


def from_gpx(raw: bytes, origin: Origin) -> Ground:
    """Read what `to_gpx` writes, and other GPX 1.0 or 1.1: waypoints become marks, tracks and
    routes paths.

    Raises InputError with line and reason; nothing is half read.
    """
    root, lines = _parsed(_decoded(raw))
    if root.tag != "gpx":
        raise InputError(
            "file",
            f"line {lines[root]}: this isn't a GPX file: it begins with <{root.tag[:30]}>",
        )
    things, areas, heights = [], [], []
    for number, element in enumerate(root, start=1):
        line = lines[element]
        try:
            if element.tag == "wpt":
                at, kind = (
                    _at(element, origin),
                    (element.findtext("type") or "").strip().lower(),
                )
                if kind == "spot height":
                    heights.append(
                        height_of(
                            {"x": at[0], "y": at[1], "height_m": element.findtext("ele")}
                        )
                    )
                    continue
                known = kind in {str(k) for k in Kind}
                name = (element.findtext("name") or "").strip() or f"point {number}"
                things.append(
                    thing_of(
                        {
                            "name": name[:40],
                            "kind": kind if known else Kind.MARK,
                            "x": at[0],
                            "y": at[1],
                            **_extended(element),
                        }
                    )
                )
            elif element.tag in ("trk", "rte"):
                areas += _tracks(element, origin, number)
        except InputError as err:
            raise InputError("file", f"line {line}: {err.message}") from None
    return _ground(things, areas, heights)


def _extended(element: Element) -> JsonObject:
    found = element.find("extensions")
    keys = ("across_m", "height_m", "health", "width_m")
    return {} if found is None else {e.tag: e.text for e in found if e.tag in keys}


def _at(element: Element, origin: Origin) -> tuple[float, float]:
    try:
        lat, lon = float(element.get("lat", "")), float(element.get("lon", ""))
    except ValueError:
        raise InputError("file", "a point lacks its latitude or longitude") from None
    if not (
        math.isfinite(lat) and math.isfinite(lon) and abs(lat) <= 90 and abs(lon) <= 180
    ):
        raise InputError("file", f"({lat:g}, {lon:g}) is no place on earth")
    at = on_site((lat, lon), origin)
    if max(abs(at[0]), abs(at[1])) > 5000:
        raise InputError(
            "file", f"a point lies {math.hypot(*at) / 1000:.0f} km from the site"
        )
    return at


def _tracks(element: Element, origin: Origin, number: int) -> list[Area]:
    kind = (element.findtext("type") or "").strip().lower()
    name = ((element.findtext("name") or "").strip() or f"track {number}")[:40]
    more = _extended(element)
    out = []
    segments = element.findall("trkseg") or ([element] if element.tag == "rte" else [])
    for n, segment in enumerate(segments):
        corners = [_at(p, origin) for p in segment if p.tag in ("trkpt", "rtept")]
        if len(corners) < 2:
            continue
        known = kind in {str(s) for s in Sort}
        values: JsonObject = {
            "name": name if n == 0 else f"{name[:36]} {n + 1}",
            "sort": kind if known else Sort.PATH,
            "corners": corners,
            "width_m": more.get("width_m", None if known else 1.0),
        }
        out.append(area_of(values))
    return out


# ---- GeoJSON


def to_geojson(ground: Ground, origin: Origin, name: str) -> str:
    """A feature for each item; its `properties` hold all that is known of it."""

    def position(at: tuple[float, float]) -> list[float]:
        lat, lon = on_earth(at, origin)
        return [round(lon, 11), round(lat, 11)]

    features: list[JsonObject] = []
    for thing in ground.things:
        values = {k: v for k, v in thing_values(thing).items() if k not in ("x", "y")}
        features.append(_feature("Point", position(thing.at), {"item": "thing", **values}))
    features += [
        _feature(
            "Point",
            [*position(spot.at), spot.height_m],
            {"item": "height", "height_m": spot.height_m},
        )
        for spot in ground.heights
    ]
    for area in ground.areas:
        values = {k: v for k, v in area_values(area).items() if k != "corners"}
        corners = [position(c) for c in area.corners]
        shape = (
            ("LineString", corners)
            if area.width_m
            else ("Polygon", [[*corners, corners[0]]])
        )
        features.append(_feature(shape[0], shape[1], {"item": "area", **values}))
    return json.dumps(
        {"type": "FeatureCollection", "name": name, "features": features},
        indent=1,
        ensure_ascii=False,
    )


def _feature(kind: str, coordinates: Any, properties: JsonObject) -> JsonObject:
    return {
        "type": "Feature",
        "geometry": {"type": kind, "coordinates": coordinates},
        "properties": properties,
    }


def from_geojson(raw: bytes, origin: Origin) -> Ground:
    """Read what `to_geojson` writes, and other collections of points, lines and polygons. Raises
    InputError.
    """
    text = _decoded(raw)
    try:
        whole = json.loads(text)
    except json.JSONDecodeError as err:
        raise InputError(
            "file", f"line {err.lineno}: this isn't JSON ({err.msg})"
        ) from None
    except RecursionError:
        raise InputError("file", "line 1: the file is nested too deeply") from None
    features = whole.get("features") if isinstance(whole, dict) else None
    if not isinstance(features, list):
        raise InputError("file", "line 1: this isn't a GeoJSON feature collection")
    found: dict[str, list[Any]] = {"Thing": [], "Area": [], "SpotHeight": []}
    for number, feature in enumerate(features, start=1):
        try:
            item = _from_feature(feature, origin, number)
        except (KeyError, TypeError, IndexError, AttributeError):
            raise InputError(
                "file", f"feature {number}: its geometry cannot be read"
            ) from None
        except InputError as err:
            raise InputError("file", f"feature {number}: {err.message}") from None
        found[type(item).__name__].append(item)
    return _ground(found["Thing"], found["Area"], found["SpotHeight"])


def _from_feature(feature: Any, origin: Origin, number: int) -> Any:
    geometry, told = feature["geometry"], feature.get("properties") or {}
    kind, coordinates = geometry["type"], geometry["coordinates"]

    def at(position: Any) -> tuple[float, float]:
        return _at(Element("p", {"lat": str(position[1]), "lon": str(position[0])}), origin)

    name = str(told.get("name") or f"{kind.lower()} {number}")[:40]
    if kind == "Point":
        x, y = at(coordinates)
        if told.get("item") == "height":
            return height_of(
                {
                    "x": x,
                    "y": y,
                    "height_m": told.get(
                        "height_m", coordinates[2] if len(coordinates) > 2 else None
                    ),
                }
            )
        known = str(told.get("kind")) in {str(k) for k in Kind}
        return thing_of(
            {
                **told,
                "name": name,
                "kind": told["kind"] if known else Kind.MARK,
                "x": x,
                "y": y,
            }
        )
    if kind == "LineString":
        corners = [at(p) for p in coordinates]
        return area_of(
            {"width_m": 1.0, "sort": Sort.PATH, **told, "name": name, "corners": corners}
        )
    if kind == "Polygon":
        ring = [at(p) for p in coordinates[0]]
        corners = ring[:-1] if len(ring) > 1 and ring[0] == ring[-1] else ring
        return area_of(
            {"sort": Sort.PAD, **told, "name": name, "corners": corners, "width_m": 0.0}
        )
    raise InputError(
        "file", f"a {str(kind)[:30]} is not taken; points, lines and polygons are"
    )


# ---- CSV


def to_csv(ground: Ground) -> str:
    """One row an item, metres in the site's own frame; cells that a spreadsheet would take for
    formulas are quoted.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for t in ground.things:
        writer.writerow(
            [
                "thing",
                _safe(t.name),
                t.kind,
                *t.at,
                t.across_m,
                t.height_m,
                t.health,
                "",
                "",
            ]
        )
    for h in ground.heights:
        writer.writerow(["height", "", "", *h.at, "", h.height_m, "", "", ""])
    for a in ground.areas:
        corners = " ".join(f"{x!r};{y!r}" for x, y in a.corners)
        writer.writerow(
            ["area", _safe(a.name), a.sort, "", "", "", "", "", a.width_m, corners]
        )
    return out.getvalue()


def _safe(text: str) -> str:
    return "'" + text if text.startswith((*FORMULA_STARTS, "'")) else text


def _plain(text: str) -> str:
    return (
        text[1:]
        if text.startswith("'") and text[1:].startswith((*FORMULA_STARTS, "'"))
        else text
    )


def from_csv(raw: bytes) -> Ground:
    """Read what `to_csv` writes. Raises InputError with line and reason."""
    reader = csv.DictReader(io.StringIO(_decoded(raw)))
    missing = [
        c
        for c in ("item", "name", "kind", "x_m", "y_m")
        if c not in (reader.fieldnames or ())
    ]
    if missing:
        raise InputError(
            "file",
            f"line 1: no column {', '.join(missing)}; the first line names the columns",
        )
    things, areas, heights = [], [], []
    try:
        for row in reader:
            line = reader.line_num
            try:
                values: JsonObject = {
                    (k or "").removesuffix("_m") if k in ("x_m", "y_m") else k: v
                    for k, v in row.items()
                }
                values["name"] = _plain(str(values.get("name") or ""))
                if row["item"] == "thing":
                    things.append(thing_of(values))
                elif row["item"] == "height":
                    heights.append(height_of(values))
                elif row["item"] == "area":
                    pairs = [p.split(";") for p in str(row.get("corners_m") or "").split()]
                    areas.append(area_of({**values, "sort": row["kind"], "corners": pairs}))
                else:
                    raise InputError(
                        "item", f"“{str(row['item'])[:20]}” is none of thing, height, area"
                    )
            except InputError as err:
                raise InputError(
                    "file", f"line {line}: {err.field}: {err.message}"
                ) from None
    except csv.Error as err:
        raise InputError("file", f"line {reader.line_num}: {err}") from None
    return _ground(things, areas, heights)


READERS: Final[Mapping[str, Callable[[bytes, Origin], Ground]]] = {
    "gpx": from_gpx,
    "geojson": from_geojson,
    "csv": lambda raw, _: from_csv(raw),
}
WRITERS: Final[Mapping[str, Callable[[Ground, Origin, str], str]]] = {
    "gpx": to_gpx,
    "geojson": to_geojson,
    "csv": lambda ground, _o, _n: to_csv(ground),
}
