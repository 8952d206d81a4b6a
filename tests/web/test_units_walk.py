"""No screen of a course in one system of units shows the other's."""

from __future__ import annotations

import io
import re
from html import unescape
from typing import TYPE_CHECKING

import pytest
from pypdf import PdfReader

from tarvik.demo.course import ensure_demo
from tarvik.store import courses, kit, plans
from tarvik.store.models import Course

if TYPE_CHECKING:
    from fastapi.testclient import TestClient
    from httpx2 import Response

    from tarvik.store.database import Database

pytestmark = pytest.mark.database

METRIC = re.compile(r"\d\s?(m|cm|mm|m²|m2|kg|g|N|°C|mm/h|m/s|km/h|km|Pa)(?![\w/²])")
IMPERIAL = re.compile(r"\d\s?(ft|in|sq ft|lb|oz|°F|in/h|mph|miles?)(?![\w/])")
QUOTED = re.compile(r"\b(18|19|20)\d\d\b|polythene")
"""Published sources, and what the demo's people typed."""
HIDDEN = re.compile(r"<(style|script|template|datalist)\b.*?</\1>|<!--.*?-->", re.S)
SHOWN_ATTRIBUTES = re.compile(r'\b(?:placeholder|title|aria-label|value)="([^"]*)"')


def shown(html: str) -> list[str]:
    """What people read on a page, in pieces: its texts, and what fields, hints and labels say."""
    html = HIDDEN.sub(" ", html)
    pieces = SHOWN_ATTRIBUTES.findall(html)
    pieces += re.sub(r"<[^>]+>", "\n", html).split("\n")
    return [" ".join(unescape(p).split()) for p in pieces if p.strip()]


def pieces_of(answer: Response) -> list[str]:
    """The same of an answer: a page's pieces, or a PDF's lines."""
    if answer.headers["content-type"] != "application/pdf":
        return shown(answer.text)
    pages = PdfReader(io.BytesIO(answer.content)).pages
    return [line for page in pages for line in page.extract_text().splitlines()]


@pytest.mark.parametrize(("units", "other"), [("imperial", METRIC), ("metric", IMPERIAL)])
def test_no_screen_shows_the_other_systems_units(
    client: TestClient, database: Database, units: str, other: re.Pattern[str]
) -> None:
    with database.session() as session:
        ensure_demo(session)
        course = session.query(Course).order_by(Course.id.desc()).first()
        assert course is not None
        course.units = units
        number = course.id
        night = courses.nights(session, number)[0]
        sheets = [s.id for s in kit.rows(session, number, "sheets")][:4]
        people = [p.id for p in kit.rows(session, number, "people")]
        for sheet, pitch, who in zip(
            sheets,
            ("a-frame", "plow-point", "lean-to", "a-frame-flown"),
            people,
            strict=False,
        ):
            plans.choose(session, night, plans.Choice(sheet, pitch, {}, (who,)))
        at = f"/courses/{number}/nights/{night.id}"
    bench = f"{at}/bench/{sheets[0]}/plow-point"
    paths = [
        f"/courses/{number}",
        *(f"/courses/{number}/{page}" for page in ("kit", "rules", "team", "history")),
        *(
            f"{at}/{page}"
            for page in ("weather", "weather/outcome", "board", "plan", "ground", "camp")
        ),
        f"{at}/board/cells?sheets={sheets[0]}",
        f"{at}/compare?c={sheets[0]}:a-frame&c={sheets[1]}:plow-point",
        bench,
        *(f"{bench}/{part}" for part in ("view", "more", "ways", "hung", "hung/advice")),
        f"{at}/choose/{sheets[0]}/plow-point",
        f"{at}/people/{people[0]}",
        f"{at}/people/{people[0]}/choices",
        f"{at}/field",
        f"{at}/field/steps/{sheets[0]}",
        f"{at}/ground/print",
        *(
            f"/courses/{number}/{page}"
            for page in ("packing/list", "log", "cards", "practice")
        ),
        f"/courses/{number}/people/{people[0]}/kit-advice",
        *(f"{at}/camp.pdf{part}" for part in ("", "?part=practice", "?part=pocket")),
        f"/courses/{number}/packing.pdf",
        f"/courses/{number}/report.pdf",
    ]
    wrong = []
    for path in paths:
        answer = client.get(path)
        assert answer.status_code == 200, path
        wrong += [
            f"{path.replace(at, '')}: {piece[:110]}"
            for piece in pieces_of(answer)
            if other.search(piece) and not QUOTED.search(piece)
        ]
    assert not wrong, "\n".join(dict.fromkeys(wrong))
