"""A survey worked out: where the points are, how sure that is, which readings look wrong, and what
to measure next.

Least squares adjustment of all readings together, with the datum left free (the stated errors are
those of the shape, not of where on earth it lies). Wrong readings are found by data snooping: the
reading whose residual is largest, measured by its own standard error, is set aside, and all is
fitted anew (Baarda, A testing procedure for use in geodetic networks, 1968).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np
from scipy.special import chdtri, ndtri

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.errors import InputError
from tarvik.core.site.network import Network, settled
from tarvik.core.site.reading import Bearing, Distance, Offset, Side, names_of, told
from tarvik.core.site.start import starts
from tarvik.core.site.things import POINTS_MOST

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from tarvik.core.site.reading import Reading

    Floats = NDArray[np.float64]

FALSE_ALARMS: Final = constant(
    "false_alarms",
    0.05,
    "1",
    ENGINEERING,
    "share of faultless surveys in which some reading may look wrong",
)
ALIKE: Final = 0.9
"""Readings whose residual comes so near to the largest cannot be told apart from it."""
WIDER: Final = constant(
    "plus_or_minus_wider",
    1.05,
    "1",
    ENGINEERING,
    "a twentieth more, for what straight-line error theory leaves out",
)
UNCHECKED: Final = 0.02
"""A reading of which others tell less than this share is checked by none."""
_ROBUST: Final = 2.0
_LOOSE: Final = 1e-7
_MOVES: Final = 1e-3
_MOST_BAD: Final = 12
_BAD: Final = 5.0
"""Standard errors from which on a reading is as bad as any."""
_STRAINED: Final = 3.0
"""Residual of a point's readings from which on it may lie on the wrong side."""
_PAIRS_MOST: Final = 300
_LIKELY: Final = 10
_MORE_STARTS: Final = 25
_SMALL: Final = 24


@dataclass(frozen=True, slots=True)
class Checked:
    """One reading after the fit. `told` and `off` in metres (degrees for a bearing; the larger part
    of an offset);
    `strain`: the residual by its own standard error; `checked`: whether other readings would show a
    slip in it.
    """

    number: int
    told: float
    off: float
    strain: float
    checked: bool
    set_aside: bool = False
    or_one_of: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Next:
    """A tape worth laying. `why`: what it settles."""

    start: str
    end: str
    length_m: float
    why: str


@dataclass(frozen=True)
class Survey:
    """Places of the points (metres, x east, y north once the heading is known) and all that is
    known about them.
    """

    names: tuple[str, ...]
    xy: Floats
    covariance: Floats
    readings: tuple[Checked, ...]
    loose: frozenset[str]
    two_ways: frozenset[str]
    mirror_open: bool
    heading_open: bool
    heading_error_deg: float
    fit: float
    spare: int
    _index: dict[str, int] = field(default_factory=dict, compare=False)

    def at(self, name: str) -> tuple[float, float]:
        """Place of a point. Raises KeyError."""
        x, y = self.xy[self._index[name]]
        return float(x), float(y)

    def plus_or_minus_m(self, name: str) -> float:
        """Radius within which the point lies 95 times in 100, relative to the others; infinite
        where it is loose.
        """
        if name in self.loose:
            return math.inf
        i = 2 * self._index[name]
        return radius95(self.covariance[i : i + 2, i : i + 2])

    def spacing_m(self, one: str, two: str) -> tuple[float, float]:
        """Distance of two points and its plus or minus (95 %)."""
        i, j = self._index[one], self._index[two]
        gap = self.xy[j] - self.xy[i]
        far = float(np.hypot(*gap))
        if one in self.loose or two in self.loose:
            return far, math.inf
        unit = gap / max(far, 1e-9)
        rows = [2 * i, 2 * i + 1, 2 * j, 2 * j + 1]
        slope = np.concatenate([-unit, unit])
        return far, 1.96 * math.sqrt(
            max(float(slope @ self.covariance[np.ix_(rows, rows)] @ slope), 0.0)
        )

    @property
    def suspects(self) -> tuple[Checked, ...]:
        """Readings set aside as wrong."""
        return tuple(r for r in self.readings if r.set_aside)


