"""What is seen of the server from outside: its cookies and headers over TLS, its log, its figures, whether it is ready."""

from __future__ import annotations

import io
import json
import logging
from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD
from umbrak.cli.logs import start_logs
from umbrak.devices.networks import Networks
from umbrak.server.app import make_app
from umbrak.services.people.accounts import add_account
from umbrak.store.engine import open_engine

CANARY = "canary-5e7a1c52"


@pytest.fixture
def lead(engine: Engine, seeded: str) -> dict[str, str]:
    add_account(engine, "watcher", shown_as="The watcher", password=PASSWORD, role="lead")
    return {"name": "watcher", "password": PASSWORD}


@pytest.fixture
def log(monkeypatch: pytest.MonkeyPatch) -> Iterator[io.StringIO]:
    """The log as `umbrak serve` writes it; as it was before afterwards."""
    monkeypatch.setenv("UMBRAK_LOG", "json")
    root, ours = logging.getLogger(), logging.getLogger("umbrak")
    before = root.handlers, root.level, ours.level
    start_logs(written := io.StringIO())
    yield written
    root.handlers, root.level = before[0], before[1]
    ours.setLevel(before[2])


def test_over_tls_the_session_is_the_hosts_own(engine: Engine, lead: dict[str, str]) -> None:
    app = make_app(engine)
    with TestClient(app, base_url="https://umbrak.test") as secure:
        signed_in = secure.post("/api/session", json=lead)
        cookies = signed_in.headers.get_list("set-cookie")
        assert len(cookies) == 2 and all(c.startswith("__Host-umbrak_") for c in cookies)
        assert all(x in c for c in cookies for x in ("; HttpOnly", "; Path=/", "; SameSite=strict", "; Secure"))
        who = secure.get("/api/session")
        assert who.status_code == 200
        assert who.headers["strict-transport-security"].startswith("max-age=")
        assert who.headers["content-security-policy"] == "default-src 'none'; frame-ancestors 'none'"
        # A plain connection, or another host of the domain, cannot plant a session.
        token = secure.cookies["__Host-umbrak_session"]
        secure.cookies.clear()
        secure.cookies.set("umbrak_session", token)
        assert secure.get("/api/session").status_code == 401
        secure.cookies.set("__Host-umbrak_session", token)
        assert secure.delete("/api/session").status_code == 204 and secure.get("/api/session").status_code == 401
    with TestClient(app) as plain:
        assert "strict-transport-security" not in plain.post("/api/session", json=lead).headers
        assert "umbrak_session" in plain.cookies


def test_it_is_asked_under_its_own_names_alone(engine: Engine, seeded: str) -> None:
    app = make_app(engine, hosts=["Umbrak.example", "[::1]"])
    for host, status in (
        ("umbrak.example", 401),
        ("umbrak.example:8443", 401),
        ("[::1]:80", 401),
        ("evil.example", 421),
        ("", 421),
    ):
        with TestClient(app) as browser:
            answer = browser.get("/api/session", headers={"Host": host})
            assert answer.status_code == status, host
            assert answer.headers["content-type"] == "application/problem+json"
            assert browser.get("/healthz", headers={"Host": host}).status_code == 200


def test_figures_tell_routes_and_no_paths(engine: Engine, lead: dict[str, str]) -> None:
    app = make_app(engine, measured_from=Networks.parse("192.0.2.0/24"))
    here, there, elsewhere = (TestClient(app, client=(a, 5000)) for a in ("127.0.0.1", "192.0.2.9", "198.51.100.1"))
    here.post("/api/session", json=lead)
    here.get("/api/machines/00000000-0000-0000-0000-000000000000")
    here.get(f"/api/find?words={CANARY}")
    here.get(f"/{CANARY}")
    told = here.get("/metrics")
    assert told.status_code == there.get("/metrics").status_code == 200
    assert 'umbrak_requests_total{method="GET",route="/api/machines/{machine_id}",status="404"} 1.0' in told.text
    for name in (
        "umbrak_request_seconds_bucket",
        "umbrak_database_up 1.0",
        'umbrak_database_connections{state="idle"}',
        "process_resident_memory_bytes",
    ):
        assert name in told.text
    assert CANARY not in told.text
    refused = elsewhere.get("/metrics")
    assert refused.status_code == 403 and "UMBRAK_METRICS" in refused.json()["detail"]


