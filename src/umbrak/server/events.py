"""What happens to machines and plans, told to every page that looks on.

One thread a process listens to the database and hands each line to the streams that follow its machine. A stream that
was away resumes by the id of the last line it saw: the lines are in the database, so any process can serve it.
"""

from __future__ import annotations

import asyncio
import logging
import threading
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from uuid import UUID

from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from umbrak.store.accounts import live_sessions
from umbrak.store.history import HistoryLine, find_line, lines_after, newest_line
from umbrak.store.listen import PATIENCE, Heard, listen

#: Lines are numbered when they are written but seen when their transaction ends, so one may come late: a stream that
#: resumes looks this far back. Telling a line twice does no harm.
_LOOK_BACK = 20
_log = logging.getLogger("umbrak.server")


class Hub:
    """Streams of one process. Starts with its first stream, ends with `close`."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._stop = threading.Event()
        self._lock = threading.Lock()
        self._streams: set[_Stream] = set()
        self._thread: threading.Thread | None = None
        self._newest = 0
        self._listening = False

    @property
    def streams(self) -> int:
        """Pages that look on."""
        with self._lock:
            return len(self._streams)

    async def follow(
        self, machines: frozenset[UUID], session: bytes, last_seen: int | None
    ) -> AsyncIterator[int | HistoryLine]:
        """Lines of some machines, for as long as the session is: first the id of the line at which it begins, then the
        lines since `last_seen`, then each as it is written."""
        stream = _Stream(asyncio.get_running_loop(), machines, session)
        with self._lock:
            self._streams.add(stream)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, name="umbrak-events", daemon=True)
                self._thread.start()
        try:
            yield await asyncio.to_thread(self._now) if last_seen is None else last_seen
            if last_seen is not None:
                for line in await asyncio.to_thread(self._since, machines, last_seen):
                    yield line
            while not self._stop.is_set():
                told = await stream.queue.get()
                if told is None:
                    return
                yield told
        finally:
            with self._lock:
                self._streams.discard(stream)

    def state(self) -> str:
        """How it stands with the events: idle (nobody follows any), listening, away (the database), or ended."""
        if self._thread is None:
            return "idle"
        if not self._thread.is_alive():
            return "ended"
        return "listening" if self._listening else "away"

    def close(self) -> None:
        """End every stream and the listening."""
        self._stop.set()
        with self._lock:
            for stream in self._streams:
                stream.put(None)
        if self._thread:
            self._thread.join(timeout=5)

    def _now(self) -> int:
        with self.engine.connect() as db:
            return newest_line(db)

    def _since(self, machines: frozenset[UUID], last_seen: int) -> list[HistoryLine]:
        with self.engine.connect() as db:
            return lines_after(db, machines, max(0, last_seen - _LOOK_BACK))

    def _listen(self) -> None:
        for heard in listen(self.engine, self._stop):
            self._listening = heard is not Heard.AWAY
            # What cannot be told now (the database is away, or too busy to be asked) is told later: this thread is the
            # only one, so nothing may end it.
            while not self._stop.is_set():
                try:
                    self._take(heard)
                    break
                except SQLAlchemyError as error:
                    _log.warning("events wait for the database: %s", type(error).__name__)
                    heard = Heard.MISSED
                    self._stop.wait(PATIENCE)
                except Exception as error:
                    _log.error("an event could not be told: %s", type(error).__name__, exc_info=error)
                    break

    def _take(self, heard: int | Heard) -> None:
        if isinstance(heard, int):
            with self.engine.connect() as db:
                line = find_line(db, heard)
            self._tell([line] if line else [])
            self._newest = max(self._newest, heard)
        elif heard is Heard.SESSIONS:
            self._end_dead()
        elif heard is Heard.MISSED:
            with self._lock:
                followed = frozenset(m for stream in self._streams for m in stream.machines)
            with self.engine.connect() as db:
                newest = newest_line(db)
            if self._newest and newest > self._newest:
                self._tell(self._since(followed, self._newest))
            self._newest = newest
            self._end_dead()

    def _tell(self, lines: list[HistoryLine]) -> None:
        with self._lock:
            for line in lines:
                for stream in self._streams:
                    if line.machine_id in stream.machines:
                        stream.put(line)

    def _end_dead(self) -> None:
        """End the streams whose session has ended."""
        with self._lock:
            followed = {stream.session for stream in self._streams}
        with self.engine.connect() as db:
            live = live_sessions(db, followed)
        with self._lock:
            for stream in self._streams:
                if stream.session not in live:
                    stream.put(None)


@dataclass(eq=False)
class _Stream:
    """A queue that other threads may fill."""

    loop: asyncio.AbstractEventLoop
    machines: frozenset[UUID]
    session: bytes
    queue: asyncio.Queue[HistoryLine | None] = field(default_factory=asyncio.Queue)

    def put(self, line: HistoryLine | None) -> None:
        if not self.loop.is_closed():
            self.loop.call_soon_threadsafe(self.queue.put_nowait, line)
