"""A process with a helper for long calculations, as `umbrak serve` has one. Prints what became of each case, as JSON.

Its helper is forked before there are threads, so it cannot be a part of the tests' own process.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
from collections.abc import Callable
from typing import Any
from uuid import UUID

from sqlalchemy import Engine, text

from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.jobs.apart import Apart, WorkDied
from umbrak.jobs.queue import Queue
from umbrak.services.errors import Refused
from umbrak.services.machines import in_bulk
from umbrak.services.reach import Outside
from umbrak.store.engine import open_engine

Stopped = Callable[[], bool]


def where(engine: Engine, layout: Layout, *, stopped: Stopped) -> tuple[int, int, int, Layout]:
    with engine.connect() as db:
        return os.getppid(), os.nice(0), db.execute(text("SELECT 1")).scalar_one(), layout


def refuse(_: Engine, *, stopped: Stopped) -> None:
    raise Refused("slots", "A1 is said twice.")


def unsendable(_: Engine, *, stopped: Stopped) -> Any:
    return threading.Lock()


def endless(_: Engine, *, stopped: Stopped) -> str:
    while not stopped():
        threading.Event().wait(0.01)
    return "the best so far"


def killed(_: Engine, *, stopped: Stopped) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def _poisoned(real: Callable[..., None]) -> Callable[..., None]:
    def read(db: Any, account: Any, key: UUID, steps: Any, make: bool) -> None:
        if any(step.name == "poison.txt" for step, _ in steps):
            os.kill(os.getpid(), signal.SIGKILL)
        real(db, account, key, steps, make)

    return read


def main() -> None:
    url, job = sys.argv[1], UUID(sys.argv[2])
    in_bulk._read = _poisoned(in_bulk._read)
    apart = Apart()
    engine = open_engine(url)
    apart.open(engine.url)

    def do(work: Callable[..., Any], *given: Any, stopped: Stopped = lambda: False) -> Any:
        try:
            return apart.do(work, *given, stopped=stopped)
        except Exception as error:
            return error

    layout = Layout({"A1": UNKNOWN})
    helper, nice, one, same = do(where, layout)
    refused = do(refuse)
    died = do(killed)
    told = {
        "elsewhere": helper not in (os.getpid(), os.getppid()),
        "less urgent by": nice - os.nice(0),
        "asked": one,
        "same": same == layout,
        "refused": [type(refused).__name__, refused.field, str(refused)],
        "where": "in refuse" in refused.__notes__[0],
        "unsendable": type(do(unsendable)).__name__,
        "stopped": do(endless, stopped=lambda: True),
        "died": isinstance(died, WorkDied),
        "after that": do(where, layout)[2],
    }
    queue = Queue(engine, Outside(), apart)
    queue.put(job)
    queue.start()
    while not in_bulk.see_job(engine, job)[0].ended_at:
        threading.Event().wait(0.05)
    queue.stop()
    told["job"] = {step.name: step.outcome[:25] for step in in_bulk.see_job(engine, job)[1]}
    os.kill(helper, signal.SIGKILL)
    anew = do(where, layout)
    told["another helper"] = anew[0] not in (helper, os.getpid()) and anew[2]
    apart.close()
    print(json.dumps(told))
