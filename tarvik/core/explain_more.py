"""How the slower figures of the bench come about: heading rose, panel loads, ridge line, net,
shade, caught water.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.constant import constant_record
from tarvik.core.explain import Explained
from tarvik.core.loads.pressure import CANOPY, INSIDE, ROOF
from tarvik.core.measure.catch import CAUGHT
from tarvik.core.measure.heading import ROSE_STEP_DEG
from tarvik.core.measure.net import FREE_M, TOUCH_M
from tarvik.core.quantities import format_rain
from tarvik.core.units import Units, format_area, format_force, format_length
from tarvik.core.weather.rain import slant_words

if TYPE_CHECKING:
    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.loads.gale import Gale
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.heading import Rose


def explain_rose(rose: Rose, figures: Figures, units: Units) -> Explained:
    """Which way to turn it."""
    return Explained(
        "rose",
        "How the rose is worked out",
        format_area(rose.best.dry_m2, units),
        f"Dry ground with tonight's wind from every {ROSE_STEP_DEG:.0f} degrees round the "
        "shelter; of headings equally dry "
        f"the one least "
        "open to the wind is best.",
        (
            ("Rain slants", slant_words(figures.rain_slope)),
            ("Wind may shift by", f"{figures.weather.spread_deg:.0f}° either hand"),
        ),
        "exact polygons, as the dry ground",
        "Lee of trees and walls is not in it.",
    )


def _swung(swing_deg: float) -> str:
    if abs(swing_deg) < 0.5:
        return "from where it is forecast"
    return f"swung {abs(swing_deg):.0f}° to the {'right' if swing_deg > 0 else 'left'}"


def explain_panels(gale: Gale, units: Units) -> Explained:
    """Wind on each panel."""
    total_n = sum(float((p.force_n @ p.force_n) ** 0.5) for p in gale.loads)
    return Explained(
        "panels",
        "Wind on each panel",
        format_force(total_n, units),
        (
            "Pressure of the gust times the panel's area times its net coefficient, outside less "
            "inside, square to the panel; push is positive. This is the case that uses the weakest "
            f"part most: the wind {_swung(gale.swing_deg)}."
        ),
        tuple(
            (
                f"{p.id}: {format_area(p.area_m2, units)} at {p.slope_deg:.0f}°",
                format_force(abs(p.coefficient) * gale.pressure_pa * p.area_m2, units)
                + f" {'push' if p.coefficient > 0 else 'pull'}, "
                f"coefficient {p.coefficient:+.2f}",
            )
            for p in gale.loads
        ),
        f"{ROOF}; {INSIDE}; {CANOPY}",
        "One value over each panel: edges and corners get more. An estimate, never a guarantee.",
    )


def explain_ridge(gale: Gale, units: Units) -> Explained | None:
    """The ridge line; None where no line runs between two trees."""
    ridge = gale.ridge
    if ridge is None:
        return None
    return Explained(
        "ridge",
        "How the ridge line is worked out",
        format_force(ridge.end_n, units),
        "Level pull H = W L / 8 d from the load W across the line, its span L and its sag d; "
        "at the trees the root of H "
        "squared and half the "
        "load squared. The other way round, sag from pull: d = W L / 8 H.",
        (
            ("Load across it", format_force(ridge.load_n, units)),
            ("Span", format_length(ridge.span_m, units)),
            ("Sag taken", format_length(ridge.sag_m, units)),
        ),
        "statics of a parabola; " + constant_record("sag_tight").source,
        (
            "Trees pull together and cord stretches, so the sag grows in the gust and the pull "
            "is less than at the sag set."
        ),
    )


def explain_net(units: Units) -> Explained:
    """A net under the sheet."""
    return Explained(
        "net",
        "How the net is fitted",
        "",
        "Its top, or its sides down from its point, against the roof at every place of "
        "a grid, turned by tens "
        "of degrees; the place with the most air is told. Its whole foot stands on covered ground.",
        (
            ("Hangs free with", format_length(FREE_M, units)),
            ("Touches, pressed in by up to", format_length(TOUCH_M, units)),
        ),
        "geometry; limits are engineering assumptions",
        "The net is taken as stiff; sag of the sheet is not counted.",
    )


def explain_shade() -> Explained:
    """Shade through the day."""
    return Explained(
        "shade",
        "How the shade is worked out",
        "",
        (
            "The sheet's shadow along the sun's rays on level ground, hour by hour while the sun "
            "stands 5 degrees high or more."
        ),
        (),
        "astral library (Meeus, Astronomical Algorithms); exact polygons",
        "Trees, hills and cloud are not in it.",
    )


def explain_catch(rain_mm_h: float, units: Units) -> Explained:
    """Water in a pot."""
    return Explained(
        "catch",
        "How the water is worked out",
        "",
        "Water is followed downhill from places spread evenly over each panel, "
        "across creases and along "
        "hems, to the corner where it leaves; the ground plan it stands for times the rain.",
        (
            ("Rain", format_rain(rain_mm_h, units)),
            ("Share that arrives", f"{CAUGHT * 100:.0f} %"),
        ),
        "geometry; " + constant_record("rain_caught").source,
        "Level hems drip and are not counted. Boil or treat the water.",
    )


def explain_hung(fabric: Fabric, units: Units) -> Explained:
    """The hung shape."""
    stiff = f"{fabric.warp_n_m / 1000:.0f} and {fabric.weft_n_m / 1000:.0f} kN/m"
    return Explained(
        "hung",
        "How the hung shape is worked out",
        "",
        "The sheet is cut into a mesh along its creases, warp and weft. Threads and cords "
        "pull where they are longer than at "
        "rest and carry nothing where they are slack; the cloth also resists shear. Stakes "
        "stand where the card puts them and "
        "are then pulled taut; the sheet starts as the fold and sinks to where pulls, "
        "weight, ground and wind balance.",
        (
            ("Cloth", fabric.name),
            ("Weight", f"{fabric.weight_kg_m2 * 1000:.0f} g/m²"),
            ("Stiffness, warp and weft", stiff),
            ("Shear stiffness", f"{fabric.shear_n_m / 1000:.1f} kN/m"),
            ("Stretch when wet", f"{fabric.wet_stretch * 100:.1f} %"),
            (
                "A hem as stiff as a strip",
                format_length(constant_record("hem").value, units),
            ),
        ),
        "Pipkin 1986 (tension field), Baraff and Witkin 1998 (implicit steps); weights from "
        "memory of data sheets, "
        "stiffnesses are engineering assumptions: the table of sensitivity says how far that "
        "matters",
        "Doors that lie on other cloth, and cloth on a sleeper, do not press on each other; "
        "wrinkles are told, not drawn. "
        "Wind is taken on the shape of the fold.",
    )
