"""The evening as lanes: one for each person, a bar for each task, the hour by which all is to
stand, and now.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from html import escape
from typing import TYPE_CHECKING

from tarvik.core.plain import JsonMapping

if TYPE_CHECKING:
    from collections.abc import Sequence

PX_MIN = 24
LANE = 26
LEFT = 118
TOP = 30
STAGE_CSS = {
    "clear the ground": "l-clear",
    "ridge or peak": "l-ridge",
    "stakes and lines": "l-stakes",
    "gather leaves": "l-leaves",
    "beds": "l-beds",
    "walk round": "l-round",
}
STAGE_WORD = {
    "clear the ground": "clear",
    "ridge or peak": "ridge",
    "stakes and lines": "stakes",
    "gather leaves": "leaves",
    "beds": "beds",
    "walk round": "walk",
}
"""What a bar says where there is room; its shelter's number alone where there is less."""
LETTER_PX = 6.0
TICK_MIN = 5


def clock(on: str | None, minutes: int) -> str:
    """The time of day so many minutes after arrival; the minutes when no day is set."""
    return (
        f"{datetime.fromisoformat(on) + timedelta(minutes=minutes):%H:%M}"
        if on
        else f"{minutes} min"
    )


def lanes(
    evening: JsonMapping,
    people: Sequence[tuple[int, str]],
    now_min: int | None = None,
) -> str:
    """The chart as SVG. `people`: (number, name) in the order of the lanes."""
    tasks = evening["tasks"]
    last = max([t["end"] for t in tasks] + [evening["due"] or 0, 30])
    width, height = LEFT + last * PX_MIN + 20, TOP + LANE * len(people) + 22
    out = [
        f'<svg class="lanes" viewBox="0 0 {width} {height}" width="{width}" height="{height}" '
        'role="img" '
        f'aria-label="Who does what when, this evening">'
    ]
    for minute in range(0, last + 1, TICK_MIN):
        x = LEFT + minute * PX_MIN
        out.append(
            f'<line class="l-tick" x1="{x}" y1="{TOP - 6}" x2="{x}" y2="{height - 18}"/>'
        )
        out.append(
            f'<text class="l-hour" x="{x}" y="{TOP - 10}">{clock(evening["on"], minute)}</text>'
        )
    for lane, (number, name) in enumerate(people):
        y = TOP + lane * LANE
        out.append(
            f'<text class="l-name" x="{LEFT - 8}" y="{y + 18}">{escape(name)}</text>'
        )
        out.append(
            f'<line class="l-lane" x1="{LEFT}" y1="{y + LANE}" x2="{width}" y2="{y + LANE}"/>'
        )
        out += [_bar(task, y, evening) for task in tasks if number in task["who"]]
    if evening["due"] is not None and evening["due"] >= 0:
        out.append(_upright(LEFT + evening["due"] * PX_MIN, height, "l-due", "due"))
    if now_min is not None and 0 <= now_min <= last:
        out.append(_upright(LEFT + now_min * PX_MIN, height, "l-now", "now"))
    return "".join([*out, "</svg>"])


def _bar(task: JsonMapping, y: int, evening: JsonMapping) -> str:
    x, wide = LEFT + task["start"] * PX_MIN, (task["end"] - task["start"]) * PX_MIN
    late = " l-late" if str(task["shelter"]) in evening["late"] else ""
    words = (
        f"shelter {task['shelter']}: {task['stage']}, {clock(evening['on'], task['start'])} to "
        f"{clock(evening['on'], task['end'])}{', with a mallet' if task['mallet'] else ''}"
    )
    said = f"{task['shelter']} {STAGE_WORD[task['stage']]}"
    if len(said) * LETTER_PX > wide - 6:
        said = str(task["shelter"])
    return (
        f'<g class="l-bar {STAGE_CSS[task["stage"]]}{late}"><title>{escape(words)}</title>'
        f'<rect x="{x + 0.5}" y="{y + 3}" width="{max(wide - 1, 2)}" height="{LANE - 6}" rx="2"/>'
        f'<text x="{x + 4}" y="{y + 18}">{said}</text></g>'
    )


def _upright(x: int, height: int, css: str, word: str) -> str:
    return (
        f'<line class="{css}" x1="{x}" y1="{TOP - 6}" x2="{x}" y2="{height - 18}"/>'
        f'<text class="{css}-t" x="{x}" y="{height - 4}">{word}</text>'
    )
