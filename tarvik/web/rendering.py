"""Templates and the words in which figures are shown."""

from __future__ import annotations

import hashlib
from datetime import date
from pathlib import Path
from typing import Any

from fastapi.templating import Jinja2Templates
from markupsafe import Markup

from tarvik.core.measure.grades import fits
from tarvik.core.quantities import compass, format_speed
from tarvik.core.units import Units, format_area, format_length, format_size

VERDICTS = {
    "forms": ("forms", "M3 8.5 L7 12.5 L13.5 4"),
    "needs": ("needs", "M8 2.5 L14 13.5 L2 13.5 Z M8 6.5 V9.5 M8 11.3 V11.9"),
    "cannot": ("cannot", "M3.5 3.5 L12.5 12.5 M12.5 3.5 L3.5 12.5"),
}


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


def _version(folder: Path) -> str:
    """A short mark of the static files, so that a browser never mixes two versions."""
    digest = hashlib.sha256()
    for path in sorted((folder.parent / "static").rglob("*")):
        if path.is_file():
            digest.update(path.read_bytes())
    return digest.hexdigest()[:10]


def make_templates(folder: Path) -> Jinja2Templates:
    """Jinja with Tarvik's filters. Undefined names are errors in tests and blank on screen."""
    templates = Jinja2Templates(directory=folder)
    env = templates.env
    env.trim_blocks = env.lstrip_blocks = True
    filters: dict[str, Any] = {
        "tape": lambda m, units: format_length(m, Units(units)),
        "area": lambda a, units: format_area(a, Units(units)),
        "sheet_size": lambda row, units: format_size(row.width_m, row.length_m, Units(units)),
        "day": day,
        "compass": compass,
        "speed": lambda v, units: format_speed(v, Units(units)),
    }
    env.filters.update(filters)
    env.globals.update(verdict_tag=verdict_tag, fits=fits, static_version=_version(folder))
    return templates
