"""What a solved shelter means on one given night: the verdict for tonight, and everything worth
saying about it.
"""

from __future__ import annotations

import hashlib
import json
import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Final

from tarvik.core.cards import marks, stake_marks
from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.finding import Finding, Level, gravest
from tarvik.core.hang.cloth import PATCH_M
from tarvik.core.hang.fabric import STEP_FAR_M, fabric_named
from tarvik.core.loads.gale import Gale, Weakest, in_gale
from tarvik.core.loads.holding import Holding
from tarvik.core.loads.pressure import snow_case
from tarvik.core.loads.remedies import AtHand, Held, Remedy, deeper_m, remedied
from tarvik.core.loads.snow import (
    HEAVY_KG_M2,
    SNOW_ALL_DEG,
    SNOW_NONE_DEG,
    SNOW_SHARE,
    snow_share,
)
from tarvik.core.measure.drips import splash_zones
from tarvik.core.measure.grades import fits
from tarvik.core.measure.lying import Lying
from tarvik.core.measure.openings import open_round, openings
from tarvik.core.measure.runoff import POOLING_DEG
from tarvik.core.own_values import BUILT_IN, OwnValues
from tarvik.core.rig.verdict import BUTTON, Verdict
from tarvik.core.site.open_ground import open_ground
from tarvik.core.suited import sits, unsuited
from tarvik.core.units import (
    Units,
    format_area,
    format_depth,
    format_force,
    format_length,
)
from tarvik.core.weather.cold import Condensation, condensation
from tarvik.core.weather.needs import HOT_C, Insects, NightNeeds, Stay
from tarvik.core.weather.wind import beaufort, wind_share

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.net import Net
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.solve import Solution

OPEN_MUCH: Final = constant(
    "open_much", 0.5, "1", ENGINEERING, "open share towards the wind that lets the wind in"
)
WINDY_M_S: Final = constant(
    "windy",
    5.5,
    "m/s",
    ENGINEERING,
    "wind (force 4) from which an open side towards it matters",
)
NEARLY_USED: Final = constant(
    "nearly_used",
    0.7,
    "1",
    ENGINEERING,
    "share of the holding from which a caution is given",
)
MOST_GAP_M2: Final = constant(
    "most_gap", 10.0, "m2", ENGINEERING, "more open area than this nobody can leave"
)
AIRY_M2: Final = constant("airy", 1.0, "m2", ENGINEERING, "open area for a hot day")
HALF_A_TENTH: Final = 0.05
"""A panel this little flatter, in degrees, than what sheds water counts as just as steep."""
DIGEST_LETTERS: Final = 12
BEDLESS: Final = frozenset({"lunch", "shade"})
"""Intents for which nobody lies down."""


@dataclass(frozen=True, slots=True)
class Night:
    """One night of a course: its needs, how people lie, what stakes and cords hold, a net to be
    hung, the bearing on the ground that leads uphill, whether buttons may be made, and which values
    of the provider's own log are gone by.
    """

    needs: NightNeeds = field(default_factory=NightNeeds)
    lying: Lying = field(default_factory=Lying)
    holding: Holding = field(default_factory=Holding)
    net: Net | None = None
    uphill_deg: float | None = None
    buttons: bool = True
    own: OwnValues = BUILT_IN

    @property
    def uphill_off_wind_deg(self) -> float | None:
        """How far clockwise from where the wind comes the ground rises; None while either is not
        known.
        """
        if self.uphill_deg is None or self.needs.wind_from_deg is None:
            return None
        return (self.uphill_deg - self.needs.wind_from_deg) % 360

    @property
    def beds_wanted(self) -> bool:
        """Whether anybody is to sleep."""
        return self.needs.stay is not Stay.LUNCH and self.needs.wanted.slug not in BEDLESS


