"""The screens over HTTP: what they show, what they save, and that bad input keeps what was
typed.
"""

from __future__ import annotations

import io
import re
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pypdf import PdfReader

from tarvik.core.pitches import PITCHES
from tarvik.demo.course import ensure_demo
from tarvik.store import courses, kit, plans

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

    from tarvik.store.database import Database

pytestmark = pytest.mark.database
HTML = {"accept": "text/html"}


@pytest.fixture
def demo(database: Database) -> tuple[int, int]:
    """Course and first night of the demo."""
    with database.session() as session:
        made = ensure_demo(session)
        assert made is not None
        return made.id, courses.nights(session, made.id)[0].id


def test_an_empty_server_helps_along(client: TestClient) -> None:
    page = client.get("/")
    assert "No course yet" in page.text


def test_making_a_course_and_a_mistake_in_it(client: TestClient) -> None:
    wrong = client.post(
        "/courses",
        data={
            "name": "Moss walk",
            "place": "The Flow",
            "nights": "many",
            "units": "imperial",
        },
    )
    assert wrong.status_code == 422
    assert 'value="Moss walk"' in wrong.text
    assert 'value="many"' in wrong.text
    assert "isn&#39;t a number of nights" in wrong.text
    made = client.post(
        "/courses",
        data={"name": "Moss walk", "nights": "2", "units": "imperial"},
        follow_redirects=False,
    )
    assert made.status_code == 303
    home = client.get(made.headers["location"])
    assert "Nobody is entered yet" in home.text
    board = client.get(made.headers["location"] + "/nights/1/board")
    assert "No sheets yet" in board.text
    assert (
        "Nothing chosen for this night yet"
        in client.get(made.headers["location"] + "/nights/1/camp").text
    )


@pytest.mark.parametrize(
    "path",
    [
        "",
        "/kit",
        "/nights/{night}/board",
        "/nights/{night}/camp",
        "/nights/{night}/weather",
        "/nights/{night}/weather/outcome",
        "/rules",
    ],
)
def test_every_screen_opens(client: TestClient, demo: tuple[int, int], path: str) -> None:
    answer = client.get(f"/courses/{demo[0]}{path.format(night=demo[1])}", headers=HTML)
    assert answer.status_code == 200
    assert "Traceback" not in answer.text


@pytest.mark.parametrize(
    "path",
    [
        "/courses/999",
        "/courses/1/nights/999/board",
        "/courses/1/nights/1/bench/999/plow-point",
        "/nowhere",
        "/courses/abc",
        "/courses/1/kit/nothing.csv",
        "/courses/99999999999999999999",
    ],
)
def test_what_is_not_there(client: TestClient, demo: tuple[int, int], path: str) -> None:
    answer = client.get(path, headers=HTML)
    assert 400 <= answer.status_code < 500
    assert "<h1>" in answer.text


