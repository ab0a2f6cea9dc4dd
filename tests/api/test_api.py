"""The API from outside: who may do what, the whole path, stale writes, wrong input, a database that is away."""

from __future__ import annotations

import json
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD, Client
from tests.formats.smbios_facts import Device, listing, table
from tests.formats.spd_facts import Chip, ddr4
from umbrak.server.app import make_app
from umbrak.store.engine import open_engine

NOBODY_ID = "01900000-0000-7000-8000-000000000000"
MODULE = "16GB 1Rx8 PC5-4800B-RC0"


def machine_named(browser: TestClient, name: str) -> dict[str, Any]:
    (line,) = [m for m in browser.get("/api/machines").json()["machines"] if m["name"] == name]
    return line


def plan_of(browser: TestClient, name: str = "hall-03") -> dict[str, Any]:
    key = browser.get(f"/api/machines/{machine_named(browser, name)['id']}").json()["plans"][0]["id"]
    return browser.get(f"/api/plans/{key}").json()


def edit(browser: TestClient, plan: dict[str, Any], version: int | None = None, **changes: Any) -> Any:
    body = {"version": version or plan["version"], "changes": {f"CPU2.{slot}": m for slot, m in changes.items()}}
    return browser.post(f"/api/plans/{plan['id']}/edits", json=body)


# -- who may do what ----------------------------------------------------------------------------------

