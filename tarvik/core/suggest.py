"""What an experienced leader would pick tonight: the shelters that hold and keep their people dry,
ordered by how well the pitch serves such a night, and by what its figures add or take off.

The order is weighed in grades: one grade is what separates a pitch that practitioners think of
first from one that serves well. Every part of the sum has words, so that a screen can say it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.finding import Level
from tarvik.core.measure.grades import fits
from tarvik.core.measure.net import Fit, hang_net
from tarvik.core.measure.openings import open_round
from tarvik.core.measure.runoff import too_flat
from tarvik.core.pitches.suits import Suit
from tarvik.core.rig.verdict import Verdict
from tarvik.core.suited import sits, suit_here, there
from tarvik.core.weather.needs import RAIN_MATTERS_MM_H

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from tarvik.core.measure.figures import Figures
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night, Tonight

LOW_STORM_M: Final = constant(
    "low_storm",
    1.0,
    "m",
    COMMON_PRACTICE,
    "peak up to which a shelter is low (waist height)",
)
_GRADE: Final = "grades"
WITH_EASE: Final = constant(
    "worth_ease", 0.4, _GRADE, ENGINEERING, "all those wanted lie with ease"
)
TIGHTLY: Final = constant(
    "worth_tight", -1.5, _GRADE, ENGINEERING, "those wanted lie tightly"
)
NO_SEAT: Final = constant("worth_no_seat", -0.4, _GRADE, ENGINEERING, "nobody sits up")
CAUTIONED: Final = constant("worth_caution", -0.4, _GRADE, ENGINEERING, "each caution")
A_MINUTE: Final = constant(
    "worth_minute", -0.08, _GRADE, ENGINEERING, "each minute of setting up"
)
OPEN_STORM: Final = constant(
    "worth_open", -1.5, _GRADE, ENGINEERING, "open all over towards the wind in a storm"
)
PULL_STORM: Final = constant(
    "worth_pull",
    -0.8,
    _GRADE,
    ENGINEERING,
    "a stake or line used up to what it holds, in a storm",
)
HIGH_STORM: Final = constant(
    "worth_high",
    -0.8,
    _GRADE,
    ENGINEERING,
    "each metre of peak over waist height in a storm",
)
FLAT_RAIN: Final = constant(
    "worth_flat",
    -0.8,
    _GRADE,
    ENGINEERING,
    "a roof panel as flat as may be, in steady rain",
)
VIEW: Final = constant(
    "worth_view", 0.8, _GRADE, ENGINEERING, "open all over to one side, a view"
)
NET_FITS: Final = constant(
    "worth_net", 0.5, _GRADE, ENGINEERING, "the net hangs free inside"
)
FIRE_FRONT: Final = constant(
    "worth_fire", 0.4, _GRADE, ENGINEERING, "open wide to a fire in front"
)
A_BUTTON: Final = constant(
    "worth_button", -0.1, _GRADE, ENGINEERING, "each button to be made"
)
WIDE_OPEN: Final = 0.5
"""Open share to one side from which a front is open wide."""
ROUND_DEG: Final = 30.0
"""How finely it is looked round for the most open side."""


@dataclass(frozen=True, slots=True)
class Part:
    """One part of what a shelter is worth tonight: in words, and in grades."""

    words: str
    grades: float


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A shelter that may be suggested tonight, by its place in the list it came from."""

    number: int
    suit: Suit
    parts: tuple[Part, ...]

    @property
    def worth(self) -> float:
        """The sum of its parts, in grades."""
        return sum(part.grades for part in self.parts)

    @property
    def why(self) -> str:
        """The parts that count, in words."""
        return "; ".join(
            p.words for p in self.parts if abs(p.grades) >= 0.05 or p is self.parts[0]
        )


def weighed(
    number: int, solution: Solution, judged: Tonight, night: Night, people: int
) -> Suggestion:
    """What a judged shelter is worth tonight for so many people. Raises ValueError where it has no
    figures.
    """
    found = by_itself(number, solution, judged, night)
    if solution.figures is None:
        return found
    return replace(found, parts=(*found.parts, *_people(solution.figures, night, people)))


