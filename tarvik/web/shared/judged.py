"""One shelter of a night as every screen judges it: where it stands, as it hangs, with what carries
it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from markupsafe import Markup

from tarvik.core.cards import body_place
from tarvik.core.finding import Finding, Level
from tarvik.core.pitches import PITCHES
from tarvik.core.site.placing import wind_in_frame
from tarvik.core.site.where import where
from tarvik.core.tonight import Tonight, judge
from tarvik.core.units import Units, format_length
from tarvik.store import plans
from tarvik.store.kit import body_of
from tarvik.web.shared.as_hung import Seen, seen
from tarvik.web.shared.questions import question

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from tarvik.core.rig.supports import Supports
    from tarvik.core.site.things import Ground
    from tarvik.core.solve import Question, Solution
    from tarvik.core.tonight import Night as TonightsNight
    from tarvik.store.models import Person, ShelterRow
    from tarvik.work.hanging import Hangings
    from tarvik.work.solving import Solver


@dataclass(frozen=True, slots=True)
class Judged:
    """A shelter with its judgement. `number` is that of the plan, the map and the camp sheet;
    `minutes` one able person takes to set it, by the values that the course goes by.
    """

    number: int
    row: ShelterRow
    shape: Seen
    tonight: Tonight
    units: Units
    minutes: float

    @property
    def solution(self) -> Solution:
        """The shelter as it hangs."""
        return self.shape.solution

    @property
    def tallest(self) -> Person | None:
        """Whose body measures its card speaks of; the sheet's owner where nobody sleeps there."""
        people = plans.sleepers(self.row)
        return max(people, key=lambda p: p.stature_m) if people else self.row.sheet.owner

    @property
    def whose(self) -> str:
        """The same as a card says it."""
        return f"{self.tallest.name.split()[0]}'s" if self.tallest else "your"

    def where(self, ground: Ground | None) -> str:
        """Where it stands, in words; nothing while it is not on the map."""
        spot, pitch = self.row.spot or {}, self.solution.question.pitch
        if ground is None or not spot:
            return ""
        high = len(pitch.high_points())
        height = ""
        if high and (metres := self.solution.settings.get("height")):
            place = body_place(metres, body_of(self.tallest)) if self.tallest else ""
            level = f"{self.whose} {place}" if place else format_length(metres, self.units)
            height = f"{'ridge' if high > 1 else 'peak'} at {level}"
        at = float(spot["x"]), float(spot["y"])
        trees = list(spot.get("trees") or ())
        rig = self.solution.assessment.rig
        points = pitch.high_points()
        others = (
            [s.kind for s in rig.supports if s.point in points and s.kind != "tree"]
            if rig
            else []
        )
        others = others[: max(high - len(trees), 0)]
        return where(ground, at, trees, spot.get("front_deg"), height, self.units, others)

    @property
    def digest(self) -> str:
        """A short hash of the judgement."""
        return self.tonight.digest(self.solution.figures)

    @property
    def verdict(self) -> str:
        """The verdict in one word."""
        return self.tonight.verdict.value

    @property
    def stops(self) -> str:
        """Codes of what stops it, parted by spaces: of the night, then of the kit."""
        return " ".join(
            dict.fromkeys((*self.tonight.stops, *(f.code for f in self.missing)))
        )

    @property
    def missing(self) -> list[Finding]:
        """What the pitch itself wants and is not there, nor can be made."""
        made = {remedy.code for remedy in self.tonight.remedies}
        return [
            Finding(r.code, "kit", r.text(self.units), r.remedy, Level.STOPS)
            for r in self.solution.assessment.reasons
            if r.blocks and r.code not in made
        ]

    @property
    def warnings(self) -> list[Finding]:
        """What stops it and what it is warned of, the gravest first."""
        return [*self.missing, *(f for f in self.findings if f.level > Level.NOTE)]

    @property
    def attributes(self) -> Markup:
        """What the element of the shelter carries on every page."""
        told = {
            "shelter-number": str(self.number),
            "judgement": self.digest,
            "verdict": self.verdict,
            "stops": self.stops,
        }
        return Markup(" ").join(
            Markup('data-{}="{}"').format(name, value) for name, value in told.items()
        )

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is found of it, the gravest first."""
        return self.tonight.findings


@dataclass(frozen=True, slots=True)
class Judge:
    """What it takes to judge the shelters of one night. `marks`: what is wrong with who lies in a
    shelter.
    """

    solver: Solver
    hangings: Hangings
    night: TonightsNight
    supports: Supports
    units: Units
    marks: Callable[[ShelterRow], list[Finding]] = field(default=lambda _: [])

    def asked(self, row: ShelterRow, front_deg: float | None) -> Question:
        """What is asked of a shelter: for the people in it, with the wind as it meets it where its
        front looks to (None: its back to the wind).
        """
        people = plans.sleepers(row)
        tallest = max(people, key=lambda p: p.stature_m) if people else row.sheet.owner
        wind = self.night.needs.wind_from_deg
        return question(
            row.sheet,
            row.pitch,
            self.night,
            carried_so(self.supports, row),
            row.settings,
            body=body_of(tallest),
            wanted=len(row.members) or 1,
            people=tuple(body_of(p) for p in people),
            wind_from_deg=None
            if front_deg is None or wind is None
            else wind_in_frame(wind, round(front_deg, 1)),
            joined=row.joined,
        )

    def seen(self, row: ShelterRow, front_deg: float | None) -> Seen:
        """A shelter as it hangs, not judged: for its room alone."""
        solution = self.solver.solve(self.asked(row, front_deg))
        return seen(self.hangings, [solution])[0]

    def stands(self, row: ShelterRow) -> Seen:
        """A shelter as it hangs where it stands, not judged."""
        return self.seen(row, (row.spot or {}).get("front_deg"))

    def of(self, row: ShelterRow, number: int, front_deg: float | None = None) -> Judged:
        """One shelter judged, its front to a bearing or as it stands."""
        shape = self.stands(row) if front_deg is None else self.seen(row, front_deg)
        judged = self.weighed(shape, len(row.members)).hung_too(self.marks(row))
        minutes = self.night.own.minutes_of(PITCHES[row.pitch])
        return Judged(number, row, shape, judged, self.units, minutes)

    def weighed(self, shape: Seen, people: int) -> Tonight:
        """The judgement of a shelter as it hangs, for so many people, whoever they are."""
        tonight = judge(shape.solution, self.night, max(1, people), self.units)
        return shape.judged(tonight, self.units, people)

    def each(self, rows: Sequence[ShelterRow]) -> list[Judged]:
        """All shelters of a night in their order."""
        return [self.of(row, number) for number, row in enumerate(rows, start=1)]


def carried_so(supports: Supports, row: ShelterRow) -> Supports:
    """What a shelter is rigged from: where a plan has put it, the trees and poles the plan gave
    it.
    """
    spot = row.spot or {}
    if not spot.get("planned"):
        return supports
    return supports.on_trees(len(spot["trees"]), len(PITCHES[row.pitch].high_points()))


def said_of(solution: Solution, judged: Tonight, units: Units) -> tuple[str, int]:
    """What a cell says is worst tonight, and of how many things: what stands in the way of the
    pitch and of the night first, then cautions, then notes.
    """
    reasons = solution.assessment.reasons
    fits = [r.text(units) for r in reasons if r.code == "no_mat_fits"]
    stops = [
        fits[0] if f.code == "nobody_fits" and fits else f.message
        for f in judged.findings
        if f.level is Level.STOPS
    ]
    blocking = [r.text(units) for r in reasons if r.blocks]
    cautions = [f.message for f in judged.findings if f.level is Level.CAUTION]
    notes = [f.message for f in judged.findings if f.level is Level.NOTE]
    rest = [r.text(units) for r in reasons if not r.blocks and r.code != "no_mat_fits"]
    every = [*stops, *blocking, *cautions, *rest, *notes]
    return (every[0] if every else ""), len(every)