@dataclass(frozen=True, slots=True)
class Tonight:
    """A solved shelter judged for a night. `worst` is the gravest finding; `remedies` are what it
    takes for it to hold, at hand all of them; `gale` has them taken.
    """

    verdict: Verdict
    findings: tuple[Finding, ...]
    gale: Gale | None
    damp: Condensation | None
    remedies: tuple[Remedy, ...] = ()

    @property
    def worst(self) -> Finding | None:
        """What a cell of the board says."""
        return gravest(self.findings)

    @property
    def stops(self) -> tuple[str, ...]:
        """Codes of the findings that stop it, each once."""
        codes = (f.code for f in self.findings if f.level is Level.STOPS)
        return tuple(dict.fromkeys(codes))

    def stopped_besides(self, elements: Collection[str]) -> bool:
        """Whether anything stops it but what is about these elements."""
        return any(
            f.level is Level.STOPS and f.element not in elements for f in self.findings
        )

    def hung_too(self, more: Sequence[Finding]) -> Tonight:
        """The judgement with what the way it hangs adds: what stops a shelter leaves it short of
        something.
        """
        if not more:
            return self
        stops = self.verdict is Verdict.FORMS and any(f.level is Level.STOPS for f in more)
        every = tuple(sorted((*self.findings, *more), key=lambda f: -f.level))
        return replace(
            self, findings=every, verdict=Verdict.NEEDS if stops else self.verdict
        )

    def digest(self, figures: Figures | None) -> str:
        """A short hash of what is judged: verdict, findings with their amounts, remedies, peak,
        beds and forces. The same shelter has the same on every screen.
        """
        parts = self.gale.parts if self.gale else ()
        told = [
            self.verdict.value,
            [(f.code, f.element, f.message, f.remedy, f.level.name) for f in self.findings],
            [r.message for r in self.remedies],
            None if figures is None else [round(figures.peak_m, 3), figures.sleepers],
            [(p.kind, p.where, round(p.pull_n), round(p.holds_n)) for p in parts],
        ]
        return hashlib.sha256(json.dumps(told).encode()).hexdigest()[:DIGEST_LETTERS]


def judge(
    solution: Solution, night: Night, sleepers: int = 1, units: Units = Units.METRIC
) -> Tonight:
    """Judge a solved shelter for `sleepers` people on a night; its figures must be for that night's
    weather.

    `cannot`: the sheet makes no such pitch, or nobody would lie dry. `needs`: something is short
    for the pitch, for the sleepers or for the wind. Findings come in the order of their gravity.
    """
    figures, shelter, rig = solution.figures, solution.shelter, solution.assessment.rig
    if figures is None or shelter is None:
        return Tonight(solution.verdict, (), None, None)
    needs = night.needs
    loaded = needs.wind_m_s or needs.snow_kg_m2
    held = None if rig is None or not loaded else _held(solution, night, rig, units)
    gale = held.gale if held else None
    damp = _damp(figures, needs, sleepers)
    fabric = fabric_named(solution.question.sheet.fabric)
    warning = unsuited(solution.question.pitch, needs)
    found = [] if warning is None else [warning]
    found += _beds(figures, night, sleepers) if night.beds_wanted else []
    found += _wind(figures, night, held, units)
    if held is not None:
        found += _stretched(held, fabric, _names(figures.shelter, held.rig), units)
    found += _water(figures, needs)
    found += _snow(figures, needs, units)
    found += _air(figures, night, damp, units)
    found += _fire(figures, fabric, units) if needs.fire else []
    verdict = solution.verdict
    buttons = _buttons(solution) if night.buttons else ()
    if buttons and lacks_only_buttons(solution):
        verdict = Verdict.FORMS
    if any(f.code in ("nobody_dry", "nobody_fits") for f in found):
        verdict = Verdict.CANNOT
    elif any(f.level is Level.STOPS for f in found) and verdict is Verdict.FORMS:
        verdict = Verdict.NEEDS
    ordered = tuple(sorted(found, key=lambda f: -f.level))
    return Tonight(
        verdict, ordered, gale, damp, (*buttons, *(held.remedies if held else ()))
    )


def _held(solution: Solution, night: Night, rig: Rig, units: Units) -> Held | None:
    """The shelter in tonight's gusts, with the remedies at hand taken."""
    figures, needs = solution.figures, night.needs
    if figures is None:
        return None
    shelter = figures.shelter

    def in_wind(rigged: Rig, holding: Holding) -> Gale | None:
        return in_gale(
            shelter,
            rigged,
            figures.weather.wind_from_deg,
            needs.wind_m_s or 0.0,
            needs.gust_m_s,
            holding=holding,
            around=needs.around,
            temp_c=10.0 if needs.lowest_c is None else needs.lowest_c,
            fabric=fabric_named(solution.question.sheet.fabric),
            spread_deg=needs.spread_deg,
            snow_kg_m2=needs.snow_kg_m2,
        )

    supports = solution.question.supports
    return remedied(
        AtHand(shelter, supports, in_wind, _names(shelter, rig), units), rig, night.holding
    )


