"""What is warmed beforehand: whoever asks first afterwards waits for no compiled function to be
loaded, and no module.
"""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from tarvik.core.kept import key_of
from tarvik.core.plan.make import make
from tarvik.work.first_plan import first_plan, small_case
from tarvik.work.solving import Solver

LOADED = '''
import json, sys
from numba.core.dispatcher import Dispatcher

def loaded():
    """Compiled functions by name, each with the signatures it was called with from outside."""
    return {f"{name}.{value.py_func.__name__} {signature}"
            for name, module in list(sys.modules.items()) if name.startswith("tarvik.core")
            for value in vars(module).values() if isinstance(value, Dispatcher)
            for signature in value.signatures}
'''
SEARCHES = """
from tarvik.commands.warm import warm
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.solve import ADULT, Question, solve
from tarvik.core.weather.rain import CALM, Weather
warm()
before = loaded()
for pitch in PITCHES.values():
    for wanted, weather in ((1, CALM), (3, Weather(4.0, 6.0, 130.0)), (None, CALM)):
        people = (ADULT,) * (wanted or 1)
        sheet = Sheet.rectangle(2.7, 3.1)
        solve(Question(sheet, pitch, {}, wanted=wanted, weather=weather, people=people))
"""
PLANS = """
from tarvik.commands.bench_plan import large_case
from tarvik.core.plan.make import make
from tarvik.work.first_plan import first_plan
from tarvik.work.solving import Solver
first_plan(Solver())
before = loaded() | {name for name in sys.modules if name.startswith("ortools")}
make(large_case(4, 30), Solver().alone)
"""


def loaded_later(what: str, rest: str = "") -> set[str]:
    """What a program of its own loads after it was warmed."""
    code = f"{LOADED}{what}print(json.dumps(sorted((loaded(){rest}) - before)))"
    told = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        cwd=Path(__file__).parents[2],
    )
    return set(json.loads(told.stdout.splitlines()[-1]))


def test_searches_find_all_loaded() -> None:
    assert not loaded_later(SEARCHES)


def test_plans_find_all_loaded() -> None:
    assert not loaded_later(
        PLANS, ' | {name for name in sys.modules if name.startswith("ortools")}'
    )


def test_the_first_plan_is_a_whole_one_and_is_forgotten() -> None:
    made = make(small_case(), Solver().alone)
    assert made.chosen.proven and all(made.chosen.beds.values())
    solver = Solver()
    asked = []

    def noted(questions: object) -> object:
        asked.extend(questions)  # type: ignore[call-overload]
        return Solver.alone(solver, questions)  # type: ignore[arg-type]

    solver.alone = noted  # type: ignore[method-assign, assignment]
    first_plan(solver)
    assert asked and not any(solver._solutions.has(key_of(q)) for q in asked)
