"""What anybody can send costs only its sender: it is answered by a problem document, and the server goes on."""

from __future__ import annotations

import importlib
import json
import logging
import pkgutil
import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest
from fastapi import params
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD, Client
from umbrak.formats.bounds import MAX_FORM_BYTES
from umbrak.server import routers
from umbrak.server.guard import BODY_BYTES
from umbrak.services.known.summaries import refresh_stale
from umbrak.services.people.accounts import NAMES_OF_ADDRESS, TRIES, TRIES_OF_NAME

PROBLEM = "application/problem+json"


def is_problem(answer: httpx.Response, status: int, kind: str = "") -> None:
    assert (answer.status_code, answer.headers["content-type"]) == (status, PROBLEM), answer.text
    assert answer.json()["status"] == status and answer.json()["type"].endswith(kind)


def test_nested_without_end_the_server_lives(client: Client) -> None:
    browser = client("technician")
    for opening in ("[", "{", "- ", "? "):
        is_problem(browser.post("/api/sheets", json={"text": opening * 30_000}), 422, "too-deep")
    for body in ("[" * 30_000, '{"text":' * 30_000):
        answer = browser.post("/api/sheets", content=body, headers={"Content-Type": "application/json"})
        assert answer.status_code in (400, 422) and answer.headers["content-type"] == PROBLEM
    assert browser.get("/api/session").status_code == 200


def pieces(size: int) -> Iterator[bytes]:
    """A body in pieces whose length nobody is told beforehand."""
    yield _HEAD
    for _ in range(size >> 16):
        yield b" " * (1 << 16)


_HEAD = b'--x\r\nContent-Disposition: form-data; name="file"; filename="f"\r\n\r\n'
_FORM = "multipart/form-data; boundary=x"


@pytest.mark.parametrize("role", [None, "viewer"])
def test_a_body_is_refused_by_its_size_before_it_is_read(client: Client, role: str | None) -> None:
    browser = client(role)
    for path, most, kind in (
        ("/api/machines", BODY_BYTES, "application/json"),
        ("/api/plans/00000000-0000-0000-0000-000000000000/edits", BODY_BYTES, "application/json"),
        ("/api/intakes", MAX_FORM_BYTES, _FORM),
        ("/api/shelf/file?kind=stock", MAX_FORM_BYTES, _FORM),
        ("/api/spd", 64 << 10, _FORM),
        ("/api/session", 64 << 10, "application/json"),
    ):
        for content in (_HEAD + b" " * most, pieces(most + (1 << 20))):
            answer = browser.post(path, content=content, headers={"Content-Type": kind})
            is_problem(answer, 401 if role is None else 413)  # of nobody's nothing is looked at


def test_every_form_has_a_bound_of_its_own() -> None:
    forms = []
    for module in pkgutil.iter_modules(routers.__path__):
        for route in importlib.import_module(f"umbrak.server.routers.{module.name}").router.routes:
            form = any(isinstance(p.field_info, params.Form) for p in route.dependant.body_params)
            if form:
                forms.append(route.path)
                assert route.max_body_size, route.path
    assert len(forms) >= 8, forms  # they were found at all


ODD_TEXT = ("a\0b", "\x07", "\ud800", "x" * 130)


@pytest.mark.parametrize("odd", ODD_TEXT, ids=["zero byte", "bell", "half a character", "long"])
def test_odd_text_is_refused_or_cleaned_wherever_it_comes_in(client: Client, odd: str) -> None:
    browser = client("lead")
    sheet = browser.get("/api/sheets").json()[0]["hash"]
    bodies: list[tuple[str, str, dict[str, Any]]] = [
        ("POST", "/api/session", {"name": odd, "password": "x"}),
        ("POST", "/api/machines", {"name": odd, "sheet_hash": sheet}),
        ("POST", "/api/people", {"name": odd, "password": PASSWORD, "role": "viewer"}),
        ("POST", "/api/shelf/stock", {"module": {"part": odd, "generation": "DDR4", "capacity_gib": 8}}),
        ("POST", "/api/trials", {"sheet_id": odd, "outcome": "fine", "who": "named", "tried_on": "2026-01-01"}),
    ]
    for method, path, body in bodies:
        content = json.dumps(body).encode()
        answer = browser.request(method, path, content=content, headers={"Content-Type": "application/json"})
        assert answer.status_code in (401, 422), (path, answer.text)
    query = odd.encode("utf-8", "surrogatepass")
    for path in ("/api/machines", "/api/shelf", "/api/trials"):
        assert browser.get(path, params={"q": query}).status_code == 200
    for path in ("/api/sheets/%00", "/api/sheets/%ED%A0%80", "/api/runs/%00/slots/%00/label"):
        assert browser.get(path).status_code in (404, 405, 422)


