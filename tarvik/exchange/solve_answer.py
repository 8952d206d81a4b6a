"""Answers of the automation contract in its words. Lengths to a micrometre, places a nanometre."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING

from tarvik.core.errors import FoldError
from tarvik.core.hang.hung import hang, usual_hanging
from tarvik.core.hang.tell import findings, hung_figures, tell, warnings
from tarvik.core.measure.grades import fits
from tarvik.core.measure.heading import rose
from tarvik.core.measure.mats import Mat
from tarvik.core.search.objective import worth
from tarvik.core.solve import solve
from tarvik.core.tonight import judge
from tarvik.core.units import Units

if TYPE_CHECKING:
    from tarvik.core.hang.hung import Hung
    from tarvik.core.hang.tell import Told
    from tarvik.core.loads.gale import Gale
    from tarvik.core.measure.figures import Figures
    from tarvik.core.measure.heading import Rose
    from tarvik.core.plain import JsonObject
    from tarvik.core.solve import Solution, SolverBackend
    from tarvik.core.tonight import Tonight
    from tarvik.exchange.solve_request import HangIn, SolveIn


@dataclass(frozen=True, slots=True)
class _Hangs:
    """A sheet as it hangs, what is to be said of it, and the figures of its fold."""

    shape: Hung
    told: Told
    fold: Figures


def whole_answer(asked: SolveIn, backend: SolverBackend) -> JsonObject:
    """Everything a request asks for: with a night, or asked to hang, the measures are those of the
    hung sheet. Raises InputError naming the field.
    """
    taut = solve(asked.to_core(), backend)
    night = asked.judged_night()
    found = "" if asked.hang is None and night is None else _hangs(taut, asked.hang)
    hung = None if isinstance(found, str) else found
    solution = (
        taut if hung is None else replace(taut, figures=hung_figures(hung.fold, hung.told))
    )
    out = answer(solution)
    if night is not None:
        wanted = max(1, len(asked.people), asked.sleepers_wanted or 1)
        judged = judge(solution, night, wanted)
        if hung is not None:
            more = warnings(hung.told, hung.fold, Units.METRIC, None, wanted)
            judged = judged.hung_too(more)
        out["tonight"] = _tonight(judged)
    if asked.rose and solution.shelter is not None and solution.figures is not None:
        out["rose"] = _rose(rose(solution.shelter, solution.figures.weather))
    if asked.hang is not None:
        out["hung"] = (
            {"hangs": False, "why": found} if hung is None else _hung(hung, asked.hang)
        )
    return out


def _hangs(solution: Solution, asked: HangIn | None) -> _Hangs | str:
    """The sheet as it hangs, or why it does not."""
    shelter, rig, figures = solution.shelter, solution.assessment.rig, solution.figures
    question = solution.question
    if shelter is None or rig is None or figures is None:
        return "the sheet makes no such pitch"
    if asked is None and question.pitch.bed is not None:
        return "it lies on who is in it"
    hanging = (
        usual_hanging(question.sheet)
        if asked is None
        else asked.to_core(figures.weather.wind_from_deg, question.sheet)
    )
    try:
        shape = hang(shelter, rig, hanging)
    except FoldError as err:
        return str(err)
    return _Hangs(shape, tell(shape, figures, question.body, question.people), figures)


def _hung(hung: _Hangs, asked: HangIn) -> JsonObject:
    """The sheet as it hangs, in the contract's words."""
    shape, told = hung.shape, hung.told
    return {
        "hangs": True,
        "settled": told.settled,
        "why": told.why,
        "steps": told.steps,
        "fabric": told.fabric,
        "tautness": told.tautness,
        "measures": {
            "peak_m": _r(told.peak_m),
            "covered_area_m2": _r(told.covered_m2),
            "dry_area_m2": _r(told.dry_m2),
            "sit_area_m2": _r(told.sit_m2),
            "stand_area_m2": _r(told.stand_m2),
            "sleepers": told.sleepers,
            "headroom_m": _r(told.headroom_m),
            "fold_headroom_m": _r(told.fold_headroom_m),
            "sag_m": _r(told.sag_m),
            "ridge_sag_m": None if told.ridge_sag_m is None else _r(told.ridge_sag_m),
            "mats": [_mat(Mat(*m)) for m in told.mats],
        },
        "slack_share": _r(told.slack),
        "wrinkled_share": _r(told.wrinkled),
        "points": {
            p: [_fine(c) for c in shape.xyz[n]] for p, n in shape.mesh.named.items()
        },
        "probes": [
            {"sheet_m": at, "at_m": [_fine(c) for c in shape.place(at[0], at[1])]}
            for at in asked.probe_m
        ],
        "forces": [
            {
                "point": f.tie.name,
                "kind": f.tie.kind,
                "newtons": _r(f.newtons),
                "up_n": _r(f.up_n),
                "force_n": [_r(c) for c in f.pull],
                "along_n": _r(f.along_n),
            }
            for f in shape.forces
        ],
        "lines": [
            {"from": start, "purpose": purpose, "newtons": _r(n)}
            for start, purpose, n in told.lines
        ],
        "load_n": [_r(v) for v in shape.load.sum(axis=0)],
        "ground_n": _r(shape.ground_n),
        "unbalanced_share": shape.unbalanced,
        "pools": [
            {
                "at_m": [_r(c) for c in p.at],
                "litres_first": _r(p.litres_first),
                "litres": _r(p.litres),
                "depth_m": _r(p.depth_m),
                "grows": p.grows,
            }
            for p in told.pools
        ],
        "findings": [
            {"code": f.code, "element": f.element, "message": f.message, "remedy": f.remedy}
            for f in findings(told, hung.fold, Units.METRIC)
        ],
    }


