"""Long answers: worked out off the event loop, and given up when nobody waits for them any more."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from threading import Event
from typing import TypeVar

from fastapi import Request

T = TypeVar("T")

#: How often it is looked whether anybody still waits. [s]
_LOOK = 0.2


async def while_waited_for(request: Request, work: Callable[[Callable[[], bool]], T]) -> T:
    """The answer of `work`, which is told by the function it is given when nobody waits for it any more."""
    nobody_waits = Event()
    task = asyncio.create_task(asyncio.to_thread(work, nobody_waits.is_set))
    while not task.done():
        await asyncio.wait([task], timeout=_LOOK)
        if not task.done() and await request.is_disconnected():
            nobody_waits.set()
    return task.result()
