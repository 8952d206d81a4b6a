"""What a search has found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.fold.pattern import Floats


@dataclass(frozen=True, slots=True)
class Candidate:
    """Settings, the mats that lie dry there, and what they are worth, mats included."""

    worth: float
    mats: int
    settings: dict[str, float]


def candidate_at(top: tuple[int, float, int], values: Mapping[str, Floats]) -> Candidate:
    """The case of that number, worth and mats, its settings picked from those of all (N,)."""
    case, worth, mats = top
    return Candidate(
        worth, mats, {name: float(array[case]) for name, array in values.items()}
    )
