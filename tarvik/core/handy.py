"""Settings that people can set: at the sheet's own tie-outs before buttons are made, heights to
5 cm and within reach of hands, angles to 5 degrees, unless that loses a bed.
"""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.fitting import Misfit, fit
from tarvik.core.measure.grades import fits
from tarvik.core.measure.runoff import POOLING_DEG
from tarvik.core.pitches.base import Hold
from tarvik.core.rig.verdict import Reason, Verdict
from tarvik.core.search.batch import values_of
from tarvik.core.search.grid import CARRIED_HEIGHTS, allowed, combined
from tarvik.core.sheet import TIE_OUT_REACH_M
from tarvik.core.shelter import fold_batch
from tarvik.core.site.pairs import REACH_M

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tarvik.core.fitting import Fitting
    from tarvik.core.fold.pattern import Floats
    from tarvik.core.pitches.base import Setting
    from tarvik.core.solve import Question, Solution

    Answer = Callable[[Question], Solution]

HEIGHT_STEP_M: Final = constant(
    "height_step", 0.05, "m", COMMON_PRACTICE, "how finely people set a height by hand"
)
ANGLE_STEP_DEG: Final = constant(
    "angle_step", 5.0, "degrees", COMMON_PRACTICE, "how finely people set an angle by hand"
)
OTHER_HEIGHTS: Final = ("corner_height", "low", "lift")
"""Heights of points that hang lower than the carried ones."""
MOST_PLACES: Final = 8
"""Tie-outs along an edge that are tried for one setting."""
MOST_TRIED: Final = 12
"""Sets of tie-outs for which the rest is searched anew."""
LOWER_M: Final = constant(
    "ridge_under_edge",
    0.15,
    "m",
    ENGINEERING,
    "how far a ridge is tried below the shortest pole",
)
POLE_CODES: Final = frozenset({"pole_short", "pole_long", "no_support"})
"""Reasons that a pole of another length would mend."""
PEAK: Final = "height"
"""The setting that is the height of the highest points."""
_RANK: Final = {Verdict.CANNOT: 0, Verdict.NEEDS: 1, Verdict.FORMS: 2}


def handy(question: Question, found: Solution, answer: Answer) -> Solution:
    """The answer with settings that people can set. `answer` answers a question as it is asked."""
    if found.figures is None or len(question.settings) == len(question.pitch.settings):
        return found
    found = _on_poles(question, found, answer)
    return _rounded(question, _tied(question, found, answer), answer)


def _on_poles(question: Question, found: Solution, answer: Answer) -> Solution:
    """At heights that the poles at hand reach, where that is all that is missing."""
    if found.verdict is not Verdict.NEEDS or not question.supports.poles:
        return found
    if not any(r.blocks and r.code in POLE_CODES for r in found.assessment.reasons):
        return found
    free = [s for s in question.pitch.settings if s.name not in question.settings]
    carried = [s for s in free if s.name.startswith(CARRIED_HEIGHTS)]
    share = question.supports.house.pole_share
    ends = {h * share for p in question.supports.poles for h in (p.most_m, p.least_m)}
    lower = (
        min(ends) - LOWER_M
    )  # where poles prop an edge that stands higher than the ridge
    tilts = {
        s.name: s.default for s in free if not (s.is_length or s.is_choice) and s.searched
    }
    heights = (*sorted(ends, reverse=True), lower) if carried else ()
    for tilt, value in product(({}, tilts) if tilts else ({},), heights):
        inside = {
            s.name: min(max(round(value, 3), s.least), s.most) for s in carried
        } | tilt
        made = answer(
            replace(question, settings={**question.settings, **inside}, handy=False)
        )
        if made.verdict is Verdict.FORMS and _no_worse(question, made, found):
            return replace(made, question=question)
    return found


def _beds(question: Question, found: Solution) -> tuple[int, int]:
    """How many of those wanted lie there as usual, and how many tightly."""
    if found.figures is None:
        return -1, -1
    most = math.inf if question.wanted is None else question.wanted
    usual = min(found.figures.sleepers, most)
    return int(usual), 0 if usual else min(fits(found.figures).tight, 1)


def _no_worse(question: Question, one: Solution, other: Solution) -> bool:
    """Whether the one beds as many, and wants no more, as the other."""
    beds = _beds(question, one) >= _beds(question, other)
    return beds and _RANK[one.verdict] >= _RANK[other.verdict]


def is_height(setting: Setting) -> bool:
    """Whether it is a height that people set with a tape."""
    return setting.is_length and setting.name.startswith((*CARRIED_HEIGHTS, *OTHER_HEIGHTS))


def _rounded(question: Question, found: Solution, answer: Answer) -> Solution:
    free = [
        s for s in question.pitch.settings if s.name not in question.settings and s.searched
    ]
    steps = {s.name: _step(s) for s in free if _step(s)}
    near = {n: _on_step(found.settings[n], step) for n, step in steps.items()}
    for s in free:
        if is_height(s):
            near[s.name] = min(max(near[s.name], s.handy_least), REACH_M)
        elif (
            s.name in near
            and question.weather.rain_mm_h
            and abs(near[s.name]) < POOLING_DEG
        ):
            near[s.name] = math.copysign(POOLING_DEG, near[s.name])
    wanted = {n: v for n, v in near.items() if abs(v - found.settings[n]) > 1e-6}
    if not wanted:
        return found
    best = _set(question, found, wanted, answer)
    if best is not None and _no_worse(question, best, found):
        return best
    now = found
    for name, value in wanted.items():
        step = steps[name]
        over = value + math.copysign(step, found.settings[name] - value)
        for tried in (value, over):
            if is_height(question.pitch.setting(name)) and tried > REACH_M + 1e-6:
                continue
            made = _set(question, now, {name: tried}, answer)
            if made is not None and _no_worse(question, made, found):
                now = made
                break
    return now


