"""A course's rules by the question that each answers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from tarvik.exchange.night_form import RULES_BY_NAME, Field


@dataclass(frozen=True, slots=True)
class Question:
    """What a leader asks, in a sentence what hangs on it, and the rules that answer it."""

    words: str
    why: str
    names: tuple[str, ...]

    @property
    def fields(self) -> list[Field]:
        """The rules in order."""
        return [RULES_BY_NAME[name] for name in self.names]


QUESTIONS: Final = (
    Question(
        "Who may sleep together?",
        "A plan never breaks these; put together by hand, people stay marked until a leader "
        "accepts it. Your provider's safeguarding procedures come first.",
        (
            "plan_leaders_apart",
            "plan_adults_apart",
            "plan_patrols_apart",
            "plan_age_gap",
            "plan_school",
        ),
    ),
    Question(
        "How near to a leader, how far apart?",
        "Novices are found at night by voice; between two shelters somebody walks in the dark.",
        ("plan_earshot_m", "plan_gap_m", "plan_spare_beds"),
    ),
    Question(
        "Where may a shelter stand, and how do people lie?",
        "Kept clear on every map. The land manager's rules come first.",
        (
            "ground_fall_zone",
            "ground_water_m",
            "ground_path_m",
            "ground_fire_ring_m",
            "ground_steep_deg",
            "head",
            "gear_in",
            "plan_leaf_beds",
        ),
    ),
    Question(
        "What holds?",
        "An estimate: soils differ by a factor of three. Try a stake by hand before you trust it.",
        ("ground", "stake_depth_m", "stake_width_mm", "guy_mm", "ridge_mm"),
    ),
    Question(
        "How do we rig?",
        "What your school teaches; cards and knots follow it.",
        (
            *(name for name in RULES_BY_NAME if name.startswith("house_")),
            "may_cut",
            "plan_buttons",
            "plan_join_lines",
            "plan_join_sheets",
        ),
    ),
    Question(
        "Is there a net against insects?",
        "A net must hang clear of the sheet; its size says which pitches take it.",
        ("net_kind", "net_length_m", "net_width_m", "net_height_m"),
    ),
)
