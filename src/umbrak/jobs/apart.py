"""Long calculations in processes of their own, so that they keep nobody waiting who asks for little.

Threads of one Python share its time: a search of twenty seconds makes each small answer beside it slow. `Here` works
where it is called, for tests and tools; `Apart` has a helper process fork a child for each call, with everything loaded
already and at a lower priority. A child ends when its caller does: it hears so on the line between them.

WorkDied        the process that worked on it was ended from outside
"""

from __future__ import annotations

import gc
import logging
import os
import pickle
import signal
import socket
import subprocess
import sys
import threading
import traceback
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any, Protocol, TypeVar

from sqlalchemy import Engine
from sqlalchemy.engine import URL

from umbrak.store.engine import open_engine

T = TypeVar("T")
_log = logging.getLogger("umbrak.apart")

#: Between two looks whether it is still wanted. [s]
_LOOK = 0.1
#: Less urgent than whoever answers people.
_NICE = 10
_STOP = b"stop"


class WorkDied(Exception):
    """The process that worked on it was ended from outside, such as by the system when memory ran out."""


class Worker(Protocol):
    def do(self, work: Callable[..., T], *given: Any, stopped: Callable[[], bool]) -> T:
        """What `work(engine, *given, stopped=...)` returns or raises. It is asked to end early once `stopped` says so.

        Parameters
            work     a function of a module, and `given` values that can be pickled
        """


class Here:
    """Works in the thread that asks."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def do(self, work: Callable[..., T], *given: Any, stopped: Callable[[], bool]) -> T:
        return work(self._engine, *given, stopped=stopped)


class Apart:
    """Works in children of a helper process. Make it before there are threads; `close` it in the end."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair()
        if os.fork() == 0:
            ours.close()
            try:
                _help(theirs)
            finally:
                os._exit(0)
        theirs.close()
        self._line, self._lock = ours, threading.Lock()
        self._url: URL | None = None

    def open(self, url: URL) -> None:
        """Say which database it is about."""
        self._url = url

    def close(self) -> None:
        self._line.close()

    def do(self, work: Callable[..., T], *given: Any, stopped: Callable[[], bool]) -> T:
        """Raises WorkDied beside what the work raises."""
        with self._child() as line:
            line.send((work, self._url, given))
            told = False
            while not line.poll(_LOOK):
                if not told and stopped():
                    line.send_bytes(_STOP)
                    told = True
            try:
                good, answer = line.recv()
            except (EOFError, ConnectionError) as error:
                words = (
                    "The process that worked on this was ended, perhaps since memory ran out. Ask for less, or again."
                )
                raise WorkDied(words) from error
        if good:
            return answer  # type: ignore[no-any-return]
        raise _error(*answer)

    def _child(self) -> Connection:
        """The line to a new child."""
        with self._lock:
            try:
                return _begun(self._line)
            except (OSError, EOFError):
                _log.error("the helper for long calculations was ended; another one is started")
                self._line.close()
                self._line = _another()
                return _begun(self._line)


def _begun(helper: socket.socket) -> Connection:
    """The line to a child of the helper that has said that it is there."""
    ours, theirs = socket.socketpair()
    line = Connection(ours.detach())
    try:
        with theirs:
            socket.send_fds(helper, [b"."], [theirs.fileno()])
        line.recv_bytes()
    except BaseException:
        line.close()
        raise
    return line


def _another() -> socket.socket:
    """A helper that loads everything anew: this process has threads by now, and is not forked any more."""
    ours, theirs = socket.socketpair()
    with theirs:
        subprocess.Popen(
            [sys.executable, "-c", f"from umbrak.jobs.apart import help_at; help_at({theirs.fileno()})"],
            pass_fds=[theirs.fileno()],
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )
    return ours


def help_at(number: int) -> None:
    """Help at the socket of that file number, with what the calculations need loaded already."""
    import umbrak.services.machines.in_bulk
    import umbrak.services.routes.sizing  # noqa: F401

    _help(socket.socket(fileno=number))


def _help(asked: socket.socket) -> None:
    """Fork a child for each line that comes in, until whoever sends them is gone."""
    for ends in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(ends, signal.SIG_IGN)  # it ends with the server, which may still need an answer to end well
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for the children
    # What programs are solved with: loaded here, once for all children, and not by the server, which solves none.
    import scipy.optimize
    import scipy.sparse  # noqa: F401

    gc.freeze()  # what is loaded stays shared between the children
    while True:
        byte, lines, _, _ = socket.recv_fds(asked, 1, 1)
        if not byte:
            return
        if os.fork() == 0:
            asked.close()
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            os.nice(_NICE)
            with Connection(lines[0]) as line:
                _work(line)
            os._exit(0)
        os.close(lines[0])


def _work(line: Connection) -> None:
    line.send_bytes(b"here")
    work, url, given = line.recv()
    engine = open_engine(url)
    try:
        # Anything that is heard means to stop, the end of the line too.
        told = (True, work(engine, *given, stopped=line.poll))
    except Exception as error:  # it is raised where it was asked for
        told = (False, (type(error), error.args, error.__dict__, traceback.format_exc()))
    finally:
        engine.dispose()
    try:
        told_bytes = pickle.dumps(told)
    except Exception:
        told_bytes = pickle.dumps((False, (RuntimeError, (f"{told[1]!r:.500}",), {}, traceback.format_exc())))
    with suppress(OSError):  # nobody waits for it any more
        line.send_bytes(told_bytes)


def _error(kind: type[Exception], args: tuple[Any, ...], members: dict[str, Any], where: str) -> Exception:
    """An error as it was raised in the child: its class may take other arguments than it keeps."""
    error = kind.__new__(kind, *args)
    error.args = args
    error.__dict__.update(members)
    error.add_note(where)
    return error
