"""What is wrong? A shelter that is sound on a night, spoilt by one change: the judgement says what
is wrong with it now.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.drills.placed_faults import across_a_path, under_a_drip
from tarvik.core.drills.words import night_words, sheet_words
from tarvik.core.finding import Level
from tarvik.core.loads.holding import ground_named
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.sentences import inside, sentence

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from random import Random

    from tarvik.core.drills.material import Material
    from tarvik.core.drills.placed_faults import PlacedFault
    from tarvik.core.finding import Finding
    from tarvik.core.pitches.base import Pitch
    from tarvik.core.sheet import Sheet
    from tarvik.core.solve import Solution
    from tarvik.core.tonight import Night, Tonight

FAULTS: Final[Mapping[str, str]] = MappingProxyType(
    {
        "mouth": "Its open side looks into the wind",
        "pool": "Rain pools on a panel that is too flat",
        "pull": "A stake or a line is pulled harder than it can be trusted with",
        "bed": "Nobody lies dry there with room over the mat",
        "smoke": "It stands too near to the fire, or shuts the fire in",
        "slack": "The cloth hangs slack or rests on who lies there",
        "path": "A line or a stake stands across the path",
        "drip": "An edge drips onto a mat",
    }
)
"""What can be wrong, as it is offered."""
CODES: Final[Mapping[str, str]] = MappingProxyType(
    {
        "open_to_wind": "mouth",
        "pool": "pool",
        "pool_feeds": "pool",
        "stakes_helped": "pull",
        "unheld": "pull",
        "cloth_stretches": "pull",
        "nobody_dry": "bed",
        "nobody_fits": "bed",
        "beds_short": "bed",
        "under_mat": "bed",
        "fire_closed": "smoke",
        "fire_distance": "smoke",
        "hangs_loose": "slack",
        "hangs_on_mats": "slack",
        "slack_cloth": "slack",
    }
)
"""The fault that a finding of the judgement tells of."""
PULLED: Final = ("stake_", "line_", "trunk_", "guy_", "ridge_", "tree_")
"""How codes begin that tell of what holds the sheet."""
OPTIONS: Final = 4
PLACED_SHARE: Final = 0.06
"""Share of the sound shelters that are spoilt by their place, or a mat's, which always succeeds;
what is done to the sheet seldom does.
"""
LOWER_M: Final = 0.35
HIGHER_M: Final = 0.5


@dataclass(frozen=True, slots=True)
class _Spoilt:
    """A sound shelter after one change: what was done to it, in words."""

    words: str
    settings: Mapping[str, float]
    night: Night
    wind_from_deg: float | None = None


def fault(material: Material, rng: Random, level: int = 1) -> Choice | None:
    """A drill; None where what was drawn makes none. Harder drills offer more that is wrong with
    other shelters on such a night.
    """
    sheet, night = rng.choice(material.sheets), rng.choice(material.nights)
    slug = rng.choice(sorted(PITCHES))
    question = material.question(sheet, slug, night)
    if material.solve(question).verdict is not Verdict.FORMS:
        return None
    solution, judged = material.judge(question, night)
    if judged.verdict is not Verdict.FORMS or told_of(judged.findings):
        return None
    if rng.random() < PLACED_SHARE:
        placed = under_a_drip(solution, night, rng) or across_a_path(solution, rng)
        if placed is not None:
            return _placed(material, rng, level, sheet, night, placed)
    for spoil in rng.sample(SPOILS, len(SPOILS)):
        spoilt = spoil(solution, night)
        if spoilt is None:
            continue
        again, verdict = _judged(material, sheet, slug, spoilt)
        found = told_of(verdict.findings)
        if again.shelter is not None and found:
            return _drill(material, rng, level, sheet, spoilt, again, verdict, found)
    return None


def told_of(findings: Sequence[Finding]) -> frozenset[str]:
    """The faults that findings tell of, notes left out."""
    return frozenset(
        CODES.get(f.code, "pull" if f.code.startswith(PULLED) else "")
        for f in findings
        if f.level > Level.NOTE
    ) - {""}


def _judged(
    material: Material, sheet: Sheet, slug: str, spoilt: _Spoilt
) -> tuple[Solution, Tonight]:
    question = material.question(
        sheet, slug, spoilt.night, spoilt.settings, spoilt.wind_from_deg
    )
    return material.judge(replace(question, handy=False), spoilt.night)


def _asks(material: Material, sheet: Sheet, night: Night, pitch: Pitch, done: str) -> str:
    """The question of a spoilt shelter; `done`: what was done to it."""
    given = f"{sheet_words(sheet, material.units)} {night_words(night, material.units)}"
    return f"{given} It stands as {inside(pitch.name)}; {done}. What is wrong?"


def _placed(
    material: Material,
    rng: Random,
    level: int,
    sheet: Sheet,
    night: Night,
    spoilt: PlacedFault,
) -> Choice:
    """The drill of a shelter that is sound but for its place, or for a mat's."""
    # A mat pushed out may lie in the rain too: that answer is not offered then.
    others = [name for name in FAULTS if name not in (spoilt.fault, "bed")]
    shown = [spoilt.fault, *rng.sample(others, min(len(others), OPTIONS + level - 2))]
    rng.shuffle(shown)
    pitch = spoilt.shelter.question.pitch
    return Choice(
        kind=Kind.FAULT,
        item=f"{Kind.FAULT}:{spoilt.fault}",
        asks=_asks(material, sheet, night, pitch, spoilt.words),
        why=f"{FAULTS[spoilt.fault]}: {spoilt.told}.",
        shelter=spoilt.shelter,
        path=spoilt.path,
        options=tuple(FAULTS[name] for name in shown),
        right=frozenset({shown.index(spoilt.fault)}),
    )


