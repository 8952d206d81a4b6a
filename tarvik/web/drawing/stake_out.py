"""A shelter's card as drawings: standing, and staked out as seen from above, its points numbered
as on the laid-flat sheet, its distances on the lines, its trees by name, its people on their mats.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.cards import marks, stake_marks, stake_out, taped
from tarvik.core.fold.pattern import Role
from tarvik.web.drawing.boxes import LINE, overlap
from tarvik.web.drawing.carriers import draw_carriers
from tarvik.web.drawing.solid import draw_obliquely
from tarvik.web.drawing.svg import LETTER, PX_PER_M, Paper
from tarvik.web.drawing.views import draw_flat

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.body import Body
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.figures import Figures
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.units import Units
    from tarvik.web.drawing.boxes import Box
    from tarvik.web.drawing.svg import XY

    _Stretch = tuple[Floats, Floats, float]

LETTER_MM: Final = 3.2
"""Height of letters on paper: more than 9 points."""
CARD_MM: Final = (80.0, 46.0)
STANDS_MM: Final = (56.0, 46.0)
FLAT_MM: Final = (40.0, 46.0)
"""How wide and high the drawings are printed."""
FIRST_PX: Final = 20.0
MOST_LETTER_PX: Final = 60.0
MARK_SHARE: Final = 0.75
"""Radius of a mark's disc, in heights of letters."""
SIDE_LEAST_M: Final = 0.3
"""Sides shorter than this are not told."""
SHORT_M: Final = 1.2
"""Along an upright side shorter than this there is one line of words."""
TRIES: Final = 6
"""How often letters are made larger until they are read on the card: words make a drawing wider."""


def _readable(drawn: Callable[[float], Paper], card_mm: tuple[float, float]) -> str:
    """The drawing with letters of the size that is read on the card."""
    size = FIRST_PX
    for _ in range(TRIES):
        paper = drawn(size)
        span = np.subtract(paper.high, paper.low) + 2 * paper.margin
        scale = float((span / card_mm).max())
        size = min(LETTER_MM * scale * PX_PER_M, MOST_LETTER_PX)
    return drawn(size).svg()


def from_above(
    shelter: Shelter,
    figures: Figures,
    rig: Rig | None,
    body: Body,
    units: Units,
    trees: Mapping[str, str],
    sleepers: Sequence[tuple[int, str]],
) -> str:
    """Staked out, the front to the left. `trees`: names by the point they carry; `sleepers`: mats
    counted from 1 and who lies there.
    """

    measures = _measures(shelter)

    def drawn(size: float) -> Paper:
        return _from_above(
            shelter, figures, rig, body, units, trees, sleepers, measures, size
        )

    return _readable(drawn, CARD_MM)


@dataclass(frozen=True, slots=True)
class _Measures:
    """What is measured on the ground: the sides between neighbours, and the longest diagonal, which
    makes the plan square, where there is one. Each by its two ends (m) and its length.
    """

    sides: list[_Stretch]
    across: _Stretch | None


def _measures(shelter: Shelter) -> _Measures:
    """The same, from the distances that stake the shelter out."""
    at = {name: shelter.at(point)[:2] for point, name in marks(shelter).items()}
    told = [d for d in stake_out(shelter) if d.a in at and d.b in at]
    used = dict.fromkeys(
        name for d in told for name in (d.a, d.b)
    )  # in order: sums are the same
    if not used:
        return _Measures([], None)
    middle = np.mean([at[name] for name in used], axis=0)
    ring = sorted(used, key=lambda n: math.atan2(*(at[n] - middle)[::-1]))
    pairs = list(zip(ring, [*ring[1:], *ring[:1]], strict=True))
    sides = [(at[a], at[b], float(math.dist(at[a], at[b]))) for a, b in pairs]
    beside = {frozenset(pair) for pair in pairs}
    rest = [d for d in told if frozenset((d.a, d.b)) not in beside]
    longest = max(rest, key=lambda d: d.metres, default=None)
    return _Measures(
        [side for side in sides if side[2] > SIDE_LEAST_M],
        None if longest is None else (at[longest.a], at[longest.b], longest.metres),
    )


