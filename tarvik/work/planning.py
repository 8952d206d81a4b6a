"""A worker's jobs taken up, done and kept; and the plan itself."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Final

from sqlalchemy.exc import SQLAlchemyError

from tarvik.core.errors import InputError
from tarvik.core.plan.blocks import WHOLE_MOST
from tarvik.core.plan.choose import Limits, Reached
from tarvik.core.plan.make import Case, Made, make
from tarvik.core.plan.question import SPARE
from tarvik.core.plan.why import impasse
from tarvik.store import asks, courses, plans
from tarvik.store.models import Night
from tarvik.work.cases import choices_of, spot_of
from tarvik.work.desk import Desk
from tarvik.work.evening_job import evening_tasks
from tarvik.work.mishap_job import mishap
from tarvik.work.more_kit import more_kit_for_all
from tarvik.work.report import TELL_EVERY_S, Done, Report
from tarvik.work.slack_job import slack
from tarvik.work.told import told
from tarvik.work.why_job import why

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.core.plan.choose import Chosen
    from tarvik.core.plan.model import PlanModel
    from tarvik.core.solve import Question, Solution
    from tarvik.store.database import Database
    from tarvik.work.solving import Solver

log = logging.getLogger("tarvik.work")
LEAST_S: Final = 30.0
LONGEST_S: Final = 180.0
"""A plan takes its worker for so long at the most: these seconds and one more for each person and
sheet, up to the longest.
"""
GOOD_ENOUGH: Final = 0.0
"""The gap of the first aim not proved with which a search ends."""
IMPASSE_S: Final = 10.0
"""How long it is looked for what stands in the way."""
Job = Callable[["Desk", int, int, "JsonMapping", Report], Done]
"""What does a job: of a course and a night, with what is asked for."""


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


JOBS: Final[Mapping[str, Job]] = MappingProxyType(
    {
        "why": why,
        "slack": slack,
        "evening": evening_tasks,
        "mishap": mishap,
        "kit": more_kit_for_all,
    }
)
"""Jobs that leave the night's choices as they are."""


class Planner:
    """Does jobs. Keeps solved shelters and gathered offers for the next one."""

    def __init__(self, database: Database, solver: Solver) -> None:
        self.database, self.solver = database, solver
        self.desk = Desk(database, solver)
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
            if kind == "plan":
                done = self._plan(course_id, night_id, wish, report)
            else:
                done = JOBS[kind](self.desk, course_id, night_id, wish, report)
        except InputError as err:
            done = Done("failed", {"words": err.message})
        except SQLAlchemyError:
            raise  # the queue tries again
        except Exception:
            log.exception("job %s failed", job_id)
            words = "this could not be worked out; the choices are as they were"
            done = Done("failed", {"words": words})
        self._finish(job_id, night_id, kind, (step, version), done)

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
            case, seconds = self.desk.case(course_id, night_id)
            if case.bag.campers and case.bag.sheets and len(case.bag.campers) <= WHOLE_MOST:
                self._get_ready(case, seconds, _NotTooOften(self._waited_for))
        except InputError as err:
            log.info("nothing to get ready for night %s: %s", night_id, err.message)

    def _get_ready(self, case: Case, seconds: int, stop: Callable[[], bool]) -> None:
        """Make a case's plan; where it is proved best, keep it for whoever asks for it."""
        self.desk.offers.of(
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
                kept=self.desk.offers,
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
        done: Done,
    ) -> None:
        """Keep the result, and make a plan the night's choices unless they were changed meanwhile:
        all of it once. `seen`: the last step of the choices and the night's version as the job
        found them.
        """
        step, version = seen
        state, result, after = done
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

    def _plan(
        self, course_id: int, night_id: int, wish: JsonMapping, report: Report
    ) -> Done:
        self.desk.stop_at_a_bad_place(night_id)
        case, seconds = self.desk.case(
            course_id, night_id, few_moves=bool(wish.get("few_moves"))
        )
        if not case.bag.campers or not case.bag.sheets:
            raise InputError(
                "people",
                "a plan needs people and sheets: add them on the group and kit page",
            )
        report.cap(longest_s(case))
        names = {c.number: c.name for c in case.bag.campers}

        so_far: JsonObject = {}

        def solve_all(questions: Sequence[Question]) -> list[Solution]:
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
                case,
                solve_all,
                limits,
                better,
                self.desk.offers,
                clock,
                self.solver.elsewhere,
            )
        if not made.chosen.possible and report.over:
            words = "no plan was found in the time a plan may take: ask for fewer people or sheets"
            return Done("failed", {"words": words})
        if not made.chosen.possible:
            words = "what is locked cannot be kept: unlock a person or a shelter"
            return Done("failed", {"words": words})
        if report.wanted:
            report.say("looking how the sheets hang", at_once=True, **so_far)
            made, choices = self.desk.hung.true_to_hang(case, made, report)
        result = self._told(case, made.model, made.chosen, made.by_rule)
        if not report.wanted:
            return Done(
                "cancelled",
                {**result, "words": "called off; the best plan so far can be taken up"},
            )
        if result["without"]:
            report.say("looking what stands in the way", at_once=True)
            result["impasse"] = self._in_the_way(made.model, report)
        return Done("done", result, choices)

    def _in_the_way(self, model: PlanModel, report: Report) -> JsonObject | None:
        """What stands in the way of a place for everybody, and what would mend it."""
        found = impasse(model, self.desk.limits(report, IMPASSE_S))
        if found is None:
            return None
        return {
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

    def _told(
        self, case: Case, model: PlanModel, chosen: Chosen, by_rule: Sequence[Reached]
    ) -> JsonObject:
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
