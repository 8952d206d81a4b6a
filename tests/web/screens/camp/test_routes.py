"""The camp sheet on screen and on paper: the same words, as many pages as promised, any paper."""

from __future__ import annotations

import io
import re
from html import unescape
from typing import TYPE_CHECKING

import pytest
from pypdf import PdfReader

from tests.small_course import small_course, work_off

if TYPE_CHECKING:
    from fastapi.testclient import TestClient
    from pypdf import PageObject

    from tarvik.store.database import Database

pytestmark = pytest.mark.database


@pytest.fixture
def planned(client: TestClient, database: Database) -> str:
    """The address of a night with a plan and an evening."""
    with database.session() as session:
        course, night = small_course(session)
    here = f"/courses/{course}/nights/{night}"
    for kind in ("plan", "evening"):
        assert client.post(f"{here}/plan/jobs", json={"kind": kind}).status_code == 200
        work_off(database)
    return here


def pages(client: TestClient, address: str) -> list[PageObject]:
    answer = client.get(address)
    assert answer.status_code == 200, answer.text
    assert answer.headers["content-type"] == "application/pdf"
    return list(PdfReader(io.BytesIO(answer.content)).pages)


def words_of(found: list[PageObject]) -> str:
    return " ".join(" ".join(page.extract_text() for page in found).split())


def squeezed(text: str) -> str:
    """Without the spaces, which paper puts where a line ends."""
    return re.sub(r"\s", "", text)


def test_paper_says_what_the_screen_says(client: TestClient, planned: str) -> None:
    """Every name, number, distance and time that is drawn or written on the screen's sheet."""
    shown = client.get(f"{planned}/camp").text
    found = pages(client, f"{planned}/camp.pdf")
    shelters = shown.count('<details class="setup-card"')
    assert shelters >= 2
    assert len(found) <= 1 + -(-shelters // 2)
    paper = squeezed(words_of(found))
    drawn = [unescape(w) for w in re.findall(r"<text [^>]*>([^<]+)</text>", shown)]
    assert len(drawn) > 30
    for words in set(drawn):
        assert squeezed(words) in paper, words
    tasks = re.findall(r"<li><b>([^<]+)</b> shelter\s+(\d+): ([^<]+)<", shown)
    assert tasks
    for at, shelter, what in tasks:
        assert squeezed(f"{at} shelter {shelter}: {what}") in paper
    for mark in re.findall(r'class="name-t[^"]*"[^>]*>([^<]+)<', shown):
        assert mark in words_of(found[:1])


def test_letters_are_embedded(client: TestClient, planned: str) -> None:
    """A printer has none of these fonts."""
    for page in pages(client, f"{planned}/camp.pdf"):
        fonts = page["/Resources"]["/Font"]  # type: ignore[index]
        for font in (f.get_object() for f in fonts.values()):
            inner = font.get("/DescendantFonts", [font])[0].get_object()
            assert "/FontFile" in " ".join(inner["/FontDescriptor"].get_object()), font


def test_other_paper(client: TestClient, planned: str) -> None:
    """US Letter is 612 by 792 points, A6 is 298 by 420 (ISO 216)."""
    whole = pages(client, f"{planned}/camp.pdf")
    letter = pages(client, f"{planned}/camp.pdf?paper=letter")
    assert [round(float(v)) for v in letter[0].mediabox[2:]] == [612, 792]
    pocket = pages(client, f"{planned}/camp.pdf?part=pocket")
    assert [round(float(v)) for v in pocket[0].mediabox[2:]] == [298, 420]
    assert len(pages(client, f"{planned}/camp.pdf?part=glance")) == 1
    assert "Who sleeps where" not in words_of(
        pages(client, f"{planned}/camp.pdf?part=cards")
    )
    one = words_of(pages(client, f"{planned}/camp.pdf?only=2"))
    assert "2." in one
    assert "Who sleeps where" not in one
    assert len(words_of(pages(client, f"{planned}/camp.pdf?large=yes"))) > 0.9 * len(
        words_of(whole)
    )
    for wrong in ("paper=a3", "part=half"):
        answer = client.get(f"{planned}/camp.pdf?{wrong}")
        assert answer.status_code == 422
        assert "is none of" in answer.json()["errors"][0]["message"]


def test_a_page_of_practice(client: TestClient, planned: str) -> None:
    """Both sides of one sheet: knots, steps, what to do in foul weather and for somebody hurt, and
    a line for each shelter's morning.
    """
    found = pages(client, f"{planned}/camp.pdf?part=practice")
    assert len(found) == 2
    front, back = words_of(found[:1]), words_of(found[1:])
    assert "Tensioning hitch" in front
    assert "Steps over a distance" in front
    assert "If the weather turns foul" in back
    assert "If somebody is hurt or ill" in back
    assert "Where we are" in back
    shown = client.get(f"{planned}/camp").text
    for number, pitch in re.findall(r"<summary><h3>(\d+)\. ([^<]+) <", shown):
        assert squeezed(f"{number}. {pitch}") in squeezed(back)
        assert f"({pitch.lower()})" in back.lower()
