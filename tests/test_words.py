"""Plain words: phrases that made readers stop stay out of what people read."""

from __future__ import annotations

import ast
import re
from functools import cache
from pathlib import Path

import pytest

from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet, TieOuts, tie_out_points
from tarvik.core.solve import Question, solve
from tarvik.core.tonight import Night, judge
from tarvik.core.units import Units
from tarvik.core.weather.needs import NightNeeds

ROOT = Path(__file__).parent.parent / "tarvik"
BANNED = (
    r"[«»]",
    r"\bStature\b",
    r"\bQuarters\b",
    r"needs\+\d",
    r"gives way",
    r"taut ideal",
    r"Hanging the sheets",
    r"Ways to the heart",
    r"made shift with",
    r"No plan under",
    r"\bBy eye\b",
    r"Rules bent",
    r"more kit buy",
    r"Change as little",
    r"[Kk]ept in (feet|metres)",
    r"Bring it in\b",
    r"\bTake out\b",
    r"moves sideways",
    r"swings by",
    r"only so many",
    r"From dead trees",
    r"within so far",
    r"is no number",
    r"as the weather proposes",
    r"\bFix it\b",
    r"Write the letter",
    r"\bOutbox\b",
    r"opens the own",
    r"under the own",
    r"Look round</",
    r"Open on the bench",
    r"Take this shelter off",
    r"without a bed",
)
BARE_POINT = re.compile(r"\d(\.\d+)? ?(m|ft|in)? across, \d")


def texts_of(path: Path) -> list[str]:
    """What of a file people may read: of a module its texts but for docstrings."""
    text = path.read_text()
    if path.suffix != ".py":
        return [text]
    tree = ast.parse(text)
    docs = {
        id(node.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
    }
    return [
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and id(node) not in docs
    ]


@cache
def readable() -> list[tuple[Path, str]]:
    """Every text of all modules, pages and scripts that say something to people."""
    paths = [p for pattern in ("*.py", "*.html", "*.js") for p in ROOT.rglob(pattern)]
    return [(p, text) for p in paths if "vendor" not in p.parts for text in texts_of(p)]


@pytest.mark.parametrize("phrase", BANNED)
def test_no_riddle_comes_back(phrase: str) -> None:
    hit = re.compile(phrase)
    found = [
        f"{path.relative_to(ROOT)}: {text.strip()[:100]}"
        for path, text in readable()
        if hit.search(text)
    ]
    assert not found


@pytest.mark.parametrize("units", list(Units))
def test_no_finding_is_a_bare_list_of_points(units: Units) -> None:
    """Every pitch of a sheet whose only tie-outs are its corners, in a storm: what is found of it
    speaks of points as they are marked, and of pulls as weights in the units of the course.
    """
    ties = tie_out_points(3.05, 3.05, frozenset({TieOuts.CORNERS}))
    night = Night(NightNeeds(rain_mm_h=5.0, wind_m_s=12.0, gust_m_s=20.0))
    said = []
    for pitch in PITCHES.values():
        solution = solve(
            Question(
                Sheet.rectangle(3.05, 3.05, ties),
                pitch,
                {},
                wanted=1,
                weather=night.needs.weather(90.0),
                free_to_turn=True,
            )
        )
        said += [r.text(units) for r in solution.assessment.reasons]
        found = judge(solution, night, 1, units).findings
        said += [text for f in found for text in (f.message, f.remedy)]
    assert any("tie a stone into the cloth" in text for text in said)
    assert any("will pull out" in text for text in said)
    for text in said:
        assert not BARE_POINT.search(text), text
        assert not re.search(r"\d N\b", text), text
        other = r"\d (kg|cm|m|m/s)\b" if units is Units.IMPERIAL else r"\d (lb|ft|in|mph)\b"
        assert not re.search(other, text), text