def _names(shelter: Shelter, rig: Rig) -> Mapping[str, str]:
    """Marks of points and stakes on the card."""
    stakes = zip(rig.stakes, stake_marks(shelter, rig), strict=True)
    return {**{stake.point: mark for stake, mark in stakes}, **marks(shelter)}


def lacks_only_buttons(solution: Solution) -> bool:
    """Whether nothing is missing, or nothing but buttons."""
    return all(r.code == BUTTON for r in solution.assessment.reasons if r.blocks)


def _buttons(solution: Solution) -> tuple[Remedy, ...]:
    """Buttons that the pitch wants: a stone and a cord make each."""
    words = [r.text(Units.METRIC) for r in solution.assessment.reasons if r.code == BUTTON]
    return tuple(Remedy(BUTTON, text, ()) for text in words)


def _beds(figures: Figures, night: Night, sleepers: int) -> list[Finding]:
    found = []
    windy = figures.rain_slope > 0
    if len(figures.mats) < sleepers <= fits(figures).tight:
        who = "one lies" if sleepers == 1 else f"{sleepers} lie"
        found.append(
            Finding(
                "tight",
                "beds",
                f"{who} here tightly: cloth close over head and feet",
                "bags dry and off the cloth, packs outside; a larger sheet where there is one",
            )
        )
    elif not figures.mats:
        if windy and figures.dry_area_m2 < 0.8 * figures.covered_area_m2:
            found.append(
                Finding(
                    "nobody_dry",
                    "beds",
                    "rain driven in by the wind leaves no dry place to sleep",
                    "turn its back to the wind, lower it, or close the weather side",
                    Level.STOPS,
                )
            )
        else:
            found.append(
                Finding(
                    "nobody_fits",
                    "beds",
                    f"nobody lies dry here with room over the mat{_clear(figures)}",
                    "a larger sheet, or another height",
                    Level.STOPS,
                )
            )
    elif len(figures.mats) < sleepers:
        found.append(
            Finding(
                "beds_short",
                "beds",
                f"{len(figures.mats)} of {sleepers} lie dry here{_clear(figures)}",
                "fewer people, a lower peak, or a larger sheet",
                Level.STOPS,
            )
        )
    if night.lying.gear_in and figures.packs < min(sleepers, max(len(figures.mats), 1)):
        found.append(
            Finding(
                "packs_short",
                "gear",
                f"dry room for {figures.packs} of {sleepers} packs",
                "hang wet gear outside, or put packs in bags by the feet",
            )
        )
    if figures.mats and not sits(figures, night.needs):
        found.append(
            Finding(
                "no_sitting",
                "headroom",
                "no room to sit up",
                "a higher peak, if the wind allows",
                Level.NOTE,
            )
        )
    return found


def _clear(figures: Figures) -> str:
    """Says that beds are clear of drip lines where some drip through the air."""
    splash = figures.weather.splash_m
    drip = splash and len(splash_zones(figures.shelter, splash))
    return ", clear of its drip lines" if drip else ""


def _wind(figures: Figures, night: Night, held: Held | None, units: Units) -> list[Finding]:
    wind = night.needs.wind_m_s or 0.0
    place = open_ground(night.needs)
    found = [] if place is None else [place]
    names = marks(figures.shelter) if held is None else _names(figures.shelter, held.rig)
    weakest = held.gale.weakest if held else None
    if held is not None and weakest is not None:
        if weakest.used > 1:
            worst: dict[str, Weakest] = {}  # the worst stake and the worst line
            for part in sorted(held.gale.parts, key=lambda p: -p.used):
                if part.used > 1:
                    worst.setdefault(_kind(part), part)
            found += [_gives_way(night, part, names, units) for part in worst.values()]
        elif held.remedies:
            words = "; ".join(r.message for r in held.remedies)
            found.append(
                Finding(
                    "stakes_helped",
                    "stakes",
                    "the stakes need help tonight; with it the weakest part is used to "
                    f"{weakest.used * 100:.0f} %",
                    words,
                )
            )
        elif weakest.used > NEARLY_USED:
            where = names.get(weakest.where, weakest.where)
            found.append(
                Finding(
                    f"{_kind(weakest)}_pulls",
                    where,
                    f"the {weakest.kind} at {where} is used to {weakest.used * 100:.0f} % "
                    f"{weakest.under}",
                    _cure(night, weakest, units),
                )
            )
    if held is not None and held.gale.loose:
        points = ", ".join(names.get(p, p) for p in held.gale.loose)
        found.append(
            Finding(
                "unheld",
                points,
                f"nothing holds {points} against this wind",
                "add a guy on the weather side",
                Level.STOPS,
            )
        )
    if wind >= WINDY_M_S and figures.open_to_wind > OPEN_MUCH:
        found.append(
            Finding(
                "open_to_wind",
                "openings",
                f"{figures.open_to_wind * 100:.0f} % open towards force {beaufort(wind)}",
                "turn it, or close that side with packs and a second sheet",
            )
        )
    elif wind >= WINDY_M_S:
        found += _swung(figures, night)
    return found