def _from_above(
    shelter: Shelter,
    figures: Figures,
    rig: Rig | None,
    body: Body,
    units: Units,
    trees: Mapping[str, str],
    sleepers: Sequence[tuple[int, str]],
    measures: _Measures,
    size: float,
) -> Paper:
    paper = Paper(
        f"{shelter.pitch.name} staked out, seen from above", "card-plan", margin=0.15
    )
    for face in sorted(shelter.faces(), key=lambda f: f.role is not Role.FLOOR):
        css = "cloth-floor" if face.role is Role.FLOOR else "panel"
        paper.polygon([(float(x), float(y)) for x, y, _ in face.xyz], css)
    for mat in figures.mats:
        paper.polygon([(float(x), float(y)) for x, y in mat.corners()], "mat")
    words = _Words(paper, size)
    if measures.across is not None:
        a, b, _ = measures.across
        paper.line((float(a[0]), float(a[1])), (float(b[0]), float(b[1])), "diagonal")
    if rig is not None:
        _rigged(paper, shelter, rig, words)
    called = marks(shelter)
    for point in shelter.pitch.high_points():
        x, y = (float(c) for c in shelter.at(point)[:2])
        words.mark((x, y), called[point], "mark high")
    names = dict(sleepers)
    for number, mat in enumerate(figures.mats, start=1):
        words.inside((mat.x, mat.y), mat.heading_deg, names.get(number, ""))
    middle = shelter.xyz[:, :2].mean(axis=0)
    for support in rig.supports if rig is not None else ():
        words.beside(
            np.array(support.at),
            np.array(support.at) - middle,
            trees.get(support.point, ""),
        )
    for a, b, metres in measures.sides:
        words.along(a, b, middle, taped(metres, units, body))
    under = ["\N{LEFTWARDS ARROW} front"]
    if measures.across is not None:
        under.append(f"dashed {taped(measures.across[2], units, body)}")
    left, low = paper.low
    for row, line in enumerate(under, start=1):
        paper.words((left, low - 1.2 * row * words.high), line, "t", "start", size)
    return paper


def _rigged(paper: Paper, shelter: Shelter, rig: Rig, words: _Words) -> None:
    """Lines, what carries them, and the stakes with their marks."""
    stakes = stake_marks(shelter, rig)
    for point, name in marks(shelter).items():
        if name not in stakes and point not in shelter.pitch.high_points():
            x, y = (float(c) for c in shelter.at(point)[:2])
            words.mark((x, y), name, "mark")
    for line in rig.lines:
        a = shelter.at(line.start)
        paper.line((float(a[0]), float(a[1])), (line.to[0], line.to[1]), "cord")
    draw_carriers(paper, shelter, rig)
    for stake, name in zip(rig.stakes, stakes, strict=True):
        words.mark(stake.at, name, "mark optional" if stake.optional else "mark")


