"""What is looked at on a walk round, and the usual steps worked out ahead."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tarvik.core.pitches import PITCHES
from tarvik.core.rig.supports import UNLIMITED
from tarvik.core.rig.verdict import assess
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.core.solve import Question, solve
from tarvik.core.usual_steps import usual_steps
from tarvik.core.walk_round import checks
from tarvik.core.weather.needs import NightNeeds
from tarvik.core.weather.rain import Weather

SQUARE = Sheet.rectangle(3.0, 3.0)
CALM = NightNeeds()
STORM = NightNeeds(wind_m_s=12.0, rain_mm_h=5.0)


def codes(slug: str, needs: NightNeeds) -> list[str]:
    shelter = fold_sheet(PITCHES[slug], SQUARE, {})
    return [check.code for check in checks(shelter, assess(shelter, UNLIMITED).rig, needs)]


def test_each_pitch_and_weather_has_its_own_checks() -> None:
    """Common practice: overhead first, people last; pools and drips in rain only."""
    calm, storm = codes("a-frame", CALM), codes("a-frame", STORM)
    assert calm[0] == "overhead"
    assert calm[-1] == "people"
    assert "ridge" in calm
    assert "peak" not in calm
    assert {"pools", "drips", "weather_side"} <= set(storm) - set(calm)
    assert "peak" in codes("plow-point", CALM)
    assert "doors" in codes("a-frame-closed", CALM)


@pytest.mark.parametrize("slug", [s for s in PITCHES if s not in ("bag", "net-only")])
def test_no_check_is_asked_twice(slug: str) -> None:
    shelter = solve(Question(Sheet.rectangle(3.05, 2.9), PITCHES[slug], {})).shelter
    if shelter is None:
        return
    found = [c.code for c in checks(shelter, assess(shelter, UNLIMITED).rig, STORM)]
    assert len(found) == len(set(found))


def test_the_usual_steps_lower_it_and_turn_the_wind() -> None:
    asked = Question(SQUARE, PITCHES["a-frame"], {}, weather=Weather(6.0, 3.0, 90.0))
    steps = usual_steps(asked, {"height": 1.2, "offset": 0.0, "turn": 0.0})
    assert [s.lower_m for s in steps] == [0.0, 0.1, 0.2, 0.0, 0.0, 0.0]
    assert [s.question.settings["height"] for s in steps[:3]] == [1.2, 1.1, 1.0]
    assert [s.question.weather.wind_from_deg for s in steps[3:]] == [180.0, 270.0, 0.0]
    still = usual_steps(
        replace(asked, weather=Weather(0.0, 0.0, 90.0)), steps[0].question.settings
    )
    assert len(still) == 3


def test_open_doors_may_be_shut() -> None:
    pitch = PITCHES["a-frame-closed"]
    open_ones = {s.name: s.default for s in pitch.settings}
    for door in pitch.doors:
        open_ones[door.name] = next(v for v in (door.least, door.most) if v != door.shut_at)
    steps = usual_steps(Question(SQUARE, pitch, {}), open_ones)
    shut = [s for s in steps if s.doors_shut]
    assert len(shut) == 1
    assert all(shut[0].question.settings[d.name] == d.shut_at for d in pitch.doors)