def _swung(figures: Figures, night: Night) -> list[Finding]:
    """What a wind that swings as far as it may here finds open."""
    spread = max(night.needs.spread_deg, night.needs.around.load_spread_deg)
    now = figures.weather.wind_from_deg
    bearings = [(now + side * spread) % 360 for side in (-1.0, 1.0)]
    shares = open_round(figures.shelter, openings(figures.shelter), bearings)
    most = max(shares)
    if most <= OPEN_MUCH:
        return []
    return [
        Finding(
            "swings_open",
            "openings",
            f"if the wind shifts by {spread:.0f}° it is {most * 100:.0f} % open to it",
            "turn it a little further from there, or have packs ready to close that side",
            Level.NOTE,
        )
    ]


def _stretched(
    held: Held, fabric: Fabric, names: Mapping[str, str], units: Units
) -> list[Finding]:
    """Tie-outs at which film stretches for good: it gathers the pull from a patch to each side."""
    at_once = 2 * PATCH_M * fabric.yields_n_m
    pulls: dict[str, float] = {}
    for part in held.gale.parts:
        pulls[part.where] = max(pulls.get(part.where, 0.0), part.pull_n)
    weak = [names.get(point, point) for point, pull in pulls.items() if pull > at_once]
    if not weak:
        return []
    return [
        Finding(
            "cloth_stretches",
            ", ".join(weak),
            f"{fabric.name} stretches for good at {', '.join(weak)} tonight: more than "
            f"{format_force(at_once, units)} on one button",
            "two buttons side by side at those points, or a lower pitch",
        )
    ]


def _kind(part: Weakest) -> str:
    return "stake" if part.kind == "stake" else "line"


def _cure(night: Night, part: Weakest, units: Units) -> str:
    """What to do about a part that is used up."""
    if part.kind != "stake":
        return "take thicker cord, or double the line; or a lower pitch"
    deep = deeper_m(night.holding, part.pull_n)
    longer = "" if deep is None else f"stakes driven {format_depth(deep, units)} deep; or "
    return f"{longer}{night.holding.ground.cure}, or a lower pitch"


def _gives_way(
    night: Night, part: Weakest, names: Mapping[str, str], units: Units
) -> Finding:
    where = names.get(part.where, part.where)
    what = f"{part.kind} {where}" if part.kind == "stake" else f"the {part.kind} at {where}"
    fails = "pull out" if part.kind == "stake" else "break"
    return Finding(
        f"{_kind(part)}_pulls",
        where,
        f"{what} will {fails} {part.under} (pull {format_force(part.pull_n, units)}, holds "
        f"{format_force(part.holds_n, units)})",
        _cure(night, part, units),
        Level.STOPS,
    )


def _water(figures: Figures, needs: NightNeeds) -> list[Finding]:
    found = []
    slope = figures.least_slope_deg
    rain = needs.rain_mm_h
    if slope < POOLING_DEG - HALF_A_TENTH and (rain is None or rain > 0):
        found.append(
            Finding(
                "pool",
                "roof",
                f"a panel lies at only {slope:.0f}°: water will stand on it",
                "lower one corner, so that it runs off",
                Level.STOPS if rain else Level.CAUTION,
            )
        )
    return found