def _r(value: float) -> float:
    return round(float(value), 6)


def answer(solution: Solution) -> JsonObject:
    """A solution in the contract's words. Lengths to a micrometre."""
    shelter, rig = solution.shelter, solution.assessment.rig
    out: JsonObject = {
        "pitch": solution.question.pitch.slug,
        "verdict": solution.verdict.value,
        "reasons": [
            {"code": r.code, "message": r.message, "blocks": r.blocks, "remedy": r.remedy}
            | ({"short_by_m": _r(r.short_by_m)} if r.short_by_m is not None else {})
            for r in solution.assessment.reasons
        ],
        "settings": {name: _r(value) for name, value in solution.settings.items()},
        "points": {},
        "panels": [],
        "lines": [],
        "stakes": [],
        "supports": [],
        "measures": None,
    }
    if shelter is not None:
        out["points"] = {
            p: {
                "sheet_m": [_fine(x) for x in shelter.sheet_at(p)],
                "at_m": [_fine(x) for x in shelter.at(p)],
            }
            for p in shelter.pattern.points
        }
        out["panels"] = [
            {"id": p.id, "role": p.role.value, "points": list(p.points)}
            for p in shelter.panels
        ]
    if rig is not None:
        out["lines"] = [
            {
                "from": x.start,
                "to_m": [_r(c) for c in x.to],
                "length_m": _r(x.cord_m),
                "span_m": _r(x.span_m),
                "purpose": x.purpose,
            }
            for x in rig.lines
        ]
        out["stakes"] = [
            {
                "at_m": [_r(c) for c in s.at],
                "point": s.point,
                "purpose": s.purpose,
                "optional": s.optional,
            }
            for s in rig.stakes
        ]
        out["supports"] = [
            {
                "kind": s.kind,
                "at_m": [_r(c) for c in s.at],
                "height_m": _r(s.height_m),
                "point": s.point,
            }
            for s in rig.supports
        ]
    if solution.figures is not None:
        out["measures"] = _measures(solution)
    return out


def _fine(value: float) -> float:
    """Places keep nanometres, so that lengths computed from them stay exact; no negative zero."""
    return round(float(value), 9) + 0.0


def _mat(mat: Mat) -> JsonObject:
    return {
        "corners_m": [[_fine(x), _fine(y)] for x, y in mat.corners()],
        "head": [_fine(c) for c in mat.head()],
        "heading_deg": mat.heading_deg,
    }


