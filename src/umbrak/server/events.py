"""What happens to machines and plans, told to every page that looks on.

One thread a process listens to the database and hands each line to the streams that follow its machine. A stream that
was away resumes by the id of the last line it saw: the lines are in the database, so any process can serve it.
"""

from __future__ import annotations

import asyncio
import threading
from collections.abc import AsyncIterator
from uuid import UUID

from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError

from umbrak.store.history import HistoryLine, find_line, lines_after
from umbrak.store.listen import listen

#: Lines are numbered when they are written but seen when their transaction ends, so one may come late: a stream that
#: resumes looks this far back. Telling a line twice does no harm.
_LOOK_BACK = 20


class Hub:
    """Streams of one process. Starts with its first stream, ends with `close`."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._stop = threading.Event()
        self._lock = threading.Lock()
        self._streams: dict[_Stream, UUID] = {}
        self._thread: threading.Thread | None = None

    async def follow(self, machine_id: UUID, last_seen: int | None) -> AsyncIterator[HistoryLine]:
        """Lines of one machine: those since `last_seen`, then each as it is written."""
        stream = _Stream(asyncio.get_running_loop())
        with self._lock:
            self._streams[stream] = machine_id
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, name="umbrak-events", daemon=True)
                self._thread.start()
        try:
            if last_seen is not None:
                for line in await asyncio.to_thread(self._since, machine_id, last_seen):
                    yield line
            while not self._stop.is_set():
                told = await stream.queue.get()
                if told is None:
                    return
                yield told
        finally:
            with self._lock:
                del self._streams[stream]

    def close(self) -> None:
        """End every stream and the listening."""
        self._stop.set()
        with self._lock:
            for stream in self._streams:
                stream.put(None)
        if self._thread:
            self._thread.join(timeout=5)

    def _since(self, machine_id: UUID, last_seen: int) -> list[HistoryLine]:
        with self.engine.connect() as db:
            return lines_after(db, machine_id, max(0, last_seen - _LOOK_BACK))

    def _listen(self) -> None:
        newest: int | None = None
        for told in listen(self.engine, self._stop):
            try:
                if told is not None:
                    self._tell([line] if (line := self._line(told)) else [])
                    newest = max(newest or 0, told)
                elif newest is not None:
                    with self._lock:
                        followed = set(self._streams.values())
                    for machine_id in followed:
                        self._tell(self._since(machine_id, newest))
            except OperationalError:
                continue  # the database went away; `listen` notices too and says so when it is back

    def _line(self, key: int) -> HistoryLine | None:
        with self.engine.connect() as db:
            return find_line(db, key)

    def _tell(self, lines: list[HistoryLine]) -> None:
        with self._lock:
            for line in lines:
                for stream, machine_id in self._streams.items():
                    if machine_id == line.machine_id:
                        stream.put(line)


class _Stream:
    """A queue that other threads may fill."""

    def __init__(self, loop: asyncio.AbstractEventLoop) -> None:
        self.loop = loop
        self.queue: asyncio.Queue[HistoryLine | None] = asyncio.Queue()

    def put(self, line: HistoryLine | None) -> None:
        if not self.loop.is_closed():
            self.loop.call_soon_threadsafe(self.queue.put_nowait, line)
