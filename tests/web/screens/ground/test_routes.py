"""The ground over HTTP: map, field book, files, undo, two leaders, shelters put on it."""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from tarvik.core.errors import InputError
from tarvik.core.site.things import Area, Ground, Health, Kind, Sort, SpotHeight, Thing
from tarvik.demo import wood
from tarvik.demo.course import ensure_demo
from tarvik.exchange.ground_files import (
    READERS,
    WRITERS,
    from_csv,
    from_geojson,
    from_gpx,
    on_earth,
    on_site,
    to_csv,
    to_gpx,
)
from tarvik.store import courses, ground, kit, nights, plans
from tarvik.store.models import Course, Provider, SheetRow, Site
from tests.small_course import small_course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient
    from sqlalchemy.orm import Session

    from tarvik.store.database import Database
    from tarvik.store.models import Night

ORIGIN = (54.62, -2.48)
NAMES = st.text(
    st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Zl", "Zp")),
    min_size=1,
    max_size=20,
).map(lambda t: t.strip() or "x")
PLACES = st.tuples(st.floats(-900, 900), st.floats(-900, 900))


@st.composite
def grounds(draw: st.DrawFn) -> Ground:
    names = draw(st.lists(NAMES, max_size=5, unique=True))
    things = [
        Thing(
            n,
            draw(st.sampled_from(Kind)),
            draw(PLACES),
            draw(st.floats(0.01, 5)),
            draw(st.floats(0, 40)),
            draw(st.sampled_from(Health)),
        )
        for n in names
    ]
    areas = [
        Area(
            f"a{i}",
            draw(st.sampled_from(Sort)),
            tuple(draw(st.lists(PLACES, min_size=3, max_size=6))),
            draw(st.sampled_from((0.0, 1.5))),
        )
        for i in range(draw(st.integers(0, 3)))
    ]
    heights = [
        SpotHeight(draw(PLACES), draw(st.floats(-50, 900)))
        for _ in range(draw(st.integers(0, 3)))
    ]
    return Ground(tuple(things), tuple(areas), tuple(heights))


def near(a: Ground, b: Ground, within: float) -> None:
    """The same but for the last digits of the places."""
    assert [t.name for t in a.things] == [t.name for t in b.things]
    for one, two in zip(a.things, b.things, strict=True):
        assert one.at == pytest.approx(two.at, abs=within)
        assert (one.kind, one.across_m, one.height_m, one.health) == (
            two.kind,
            two.across_m,
            two.height_m,
            two.health,
        )
    for x, y in zip(a.areas, b.areas, strict=True):
        assert (x.name, x.sort, x.width_m) == (y.name, y.sort, y.width_m)
        assert len(x.corners) == len(y.corners)
        for p, q in zip(x.corners, y.corners, strict=True):
            assert p == pytest.approx(q, abs=within)
    for s, t in zip(a.heights, b.heights, strict=True):
        assert s.at == pytest.approx(t.at, abs=within)
        assert s.height_m == t.height_m


@settings(max_examples=60)
@given(made=grounds(), kind=st.sampled_from(sorted(WRITERS)))
def test_files_lose_nothing(made: Ground, kind: str) -> None:
    """Out and in again: names, kinds, sizes exactly, places to a tenth of a millimetre (exactly in
    the table of metres).
    """
    text = WRITERS[kind](made, ORIGIN, "Test <site> & “co”")
    near(READERS[kind](text.encode(), ORIGIN), made, 0.0 if kind == "csv" else 1e-4)


@given(at=PLACES, lat=st.floats(-80, 80), lon=st.floats(-179, 179))
def test_earth_and_site_are_inverse(
    at: tuple[float, float], lat: float, lon: float
) -> None:
    assert on_site(on_earth(at, (lat, lon)), (lat, lon)) == pytest.approx(at, abs=1e-6)


def test_a_degree_of_latitude_is_as_long_as_the_ellipsoid_says() -> None:
    """WGS 84 at 45 degrees north: 111,131.8 m a degree of latitude, 78,846.8 m a degree of
    longitude (handbook values).
    """
    east, north = on_site((45.001, 10.001), (45.0, 10.0))
    assert north == pytest.approx(111.1318, abs=0.001)
    assert east == pytest.approx(78.8468, abs=0.001)


