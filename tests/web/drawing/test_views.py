"""Drawings are well-formed, show the very shelter, and use the same marks everywhere; colours keep
their contrast.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.hang.advice import handles
from tarvik.core.hang.hung import Hanging, hang
from tarvik.core.hang.tell import tell
from tarvik.core.kept import key_of
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import Carrier, Pole, Supports
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question, Solution, solve
from tarvik.core.units import Units
from tarvik.web.drawing import hung as hung_drawing
from tarvik.web.drawing import views
from tarvik.web.drawing.silhouette import silhouette, view
from tarvik.web.drawing.svg import Paper
from tarvik.work.solving import Solver
from tests.reference import OBLONGS

SVG = "{http://www.w3.org/2000/svg}"
BODY = Body(1.75)
STATIC = Path(__file__).parents[3] / "tarvik" / "web" / "static" / "app"


def solved(slug: str) -> Solution:
    """A shelter without tie-outs, a hood in it, so that every sign is drawn."""
    return solve(
        Question(
            Sheet.rectangle(
                2.9, 3.5 if slug in OBLONGS else 2.9, ((0.0, 0.0),), (1.0, 1.2)
            ),
            PITCHES[slug],
            {},
            BODY,
        )
    )


def drawings(found: Solution) -> dict[str, ET.Element]:
    """Every drawing of a shelter, parsed."""
    shelter, figures, rig = found.shelter, found.figures, found.assessment.rig
    assert shelter is not None
    assert figures is not None
    made = {
        "plan": views.plan(shelter, figures, rig, BODY, Units.METRIC),
        "front": views.elevation(shelter, rig, False, Units.METRIC, BODY),
        "side": views.elevation(shelter, rig, True, Units.METRIC, BODY),
        "section": views.mat_section(shelter, figures, BODY, Units.METRIC),
        "flat": views.flat_sheet(shelter, rig, Units.METRIC),
        "silhouette": silhouette(shelter, "small", BODY.height("sitting")),
    }
    return {name: ET.fromstring(text) for name, text in made.items()}  # noqa: S314


@pytest.mark.parametrize("slug", PITCHES)
def test_every_drawing_is_whole(slug: str) -> None:
    """Well-formed, titled, with a frame that holds every coordinate."""
    for name, svg in drawings(solved(slug)).items():
        assert svg.find(f"{SVG}title") is not None
        x, y, width, height = (float(v) for v in svg.attrib["viewBox"].split())
        assert width > 0
        assert height > 0
        for polygon in svg.iter(f"{SVG}polygon"):
            places = np.array(
                [p.split(",") for p in polygon.attrib["points"].split()], dtype=float
            )
            assert (places >= [x - 1, y - 1]).all(), name
            assert (places <= [x + width + 1, y + height + 1]).all(), name
        assert "nan" not in ET.tostring(svg, encoding="unicode").lower()


@pytest.mark.parametrize("slug", PITCHES)
def test_plan_and_flat_sheet_use_the_same_marks(slug: str) -> None:
    found = drawings(solved(slug))
    marks = {
        n: {t.text for t in found[n].iter(f"{SVG}text") if t.attrib["class"] == "mark-t"}
        for n in ("plan", "flat")
    }
    assert marks["flat"] <= marks["plan"]
    assert len(marks["flat"]) == len(PITCHES[slug].anchors)


def test_the_plan_is_true_to_scale() -> None:
    """The first panel's corners, read back from the drawing, are the shelter's own, 100 units to
    the metre.
    """
    found = solved("plow-point")
    assert found.shelter is not None
    panel = next(
        p
        for p in drawings(found)["plan"].iter(f"{SVG}polygon")
        if p.attrib["class"] == "panel"
    )
    drawn = np.array(
        [p.split(",") for p in panel.attrib["points"].split()], dtype=float
    ) / [
        100,
        -100,
    ]
    assert drawn == pytest.approx(found.shelter.faces()[0].xyz[:, :2], abs=0.001)


def test_missing_tie_outs_are_ringed() -> None:
    svg = drawings(solved("plow-point"))["flat"]
    assert sum(c.attrib["class"] == "button" for c in svg.iter(f"{SVG}circle")) == 3
    assert sum(c.attrib["class"] == "hood" for c in svg.iter(f"{SVG}circle")) == 1


def test_the_view_looks_from_the_front_left() -> None:
    """Up is up in the picture; what is further back has more depth; the left (+y) is to the
    left.
    """
    places, depth = view(
        np.array([[0, 0, 0], [0, 0, 1], [1, 0, 0], [0, 1, 0]], dtype=float)
    )
    assert places[1, 1] > places[0, 1]
    assert depth[2] > depth[0]
    assert places[3, 0] < places[0, 0]


def test_words_are_escaped() -> None:
    paper = Paper("<b>&")
    paper.text((0, 0), "<script>")
    assert "<script>" not in paper.svg()
    assert ET.fromstring(paper.svg()).find(f"{SVG}title").text == "<b>&"  # noqa: S314


def _light(colour: str) -> float:
    """Relative luminance (WCAG 2.2)."""
    channels = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, two: str) -> float:
    """Contrast ratio (WCAG 2.2, 1.4.3)."""
    high, low = sorted((_light(one), _light(two)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_contrast_by_hand() -> None:
    """WCAG's own examples: black on white 21:1; #767676 on white just passes AA."""
    assert contrast("#000000", "#ffffff") == pytest.approx(21)
    assert contrast("#767676", "#ffffff") == pytest.approx(4.54, abs=0.01)


