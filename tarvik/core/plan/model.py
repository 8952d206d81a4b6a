"""The plan of a night as a linear model in whole numbers: who sleeps under which sheet, which offer
each sheet takes, what kit serves it, and the leader's aims one after another.

Everything that counts people in a shelter is of the form "people there less what the chosen offer
holds", so no product of two choices is needed and the model stays linear. Each rule adds its rows
in a module of its own (`rules`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from tarvik.core.plan.draft import Draft
from tarvik.core.plan.rules import (
    beds,
    capacity,
    comfort,
    earshot,
    extras,
    kit,
    lending,
    locks,
    moves,
    sharing,
)

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.plan.linear import Linear
    from tarvik.core.plan.question import PlanQuestion


@dataclass(frozen=True)
class PlanModel:
    """The linear model, and which variable says what."""

    asked: PlanQuestion
    linear: Linear
    units: tuple[tuple[int, ...], ...]
    sleeps: Mapping[tuple[int, int], int]  # (camper's place, unit) -> variable
    takes: tuple[int, ...]  # offer -> variable
    wet: tuple[int, ...]  # camper's place -> variable


RULES = (
    beds.add,
    capacity.rooms,
    capacity.once,
    sharing.apart,
    sharing.together,
    locks.add,
    lending.add,
    kit.add,
    extras.add,
    comfort.add,
    earshot.add,
    moves.add,
)
"""In the order in which they add their rows; beds first, for all others speak of them."""


def plan_model(asked: PlanQuestion) -> PlanModel:
    """The model of a plan. It always has a solution with people left without beds, unless a lock
    cannot be kept.
    """
    draft = Draft(asked)
    for add in RULES:
        add(draft)
    for aim in asked.aims:
        if draft.costs[aim]:
            draft.m.aims[aim] = draft.costs[aim]
    sleeps, takes, wet = draft.sleeps, tuple(draft.takes), tuple(draft.wet)
    return PlanModel(asked, draft.m, draft.units, sleeps, takes, wet)