BILLION = (
    '<?xml version="1.0"?><!DOCTYPE gpx [<!ENTITY a "aaaaaaaaaa"><!ENTITY b '
    '"&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]>'
    '<gpx><wpt lat="54.62" lon="-2.48"><name>&b;</name></wpt></gpx>'
)
OUTSIDE = (
    '<?xml version="1.0"?><!DOCTYPE gpx [<!ENTITY x SYSTEM "file:///etc/hostname">]>'
    '<gpx><wpt lat="54.62" lon="-2.48"><name>&x;</name></wpt></gpx>'
)


@pytest.mark.parametrize(
    ("read", "text", "says"),
    [
        ("gpx", BILLION, "line 1"),
        ("gpx", OUTSIDE, "document type"),
        ("gpx", "<gpx>\n<wpt lat='1'", "line 2"),
        ("gpx", "<kml/>", "isn't a GPX"),
        ("gpx", "<gpx>\n\n<wpt lat='95' lon='0'/></gpx>", "line 3"),
        ("gpx", "<gpx><wpt lat='10' lon='0'/></gpx>", "km from the site"),
        ("gpx", "<gpx>" + "<a>" * 50, "deeply"),
        ("geojson", "{", "line 1"),
        ("geojson", "[]", "collection"),
        ("geojson", "[" * 100_000, "deeply"),
        (
            "geojson",
            '{"features": [{"geometry": {"type": "Point", "coordinates": ["x"]}}]}',
            "feature 1",
        ),
        (
            "geojson",
            '{"features": [{"geometry": {"type": "MultiPolygon", "coordinates": []}}]}',
            "feature 1",
        ),
        ("csv", "a,b\n1,2\n", "line 1"),
        ("csv", "item,name,kind,x_m,y_m\nthing,a,tree,1,2\nthing,b,tree,x,2\n", "line 3"),
        ("csv", "item,name,kind,x_m,y_m\nthing,a,tree,1,2\nthing,a,tree,1,3\n", "“a”"),
        ("csv", "item,name,kind,x_m,y_m\nthing,a,tree,nan,2\n", "line 2"),
    ],
)
def test_bad_files_are_refused_with_the_place(read: str, text: str, says: str) -> None:
    with pytest.raises(InputError, match=re.escape(says)):
        READERS[read](text.encode(), ORIGIN)


def test_what_is_no_text_or_too_large_is_refused() -> None:
    for read in (from_gpx, from_geojson):
        with pytest.raises(InputError, match="UTF-8"):
            read(b"\xff\xfe\x00<", ORIGIN)
        with pytest.raises(InputError, match="at most"):
            read(b" " * 3_000_000, ORIGIN)


def test_a_cell_that_a_spreadsheet_would_run_is_quoted() -> None:
    text = to_csv(Ground((Thing('=HYPERLINK("x")', Kind.TREE, (1, 2)),)))
    assert "'=HYPER" in text
    assert from_csv(text.encode()).things[0].name == '=HYPERLINK("x")'


@pytest.fixture
def demo(database: Database) -> tuple[int, int, int]:
    """Numbers of the demo's course, first night and its site."""
    with database.session() as session:
        ensure_demo(session)
        course = session.scalars(select(Course)).one()
        night = courses.nights(session, course.id)[0]
        assert night.site_id is not None
        return course.id, night.id, night.site_id


def test_the_demos_slip_of_the_tape_is_found(
    database: Database, demo: tuple[int, int, int]
) -> None:
    """The one reading that was written down a metre and a half too long, and no other, is named on
    the page.
    """
    readings = [v for k, v in wood.items() if k == "reading"]
    slip = readings[wood.SLIP]
    with database.session() as session:
        known = ground.ground_of(ground.items(session, demo[2]))
        assert known.survey is not None
        bad = [known.readings[c.number] for c in known.survey.suspects]
    assert [(r.start, r.end) for r in bad] == [(slip["start"], slip["end"])]
    assert len(known.ground.of(Kind.TREE)) == wood.TREES + 1
    assert not known.survey.loose
    assert not known.survey.heading_open


def test_the_page_and_its_parts(client: TestClient, demo: tuple[int, int, int]) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    page = client.get(base)
    assert page.status_code == 200
    assert "looks wrong" in page.text
    assert "Dip by the holly" in page.text
    assert re.search(r"\d\.\d\d m ± \d+ cm", page.text)  # a spacing says plus or minus
    for kind in ("gpx", "geojson", "csv"):
        answer = client.get(f"{base}/site.{kind}")
        assert answer.status_code == 200
        assert len(READERS[kind](answer.content, ORIGIN).things) == wood.TREES + 3
    assert client.get(f"{base}/site.exe").status_code == 404
    printed = client.get(f"{base}/print?scale=100").text
    wide = float(re.search(r'<svg width="([\d.]+)mm"', printed)[1])  # type: ignore[index]
    box = re.search(r'viewBox="([^"]+)"', printed)[1].split()  # type: ignore[index]
    assert wide == pytest.approx(float(box[2]) / 100 * 10, abs=0.1)  # 1 m is 10 mm at 1:100
    assert "check the bar of 5 m with a ruler: it is 50 mm long" in " ".join(
        printed.split()
    )
    assert client.get(f"{base}/print?scale=7").status_code == 422