def test_what_a_report_says_oddly_can_be_kept(client: Client) -> None:
    """A maker with a bell in it, a part of 300 characters, sizes of 400 and 5000 digits: taken in, and made a machine of."""
    browser = client("technician")
    (sheet,) = (s["hash"] for s in browser.get("/api/sheets").json() if s["sheet_id"] == "one-socket-two-by-two")
    view = browser.get(f"/api/sheets/{sheet}").json()
    slot = view["board"]["channels"][0]["slots"][0]
    device = "Memory Device\n\tSize: {size}\n\tLocator: A\x001\n\tManufacturer: Pel\x07lam\u202e\n\tType: DDR4\n\tPart Number: {part}\n"
    for size in ("8 GB", "9" * 400 + " GB", "9" * 5000 + " MB", "0." + "0" * 400 + "1 GB"):
        text_ = device.format(size=size, part="P" * 300)
        taken = browser.post("/api/intakes", data={"text": text_})
        assert taken.status_code == 201, taken.text
        report = taken.json()["reading"]["slots"][0]
        made = browser.post(
            "/api/machines",
            json={"name": f"odd {len(size)}", "sheet_hash": sheet, "intake_id": taken.json()["id"], "slots": {slot: 0}},
        )
        assert made.status_code == 201, made.text
    module = report["module"] or {}
    assert (report["locator"], module.get("maker", "Pellam")) == ("A1", "Pellam")


def test_a_part_of_minute_capacity_is_no_offer(client: Client) -> None:
    module = {"generation": "DDR4", "capacity_gib": 5e-324}
    answer = client("technician").post("/api/shelf/offers", json={"part": "X-1", "module": module, "price": "9"})
    is_problem(answer, 422)


@pytest.mark.parametrize(
    ("state", "status", "kind"),
    [("53100", 507, "disk-full"), ("53300", 503, "busy"), ("40P01", 503, "busy"), ("57P01", 503, "database-down"), ("XX000", 500, "unexpected")],
)  # fmt: skip
def test_full_busy_down_and_broken_are_told_apart(
    client: Client, engine: Engine, caplog: pytest.LogCaptureFixture, state: str, status: int, kind: str
) -> None:
    browser = client("technician")
    with engine.begin() as db:  # as the database itself says it, in the middle of a use case
        db.execute(
            text(
                f"CREATE FUNCTION refuse() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'no' USING ERRCODE = '{state}'; END $$"
            )
        )
        db.execute(text("CREATE TRIGGER refuse BEFORE INSERT ON stock FOR EACH ROW EXECUTE FUNCTION refuse()"))
    with caplog.at_level(logging.ERROR):
        module = {"generation": "DDR4", "capacity_gib": 8, "serial": "SECRET-1"}
        answer = browser.post("/api/shelf/stock", json={"module": module})
    is_problem(answer, status, kind)
    if status == 500:
        key = answer.json()["id"]
        (line,) = (r for r in caplog.records if key in r.getMessage())
        assert re.search(r"store/shelf\.py:\d+ \(POST '/api/shelf/stock'\): InternalError", line.getMessage())
        assert line.exc_info and "SECRET-1" not in str(line.exc_info[1])  # what was to be kept is in no log
    assert ("Retry-After" in answer.headers) == (kind == "busy")


def test_unknown_routes_and_no_json_are_problems_too(client: Client) -> None:
    browser = client("technician")
    is_problem(browser.get("/api/nothing"), 404)
    is_problem(browser.put("/api/machines"), 405)
    is_problem(browser.post("/api/label", content="{", headers={"Content-Type": "application/json"}), 422)
    is_problem(browser.post("/api/label", content="text=x", headers={"Content-Type": "text/plain"}), 422)
    is_problem(browser.post("/api/intakes", content="x", headers={"Content-Type": "multipart/form-data"}), 400)


def test_what_cannot_be_read_costs_its_own_line_alone(client: Client, engine: Engine) -> None:
    browser = client("technician")
    page = browser.get("/api/machines").json()
    broken = page["machines"][0]["id"]
    with engine.begin() as db:
        db.execute(text("ALTER TABLE survey DISABLE TRIGGER USER"))
        odd = {"schema": 1, "slots": {"A1": {"generation": "DDR9"}}}
        db.execute(text("UPDATE survey SET document = :d WHERE machine_id = :m"), {"d": json.dumps(odd), "m": broken})
        db.execute(text("UPDATE machine_summary SET rules_version = 0"))
    refresh_stale(engine)  # as every start does
    again = browser.get("/api/machines").json()
    lines = {m["id"]: m["summary"] for m in again["machines"]}
    assert again["total"] == page["total"] and "cannot be read" in lines.pop(broken)["worst_message"]
    assert all("cannot be read" not in (s["worst_message"] or "") for s in lines.values())
    is_problem(browser.get(f"/api/machines/{broken}"), 500, "unreadable-document")


