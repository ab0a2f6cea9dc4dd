"""Long answers: worked out off the event loop, and given up when nobody waits for them any more."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from os import cpu_count
from threading import Event
from typing import Any, TypeVar

from fastapi import Request

from umbrak.jobs.apart import Worker

T = TypeVar("T")

#: How often it is looked whether anybody still waits. [s]
_LOOK = 0.2


#: Searches that go on at once in one process, each in a thread that waits for who searches: more would slow each other.
SEARCHES = cpu_count() or 1
_SEARCHING = ThreadPoolExecutor(SEARCHES, "umbrak-searches")


async def while_waited_for(
    request: Request, work: Callable[[Callable[[], bool]], T], threads: Executor | None = None
) -> T:
    """The answer of `work`, which is told by the function it is given when nobody waits for it any more."""
    nobody_waits = Event()
    loop = asyncio.get_running_loop()
    task = loop.run_in_executor(threads, work, nobody_waits.is_set)
    while not task.done():
        await asyncio.wait([task], timeout=_LOOK)
        if not task.done() and await request.is_disconnected():
            nobody_waits.set()
    return task.result()


async def sought(request: Request, work: Callable[..., T], *given: Any) -> T:
    """The answer of a search, `work(engine, *given, stopped=...)`: apart from who answers others, a few at a time."""
    worker: Worker = request.app.state.worker
    return await while_waited_for(request, lambda stopped: worker.do(work, *given, stopped=stopped), _SEARCHING)
