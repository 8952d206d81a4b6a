"""A worker's jobs: the plan itself, why it is so, what more kit would buy, the evening, what to do
when it goes wrong.
"""

from __future__ import annotations

import logging
import time
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from sqlalchemy.exc import SQLAlchemyError

from tarvik.core.errors import InputError
from tarvik.core.finding import Level
from tarvik.core.pitches import PITCHES
from tarvik.core.plan.aims import aim_named
from tarvik.core.plan.blocks import WHOLE_MOST
from tarvik.core.plan.choose import Limits, Reached, chosen_of, fixed
from tarvik.core.plan.evening import MARGIN_MIN, Hands, ToPitch, evening
from tarvik.core.plan.gather import InBag, standing_offers
from tarvik.core.plan.make import (
    Case,
    Made,
    Offers,
    asked,
    make,
)
from tarvik.core.plan.mishap import casualty, foul_weather
from tarvik.core.plan.model import PlanModel, plan_model
from tarvik.core.plan.offers import LINE, POLE, STAKE, Pool
from tarvik.core.plan.question import SPARE
from tarvik.core.plan.why import impasse, rivals
from tarvik.core.sheet import Sheet
from tarvik.core.site.falling_wood import falling_wood
from tarvik.core.site.open_ground import open_ground
from tarvik.core.units import Units
from tarvik.store import asks, courses, night_plan, plans
from tarvik.store.models import Night
from tarvik.store.nights import needs_of
from tarvik.work import more_kit
from tarvik.work.cases import case_of, choices_of, spot_of
from tarvik.work.hung_plan import HungPlans
from tarvik.work.report import TELL_EVERY_S, Report
from tarvik.work.told import told

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from tarvik.core.plan.choose import Chosen
    from tarvik.core.plan.offers import Offer
    from tarvik.core.solve import Question
    from tarvik.store.database import Database
    from tarvik.work.solving import Solver

log = logging.getLogger("tarvik.work")
GOOD_ENOUGH: Final = 0.0
LEAST_S: Final = 30.0
LONGEST_S: Final = 180.0
"""A plan takes its worker for so long at the most: these seconds and one more for each person and
sheet, up to the longest.
"""
SLACK_SECONDS: Final = 6.0
MORE_KIT_S: Final = 300.0
"""How long the search for more kit for all nights may take its worker."""
MORE_SHEET_M: Final = 3.0
MORE_SHEET: Final = -7
"""Number of the sheet that is not there."""


def longest_s(case: Case) -> float:
    """How long a plan may hold a worker, by the size of the group: others wait for it."""
    return min(LEAST_S + len(case.bag.campers) + len(case.bag.sheets), LONGEST_S)


class _NotTooOften:
    """A question whose answer is looked up every now and then; once it is yes, it stays yes."""

    def __init__(self, question: Callable[[], bool]) -> None:
        self._question, self._answer, self._last = question, False, time.monotonic()

    def __call__(self) -> bool:
        if not self._answer and time.monotonic() - self._last >= TELL_EVERY_S:
            self._last = time.monotonic()
            self._answer = self._question()
        return self._answer


class StandingPlan(NamedTuple):
    """What stands, in the model of all offers: the model, chosen offers, beds, and the
    offers.
    """

    model: PlanModel
    chosen: list[int]
    beds: dict[int, tuple[int, ...] | None]
    offers: list[Offer]


