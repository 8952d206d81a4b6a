"""The forms a sheet can take tonight: pitches with settings from the search, for one, two or three
sleepers, and each way of carrying them (between trees, on one tree, on poles) with the kit it
takes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.body import Body
from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.held import held
from tarvik.core.measure.dry import dry_ground
from tarvik.core.measure.figures import SIT_LEAST_M2, SLUMPED, bed_ground, sitting_height
from tarvik.core.measure.grades import tight
from tarvik.core.measure.ground import Ground as LyingGround
from tarvik.core.measure.mats import lay_mats
from tarvik.core.measure.openings import (
    back_to_wind_deg,
    open_round,
    open_to_wind,
    openings,
)
from tarvik.core.measure.roof import roof_of
from tarvik.core.pitches import PITCHES
from tarvik.core.pitches.base import Hold
from tarvik.core.pitches.suits import Suit
from tarvik.core.plan.aims import TENTHS
from tarvik.core.plan.offers import beds_of
from tarvik.core.rig.supports import POLE_KINDS, Supports, Tree
from tarvik.core.rig.verdict import BUTTON, assess
from tarvik.core.search.objective import SIT_EACH_M2
from tarvik.core.solve import DEFAULT_CLEARANCE, Question
from tarvik.core.suggest import by_itself
from tarvik.core.suited import suit_here, suit_tonight, there
from tarvik.core.tonight import OPEN_MUCH, WINDY_M_S, judge
from tarvik.core.weather.rain import rain_slope

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.measure.figures import Figures
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.rig.carried import Rig
    from tarvik.core.sheet import Sheet
    from tarvik.core.shelter import Shelter
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night, Tonight

    SolveAll = Callable[[Sequence[Question]], Sequence[Solution]]

BED_SHEET_M2: Final = constant(
    "bed_sheet",
    3.0,
    "m2",
    ENGINEERING,
    "cloth a sleeper that makes a shared form worth a search",
)
USUAL_STATURE_M: Final = constant(
    "usual_stature", 1.80, "m", ENGINEERING, "stature for which forms are searched"
)
HARD_MIN: Final = constant(
    "hard_pitch",
    6.0,
    "min",
    ENGINEERING,
    "a pitch that takes one person longer wants practice",
)
MOST_SHARED: Final = 3
"""Most sleepers a form is searched for."""
SAME_DEG: Final = 0.01
COARSE: Final = 3
"""Headings tried first, every so many steps; all are where fewer lie so than when the form was
searched for.
"""
QUICK_PITCHES: Final = 2
"""Pitches looked at for the first plan."""


@dataclass(frozen=True)
class Carrying:
    """One way of carrying a form: its rig, the buttons to be made, the lengths of the poles it
    takes.
    """

    rig: Rig
    buttons: int
    poles: tuple[float, ...]

    @cached_property
    def trees(self) -> int:
        """How many trees."""
        return sum(s.kind == "tree" for s in self.rig.supports)

    @cached_property
    def others(self) -> tuple[str, ...]:
        """Other carriers by kind."""
        return tuple(
            s.kind
            for s in self.rig.supports
            if s.kind not in POLE_KINDS and s.kind != "tree"
        )


@dataclass(frozen=True, eq=False)
class Form:
    """A sheet in a pitch, folded. Whether it stands tonight, and how it can be carried, is looked
    at when it is asked.
    """

    found: Solution
    settings: tuple[tuple[str, float], ...]
    figures: Figures
    night: Night
    supports: Supports
    buttons: bool
    _judged: dict[Rig, Tonight] = field(default_factory=dict, repr=False)
    _lowered: dict[int, Form | None] = field(default_factory=dict, repr=False)

    @property
    def sheet(self) -> Sheet:
        """The sheet."""
        return self.found.question.sheet

    @property
    def pitch(self) -> Pitch:
        """The pitch."""
        return self.found.question.pitch

    @property
    def stature_m(self) -> float:
        """For how tall a sleeper it was searched."""
        return self.found.question.body.stature_m

    @property
    def tight(self) -> bool:
        """Whether it was searched for people who lie with less room than is usual."""
        return self.found.question.clearance != DEFAULT_CLEARANCE

    @cached_property
    def key(self) -> tuple[object, ...]:
        """What makes two forms of a night the same."""
        return self.sheet, self.pitch.slug, self.settings, self.tight

    @cached_property
    def ways(self) -> tuple[Carrying, ...]:
        """The ways of carrying it."""
        return tuple(
            w
            for w in carryings(self.shelter, self.supports)
            if self.buttons or not w.buttons
        )

    def judged(self, way: Carrying) -> Tonight:
        """How it is judged when it is carried so, with its back to the wind."""
        if way.rig not in self._judged:
            assessment = replace(self.found.assessment, rig=way.rig)
            self._judged[way.rig] = judge(
                replace(self.found, assessment=assessment), self.night, 1
            )
        return self._judged[way.rig]

    def holds(self, way: Carrying) -> bool:
        """Whether nothing in the night stops it when it is carried so, whoever lies in it."""
        return not self.judged(way).stopped_besides(("beds",))

    @cached_property
    def stands(self) -> bool:
        """Whether there is a way of carrying it in which nothing in the night stops it."""
        return any(self.holds(way) for way in self.ways)

    def poor(self, way: Carrying) -> int:
        """Tenths of a grade that it falls short of a first choice when it is carried so."""
        asked = replace(self.found, assessment=replace(self.found.assessment, rig=way.rig))
        worth = by_itself(0, asked, self.judged(way), self.night).worth
        return max(round(TENTHS * (Suit.FIRST - worth)), 0)

    @property
    def suit(self) -> Suit:
        """How well its pitch serves the night here."""
        asked = self.found.question
        return suit_here(self.pitch, asked.sheet, self.supports, self.night.needs)

    def held(self, people: int, answer: Callable[[Question], Solution]) -> Form | None:
        """The same at heights at which the night does not stop it; None where there are none."""
        if people not in self._lowered:
            found = held(self.found, self.night, people, answer)
            same = found is self.found or found.figures is None
            made = None if same else forms_of([found], self.night, self.supports)
            self._lowered[people] = replace(made[0], buttons=self.buttons) if made else None
        return self._lowered[people]

    def stakes(self, way: Carrying) -> int:
        """Stakes that it takes when it is carried so, with those that make it hold tonight."""
        return way.rig.stakes_needed() + sum(r.stakes for r in self.judged(way).remedies)

    def longer_stakes(self, way: Carrying) -> int:
        """How many of its stakes are to be longer than the usual ones."""
        return sum(r.longer for r in self.judged(way).remedies)

    def move_at_force(self, way: Carrying) -> int:
        """The wind force at which to be gone; 12 where no wind tells one."""
        gale = self.judged(way).gale
        return gale.move_at_force if gale else 12

    @property
    def shelter(self) -> Shelter:
        """The folded sheet."""
        return self.figures.shelter

    @cached_property
    def back_deg(self) -> float:
        """From where, in its own frame, the wind comes onto its back."""
        return back_to_wind_deg(openings(self.shelter))

    @cached_property
    def open_shares(self) -> Floats:
        """How open it is to winds every 15 degrees round from its back."""
        bearings = (self.back_deg + np.arange(0.0, 360.0, 15.0)) % 360
        return np.array(open_round(self.shelter, openings(self.shelter), list(bearings)))


def offered(night: Night) -> tuple[str, ...]:
    """Pitches a plan looks at tonight: those practitioners take for such a night, the first choices
    first and of these the quickest, then the plain ones; last the plain ones that nobody takes for
    such a night, so that a bed under a bad choice is found where there is no other.
    """
    suits = {slug: suit_tonight(pitch, night.needs) for slug, pitch in PITCHES.items()}
    some = [
        s
        for s, suit in suits.items()
        if (suit >= Suit.WELL or PITCHES[s].suits.plain) and there(PITCHES[s], night)
    ]
    some.sort(key=lambda slug: (-suits[slug], PITCHES[slug].minutes))
    return tuple(s for s in some if not PITCHES[s].carried_by)


def questions(
    sheet: Sheet,
    pitches: Iterable[str],
    night: Night,
    supports: Supports,
    owner_m: float | None,
    tallest_m: float,
    wanted: int,
    *,
    tightly: bool = False,
) -> list[Question]:
    """What is asked of one sheet: each pitch for `wanted` people, who lie as usual or tightly;
    nothing when its cloth is too small for so many.
    """
    if wanted > 1 and sheet.area_m2 < wanted * BED_SHEET_M2:
        return []
    usual = min(USUAL_STATURE_M, tallest_m)
    stature = max(usual, owner_m or 0.0) if wanted == 1 else usual
    asked = [
        Question(
            sheet=sheet,
            pitch=PITCHES[slug],
            settings={},
            body=Body(stature),
            intent=night.needs.wanted,
            supports=supports,
            weather=night.needs.weather(90.0),
            wanted=wanted,
            lying=night.lying,
            free_to_turn=True,
            uphill_off_wind_deg=night.uphill_off_wind_deg,
            shorter=False,
            handy=True,
        )
        for slug in pitches
    ]
    return [closer(q) for q in asked] if tightly else asked


def closer(question: Question) -> Question:
    """The same for people who lie tightly."""
    return replace(question, clearance=tight(question.clearance))


def forms_of(
    solutions: Iterable[Solution], night: Night, supports: Supports, *, buttons: bool = True
) -> list[Form]:
    """The forms among the answers that give anybody a dry bed; of some the night may turn out to
    stop them (`Form.stands`).
    """
    return [
        Form(
            found,
            tuple(sorted(found.settings.items())),
            found.figures,
            night,
            supports,
            buttons,
        )
        for found in solutions
        if found.figures is not None and found.figures.sleepers
    ]


def carryings(shelter: Shelter, supports: Supports) -> list[Carrying]:
    """Each way of carrying a shelter: on trees, on poles, on one of each; one line through or two
    ends, as the house has it. Stakes and lines are counted by the plan, so here there is no end of
    them.
    """
    high = len(shelter.pitch.high_points())
    plenty = replace(supports, stakes=None, lines_m=None)
    some = [
        replace(
            plenty,
            trees=(Tree(),) * high,
            poles=supports.poles if high < 2 else (),
            others=(),
        )
    ]
    some += [replace(plenty, trees=(), others=())]
    if high == 2:
        some.append(replace(plenty, trees=(Tree(),), others=()))
    houses = (
        ["through", "ends"]
        if supports.house.ridge not in ("through", "ends")
        else [supports.house.ridge]
    )
    out: dict[object, Carrying] = {}
    for at_hand in some:
        for ridge in houses if len(at_hand.trees or ()) == high == 2 else houses[:1]:
            found = assess(
                shelter, replace(at_hand, house=replace(at_hand.house, ridge=ridge))
            )
            blocks = [r for r in found.reasons if r.blocks and r.code != BUTTON]
            if found.rig is not None and not blocks:
                lengths = _pole_lengths(shelter, found.rig, supports.house.pole_share)
                way = Carrying(found.rig, found.buttons, lengths)
                kinds = tuple(sorted(s.kind for s in found.rig.supports))
                out.setdefault((kinds, found.rig.through_line), way)
    return list(out.values())


def _pole_lengths(shelter: Shelter, rig: Rig, share: float) -> tuple[float, ...]:
    """Lengths of a rig's poles: a tipped one is longer than it is high; those that prop a middle
    from inside stand upright.
    """
    lifted = {a.point for a in shelter.pitch.anchors if a.hold is Hold.LIFTED}
    return tuple(
        s.height_m / (1.0 if s.point in lifted else share)
        for s in rig.supports
        if s.kind in POLE_KINDS
    )


@dataclass(frozen=True)
class Weathered:
    """A form met by the wind from one side of its own frame: beds by stature, sitting places,
    places out of the wind.
    """

    beds: tuple[tuple[float, int], ...]
    sit: int
    calm: int
    open_share: float

    @property
    def most(self) -> int:
        """Most people that lie dry, the shortest taken."""
        return max((count for _, count in self.beds), default=0)


def weathered(
    form: Form,
    night: Night,
    from_deg: float,
    uphill_deg: float | None,
    statures: Sequence[float],
) -> Weathered:
    """What a form gives with the wind from `from_deg` and the ground rising towards `uphill_deg` in
    its own frame.

    Dry ground, clearances and head rule are those of the figures themselves (`measure`); a taller
    person never finds more room, so only as many statures are laid out as it takes to tell where
    the number of mats changes.
    """
    figures = form.figures
    weather = replace(figures.weather, wind_from_deg=from_deg)
    roof = roof_of(form.shelter)
    lying = (
        figures.lying
        if uphill_deg is None
        else replace(figures.lying, uphill_deg=uphill_deg)
    )
    if form.pitch.bed is not None:
        return Weathered(
            beds_of({max(statures): figures.sleepers}),
            figures.sleepers,
            figures.sleepers,
            0.0,
        )
    same = abs((from_deg - figures.weather.wind_from_deg + 180) % 360 - 180) < SAME_DEG
    dry = (
        None
        if rain_slope(weather) == 0
        else figures.dry_ground
        if same
        else dry_ground(roof, weather)
    )
    beds = bed_ground(form.shelter, roof, weather, dry)
    ground = LyingGround.under(roof, beds, figures.clearance)
    headings = lying.headings(form.shelter)
    known: dict[float, int] = {}

    def count(stature: float) -> int:
        if stature not in known:
            coarse = len(
                lay_mats(
                    ground, stature, figures.clearance, stride=COARSE, headings=headings
                )
            )
            short = (
                coarse < figures.sleepers and stature <= form.stature_m
            )  # it did fit more when it was searched for
            known[stature] = (
                len(lay_mats(ground, stature, figures.clearance, headings=headings))
                if short
                else coarse
            )
        return known[stature]

    order = sorted(set(statures))

    def fill(low: int, high: int) -> None:
        """Counts between two places of the list; equal ends leave nothing to find out."""
        a, b = count(order[low]), count(order[high])
        if high - low <= 1:
            return
        if a <= b:
            for stature in order[low + 1 : high]:
                known.setdefault(stature, b)
            return
        middle = (low + high) // 2
        fill(low, middle)
        fill(middle, high)

    fill(0, len(order) - 1)
    room = beds_of(known)
    most = max(known.values(), default=0)
    windy = (night.needs.wind_m_s or 0.0) >= WINDY_M_S
    open_share = open_to_wind(form.shelter, from_deg % 360) if night.needs.wind_m_s else 0.0
    tall = min(USUAL_STATURE_M, max(order))
    if night.needs.wanted.slug == "storm":  # one place to sit with a bent back is enough
        sit = most if roof.area_above(SLUMPED * tall) >= SIT_LEAST_M2 else 0
    else:
        sit_m2 = roof.area_above(sitting_height(Body(tall)))
        sit = min(most, math.floor(sit_m2 / SIT_EACH_M2 + 1e-9))
    return Weathered(room, sit, 0 if windy and open_share > OPEN_MUCH else most, open_share)
