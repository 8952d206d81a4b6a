"""What the pitch board shows: a row a sheet, a cell a pitch."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.finding import Finding
from tarvik.core.measure.figures import Figures
from tarvik.core.suggest import Suggestion
from tarvik.core.tonight import Night as TonightsNight
from tarvik.core.tonight import Tonight, judge
from tarvik.core.units import Units
from tarvik.store import plans
from tarvik.store.models import ShelterRow
from tarvik.web.drawing.silhouette import silhouette
from tarvik.web.shared.as_hung import Seen, seen
from tarvik.web.shared.judged import said_of
from tarvik.web.shared.questions import owner_name
from tarvik.web.shared.rendering import verdict_words

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.solve import Question
    from tarvik.store.models import SheetRow
    from tarvik.work.hanging import Hangings
    from tarvik.work.solving import Solver

JUDGES: Final = 2
"""Shelters of a board judged at a time."""
NOT_SUGGESTED: Final = -99.0
"""Worth of a shelter that is none of the suggestions: after all that are."""
BEST_SHOWN: Final = 6
"""How many pitches of a sheet are shown before more are asked for: a row of them at 1280 px."""
MARKED: Final = 3
"""How many of a sheet's suggestions the board marks."""


def judged_board(
    solver: Solver,
    hangings: Hangings,
    asked: Sequence[Question],
    night: TonightsNight,
    sleepers: int,
    units: Units,
) -> list[tuple[Seen, Tonight]]:
    """Every shelter asked for solved, hung and judged; judged two at a time, for most of it is
    compiled code that lets the other thread run.
    """
    shapes = seen(hangings, solver.solve_all(asked))

    def judged(shape: Seen) -> tuple[Seen, Tonight]:
        tonight = judge(shape.solution, night, sleepers, units)
        return shape, shape.judged(tonight, units, sleepers)

    with ThreadPoolExecutor(JUDGES) as pool:
        return list(pool.map(judged, shapes))


FIRST_ASKED: Final = "wanted=1&show=best"
"""What a board asks of each sheet's row when it is opened."""


class Show(StrEnum):
    """Which pitches of a sheet are shown."""

    BEST = "best"
    WORKS = "works"
    ALL = "all"


@dataclass(frozen=True, slots=True)
class NamedSheet:
    """A sheet by its owner's name and its size, to be picked from a list."""

    id: int
    owner: str
    size: str


@dataclass(frozen=True, slots=True)
class BoardCell:
    """A sheet in one pitch. `place`: the first, second or third choice tonight, and `why`; `worth`
    puts the others in order. `more`: how many more things stand in the way than `reason` says.
    `chosen`: who lies there, where this shelter is chosen; `rules`: what its people break.
    """

    pitch: str
    family: str
    verdict: str
    drawing: str
    figures: Figures | None
    reason: str
    more: int
    chosen: tuple[str, ...] | None
    rules: tuple[Finding, ...]
    settings: Mapping[str, float]
    place: int | None
    why: str
    worth: float


@dataclass(frozen=True, slots=True)
class BoardRow:
    """A sheet in the pitches that are shown, of `all`, the best for tonight first; `joined`: whose
    sheets its chosen shelter joins to it.
    """

    sheet: SheetRow
    owner: str
    joined: tuple[str, ...]
    cells: tuple[BoardCell, ...]
    all: int

    @property
    def more(self) -> bool:
        """Whether there are more pitches than are shown."""
        return len(self.cells) < self.all


def row_of(
    sheet: SheetRow,
    judged: Sequence[tuple[Seen, Tonight]],
    chosen: ShelterRow | None,
    suggested: Sequence[Suggestion],
    units: Units,
    marks: Callable[[ShelterRow], list[Finding]],
    show: Show = Show.ALL,
) -> BoardRow:
    """One sheet in the pitches that are shown, the first of those suggested marked. `marks`: rules
    that the people of a shelter break.
    """
    best = {one.number: one for one in suggested}
    places = {
        number: place for place, number in enumerate(best, start=1) if place <= MARKED
    }
    cells = tuple(
        _cell(shape, told, chosen, units, marks, places.get(number), best.get(number))
        for number, (shape, told) in enumerate(judged)
    )
    joined = (
        tuple(owner_name(s) for s in chosen.sheets if s.id != sheet.id) if chosen else ()
    )
    shown = sorted(cells, key=_order)
    if show is not Show.ALL:
        shown = [c for c in shown if c.verdict != "cannot" or c.chosen is not None]
    if show is Show.BEST:
        shown = shown[:BEST_SHOWN]
    return BoardRow(sheet, owner_name(sheet), joined, tuple(shown), len(cells))


class CellOrder(NamedTuple):
    """In which order cells are shown, the smallest first."""

    not_chosen: bool
    place: int
    verdict: int
    worth: float


def _order(cell: BoardCell) -> CellOrder:
    """The chosen one first, then what is suggested, then what works before what needs changes."""
    verdicts = ("forms", "needs", "cannot")
    return CellOrder(
        cell.chosen is None,
        cell.place or MARKED + 1,
        verdicts.index(cell.verdict),
        -cell.worth,
    )


def _cell(
    shape: Seen,
    judged: Tonight,
    chosen: ShelterRow | None,
    units: Units,
    marks: Callable[[ShelterRow], list[Finding]],
    place: int | None,
    suggested: Suggestion | None,
) -> BoardCell:
    solution = shape.solution
    pitch = solution.question.pitch
    reason, said = said_of(solution, judged, units)
    mine = chosen if chosen is not None and chosen.pitch == pitch.slug else None
    drawing = ""
    if solution.shelter is not None:
        name = f"{pitch.name}, {verdict_words(judged.verdict.value)}"
        drawing = silhouette(
            solution.shelter, name, solution.question.body.height("sitting")
        )
    return BoardCell(
        pitch=pitch.slug,
        family=pitch.family.value,
        verdict=judged.verdict.value,
        drawing=drawing,
        figures=solution.figures,
        reason=reason,
        more=max(0, said - 1),
        chosen=tuple(p.name for p in plans.sleepers(mine)) if mine else None,
        rules=tuple(marks(mine)) if mine else (),
        settings=solution.settings,
        place=place,
        why=suggested.why if suggested else "",
        worth=round(suggested.worth, 2) if suggested else NOT_SUGGESTED,
    )
