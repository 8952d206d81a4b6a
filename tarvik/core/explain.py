"""How each figure is computed: formula, inputs, source, limits. Built from the constants, so that
it cannot go stale.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.constant import constant_record
from tarvik.core.loads.holding import BROMS_CLAY, EN_564
from tarvik.core.loads.pressure import CANOPY, ROOF
from tarvik.core.measure.figures import (
    Figures,
    kneeling_height,
    sitting_height,
    standing_height,
)
from tarvik.core.measure.grades import EASE, TIGHT, fits
from tarvik.core.measure.lying import PACK_HEIGHT_M, PACK_M2
from tarvik.core.measure.runoff import POOLING_DEG
from tarvik.core.quantities import format_speed, format_temperature
from tarvik.core.units import (
    Units,
    format_area,
    format_force,
    format_length,
    format_pressure,
)
from tarvik.core.weather.cold import MAGNUS, ORIFICE
from tarvik.core.weather.rain import slant_words

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.body import Body
    from tarvik.core.measure.clearance import Clearance
    from tarvik.core.tonight import Tonight


@dataclass(frozen=True, slots=True)
class Explained:
    """A figure in words: its value, how it came about, what went in, where the method is from, what
    it leaves out.
    """

    key: str
    title: str
    value: str
    how: str
    inputs: tuple[tuple[str, str], ...]
    source: str
    limits: str


_DRY = "Dry cloth, its stakes pulled as usual: wet cloth sags more."


def _room(room: Clearance, length: Callable[[float], str]) -> str:
    """A grade's clearances in words."""
    return (
        f"{length(room.mat_width_m)} wide, stature and {length(room.mat_extra_m)} long, "
        f"{length(room.head_m)} over the head"
    )


def explain(
    figures: Figures, body: Body, units: Units, tonight: Tonight | None = None
) -> list[Explained]:
    """Every figure of a shelter for one person, in the course's units; with `tonight`, what the
    night does to it.
    """
    return [
        *_shape(figures, body, units),
        *(_night(figures, units, tonight) if tonight is not None else []),
    ]


def _shape(figures: Figures, body: Body, units: Units) -> list[Explained]:
    return [
        *_height(figures, units),
        _mats(figures, body, units),
        *_ground(figures, units),
        *_postures(figures, body, units),
        *_cloth(figures, units),
        _packs(figures, units),
    ]


def _height(figures: Figures, units: Units) -> list[Explained]:
    """The peak."""
    return [
        Explained(
            "peak",
            "Headroom at the peak",
            format_length(figures.peak_m, units),
            "Height of the highest point of the sheet above the ground, as it hangs.",
            (),
            "geometry: panels keep their size when folded",
            _DRY,
        ),
    ]


def _mats(figures: Figures, body: Body, units: Units) -> Explained:
    """How many lie dry."""
    room = figures.clearance

    def length(metres: float) -> str:
        return format_length(metres, units)

    return Explained(
        "sleepers",
        "Mats that lie dry",
        fits(figures).words,
        "The most mats that fit side by side or otherwise without overlap, each wholly on "
        "dry ground with room "
        "over it. Headings every 2 degrees, places without steps.",
        (
            _stature(body, units),
            (
                "Mat",
                f"{length(room.mat_length(body.stature_m))} by {length(room.mat_width_m)}",
            ),
            (
                "Over the head end",
                f"{length(room.head_m)} for {length(room.head_length_m)}",
            ),
            ("Over the middle", length(room.middle_m)),
            (
                "Over the feet",
                f"{length(room.foot_m)} for {length(room.foot_length_m)}",
            ),
            ("Over the rest of the mat", length(room.edge_m)),
            ("Middle strip", length(room.strip_m)),
            ("With ease", f"{fits(figures).ease}, {_room(EASE, length)}"),
            ("Tight", f"{fits(figures).tight}, {_room(TIGHT, length)}"),
        ),
        (
            "engineering assumptions, tuned to common practice; up to three mats the count "
            "is the true optimum"
        ),
        f"{_DRY} Above three mats only rows and stacks are tried.",
    )


def _ground(figures: Figures, units: Units) -> list[Explained]:
    """Ground that is dry, and covered."""
    return [
        Explained(
            "dry",
            "Dry ground",
            format_area(figures.dry_area_m2, units),
            "Ground that no drop reaches: the shadow of every panel along the fall of the "
            "rain, united; in calm air "
            "the ground the sheet covers.",
            (("Rain slants", slant_words(figures.rain_slope)),),
            "exact polygons; " + constant_record("drop_scale").source,
            "Splash, drips from the edge and spray through the cloth are not counted.",
        ),
        Explained(
            "covered",
            "Covered ground",
            format_area(figures.covered_area_m2, units),
            "Area of all panels but floors, seen from above.",
            (),
            "geometry",
            _DRY,
        ),
    ]