#: method, path, body, statuses for nobody, viewer, technician, lead. Ids are of nothing: who may, is told 404 or 422.
TICK = {"at": "2031-03-01T08:00:00Z", "entry": {"kind": "done", "step": "x"}}
ROUTES: list[tuple[str, str, Any, tuple[int, int, int, int]]] = [
    ("GET", "/api/session", None, (401, 200, 200, 200)),
    ("GET", "/api/machines", None, (401, 200, 200, 200)),
    ("GET", "/api/found?q=hall", None, (401, 200, 200, 200)),
    ("GET", "/api/machines/file", None, (401, 200, 200, 200)),
    ("GET", "/api/parts", None, (401, 200, 200, 200)),
    ("POST", "/api/lists/file", None, (401, 422, 422, 422)),
    ("GET", "/api/lists/waiting", None, (401, 200, 200, 200)),
    ("POST", "/api/lists/waiting", {"model": "Nobody 1"}, (401, 403, 404, 404)),
    ("GET", "/api/parts/one?number=ZZ-000-17", None, (401, 404, 404, 404)),
    ("POST", "/api/parts/beside", {"module": {"part": "ZZ-000-17"}}, (401, 200, 200, 200)),
    ("POST", "/api/parts/words", {"number": "ZZ-000-17", "source": "a list"}, (401, 403, 422, 422)),
    ("DELETE", f"/api/parts/words/{NOBODY_ID}", None, (401, 403, 404, 404)),
    (
        "POST",
        "/api/machines",
        {"name": "x", "sheet_hash": "x", "intake_id": NOBODY_ID, "slots": {}},
        (401, 403, 404, 404),
    ),
    ("PUT", "/api/session/password", {"old": "x", "new": "y"}, (401, 422, 422, 422)),
    ("GET", "/api/people", None, (401, 403, 403, 200)),
    ("POST", "/api/people", {"name": "x", "password": "x", "role": "lead"}, (401, 403, 403, 422)),
    ("PATCH", f"/api/people/{NOBODY_ID}", {"role": "lead"}, (401, 403, 403, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("PATCH", f"/api/machines/{NOBODY_ID}", {"version": 1}, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/retirement", {"version": 1, "retired": True}, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/surveys", {"revision": 1}, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/difference", {"intake_id": NOBODY_ID}, (401, 404, 404, 404)),
    (
        "POST",
        f"/api/machines/{NOBODY_ID}/acceptance",
        {"intake_id": NOBODY_ID, "revision": 1, "slots": []},
        (401, 403, 404, 404),
    ),
    (
        "POST",
        f"/api/machines/{NOBODY_ID}/settlement",
        {"revision": 1, "slot": "A", "report": True},
        (401, 403, 404, 404),
    ),
    ("GET", f"/api/machines/{NOBODY_ID}/as/x", None, (401, 404, 404, 404)),
    ("PUT", f"/api/machines/{NOBODY_ID}/model", {"version": 1, "sheet_hash": "x", "slots": {}}, (401, 403, 404, 404)),
    ("GET", "/api/sheets/library", None, (401, 200, 200, 200)),
    ("GET", "/api/sheets/asks", None, (401, 200, 200, 200)),
    ("GET", "/api/sheets/fields", None, (401, 200, 200, 200)),
    ("GET", "/api/sheets/file", None, (401, 200, 200, 200)),
    ("POST", "/api/sheets/file", None, (401, 422, 422, 422)),
    ("GET", f"/api/sheets/x/against/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("POST", "/api/sheets/x/against", {"text": "x"}, (401, 404, 404, 404)),
    ("PUT", f"/api/sheets/{NOBODY_ID}/retired", {"retired": True}, (401, 403, 404, 404)),
    ("POST", "/api/sheets/seen", {"text": "x"}, (401, 200, 200, 200)),
    ("POST", "/api/sheets/tried", {"text": "x"}, (401, 422, 422, 422)),
    ("POST", "/api/drafts", {"hash": "x"}, (401, 403, 404, 404)),
    ("GET", f"/api/drafts/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", f"/api/drafts/{NOBODY_ID}/news", None, (401, 404, 404, 404)),
    (
        "POST",
        f"/api/drafts/{NOBODY_ID}/answers",
        {"version": 1, "question": "title", "state": "left"},
        (401, 403, 404, 404),
    ),
    ("PUT", f"/api/drafts/{NOBODY_ID}/text", {"version": 1, "text": "x"}, (401, 403, 404, 404)),
    ("POST", f"/api/drafts/{NOBODY_ID}/kept", {"version": 1}, (401, 403, 404, 404)),
    ("DELETE", f"/api/drafts/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("POST", f"/api/sheets/{NOBODY_ID}/taken", None, (401, 403, 404, 404)),
    ("GET", "/api/sheets/x/page", None, (401, 404, 404, 404)),
    ("GET", "/api/boards/presets", None, (401, 200, 200, 200)),
    ("POST", "/api/boards", {"answers": {}}, (401, 200, 200, 200)),
    ("GET", "/api/boards/like/x", None, (401, 404, 404, 404)),
    ("GET", f"/api/boards/from/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", "/api/waiting", None, (401, 200, 200, 200)),
    ("POST", "/api/waiting", {"name": "x", "intake_id": NOBODY_ID}, (401, 403, 404, 404)),
    ("GET", f"/api/waiting/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("POST", "/api/waiting/settled", {"machines": [NOBODY_ID], "sheet_hash": "x"}, (401, 403, 404, 404)),
    ("DELETE", f"/api/waiting/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("PUT", f"/api/machines/{NOBODY_ID}/bays", {"revision": 1, "bays": {}}, (401, 403, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/peers", None, (401, 404, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/history", None, (401, 404, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/plans", None, (401, 404, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/arrangements", {"kind": "spread"}, (401, 404, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/discard", {"version": 1, "discarded": True}, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/plans", {}, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/targets", {"module": {}}, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("PATCH", f"/api/plans/{NOBODY_ID}", {"version": 1, "name": "x"}, (401, 403, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/edits", {"version": 1, "changes": {}}, (401, 403, 404, 404)),
    (
        "POST",
        f"/api/plans/{NOBODY_ID}/answers",
        {"version": 1, "facts": {"machine.firmware": "1"}},
        (401, 403, 404, 404),
    ),
    ("PUT", f"/api/plans/{NOBODY_ID}/stages", {"version": 1, "stages": [{"A1": None}]}, (401, 403, 404, 404)),
    ("PUT", f"/api/plans/{NOBODY_ID}/runs-with", {"version": 1, "firmware": "1"}, (401, 403, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/steps", {"version": 1, "step": "undo"}, (401, 403, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/targets", {"module": {}}, (401, 404, 404, 404)),
    ("POST", "/api/intakes", None, (401, 422, 422, 422)),
    ("GET", f"/api/intakes/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", f"/api/intakes/{NOBODY_ID}/match?sheet=x", None, (401, 404, 404, 404)),
    ("GET", f"/api/intakes/{NOBODY_ID}/sheets", None, (401, 404, 404, 404)),
    ("GET", f"/api/intakes/{NOBODY_ID}/machine", None, (401, 404, 404, 404)),
    ("GET", f"/api/intakes/{NOBODY_ID}/draft", None, (401, 404, 404, 404)),
    ("GET", "/api/intakes/guide", None, (401, 200, 200, 200)),
    ("GET", "/api/people/events", None, (401, 403, 403, 200)),
    ("GET", "/api/sessions", None, (401, 200, 200, 200)),
    ("DELETE", "/api/sessions", None, (401, 204, 204, 204)),
    ("DELETE", f"/api/sessions/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", "/api/tokens", None, (401, 200, 200, 200)),
    ("POST", "/api/tokens", {"name": "a script", "role": "technician"}, (401, 403, 201, 201)),
    ("DELETE", f"/api/tokens/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", "/api/people/retention", None, (401, 403, 403, 200)),
    ("PUT", "/api/people/retention", {"jobs": 30}, (401, 403, 403, 200)),
    ("GET", "/api/people/webhooks", None, (401, 403, 403, 200)),
    ("POST", "/api/people/webhooks", {"address": "https://192.0.2.1/x"}, (401, 403, 403, 422)),
    ("PATCH", f"/api/people/webhooks/{NOBODY_ID}", {"active": True}, (401, 403, 403, 404)),
    ("POST", f"/api/people/webhooks/{NOBODY_ID}/test", None, (401, 403, 403, 404)),
    ("DELETE", f"/api/people/webhooks/{NOBODY_ID}", None, (401, 403, 403, 404)),
    ("GET", "/api/session/ways", None, (200, 200, 200, 200)),
    ("GET", "/api/session/directory", None, (404, 404, 404, 404)),
    ("GET", "/api/session/directory/answer", None, (404, 404, 404, 404)),
    ("GET", "/api/second-factor", None, (401, 200, 200, 200)),
    ("POST", "/api/second-factor", None, (401, 201, 201, 201)),
    ("PUT", "/api/second-factor", {"code": "1"}, (401, 422, 422, 422)),
    ("POST", "/api/second-factor/removal", {"code": "1"}, (401, 404, 404, 404)),
    ("DELETE", f"/api/people/{NOBODY_ID}/second-factor", None, (401, 403, 403, 404)),
    ("GET", "/api/intakes/kinds", None, (401, 200, 200, 200)),
    ("POST", f"/api/intakes/{NOBODY_ID}/readings", {"kind": "labels"}, (401, 403, 404, 404)),
    ("POST", "/api/intakes/fleet", None, (401, 422, 422, 422)),
    ("POST", "/api/jobs/tables", None, (401, 422, 422, 422)),
    ("POST", "/api/intakes/asked/redfish", {"address": "192.0.2.1"}, (401, 403, 502, 502)),
    ("PUT", f"/api/machines/{NOBODY_ID}/services/redfish", {"address": "192.0.2.1"}, (401, 403, 404, 404)),
    ("DELETE", f"/api/machines/{NOBODY_ID}/services/redfish", None, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/services/redfish/asking", None, (401, 403, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/ceiling", None, (401, 404, 404, 404)),
    (
        "POST",
        f"/api/machines/{NOBODY_ID}/statements",
        {"statement": {"scope": "machine", "capacity_gib": 8, "source": {"title": "x", "kind": "hearsay"}}},
        (401, 403, 404, 404),
    ),
    ("DELETE", f"/api/machines/{NOBODY_ID}/statements/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("GET", "/api/trials/table", None, (401, 200, 200, 200)),
    ("GET", "/api/trials/calibration", None, (401, 200, 200, 200)),
    ("POST", "/api/exhibits/file", {}, (401, 422, 422, 422)),
    ("POST", "/api/exhibits/link", {"trial_id": str(NOBODY_ID), "link": "https://a.example/1"}, (401, 403, 404, 404)),
    ("GET", f"/api/exhibits/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("DELETE", f"/api/exhibits/{NOBODY_ID}", None, (401, 403, 404, 404)),
    (
        "PUT",
        "/api/trials/table",
        {"numbers": {"half_life_days": 1000}},
        (401, 403, 403, 200),
    ),
    ("GET", "/api/shelf", None, (401, 200, 200, 200)),
    ("POST", "/api/shelf/stock", {"module": {}}, (401, 403, 422, 422)),
    ("PATCH", f"/api/shelf/stock/{NOBODY_ID}", {"version": 1, "count": 2}, (401, 403, 404, 404)),
    ("POST", "/api/shelf/offers", {"part": "x", "module": {}, "price": 3}, (401, 403, 422, 422)),
    ("DELETE", f"/api/shelf/offers/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("GET", "/api/shelf/file?kind=offers", None, (401, 200, 200, 200)),
    ("POST", "/api/shelf/file?kind=stock", {}, (401, 422, 422, 422)),
    ("GET", "/api/shelf/money", None, (401, 200, 200, 200)),
    ("PUT", "/api/shelf/money", {"currency": "euro"}, (401, 422, 422, 422)),
    ("GET", f"/api/machines/{NOBODY_ID}/sizing", None, (401, 404, 404, 404)),
    ("PUT", f"/api/machines/{NOBODY_ID}/sizing", {"version": 0}, (401, 403, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/symptoms", None, (401, 404, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/symptoms", {"used_gib": 3}, (401, 403, 404, 404)),
    ("DELETE", f"/api/machines/{NOBODY_ID}/symptoms/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/totals", {}, (401, 404, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/routes", {}, (401, 404, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/brief", {"slots": {}}, (401, 404, 404, 404)),
    ("GET", "/api/machines/exports/slots?as=json", None, (401, 200, 200, 200)),
    ("GET", "/api/desk", None, (401, 200, 200, 200)),
    ("GET", "/api/rounds", None, (401, 200, 200, 200)),
    ("POST", "/api/rounds", {"asked": {"machines": [], "waves": []}}, (401, 403, 422, 422)),
    ("GET", f"/api/rounds/{NOBODY_ID}", None, (401, 404, 404, 404)),
    (
        "PUT",
        f"/api/rounds/{NOBODY_ID}",
        {"version": 1, "asked": {"machines": [NOBODY_ID], "waves": [{"day": "2026-12-03", "hours": 4.0}]}},
        (401, 403, 404, 404),
    ),
    ("POST", f"/api/rounds/{NOBODY_ID}/search", None, (401, 403, 404, 404)),
    ("POST", f"/api/rounds/{NOBODY_ID}/stop", None, (401, 403, 404, 404)),
    ("POST", f"/api/rounds/{NOBODY_ID}/acceptance", {"version": 1}, (401, 403, 404, 404)),
    ("DELETE", f"/api/rounds/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("GET", "/api/buying", None, (401, 200, 200, 200)),
    ("GET", "/api/buying/orders", None, (401, 200, 200, 200)),
    (
        "POST",
        "/api/buying/orders",
        {"supplier": "Nobody", "ordered_on": "2026-11-01", "cost": "1"},
        (401, 403, 422, 422),
    ),
    ("POST", f"/api/buying/orders/{NOBODY_ID}/arrivals", {"label": "8GB PC3L-12800E"}, (401, 403, 404, 404)),
    ("POST", f"/api/buying/orders/{NOBODY_ID}/arrivals/{NOBODY_ID}", {"keep": True}, (401, 403, 404, 404)),
    ("DELETE", f"/api/buying/orders/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("GET", "/api/buying/file", None, (401, 200, 200, 200)),
    ("GET", f"/api/machines/{NOBODY_ID}/known-parts", None, (401, 404, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/stagings", {"slots": {}}, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/brief", None, (401, 404, 404, 404)),
    ("GET", "/api/trials", None, (401, 200, 200, 200)),
    (
        "POST",
        "/api/trials",
        {"sheet_id": "x", "outcome": "fine", "who": "named", "tried_on": "2026-01-01"},
        (401, 403, 422, 422),
    ),
    ("DELETE", f"/api/trials/{NOBODY_ID}", None, (401, 403, 404, 404)),
    ("GET", "/api/trials/file", None, (401, 200, 200, 200)),
    ("POST", "/api/trials/file", None, (401, 422, 422, 422)),
    ("GET", "/api/jobs", None, (401, 200, 200, 200)),
    ("GET", f"/api/jobs/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("POST", f"/api/jobs/{NOBODY_ID}/stop", None, (401, 403, 404, 404)),
    ("POST", "/api/jobs/readings", None, (401, 422, 422, 422)),
    ("POST", "/api/jobs/pollings", {}, (401, 403, 422, 422)),
    ("POST", "/api/jobs/changes", {"change": {"do": "retire"}, "machines": [NOBODY_ID]}, (401, 403, 422, 422)),
    ("GET", f"/api/machines/{NOBODY_ID}/elsewhere", None, (401, 404, 404, 404)),
    ("GET", "/api/machines/twins", None, (401, 200, 200, 200)),
    (
        "POST",
        f"/api/machines/{NOBODY_ID}/merger",
        {"version": 1, "other": NOBODY_ID, "other_version": 1},
        (401, 403, 422, 422),
    ),
    ("DELETE", f"/api/machines/{NOBODY_ID}?version=1", None, (401, 403, 404, 404)),
    ("POST", "/api/sheets", {"text": "x"}, (401, 403, 422, 422)),
    ("GET", "/api/sheets", None, (401, 200, 200, 200)),
    ("GET", "/api/sheets/x", None, (401, 404, 404, 404)),
    ("POST", "/api/label", {"text": "8GB"}, (401, 200, 200, 200)),
    ("POST", "/api/spd", None, (401, 422, 422, 422)),
    ("GET", f"/api/plans/{NOBODY_ID}/risk", None, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/cures", None, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/worth", None, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/more", None, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/same-total", None, (401, 404, 404, 404)),
    ("GET", "/api/machines/verdicts/changed", None, (401, 200, 200, 200)),
    ("GET", f"/api/machines/{NOBODY_ID}/newer-sheet", None, (401, 404, 404, 404)),
    ("GET", f"/api/machines/{NOBODY_ID}/cures", None, (401, 404, 404, 404)),
    ("POST", f"/api/machines/{NOBODY_ID}/newer-sheet", {"version": 1}, (401, 403, 404, 404)),
    ("POST", f"/api/runs/{NOBODY_ID}/slots/{NOBODY_ID}/label", {"text": "16GB"}, (401, 404, 404, 404)),
    ("GET", f"/api/plans/{NOBODY_ID}/run-sheet", None, (401, 404, 404, 404)),
    ("POST", f"/api/plans/{NOBODY_ID}/approvals", {"version": 1}, (401, 403, 404, 404)),
    ("GET", "/api/people/team", None, (401, 200, 200, 200)),
    ("PUT", "/api/people/team", {"approvals": 1}, (401, 403, 403, 200)),
    ("POST", f"/api/plans/{NOBODY_ID}/runs", {}, (401, 403, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("PUT", f"/api/runs/{NOBODY_ID}/window", {"start": None, "end": None}, (401, 403, 404, 404)),
    ("PUT", f"/api/runs/{NOBODY_ID}/light", {"on": True}, (401, 403, 404, 404)),
    ("PUT", f"/api/runs/{NOBODY_ID}/entries/{NOBODY_ID}", TICK, (401, 403, 404, 404)),
    # Whoever is signed in stays so: the second person's name and password decide.
    (
        "PUT",
        f"/api/runs/{NOBODY_ID}/entries/{NOBODY_ID}/second",
        {"at": "2031-01-01T00:00:00Z", "step": "x", "name": "nobody", "password": "x"},
        (401, 403, 403, 403),
    ),
    ("PUT", f"/api/runs/{NOBODY_ID}/photos/{NOBODY_ID}", None, (401, 422, 422, 422)),
    ("PUT", f"/api/runs/{NOBODY_ID}/logs/{NOBODY_ID}", None, (401, 422, 422, 422)),
    ("GET", f"/api/runs/{NOBODY_ID}/attachments/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}/sheet.pdf", None, (401, 404, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}/labels.pdf", None, (401, 404, 404, 404)),
    ("GET", f"/api/shelf/labels?stock={NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", f"/api/shelf/modules/{NOBODY_ID}", None, (401, 404, 404, 404)),
    ("GET", "/api/buying/paper", None, (401, 200, 200, 200)),
    ("GET", "/api/desk/counts", None, (401, 200, 200, 200)),
    ("GET", "/api/desk/report", None, (401, 200, 200, 200)),
    ("GET", "/api/desk/feed", None, (401, 200, 200, 200)),
    ("POST", "/api/desk/feed", None, (401, 201, 201, 201)),
    ("DELETE", "/api/desk/feed", None, (401, 204, 204, 204)),
    ("GET", f"/api/desk/feeds/{NOBODY_ID}.ics", None, (404, 404, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}/proof.pdf", None, (401, 404, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}/window.ics", None, (401, 404, 404, 404)),
    ("GET", f"/api/runs/{NOBODY_ID}/proof", None, (401, 404, 404, 404)),
    ("POST", f"/api/runs/{NOBODY_ID}/sign-off", {"outcome": "fine"}, (401, 403, 404, 404)),
    ("POST", f"/api/runs/{NOBODY_ID}/back-out", {"reason": "x"}, (401, 403, 404, 404)),
    ("POST", f"/api/doubts/{NOBODY_ID}/settlement", None, (401, 403, 404, 404)),
    ("POST", f"/api/doubts/{NOBODY_ID}/acceptance", None, (401, 403, 404, 404)),
]


def test_every_route_answers_each_role_as_it_should(client: Client) -> None:
    browsers = [client(role) for role in (None, "viewer", "technician", "lead")]
    for method, path, body, wanted in ROUTES:
        got = tuple(b.request(method, path, json=body).status_code for b in browsers)
        assert got == wanted, f"{method} {path}"


def test_no_route_is_left_out_of_the_table() -> None:
    import re

    stands_for = {"{hash_}": "x", "{sheet_hash}": "x", "{kind}": "redfish", "{what}": "slots"}
    tabled = {(m, re.sub(r"\?.*", "", p)) for m, p, *_ in ROUTES}
    for path, operations in make_app(None).openapi()["paths"].items():
        for method in operations:
            shape = re.sub(r"\{\w+\}", lambda m: stands_for.get(m[0], NOBODY_ID), path)
            # Streams of events do not end; test_events asks for them in its own way.
            assert (method.upper(), shape) in tabled or path in ("/api/session", "/api/events")


def test_sessions_end_and_wrong_passwords_do_not_begin_one(client: Client) -> None:
    browser = client("viewer")
    assert browser.delete("/api/session").status_code == 204
    assert browser.get("/api/session").status_code == 401
    for name, password in (("technician", "wrong password"), ("nobody", PASSWORD)):
        answer = client(None).post("/api/session", json={"name": name, "password": password})
        assert (answer.status_code, answer.json()["detail"]) == (401, "Name and password do not match.")


@pytest.mark.parametrize(
    ("headers", "status"),
    [({"Sec-Fetch-Site": "cross-site"}, 403), ({"Sec-Fetch-Site": "same-site"}, 403), ({"Origin": "http://elsewhere"}, 403), ({"Origin": "http://testserver"}, 200), ({"Sec-Fetch-Site": "same-origin"}, 200)],
)  # fmt: skip
def test_writes_come_from_our_own_pages_only(client: Client, headers: dict[str, str], status: int) -> None:
    browser = client("technician")
    assert browser.post("/api/label", json={"text": "8GB"}, headers=headers).status_code == status
    assert browser.get("/api/session", headers=headers).status_code == 200


# -- the path -----------------------------------------------------------------------------------------


def test_machines_come_with_computed_totals_and_worst_finding(client: Client) -> None:
    browser = client("viewer")
    hall, radar = machine_named(browser, "hall-03")["summary"], machine_named(browser, "radar-02")["summary"]
    assert (hall["installed_gib"], hall["planned_gib"], hall["official_gib"], hall["worst_severity"]) == (
        480,
        576,
        1280,
        "slow",
    )
    assert hall["worst_message"] == "CPU2 F2 holds all back: rated 4400 among modules that would run at 4800 MT/s"
    assert (radar["installed_gib"], radar["official_gib"], radar["worst_severity"]) == (1, 5, "slow")
    assert radar["worst_message"] == "CPU: only channel A of 2 works; 50% of the peak"
    assert [m["name"] for m in browser.get("/api/machines?q=radar").json()["machines"]] == ["radar-02"]
    assert browser.get("/api/machines?q=100%25").json()["total"] == 0


@pytest.mark.parametrize("kind", ["listing", "tables"])
def test_a_machine_from_what_it_reports(client: Client, kind: str) -> None:
    browser = client("technician")
    devices = [Device("CPU1_DIMM_A1"), Device("CPU1_DIMM_A2", 0), Device("ODD-7", 32768)]
    if kind == "listing":
        answer = browser.post("/api/intakes", data={"text": listing(devices)})
    else:
        answer = browser.post("/api/intakes", files={"file": ("tables.bin", table(devices))})
    intake = answer.json()
    assert answer.status_code == 201 and [s["state"] for s in intake["reading"]["slots"]] == [
        "filled",
        "empty",
        "filled",
    ]
    (sheet,) = [s for s in browser.get("/api/sheets").json() if s["sheet_id"] == "two-sockets-six-by-two"]
    match = browser.get(f"/api/intakes/{intake['id']}/match", params={"sheet": sheet["hash"]}).json()
    assert match == {"slots": ["CPU1.A1", "CPU1.A2", None], "processors": {"CPU1": "any", "CPU2": None}}

    body = {
        "name": "hall-09",
        "sheet_hash": sheet["hash"],
        "intake_id": intake["id"],
        "slots": {"CPU1.A1": 0, "CPU1.A2": 1, "CPU1.B1": 2},
        "processors": match["processors"],
        "site": "Skerry Watch",
        "place": "rack C",
    }
    made = browser.post("/api/machines", json=body).json()
    assert made["slots"]["CPU1.A1"]["part"] == "BR4R-16-24" and made["slots"]["CPU1.B1"]["capacity_gib"] == 32
    assert made["slots"]["CPU1.C1"] == "unknown" and "CPU1.A2" not in made["slots"]
    assert (made["evaluation"]["installed_gib"], made["survey"]["known"], made["facts"]["firmware"]) == (48, 3, "1.8.2")
    for change, field in (
        ({}, "name"),
        ({"name": "b", "slots": {"Z1": 0}}, "slots.Z1"),
        ({"name": "c", "slots": {"CPU1.A1": 9}}, "slots.CPU1.A1"),
        ({"name": "d", "processors": {"CPU1": "moss"}}, "processors.CPU1"),
        ({"name": "e", "zone": "Nowhere/Land"}, "zone"),
        ({"name": "f", "slots": {"CPU1.A1": 0, "CPU1.B1": 0}}, "slots.CPU1.B1"),
    ):
        refused = browser.post("/api/machines", json={**body, **change})
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)


def test_what_cannot_be_read_is_refused_with_its_line(client: Client) -> None:
    answer = client("technician").post("/api/intakes", data={"text": "total 12\ndrwxr-xr-x root"})
    problem = answer.json()
    assert answer.headers["content-type"] == "application/problem+json"
    assert (problem["status"], problem["type"], problem["errors"][0]["line"]) == (
        422,
        "urn:umbrak:problem:not-a-listing",
        1,
    )


def test_what_was_taken_in_is_read_as_another_kind(client: Client) -> None:
    browser = client("technician")
    first = browser.post("/api/intakes", data={"text": "A1: 16GB DDR4 RDIMM\nA2: empty\n"}).json()
    assert (first["reading"]["kind"], len(first["reading"]["slots"])) == ("labels", 2)
    assert {"labels", "cim", "smbios-text"} <= set(browser.get("/api/intakes/kinds").json())
    path = f"/api/intakes/{first['id']}/readings"
    refused = browser.post(path, json={"kind": "cim"})
    assert refused.status_code == 422 and refused.json()["errors"]
    assert "is not read here" in browser.post(path, json={"kind": "tea-leaves"}).json()["errors"][0]["message"]
    again = browser.post(path, json={"kind": "labels"}).json()
    assert again["id"] != first["id"] and again["reading"]["slots"] == first["reading"]["slots"]
    assert browser.get(f"/api/intakes/{first['id']}").json() == first


def test_a_sheet_is_drafted_mended_kept_and_used(client: Client) -> None:
    browser = client("technician")
    devices = [Device("CPU1_DIMM_A1"), Device("CPU2_DIMM_A1"), Device("CPU1_DIMM_A1", 0)]
    intake = browser.post("/api/intakes", data={"text": listing(devices)}).json()["id"]
    text = browser.get(f"/api/intakes/{intake}/draft").json()
    wrong = browser.post("/api/sheets", json={"text": text.replace("form: DIMM", "form: DUMM")})
    assert (wrong.status_code, wrong.json()["errors"][0]["field"]) == (422, "memory.form")
    assert [s["title"] for s in browser.get(f"/api/intakes/{intake}/sheets").json()] == []
    kept = browser.post("/api/sheets", json={"text": text}).json()
    (suggested,) = browser.get(f"/api/intakes/{intake}/sheets").json()
    assert (suggested["hash"], suggested["reasons"]) == (
        kept["sheet"]["hash"],
        ["it says Lorne K12", "it holds Heliant Moss 14", "it has 3 slots"],
    )
    assert (kept["sheet"]["sheet_id"], kept["sheet"]["revision"]) == ("lorne-k12", 1)
    assert {f["code"] for f in kept["findings"]} == {"fact-open"}
    match = browser.get(f"/api/intakes/{intake}/match", params={"sheet": kept["sheet"]["hash"]}).json()
    assert match["slots"][1] == "CPU2_DIMM_A1" and match["processors"] == {"CPU1": "heliant-moss-14", "CPU2": None}
    shipped = browser.post("/api/sheets", json={"text": text.replace("id: lorne-k12", "id: three-channels")})
    assert (shipped.status_code, shipped.json()["errors"][0]["field"]) == (422, "text")


def test_a_modules_spd_is_read_and_given_to_its_slot(client: Client) -> None:
    browser = client("technician")
    spd = {"file": ("module.spd", ddr4(Chip()))}
    read = browser.post("/api/spd", files=spd).json()
    assert (read["short"], read["crc_ok"], read["module"]["part"]) == (
        "32 GB 2Rx4 DDR4-2400 registered",
        True,
        "OSM4R-16",
    )
    # Taken in like any report, it is one of a slot whose name it does not tell.
    intake = browser.post("/api/intakes", files=spd).json()
    assert [s["locator"] for s in intake["reading"]["slots"]] == [None]
    machine = machine_named(browser, "hall-01")["id"]
    found = browser.post(f"/api/machines/{machine}/difference", json={"intake_id": intake["id"]}).json()
    assert (found["slots"], [u["index"] for u in found["unplaced"]]) == ([], [0])
    told = {"intake_id": intake["id"], "reports": {"P0.A1": 0}}
    (slot,) = browser.post(f"/api/machines/{machine}/difference", json=told).json()["slots"]
    assert (slot["slot"], slot["change"]) == ("P0.A1", "differs")
    short = browser.post("/api/spd", files={"file": ("x", b"12")})
    assert (short.status_code, short.json()["errors"][0]["field"]) == (422, "byte 2")


def test_an_answer_is_a_fact_of_module_survey_or_machine(client: Client) -> None:
    browser = client("technician")
    machine = machine_named(browser, "radar-02")["id"]
    plan = browser.post(f"/api/machines/{machine}/plans", json={}).json()
    url = f"/api/plans/{plan['id']}"

    def answer(version: int, **facts: Any) -> Any:
        return browser.post(f"{url}/answers", json={"version": version, "facts": facts})

    # Of the fitted module: in the plan, and in a survey by hand that the plan then starts from.
    told = answer(1, **{"A.device_width": 8}).json()
    assert (told["goal"]["A"]["device_width"], told["now"]["A"]["device_width"], told["survey_changed"]) == (
        8,
        8,
        False,
    )
    seen = browser.get(f"/api/machines/{machine}").json()
    assert (seen["slots"]["A"]["device_width"], seen["survey"]["sources"]["A"]["kind"]) == (8, "by hand")
    # Of the machine.
    told = answer(told["version"], **{"machine.firmware": "7.4"}).json()
    assert browser.get(f"/api/machines/{machine}").json()["facts"]["firmware"] == "7.4"
    for facts, field in (({"B.ecc": True}, "facts.B.ecc"), ({"A.ecc": "often"}, "facts.A.ecc"), ({"machine.os_bits": 12}, "facts.machine.os_bits"), ({"machine.mode": "fast"}, "facts.mode")):  # fmt: skip
        refused = answer(told["version"], **facts)
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)
    assert answer(1, **{"A.ecc": False}).status_code == 409
    # Another size takes with it what followed from the one that cannot be.
    odd = browser.post(
        f"{url}/edits", json={"version": told["version"], "changes": {"B": "5GB 2Rx8 PC3L-10600S"}}
    ).json()
    assert odd["goal"]["B"]["die_gbit"] == 2.5 and "kind.contradiction" in {f["code"] for f in odd["evaluation"]["findings"]}  # fmt: skip
    put_right = answer(odd["version"], **{"B.capacity_gib": 4}).json()
    assert (put_right["goal"]["B"]["capacity_gib"], put_right["goal"]["B"]["die_gbit"]) == (4, 2)
    assert "kind.contradiction" not in {f["code"] for f in put_right["evaluation"]["findings"]}


def test_a_plan_is_judged_by_what_it_will_run_with_and_by_today(client: Client) -> None:
    browser = client("technician")
    machine = machine_named(browser, "radar-02")["id"]
    plan = browser.post(f"/api/machines/{machine}/plans", json={}).json()
    url = f"/api/plans/{plan['id']}"
    two = browser.post(f"{url}/edits", json={"version": 1, "changes": {"A": "4GB 2Rx8 PC3L-10600S P/N: OSM3L-4S13", "B": "4GB 2Rx8 PC3L-10600S P/N: OSM3L-4S13"}})  # fmt: skip
    version = two.json()["version"]
    # 8 GB are over the 5 of this firmware, and within the 9 of 7.4.
    assert "limit.firmware" in {f["code"] for f in two.json()["evaluation"]["findings"]}
    assert (two.json()["runs_with"], two.json()["verdict_today"]) == ({}, None)

    def runs_with(version: int, **facts: Any) -> Any:
        return browser.put(f"{url}/runs-with", json={"version": version, **facts})

    then = runs_with(version, firmware="7.4", processors={"CPU": "corrin-sike"}).json()
    assert then["runs_with"] == {"firmware": "7.4"}  # the processor is the one that is fitted
    assert "limit.firmware" not in {f["code"] for f in then["evaluation"]["findings"]}
    assert then["verdict_today"] == two.json()["evaluation"]["verdict"]
    steps = browser.get(f"{url}/run-sheet").json()["steps"]
    assert [s["hold"] for s in steps if s["text"] == "Bring it to firmware 7.4 (now 7.2) first"] == [True]
    assert machine_named(browser, "radar-02")["summary"]["verdict"] == then["evaluation"]["verdict"]
    assert runs_with(version, firmware="8").status_code == 409
    refused = runs_with(then["version"], mode="fast")
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "facts.mode")
    # What is as today is no wish.
    assert runs_with(then["version"], firmware="7.2").json()["runs_with"] == {}


def test_edit_undo_redo_and_rename(client: Client) -> None:
    browser = client("technician")
    machine = machine_named(browser, "radar-02")["id"]
    plan = browser.post(f"/api/machines/{machine}/plans", json={}).json()
    assert (plan["name"], plan["version"], plan["goal"]) == ("Plan 1", 1, plan["now"])
    url = f"/api/plans/{plan['id']}"
    one = browser.post(f"{url}/edits", json={"version": 1, "changes": {"B": "4GB 2Rx8 PC3L-12800S"}}).json()
    assert (one["evaluation"]["installed_gib"], one["version"], one["can_undo"], one["can_redo"]) == (5, 2, True, False)
    assert [(a["do"], a["from"], a["to"]) for a in one["actions"]] == [("keep", "A", "A"), ("put-in", None, "B")]
    moved = browser.post(f"{url}/edits", json={"version": 2, "changes": {"B": None, "A": one["goal"]["B"]}}).json()
    assert set(moved["goal"]) == {"A"} and moved["evaluation"]["rails"][0]["volts"] == 1.35

    def step(version: int, kind: str) -> Any:
        return browser.post(f"{url}/steps", json={"version": version, "step": kind}).json()

    assert step(3, "undo")["goal"] == one["goal"]
    assert step(4, "undo")["goal"] == plan["now"]
    assert step(5, "undo")["detail"] == "There is nothing to undo."
    assert step(5, "redo")["goal"] == one["goal"]
    named = browser.patch(url, json={"version": 6, "name": "Both slots"}).json()
    assert (named["name"], named["version"], named["can_undo"], named["can_redo"]) == ("Both slots", 7, True, True)
    assert browser.get(url).json() == named
    assert browser.post(f"/api/machines/{machine}/plans", json={"name": "Both slots"}).status_code == 422
    no_slot = browser.post(f"{url}/edits", json={"version": 7, "changes": {"Q": None}})
    assert (no_slot.status_code, no_slot.json()["errors"][0]["field"]) == (422, "changes.Q")
    no_label = browser.post(f"{url}/edits", json={"version": 7, "changes": {"A": "spoon"}})
    assert no_label.status_code == 422 and "“spoon” is no label text" in no_label.json()["detail"]


def test_a_stale_write_is_refused_with_both_sides_and_changes_nothing(client: Client) -> None:
    first, second = client("technician"), client("lead")
    plan = plan_of(first)
    kept = edit(first, plan, F2=MODULE).json()
    answer = edit(second, plan, F2=None)
    problem = answer.json()
    assert (answer.status_code, problem["type"]) == (409, "urn:umbrak:problem:stale")
    assert problem["detail"] == "The technician changed this plan meanwhile; nothing of yours was saved."
    assert problem["theirs"]["goal"] == kept["goal"] and problem["yours"] == {"changes": {"CPU2.F2": None}}
    assert plan_of(first)["version"] == kept["version"]


def test_targets_say_where_and_why_not(client: Client) -> None:
    browser = client("technician")
    plan = plan_of(browser)
    label = browser.post("/api/label", json={"text": "16GB 2Rx8 PC4-2400T-RE1"}).json()
    found = browser.post(f"/api/plans/{plan['id']}/targets", json={"module": label["module"]}).json()
    assert len(found) == 24 and not any(t["allowed"] for t in found)
    assert found[0]["reason"] == "CPU1 A1: DDR4 does not go into a DDR5 slot"
    fitting = plan["goal"]["CPU1.A2"]
    moves = browser.post(f"/api/plans/{plan['id']}/targets", json={"module": fitting, "taken_from": "CPU1.A2"}).json()
    assert len(moves) == 23 and all(t["allowed"] for t in moves)


def test_history_tells_who_did_what_and_cannot_be_changed(client: Client, engine: Engine) -> None:
    browser = client("technician")
    edit(browser, plan_of(browser), F2=MODULE)
    with engine.connect() as db:
        last = db.execute(
            text(
                "SELECT h.action, h.detail, a.shown_as FROM history h JOIN account a ON a.id = h.account_id ORDER BY h.id DESC LIMIT 1"
            )
        ).one()
    assert tuple(last) == (
        "plan edit",
        {"slots": ["CPU2.F2"], "version": 5},
        "The technician",
    )
    for statement in ("UPDATE history SET action = 'x'", "DELETE FROM history", "TRUNCATE history"):
        with pytest.raises(Exception, match="append-only"), engine.begin() as db:
            db.execute(text(statement))


def test_unknown_fields_and_lax_types_are_refused_by_name(client: Client) -> None:
    browser = client("technician")
    plan = plan_of(browser)
    for body, field in (
        ({"version": "1", "changes": {}}, "version"),
        ({"version": 1, "changes": {}, "spoon": 1}, "spoon"),
        ({"changes": {}}, "version"),
        ({"version": 1, "changes": {"CPU1.A1": {"ecc_bits": 5}}}, "changes.CPU1.A1"),
    ):
        answer = browser.post(f"/api/plans/{plan['id']}/edits", json=body)
        assert answer.status_code == 422 and any(e["field"].startswith(field) for e in answer.json()["errors"])


def test_a_database_that_is_away_is_said_and_comes_back(client: Client, engine: Engine) -> None:
    away = open_engine("postgresql+psycopg://nobody:x@127.0.0.1:1/none")
    app = make_app(engine)
    with TestClient(app) as browser:
        assert browser.get("/readyz").status_code == 200
        app.state.engine = away
        answer = browser.get("/api/machines")
        assert (answer.status_code, answer.json()["type"]) == (401, "urn:umbrak:problem:not-signed-in")
        browser.cookies.set("umbrak_session", "x")
        answer = browser.get("/api/machines")
        assert (answer.status_code, json.loads(answer.text)["type"]) == (503, "urn:umbrak:problem:database-down")
    away.dispose()