def chi_square(share: float, freedom: int) -> float:
    """Below which value so large a share of a chi-square distribution lies. From the special
    functions: the statistics package would take 18 MB of memory.
    """
    return float(chdtri(freedom, 1 - share))


def onto(survey: Survey, anchors: dict[str, tuple[float, float]]) -> Survey:
    """The survey laid on places known otherwise: shifted onto them, and where no bearing says its
    heading and there are two or more, turned (turned over, where nothing says its hand) to fit them
    best (Schoenemann 1966).
    """
    known = [n for n in survey.names if n in anchors]
    if not known:
        return survey
    have = survey.xy[[survey.names.index(n) for n in known]]
    want = np.array([anchors[n] for n in known])
    turn = np.eye(2)
    if survey.heading_open and len(known) > 1:
        u, _, vt = np.linalg.svd((have - have.mean(axis=0)).T @ (want - want.mean(axis=0)))
        if np.linalg.det(u @ vt) < 0 and not (survey.mirror_open and len(known) > 2):
            u[:, -1] *= -1
        turn = u @ vt
    xy = (survey.xy - have.mean(axis=0)) @ turn + want.mean(axis=0)
    whole = np.kron(np.eye(len(xy)), turn)
    return replace(survey, xy=xy, covariance=whole.T @ survey.covariance @ whole)


def radius95(covariance: Floats) -> float:
    """Radius of the circle that holds 95 % of a plane normal distribution (2, 2).

    From the ratio c of the lesser to the greater standard error: R = s (1.960790 + 0.004071 c +
    0.114276 c^2 + 0.371625 c^3) (Leenhouts 1985, from memory; the tests check it against drawn
    samples).
    """
    low, high = np.sqrt(np.maximum(np.linalg.eigvalsh(covariance), 0.0))
    c = low / high if high > 0 else 0.0
    return float(
        WIDER * high * (1.960790 + 0.004071 * c + 0.114276 * c**2 + 0.371625 * c**3)
    )


def surveyed(
    readings: Sequence[Reading], sides: Sequence[Side] = (), origin: str | None = None
) -> Survey:
    """Work out a survey. `sides` settle which of two mirror images it is; `origin` names the point
    at (0, 0), the first one read when left out.

    Raises InputError when there is no reading, or more than 600 points.
    """
    if not readings:
        raise InputError(
            "readings",
            "nothing has been measured yet: start with the three sides of a triangle",
        )
    names = tuple(dict.fromkeys(name for r in readings for name in names_of(r)))
    if len(names) > POINTS_MOST:
        raise InputError(
            "readings",
            f"{len(names)} points are too many for one survey; {POINTS_MOST} at most",
        )
    if origin is not None and origin not in names:
        raise InputError("origin", f"no reading names “{origin}”")
    whole = Network.of(names, readings)
    begun, _ = _begun(whole, sides)
    xy, kept, bad = _snooped(whole, begun, sides)
    xy = _sided(kept, xy, names, sides)
    xy = xy - xy[names.index(origin) if origin else 0]
    covariance, loose_by, fit, spare = _errors(kept, xy)
    checked = _checked(whole, kept, xy, covariance, bad)
    aims = any(isinstance(r, Bearing) for n, r in enumerate(readings) if n not in bad)
    loose = frozenset(n for n, free in zip(names, loose_by, strict=True) if free)
    return Survey(
        names,
        xy,
        covariance,
        checked,
        loose,
        _two_ways(kept, names, loose, sides),
        mirror_open=not _handed(kept, sides),
        heading_open=not aims,
        heading_error_deg=_heading_error(kept, xy),
        fit=fit,
        spare=spare,
        _index={n: i for i, n in enumerate(names)},
    )


def _misfit(network: Network, xy: Floats, sides: Sequence[Side]) -> float:
    """Squared residuals, those of bad readings all alike, and 50 for each left-or-right answer that
    is not met.
    """
    return float(
        np.minimum(network.residuals(xy) ** 2, _BAD**2).sum()
    ) + 50.0 * _wrong_sides(network, xy, sides)


