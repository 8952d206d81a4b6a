"""How each figure is computed: formula, inputs, source, limits. Built from the constants, so that it cannot go stale."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.constant import constant_record
from tarvik.core.measure.figures import Figures, sitting_height, standing_height
from tarvik.core.measure.runoff import POOLING_DEG
from tarvik.core.units import Units, format_area, format_length

if TYPE_CHECKING:
    from tarvik.core.body import Body


@dataclass(frozen=True, slots=True)
class Explained:
    """A figure in words: its value, how it came about, what went in, where the method is from, what it leaves out."""

    key: str
    title: str
    value: str
    how: str
    inputs: tuple[tuple[str, str], ...]
    source: str
    limits: str


_TAUT = "Taut ideal: real cloth sags a little, wet cloth more."


def explain(figures: Figures, body: Body, units: Units) -> list[Explained]:
    """Every figure of a shelter for one person, in the course's units."""
    room = figures.clearance

    def length(metres: float) -> str:
        return format_length(metres, units)

    sit, stand = sitting_height(body), standing_height(body)
    stature = ("Stature", length(body.stature_m))
    ratio = constant_record("body_sitting")
    return [
        Explained("peak", "Headroom at the peak", length(figures.peak_m),
                  "Height of the highest point of the folded sheet above the ground.", (),
                  "geometry: panels keep their size when folded", _TAUT),
        Explained("sleepers", "Mats that lie dry", str(figures.sleepers),
                  "The most mats that fit side by side or otherwise without overlap, each wholly on dry ground with room "
                  "over it. Headings every 2 degrees, places without steps.",
                  (stature, ("Mat", f"{length(room.mat_length(body.stature_m))} by {length(room.mat_width_m)}"),
                   ("Over the head end", f"{length(room.head_m)} for {length(room.head_length_m)}"),
                   ("Over the middle", length(room.middle_m)),
                   ("Over the feet", f"{length(room.foot_m)} for {length(room.foot_length_m)}"),
                   ("Over the rest of the mat", length(room.edge_m)), ("Middle strip", length(room.strip_m))),
                  "engineering assumptions, tuned to common practice; up to three mats the count is the true optimum",
                  f"{_TAUT} Above three mats only rows and stacks are tried."),
        Explained("dry", "Dry ground", format_area(figures.dry_area_m2, units),
                  "Ground that no drop reaches: the shadow of every panel along the fall of the rain, united; in calm air "
                  "the ground the sheet covers.",
                  (("Rain moves sideways", f"{figures.rain_slope:.2f} of its fall"),),
                  "exact polygons; " + constant_record("drop_scale").source,
                  "Splash, drips from the edge and spray through the cloth are not counted."),
        Explained("covered", "Covered ground", format_area(figures.covered_area_m2, units),
                  "Area of all panels but floors, seen from above.", (), "geometry", _TAUT),
        Explained("sit", "Ground to sit up on", format_area(figures.sit_area_m2, units),
                  "Covered ground over which the roof is at least sitting height plus a hand's breadth.",
                  (stature, ("Roof wanted", length(sit))), ratio.source, _TAUT),
        Explained("stand", "Ground to stand on", format_area(figures.stand_area_m2, units),
                  "Covered ground over which the roof is at least the stature plus a hand's breadth.",
                  (stature, ("Roof wanted", length(stand))), "geometry", _TAUT),
        Explained("slope", "Flattest panel", f"{figures.least_slope_deg:.0f}°",
                  f"Slope of the flattest roof panel from level. Under {POOLING_DEG:.0f}° water stands in a sag.", (),
                  constant_record("pooling_slope").source, "A sagging middle can be flatter than its panel."),
        Explained("open", "Open towards the back", f"{figures.open_to_wind * 100:.0f} %",
                  "Share of the outline, seen from the wind, that is opening and not cloth. The wind is taken on the back.",
                  (), "geometry: projection across the wind", "Gaps under staked edges are not counted."),
    ]  # fmt: skip
