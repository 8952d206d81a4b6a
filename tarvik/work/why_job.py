"""Why the choices are so: what each shelter won against."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarvik.core.plan.aims import aim_named
from tarvik.core.plan.choose import Reached, chosen_of, fixed
from tarvik.core.plan.why import rivals
from tarvik.work.report import Done

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from tarvik.core.plain import JsonMapping
    from tarvik.core.plan.choose import Chosen
    from tarvik.core.plan.model import PlanModel
    from tarvik.work.desk import Desk
    from tarvik.work.report import Report


def why(desk: Desk, course_id: int, night_id: int, _: JsonMapping, report: Report) -> Done:
    """Against what each shelter of the choices won."""
    case, _seconds = desk.case(course_id, night_id)
    report.say("trying the other pitches of each sheet", at_once=True)
    model, taken, beds, _offers = desk.standing(case)
    chosen = _as_chosen(model, taken, beds)
    if chosen is None:
        return Done(
            "failed",
            {
                "words": (
                    "the choices as they are break a rule or want more kit than there "
                    "is; "
                    "make a plan first"
                )
            },
        )
    out = []
    for n in taken:
        if report.stop():
            break
        offer = model.asked.offers[n]
        found = rivals(model, chosen, offer.sheets)
        out.append(
            {
                "sheet": offer.sheets[0],
                "pitch": offer.pitch,
                "rivals": [
                    {
                        "pitch": model.asked.offers[r.offer].pitch,
                        "aim": aim_named(r.aim).words if r.aim else "",
                        "worse": r.worse,
                    }
                    for r in found
                ],
            }
        )
        report.say(f"{len(out)} of {len(taken)} shelters")
    return Done("done", {"shelters": out})


def _as_chosen(
    model: PlanModel,
    taken: Sequence[int],
    beds: Mapping[int, tuple[int, ...] | None],
) -> Chosen | None:
    values = fixed(model, (taken, beds))
    if values is None:
        return None
    linear = model.linear
    return chosen_of(
        model,
        values,
        [Reached(a, v := linear.value(a, values), v) for a in linear.aims],
    )