def by_itself(number: int, solution: Solution, judged: Tonight, night: Night) -> Suggestion:
    """What a judged shelter is worth tonight, however many lie there. Raises ValueError where it
    has no figures.
    """
    figures, pitch = solution.figures, solution.question.pitch
    if figures is None:
        raise ValueError("a shelter without figures is worth nothing")
    asked = solution.question
    suit = suit_here(pitch, asked.sheet, asked.supports, night.needs)
    named = f"{night.needs.wanted.name}: {SUIT_WORDS[suit]}"
    parts = [Part(named, float(suit))]
    if minutes := night.own.minutes_of(pitch):
        parts.append(Part(f"{minutes:.2g} min to set", A_MINUTE * minutes))
    cautions = sum(f.level is Level.CAUTION for f in judged.findings)
    if cautions:
        parts.append(
            Part(
                "one caution" if cautions == 1 else f"{cautions} cautions",
                CAUTIONED * cautions,
            )
        )
    buttons = solution.assessment.buttons
    if buttons and asked.sheet.tie_outs:
        parts.append(
            Part(
                f"{buttons} buttons to make" if buttons > 1 else "a button to make",
                A_BUTTON * buttons,
            )
        )
    return Suggestion(number, suit, (*parts, *_weather(figures, judged, night)))


SUIT_WORDS: Final = {
    Suit.FIRST: "a first choice",
    Suit.WELL: "serves well",
    Suit.FAIR: "serves",
    Suit.POORLY: "unusual for such a night",
    Suit.NEVER: "not for such a night",
}


def _people(figures: Figures, night: Night, people: int) -> Iterable[Part]:
    if not night.beds_wanted:
        return
    graded = fits(figures)
    if graded.ease >= people:
        yield Part("room to lie with ease", WITH_EASE)
    elif graded.usual < people:
        yield Part("tight", TIGHTLY)
    if figures.shelter.pitch.bed is None and not sits(figures, night.needs):
        yield Part("no room to sit up", NO_SEAT)


def _weather(figures: Figures, judged: Tonight, night: Night) -> Iterable[Part]:
    needs, slug = night.needs, night.needs.wanted.slug
    if slug == "storm":
        share = figures.open_to_wind
        yield Part(f"{share * 100:.0f} % open to the wind", OPEN_STORM * share)
        over = max(figures.peak_m - LOW_STORM_M, 0.0)
        yield Part("high for a storm", HIGH_STORM * over)
        worst = judged.gale.weakest if judged.gale else None
        if worst is not None:
            used = min(worst.used, 1.0)
            yield Part(f"its {worst.kind}s used to {used * 100:.0f} %", PULL_STORM * used)
    if (needs.rain_mm_h or 0.0) >= RAIN_MATTERS_MM_H:
        short = float(too_flat(np.array(figures.least_slope_deg)))
        yield Part("flat for steady rain", 2 * FLAT_RAIN * short)
    if slug == "fair-view":
        yield Part("open to a view", VIEW * _most_open(figures))
    roofed = len(figures.roof.faces) > 0
    if night.net is not None and roofed and slug == "warm-insects":
        free = hang_net(figures.roof, night.net).fit is Fit.FREE
        yield Part("the net hangs free" if free else "the net touches", NET_FITS * free)
    if needs.fire and _most_open(figures) >= WIDE_OPEN:
        yield Part("open to the fire", FIRE_FRONT)


def _most_open(figures: Figures) -> float:
    """Open share of the most open side."""
    bearings = list(np.arange(0.0, 360.0, ROUND_DEG))
    return max(
        open_round(figures.shelter.measured, figures.openings, bearings), default=0.0
    )


def suggestions(
    judged: Sequence[tuple[Solution, Tonight]], night: Night, people: int
) -> list[Suggestion]:
    """The shelters that may be suggested for so many people, the best first. Left out: what does
    not form, what something stops, and what no leader picks for such a night.
    """
    out = [
        weighed(number, solution, told, night, people)
        for number, (solution, told) in enumerate(judged)
        if solution.figures is not None
        and told.verdict is Verdict.FORMS
        and not told.stops
        and there(solution.question.pitch, night)
    ]
    return sorted((s for s in out if s.suit is not Suit.NEVER), key=lambda s: -s.worth)