def _begun(network: Network, sides: Sequence[Side]) -> tuple[Floats, float]:
    """The best of all beginnings after a fit that bad readings do not draw along, and its
    misfit.
    """
    best, least = None, math.inf
    enough = chi_square(0.95, max(network.rows - 2 * len(network.names) + 3, 1))
    for tried, start in enumerate(starts(network, _MORE_STARTS)):
        for xy in (
            (start, start * [-1, 1])
            if len(network.aims) or len(network.offsets)
            else (start,)
        ):
            fitted = settled(network, xy, robust=_ROBUST)
            misfit = _misfit(network, fitted, sides)
            if misfit < least * 0.999:
                best, least = fitted, misfit
        if least < enough + (
            _BAD**2 if tried >= _LIKELY else 0.0
        ):  # later on, one reading may be bad
            break
    if best is None:
        raise InputError("readings", "the readings do not hang together")
    return _unfolded(network, best, least, sides)


def _unfolded(
    network: Network, xy: Floats, least: float, sides: Sequence[Side]
) -> tuple[Floats, float]:
    """Points turned over the line between two neighbours where that fits better: each may have
    begun on the wrong side.
    """
    near: list[list[int]] = [[] for _ in network.names]
    for _, i, j in network.tapes:
        near[i].append(int(j))
        near[j].append(int(i))
    for _ in range(2):
        strained = np.zeros(len(network.names))
        res = np.abs(network.residuals(xy))
        for row, i, j in network.tapes:
            strained[[i, j]] = np.maximum(strained[[i, j]], res[row])
        changed = False
        for p in np.argsort(-strained)[:8]:
            if strained[p] < _STRAINED or len(near[p]) < 2:
                continue
            a, b = sorted(near[p], key=lambda q: -float(np.hypot(*(xy[q] - xy[p]))))[:2]
            trial = xy.copy()
            trial[p] = _turned_over(xy[p], xy[a], xy[b])
            trial = settled(network, trial, robust=_ROBUST)
            cost = _misfit(network, trial, sides)
            if cost < least * 0.98:
                xy, least, changed = trial, cost, True
        if not changed:
            break
    return xy, least


def _turned_over(p: Floats, a: Floats, b: Floats) -> Floats:
    u = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    return np.asarray(2 * (a + ((p - a) @ u) * u) - p)


class Snooped(NamedTuple):
    """Places without the readings that look wrong, the readings kept, and those set aside,
    by number, with those that could be wrong in their stead.
    """

    xy: Floats
    network: Network
    set_aside: dict[int, tuple[int, ...]]


def _snooped(whole: Network, begun: Floats, sides: Sequence[Side]) -> Snooped:
    """Places without the readings that look wrong, the readings kept, and those set aside, by
    number, with those that could be wrong in their stead.
    """
    bad: dict[int, tuple[int, ...]] = {}
    kept, numbers, xy = whole, list(range(len(whole.readings))), begun
    while True:
        xy = settled(kept, xy)
        strain, share = _strains(kept, xy)
        worst = int(np.argmax(strain)) if len(strain) else 0
        if (
            len(bad) >= _MOST_BAD
            or not len(strain)
            or strain[worst] <= suspicious(len(kept.readings))
        ):
            break
        alike = [
            n
            for n in np.flatnonzero((strain > ALIKE * strain[worst]) & (share > UNCHECKED))
            if n != worst
        ]
        bad[numbers[worst]] = tuple(numbers[n] for n in alike)
        numbers.pop(worst)
        kept = whole.without(set(bad))
        xy = settled(kept, xy, robust=_ROBUST)
    return (len(bad) > 1 and _one_alone(whole, xy, sides)) or Snooped(xy, kept, bad)


def _one_alone(whole: Network, begun: Floats, sides: Sequence[Side]) -> Snooped | None:
    """The same with a single reading set aside, where one explains all: a slip drags its neighbours
    along. In small surveys each is left out from the very beginning.
    """
    found: list[tuple[float, int, Floats, Network]] = []
    for n in range(len(whole.readings)):
        kept = whole.without({n})
        if len(kept.names) > len({name for r in kept.readings for name in names_of(r)}):
            continue
        start = _begun(kept, sides)[0] if len(whole.readings) <= _SMALL else begun
        xy = settled(kept, settled(kept, start, robust=_ROBUST))
        if _strains(kept, xy)[0].max() <= suspicious(len(kept.readings)):
            found.append((float((kept.residuals(xy) ** 2).sum()), n, xy, kept))
    if not found:
        return None
    found.sort(key=lambda f: f[0])
    least, n, xy, kept = found[0]
    alike = tuple(other for misfit, other, _, _ in found[1:] if misfit < least + _BAD)
    return Snooped(xy, kept, {n: alike})


