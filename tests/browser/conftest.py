"""The real thing: a server process of its own on a database of its own, and Debian's Chromium."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from sqlalchemy import create_engine, text

from tests.devices.standins import start
from umbrak.cli.cluster import free_port
from umbrak.demo import seed

__all__ = ["start"]
ROOT = Path(__file__).resolve().parents[2]
#: For what is waited for to happen on a machine that is busy with other things; what happens sooner is not waited for. [ms]
PATIENCE = 40_000
expect.set_options(timeout=PATIENCE)
_SERVE = """
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path
import uvicorn
from umbrak.devices.networks import Networks
from umbrak.server.app import make_app
from umbrak.services.reach import Outside
from umbrak.store.engine import open_engine
ahead = Path(sys.argv[4])
def clock():
    return datetime.now(UTC) + timedelta(days=float(ahead.read_text()))
app = make_app(open_engine(sys.argv[1]), Path(sys.argv[2]), Outside(Networks.parse("127.0.0.0/8")), clock)
app.state.queue.start()
class Server(uvicorn.Server):
    async def startup(self, sockets=None):
        await super().startup(sockets)
        if self.started:
            print("ready", flush=True)
Server(uvicorn.Config(app, port=int(sys.argv[3]), log_level="warning")).run()
"""


@dataclass
class Served:
    """A server that tests may kill and start again on the same port and database."""

    database_url: str
    #: Holds by how many days its clock is ahead.
    ahead: Path
    port: int = field(default_factory=free_port)
    process: subprocess.Popen[str] | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        command = [
            sys.executable,
            "-c",
            _SERVE,
            self.database_url,
            str(ROOT / "web/dist"),
            str(self.port),
            str(self.ahead),
        ]
        self.process = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout
        # It says so itself, or ends: however busy the machine is, nothing else is waited for.
        if self.process.stdout.readline() != "ready\n":
            self.kill()
            raise AssertionError("the server ended before it was ready")

    def kill(self) -> None:
        if self.process:
            self.process.send_signal(signal.SIGKILL)
            self.process.wait()
            if self.process.stdout:
                self.process.stdout.close()
            self.process = None

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
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium")
        yield browser
        browser.close()


@pytest.fixture
def served(seeded: str, tmp_path: Path) -> Iterator[Served]:
    (tmp_path / "ahead").write_text("0")
    server = Served(seeded, tmp_path / "ahead")
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

    def open_page(name: str = seed.ACCOUNT, theme: str = "light", width: int = 1280, height: int = 800) -> Page:
        context = chromium.new_context(
            base_url=served.url,
            viewport={"width": width, "height": height},
            color_scheme=theme,  # type: ignore[arg-type]
            reduced_motion="reduce",
        )
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.goto(f"{served.url}/sign-in")
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(seed.PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Machines", exact=True).click()
        expect(page.get_by_role("heading", name="Machines")).to_be_visible()
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert not errors
