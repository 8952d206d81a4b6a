"""Names on a printed map: each once, none over another."""

from __future__ import annotations

import itertools
import re

from tarvik.web.drawing.names import LINE, NAME_PX, Name, alone, lettered, slot


def boxes(svg: str) -> list[tuple[float, float, float, float]]:
    """Left, top, right, bottom of each name, by half the height of its letters a letter."""
    out = []
    for x, y, words in re.findall(r'x="([-\d.]+)" y="([-\d.]+)"[^>]*>([^<]+)<', svg):
        left, top = float(x), float(y) - 0.9 * NAME_PX
        out.append((left, top, left + len(words) * NAME_PX * 0.5, top + NAME_PX * LINE))
    return out


def test_names_side_by_side_are_moved_apart() -> None:
    """Points closer to each other than a name is wide or two are high."""
    names = [
        Name((x * 3.0, y * 0.7), 0.15, f"Birch {10 * x + y}", "t name-t")
        for x in range(4)
        for y in range(4)
    ]
    svg = lettered("".join(slot(n + 1) for n in range(len(names))), names)
    found = boxes(svg)
    assert len(found) == len(names)
    for a, b in itertools.combinations(found, 2):
        assert (
            min(a[2], b[2]) - max(a[0], b[0]) <= 1 or min(a[3], b[3]) - max(a[1], b[1]) <= 1
        )


def test_a_name_is_text_and_says_where_its_point_is() -> None:
    drawn = alone(Name((2.0, 1.0), 0.2, "<Oak & ash>", "t name-t", rank=1))
    assert 'data-label="200 -100 20" data-rank="1"' in drawn
    assert "&lt;Oak &amp; ash&gt;" in drawn
