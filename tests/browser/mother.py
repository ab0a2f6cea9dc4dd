"""Servers for the tests of the browser: one process loads everything once, and forks a server for each that is asked for.

A server is a process of its own all the same, which tests kill; loading it anew for each test would take most of their time.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import sys
from datetime import UTC, datetime, timedelta
from importlib import import_module
from pathlib import Path

import uvicorn

from umbrak.devices.networks import Networks
from umbrak.server.app import make_app, settle
from umbrak.services.reach import Outside
from umbrak.store.engine import open_engine


def serve(told: int, url: str, dist: str, port: int, ahead: str) -> None:
    """Serve a database; `told` hears its number, and "ready". Its clock is ahead by the days that a file holds."""
    with os.fdopen(told, "w", buffering=1) as line:
        print(os.getpid(), file=line)

        def clock() -> datetime:
            return datetime.now(UTC) + timedelta(days=float(Path(ahead).read_text()))

        app = make_app(open_engine(url), Path(dist), Outside(Networks.parse("127.0.0.0/8")), clock)
        app.state.queue.start()

        class Server(uvicorn.Server):
            async def startup(self, sockets: list[socket.socket] | None = None) -> None:
                await super().startup(sockets)
                if self.started:
                    print("ready", file=line)

        Server(uvicorn.Config(app, port=port, log_level="warning")).run()


def main() -> None:
    asked = socket.socket(fileno=int(sys.argv[1]))
    settle()  # what the first answer takes is in every fork then
    for loaded_when_needed in ("scipy.optimize", "scipy.sparse", "scipy.special", "weasyprint"):
        import_module(loaded_when_needed)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for the servers
    while True:
        raw, lines, _, _ = socket.recv_fds(asked, 10_000, 1)
        if not raw:
            return
        if os.fork() == 0:
            asked.close()
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            serve(lines[0], **json.loads(raw))
            os._exit(0)
        os.close(lines[0])


if __name__ == "__main__":
    main()
