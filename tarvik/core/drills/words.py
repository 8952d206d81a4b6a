"""Sheets and nights in a drill's words: nobody is named."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.hang.fabric import fabric_named
from tarvik.core.quantities import format_rain, format_temperature
from tarvik.core.sentences import inside
from tarvik.core.units import Units, format_size
from tarvik.core.weather.wind import beaufort

if TYPE_CHECKING:
    from tarvik.core.sheet import Sheet
    from tarvik.core.tonight import Night


def sheet_words(sheet: Sheet, units: Units) -> str:
    """A sheet by its size and cloth."""
    box = sheet.box
    size = (
        "a sheet with corners of its own"
        if box is None
        else f"a {format_size(*box, units)} sheet"
    )
    return f"You have {size} of {fabric_named(sheet.fabric).name.lower()}."


def night_words(night: Night, units: Units) -> str:
    """A night by its weather and place."""
    needs = night.needs
    parts = []
    if needs.rain_mm_h:
        parts.append(f"rain of {format_rain(needs.rain_mm_h, units)}")
    parts.append(
        f"force {beaufort(needs.wind_m_s)}" if needs.wind_m_s else "no wind to speak of"
    )
    if needs.lowest_c is not None:
        parts.append(f"down to {format_temperature(needs.lowest_c, units)}")
    where, kind = inside(needs.around.name), inside(needs.wanted.name)
    return f"The night: {', '.join(parts)}; {where}; {kind}."
