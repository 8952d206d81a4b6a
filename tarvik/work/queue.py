"""The queue of jobs in the database (procrastinate): pages put jobs in, workers on any machine take
them out.

A worker that dies over a job stops showing signs of life; another, or the same started again, takes
the job up anew. What follows from a job is done by whoever ends it, once (`asks.end`).
"""

from __future__ import annotations

import asyncio
import logging
import os
import socket
from threading import Event, Lock
from typing import TYPE_CHECKING, Final

import procrastinate
import psycopg
import psycopg_pool

from tarvik.store.database import conninfo
from tarvik.store.models import now

if TYPE_CHECKING:
    from collections.abc import Callable

log = logging.getLogger("tarvik.work")
QUEUE: Final = "plans"
TASK: Final = "tarvik.work"
AHEAD: Final = "tarvik.ahead"
"""What is worked out although nobody asked yet: taken up only when no job waits."""
SIGN_OF_LIFE_S: Final = 2.0
DEAD_AFTER_S: Final = 8.0
"""A worker silent for so long is taken for dead."""
LAST: Final = -1000
"""Priority of what nobody asked for."""
ANSWERS_WITHIN_S: Final = 5.0
"""How long a page waits for its first connection to the queue."""
AGAIN_AFTER_S: Final = 1.0
"""How long a worker waits before it turns again to a database that did not answer."""


_UNREACHED: Final = (
    procrastinate.exceptions.ProcrastinateException,
    psycopg_pool.PoolTimeout,
)
"""What is raised where the queue does not answer."""


class QueueError(RuntimeError):
    """Jobs cannot be handed over now."""


class Queue:
    """Where pages put jobs. Opens its connection with the first job. Safe to use from many
    threads.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._app: procrastinate.App | None = None
        self._pool: psycopg_pool.ConnectionPool | None = None
        self._lock = Lock()

    def put(self, job_id: int, others: int = 0) -> None:
        """Hand a job to whichever worker is free. `others`: how many jobs of the same provider are
        open: behind as many of its own, a job stands behind every other provider's. Raises
        QueueError when the queue cannot be reached.
        """
        try:
            with self._lock:
                task = self._opened().configure_task(TASK, queue=QUEUE, priority=-others)
                task.defer(job_id=job_id)
        except _UNREACHED as err:
            raise QueueError("the queue of plans cannot be reached") from err

    def look_ahead(self, night_id: int) -> None:
        """Let a worker that has nothing else to do get ready for a night's plan. Does nothing when
        that is asked already, or the queue cannot be reached: whatever is not ready is worked out
        with the plan.
        """
        try:
            with self._lock:
                task = self._opened().configure_task(
                    AHEAD, queue=QUEUE, priority=LAST, queueing_lock=f"{AHEAD} {night_id}"
                )
                task.defer(night_id=night_id)
        except procrastinate.exceptions.AlreadyEnqueued:
            pass
        except _UNREACHED as err:
            log.warning("nothing is worked out ahead: %s", type(err).__name__)

    def _opened(self) -> procrastinate.App:
        if self._app is None:
            pool = psycopg_pool.ConnectionPool(
                conninfo(self._url), min_size=1, max_size=2, open=False
            )
            try:
                pool.open(wait=True, timeout=ANSWERS_WITHIN_S)
            except psycopg_pool.PoolTimeout:
                pool.close()
                raise
            app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())
            app.open(pool)
            self._pool, self._app = pool, app
        return self._app

    def close(self) -> None:
        """Let go of the connection."""
        with self._lock:
            if self._app is not None and self._pool is not None:
                self._app.close()
                self._pool.close()
                self._app = self._pool = None


def work_on(
    url: str,
    perform: Callable[[int], None],
    *,
    once: bool = False,
    signals: bool = True,
    stop: Event | None = None,
    ahead: Callable[[int], None] = lambda _: None,
) -> None:
    """Take jobs and do them until told to stop, by a signal or the event; with `once`, until there
    are none. `ahead` gets ready for a night's plan.

    A database that stops answering is waited for: the worker may stand on another machine than what
    starts it again. With `once` it is an error (procrastinate's or psycopg's own).
    """
    while True:
        try:
            asyncio.run(_work(url, perform, ahead, once=once, signals=signals, stop=stop))
        except (
            procrastinate.exceptions.ConnectorException,
            psycopg.OperationalError,
        ) as err:
            if once:
                raise
            log.warning(
                "the database does not answer the worker (%s); it is asked again",
                err.__cause__ or err,
            )
            if (stop or Event()).wait(AGAIN_AFTER_S):
                return
        else:
            return


async def _until(stop: Event, working: asyncio.Task[None]) -> None:
    while not stop.is_set():
        await asyncio.sleep(0.1)
    working.cancel()


async def _work(
    url: str,
    perform: Callable[[int], None],
    ahead: Callable[[int], None],
    *,
    once: bool,
    signals: bool,
    stop: Event | None,
) -> None:
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(
            conninfo=conninfo(url), min_size=1, max_size=4
        )
    )

    @app.task(
        name=TASK, queue=QUEUE, retry=procrastinate.RetryStrategy(max_attempts=3, wait=1)
    )
    def work(job_id: int) -> None:
        perform(job_id)

    @app.task(name=AHEAD, queue=QUEUE)
    def get_ready(night_id: int) -> None:
        ahead(night_id)

    async with app.open_async():
        rescuing = asyncio.create_task(_rescue(app))
        working = asyncio.create_task(
            app.run_worker_async(
                queues=[QUEUE],
                name=f"{socket.gethostname()}-{os.getpid()}",
                concurrency=1,
                wait=not once,
                install_signal_handlers=signals,
                update_heartbeat_interval=SIGN_OF_LIFE_S,
                stalled_worker_timeout=DEAD_AFTER_S,
                fetch_job_polling_interval=2.0,
                delete_jobs="successful",
                shutdown_graceful_timeout=1.0,
            )
        )
        stopping = asyncio.create_task(_until(stop, working)) if stop is not None else None
        try:
            await working
        except asyncio.CancelledError:
            if stop is None or not stop.is_set():
                raise
        finally:
            rescuing.cancel()
            if stopping is not None:
                stopping.cancel()


async def _rescue(app: procrastinate.App) -> None:
    """Give the jobs of dead workers out again."""
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(
                seconds_since_heartbeat=DEAD_AFTER_S
            ):
                log.warning("a worker died over job %s; it is given out again", job.id)
                await app.job_manager.retry_job(job, retry_at=now())
        except procrastinate.exceptions.ProcrastinateException as err:
            log.warning("dead workers could not be looked for: %s", type(err).__name__)
        await asyncio.sleep(SIGN_OF_LIFE_S)
