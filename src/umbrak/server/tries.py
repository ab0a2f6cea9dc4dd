"""Passwords are looked at in threads of their own: a crowd that signs in keeps nobody else waiting. Counting tries is quick;
looking at a password takes a processor and its memory for a while, so two at a time."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
COUNTING = ThreadPoolExecutor(2, "umbrak-tries")
HASHING = ThreadPoolExecutor(2, "umbrak-passwords")


async def run_in(threads: Executor, work: Callable[[], T]) -> T:
    return await asyncio.get_running_loop().run_in_executor(threads, work)
