"""A linear model in whole numbers, of no solver in particular: so that different solvers can be
asked the same.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.plan.constraint import Constraint

Terms = dict[int, int]


@dataclass(frozen=True, slots=True)
class Row:
    """low <= sum of terms <= high. `keeps`: what may be set aside to make room; None: a fact."""

    terms: tuple[tuple[int, int], ...]
    low: int | None
    high: int | None
    keeps: Constraint | None = None


@dataclass
class Linear:
    """Variables by number with their bounds, rows, and aims (to be minimised, the first before the
    second).
    """

    low: list[int] = field(default_factory=list)
    high: list[int] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    rows: list[Row] = field(default_factory=list)
    aims: dict[str, Terms] = field(default_factory=dict)

    def var(self, low: int, high: int, name: str = "") -> int:
        """A new variable; its number."""
        self.low.append(low)
        self.high.append(high)
        self.names.append(name)
        return len(self.low) - 1

    def flag(self, name: str = "") -> int:
        """A variable that is 0 or 1."""
        return self.var(0, 1, name)

    def row(
        self,
        terms: Mapping[int, int],
        low: int | None = None,
        high: int | None = None,
        keeps: Constraint | None = None,
    ) -> None:
        """Add a row; one that says nothing is left out."""
        kept = tuple((v, c) for v, c in terms.items() if c)
        if kept or (low or 0) > 0 or (high is not None and high < 0):
            self.rows.append(Row(kept, low, high, keeps))

    def constraints(self) -> list[Constraint]:
        """Everything that may be set aside, in the order it came."""
        return list(dict.fromkeys(r.keeps for r in self.rows if r.keeps is not None))

    def value(self, aim: str, values: Mapping[int, int] | list[int]) -> int:
        """An aim's value."""
        return sum(c * values[v] for v, c in self.aims[aim].items())
