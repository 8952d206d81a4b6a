"""What a sheet must become before a pitch is folded from it: doubled to a square, lifted by its
hood, cut as it is cut.

Most pitches are worked out for rectangles. A square pitch takes an oblong sheet with the strip that
is over doubled under. A sheet with shaped edges whose corners are those of a rectangle is folded as
that rectangle, and its panels end where its cloth ends. A few pitches are worked out for shaped
outlines themselves.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
import shapely
from shapely import Polygon

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.fold.pattern import Panel, Pattern
from tarvik.core.kept import keep_last
from tarvik.core.pitches.base import Pitch, Shape
from tarvik.core.sheet import MOST_KEPT

if TYPE_CHECKING:
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import SheetBox
    from tarvik.core.sheet import Point2, Sheet

SQUARE_M: Final = constant(
    "square_within",
    0.02,
    "m",
    ENGINEERING,
    "sides that differ by no more than this make a square",
)
DOUBLED_LEAST_M: Final = 0.03
"""A narrower strip doubled under is not worth a word."""
SAME_PLACE_M: Final = 1e-6
"""Places on a sheet nearer than this are one."""
SLIVER_M2: Final = 1e-7
"""Cut-off cloth smaller than this is nothing."""


@dataclass(frozen=True, slots=True)
class Fitting:
    """A sheet made ready for a pitch.

    `pitch`: the pitch for this very sheet; `box`: the rectangle it is folded as, its corner at
    `origin` on the sheet.
    `doubled_m`: width of the strip doubled under to make a square; `cut`: whether the outline is
    narrower than `box`.
    """

    pitch: Pitch
    box: SheetBox
    origin: Point2 = (0.0, 0.0)
    doubled_m: float = 0.0
    cut: bool = False

    @property
    def folded_to_square(self) -> bool:
        """Whether the strip doubled under is wide enough to be worth a word."""
        return self.doubled_m > DOUBLED_LEAST_M


@dataclass(frozen=True, slots=True)
class Misfit:
    """Why a sheet cannot take a pitch at any setting."""

    code: str
    why: str
    remedy: str


@keep_last(MOST_KEPT)
def fit(pitch: Pitch, sheet: Sheet) -> Fitting | Misfit:
    """Make a sheet ready for a pitch, or say why it cannot be."""
    box = sheet.box
    if box is None:
        return _fit_shaped(pitch, sheet)
    if sheet.hood and pitch.hooded:
        pitch = pitch.hooded(sheet.hood)
    over = abs(box[0] - box[1])
    if pitch.shape is Shape.SQUARE and over > SAME_PLACE_M:
        if over > min(box):
            return Misfit(
                "too_oblong",
                f"{pitch.name} wants a square, and this sheet is more than twice as long as wide",
                "fold the sheet to a square of several layers by hand, or take another",
            )
        return Fitting(pitch, (min(box), min(box)), doubled_m=over)
    if pitch.shape is Shape.OBLONG and over < SQUARE_M:
        return Misfit(
            "not_oblong",
            f"{pitch.name} wants a sheet longer than wide, and this one is square",
            "take an oblong sheet",
        )
    return Fitting(pitch, box)


def _fit_shaped(pitch: Pitch, sheet: Sheet) -> Fitting | Misfit:
    us, vs = [u for u, _ in sheet.outline], [v for _, v in sheet.outline]
    origin = (min(us), min(vs))
    box = (max(us) - origin[0], max(vs) - origin[1])
    if pitch.outlined:
        made = pitch.outlined(
            tuple((u - origin[0], v - origin[1]) for u, v in sheet.outline)
        )
        if made is not None:
            return Fitting(made, box, origin)
    corners = [
        (origin[0] + a * box[0], origin[1] + b * box[1]) for a in (0, 1) for b in (0, 1)
    ]
    near = all(
        any(abs(u - a) + abs(v - b) < SQUARE_M for u, v in sheet.outline)
        for a, b in corners
    )
    if not near:
        why = (
            f"{pitch.name} is worked out for rectangles, and this outline has other corners"
        )
        return Misfit(
            "outline_not_rectangular",
            why,
            "fold the sheet to a rectangle and give that outline",
        )
    if pitch.shape is Shape.SQUARE and abs(box[0] - box[1]) > SQUARE_M:
        return Misfit(
            "outline_not_square",
            f"{pitch.name} wants a square, and this shaped sheet is oblong",
            "fold the sheet to a square and give that outline",
        )
    return Fitting(pitch, box, origin, cut=True)


def cloth_of(pitch: Pitch, sheet: Sheet) -> Sheet:
    """Of a sheet what tells how it folds into a pitch, whatever its tie-outs: sheets of one cloth
    fold and shelter alike.
    """
    return sheet.hooded_cloth if pitch.hooded else sheet.cloth


def searched_cloth(pitch: Pitch, sheet: Sheet) -> Sheet:
    """Of a sheet what tells which settings of a pitch serve best: its tie-outs too, where a crease
    would best end on them.
    """
    return sheet if pitch.folds_far_edge else cloth_of(pitch, sheet)


Solid = tuple[Pattern, "Floats", "Floats"]


def finished(fitting: Fitting, sheet: Sheet, uv: Floats, xyz: Floats) -> Solid:
    """The whole sheet from the folded box: pattern, places on the sheet (P, 2), places in the world
    (P, 3).
    """
    solid: Solid = (fitting.pitch.pattern, uv, xyz)
    if fitting.doubled_m:
        along = 1 if (sheet.box or (0, 0))[1] > fitting.box[1] else 0
        solid = _doubled(*solid, along, fitting.box[along], fitting.doubled_m)
    if fitting.cut:
        solid = _cut(
            *solid,
            Polygon(
                [(u - fitting.origin[0], v - fitting.origin[1]) for u, v in sheet.outline]
            ),
        )
    return solid[0], solid[1] + np.array(fitting.origin), solid[2]


class _Points:
    """Points by place on the sheet, old ones found again, new ones named s1, s2, ..."""

    def __init__(self, pattern: Pattern, uv: Floats, xyz: Floats) -> None:
        self.names, self.uv, self.xyz = list(pattern.points), list(uv), list(xyz)
        self._known = np.concatenate([uv, xyz], axis=1)

    def at(self, uv: Floats, xyz: Floats) -> str:
        place = np.concatenate([uv, xyz])
        same = np.flatnonzero(np.abs(self._known - place).max(axis=1) < SAME_PLACE_M)
        if len(same):
            return self.names[int(same[0])]
        self._known = np.vstack([self._known, place])
        self.names.append(f"s{sum(n.startswith('s') for n in self.names) + 1}")
        self.uv.append(uv)
        self.xyz.append(xyz)
        return self.names[-1]


def _carried(flat: Floats, world: Floats, places: Floats) -> Floats:
    """Where a flat panel's fold carries places of its plane: the affine map of its first three
    corners in general place.
    """
    a = flat[0]
    sides = flat[1:] - a
    areas = np.abs(
        sides[:, None, 0] * sides[None, :, 1] - sides[:, None, 1] * sides[None, :, 0]
    )
    i, j = np.unravel_index(int(np.argmax(areas)), areas.shape)
    shares = np.linalg.solve(np.stack([sides[i], sides[j]], axis=1), (places - a).T)
    return np.asarray(
        world[0] + shares.T @ np.stack([world[1 + i] - world[0], world[1 + j] - world[0]])
    )


def _ring(polygon: Polygon) -> Floats:
    return np.asarray(shapely.orient_polygons(polygon).exterior.coords)[:-1]


def _doubled(
    pattern: Pattern, uv: Floats, xyz: Floats, along: int, side: float, strip: float
) -> Solid:
    """The strip beyond `side` along one way, turned under: it lies on the panels it then covers."""
    points = _Points(pattern, uv, xyz)
    panels = list(pattern.panels)
    lo, hi = [-1e3, -1e3], [1e3, 1e3]
    lo[along] = side - strip
    band = shapely.box(lo[0], lo[1], hi[0], hi[1])
    for panel in pattern.panels:
        rows = [pattern.index(p) for p in panel.points]
        for n, part in enumerate(_parts(Polygon(uv[rows]), band)):
            ring = _ring(part)
            world = _carried(uv[rows], xyz[rows], ring)
            mirrored = ring.copy()
            mirrored[:, along] = 2 * side - ring[:, along]
            names = tuple(
                points.at(p, x) for p, x in zip(mirrored[::-1], world[::-1], strict=True)
            )
            panels.append(
                Panel(f"{panel.id} doubled{n or ''}", panel.role, names, doubled=True)
            )
    return (
        Pattern(tuple(points.names), tuple(panels), pattern.give),
        np.array(points.uv),
        np.array(points.xyz),
    )


def _cut(pattern: Pattern, uv: Floats, xyz: Floats, cloth: Polygon) -> Solid:
    """The panels where there is cloth; those that are no longer convex in triangles."""
    points = _Points(pattern, uv, xyz)
    panels: list[Panel] = []
    for panel in pattern.panels:
        rows = [pattern.index(p) for p in panel.points]
        whole = Polygon(uv[rows])
        for n, part in enumerate(_parts(whole, cloth)):
            ring = _ring(part)
            if abs(part.area - whole.area) < SLIVER_M2:
                panels.append(panel)
                continue
            names = tuple(
                points.at(p, x)
                for p, x in zip(ring, _carried(uv[rows], xyz[rows], ring), strict=True)
            )
            panels.append(Panel(f"{panel.id}{f' {n + 1}' if n else ''}", panel.role, names))
    return (
        Pattern(tuple(points.names), tuple(panels), pattern.give),
        np.array(points.uv),
        np.array(points.xyz),
    )


def _parts(one: Polygon, two: Polygon) -> list[Polygon]:
    """Convex parts of what two polygons share."""
    out = []
    for part in shapely.get_parts(shapely.intersection(one, two)):
        if not isinstance(part, Polygon) or part.area < SLIVER_M2:
            continue
        if abs(part.convex_hull.area - part.area) < SLIVER_M2:
            out.append(part)
        else:
            triangles = shapely.constrained_delaunay_triangles(part).geoms
            out += [
                t for t in triangles if isinstance(t, Polygon) and t.area > SLIVER_M2 / 10
            ]
    return out
