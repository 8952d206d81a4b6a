"""A night's hours as a strip chart: temperature, rain, wind with gusts and direction, darkness,
gaps.
"""

from __future__ import annotations

from datetime import timedelta
from html import escape
from typing import TYPE_CHECKING

from tarvik.core.quantities import (
    compass,
    fahrenheit,
    format_rain,
    format_speed,
    format_temperature,
)
from tarvik.core.units import Units
from tarvik.core.weather.wind import beaufort

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import datetime

    from tarvik.core.weather.forecast import Hour
    from tarvik.core.weather.needs import NightNeeds

HOUR, LEFT, TOP = 46.0, 74.0, 26.0
TEMP_H, RAIN_H, WIND_H, GAP = 76.0, 62.0, 104.0, 16.0


class _Strip:
    def __init__(self, start: datetime, end: datetime, units: Units) -> None:
        self.start, self.end, self.units = start, end, units
        self.count = max(round((end - start).total_seconds() / 3600), 1)
        self.parts: list[str] = []

    def x(self, at: datetime, part: float = 0.0) -> float:
        return LEFT + ((at - self.start).total_seconds() / 3600 + part) * HOUR

    def rect(
        self, x: float, y: float, width: float, height: float, css: str, title: str = ""
    ) -> None:
        inner = f"<title>{escape(title)}</title>" if title else ""
        self.parts.append(
            f'<rect class="{css}" x="{x:.1f}" y="{y:.1f}" width="{width:.1f}" '
            f'height="{max(height, 0):.1f}">{inner}</rect>'
        )

    def line(self, x1: float, y1: float, x2: float, y2: float, css: str) -> None:
        self.parts.append(
            f'<line class="{css}" x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}"/>'
        )

    def text(
        self, x: float, y: float, words: str, css: str = "st", anchor: str = "middle"
    ) -> None:
        self.parts.append(
            f'<text class="{css}" x="{x:.1f}" y="{y:.1f}" '
            f'text-anchor="{anchor}">{escape(words)}</text>'
        )

    def path(self, points: Sequence[tuple[float, float]], css: str) -> None:
        if len(points) > 1:
            self.parts.append(
                f'<polyline class="{css}" '
                f'points="{" ".join(f"{x:.1f},{y:.1f}" for x, y in points)}"/>'
            )


def strip_chart(hours: Sequence[Hour], needs: NightNeeds, units: Units) -> str:
    """The hours of a night drawn; an hour without data is hatched and says so. Empty without a
    date.
    """
    window = needs.window
    if window is None:
        return ""
    start, end = window
    strip = _Strip(start, end, units)
    height = TOP + TEMP_H + RAIN_H + WIND_H + 2 * GAP + 30
    width = LEFT + strip.count * HOUR + 12
    _background(strip, needs, hours, height)
    _temperature(strip, hours, TOP)
    _rain(strip, hours, TOP + TEMP_H + GAP)
    _wind(strip, hours, TOP + TEMP_H + RAIN_H + 2 * GAP)
    said = f"Hours of the night: {len(hours)} of {strip.count} are known"
    return (
        f'<svg class="drawing strip" viewBox="0 0 {width:.0f} {height:.0f}" role="img" '
        'xmlns="http://www.w3.org/2000/svg">'
        f'<title>{said}</title><defs><pattern id="nodata" width="8" height="8" '
        'patternUnits="userSpaceOnUse">'
        '<path d="M0 8 L8 0" class="s-hatch"/></pattern></defs>'
        + "".join(strip.parts)
        + "</svg>"
    )


def _background(
    strip: _Strip, needs: NightNeeds, hours: Sequence[Hour], height: float
) -> None:
    low = height - 30
    at = needs.evening
    if at is not None and at.last_light and at.first_light:
        x0, x1 = (
            max(strip.x(at.last_light), LEFT),
            min(strip.x(at.first_light), LEFT + strip.count * HOUR),
        )
        if x1 > x0:
            strip.rect(
                x0,
                TOP - 6,
                x1 - x0,
                low - TOP + 6,
                "s-dark",
                "dark, from last light to first light",
            )
            strip.text((x0 + x1) / 2, TOP - 10, "dark", "st soft")
    known = {h.at for h in hours}
    for k in range(strip.count):
        begin = strip.start + timedelta(hours=k)
        x = LEFT + k * HOUR
        strip.line(x, TOP - 6, x, low, "s-grid")
        strip.text(x + HOUR / 2, low + 18, f"{begin:%H}", "st")
        if not any(abs((begin - h).total_seconds()) < 1 for h in known):
            strip.parts.append(
                f'<rect class="s-gap" fill="url(#nodata)" x="{x:.1f}" y="{TOP:.1f}" '
                f'width="{HOUR:.1f}" '
                f'height="{low - TOP:.1f}">'
                f"<title>{begin:%H:%M}: nothing is known</title></rect>"
            )
    strip.text(LEFT - 8, low + 18, "o'clock", "st soft", "end")


