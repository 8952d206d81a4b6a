"""Cord for a whole course: what the nights' shelters want together, which lines of the bag serve
that, which are joined, and only then what is cut from which hank.

A cutting-stock problem with lines that are ready beside the stock. It is solved in steps, each
proved before the next one is asked, by OR-Tools' CP-SAT: least left short, fewest cuts, fewest
joins, least cord wasted, and then the shortest lines that do. A hank that hangs on a short guy
with the rest of it coiled counts as a cut.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from ortools.sat.python import cp_model

from tarvik.core.constant import COMMON_PRACTICE, ENGINEERING, constant
from tarvik.core.ready_lines import HANK_M, SLACK, Line, ready_m
from tarvik.core.rig.lines import JOIN_M
from tarvik.core.units import FOOT_M

if TYPE_CHECKING:
    from collections.abc import Sequence

USABLE_M: Final = constant(
    "cord_usable", 6 * FOOT_M, "m", COMMON_PRACTICE, "a rest as long still serves as a guy"
)
CM: Final = 100
SECONDS: Final = constant(
    "cord_seconds", 5.0, "s", ENGINEERING, "longest search of each step"
)


@dataclass(frozen=True, slots=True)
class CordPlan:
    """What serves which need, each by its place among the needs and the lines.

    `whole`: need, line. `joined`: need, the two lines. `cut`: hank, and the needs whose pieces are
    cut from it with the piece's length, m. `short`: needs that nothing serves. `proved`: no plan
    does better.
    """

    whole: tuple[tuple[int, int], ...]
    joined: tuple[tuple[int, int, int], ...]
    cut: tuple[tuple[int, tuple[tuple[int, float], ...]], ...]
    short: tuple[int, ...]
    proved: bool

    def lengths(self, lines: Sequence[Line], needs: int) -> list[float]:
        """How long what serves each need is, m; 0 where nothing does."""
        out = [0.0] * needs
        for need, line in self.whole:
            out[need] = lines[line].length_m
        for need, a, b in self.joined:
            out[need] = lines[a].length_m + lines[b].length_m - JOIN_M
        for _, pieces in self.cut:
            for need, length in pieces:
                out[need] = length
        return out


def together(nights: Sequence[Sequence[float]]) -> list[float]:
    """What serves every night in turn: the k-th longest piece is as long as the longest k-th need
    of any night. With fewer or shorter pieces some night would lack one (each night's k longest
    needs want k pieces that long).

    >>> together([[2.0, 5.0], [3.0], [1.0, 1.0, 4.0]])
    [5.0, 2.0, 1.0]
    """
    ordered = [sorted(night, reverse=True) for night in nights]
    most = max((len(night) for night in ordered), default=0)
    return [max(night[k] for night in ordered if len(night) > k) for k in range(most)]


def plan_cord(needs: Sequence[float], lines: Sequence[Line]) -> CordPlan:
    """Serve needs (m) from the lines of the bag."""
    return _Model(needs, lines).solved()


class _Model:
    """The choice as a model: of lines alike it takes so many, of hanks each by itself."""

    def __init__(self, needs: Sequence[float], lines: Sequence[Line]) -> None:
        self.needs, self.lines = needs, lines
        self.model = cp_model.CpModel()
        kinds = Counter(line.length_m for line in lines if not line.is_hank)
        self.kinds = sorted(kinds)
        self.there = [kinds[length] for length in self.kinds]
        self.hanks = [i for i, line in enumerate(lines) if line.is_hank]
        self.whole = {
            (n, k): self.model.new_bool_var("")
            for n, need in enumerate(needs)
            for k, length in enumerate(self.kinds)
            if length >= need - SLACK
        }
        self.uncut = {
            (n, h): self.model.new_bool_var("")
            for n, need in enumerate(needs)
            for h in self.hanks
            if lines[h].length_m >= need - SLACK
        }
        self.pairs = {
            (n, a, b): self.model.new_bool_var("")
            for n, need in enumerate(needs)
            for a in range(len(self.kinds))
            for b in range(a, len(self.kinds))
            if self.kinds[b] < HANK_M
            and self.kinds[a] + self.kinds[b] - JOIN_M >= need - SLACK
        }
        self.cut = {
            (n, h): self.model.new_bool_var("")
            for n, need in enumerate(needs)
            for h in self.hanks
            if lines[h].length_m >= ready_m(need) - SLACK
        }
        self.short = [self.model.new_bool_var("") for _ in needs]
        self._serve_each_once()
        self._take_what_is_there()
        self.waste = self._waste()

    def _serve_each_once(self) -> None:
        for n in range(len(self.needs)):
            ways = [self.short[n]]
            for some in (self.whole, self.uncut, self.pairs, self.cut):
                ways += [var for key, var in some.items() if key[0] == n]
            self.model.add_exactly_one(ways)

    def _take_what_is_there(self) -> None:
        for k, count in enumerate(self.there):
            taken = [var for (_, kind), var in self.whole.items() if kind == k]
            taken += [var for (_, a, b), var in self.pairs.items() if a == k]
            taken += [var for (_, a, b), var in self.pairs.items() if b == k]
            self.model.add(sum(taken) <= count)
        for h in self.hanks:
            untouched = [var for (_, hank), var in self.uncut.items() if hank == h]
            cut = [var for (_, hank), var in self.cut.items() if hank == h]
            self.model.add(sum(untouched) <= 1)
            for var in cut:
                for other in untouched:
                    self.model.add_bool_or(var.negated(), other.negated())

    def _waste(self) -> list[cp_model.IntVar]:
        """Centimetres of each hank's rest that are too short for anything, 0 where it is not
        cut.
        """
        wasted = []
        for h in self.hanks:
            whole = round(self.lines[h].length_m * CM)
            taken = sum(
                round(ready_m(self.needs[n]) * CM) * var
                for (n, hank), var in self.cut.items()
                if hank == h
            )
            self.model.add(taken <= whole)
            usable = self.model.new_bool_var("")
            waste = self.model.new_int_var(0, round(USABLE_M * CM), "")
            self.model.add(whole - taken >= round(USABLE_M * CM)).only_enforce_if(usable)
            self.model.add(waste >= whole - taken).only_enforce_if(usable.negated())
            wasted.append(waste)
        return wasted

    def _coiled(self) -> list[cp_model.IntVar]:
        """Where a long line serves a short need as it is."""
        short = [n for n, need in enumerate(self.needs) if need < HANK_M]
        coiled = [
            v for (n, k), v in self.whole.items() if n in short and self.kinds[k] >= HANK_M
        ]
        return coiled + [var for (n, _), var in self.uncut.items() if n in short]

    def solved(self) -> CordPlan:
        """Step by step, what was reached before held fast."""
        excess = [
            round((self.kinds[k] - self.needs[n]) * CM) * var
            for (n, k), var in self.whole.items()
        ]
        excess += [
            round((self.lines[h].length_m - self.needs[n]) * CM) * var
            for (n, h), var in self.uncut.items()
        ]
        excess += [
            round((self.kinds[a] + self.kinds[b] - JOIN_M - self.needs[n]) * CM) * var
            for (n, a, b), var in self.pairs.items()
        ]
        steps = [
            sum(self.short),
            sum([*self.cut.values(), *self._coiled()]),
            sum(self.pairs.values()),
            sum(self.waste),
            sum(excess),
        ]
        proved, solver = True, cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = SECONDS
        solver.parameters.num_workers = 1
        for step in steps:
            if isinstance(step, int):
                continue
            self.model.minimize(step)
            status = solver.solve(self.model)
            proved = proved and status == cp_model.OPTIMAL
            self.model.add(step <= round(solver.objective_value))
        return self._plan(solver, proved=proved)

    def _plan(self, solver: cp_model.CpSolver, *, proved: bool) -> CordPlan:
        free = {
            k: [
                i
                for i, line in enumerate(self.lines)
                if not line.is_hank and line.length_m == length
            ]
            for k, length in enumerate(self.kinds)
        }
        taken = [key for key, var in self.whole.items() if solver.value(var)]
        whole = [(n, free[k].pop(0)) for n, k in taken]
        whole += [key for key, var in self.uncut.items() if solver.value(var)]
        joined = [
            (n, free[a].pop(0), free[b].pop(0))
            for (n, a, b), var in self.pairs.items()
            if solver.value(var)
        ]
        cut = {
            h: [n for (n, k), v in self.cut.items() if k == h and solver.value(v)]
            for h in self.hanks
        }
        return CordPlan(
            tuple(sorted(whole)),
            tuple(joined),
            tuple(
                (h, tuple((n, ready_m(self.needs[n])) for n in pieces))
                for h, pieces in cut.items()
                if pieces
            ),
            tuple(n for n, var in enumerate(self.short) if solver.value(var)),
            proved,
        )


def handed_out(night: Sequence[float], pieces: Sequence[float]) -> list[int]:
    """Which piece each need of a night gets, by their places: the longest to the longest. -1 where
    none is long enough.
    """
    order = sorted(range(len(night)), key=lambda n: -night[n])
    free = sorted(range(len(pieces)), key=lambda p: -pieces[p])
    out = [-1] * len(night)
    # Of what is long enough the shortest, from the shortest need up: long ones stay for long needs.
    for need in reversed(order):
        fits = [p for p in free if pieces[p] >= night[need] - SLACK]
        if fits:
            out[need] = min(fits, key=lambda p: pieces[p])
            free.remove(out[need])
    return out