def test_what_a_newer_version_wrote_is_told_where_it_would_stand(client: Client, engine: Engine) -> None:
    """Lines of the Shelf, offers and field notes in their places; a run and a plan on their own pages, and nowhere else."""
    browser = client("technician")
    newer = json.dumps({"schema": 99, "slots": {}})
    before = browser.get("/api/shelf").json(), browser.get("/api/trials").json(), browser.get("/api/machines").json()
    with engine.begin() as db:
        machine, plan = db.execute(text("SELECT machine_id, id FROM plan ORDER BY created_at LIMIT 1")).one()
        stock = db.execute(text("UPDATE stock SET module = :d WHERE id = (SELECT min(id::text)::uuid FROM stock) RETURNING id"), {"d": newer}).scalar_one()  # fmt: skip
        db.execute(text("UPDATE offer SET module = '{\"odd\": 1}' WHERE id = (SELECT min(id::text)::uuid FROM offer)"))
        db.execute(text("UPDATE trial SET module = :d WHERE id = (SELECT min(id::text)::uuid FROM trial WHERE module IS NOT NULL)"), {"d": newer})  # fmt: skip
        db.execute(text("UPDATE plan SET goal = :d WHERE id = :p"), {"d": newer, "p": plan})
    shelf, trials = browser.get("/api/shelf").json(), browser.get("/api/trials").json()
    assert [len(shelf["stock"]), len(shelf["offers"]), len(trials)] == [len(before[0]["stock"]), len(before[0]["offers"]), len(before[1])]  # fmt: skip
    (line,) = [x for x in shelf["stock"] if x["id"] == str(stock)]
    assert "newer version" in line["words"] and line["free"] == 0
    assert sum("cannot be read" in x["words"] for x in shelf["offers"]) == 1
    assert sum("newer version" in t["module"] for t in trials) == 1
    told = browser.get(f"/api/plans/{plan}")
    assert told.status_code == 500 and "newer version" in told.json()["detail"]
    assert browser.get("/api/machines").json()["total"] == before[2]["total"]
    others = [m["id"] for m in before[2]["machines"] if m["id"] != str(machine)]
    assert all(browser.get(f"/api/machines/{m}").status_code == 200 for m in others[:4])
    # What still can be read of the machine is shown.
    assert browser.get(f"/api/machines/{machine}").status_code == 200


# -- signing in ---------------------------------------------------------------------------------------


def guess(browser: httpx.Client, name: str, password: str = "wrong") -> int:
    return browser.post("/api/session", json={"name": name, "password": password}).status_code


def test_forty_guesses_at_once_are_five(client: Client) -> None:
    name = client("viewer").get("/api/session").json()["name"]
    browsers = [client(None) for _ in range(40)]
    with ThreadPoolExecutor(40) as crowd:
        statuses = list(crowd.map(lambda b: guess(b, name), browsers))
    assert sorted(statuses) == [401] * TRIES + [429] * (40 - TRIES)


def test_neighbours_and_owners_are_not_locked_out_by_a_stranger(client: Client, engine: Engine) -> None:
    owner, stranger = client("viewer"), client(None)
    name = owner.get("/api/session").json()["name"]
    # Somebody behind the same address tries many names, and the owner's over and over.
    for i in range(NAMES_OF_ADDRESS):
        assert guess(stranger, f"name {i}") == 401
    assert guess(stranger, "one more") == 429
    with engine.begin() as db:
        values = [{"name": name, "address": f"192.0.2.{i}"} for i in range(TRIES_OF_NAME)]
        db.execute(text("INSERT INTO sign_in_failure (name, address) VALUES (:name, :address)"), values)
    assert guess(stranger, name, PASSWORD) == 429
    owner.delete("/api/session")
    assert guess(owner, name, PASSWORD) == 200  # this browser is known
    assert [guess(owner, name) for _ in range(TRIES + 1)] == [401] * TRIES + [429]


def test_ones_own_password_is_not_for_guessing_either(client: Client) -> None:
    browser = client("viewer")
    wrong = {"old": "not it", "new": "a new password"}
    assert [browser.put("/api/session/password", json=wrong).status_code for _ in range(TRIES + 1)] == [422] * TRIES + [
        429
    ]
    right = {"old": PASSWORD, "new": "a new password"}
    assert browser.put("/api/session/password", json=right).status_code == 429
    assert guess(browser, browser.get("/api/session").json()["name"], PASSWORD) == 200


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"password": "short"}, "password"),
        ({"password": "long enough", "privacy_password": "short"}, "privacy_password"),
        ({"privacy_password": "long enough"}, "password"),
    ],
)
def test_a_passphrase_that_snmp_cannot_use_is_refused_at_its_field(
    client: Client, caplog: pytest.LogCaptureFixture, given: dict[str, str], field: str
) -> None:
    browser = client("technician")
    machine = browser.get("/api/machines").json()["machines"][0]["id"]
    body = {"address": "192.0.2.7", "user": "reader", **given}
    for answer in (
        browser.post("/api/intakes/asked/snmp", json=body),
        browser.put(f"/api/machines/{machine}/services/snmp", json=body),
    ):
        is_problem(answer, 422)
        assert answer.json()["errors"][0]["field"] == field
    assert not any(secret in caplog.text for secret in given.values())