def _temperature(strip: _Strip, hours: Sequence[Hour], top: float) -> None:
    known = [(h, h.temp_c) for h in hours if h.temp_c is not None]
    imperial = strip.units is Units.IMPERIAL
    strip.text(LEFT - 8, top + 14, "°F" if imperial else "°C", "st", "end")
    if not known:
        return
    low, high = min(t for _, t in known) - 1, max(t for _, t in known) + 1

    def y(t: float) -> float:
        return top + TEMP_H * (1 - (t - low) / (high - low))

    if low < 0 < high:
        strip.line(LEFT, y(0), LEFT + strip.count * HOUR, y(0), "s-freeze")
        strip.text(LEFT - 8, y(0) + 5, "freezing", "st soft", "end")
    strip.path([(strip.x(h.at, 0.5), y(t)) for h, t in known], "s-temp")
    for h, t in known[::3]:
        value = fahrenheit(t) if imperial else t
        strip.text(strip.x(h.at, 0.5), y(t) - 7, f"{value:.0f}", "st strong")


def _rain(strip: _Strip, hours: Sequence[Hour], top: float) -> None:
    strip.text(LEFT - 8, top + 14, "rain", "st", "end")
    strip.text(
        LEFT - 8,
        top + 32,
        "in/h" if strip.units is Units.IMPERIAL else "mm/h",
        "st soft",
        "end",
    )
    most = max([4.0, *(h.rain_mm_h for h in hours if h.rain_mm_h is not None)])
    strip.line(LEFT, top + RAIN_H, LEFT + strip.count * HOUR, top + RAIN_H, "s-base")
    for h in hours:
        if h.rain_mm_h is None or h.rain_mm_h < 0.05:
            continue
        tall = (RAIN_H - 18) * h.rain_mm_h / most
        strip.rect(
            strip.x(h.at) + 5,
            top + RAIN_H - tall,
            HOUR - 10,
            tall,
            "s-snow" if h.snow else "s-rain",
            f"{'snow' if h.snow else 'rain'} {format_rain(h.rain_mm_h, strip.units)}",
        )
        words = (
            f"{h.rain_mm_h / 25.4:.2f}"
            if strip.units is Units.IMPERIAL
            else f"{h.rain_mm_h:.1f}"
        )
        strip.text(
            strip.x(h.at, 0.5),
            top + RAIN_H - tall - 4,
            words + ("*" if h.snow else ""),
            "st",
        )


def _wind(strip: _Strip, hours: Sequence[Hour], top: float) -> None:
    strip.text(LEFT - 8, top + 14, "wind", "st", "end")
    strip.text(LEFT - 8, top + 32, "force", "st soft", "end")
    known = [(h, h.wind_m_s) for h in hours if h.wind_m_s is not None]
    if not known:
        return
    most = max(8.0, *(max(w, h.gust_m_s or 0.0) for h, w in known))
    base = top + WIND_H - 40

    def y(speed: float) -> float:
        return base - (WIND_H - 52) * speed / most

    strip.line(LEFT, base, LEFT + strip.count * HOUR, base, "s-base")
    strip.path([(strip.x(h.at, 0.5), y(w)) for h, w in known], "s-wind")
    for h in hours:
        if h.lightning:
            x = strip.x(h.at, 0.5)
            strip.parts.append(
                f'<path class="s-bolt" d="M{x + 3:.1f} {top:.1f} l-7 9 h6 l-5 9">'
                "<title>thunder and lightning</title></path>"
            )
    for h, w in known:
        if h.gust_m_s is not None:
            x = strip.x(h.at, 0.5)
            strip.line(x, y(w), x, y(h.gust_m_s), "s-gust")
            strip.line(x - 5, y(h.gust_m_s), x + 5, y(h.gust_m_s), "s-gust")
        said = f"F{beaufort(w)}"
        way = "" if h.wind_from_deg is None else compass(h.wind_from_deg)
        strip.text(strip.x(h.at, 0.5), base + 16, said, "st strong")
        if way:
            strip.text(strip.x(h.at, 0.5), base + 31, way, "st small")


def hour_rows(
    hours: Sequence[Hour], needs: NightNeeds, units: Units
) -> list[tuple[str, ...]]:
    """The same hours as a table, for those who cannot see the drawing."""
    zone = needs.window[0].tzinfo if needs.window else None

    def show(value: float | None, how: str) -> str:
        if value is None:
            return "not known"
        return {"t": format_temperature, "r": format_rain, "s": format_speed}[how](
            value, units
        )

    return [
        (
            f"{h.at.astimezone(zone):%H:%M}",
            show(h.temp_c, "t"),
            show(h.rain_mm_h, "r") + " snow" * h.snow + ", lightning" * h.lightning,
            show(h.wind_m_s, "s"),
            show(h.gust_m_s, "s"),
            "not known" if h.wind_from_deg is None else compass(h.wind_from_deg),
        )
        for h in hours
    ]