class _Words:
    """Puts words on a drawing where they cover the least of marks and of other words."""

    def __init__(self, paper: Paper, size: float) -> None:
        self.high = size / PX_PER_M
        self._paper, self._size = paper, size
        self._taken: list[Box] = []

    def mark(self, at: XY, name: str, css: str) -> None:
        """A numbered disc, which words keep clear of."""
        _mark(self._paper, at, name, css, self._size)
        reach = MARK_SHARE * self.high
        self._taken.append((at[0] - reach, at[1] - reach, at[0] + reach, at[1] + reach))

    def inside(self, at: XY, heading_deg: float, name: str) -> None:
        """A sleeper's name on the mat, moved along it where the next one's is in the way."""
        way = np.array(
            [math.cos(math.radians(heading_deg)), math.sin(math.radians(heading_deg))]
        )
        places = [np.array(at) + way * by for by in (0.0, 0.4, -0.4, 0.7, -0.7)]
        self._best([(p, "middle", [name]) for p in places])

    def beside(self, at: Floats, out: Floats, name: str) -> None:
        """A name beside what carries the sheet, away from it."""
        far = (MARK_SHARE + 0.2) * self.high
        right, left = np.array([far, 0.0]), np.array([-far, 0.0])
        up, down = (
            np.array([0.0, far + 0.4 * self.high]),
            np.array([0.0, -far - 0.4 * self.high]),
        )
        sides = [(at + right, "start"), (at + left, "end")]
        sides = sides if out[0] >= 0 else sides[::-1]
        ends = [(at + up, "middle"), (at + down, "middle")]
        ends = ends if out[1] >= 0 else ends[::-1]
        self._best([(p, anchor, [name]) for p, anchor in (*sides[:1], *ends, *sides[1:])])

    def along(self, a: Floats, b: Floats, middle: Floats, words: str) -> None:
        """A distance outside of its side."""
        half, long = (a + b) / 2, max(float(np.hypot(*(b - a))), 1e-9)
        way = (b - a) / long
        out = np.array([-way[1], way[0]])
        out = out if float(out @ (half - middle)) >= 0 else -out
        upright = abs(out[0]) > 0.5
        anchor = ("start" if out[0] > 0 else "end") if upright else "middle"
        lines = words.split(", ")[: 2 if long > SHORT_M else 1] if upright else [words]
        near = 0.4 if upright else 0.9
        places = [
            half + out * (near + away) * self.high + way * aside * long
            for away in (0.0, 0.7, 1.4, 2.1)
            for aside in (0.0, 0.18, -0.18, 0.3, -0.3)
        ]
        self._best([(p, anchor, lines) for p in places])

    def _best(self, places: Sequence[tuple[Floats, str, list[str]]]) -> None:
        if not places[0][2][0]:
            return
        boxes = [self._box(*place) for place in places]
        cost = [sum(overlap(box, one) for one in self._taken) for box in boxes]
        best = min(range(len(places)), key=lambda n: cost[n])
        at, anchor, lines = places[best]
        self._taken.append(boxes[best])
        for row, line in enumerate(lines):
            y = float(at[1]) + ((len(lines) - 1) / 2 - row) * LINE * self.high
            self._paper.words((float(at[0]), y), line, "t measure-t", anchor, self._size)

    def _box(self, at: Floats, anchor: str, lines: list[str]) -> Box:
        wide = max(len(line) for line in lines) * LETTER * self.high
        tall = len(lines) * LINE * self.high
        left = float(at[0]) + {"start": 0.0, "middle": -wide / 2, "end": -wide}[anchor]
        return left, float(at[1]) - tall / 2, left + wide, float(at[1]) + tall / 2


def _mark(paper: Paper, at: XY, name: str, css: str, size: float) -> None:
    """A numbered disc as large as its letters."""
    paper.circle(at, MARK_SHARE * size / PX_PER_M, css)
    paper.text(at, name, "mark-t", size=size)


def laid_flat(shelter: Shelter, rig: Rig | None, units: Units) -> str:
    """The sheet laid flat, its marks to be read on the card."""
    return _readable(lambda size: draw_flat(shelter, rig, units, size), FLAT_MM)


def standing(shelter: Shelter, figures: Figures, rig: Rig | None) -> str:
    """The shelter as it stands, seen obliquely from the front, its points marked."""
    return _readable(lambda size: _standing(shelter, figures, rig, size), STANDS_MM)


def _standing(shelter: Shelter, figures: Figures, rig: Rig | None, size: float) -> Paper:
    paper = Paper(f"{shelter.pitch.name} as it stands", "card-stands", margin=0.2)
    flat = draw_obliquely(paper, shelter, figures, rig)
    tops = shelter.pitch.high_points()
    for point, name in marks(shelter).items():
        css = "mark high" if point in tops else "mark"
        _mark(paper, flat(shelter.at(point)), name, css, size)
    return paper
