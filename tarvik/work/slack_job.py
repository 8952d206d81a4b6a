"""Would more kit help tonight: the plan again with a little more of each kind."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik.core.plan.aims import aim_named
from tarvik.core.plan.choose import Limits
from tarvik.core.plan.gather import InBag
from tarvik.core.plan.make import make
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.sheet import Sheet
from tarvik.work.report import Done
from tarvik.work.told import told

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.plain import JsonMapping
    from tarvik.work.desk import Desk
    from tarvik.work.report import Report

SLACK_SECONDS: Final = 6.0
"""How long each plan is sought."""
MORE_SHEET_M: Final = 3.0
MORE_SHEET: Final = -7
"""Side and number of the sheet that is not there."""


def slack(
    desk: Desk, course_id: int, night_id: int, _: JsonMapping, report: Report
) -> Done:
    """What a pole, stakes, lines or a sheet more would make better tonight."""
    case, _seconds = desk.case(course_id, night_id)
    quiet: Callable[..., None] = lambda *_a: None  # noqa: E731
    report.say("the plan as it is", at_once=True)
    limits, clock = Limits(stop=report.stop), (time.monotonic, SLACK_SECONDS)
    hands = desk.solver.alone, desk.solver.elsewhere
    base = make(case, hands[0], limits, quiet, desk.offers, clock, hands[1])
    pools = case.bag.pools
    rods = [p for p in pools if p.kind == POLE]
    rod = max(rods, key=lambda p: p.most_m) if rods else Pool(POLE, 0, 1.05, 1.45)
    square = InBag(MORE_SHEET, Sheet.rectangle(MORE_SHEET_M, MORE_SHEET_M, None))
    more = [
        (
            "one more pole",
            replace(case.bag, pools=(*pools, replace(rod, count=1, owner=None))),
        ),
        ("ten more stakes", replace(case.bag, pools=(*pools, Pool(STAKE, 10)))),
        (
            "four more lines of 3 m",
            replace(case.bag, pools=(*pools, Pool(LINE, 4, 0.0, 3.0))),
        ),
        (
            "a second sheet of 3 x 3 m",
            replace(case.bag, sheets=(*case.bag.sheets, square)),
        ),
    ]
    out = []
    for words, bag in more:
        if report.stop():
            break
        report.say(words, at_once=True)
        limits = desk.limits(report, SLACK_SECONDS)
        made = make(
            replace(case, bag=bag),
            hands[0],
            limits,
            quiet,
            desk.offers,
            None,
            hands[1],
        )
        before = {r.aim: r.value for r in base.chosen.reached}
        gains = [
            {
                "aim": r.aim,
                "words": aim_named(r.aim).words,
                "less": before[r.aim] - r.value,
            }
            for r in made.chosen.reached
            if before.get(r.aim, r.value) != r.value
        ]
        out.append(
            {
                "words": words,
                "gains": gains,
                "better": made.chosen.value() < base.chosen.value(),
            }
        )
    return Done("done", {"base": told(base.chosen.reached), "more": out})