def _measures(solution: Solution) -> JsonObject:
    f = solution.figures
    if f is None:
        return {}
    room = f.clearance
    return {
        "peak_m": _r(f.peak_m),
        "covered_area_m2": _r(f.covered_area_m2),
        "dry_area_m2": _r(f.dry_area_m2),
        "sit_area_m2": _r(f.sit_area_m2),
        "stand_area_m2": _r(f.stand_area_m2),
        "sleepers": f.sleepers,
        "fits": asdict(fits(f)),
        "mats": [_mat(mat) for mat in f.mats],
        "kneel_area_m2": _r(f.kneel_area_m2),
        "packs": f.packs,
        "who": list(f.who),
        "under_drip": list(f.wetted),
        "wind_from_deg": _r(f.weather.wind_from_deg),
        "drips": [
            {"points": list(d.points), "at_m": [[_fine(c) for c in p] for p in d.xyz]}
            for d in f.drips
        ],
        "openings": [
            {
                "points": list(o.edge),
                "bearing_deg": _r(o.bearing_deg),
                "area_m2": _r(o.area_m2),
                "height_m": _r(o.height_m),
            }
            for o in f.openings
        ],
        "worth": _r(worth(f, solution.question.objective())),
        "shear_deg": _r(f.shelter.shear_deg),
        "least_slope_deg": _r(f.least_slope_deg),
        "open_to_wind": _r(f.open_to_wind),
        "rain_slope": _r(f.rain_slope),
        "clearance": {name: getattr(room, name) for name in room.__dataclass_fields__},
    }


def _tonight(judged: Tonight) -> JsonObject:
    """A night's judgement: findings, forces in newtons, speeds in m/s."""
    gale, damp = judged.gale, judged.damp
    return {
        "verdict": judged.verdict.value,
        "findings": [
            {
                "code": f.code,
                "about": f.element,
                "message": f.message,
                "remedy": f.remedy,
                "level": f.level.name.lower(),
            }
            for f in judged.findings
        ],
        "remedies": [
            {
                "code": r.code,
                "message": r.message,
                "points": list(r.points),
                "adds": {
                    "stakes": r.stakes,
                    "cord_m": _r(r.cord_m),
                    "stones_kg": _r(r.stones_kg),
                },
            }
            for r in judged.remedies
        ],
        "gale": None if gale is None else _gale(gale),
        "condensation": None
        if damp is None
        else {
            "risk": damp.risk,
            "open_m2": _r(damp.open_m2),
            "needed_m2": None if damp.needed_m2 is None else _r(damp.needed_m2),
        },
    }


def _gale(gale: Gale) -> JsonObject:
    """The forces of a night's gust, newtons; those of panels and holders in the governing case."""
    return {
        "gust_m_s": _r(gale.local_gust_m_s),
        "pressure_pa": _r(gale.pressure_pa),
        "move_at_force": gale.move_at_force,
        "move_at_m_s": _r(min(gale.move_at_m_s, 999.0)),
        "panels": [
            {
                "id": p.id,
                "area_m2": _r(p.area_m2),
                "slope_deg": _r(p.slope_deg),
                "coefficient": _r(p.coefficient),
                "force_n": [_r(c) for c in p.force_n],
                "centre_m": [_fine(c) for c in p.centre],
            }
            for p in gale.loads
        ],
        "parts": [
            {
                "kind": p.kind,
                "point": p.where,
                "pull_n": _r(p.pull_n),
                "trusted_n": _r(p.holds_n),
            }
            for p in gale.parts
        ],
        "unheld": list(gale.loose),
        "wind_swing_deg": _r(gale.swing_deg),
        "reactions": [
            {
                "kind": r.kind,
                "point": r.point,
                "force_n": [_r(c) for c in r.force_n],
                "at_m": [_fine(c) for c in r.at],
            }
            for r in gale.reactions
        ],
    }


def _rose(found: Rose) -> JsonObject:
    """Dry ground by the side the wind comes from, in the shelter's frame."""
    return {
        "best_wind_from_deg": _r(found.best.from_deg),
        "worst_wind_from_deg": _r(found.worst.from_deg),
        "petals": [
            {
                "wind_from_deg": _r(p.from_deg),
                "dry_area_m2": _r(p.dry_m2),
                "open_to_wind": _r(p.open_share),
            }
            for p in found.petals
        ],
    }