class Planner:
    """Does jobs. Keeps solved shelters and gathered offers for the next one."""

    def __init__(self, database: Database, solver: Solver) -> None:
        self.database, self.solver = database, solver
        self._offers = Offers()
        self._hung = HungPlans(solver)
        self._ready: tuple[Case, Made] | None = None

    def perform(self, job_id: int) -> None:
        """Do one job; nothing when it is done already or called off. A fault ends the job with its
        words.
        """
        with self.database.session() as session:
            job = asks.begin(session, job_id)
            if job is None:
                return
            night = courses.night_by_id(session, job.night_id)
            course_id, night_id, kind, step, version = (
                night.course_id,
                night.id,
                job.kind,
                job.step,
                night.version,
            )
            wish = dict(job.asked)
        report = Report(self.database, job_id)
        try:
            work = {
                "plan": self._plan,
                "why": self._why,
                "slack": self._slack,
                "evening": self._evening,
                "mishap": self._mishap,
                "kit": self._more_kit,
            }[kind]
            state, result, after = work(course_id, night_id, wish, report)
        except InputError as err:
            state, result, after = "failed", {"words": err.message}, None
        except SQLAlchemyError:
            raise  # the queue tries again
        except Exception:
            log.exception("job %s failed", job_id)
            state, result, after = (
                "failed",
                {"words": "this could not be worked out; the choices are as they were"},
                None,
            )
        self._finish(job_id, night_id, kind, (step, version), state, result, after)

    def ahead(self, night_id: int) -> None:
        """Make the plan of a night before it is asked for, so that it is there sooner when it is.
        Given up as soon as a job waits; what was gathered until then is kept all the same.
        """
        with self.database.session() as session:
            night = session.get(Night, night_id)
            course_id = None if night is None else night.course_id
        if course_id is None or self._waited_for():
            return
        try:
            case, seconds = self._case(course_id, night_id)
            if case.bag.campers and case.bag.sheets and len(case.bag.campers) <= WHOLE_MOST:
                self._get_ready(case, seconds, _NotTooOften(self._waited_for))
        except InputError as err:
            log.info("nothing to get ready for night %s: %s", night_id, err.message)

    def _get_ready(self, case: Case, seconds: int, stop: Callable[[], bool]) -> None:
        """Make a case's plan; where it is proved best, keep it for whoever asks for it."""
        self._offers.of(
            case, self.solver.alone, stop, lambda _: None, self.solver.elsewhere
        )
        if not stop():
            limits, clock = (
                Limits(stop=stop, good_enough=GOOD_ENOUGH),
                (time.monotonic, float(seconds)),
            )
            made = make(
                case,
                self.solver.alone,
                limits,
                kept=self._offers,
                clock=clock,
                elsewhere=self.solver.elsewhere,
            )
            if made.chosen.proven:
                self._ready = case, made

    def _waited_for(self) -> bool:
        with self.database.session() as session:
            return asks.any_waiting(session)

    def _finish(
        self,
        job_id: int,
        night_id: int,
        kind: str,
        seen: tuple[int, int],
        state: str,
        result: dict[str, Any],
        after: list[plans.Choice] | None,
    ) -> None:
        """Keep the result, and make a plan the night's choices unless they were changed meanwhile:
        all of it once. `seen`: the last step of the choices and the night's version as the job
        found them.
        """
        step, version = seen
        with self.database.session() as session:
            night = courses.night_by_id(session, night_id)
            plans.lock(session, night)
            now = plans.current_step(session, night)
            same = now == step
            if not asks.end(
                session,
                job_id,
                state,
                {**result, "applied": bool(after is not None and same)},
            ):
                return
            if after is not None and same:
                plans.replace_all(session, night, after, "the plan")
                now = plans.current_step(session, night)
            if state == "done" and kind == "plan":
                words = asks.take_promise(session, night_id)
                kept = {"words": words, "kept": not result["without"]}
                result = {**result, "promise": kept if words else None}
            if state == "done":
                asks.keep_found(
                    session, night_id, kind, now, {**result, "night_version": version}
                )

    def _case(
        self, course_id: int, night_id: int, *, few_moves: bool = False
    ) -> tuple[Case, int]:
        with self.database.session() as session:
            seconds = asks.asked_of(night_plan.of_night(session, night_id))["seconds"]
            return case_of(session, course_id, night_id, few_moves=few_moves), int(seconds)

    def _stop_at_a_bad_place(self, night_id: int) -> None:
        """Raises InputError where nobody is given a bed at this place tonight."""
        with self.database.session() as session:
            night = courses.night_by_id(session, night_id)
            units = Units(courses.course(session, night.course_id).units)
            needs = needs_of(night)
        wood, bare = falling_wood(needs, units), open_ground(needs)
        if wood is not None and wood.level is Level.STOPS:
            words = f"{wood.message}: {wood.remedy}, and tick it on the plan for tonight"
            raise InputError("place", words)
        if bare is not None:
            words = f"{bare.message}: {bare.remedy}. Then say on the night's page what stands round"
            raise InputError("place", words)

    def _limits(self, report: Report, seconds: float) -> Limits:
        end = time.monotonic() + seconds
        return Limits(
            left=lambda: end - time.monotonic(), stop=report.stop, good_enough=GOOD_ENOUGH
        )

    def _plan(
        self, course_id: int, night_id: int, wish: Mapping[str, Any], report: Report
    ) -> Any:
        self._stop_at_a_bad_place(night_id)
        case, seconds = self._case(
            course_id, night_id, few_moves=bool(wish.get("few_moves"))
        )
        if not case.bag.campers or not case.bag.sheets:
            raise InputError(
                "people",
                "a plan needs people and sheets: add them on the group and kit page",
            )
        report.cap(longest_s(case))
        names = {c.number: c.name for c in case.bag.campers}

        so_far: dict[str, Any] = {}

        def solve_all(questions: Sequence[Question]) -> Any:
            if questions:
                report.say(f"trying {len(questions)} ways of pitching the sheets", **so_far)
            return self.solver.alone(questions)

        def better(model: PlanModel, chosen: Chosen) -> None:
            waiting = [names[p] for p, s in chosen.beds.items() if s is None and p in names]
            words = (
                "everybody has a dry place to sleep"
                if not waiting
                else f"no place to sleep yet for {', '.join(waiting)}"
            )
            first = not so_far
            so_far.update(reached=told(chosen.reached), gap=chosen.gap)
            report.say(words, at_once=first, **so_far)

        if self._ready is not None and self._ready[0] == case:
            made = self._ready[1]
        else:
            limits = Limits(stop=report.still, good_enough=GOOD_ENOUGH)
            clock = time.monotonic, float(seconds)
            made = make(
                case, solve_all, limits, better, self._offers, clock, self.solver.elsewhere
            )
        if not made.chosen.possible and report.over:
            words = "no plan was found in the time a plan may take: ask for fewer people or sheets"
            return "failed", {"words": words}, None
        if not made.chosen.possible:
            words = "what is locked cannot be kept: unlock a person or a shelter"
            return "failed", {"words": words}, None
        if report.wanted:
            report.say("looking how the sheets hang", at_once=True, **so_far)
            made, choices = self._hung.true_to_hang(case, made, report)
        result = self._told(case, made.model, made.chosen, made.by_rule)
        if not report.wanted:
            return (
                "cancelled",
                {**result, "words": "called off; the best plan so far can be taken up"},
                None,
            )
        if result["without"]:
            report.say("looking what stands in the way", at_once=True)
            found = impasse(made.model, self._limits(report, 10.0))
            result["impasse"] = (
                None
                if found is None
                else {
                    "sets": [[kept.words for kept in some] for some in found.sets],
                    "repairs": [
                        {
                            "tags": [kept.tag for kept in r.aside],
                            "words": [kept.words for kept in r.aside],
                            "short": [[s.kind, s.pieces] for s in r.short],
                        }
                        for r in found.repairs
                    ],
                }
            )
        return "done", result, choices

    def _told(
        self, case: Case, model: PlanModel, chosen: Chosen, by_rule: Sequence[Reached]
    ) -> dict[str, Any]:
        offers = [model.asked.offers[n] for n in chosen.offers]
        spare = next((o for o in offers if chosen.beds.get(SPARE) == o.sheets), None)
        shelters = [
            {
                "sheets": o.sheets,
                "pitch": o.pitch,
                "trees": o.trees,
                "sit": o.sit,
                "calm": o.calm,
                "stakes": o.stakes,
                "cautions": o.cautions,
                "open": round(o.open_share, 2),
                "force": o.gale_force,
                "beds": o.most,
            }
            for o in offers
        ]
        return {
            "reached": told(chosen.reached),
            "by_rule": told(by_rule),
            "proven": chosen.proven,
            "gap": chosen.gap,
            "without": [p for p, s in chosen.beds.items() if s is None and p >= 0],
            "offers": len(model.asked.offers),
            "choices": [plans.plain_of(c) for c in choices_of(offers, chosen.beds)],
            "shelters": shelters,
            "spare": None
            if spare is None
            else {"sheet": spare.sheets[0], "pitch": spare.pitch, "spot": spot_of(spare)},
        }

    def _standing(self, case: Case) -> StandingPlan:
        """What stands, in the model of all offers."""
        stood = standing_offers(
            case.bag, case.night, case.camp, case.standing, self.solver.solve_all
        )
        known = self._offers.of(case, self.solver.solve_all, lambda: False, lambda _: None)
        model = plan_model(asked(case, [*stood, *known]))
        place: dict[tuple[int, ...], int] = {}
        for n, offer in enumerate(stood):
            place.setdefault(offer.sheets, n)
        beds: dict[int, tuple[int, ...] | None] = {
            c.number: None for c in model.asked.campers
        }
        for standing in case.standing:
            if standing.sheets in place:
                beds.update({p: standing.sheets for p in standing.people if p in beds})
        return StandingPlan(model, list(place.values()), beds, stood)

    def _as_chosen(
        self,
        model: PlanModel,
        taken: Sequence[int],
        beds: Mapping[int, tuple[int, ...] | None],
    ) -> Chosen | None:
        values = fixed(model, (taken, beds))
        if values is None:
            return None
        linear = model.linear
        return chosen_of(
            model,
            values,
            [Reached(a, v := linear.value(a, values), v) for a in linear.aims],
        )

    def _why(
        self, course_id: int, night_id: int, _: Mapping[str, Any], report: Report
    ) -> Any:
        case, _seconds = self._case(course_id, night_id)
        report.say("trying the other pitches of each sheet", at_once=True)
        model, taken, beds, _offers = self._standing(case)
        chosen = self._as_chosen(model, taken, beds)
        if chosen is None:
            return (
                "failed",
                {
                    "words": (
                        "the choices as they are break a rule or want more kit than there "
                        "is; "
                        "make a plan first"
                    )
                },
                None,
            )
        out = []
        for n in taken:
            if report.stop():
                break
            offer = model.asked.offers[n]
            found = rivals(model, chosen, offer.sheets)
            out.append(
                {
                    "sheet": offer.sheets[0],
                    "pitch": offer.pitch,
                    "rivals": [
                        {
                            "pitch": model.asked.offers[r.offer].pitch,
                            "aim": aim_named(r.aim).words if r.aim else "",
                            "worse": r.worse,
                        }
                        for r in found
                    ],
                }
            )
            report.say(f"{len(out)} of {len(taken)} shelters")
        return "done", {"shelters": out}, None

    def _slack(
        self, course_id: int, night_id: int, _: Mapping[str, Any], report: Report
    ) -> Any:
        case, _seconds = self._case(course_id, night_id)
        quiet: Callable[..., None] = lambda *_a: None  # noqa: E731
        report.say("the plan as it is", at_once=True)
        limits, clock = Limits(stop=report.stop), (time.monotonic, SLACK_SECONDS)
        hands = self.solver.alone, self.solver.elsewhere
        base = make(case, hands[0], limits, quiet, self._offers, clock, hands[1])
        pools = case.bag.pools
        rods = [p for p in pools if p.kind == POLE]
        rod = max(rods, key=lambda p: p.most_m) if rods else Pool(POLE, 0, 1.05, 1.45)
        square = InBag(MORE_SHEET, Sheet.rectangle(MORE_SHEET_M, MORE_SHEET_M, None))
        more = [
            (
                "one more pole",
                replace(case.bag, pools=(*pools, replace(rod, count=1, owner=None))),
            ),
            ("ten more stakes", replace(case.bag, pools=(*pools, Pool(STAKE, 10)))),
            (
                "four more lines of 3 m",
                replace(case.bag, pools=(*pools, Pool(LINE, 4, 0.0, 3.0))),
            ),
            (
                "a second sheet of 3 x 3 m",
                replace(case.bag, sheets=(*case.bag.sheets, square)),
            ),
        ]
        out = []
        for words, bag in more:
            if report.stop():
                break
            report.say(words, at_once=True)
            limits = self._limits(report, SLACK_SECONDS)
            made = make(
                replace(case, bag=bag),
                hands[0],
                limits,
                quiet,
                self._offers,
                None,
                hands[1],
            )
            before = {r.aim: r.value for r in base.chosen.reached}
            gains = [
                {
                    "aim": r.aim,
                    "words": aim_named(r.aim).words,
                    "less": before[r.aim] - r.value,
                }
                for r in made.chosen.reached
                if before.get(r.aim, r.value) != r.value
            ]
            out.append(
                {
                    "words": words,
                    "gains": gains,
                    "better": made.chosen.value() < base.chosen.value(),
                }
            )
        return "done", {"base": told(base.chosen.reached), "more": out}, None

    def _more_kit(
        self, course_id: int, _night: int, wish: Mapping[str, Any], report: Report
    ) -> Any:
        """What more kit would make all of the course's nights work."""
        report.cap(MORE_KIT_S)
        with self.database.session() as session:
            course = courses.course(session, course_id)
            items, by = more_kit.items_here(session, course)
            own = more_kit.packs_of(wish.get("own") or {}, items)
            asked = [
                more_kit.Asked(night.id, night.title, case_of(session, course_id, night.id))
                for night in courses.nights(session, course_id)
            ]
        told = []
        for one in asked:
            try:
                self._stop_at_a_bad_place(one.night_id)
                told.append(one)
            except InputError as err:
                told.append(replace(one, stopped=err.message))
        advisor = more_kit.Advisor(self.solver, self._offers, self._hung, report)
        return "done", advisor.advice(told, items, by, own), None

    def _evening(
        self, course_id: int, night_id: int, _: Mapping[str, Any], report: Report
    ) -> Any:
        case, _seconds = self._case(course_id, night_id)
        with self.database.session() as session:
            row = night_plan.of_night(session, night_id)
            wish, told = asks.asked_of(row)["evening"], (row.asked or {}).get("evening", {})
        shelters = self._to_pitch(case)
        arrival, due, why = due_of(case, wish["arrival"])
        hands = Hands(
            case.bag.campers,
            {int(p): int(m) for p, m in wish["late"].items()},
            frozenset(wish["gone"]),
            int(wish["mallets"]),
        )
        report.say("putting the tasks in order", at_once=True)
        done = {(int(n), stage): int(at) for n, stage, at in wish["done"]}
        found = evening(shelters, hands, due, self._limits(report, 5.0), done)
        tasks = [
            {
                "shelter": t.shelter,
                "stage": t.stage,
                "start": t.start,
                "end": t.end,
                "who": t.who,
                "mallet": t.mallet,
            }
            for t in found.tasks
        ]
        late = {str(n): m for n, m in found.late.items() if m}
        return (
            "done",
            {
                "tasks": tasks,
                "late": late,
                "due": due,
                "why": why,
                "arrival": wish["arrival"],
                "assumed": "arrival" not in told,
                "done_min": found.done,
                "proven": found.proven,
                "on": arrival.isoformat() if arrival else None,
            },
            None,
        )

    def _to_pitch(self, case: Case) -> list[ToPitch]:
        offers = standing_offers(
            case.bag, case.night, case.camp, case.standing, self.solver.solve_all
        )
        stood = {o.sheets: o for o in reversed(offers)}
        out = []
        for number, standing in enumerate(case.standing, start=1):
            pitch = PITCHES[standing.pitch]
            offer = stood.get(standing.sheets)
            stakes = offer.stakes if offer else len(pitch.anchors)
            out.append(
                ToPitch(
                    number,
                    standing.people,
                    case.night.own.minutes_of(pitch),
                    len(pitch.high_points()),
                    stakes,
                    pitch.minutes > 6,
                    case.rules.leaf_beds,
                )
            )
        return out

    def _mishap(
        self, course_id: int, night_id: int, wish: Mapping[str, Any], report: Report
    ) -> Any:
        case, _seconds = self._case(course_id, night_id)
        report.say("folding each shelter into its storm form", at_once=True)
        model, taken, beds, stood = self._standing(case)
        people = {c.number: c for c in case.bag.campers}
        offers = {o.sheets: o for o in reversed(stood)}
        some = []
        for standing in case.standing:
            offer = offers.get(standing.sheets)
            if offer is None:
                continue
            there = [people[p] for p in standing.people if p in people]
            some.append(
                (
                    offer,
                    there,
                    self.solver.solve(self._hung.question(case, offer, len(there))),
                )
            )
        foul = foul_weather(some, case.rules, self.solver.workings)
        hurt = int(
            wish.get("hurt")
            or next(
                (c.number for c in case.bag.campers if not c.leader),
                case.bag.campers[0].number,
            )
        )
        place = casualty(model.asked, taken, beds, hurt) if hurt in people else None
        return (
            "done",
            {
                "foul": [
                    {
                        "sheet": f.sheets[0],
                        "force": f.force,
                        "move": f.move.move.title if f.move else None,
                        "steps": f.move.move.steps if f.move else (),
                        "minutes": f.move.move.minutes if f.move else None,
                        "peak_m": f.move.after.figures.peak_m
                        if f.move and f.move.after and f.move.after.figures
                        else None,
                        "go_to": {str(p): s[0] for p, s in f.go_to.items()},
                        "without": f.without,
                    }
                    for f in foul
                ],
                "casualty": None
                if place is None
                else {
                    "hurt": hurt,
                    "sheet": place.sheets[0] if place.sheets else None,
                    "carer": place.carer,
                    "moves": {str(p): s[0] for p, s in place.moves.items()},
                    "words": place.words,
                    "bent": place.bent,
                },
            },
            None,
        )