def test_verdicts_and_words_keep_aa_contrast() -> None:
    """Every verdict's colour on its ground, and soft, link and fault words on paper, at least 4.5
    to 1.
    """
    css = (STATIC / "app.css").read_text()
    for verdict in ("forms", "needs", "cannot"):
        rule = re.search(
            rf"\.verdict-{verdict} {{ color: (#\w{{6}}); background: (#\w{{6}})", css
        )
        assert rule is not None
        assert contrast(rule[1], rule[2]) >= 4.5
    colours = dict(re.findall(r"--(\w+): (#\w{6})", css))
    for word in ("ink", "stone", "rust", "sky", "lichen"):
        for paper in (colours["paper"], "#fffdf7", "#f3eee0"):
            assert contrast(colours[word], paper) >= 4.5, (word, paper)
    assert contrast("#ffffff", colours["peat"]) >= 4.5


def test_the_same_question_is_solved_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Kept by content: equal questions share an answer; another height, person or kit does not;
    memory is bounded.
    """
    solver = Solver()
    calls: list[Question] = []
    monkeypatch.setattr(
        "tarvik.work.solving.solve", lambda q, _: calls.append(q) or object()
    )
    question = Question(
        Sheet.rectangle(3, 3), PITCHES["lean-to"], {"height": 1.2, "turn": 0}
    )
    twin = Question(Sheet.rectangle(3, 3), PITCHES["lean-to"], {"turn": 0, "height": 1.2})
    assert solver.solve(question) is solver.solve(twin)
    assert len(calls) == 1
    others = [
        Question(question.sheet, question.pitch, {"height": 1.3, "turn": 0}),
        Question(question.sheet, question.pitch, question.settings, Body(1.6)),
        Question(
            question.sheet, question.pitch, question.settings, supports=Supports(stakes=3)
        ),
        Question(question.sheet, question.pitch, question.settings, wanted=2),
    ]
    assert len({key_of(q) for q in [question, *others]}) == 5
    solver.solve_all(others)
    assert len(calls) == 5
    solver.forget()
    solver.solve(question)
    assert len(calls) == 6


@pytest.mark.parametrize(
    ("slug", "kind", "size", "css"),
    [
        ("plow-point", "tripod", (3.2, 6.4), "carrier-leg"),
        ("plow-point", "bipod", (1.6, 1.0), "carrier-leg"),
        ("plow-point", "branch", (2.6, 1.0), "carrier-branch"),
        ("boat-night", "boat", (0.85, 4.8), "carrier-hull"),
        ("lean-to", "fence", (1.1, 5.0), "carrier-fence"),
        ("lean-to", "vehicle", (1.2, 5.0), "carrier-hull"),
    ],
)
def test_every_kind_of_support_has_a_shape_of_its_own(
    slug: str, kind: str, size: tuple[float, float], css: str
) -> None:
    poles = (Pole(0.8, 1.6),) if slug == "boat-night" else ()
    supports = Supports(trees=(), poles=poles, others=(Carrier(kind, *size),))
    found = solve(
        Question(Sheet.rectangle(2.9, 3.5), PITCHES[slug], {}, BODY, supports=supports)
    )
    assert found.shelter is not None and found.figures is not None
    rig = found.assessment.rig
    assert rig is not None
    assert kind in {s.kind for s in rig.supports}
    assert css in views.plan(found.shelter, found.figures, rig, BODY, Units.METRIC)


def test_a_trunk_in_the_way_is_drawn_with_the_line_round_it() -> None:
    free = solve(
        Question(Sheet.rectangle(3.0, 3.0), PITCHES["plow-point"], {"height": 1.2}, BODY)
    )
    assert free.assessment.rig is not None
    x, y = free.assessment.rig.stakes[0].at
    found = solve(replace(free.question, supports=Supports(in_the_way=((x, y, 0.3),))))
    assert (
        found.shelter is not None
        and found.figures is not None
        and found.assessment.rig is not None
    )
    assert "stake_blocked" in {r.code for r in found.assessment.reasons}
    svg = views.plan(
        found.shelter,
        found.figures,
        found.assessment.rig,
        BODY,
        Units.METRIC,
        found.question.supports.in_the_way,
    )
    assert "round-it" in svg
    assert "in-the-way" in svg
    assert "in-the-way" not in views.plan(
        found.shelter, found.figures, found.assessment.rig, BODY, Units.METRIC
    )


def test_the_hung_drawings_are_well_formed_and_hatch_what_is_slack() -> None:
    found = solve(
        Question(Sheet.rectangle(3.0, 3.0), PITCHES["plow-point"], {"height": 1.2}, BODY)
    )
    assert (
        found.shelter is not None
        and found.figures is not None
        and found.assessment.rig is not None
    )
    shape = hang(found.shelter, found.assessment.rig, Hanging(lines=9, tautness=0.0))
    told = tell(shape, found.figures, BODY)
    plan = hung_drawing.plan(shape, told, found.figures, Units.METRIC)
    for svg in (
        plan,
        hung_drawing.cut(shape, found.figures, Units.METRIC),
        hung_drawing.oblique(shape),
    ):
        assert ET.fromstring(svg).tag == f"{SVG}svg"  # noqa: S314 - our own drawing
    assert shape.wrinkled.any()
    assert "h-hatch-wrinkled" in plan
    assert plan.count("data-lift") == len(handles(shape))
    body = hung_drawing.body(shape, told)
    assert {f["role"] for f in body["faces"]} <= {"taut", "wrinkled", "slack"}
    assert len(body["ghosts"]) == 6
