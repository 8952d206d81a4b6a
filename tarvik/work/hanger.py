"""What pages want of a hung sheet, and what comes of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, Literal

from tarvik.core.errors import FoldError
from tarvik.core.hang.advice import advise
from tarvik.core.hang.hung import Hung, hang
from tarvik.core.hang.tell import tell
from tarvik.work.hung_key import pack_nodes, parts_of, shape_key
from tarvik.work.memory import Kept

if TYPE_CHECKING:
    from tarvik.core.hang.hung import Hanging
    from tarvik.core.plain import JsonObject
    from tarvik.core.solve import Solution

CLOTH_BYTES: Final = 4_000_000
"""What hung cloths may take: those that are looked at in one wind after the other."""
Want = Literal["told", "shape", "advice"]
"""Figures of the hung sheet; these and where its nodes hang; what to do about it."""


@dataclass(frozen=True, slots=True)
class Errand:
    """What is wanted of a sheet that is hung so. For advice the gust (Pa) and what a stake holds
    (N).
    """

    want: Want
    hanging: Hanging
    gust_pa: float = 0.0
    holds_n: float = 0.0


@dataclass(frozen=True, slots=True)
class Answer:
    """What came of an errand: plain values that can be kept, and the nodes' places as bytes where
    these are wanted. `why`: in words, why nothing hangs; empty otherwise.
    """

    plain: JsonObject | None
    nodes: bytes | None = None
    settled: bool = True
    why: str = ""


class Hanger:
    """Hangs sheets and tells of them. Keeps the last cloths, which another wind does not change."""

    def __init__(self) -> None:
        self._cloths: Kept[Hung] = Kept("hung cloths", most_bytes=CLOTH_BYTES)

    def answer(self, solution: Solution, errand: Errand) -> Answer:
        """Run an errand."""
        question = solution.question
        try:
            shelter, rig, figures = parts_of(solution)
            hung = self._cloths.get(
                shape_key(shelter, rig, errand.hanging),
                lambda: hang(shelter, rig, errand.hanging),
            )
            if errand.want == "advice":
                body = question.body
                return Answer(advise(hung, figures, body, errand.gust_pa, errand.holds_n))
            told = tell(hung, figures, question.body, question.people).plain()
        except FoldError as err:
            return Answer(None, why=str(err))
        nodes = pack_nodes(hung) if errand.want == "shape" else None
        return Answer(told, nodes, hung.settled)