def suspicious(readings: int) -> float:
    """Strain beyond which the worst of so many readings looks wrong: Bonferroni's bound for
    FALSE_ALARMS in a survey.
    """
    return float(ndtri(1 - FALSE_ALARMS / 2 / max(readings, 1)))


def _strains(network: Network, xy: Floats) -> tuple[Floats, Floats]:
    """Each reading's residual by its own standard error, 0 where nothing checks it; and the share
    of it that others tell.
    """
    slopes = network.slopes(xy)
    inverse = _inverse(slopes.T @ slopes)[0]
    share = np.clip(1 - np.einsum("rk,kl,rl->r", slopes, inverse, slopes), 0.0, 1.0)
    res = np.abs(network.residuals(xy))
    strain = np.where(share > UNCHECKED, res / np.sqrt(np.maximum(share, 1e-12)), 0.0)
    out, shares = np.zeros(len(network.readings)), np.ones(len(network.readings))
    np.maximum.at(out, network.of_row, strain)
    np.minimum.at(shares, network.of_row, share)
    return out, shares


def _inverse(normal: Floats) -> tuple[Floats, Floats]:
    """Pseudo-inverse of the normal matrix, and the directions (2 n, k) in which nothing holds the
    points.
    """
    values, vectors = np.linalg.eigh(normal)
    held = values > _LOOSE * max(float(values[-1]), 1e-30)
    return np.asarray((vectors[:, held] / values[held]) @ vectors[:, held].T), np.asarray(
        vectors[:, ~held]
    )


def _rigid(xy: Floats) -> Floats:
    """Orthonormal moves (2 n, 3) of the whole: east, north, round."""
    away = xy - xy.mean(axis=0)
    moves = np.zeros((len(xy), 2, 3))
    moves[:, 0, 0] = moves[:, 1, 1] = 1.0
    moves[:, 0, 2], moves[:, 1, 2] = -away[:, 1], away[:, 0]
    return np.asarray(np.linalg.qr(moves.reshape(-1, 3))[0])


class Errors(NamedTuple):
    """How sure a shape is: covariance (2 n, 2 n), which points are loose (n,), the fit,
    and the spare readings.
    """

    covariance: Floats
    loose: NDArray[np.bool_]
    fit: float
    spare: int


def _errors(network: Network, xy: Floats) -> Errors:
    """Covariance (2 n, 2 n) of the shape, which points are loose (n,), the fit and the spare
    readings.

    Where the readings fit worse than their standard errors promise (chi-squared at 5 %), the errors
    are raised to match.
    """
    slopes = network.slopes(xy)
    inverse, open_ways = _inverse(slopes.T @ slopes)
    rigid = _rigid(xy)
    apart = np.eye(2 * len(xy)) - rigid @ rigid.T
    loose = _loose(network, xy, apart @ open_ways)
    spare = network.rows - (2 * len(xy) - open_ways.shape[1])
    total = float((network.residuals(xy) ** 2).sum())
    fit = math.sqrt(total / spare) if spare > 0 else 0.0
    raised = fit**2 if spare > 0 and total > chi_square(0.95, spare) else 1.0
    return Errors(np.asarray(apart @ inverse @ apart) * raised, loose, fit, spare)


