"""Beds in three grades of comfort: with ease, usual and tight. The usual clearances are those by
which shelters are measured and chosen.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.kept import keep_last
from tarvik.core.measure.clearance import Clearance
from tarvik.core.measure.ground import Ground
from tarvik.core.measure.mats import lay_mats

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.figures import Figures

_TUNED: Final = "common practice: tuned until who fits where comes out as leaders know it"


def _clearance(grade: str, **values: float) -> Clearance:
    """Clearances of a grade, each a constant; what is not named is as usual."""
    told = {
        name: constant(
            f"{grade}_{name.removesuffix('_m')}",
            value,
            "m",
            _TUNED,
            f"{_MEANINGS[name]} where people lie {grade}",
        )
        for name, value in values.items()
    }
    return Clearance(**told)


_MEANINGS: Final = {
    "mat_width_m": "width of ground for one",
    "mat_extra_m": "length of ground beyond the sleeper's stature",
    "head_m": "roof height over the head",
    "middle_m": "roof height over the middle",
    "foot_m": "roof height over the feet",
    "edge_m": "roof height over the edges",
}
EASE: Final = _clearance(
    "ease",
    mat_width_m=0.70,
    mat_extra_m=0.15,
    head_m=0.50,
    middle_m=0.40,
    foot_m=0.25,
    edge_m=0.20,
)
TIGHT: Final = _clearance(
    "tight",
    mat_width_m=0.50,
    mat_extra_m=0.05,
    head_m=0.35,
    middle_m=0.30,
    foot_m=0.20,
    edge_m=0.08,
)
FRONT_M: Final = constant(
    "ease_front",
    0.40,
    "m",
    COMMON_PRACTICE,
    "how far in from an open front people lie with ease",
)
HIGH_M: Final = constant(
    "ease_front_high",
    0.50,
    "m",
    ENGINEERING,
    "an edge this high over the ground is an open front",
)
MOST_FITS: Final = 128
"""Shelters of which it is kept who fits."""
STRIDE: Final = 3
"""Headings tried: every so many steps (6 degrees)."""


@dataclass(frozen=True, slots=True)
class Fits:
    """How many lie dry in each grade of comfort."""

    ease: int
    usual: int
    tight: int

    @property
    def words(self) -> str:
        """As screens and cards say it: the most that lie with ease, and more than that.

        >>> Fits(2, 2, 3).words, Fits(0, 1, 1).words, Fits(0, 0, 1).words, Fits(0, 0, 0).words
        ('2 with ease, 3 tight', '1', '1 tight', 'nobody')
        """
        parts = [f"{self.ease} with ease"] if self.ease else []
        if self.usual > self.ease:
            parts.append(str(self.usual) if not parts else f"{self.usual} as usual")
        if self.tight > max(self.usual, self.ease):
            parts.append(f"{self.tight} tight")
        return ", ".join(parts) or "nobody"


@keep_last(MOST_FITS)
def fits(figures: Figures) -> Fits:
    """How many people of its stature lie dry in a shelter, by grade; of a hung sheet without the
    beds that its sag takes. Of a bag or bed that holds one as it is, that one.
    """
    usual = figures.sleepers
    if figures.shelter.pitch.bed is not None:
        return Fits(usual, usual, usual)
    if figures.who:
        usual = max(_most(figures, figures.clearance) - figures.lost, usual)
    roomy = _within(figures.clearance, EASE, wider=True)
    ease = min(_most(figures, roomy, FRONT_M), usual)
    most = _most(figures, tight(figures.clearance))
    return Fits(ease, usual, max(most, usual))


def tight(usual: Clearance) -> Clearance:
    """Clearances of those who lie tightly on a course with these usual ones."""
    return _within(usual, TIGHT, wider=False)


def _within(usual: Clearance, grade: Clearance, *, wider: bool) -> Clearance:
    """A grade that asks no less, or no more, than the usual clearances of a course."""
    choose = max if wider else min
    return Clearance(
        **{
            f.name: choose(getattr(usual, f.name), getattr(grade, f.name))
            for f in fields(usual)
        }
    )


def _most(figures: Figures, room: Clearance, front_m: float = 0.0) -> int:
    """How many lie dry with these clearances, and so far in from an open front."""
    roof, shelter = figures.roof, figures.shelter
    beds = figures.bed_ground
    fronts = _fronts(figures, front_m) if front_m else np.zeros((0, 4, 2))
    if len(fronts):
        beds = (figures.dry_ground if beds is None else beds).less(fronts)
    ground = Ground.under(roof, beds, room)
    headings = figures.lying.headings(shelter)
    return len(lay_mats(ground, figures.stature_m, room, stride=STRIDE, headings=headings))


def _fronts(figures: Figures, reach_m: float) -> Floats:
    """Strips (k, 4, 2) of ground inside each edge that stands open and high, in plan, corners in
    turn anticlockwise.
    """
    out = []
    for opening in figures.openings:
        if min(opening.a[2], opening.b[2]) < HIGH_M or not opening.outward.any():
            continue
        a, b, inwards = opening.a[:2], opening.b[:2], -opening.outward * reach_m
        ring = np.array([a, b, b + inwards, a + inwards])
        along, square = b - a, inwards
        if along[0] * square[1] - along[1] * square[0] < 0:
            ring = ring[::-1]
        out.append(ring)
    return np.array(out).reshape(-1, 4, 2)
