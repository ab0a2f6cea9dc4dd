"""Answers that are given again for as long as nothing has been written.

A query finds what the transactions have written that its snapshot sees; PostgreSQL tells which those are
(`pg_current_snapshot()`: the oldest number still running, the next number, those running in between). While that is the same,
every query finds the same. So an answer made between two equal snapshots is the answer as long as there is that snapshot:
nothing has to say what it rests on, and none is ever stale. What rests on the day too is made anew each day, and what rests on
the time each minute. Those who ask for the same at once have it made once.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import wraps
from inspect import signature
from threading import Lock
from typing import Any, ParamSpec, TypeVar, get_type_hints
from weakref import WeakKeyDictionary

from fastapi import Response
from pydantic import TypeAdapter
from sqlalchemy import Engine

from umbrak.store.engine import snapshot_of

P = ParamSpec("P")
T = TypeVar("T")

#: All answers that are kept of one database are at most so long together. [bytes]
MOST = 32 << 20


class Kept:
    """Answers by what was asked, each with the snapshot that it is of; those asked for longest ago go first."""

    def __init__(self, most: int = MOST) -> None:
        self._most, self._length = most, 0
        self._held: OrderedDict[Hashable, tuple[str, bytes]] = OrderedDict()
        self._alone = Lock()
        #: What is being made -> its lock, and how many make it or wait for it.
        self._making: dict[Hashable, tuple[Lock, int]] = {}

    @contextmanager
    def making(self, asked: Hashable) -> Iterator[bool]:
        """Held by one at a time who makes an answer; tells whether somebody else held it before."""
        with self._alone:
            lock, others = self._making.get(asked, (Lock(), 0))
            self._making[asked] = lock, others + 1
        try:
            with lock:
                yield others > 0
        finally:
            with self._alone:
                lock, here = self._making.pop(asked)
                if here > 1:
                    self._making[asked] = lock, here - 1

    def find(self, asked: Hashable, snapshot: str) -> bytes | None:
        with self._alone:
            held = self._held.get(asked)
            if held is None or held[0] != snapshot:
                return None
            self._held.move_to_end(asked)
            return held[1]

    def keep(self, asked: Hashable, snapshot: str, answer: bytes) -> None:
        with self._alone:
            before = self._held.pop(asked, None)
            self._length -= len(before[1]) if before else 0
            if len(answer) > self._most:
                return
            self._held[asked] = snapshot, answer
            self._length += len(answer)
            while self._length > self._most:
                self._length -= len(self._held.popitem(last=False)[1][1])


_kept: WeakKeyDictionary[Engine, Kept] = WeakKeyDictionary()


def while_unchanged(see: Callable[P, T]) -> Callable[P, T]:
    """An endpoint that answers by its database, its arguments and the day alone, whoever asks.

    Its engine is its argument `engine`; one that is called `_` it does not look at. One that has an argument `now` answers by
    the time too: an answer is kept until its minute ends.
    """
    shape: TypeAdapter[T] = TypeAdapter(get_type_hints(see)["return"])
    names = [n for n in signature(see).parameters if n not in ("engine", "_")]

    @wraps(see)
    def answer(**given: Any) -> Response:
        engine: Engine = given["engine"]
        kept = _kept.setdefault(engine, Kept())
        asked = see, datetime.now(UTC).date(), *(_told(given[n]) for n in names)
        before = snapshot_of(engine)
        body = kept.find(asked, before)
        if body is None:
            with kept.making(asked) as waited:
                if waited:
                    before = snapshot_of(engine)
                    body = kept.find(asked, before)
                if body is None:
                    body = shape.dump_json(see(**given), by_alias=True)  # type: ignore[call-arg]
                    if snapshot_of(engine) == before:
                        kept.keep(asked, before, body)
        return Response(body, media_type="application/json")

    return answer  # type: ignore[return-value]


def _told(argument: object) -> Hashable:
    if isinstance(argument, datetime):
        return argument.replace(second=0, microsecond=0)
    return tuple(argument) if isinstance(argument, list) else argument
