"""What to look at when one walks round a shelter before dark: the checks of its own pitch, its rig
and tonight's weather.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from tarvik.core.pitches.base import Hold
from tarvik.core.rig.supports import POLE_KINDS

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.loads.remedies import Remedy
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.weather.needs import NightNeeds

BREEZE_M_S: Final = 3.4
"""Wind from which edges and stakes are looked at on the weather side: force 3 (Beaufort scale)."""


STANDING_KINDS: Final = frozenset((*POLE_KINDS, "forked stick", "bipod", "tripod"))
"""Supports that stand on feet of their own."""


@dataclass(frozen=True, slots=True)
class Check:
    """One thing to look at: a name that stays, and the question."""

    code: str
    words: str


def checks(
    shelter: Shelter, rig: Rig | None, needs: NightNeeds, remedies: Sequence[Remedy] = ()
) -> list[Check]:
    """What to look at on a shelter, in the order in which one walks round it."""
    pitch = shelter.pitch
    high = pitch.high_points()
    found = [Check("overhead", "Nothing dead or loose hangs over it?")]
    if len(high) > 1:
        found.append(Check("ridge", "Is the ridge drum-tight from end to end?"))
    elif high:
        found.append(Check("peak", "Does the peak stand firm and straight over its foot?"))
    found.append(Check("slack", "Any slack panel, or a corner that folds?"))
    if needs.rain_mm_h or needs.snow_kg_m2:
        found.append(
            Check("pools", "Push up each panel by hand: does water gather anywhere?")
        )
        found.append(Check("drips", "Do the edges drip clear of every mat?"))
    if (needs.wind_m_s or 0.0) >= BREEZE_M_S:
        found.append(
            Check("weather_side", "Edges down on the weather side, no gap under them?")
        )
    found.append(Check("air", "A gap for air high up, on the side away from the wind?"))
    found.append(
        Check("stakes", "Stakes to the head in the ground, leaning away from the sheet?")
    )
    found += [
        Check(f"remedy_{n}", f"Done: {remedy.message}?")
        for n, remedy in enumerate(remedies, 1)
    ]
    if rig is not None:
        kinds = {support.kind for support in rig.supports}
        if kinds & STANDING_KINDS:
            found.append(Check("poles", "Pole feet firm when you rock them by hand?"))
        if "tree" in kinds:
            found.append(Check("trees", "Trunks sound, knots holding, bark not cut?"))
        if any("guy" in line.purpose for line in rig.lines):
            found.append(Check("guys", "Guys marked where people walk?"))
    if any(setting.is_door for setting in pitch.settings):
        found.append(Check("doors", "Do the doors shut and open from inside, in the dark?"))
    if any(anchor.hold is Hold.FREE for anchor in pitch.anchors):
        found.append(
            Check("free", "Loose edges tied or weighed down so that nothing flaps?")
        )
    found.append(Check("people", "Everybody in, dry, lamp and warm things at hand?"))
    return found
