"""The queue of jobs, kept in PostgreSQL: any process of the installation may do any job, one at a time each.

The queue only says which job is to be done; what it has to do and how far it is, is in the job's own rows
(services.work). So a process that dies costs nothing: its job is found unfinished and queued again.
"""

from __future__ import annotations

import asyncio
import logging
import threading
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from uuid import UUID

import procrastinate
from procrastinate.exceptions import AlreadyEnqueued
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from umbrak.jobs.apart import Here, WorkDied, Worker
from umbrak.services.bench.light import end_lights
from umbrak.services.machines.in_bulk import fail_next, run_job, run_one_by_one
from umbrak.services.people.hooks import deliver_due
from umbrak.services.people.retention import remove_old
from umbrak.services.reach import Outside
from umbrak.store.jobs import unfinished_jobs

#: Seconds between two looks for jobs whose process died.
_LOOK_EVERY = 20.0
#: And for what is to be told to others.
_TELL_EVERY = 3.0
_log = logging.getLogger("umbrak.jobs")


class Queue:
    """Takes jobs, and has them done between `start` and `stop`: where it is itself, if it is given no worker."""

    def __init__(self, engine: Engine, outside: Outside, worker: Worker | None = None) -> None:
        self._engine, self._outside, self._does = engine, outside, worker or Here(engine)
        address = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        self._app = procrastinate.App(
            connector=procrastinate.PsycopgConnector(conninfo=address, min_size=1, max_size=3)
        )
        self._app.task(name="run_job")(self._run)
        # Jobs are put in from threads that have no event loop.
        self._taking = procrastinate.App(
            connector=procrastinate.SyncPsycopgConnector(conninfo=address, min_size=0, max_size=2)
        )
        self._lock, self._open = threading.Lock(), False
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._worker: asyncio.Task[None] | None = None

    def start(self) -> None:
        """Begin to do jobs, those first that a process before this one left unfinished."""
        self._thread = threading.Thread(target=lambda: asyncio.run(self._work()), name="umbrak-jobs", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Let go of the job at hand after its step, and end. It is gone on with at the next start."""
        self._stopping.set()
        if self._loop and self._worker:
            self._loop.call_soon_threadsafe(self._worker.cancel)
        if self._thread:
            self._thread.join(timeout=30)
        with self._lock:
            if self._open:
                self._taking.close()
                self._open = False

    def put(self, job_id: UUID) -> None:
        """Have a job done. Putting it in twice does no harm."""
        with self._lock:
            if not self._open:
                self._taking.open()
                self._open = True
        with suppress(AlreadyEnqueued):
            self._taking.configure_task("run_job", queueing_lock=str(job_id)).defer(job_id=str(job_id))

    def _run(self, job_id: str) -> None:
        key = UUID(job_id)
        doing: Callable[..., None] = run_job
        while True:
            try:
                self._does.do(doing, self._outside, key, stopped=self._stopping.is_set)
            except WorkDied as error:
                _log.error("job %s: %s", key, error)
                if doing is run_one_by_one:  # it was that step, then: the others need not share its fate
                    fail_next(self._engine, key, str(error))
                doing = run_one_by_one
            else:
                return

    async def _work(self) -> None:
        self._loop = asyncio.get_running_loop()
        async with self._app.open_async():
            self._worker = asyncio.create_task(
                self._app.run_worker_async(
                    concurrency=1, install_signal_handlers=False, delete_jobs="always", shutdown_graceful_timeout=20
                )
            )
            if self._stopping.is_set():
                self._worker.cancel()  # told to stop before there was anything to stop
            beside = [asyncio.create_task(self._look()), asyncio.create_task(self._tell())]
            await asyncio.wait([self._worker])
            for task in beside:
                task.cancel()
            if not self._worker.cancelled() and (error := self._worker.exception()):
                _log.error("jobs are not done any more: %s", error)

    async def _look(self) -> None:
        """Queue again what is unfinished, switch off the lights of runs that have ended, remove what is older than it may be.
        A job that is being done is held by its process: it is then left to it."""
        while True:
            try:
                for key in await asyncio.to_thread(self._unfinished):
                    await asyncio.to_thread(self.put, key)
                await asyncio.to_thread(end_lights, self._engine, self._outside)
                await asyncio.to_thread(remove_old, self._engine, datetime.now(UTC), self._stopping.is_set)
            except (SQLAlchemyError, procrastinate.exceptions.ConnectorException) as error:
                _log.warning("cannot look for unfinished jobs: %s", error)
            await asyncio.sleep(_LOOK_EVERY)

    async def _tell(self) -> None:
        """Tell those who asked for it what has happened."""
        while True:
            try:
                now = datetime.now(UTC)
                await asyncio.to_thread(deliver_due, self._engine, self._outside, now, self._stopping.is_set)
            except SQLAlchemyError as error:
                _log.warning("webhooks wait for the database: %s", type(error).__name__)
            except Exception as error:  # nothing may end it: the next may go well
                _log.error("webhooks: %s", type(error).__name__, exc_info=error)
            await asyncio.sleep(_TELL_EVERY)

    def _unfinished(self) -> list[UUID]:
        with self._engine.connect() as db:
            return unfinished_jobs(db)