class Due(NamedTuple):
    """When the group arrives, minutes after it by which all is to stand, and why then."""

    arrival: datetime | None
    minutes: int | None
    why: str


def due_of(case: Case, arrival: str) -> Due:
    """(arrival, minutes after it by which all is to stand, why then): the first of dark and rain,
    less a margin.
    """
    needs = case.night.needs
    light = needs.evening
    if needs.on is None:
        return Due(None, None, "no date is set for the night")
    hour, minute = (int(part) for part in arrival.split(":"))
    zone = light.sunset.tzinfo if light and light.sunset else None
    start = datetime(needs.on.year, needs.on.month, needs.on.day, hour, minute, tzinfo=zone)
    ends: list[tuple[datetime, str]] = []
    if light is not None and light.last_light is not None:
        ends.append((light.last_light, "last light"))
    if needs.rain_mm_h and needs.rain_from is not None:
        rain = start.replace(hour=needs.rain_from.hour, minute=needs.rain_from.minute)
        ends.append(
            (
                rain if rain >= start - timedelta(hours=6) else rain + timedelta(days=1),
                "the rain",
            )
        )
    if not ends:
        return Due(start, None, "neither dark nor rain is known")
    first, why = min(ends, key=lambda e: e[0])
    minutes = int((first - start).total_seconds() // 60) - MARGIN_MIN
    return Due(start, minutes, f"{MARGIN_MIN} minutes before {why} at {first:%H:%M}")