def test_changes_undo_and_redo(client: TestClient, demo: tuple[int, int, int]) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    made = client.post(
        f"{base}/items",
        json={
            "kind": "thing",
            "values": {"name": "Post A", "kind": "post", "x": 3, "y": 9},
        },
    )
    assert made.status_code == 200
    assert "post Post A" in made.text  # as the map calls it
    assert "post Post A" not in client.post(f"{base}/undo").text
    assert "post Post A" in client.post(f"{base}/undo?redo=true").text
    assert client.post(f"{base}/undo?redo=true").status_code == 422
    twice = client.post(
        f"{base}/items",
        json={
            "kind": "thing",
            "values": {"name": "Post A", "kind": "post", "x": 1, "y": 1},
        },
    )
    assert twice.status_code == 422
    assert twice.json()["field"] == "name"


def test_two_leaders_lose_nothing(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    """Different values of one point both go in; the same value twice is a conflict that shows
    both.
    """
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    with database.session() as session:
        item = next(
            i for i in ground.items(session, demo[2]) if i.data.get("name") == "Fire spot"
        )
        number, version, was = item.id, item.version, dict(item.data)
    assert (
        client.patch(
            f"{base}/items/{number}",
            json={"values": {"x": 20.0}, "version": version, "was": was},
        ).status_code
        == 200
    )
    other = client.patch(
        f"{base}/items/{number}",
        json={"values": {"height_m": 0.5}, "version": version, "was": was},
    )
    assert other.status_code == 200
    clash = client.patch(
        f"{base}/items/{number}",
        json={"values": {"x": 19.0}, "version": version, "was": was},
    )
    assert clash.status_code == 409
    now = client.get(f"{base}/items/{number}").json()["values"]
    assert (now["x"], now["height_m"]) == (20.0, 0.5)
    assert client.get(f"{base}/items/999999").status_code == 404


def test_a_file_comes_in_whole_or_not_at_all(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    good = to_gpx(Ground((Thing("New oak", Kind.TREE, (4, 4), 0.4),)), ORIGIN, "x")
    assert (
        client.post(
            f"{base}/import", files={"file": ("a.gpx", good)}, follow_redirects=False
        ).status_code
        == 303
    )
    half = "item,name,kind,x_m,y_m\nthing,New ash,tree,1,2\nthing,,tree,1,2\n"
    refused = client.post(
        f"{base}/import",
        files={"file": ("b.csv", half)},
        headers={"accept": "application/json"},
    )
    assert refused.status_code == 422
    assert "line 3" in refused.json()["detail"]
    with database.session() as session:
        names = {i.data.get("name") for i in ground.items(session, demo[2])}
    assert "New oak" in names
    assert "New ash" not in names


def _chosen(database: Database, demo: tuple[int, int, int], pitch: str) -> int:
    with database.session() as session:
        night = courses.night(session, demo[0], demo[1])
        sheet = (
            session.scalars(select(SheetRow).where(SheetRow.course_id == demo[0]))
            .unique()
            .all()[0]
        )
        return plans.choose(
            session, night, plans.Choice(sheet.id, pitch, {}, (sheet.owner_id or 0,))
        ).id


@pytest.mark.parametrize("pitch", ["a-frame", "plow-point"])
def test_a_shelter_is_put_on_a_best_spot(
    client: TestClient, database: Database, demo: tuple[int, int, int], pitch: str
) -> None:
    """Its first suggestion has nothing that stops it; dragged onto the dead tree's ground it says
    so.
    """
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    shelter = _chosen(database, demo, pitch)
    offered = client.get(f"{base}/shelters/{shelter}/spots").text
    found = re.search(
        (
            r'data-x="([^"]+)" data-y="([^"]+)" data-front="([^"]+)" data-anchor="([^"]+)"'
            r' data-trees="([^"]*)"'
        ),
        offered,
    )
    assert found, offered
    x, y, front = (float(v) for v in found.groups()[:3])
    spot = {
        "x": x,
        "y": y,
        "front_deg": front,
        "anchor": [float(v) for v in found[4].split(",")],
        "trees": found[5].split("|"),
    }
    tried = client.post(f"{base}/shelters/{shelter}/try", json=spot).json()
    assert "<g" in tried["drawing"]
    if "only 0 of 1" not in offered:
        assert not [f for f in tried["findings"] if f["level"] == 2], tried["findings"]
    kept = client.post(f"{base}/shelters/{shelter}/spot", json=spot)
    assert kept.status_code == 200
    assert f'data-shelter="{shelter}"' in kept.text
    bad = client.post(
        f"{base}/shelters/{shelter}/try",
        json={"x": wood.DEAD_AT[0], "y": wood.DEAD_AT[1], "front_deg": 0},
    ).json()
    assert any("dead tree" in f["words"] for f in bad["findings"])
    assert client.delete(f"{base}/shelters/{shelter}/spot").status_code == 200


@pytest.fixture
def bare(database: Database) -> tuple[int, str]:
    """A course whose night has no site, and the address of its ground."""
    with database.session() as session:
        first = session.scalars(select(Provider.id)).first()
        course = courses.new_course(session, "C", "", "metric", 1, None, first)
        night = courses.nights(session, course.id)[0]
        return course.id, f"/courses/{course.id}/nights/{night.id}/ground"


def test_a_site_is_begun_from_the_ground_and_surveyed_from_the_first_tape(
    client: TestClient, bare: tuple[int, str]
) -> None:
    """Nobody need know where on the earth it is; a reading's new names are points of the map."""
    path = bare[1]
    assert "Start its map" in client.get(path).text
    assert client.post(f"{path}/undo").status_code == 404
    nameless = client.post(
        f"{path}/start", data={"name": " ", "surroundings": "closed-wood"}
    )
    assert nameless.status_code == 422
    assert "give the site a name" in nameless.text
    assert re.search(r'value="closed-wood"\s+selected', nameless.text)
    begun = client.post(f"{path}/start", data={"name": "Beck glade"})
    assert begun.status_code == 200
    assert "between two points" in begun.text
    for start, end, length in (
        ("Oak 1", "Oak 2", "6 m"),
        ("Oak 2", "Ash 1", "5"),
        ("Ash 1", "Oak 1", "16 ft"),
    ):
        values = {"way": "tape", "start": start, "end": end, "length_m": length}
        shown = client.post(f"{path}/items", json={"kind": "reading", "values": values})
        assert shown.status_code == 200, shown.text
    assert 'aria-label="tree Ash 1' in shown.text
    values = {"way": "tape", "start": "Oak 1", "end": "Stone", "length_m": "3"}
    shown = client.post(
        f"{path}/items", json={"kind": "reading", "values": values | {"new_kind": "rock"}}
    )
    assert 'aria-label="rock Stone' in shown.text
    undone = client.post(f"{path}/undo").text  # the reading and its new point, in one step
    assert "Stone" not in undone
    assert client.get(f"{path}/site.csv").status_code == 200
    refused = client.get(f"{path}/site.gpx")
    assert refused.status_code == 422
    assert "nobody has said yet where" in refused.text


def test_a_night_takes_a_site_that_its_course_has(
    client: TestClient, database: Database, bare: tuple[int, str]
) -> None:
    course, path = bare
    with database.session() as session:
        kept = nights.add_site(session, course, {"name": "Hag end"}).id
    assert "Hag end" in client.get(path).text
    for wrong in ("999999", "x", "-1"):
        assert client.post(f"{path}/start", data={"site": wrong}).status_code in (404, 422)
    assert "Hag end" in client.post(f"{path}/start", data={"site": str(kept)}).text


def test_half_a_place_is_refused(client: TestClient, demo: tuple[int, int, int]) -> None:
    """East without north was north 0 once."""
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    for axis, lacks in (("x", "north"), ("y", "east")):
        answer = client.post(
            f"{base}/items",
            json={"kind": "thing", "values": {"name": "Post H", "kind": "post", axis: "3"}},
        )
        assert answer.status_code == 422
        assert f"how far {lacks}?" in answer.json()["errors"][0]["message"]


JSONS = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=12),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(st.sampled_from(("x", "name", "corners", "way", "start")), inner)
    ),
    max_leaves=6,
)


