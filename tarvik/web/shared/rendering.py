"""Templates and the words in which figures are shown."""

from __future__ import annotations

from datetime import UTC, date, datetime
from pathlib import Path

from fastapi.templating import Jinja2Templates
from markupsafe import Markup

from tarvik.core.finding import Level
from tarvik.core.measure.grades import fits
from tarvik.core.plain import JsonObject
from tarvik.core.plan.aims import aim_named
from tarvik.core.quantities import compass, format_rain, format_speed, format_temperature
from tarvik.core.sentences import inside, sentence
from tarvik.core.units import (
    Units,
    format_area,
    format_depth,
    format_force,
    format_gain,
    format_length,
    format_litres,
    format_load,
    format_pressure,
    format_size,
    format_slip,
    format_way,
)
from tarvik.core.weather.wind import when_to_change
from tarvik.web.drawing.lanes import clock
from tarvik.web.drawing.rose import side_words
from tarvik.web.shared.night_words import mast
from tarvik.web.shared.unwrapping import Unwrapping
from tarvik.web.shipped import version

VERDICTS = {
    "forms": ("Works", "M3 8.5 L7 12.5 L13.5 4"),
    "needs": ("Works with changes", "M8 2.5 L14 13.5 L2 13.5 Z M8 6.5 V9.5 M8 11.3 V11.9"),
    "cannot": ("Won't work", "M3.5 3.5 L12.5 12.5 M12.5 3.5 L3.5 12.5"),
}


def verdict_words(verdict: str) -> str:
    """A verdict as leaders say it."""
    return VERDICTS[verdict][0]


def verdict_tag(verdict: str) -> Markup:
    """A verdict as a sign of its own shape and its word."""
    word, path = VERDICTS[verdict]
    return Markup(
        '<span class="verdict verdict-{v}"><svg viewBox="0 0 16 16" aria-hidden="true"><path '
        'd="{p}"/></svg>{w}</span>'
    ).format(v=verdict, p=path, w=word)


def day(value: date | None) -> str:
    """A date as a leader writes it: 24 Sep 2027."""
    return f"{value.day} {value:%b %Y}" if value else ""


def aim_told(aim: str, value: int, units: str) -> str:
    """So much of an aim of plans, in words."""
    return aim_named(aim).told(value, Units(units))


def make_templates(*folders: Path) -> Jinja2Templates:
    """Jinja with Tarvik's filters, on templates in these folders. Undefined names are errors in
    tests and blank on screen.
    """
    templates = Jinja2Templates(directory=folders)
    env = templates.env
    env.trim_blocks = env.lstrip_blocks = True
    env.add_extension(Unwrapping)
    filters: JsonObject = {
        "change_when": when_to_change,
        "tape": lambda m, units: format_length(m, Units(units)),
        "load": lambda kg, units: format_load(kg, Units(units)),
        "force": lambda n, units: format_force(n, Units(units)),
        "mast": lambda units: mast(Units(units)),
        "gain": lambda m, units: format_gain(m, Units(units)),
        "pressure": lambda p, units: format_pressure(p, Units(units)),
        "slip": lambda m, units: format_slip(m, Units(units)),
        "way": lambda m, units: format_way(m, Units(units)),
        "litres": lambda v, units: format_litres(v, Units(units)),
        "depth": lambda m, units: format_depth(m, Units(units)),
        "area": lambda a, units: format_area(a, Units(units)),
        "sheet_size": lambda row, units: format_size(
            row.width_m, row.length_m, Units(units)
        ),
        "day": day,
        "given": lambda value: "" if value is None else value,
        "sentence": sentence,
        "inside": inside,
        "compass": compass,
        "speed": lambda v, units: format_speed(v, Units(units)),
        "temperature": lambda c, units: format_temperature(c, Units(units)),
        "rain": lambda mm_h, units: format_rain(mm_h, Units(units)),
    }
    env.filters.update(filters)
    env.globals.update(
        verdict_tag=verdict_tag,
        verdict_words=verdict_words,
        fits=fits,
        Level=Level,
        clock=clock,
        made=lambda: datetime.now(UTC).isoformat(),
        side_words=side_words,
        aim_told=aim_told,
        static=f"/static/{version()}",
        frame=None,
    )
    return templates