def _step(setting: Setting) -> float:
    """How finely people set it; 0 for what they do not set with tape or eye."""
    if is_height(setting):
        return HEIGHT_STEP_M
    return 0.0 if setting.is_length or setting.is_choice else ANGLE_STEP_DEG


def _on_step(value: float, step: float) -> float:
    return round(round(value / step) * step, 4)


def _set(
    question: Question, found: Solution, values: Mapping[str, float], answer: Answer
) -> Solution | None:
    """The shelter with some settings changed; None where it does not fold so, or they are out of
    range.
    """
    for name, value in values.items():
        setting = question.pitch.setting(name)
        if not setting.least <= value <= setting.most:
            return None
    asked = replace(question, settings={**found.settings, **values}, handy=False)
    made = answer(asked)
    return None if made.figures is None else replace(made, question=question)


def _tied(question: Question, found: Solution, answer: Answer) -> Solution:
    """At the sheet's own tie-outs, where fewer buttons then bed as many; otherwise as it was found,
    with a word of what the tie-outs there give.
    """
    buttons = found.assessment.buttons
    if not buttons or not question.sheet.tie_outs:
        return found
    best, least = None, buttons
    for places in _on_tie_outs(question, found):
        made = answer(
            replace(question, settings={**question.settings, **places}, handy=False)
        )
        if (
            made.figures is None
            or made.assessment.buttons >= least
            or not any(_beds(question, made))
        ):
            continue
        best, least = replace(made, question=question), made.assessment.buttons
        if _no_worse(question, best, found):
            return best
    if best is None or best.figures is None or found.figures is None:
        return found
    words = (
        f"with the tie-outs there: {fits(best.figures).words}; with "
        f"{buttons} {'button' if buttons == 1 else 'buttons'}: {fits(found.figures).words}"
    )
    told = Reason("tie_outs_there", words, blocks=False)
    reasons = (*found.assessment.reasons, told)
    return replace(found, assessment=replace(found.assessment, reasons=reasons))


def _on_tie_outs(question: Question, found: Solution) -> list[dict[str, float]]:
    """Places along the edges at which the fewest points lack a tie-out, the nearest to those found
    first.
    """
    fitting = fit(question.pitch, question.sheet)
    moved = [
        s
        for s in question.pitch.settings
        if s.searched
        and s.is_length
        and not is_height(s)
        and s.name not in question.settings
    ]
    if isinstance(fitting, Misfit) or not moved:
        return []
    moved += [
        s
        for s in question.pitch.settings
        if s.name == PEAK and s.name not in question.settings
    ]
    cases = combined(
        [
            np.array(
                _heights(s, question, found)
                if s.name == PEAK
                else _places(s, question, found)
            )
            for s in moved
        ]
    )
    still = {n: v for n, v in found.settings.items() if n not in {s.name for s in moved}}
    missing = _missing(fitting, question, values_of([s.name for s in moved], cases, still))
    away = np.abs(cases - [found.settings[s.name] for s in moved]).sum(axis=1)
    order = [
        n for n in np.lexsort((away, missing)) if missing[n] < found.assessment.buttons
    ]
    return [
        {s.name: float(v) for s, v in zip(moved, cases[n], strict=True)}
        for n in order[:MOST_TRIED]
    ]


def _heights(setting: Setting, question: Question, found: Solution) -> list[float]:
    """Heights to 5 cm, on which it depends where some points come to lie, and the one found."""
    steps = np.arange(setting.least, min(setting.most, REACH_M) + 1e-6, HEIGHT_STEP_M)
    kept = allowed(np.round(steps, 3), setting, question.supports)
    return [found.settings[setting.name], *(float(v) for v in kept)]


def _places(setting: Setting, question: Question, found: Solution) -> list[float]:
    """Values at which an edge's point may fall on a tie-out, those nearest to the one found, which
    is among them.
    """
    now = found.settings[setting.name]
    ties = np.array(question.sheet.tie_outs or ())
    box = question.sheet.box or tuple(ties.max(axis=0))
    every = np.concatenate([ties.ravel(), (np.array(box) - ties).ravel()])
    inside = np.unique(
        np.round(every[(every >= setting.least) & (every <= setting.most)], 3)
    )
    near = inside[np.argsort(np.abs(inside - now), kind="stable")][:MOST_PLACES]
    return [now, *(float(v) for v in near)]


def _missing(fitting: Fitting, question: Question, values: Mapping[str, Floats]) -> Floats:
    """How many tied points of each case (N,) lie on no tie-out; infinite where it does not fold."""
    pitch = fitting.pitch
    uv, xyz = fold_batch(pitch, fitting.box, values)
    rows = [
        pitch.pattern.index(a.point)
        for a in pitch.anchors
        if a.hold is not Hold.FREE and a.on_sheet
    ]
    ties = np.array(question.sheet.tied_at) - np.array(fitting.origin)
    away = np.linalg.norm(uv[:, rows, None, :] - ties, axis=-1).min(axis=-1)
    count = (away > TIE_OUT_REACH_M).sum(axis=1).astype(float)
    return np.where(np.isfinite(xyz).all(axis=(1, 2)), count, np.inf)