@settings(max_examples=80)
@given(
    kind=st.sampled_from(("thing", "area", "height", "reading", "x")),
    values=st.dictionaries(
        st.sampled_from(
            (
                "name",
                "kind",
                "x",
                "y",
                "sort",
                "corners",
                "width_m",
                "height_m",
                "way",
                "start",
                "end",
                "point",
                "length_m",
                "bearing_deg",
                "paces",
                "hand",
                "along_m",
                "right_m",
                "health",
                "across_m",
            )
        ),
        JSONS,
    ),
)
def test_any_item_is_taken_or_refused(kind: str, values: dict[str, object]) -> None:
    """Never an exception that is no answer; what is taken can be kept as JSON."""
    from tarvik.exchange.ground_form import checked

    try:
        json.dumps(checked(kind, values), allow_nan=False)
    except InputError:
        return


def test_the_demos_site_belongs_to_its_course(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    """Another course's night never reaches this ground."""
    with database.session() as session:
        other = courses.new_course(session, "Other", "", "metric", 1, None)
        night = courses.nights(session, other.id)[0]
        item = ground.items(session, demo[2])[0].id
        assert session.get(Site, demo[2]).course_id == demo[0]  # type: ignore[union-attr]
        path = f"/courses/{other.id}/nights/{night.id}/ground/items/{item}"
    assert client.delete(path).status_code == 404
    assert client.get(f"/courses/{other.id}/nights/{demo[1]}/ground").status_code == 404


def test_the_short_list_is_ticked_with_notes(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    """Kept for every leader, changed like anything else on the ground."""
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    values = {"key": "overhead", "done": True, "note": "two hung-up limbs by the glade"}
    assert (
        "two hung-up limbs"
        in client.post(f"{base}/items", json={"kind": "check", "values": values}).text
    )
    with database.session() as session:
        item = next(i for i in ground.items(session, demo[2]) if i.kind == "check")
        number, version = item.id, item.version
    again = client.patch(
        f"{base}/items/{number}",
        json={"values": {**values, "note": "cleared"}, "version": version},
    )
    assert "cleared" in again.text
    wrong = client.post(
        f"{base}/items", json={"kind": "check", "values": {"key": "sideways"}}
    )
    assert wrong.status_code == 422


def test_paces_are_calibrated_on_a_taped_length(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    row = {
        "way": "paces",
        "start": "Birch 1",
        "end": "Birch 2",
        "paces": "20",
        "paced": "40",
        "paced_m": "32",
    }
    assert (
        client.post(f"{base}/items", json={"kind": "reading", "values": row}).status_code
        == 200
    )
    with database.session() as session:
        kept = [i.data for i in ground.items(session, demo[2]) if i.kind == "reading"][-1]
    assert kept["pace_m"] == pytest.approx(0.8)
    assert "paced" not in kept


def test_a_wind_that_shifts_tells_which_way_to_swing(
    client: TestClient, database: Database, demo: tuple[int, int, int]
) -> None:
    """The demo's first night has a front: the one-tree pitch standing there is told its new
    heading.
    """
    base = f"/courses/{demo[0]}/nights/{demo[1]}/ground"
    shelter = _chosen(database, demo, "plow-point")
    spot = {"x": 10.0, "y": 15.0, "front_deg": 40, "trees": ["Birch 1"]}
    page = client.post(f"{base}/shelters/{shelter}/spot", json=spot).text
    with database.session() as session:
        night = courses.night(session, demo[0], demo[1])
        later, now = (
            nights.wind_at_dawn(session, night),
            nights.needs_of(night).wind_from_deg,
        )
    assert later is not None
    assert now is not None
    told = "swing it round" in " ".join(page.split())
    assert told == (abs((later - now + 180) % 360 - 180) >= 40)


def test_a_shelter_gone_meanwhile_is_told_in_words(
    client: TestClient, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A plan puts others in its place just as it is moved on the map: 404 with words, no fault."""
    with database.session() as session:
        course, night = small_course(session)
        sheet = kit.rows(session, course, "sheets")[0].id
        person = kit.rows(session, course, "people")[1].id
        choice = plans.Choice(sheet, "plow-point", {"height": 1.2}, (person,))
        row = plans.choose(session, courses.night(session, course, night), choice)
        number = row.id
    lock = plans.lock

    def overtaken(session: Session, one: Night) -> None:
        with database.session() as other:
            again = courses.night(other, course, night)
            lock(other, again)
            plans._rebuild(other, again, [choice])
        lock(session, one)

    monkeypatch.setattr(plans, "lock", overtaken)
    url = f"/courses/{course}/nights/{night}/ground/shelters/{number}/spot"
    answer = client.post(url, json={"x": 3.0, "y": 3.0, "front_deg": 90.0})
    assert answer.status_code == 404
    assert "no longer planned" in answer.json()["detail"]
