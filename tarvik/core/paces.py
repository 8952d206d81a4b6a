"""How many steps each person of a group takes over a distance: to pace out what no tape is at hand
for.
"""

from __future__ import annotations

from dataclasses import dataclass
from statistics import fmean
from typing import TYPE_CHECKING, Final

from tarvik.core.units import FOOT_M, Units

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from tarvik.core.body import Body

METRES: Final = (1, 2, 3, 4, 5, 6, 8, 10, 15, 20)
FEET: Final = (4, 6, 8, 10, 12, 15, 20, 30, 40, 50)
"""Distances that are paced in a camp, in each system."""


@dataclass(frozen=True, slots=True)
class Stride:
    """People who take the same steps over every distance: their step, m, and how many halves of a
    step each distance takes.
    """

    names: tuple[str, ...]
    step_m: float
    halves: tuple[int, ...]


def distances_m(units: Units) -> dict[int, float]:
    """The distances of the table in the course's unit, each in metres."""
    if units is Units.METRIC:
        return {metres: float(metres) for metres in METRES}
    return {feet: feet * FOOT_M for feet in FEET}


def strides(group: Mapping[str, Body], distances: Iterable[float]) -> list[Stride]:
    """Steps of each person of a group over some distances (m), the longest step first; people
    whose steps come out alike stand together.

    >>> from tarvik.core.body import Body
    >>> [s.halves for s in strides({"Ada": Body(1.75)}, [1.0, 10.0])]
    [(3, 28)]
    """
    asked = tuple(distances)
    alike: dict[tuple[int, ...], list[tuple[str, float]]] = {}
    for name, body in group.items():
        step = body.height("step")
        halves = tuple(round(2 * metres / step) for metres in asked)
        alike.setdefault(halves, []).append((name, step))
    made = [
        Stride(
            tuple(name for name, _ in people), fmean([step for _, step in people]), halves
        )
        for halves, people in alike.items()
    ]
    return sorted(made, key=lambda stride: -stride.step_m)


def in_halves(halves: int) -> str:
    """A number of half steps as it is said.

    >>> in_halves(3), in_halves(28), in_halves(1)
    ('1½', '14', '½')
    """
    whole, half = divmod(halves, 2)
    return f"{whole or ''}{'½' if half else ''}" or "0"