def _snow(figures: Figures, needs: NightNeeds, units: Units) -> list[Finding]:
    """Snow that lies on panels which do not shed it; much of it brings a sheet down."""
    on_ground = needs.snow_kg_m2
    if not on_ground:
        return []
    slope = figures.least_slope_deg
    if slope < SNOW_ALL_DEG:
        loads = snow_case(figures.shelter, 0.0, on_ground).loads
        most_n = max((-load.force_n[2] for load in loads), default=0.0)
        heavy = on_ground * SNOW_SHARE >= HEAVY_KG_M2
        return [
            Finding(
                "snow_lies",
                "roof",
                f"snow will lie on a panel of {slope:.0f}°: "
                f"up to {format_force(most_n, units)} on "
                "one panel",
                "pitch it steeper, with no panel flatter than 45°; beat the snow off all night",
                Level.STOPS if heavy else Level.CAUTION,
            )
        ]
    if snow_share(math.tan(math.radians(slope))) * on_ground < HEAVY_KG_M2 / 2:
        return []
    return [
        Finding(
            "snow_stays",
            "roof",
            f"a roof of {slope:.0f}° sheds part of the snow only",
            f"beat it off from inside; from {SNOW_NONE_DEG:.0f}° on it slides by itself",
            Level.NOTE,
        )
    ]


def _fire(figures: Figures, fabric: Fabric, units: Units) -> list[Finding]:
    """How far from this cloth the fire stands that is wanted in front."""
    away = format_length(fabric.fire_m, units)
    if figures.open_area_m2 < AIRY_M2:
        return [
            Finding(
                "fire_closed",
                "fire",
                "no fire at the mouth of a closed shelter: its fumes gather inside",
                f"open it wide, or keep the fire for sitting round, {away} off at least",
            )
        ]
    if fabric.spark_proof:
        step = f"{away} to {format_length(STEP_FAR_M, units)}"
        words = (
            f"the fire stands one long step ({step}) outside the opening, off to one side"
        )
        return [
            Finding("fire_distance", "fire", words, "clear of lines, small", Level.NOTE)
        ]
    return [
        Finding(
            "fire_distance",
            "fire",
            f"the fire stands {away} from {fabric.name} at least: it melts or burns",
            "little warmth reaches so far: take canvas for a fire in front",
            Level.CAUTION,
        )
    ]


def _damp(figures: Figures, needs: NightNeeds, sleepers: int) -> Condensation | None:
    if needs.lowest_c is None or needs.humidity_pct is None:
        return None
    height = max(figures.peak_m, 1.0)
    wind = (needs.wind_m_s or 0.0) * wind_share(height, needs.around)
    hidden = needs.cloud_pct
    if hidden is not None:  # crowns hide the sky as clouds do
        hidden = 100.0 - (100.0 - hidden) * needs.around.sky
    return condensation(
        needs.lowest_c, needs.humidity_pct, wind, figures.open_area_m2, sleepers, hidden
    )


def _air(
    figures: Figures, night: Night, damp: Condensation | None, units: Units
) -> list[Finding]:
    found = []
    wanted = damp.needed_m2 if damp is not None and damp.risk == "likely" else None
    if wanted is not None and wanted > MOST_GAP_M2:
        found.append(
            Finding(
                "condensation",
                "air",
                "breath will condense on the sheet whatever is open",
                "keep bags off the cloth; wipe it at dawn",
                Level.NOTE,
            )
        )
    elif damp is not None and wanted is not None:
        found.append(
            Finding(
                "condensation",
                "air",
                f"breath will condense on the sheet: {format_area(damp.open_m2, units)} open, "
                f"{format_area(wanted, units)} wanted",
                "leave a gap high at both ends, or raise an edge",
            )
        )
    elif damp is not None and damp.risk == "dew":
        found.append(
            Finding(
                "dew",
                "air",
                "dew will form on the sheet whatever is open",
                "do not touch the cloth; wipe it at dawn",
                Level.NOTE,
            )
        )
    return found + _close(figures, night, units)


def _close(figures: Figures, night: Night, units: Units) -> list[Finding]:
    """What is said of heat and of a net."""
    needs = night.needs
    found = []
    if (
        needs.highest_c is not None
        and needs.highest_c >= HOT_C
        and figures.open_area_m2 < AIRY_M2
    ):
        found.append(
            Finding(
                "close",
                "air",
                "close and hot: hardly any air",
                "raise an edge or open the ends",
                Level.NOTE,
            )
        )
    net = night.net
    if (
        net is not None
        and needs.insects is not Insects.NONE
        and net.height_m > figures.peak_m
    ):
        found.append(
            Finding(
                "net_touches",
                "net",
                (
                    f"the net is {format_length(net.height_m - figures.peak_m, units)} taller "
                    "than the peak"
                ),
                "raise the ridge, or take a lower net",
            )
        )
    return found
