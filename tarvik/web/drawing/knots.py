"""Our own drawings of knots: strands as curves in the order they lie, each with a gap where it
passes over another.
"""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from tarvik.core.knots import KNOTS

if TYPE_CHECKING:
    from collections.abc import Mapping

POST: Final = "post"
"""A strand that is a trunk, pole or stick: drawn broad."""

# Each strand: an SVG path in a field of 120 x 90, lowest first. A leading "post" marks wood.
STRANDS: Final[Mapping[str, tuple[str, ...]]] = MappingProxyType(
    {
        "fixed-hitch": (
            "post M22 6V84",
            "M22 34C40 30 52 44 58 45H116",
            "M22 56C38 60 48 50 52 44",
            "M52 44C56 34 70 32 72 42C74 54 60 58 56 48",
            "M56 48C62 62 80 64 92 62",
            "M92 62C98 66 98 58 92 62",
        ),
        "tensioning-hitch": (
            "post M108 6V84",
            "M4 30H46",
            "M46 30C60 18 70 30 60 38C52 44 44 36 46 30",
            "M58 32H108",
            "M108 52C84 54 66 48 58 36",
            "M58 36C52 52 40 58 26 58",
            "M34 52C30 64 40 66 42 56",
        ),
        "prusik-toggle": (
            "M4 34H48",
            "M72 34H116",
            "M48 34H72",
            "M50 24C46 34 46 40 50 46",
            "M57 24C53 34 53 40 57 46",
            "M64 24C60 34 60 40 64 46",
            "M71 24C67 34 67 40 71 46",
            "M50 46C52 60 56 68 60 72",
            "M71 46C69 60 65 68 60 72",
            "post M44 74H76",
        ),
        "larks-head": (
            "post M60 6V84",
            "M44 30C60 22 76 30 76 38",
            "M76 38H116",
            "M76 52H116",
            "M44 60C60 68 76 60 76 52",
            "M44 30C34 40 34 50 44 60",
            "M76 38C60 36 44 36 40 45",
            "M76 52C60 54 44 54 40 45",
        ),
        "taut-line": (
            "post M104 6V84",
            "M4 36H84",
            "M84 36C96 34 112 40 108 48C104 58 84 56 72 54",
            "M72 54C64 46 64 32 70 26",
            "M70 26C76 32 76 42 66 54",
            "M66 54C58 46 58 32 62 26",
            "M62 26C68 34 62 52 50 54",
            "M50 54C40 46 40 30 46 26",
            "M46 26C52 34 46 44 36 58",
        ),
        "marlinspike": (
            "M4 45H52",
            "M68 45H116",
            "M52 45C42 24 78 20 72 38",
            "M72 38C66 52 56 56 52 45",
            "post M60 6V84",
            "M52 45C58 50 64 50 68 45",
        ),
        "slip": (
            "M4 45H50",
            "M50 45C66 20 84 34 74 48",
            "M74 48C64 62 48 60 50 50",
            "M50 50C70 38 98 34 108 45",
            "M108 45C98 58 76 56 64 50",
            "M50 50C40 54 34 62 30 72",
        ),
        "jam": (
            "post M96 30V84",
            "M4 40H60",
            "M60 40C84 20 112 30 108 48",
            "M108 48C100 62 76 60 62 50",
            "M62 50C50 44 52 28 62 30",
            "M62 30C72 34 66 50 54 58",
            "M54 58C46 64 40 58 44 52",
            "M44 52C50 50 52 60 44 66",
        ),
        "bowline": (
            "M60 4V34",
            "M60 34C44 34 44 50 60 50C72 50 74 38 64 34",
            "M60 50C40 56 36 84 60 84",
            "M60 84C86 84 84 52 66 42",
            "M66 42C60 34 64 22 56 20",
            "M56 20C48 22 50 34 56 42",
            "M56 42C60 52 66 58 70 64",
        ),
        "half-hitches": (
            "post M22 6V84",
            "M22 34H116",
            "M22 54C40 56 52 52 58 42",
            "M58 42C64 28 72 30 70 40",
            "M70 40C66 56 60 52 64 46",
            "M70 42C80 28 90 30 88 40",
            "M88 40C84 58 76 54 80 46",
            "M80 46C88 54 96 60 102 66",
        ),
        "clove": (
            "post M60 4V86",
            "M4 34H44",
            "M44 34C58 30 74 32 78 38",
            "M78 38C70 50 50 52 42 58",
            "M42 58C52 66 70 66 78 60",
            "M78 60C72 48 52 44 44 46",
            "M44 46C64 50 92 50 116 52",
        ),
        "timber": (
            "post M28 4V86",
            "M116 26H60",
            "M60 26C44 24 30 28 24 36",
            "M24 36C20 48 30 56 40 54",
            "M40 54C52 50 58 40 60 26",
            "M60 26C66 20 72 28 64 34",
            "M58 38C66 34 68 44 58 44",
            "M52 46C62 44 62 54 50 52",
            "M44 54C54 54 50 64 40 62",
        ),
        "alpine-loop": (
            "M4 40H40",
            "M80 40H116",
            "M40 40C56 20 74 28 66 44",
            "M80 40C64 20 46 28 54 44",
            "M54 44C46 60 44 84 60 84",
            "M66 44C74 60 76 84 60 84",
            "M48 50C56 56 64 56 72 50",
        ),
        "hanking": (
            "M36 20C8 30 10 62 36 68",
            "M36 68C56 64 64 26 84 20",
            "M84 20C112 28 110 62 84 68",
            "M84 68C64 62 56 26 36 20",
            "M40 26C20 34 20 56 40 62",
            "M40 62C54 58 66 32 80 26",
            "M80 26C100 34 100 56 80 62",
            "M80 62C66 58 54 32 40 26",
            "M56 32V58",
            "M60 30V60",
            "M64 32V58",
        ),
    }
)


def knot_drawing(slug: str) -> str:
    """The knot as SVG; its name and use are its text alternative."""
    knot = KNOTS[slug]
    parts = []
    for strand in STRANDS[slug]:
        if strand.startswith(POST):
            parts.append(
                f'<path class="knot-wood" d="{strand.removeprefix(POST).strip()}"/>'
            )
        else:
            parts.append(
                f'<path class="knot-gap" d="{strand}"/><path class="knot-cord" d="{strand}"/>'
            )
    head = (
        f'<svg class="drawing knot" viewBox="0 0 120 90" role="img" aria-label="{knot.name}: '
        f'{knot.use}">'
    )
    return f"{head}{''.join(parts)}</svg>"