def test_the_board_shows_every_pitch_and_reason(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    with database.session() as session:
        some = [str(s.id) for s in kit.rows(session, demo[0], "sheets")[:3]]
    board = f"/courses/{demo[0]}/nights/{demo[1]}/board"
    cells = client.get(f"{board}/cells?sheets={','.join(some)}").text
    assert (
        cells.count('<svg class="drawing silhouette')
        == cells.count('class="cell-figures"')
        > 3 * 10
    )
    assert cells.count('class="cell-link"') == 3 * len(PITCHES)
    assert "too tall for a dry mat" in cells
    assert "tie a stone into the cloth at the 4 ringed points" in cells
    assert re.search(r"verdict-forms.*Works", cells)


def test_the_board_leads_to_what_would_serve_anybody(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    page = client.get(f"/courses/{demo[0]}/nights/{demo[1]}/board").text
    without = page[page.index("No place to sleep yet") : page.index('x-data="board"')]
    with database.session() as session:
        for person in kit.rows(session, demo[0], "people"):
            link = f'/people/{person.id}">{person.name}</a>'
            assert link in without and page.count(link) == 2


def test_feet_everywhere_when_asked(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    """A course kept in feet shows no metric length on board, bench and camp sheet."""
    course, night = demo
    with database.session() as session:
        version = courses.course(session, course).version
    client.patch(
        f"/courses/{course}",
        json={"column": "units", "text": "imperial", "version": version, "was": "metric"},
    )
    everybody_chosen(database, demo)
    with database.session() as session:
        sheet = kit.rows(session, course, "sheets")[0].id
    for path in (f"board/cells?sheets={sheet}", f"bench/{sheet}/plow-point", "camp"):
        text = re.sub(
            r"<[^>]+>", " ", client.get(f"/courses/{course}/nights/{night}/{path}").text
        )
        assert re.search(r"\d ft", text)
        assert not re.search(r"\d m\b", text), re.search(r".{30}\d m\b.{20}", text)


def test_cells_save_conflict_and_undo(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    course = demo[0]
    with database.session() as session:
        row = kit.rows(session, course, "people")[2]
        number, version = row.id, row.version
    url = f"/courses/{course}/kit/people/{number}"
    saved = client.patch(
        url,
        json={"column": "stature", "text": "5'6\"", "version": version, "was": "1.63 m"},
    )
    assert saved.json() == {"version": version + 1, "text": "1.68 m"}
    late = client.patch(
        url, json={"column": "stature", "text": "1.60", "version": version, "was": "1.63 m"}
    )
    assert late.status_code == 409
    assert (late.json()["mine"], late.json()["theirs"]) == ("1.60", "1.68 m")
    bad = client.patch(
        url,
        json={"column": "stature", "text": "tall", "version": version + 1, "was": "1.68 m"},
    )
    assert bad.status_code == 422
    assert "no length" in bad.json()["detail"] or "not a length" in bad.json()["detail"]
    assert client.delete(url).json()["what"] == "Anouk D, 1.68 m"
    assert "Deleted lately: 1" in client.get(f"/courses/{course}/kit").text
    assert "Anouk D" in client.post(f"{url}/restore").json()["html"]


def test_new_rows_and_imports(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    base = f"/courses/{demo[0]}/kit"
    made = client.post(
        f"{base}/people",
        json={"cells": {"name": "Rune <b>Q</b>", "stature": "181", "role": "leader"}},
    )
    assert "Rune &lt;b&gt;Q" in made.json()["html"]
    missing = client.post(f"{base}/sheets", json={"cells": {"size": "", "owner": ""}})
    assert missing.status_code == 422
    assert missing.json()["field"] == "size"
    text = "name,stature,sheet\nSunniva E,1.72,8x10 ft\nTorvald I,tall,\n"
    preview = client.post(f"{base}/people/preview", json={"text": text}).text
    assert "row 3, column “Height”" in preview
    refused = client.post(f"{base}/people/import", json={"text": text})
    assert refused.status_code == 422
    with database.session() as session:
        before = len(kit.rows(session, demo[0], "people"))
    good = client.post(f"{base}/people/import", json={"text": text.replace("tall", "1.9")})
    assert good.json() == {"added": 2}
    with database.session() as session:
        assert len(kit.rows(session, demo[0], "people")) == before + 2
        assert len(kit.rows(session, demo[0], "sheets")) == 17
    files = {"file": ("roster.csv", io.BytesIO(text.encode()), "text/csv")}
    assert "row 3" in client.post(f"{base}/people/preview-file", files=files).text
    huge = {"file": ("roster.csv", io.BytesIO(b"x,1.7\n" * 90_000), "text/csv")}
    assert client.post(f"{base}/people/preview-file", files=huge).status_code == 422
    assert "Isaura W" in client.get(f"{base}/people.csv").text


def test_the_bench_moves_and_explains(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    with database.session() as session:
        sheet = next(
            s.id
            for s in kit.rows(session, demo[0], "sheets")
            if s.owner and s.owner.name == "Faro T"
        )
    base = f"/courses/{demo[0]}/nights/{demo[1]}/bench/{sheet}/plow-point"
    low, high = (client.get(f"{base}/view?height={h}").text for h in ("0.9", "1.4"))
    assert "0.90 m" in low
    assert low != high
    assert "Source:" in high
    assert "Left out:" in high
    assert high.count("<svg") >= 5
    for query, field in (
        ("height=x", "isn't a number"),
        ("wings=1", "no such setting"),
        ("height=9", "outside"),
        ("wanted=9", "none of"),
    ):
        answer = client.get(f"{base}/view?{query}")
        assert answer.status_code == 422
        assert field in answer.json()["detail"]
    steep = client.get(f"{base.replace('plow-point', 'a-frame')}/view?height=2.4").text
    assert "the most is" in steep


def everybody_chosen(database: Database, demo: tuple[int, int]) -> None:
    """Two people each under a low A-frame of the eight largest sheets."""
    with database.session() as session:
        sheets = sorted(
            kit.rows(session, demo[0], "sheets"),
            key=lambda s: -(s.width_m or 0) * (s.length_m or 0),
        )
        people = [p.id for p in kit.rows(session, demo[0], "people")]
        low = {"height": 1.0, "offset": 0.0, "turn": 0.0}
        choices = [
            plans.Choice(sheet.id, "a-frame", low, tuple(people[2 * n : 2 * n + 2]))
            for n, sheet in enumerate(sheets[:8])
        ]
        plans.replace_all(
            session, courses.night(session, *demo), choices, "a test's choice"
        )


def test_choosing_by_hand_and_for_all(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    course, night = demo
    here = f"/courses/{course}/nights/{night}"
    with database.session() as session:
        sheet = kit.rows(session, course, "sheets")[0]
        people = [p.id for p in kit.rows(session, course, "people")[:2]]
    nobody = client.post(f"{here}/choose/{sheet.id}/plow-point", data={}, headers=HTML)
    assert nobody.status_code == 422
    assert "tick at least one person" in nobody.text
    client.post(f"{here}/choose/{sheet.id}/plow-point?height=1.3", data={"people": people})
    assert (
        "Chosen: Isaura W, Bertil K"
        in client.get(f"{here}/board/cells?sheets={sheet.id}").text
    )
    everybody_chosen(database, demo)
    with database.session() as session:
        chosen = plans.shelters(session, night)
        beds = [p.id for row in chosen for p in plans.sleepers(row)]
        assert len(beds) == len(set(beds)) == 16
    assert "short" not in re.sub(
        r"Short|nothing short",
        "",
        client.get(f"{here}/camp").text.split("Kit for the night")[1][:1500],
    )
    client.post(f"{here}/undo")
    assert (
        "Chosen: Isaura W, Bertil K"
        in client.get(f"{here}/board/cells?sheets={sheet.id}").text
    )


def test_the_pdf_says_what_the_screen_says(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    here = f"/courses/{demo[0]}/nights/{demo[1]}"
    everybody_chosen(database, demo)
    answer = client.get(f"{here}/camp.pdf")
    assert answer.headers["content-type"] == "application/pdf"
    pages = PdfReader(io.BytesIO(answer.content)).pages
    words = " ".join(page.extract_text() for page in pages)
    for expected in (
        "Hollin Edge Field School",
        "Linnea F",
        "Kit for the night",
        "Falling wood",
        "steps",
    ):
        assert expected in words
    assert 3 <= len(pages) <= 20


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    table=st.sampled_from(["people", "sheets", "supports", "lines", "stakes", "x"]),
    cells=st.dictionaries(
        st.sampled_from(
            ["name", "stature", "size", "kind", "count", "length", "span", "hood", "owner"]
        ),
        st.text(max_size=30),
    ),
)
def test_no_form_breaks_it(
    client: TestClient, demo: tuple[int, int], table: str, cells: dict[str, Any]
) -> None:
    """Whatever is typed into a new row, the answer is a row or a sentence; never a 500."""
    assert client.post(
        f"/courses/{demo[0]}/kit/{table}", json={"cells": cells}
    ).status_code in (
        200,
        422,
    )


def test_the_second_leader_s_choice_asks_first(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    """Choices made on an old look at the night show both, change nothing, and can then be made
    knowingly.
    """
    here = f"/courses/{demo[0]}/nights/{demo[1]}"
    with database.session() as session:
        sheets = kit.rows(session, demo[0], "sheets")
        people = [p.id for p in kit.rows(session, demo[0], "people")[:2]]
    client.post(
        f"{here}/choose/{sheets[0].id}/plow-point", data={"people": people[:1], "seen": "0"}
    )
    late = client.post(
        f"{here}/choose/{sheets[0].id}/lean-to",
        data={"people": people, "seen": "0"},
        headers=HTML,
    )
    assert late.status_code == 409
    assert "Isaura W: Plow point, Isaura W" in late.text
    assert "Isaura W: Lean-to, Isaura W, Bertil K" in late.text
    with database.session() as session:
        assert [s.pitch for s in plans.shelters(session, demo[1])] == ["plow-point"]
        now = str(plans.current_step(session, courses.night(session, *demo)))
    assert f'name="seen" value="{now}"' in late.text
    client.post(
        f"{here}/choose/{sheets[0].id}/lean-to", data={"people": people, "seen": now}
    )
    with database.session() as session:
        assert [s.pitch for s in plans.shelters(session, demo[1])] == ["lean-to"]


def test_nights_are_named_and_dated(client: TestClient, demo: tuple[int, int]) -> None:
    url = f"/courses/{demo[0]}/nights/{demo[1]}"
    named = client.patch(
        url, json={"column": "title", "text": "At the hut", "version": 1, "was": "Night 1"}
    ).json()
    assert named["text"] == "At the hut"
    dated = client.patch(
        url,
        json={
            "column": "on",
            "text": "2027-10-01",
            "version": named["version"],
            "was": "2027-09-23",
        },
    )
    assert dated.json()["text"] == "2027-10-01"
    assert "· 1 Oct" in client.get(f"{url}/board").text
    assert (
        client.patch(
            url, json={"column": "on", "text": "soon", "version": 3, "was": "2027-10-01"}
        ).status_code
        == 422
    )
    assert (
        client.patch(
            url, json={"column": "title", "text": "X", "version": 1, "was": "Night 1"}
        ).status_code
        == 409
    )


def test_measured_heights_count(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    """A person measured taller sitting than the ratio says has less ground to sit on."""
    with database.session() as session:
        row = kit.rows(session, demo[0], "people")[6]
        before = kit.body_of(row).height("sitting")
    url = f"/courses/{demo[0]}/kit/people/{row.id}"
    body = {
        "column": "measured",
        "text": "sitting 110 cm, lowest-rib 1.2",
        "version": row.version,
        "was": "",
    }
    saved = client.patch(url, json=body).json()
    assert saved["text"] == "sitting 1.10 m, lowest-rib 1.20 m"
    with database.session() as session:
        assert (
            before
            < kit.body_of(kit.one(session, demo[0], "people", row.id)).height("sitting")
            == pytest.approx(1.10)
        )
    wrong = client.patch(
        url,
        json={
            **body,
            "text": "wings 2 m",
            "version": saved["version"],
            "was": saved["text"],
        },
    )
    assert "isn't a measure" in wrong.json()["detail"]


def test_the_contract_is_documented_without_network(client: TestClient) -> None:
    text = client.get("/docs").text
    assert "POST /api/solve" in text
    assert "tie_outs_m" in text
    assert not re.search(r'(src|href)="(https?:)?//', text)


def test_first_steps_lead_to_a_plan_and_ask_who_sleeps_apart(
    client: TestClient, demo: tuple[int, int], database: Database
) -> None:
    made = client.post(
        "/courses", data={"name": "New course", "nights": "1"}, follow_redirects=False
    )
    home = client.get(made.headers["location"]).text
    assert "First steps" in home
    assert "Do girls and boys, or other groups, sleep apart?" in home
    assert "✓ done:" not in home
    course = int(made.headers["location"].rsplit("/", 1)[1])
    with database.session() as session:
        kit.add(
            session,
            course,
            "people",
            [{"name": "Isaura W", "stature_m": 1.7, "quarters": "girls"}],
        )
    assert client.get(made.headers["location"]).text.count("✓ done:") == 2
    everybody_chosen(database, demo)
    assert "First steps" not in client.get(f"/courses/{demo[0]}").text
