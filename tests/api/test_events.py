"""Two server processes' worth of servers on one database: what one writes, the other's pages hear."""

from __future__ import annotations

import json
import logging
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
from umbrak.store.engine import open_engine


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
def machine(engine: Engine, seeded: str) -> str:
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


def test_one_stream_tells_of_many_machines_and_of_no_other(engine: Engine, machine: str) -> None:
    with served(engine) as here:
        others = [m["id"] for m in here.get("/api/machines").json()["machines"] if m["id"] != machine]
        wanted = [machine, others[0]]
        with here.stream(
            "GET", "/api/events", params={"machine": wanted}, headers={"Last-Event-ID": "²".encode()}
        ) as stream:
            told = events(stream)
            next(told)
            for key in (others[1], others[0], machine):
                version = here.get(f"/api/machines/{key}").json()["version"]
                here.patch(f"/api/machines/{key}", json={"version": version, "keeper": "Somebody"}).raise_for_status()
            assert [next(told)[1]["machine_id"] for _ in range(2)] == [others[0], machine]
        assert here.get("/readyz").json() == {"status": "ready", "events": "listening"}


@pytest.mark.parametrize("way", ["disabled", "signed out", "password changed"])
def test_a_stream_ends_with_its_session(engine: Engine, machine: str, way: str) -> None:
    with served(engine) as here:
        with here.stream("GET", "/api/events", params={"machine": machine}) as stream:
            told = events(stream)
            next(told)
            me = here.get("/api/session").json()
            if way == "signed out":
                here.delete("/api/session")
            else:
                lead = httpx.Client(base_url=here.base_url)
                lead.post("/api/session", json={"name": "lead", "password": seed.PASSWORD}).raise_for_status()
                change = {"active": False} if way == "disabled" else {"password": "another password"}
                lead.patch(f"/api/people/{me['id']}", json=change).raise_for_status()
                lead.close()
            assert list(told) == []  # it ends, by itself
        assert here.get("/api/session").status_code == 401


class Waited(logging.Handler):
    """Tells when the events have found no connection."""

    def __init__(self) -> None:
        super().__init__()
        self.once = threading.Event()

    def emit(self, record: logging.LogRecord) -> None:
        if "events wait" in record.getMessage():
            self.once.set()


def test_the_events_outlive_a_time_when_no_connection_is_to_be_had(
    engine: Engine, database_url: str, machine: str
) -> None:
    small, waited = open_engine(database_url, patience=0.2), Waited()
    logging.getLogger("umbrak.server").addHandler(waited)
    try:
        with served(small) as here, served(engine) as there:
            with here.stream("GET", "/api/events", params={"machine": machine}) as stream:
                told = events(stream)
                next(told)
                held = [small.connect() for _ in range(12)]
                version = there.get(f"/api/machines/{machine}").json()["version"]
                there.patch(f"/api/machines/{machine}", json={"version": version, "keeper": "X"}).raise_for_status()
                assert waited.once.wait(60)
                for connection in held:
                    connection.close()
                assert next(told)[1]["machine_id"] == machine
            assert here.get("/readyz").json()["events"] == "listening"
    finally:
        logging.getLogger("umbrak.server").removeHandler(waited)
        small.dispose()


def test_nobody_hears_nothing(engine: Engine, machine: str) -> None:
    with served(engine) as browser:
        browser.cookies.clear()
        assert browser.get("/api/events", params={"machine": machine}).status_code == 401
