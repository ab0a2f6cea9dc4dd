"""Two server processes' worth of servers on one database: what one writes, the other's pages hear."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import httpx
import pytest
import uvicorn
from sqlalchemy import Engine

from umbrak.demo import seed
from umbrak.server.app import make_app


@contextmanager
def served(engine: Engine) -> Iterator[httpx.Client]:
    """A real server on loopback, and a browser signed in as the demo's technician."""
    app = make_app(engine)
    listener = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(app, log_level="error", timeout_graceful_shutdown=2))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
    thread.start()
    try:
        with httpx.Client(base_url=f"http://127.0.0.1:{listener.getsockname()[1]}", timeout=10) as browser:
            browser.post("/api/session", json={"name": seed.ACCOUNT, "password": seed.PASSWORD}).raise_for_status()
            yield browser
    finally:
        app.state.hub.close()
        server.should_exit = True
        thread.join()


def events(stream: httpx.Response) -> Iterator[tuple[int, dict[str, Any]]]:
    """(id, line) of each event; of the first one, which says where it begins, (id, {})."""
    event: dict[str, str] = {}
    for text in stream.iter_lines():
        if text:
            name, _, value = text.partition(":")
            event[name] = value.strip()
        else:
            yield int(event.get("id", 0)), json.loads(event.get("data", "{}"))
            event = {}


@pytest.fixture
def machine(engine: Engine) -> str:
    seed.seed(engine)
    with served(engine) as browser:
        (found,) = browser.get("/api/machines?q=hall-03").json()["machines"]
    return str(found["id"])


def test_another_servers_edit_is_heard_and_what_was_missed_is_told(engine: Engine, machine: str) -> None:
    with served(engine) as here, served(engine) as there:
        plan = there.get(f"/api/plans/{there.get(f'/api/machines/{machine}').json()['plans'][0]['id']}").json()

        def edit(slot: str) -> dict[str, Any]:
            body = {"version": plan["version"], "changes": {slot: None}}
            plan.update(there.post(f"/api/plans/{plan['id']}/edits", json=body).json())
            return {"slots": [slot], "version": plan["version"]}

        with here.stream("GET", "/api/events", params={"machine": machine}) as stream:
            told = events(stream)
            began, nothing = next(told)
            first = edit("CPU2.F2")
            key, line = next(told)
            assert nothing == {} and 0 < began < key
            assert (line["action"], line["by"], line["detail"], line["plan_id"]) == (
                "plan edit",
                "I. Mar",
                first,
                plan["id"],
            )
        second = edit("CPU2.E2")
        with here.stream(
            "GET", "/api/events", params={"machine": machine}, headers={"Last-Event-ID": str(key)}
        ) as again:
            lines = (line for number, line in events(again) if number > key)
            assert next(lines)["detail"] == second


def test_nobody_hears_nothing(engine: Engine, machine: str) -> None:
    with served(engine) as browser:
        browser.cookies.clear()
        assert browser.get("/api/events", params={"machine": machine}).status_code == 401