def test_readiness_tells_what_keeps_it_from_serving(engine: Engine, database_url: str) -> None:
    with TestClient(make_app(engine), raise_server_exceptions=False) as browser:
        assert browser.get("/readyz").json()["status"] == "ready"
        with engine.begin() as db:  # no room: as PostgreSQL says it
            db.execute(text("DELETE FROM heartbeat"))
            db.execute(
                text(
                    "CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'no space' USING ERRCODE = '53100'; END $$"
                )
            )
            db.execute(text("CREATE TRIGGER full_disk BEFORE INSERT ON heartbeat EXECUTE FUNCTION full_disk()"))
        full = browser.get("/readyz")
        assert (full.status_code, full.json()["type"]) == (507, "urn:umbrak:problem:disk-full")
        with engine.begin() as db:  # a statement that took longer than it may
            assert db.execute(text("SHOW statement_timeout")).scalar_one() == "1min"
            db.execute(
                text(
                    "CREATE OR REPLACE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'late' USING ERRCODE = '57014'; END $$"
                )
            )
        late = browser.get("/readyz")
        assert (late.status_code, late.json()["type"], late.headers["retry-after"]) == (
            503,
            "urn:umbrak:problem:busy",
            "1",
        )
    narrow = open_engine(database_url, patience=0.2)
    held = [narrow.connect() for _ in range(12)]
    with TestClient(make_app(narrow), raise_server_exceptions=False) as browser:
        busy = browser.get("/readyz")
        assert (busy.status_code, busy.json()["type"]) == (503, "urn:umbrak:problem:busy")
    for connection in held:
        connection.close()
    narrow.dispose()
    away = open_engine("postgresql+psycopg://u@127.0.0.1:1/x")
    with TestClient(make_app(away), raise_server_exceptions=False) as browser:
        down = browser.get("/readyz")
        assert (down.status_code, down.json()["type"]) == (503, "urn:umbrak:problem:database-down")
        assert "umbrak_database_up 0.0" in TestClient(browser.app, client=("127.0.0.1", 1)).get("/metrics").text


def test_a_request_is_a_line_of_the_log_and_no_secret_is_in_any(
    engine: Engine, lead: dict[str, str], log: io.StringIO
) -> None:
    """A canary through every path that takes a secret: signing in, passwords, machines' services, the calendar's address."""
    with engine.connect() as db:
        machine = db.execute(text("SELECT id FROM machine WHERE name = 'hall-03'")).scalar_one()
    access = {"address": "https://127.0.0.1:9", "user": "u", "password": CANARY, "community": CANARY}
    with TestClient(make_app(engine), raise_server_exceptions=False) as browser:
        key = browser.get("/api/session").headers["x-request-id"]
        browser.post("/api/session", json={"name": "watcher", "password": CANARY})
        browser.post("/api/session", json={"name": CANARY, "password": CANARY, "odd": CANARY})
        browser.post("/api/session", json=lead)
        browser.put("/api/session/password", json={"old": CANARY, "new": f"{CANARY} and more"})
        browser.put(f"/api/machines/{machine}/services/redfish", json=access)
        browser.put(f"/api/machines/{machine}/services/snmp", json={**access, "address": "127.0.0.1:9"})
        browser.post(f"/api/machines/{machine}/services/redfish/asking")
        browser.post("/api/intakes/asked/snmp", json={**access, "privacy_password": CANARY})
        browser.post("/api/people", json={"name": "new", "shown_as": "N", "password": CANARY, "role": "viewer"})
        browser.get(f"/api/calendar/{CANARY}.ics")
        browser.get(
            "/api/machines", headers={"Authorization": f"Bearer {CANARY}", "Cookie": f"umbrak_session={CANARY}"}
        )
    lines = [json.loads(line) for line in log.getvalue().splitlines()]
    asked = [line for line in lines if line["event"] == "request"]
    assert len(asked) >= 12 and CANARY not in json.dumps(lines)
    first = next(line for line in asked if line["request"] == key)
    assert (first["route"], first["status"], first["who"]) == ("/api/session", 401, None) and first["ms"] > 0
    kept = next(line for line in asked if line["method"] == "PUT" and "services" in line["route"])
    assert (kept["route"], kept["who"]) == ("/api/machines/{machine_id}/services/{kind}", "watcher")
    with engine.connect() as db:
        tables = db.execute(text("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")).scalars().all()
        found = [
            t
            for t in tables
            if db.execute(
                text(f'SELECT EXISTS (SELECT 1 FROM "{t}" t WHERE t::text LIKE :c)'), {"c": f"%{CANARY}%"}
            ).scalar()
        ]
    assert found in ([], ["sign_in_try"]), "a name that was tried is kept for its counting, and nothing else"