def _drill(
    material: Material,
    rng: Random,
    level: int,
    sheet: Sheet,
    spoilt: _Spoilt,
    solution: Solution,
    judged: Tonight,
    found: frozenset[str],
) -> Choice | None:
    others = [name for name in FAULTS if name not in found]
    shown = [
        *found,
        *rng.sample(others, min(len(others), OPTIONS + level - 1 - len(found))),
    ]
    rng.shuffle(shown)
    pitch = solution.question.pitch
    worst = judged.worst
    names = ", ".join(FAULTS[name].lower() for name in sorted(found))
    return Choice(
        kind=Kind.FAULT,
        item=f"{Kind.FAULT}:{min(found)}",
        asks=_asks(material, sheet, spoilt.night, pitch, spoilt.words),
        why=sentence(names)
        + (f": {worst.message}. What helps: {worst.remedy}." if worst is not None else "."),
        shelter=solution,
        options=tuple(FAULTS[name] for name in shown),
        right=frozenset(n for n, name in enumerate(shown) if name in found),
    )


def _turned(solution: Solution, night: Night) -> _Spoilt | None:
    """Its front turned into the wind."""
    if not night.needs.wind_m_s or solution.figures is None:
        return None
    front = (solution.figures.weather.wind_from_deg + 180.0) % 360.0
    return _Spoilt("the wind comes onto its front", solution.settings, night, front)


def _lower(solution: Solution, night: Night) -> _Spoilt | None:
    return _moved(solution, night, -LOWER_M, "somebody has set it lower")


def _higher(solution: Solution, night: Night) -> _Spoilt | None:
    return _moved(solution, night, HIGHER_M, "somebody has set it higher")


def _moved(solution: Solution, night: Night, by_m: float, words: str) -> _Spoilt | None:
    """Its height moved by so much, within what the pitch allows."""
    settings = dict(solution.settings)
    pitch = solution.question.pitch
    if "height" not in settings:
        return None
    kind = pitch.setting("height")
    height = min(max(settings["height"] + by_m, kind.least), kind.most)
    if abs(height - settings["height"]) < abs(by_m) / 2:
        return None
    return _Spoilt(words, settings | {"height": round(height, 2)}, night)


def _in_sand(solution: Solution, night: Night) -> _Spoilt | None:
    """Its stakes driven into loose sand."""
    if not night.needs.wind_m_s:
        return None
    holding = replace(night.holding, ground=ground_named("sand"), longer=(), own=1.0)
    moved = replace(night, holding=holding)
    return _Spoilt("its stakes stand in loose sand", solution.settings, moved)


SPOILS: Final[tuple[Callable[[Solution, Night], _Spoilt | None], ...]] = (
    _turned,
    _lower,
    _higher,
    _in_sand,
)
"""What may be done to a sound shelter."""
