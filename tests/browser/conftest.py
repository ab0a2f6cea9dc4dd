"""The real thing: a server process of its own on a database of its own, and Debian's Chromium."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TextIO

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from sqlalchemy import create_engine, text

from tests.browser.hands import CHROMIUM
from tests.devices.standins import start
from umbrak.cli.cluster import free_port
from umbrak.demo import seed

__all__ = ["start"]
ROOT = Path(__file__).resolve().parents[2]
#: For what is waited for to happen on a machine that is busy with other things; what happens sooner is not waited for. [ms]
PATIENCE = 40_000
expect.set_options(timeout=PATIENCE)


@dataclass
class Served:
    """A server that tests may kill and start again on the same port and database."""

    database_url: str
    #: Holds by how many days its clock is ahead.
    ahead: Path
    #: By which a server is asked for.
    mother: socket.socket
    port: int = field(default_factory=free_port)
    pid: int = 0
    line: TextIO | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        told = {"url": self.database_url, "dist": str(ROOT / "web/dist"), "port": self.port, "ahead": str(self.ahead)}
        hears, says = os.pipe()
        socket.send_fds(self.mother, [json.dumps(told).encode()], [says])
        os.close(says)
        self.line = os.fdopen(hears)
        self.pid = int(self.line.readline() or 0)
        # It says so itself, or ends: however busy the machine is, nothing else is waited for.
        if self.line.readline() != "ready\n":
            self.kill()
            raise AssertionError("the server ended before it was ready")

    def kill(self) -> None:
        if self.line:
            if self.pid:
                os.kill(self.pid, signal.SIGKILL)
            self.line.read()  # nobody holds its other end once it is gone
            self.line.close()
            self.line = None

    def close_database(self) -> None:
        """Let nobody in and throw everybody out, as a database that is down would."""
        self._administer("ALTER DATABASE {name} WITH ALLOW_CONNECTIONS false")
        self._administer("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{name}'")

    def open_database(self) -> None:
        self._administer("ALTER DATABASE {name} WITH ALLOW_CONNECTIONS true")

    def _administer(self, statement: str) -> None:
        server, name = self.database_url.rsplit("/", 1)
        admin = create_engine(f"{server}/postgres", isolation_level="AUTOCOMMIT")
        with admin.connect() as db:
            db.execute(text(statement.format(name=name)))
        admin.dispose()


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def mother() -> Iterator[socket.socket]:
    """The process that forks servers; it ends with this one."""
    ours, theirs = socket.socketpair()
    command = [sys.executable, "-m", "tests.browser.mother", str(theirs.fileno())]
    env = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
    process = subprocess.Popen(command, env=env, cwd=ROOT, pass_fds=[theirs.fileno()])
    theirs.close()
    yield ours
    ours.close()
    process.wait()


@pytest.fixture
def served(seeded: str, mother: socket.socket, tmp_path: Path) -> Iterator[Served]:
    (tmp_path / "ahead").write_text("0")
    server = Served(seeded, tmp_path / "ahead", mother)
    try:
        server.start()
        yield server
    finally:
        server.kill()


SignIn = Callable[..., Page]


@pytest.fixture
def sign_in(chromium: Browser, served: Served) -> Iterator[SignIn]:
    """`sign_in(name, ...)`: a page of its own browser context, signed in, on Machines. Script errors fail the test."""
    contexts: list[BrowserContext] = []
    errors: list[str] = []

    def open_page(
        name: str = seed.ACCOUNT, theme: str = "light", width: int = 1280, height: int = 800, touch: bool = False
    ) -> Page:
        context = chromium.new_context(
            has_touch=touch,
            base_url=served.url,
            viewport={"width": width, "height": height},
            color_scheme=theme,  # type: ignore[arg-type]
            reduced_motion="reduce",
        )
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        # The form for it is loaded and filled in where it is what is tested; here that would be a third of a short test.
        signed_in = context.request.post("/api/session", data={"name": name, "password": seed.PASSWORD})
        assert signed_in.ok, signed_in.text()
        page.goto("/machines")
        expect(page.get_by_role("heading", name="Machines")).to_be_visible()
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert not errors