def _loose(network: Network, xy: Floats, ways: Floats) -> NDArray[np.bool_]:
    """Points (n,) that can still move against the largest part that is rigid in itself. `ways` (2
    n, k): moves of the shape that no reading hinders.
    """
    ways = ways[:, np.linalg.norm(ways, axis=0) > _MOVES]
    out = np.zeros(len(xy), dtype=bool)
    if not ways.shape[1]:
        return out
    moves = ways.reshape(len(xy), 2, -1)
    best: NDArray[np.bool_] | None = None
    pairs = np.vstack([network.tapes[:, 1:], network.aims[:, 1:], network.offsets[:, 1:3]])
    for i, j in np.unique(pairs, axis=0)[:_PAIRS_MOST]:
        held = np.ones(len(xy), dtype=bool)
        for base in (i, j):
            gap = xy - xy[base]
            unit = gap / np.maximum(np.hypot(*gap.T), 1e-9)[:, None]
            held &= (
                np.abs(np.einsum("nc,nck->nk", unit, moves - moves[base])) < _MOVES
            ).all(axis=1)
        if best is None or held.sum() > best.sum():
            best = held
    return out if best is None else ~best


def _checked(
    whole: Network,
    kept: Network,
    xy: Floats,
    covariance: Floats,
    bad: dict[int, tuple[int, ...]],
) -> tuple[Checked, ...]:
    numbers = [n for n in range(len(whole.readings)) if n not in bad]
    strain, share = _strains(kept, xy)
    by_number = {
        n: (float(s), float(r)) for n, s, r in zip(numbers, strain, share, strict=True)
    }
    places = {
        name: (float(x), float(y)) for name, (x, y) in zip(whole.names, xy, strict=True)
    }
    rows = whole.residuals(xy)
    slopes = whole.slopes(xy)
    out = []
    for n, reading in enumerate(whole.readings):
        value = told(places, reading)
        if isinstance(reading, Distance):
            shown, off = float(value), float(value) - reading.length_m  # type: ignore[arg-type]
        elif isinstance(reading, Bearing):
            shown = float(value)  # type: ignore[arg-type]
            off = (shown - reading.bearing_deg + 180) % 360 - 180
        else:
            along, right = value  # type: ignore[misc]
            parts = (along - reading.along_m, right - reading.right_m)
            off = max(parts, key=abs)
            shown = along if off == parts[0] else right
        if n in by_number:
            own, part = by_number[n]
            out.append(Checked(n, shown, off, own, part > UNCHECKED))
        else:
            mine = np.flatnonzero(whole.of_row == n)
            spread = 1 + np.einsum("rk,kl,rl->r", slopes[mine], covariance, slopes[mine])
            out.append(
                Checked(
                    n,
                    shown,
                    off,
                    float(np.max(np.abs(rows[mine]) / np.sqrt(spread))),
                    True,
                    True,
                    bad[n],
                )
            )
    return tuple(out)


def _cross(xy: Floats, i: int, j: int, p: int) -> float:
    """Positive where p is on the left of the way from i to j."""
    u, v = xy[j] - xy[i], xy[p] - xy[i]
    return float(u[0] * v[1] - u[1] * v[0])


def _wrong_sides(network: Network, xy: Floats, sides: Sequence[Side]) -> int:
    index = {n: i for i, n in enumerate(network.names)}
    known = [s for s in sides if {s.start, s.end, s.point} <= set(index)]
    wrong = sum(
        (_cross(xy, index[s.start], index[s.end], index[s.point]) > 0) != s.left
        for s in known
    )
    # Without bearings and offsets the whole may be seen from behind: then all answers are wrong
    # together.
    return (
        min(wrong, len(known) - wrong)
        if not len(network.aims) and not len(network.offsets)
        else wrong
    )


def _handed(network: Network, sides: Sequence[Side]) -> bool:
    """Whether something tells the survey from its mirror image."""
    known = [s for s in sides if {s.start, s.end, s.point} <= set(network.names)]
    pairs = {frozenset((int(i), int(j))) for _, i, j in network.aims}
    return (
        bool(known) or len(network.offsets) > 0 or len(pairs) >= 2 or len(network.names) < 3
    )


def _sided(
    network: Network, xy: Floats, names: tuple[str, ...], sides: Sequence[Side]
) -> Floats:
    """The image that the left-or-right answers ask for."""
    if len(network.aims) > 1 or len(network.offsets):
        return xy
    known = [s for s in sides if {s.start, s.end, s.point} <= set(names)]
    right = sum(
        (_cross(xy, names.index(s.start), names.index(s.end), names.index(s.point)) > 0)
        == s.left
        for s in known
    )
    if 2 * right >= len(known):
        return xy
    flipped = xy * [-1, 1]
    return settled(network, _headed(network, flipped))