def _postures(figures: Figures, body: Body, units: Units) -> list[Explained]:
    """Ground to sit, kneel and stand on."""
    stature = _stature(body, units)
    sit, stand = sitting_height(body), standing_height(body)
    return [
        Explained(
            "sit",
            "Ground to sit up on",
            format_area(figures.sit_area_m2, units),
            "Covered ground over which the roof is at least sitting height plus a hand's breadth.",
            (stature, ("Roof wanted", format_length(sit, units))),
            constant_record("body_sitting").source,
            _DRY,
        ),
        Explained(
            "kneel",
            "Ground to kneel on",
            format_area(figures.kneel_area_m2, units),
            "Covered ground over which the roof is at least kneeling height plus a hand's breadth.",
            (stature, ("Roof wanted", format_length(kneeling_height(body), units))),
            constant_record("body_kneeling").source,
            _DRY,
        ),
        Explained(
            "stand",
            "Ground to stand on",
            format_area(figures.stand_area_m2, units),
            "Covered ground over which the roof is at least the stature plus a hand's breadth.",
            (stature, ("Roof wanted", format_length(stand, units))),
            "geometry",
            _DRY,
        ),
    ]


def _stature(body: Body, units: Units) -> tuple[str, str]:
    """Whose body it is reckoned for."""
    return "Height of the person", format_length(body.stature_m, units)


def _cloth(figures: Figures, units: Units) -> list[Explained]:
    """Slopes, and openings to the wind."""
    return [
        Explained(
            "slope",
            "Flattest panel",
            f"{figures.least_slope_deg:.0f}°",
            (
                f"Slope of the flattest roof panel from level. Under {POOLING_DEG:.0f}° water "
                "stands in a sag."
            ),
            (),
            constant_record("pooling_slope").source,
            "A sagging middle can be flatter than its panel.",
        ),
        Explained(
            "open",
            "Open to the wind",
            f"{figures.open_to_wind * 100:.0f} %",
            "Share of the outline, seen from the wind, that is opening and not cloth.",
            tuple(
                (
                    f"Opening {i}",
                    f"{format_area(o.area_m2, units)}, up to {format_length(o.height_m, units)} "
                    f"high, to {o.bearing_deg:.0f}° of its own frame (front 270°)",
                )
                for i, o in enumerate(figures.openings[:6], start=1)
            ),
            "geometry: projection across the wind",
            "Gaps under staked edges are not counted.",
        ),
    ]


def _packs(figures: Figures, units: Units) -> Explained:
    """Room for packs."""
    return Explained(
        "packs",
        "Packs beside the mats",
        str(figures.packs),
        "Dry ground beside the mats, wide enough for a pack and a hand's breadth high, "
        "over the ground one pack "
        "takes.",
        (
            ("One pack", format_area(PACK_M2, units)),
            ("Roof over it", format_length(PACK_HEIGHT_M, units)),
        ),
        constant_record("pack_area").source,
        "The shape of what is left is counted roughly.",
    )


def _night(figures: Figures, units: Units, tonight: Tonight) -> list[Explained]:
    out = []
    gale, damp = tonight.gale, tonight.damp
    if gale is not None and gale.weakest is not None:
        weak = gale.weakest
        out.append(
            Explained(
                "move_at",
                "Change pitch",
                gale.change_when or "not before force 12",
                "The sheet is set by hand and then hung in the gust: pressure on each panel by its "
                "slope, by how it faces the wind and by how open the shelter is, from every "
                "bearing to which the wind may swing, once pushing and once sucking. What stakes, "
                "lines, poles and trees give to keep the cloth at rest is their pull; the Beaufort "
                "force is that in which the weakest of them holds no longer what it is trusted "
                "with.",
                (
                    ("Gust at the shelter", format_speed(gale.local_gust_m_s, units)),
                    ("Pressure", format_pressure(gale.pressure_pa, units)),
                    ("Weakest part", f"{weak.kind} at {weak.where}"),
                    ("Its pull tonight", format_force(weak.pull_n, units)),
                    ("It is trusted with", format_force(weak.holds_n, units)),
                ),
                f"{ROOF}; {CANOPY}; {EN_564}; {BROMS_CLAY}",
                "An estimate, never a guarantee: soils, knots and gusts differ by a factor of "
                "three. Nothing here is "
                "made to hold people.",
            )
        )
    if damp is not None:
        words = {
            "none": "unlikely",
            "possible": "possible",
            "likely": "likely",
            "dew": "dew anyway",
        }
        wanted = (
            "no gap helps" if damp.needed_m2 is None else format_area(damp.needed_m2, units)
        )
        out.append(
            Explained(
                "damp",
                "Wet inside from breath",
                words[damp.risk],
                "Water that the sleepers give off against the air that passes through the "
                "openings; the sheet is "
                "colder than the "
                "air under a clear sky.",
                (
                    ("Open", format_area(damp.open_m2, units)),
                    ("Open area wanted", wanted),
                    ("Sheet", format_temperature(damp.sheet_c, units)),
                    ("Dew point inside", format_temperature(damp.inside_dew_c, units)),
                ),
                f"{MAGNUS}; {ORIFICE}",
                "Leave a gap high at both ends. Wet ground and wet clothes add to it.",
            )
        )
    return out
