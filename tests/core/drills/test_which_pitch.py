"""Which pitch? The right ones are worth the most by the judgement."""

from __future__ import annotations

from tarvik.core.drills.drill import Choice, Kind
from tarvik.core.drills.words import sheet_words
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.verdict import Verdict
from tarvik.core.suggest import weighed
from tests.core.drills.drill_cases import MATERIAL, SHEETS, judged, made, words_of


def test_the_right_pitches_are_worth_the_most_by_the_judgement() -> None:
    by_name = {pitch.name: slug for slug, pitch in PITCHES.items()}
    for drill in made(Kind.WHICH_PITCH)[:30]:
        assert isinstance(drill, Choice)
        night = next(n for n in MATERIAL.nights if words_of(n) in drill.asks)
        sheet = next(s for s in SHEETS if sheet_words(s, MATERIAL.units) in drill.asks)
        worths = []
        for option in drill.options:
            solution, tonight = judged(
                MATERIAL.question(sheet, by_name[option], night), night
            )
            forms = tonight.verdict is Verdict.FORMS
            worths.append(weighed(0, solution, tonight, night, 1).worth if forms else -99.0)
        best = max(worths)
        assert min(worths[n] for n in drill.right) > -99.0
        assert worths.index(best) in drill.right
        others = [w for n, w in enumerate(worths) if n not in drill.right]
        assert max(others) < min(worths[n] for n in drill.right)