def _headed(network: Network, xy: Floats) -> Floats:
    """The whole turned so that its bearings are kept."""
    if not len(network.aims):
        return xy
    _, i, j = network.aims.T
    have = np.arctan2(*(xy[j] - xy[i]).T)
    turn = np.angle(np.exp(1j * (network.angles - have)).sum())
    c, s = np.cos(-turn), np.sin(-turn)
    return np.asarray(xy @ np.array([[c, s], [-s, c]]))


def _heading_error(network: Network, xy: Floats) -> float:
    """Standard error (degrees) of the whole's heading, from its bearings alone; infinite without
    any.
    """
    if not len(network.aims):
        return math.inf
    errors = network.errors[network.aims[:, 0]]
    return math.degrees(1 / math.sqrt(float((1 / errors**2).sum())))


def _two_ways(
    network: Network, names: tuple[str, ...], loose: frozenset[str], sides: Sequence[Side]
) -> frozenset[str]:
    """Points that two tapes alone hold: they could as well lie on the other side of the line
    between those two.
    """
    ties: dict[str, int] = dict.fromkeys(names, 0)
    for reading in network.readings:
        for name in names_of(reading):
            ties[name] += 2 if isinstance(reading, Offset) else 1
    answered = {s.point for s in sides}
    if len(names) <= 3:
        return frozenset()
    return frozenset(
        n
        for n, count in ties.items()
        if count == 2 and n not in loose and n not in answered
    )


def next_tapes(survey: Survey, readings: Sequence[Reading], most: int = 3) -> list[Next]:
    """What to measure next: first what is still loose, then points that could lie on either side,
    then the weakest.
    """
    have = {frozenset((r.start, r.end)) for r in readings if isinstance(r, Distance)}
    firm = [n for n in survey.names if n not in survey.loose]
    out: list[Next] = []

    def nearest(name: str, why: str) -> None:
        others = [
            o
            for o in (firm or survey.names)
            if o != name and frozenset((o, name)) not in have
        ]
        taken = {frozenset((t.start, t.end)) for t in out}
        others = [o for o in others if frozenset((o, name)) not in taken]
        if others:
            ways = _ways_from(survey, name, readings)
            best = max(others, key=lambda o: _worth(survey, name, o, ways))
            far = survey.spacing_m(name, best)[0]
            out.append(Next(best, name, far, why))

    for name in sorted(survey.loose, key=survey.names.index):
        nearest(name, "is not held yet: it can still swing")
    for name in sorted(survey.two_ways, key=survey.names.index):
        nearest(
            name, "is held by two tapes only, so it could lie on either side of their line"
        )
    unchecked = {
        n
        for r in survey.readings
        if not r.checked and not r.set_aside
        for n in names_of(readings[r.number])
    }
    rest = [n for n in survey.names if n not in survey.loose | survey.two_ways]
    for name in sorted(
        rest, key=lambda n: (n not in unchecked, -survey.plus_or_minus_m(n))
    ):
        why = (
            "would show no slip of the tape" if name in unchecked else "is known least well"
        )
        nearest(name, why)
        if len(out) >= most:
            break
    return out[:most]


def _ways_from(survey: Survey, name: str, readings: Sequence[Reading]) -> Floats:
    """Directions (k, 2) of the tapes that a point has already."""
    here = np.array(survey.at(name))
    ties = [r for r in readings if isinstance(r, Distance) and name in (r.start, r.end)]
    ways = (
        np.array([survey.at(t.end if t.start == name else t.start) for t in ties]).reshape(
            -1, 2
        )
        - here
    )
    return np.asarray(ways / np.maximum(np.hypot(ways[:, 0], ways[:, 1]), 1e-9)[:, None])


def _worth(survey: Survey, name: str, other: str, ways: Floats) -> float:
    """How much a tape between two points would tell: square to those there are (`ways`), and
    short.
    """
    gap = np.array(survey.at(other)) - np.array(survey.at(name))
    far = float(np.hypot(*gap))
    if far < 0.3:
        return -1.0
    along = float(np.abs(ways @ gap).max(initial=0.0)) / far
    return (1.0 - along + 0.2) / (1.0 + far / 10)
