"""By what somebody is let in: sessions that can be seen and ended, and tokens for scripts that reach no further than they say."""

from __future__ import annotations

from fastapi.testclient import TestClient
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD, Client
from umbrak.services.people.access import MOST_TOKENS
from umbrak.services.people.accounts import add_account


def script(client: Client, token: str) -> TestClient:
    browser = client(None)
    browser.headers["Authorization"] = f"Bearer {token}"
    return browser


def test_sessions_are_listed_and_ended_and_end_when_nobody_uses_them(client: Client, engine: Engine) -> None:
    add_account(engine, "keeper", shown_as="K.", password=PASSWORD, role="technician")
    here, phone, other = client(None), client(None), client("lead")
    for browser, agent in ((here, "a desk"), (phone, "a phone")):
        answer = browser.post(
            "/api/session", json={"name": "keeper", "password": PASSWORD}, headers={"User-Agent": agent}
        )
        assert answer.status_code == 200
    listed = here.get("/api/sessions").json()
    assert [(s["agent"], s["is_this"]) for s in listed if s["agent"]] == [("a phone", False), ("a desk", True)]
    theirs = other.get("/api/sessions").json()[0]["id"]
    assert here.delete(f"/api/sessions/{theirs}").status_code == 404, "somebody else's is none of mine"
    assert here.delete(f"/api/sessions/{listed[0]['id']}").status_code == 204
    assert phone.get("/api/session").status_code == 401 and here.get("/api/session").status_code == 200
    phone.post("/api/session", json={"name": "keeper", "password": PASSWORD})
    assert here.delete("/api/sessions").status_code == 204
    assert (phone.get("/api/session").status_code, here.get("/api/session").status_code) == (401, 200)
    with engine.begin() as db:  # used within the day: it is noted; not for three days: it has ended
        db.execute(text("UPDATE session SET used_at = now() - interval '2 days'"))
    assert here.get("/api/session").status_code == 200
    with engine.begin() as db:
        assert db.execute(text("SELECT max(used_at) > now() - interval '1 minute' FROM session")).scalar()
        db.execute(text("UPDATE session SET used_at = now() - interval '73 hours'"))
    assert here.get("/api/session").status_code == 401
    with engine.connect() as db:
        told = (
            db.execute(text("SELECT action FROM history WHERE action IN ('signed in', 'sessions ended') ORDER BY id"))
            .scalars()
            .all()
        )
    assert told[-4:] == ["signed in", "sessions ended", "signed in", "sessions ended"]


def test_a_token_lets_a_script_in_as_far_as_it_says(client: Client, engine: Engine) -> None:
    person = client("technician")
    made = person.post("/api/tokens", json={"name": "nightly export", "role": "viewer", "days": 30})
    assert made.status_code == 201 and made.json()["token"].startswith("umbrak_")
    key, token = made.json()["kept"]["id"], made.json()["token"]
    asks = script(client, token)
    assert asks.get("/api/machines").status_code == 200
    assert asks.get("/api/session").json()["role"] == "viewer"
    assert asks.post("/api/machines", json={}).status_code in (403, 422)
    sheets = asks.post("/api/intakes", data={"text": "A1: 16GB DDR4\n"})
    assert (sheets.status_code, sheets.json()["type"]) == (403, "urn:umbrak:problem:not-allowed")
    # What lets somebody in is looked after by people.
    for method, path, body in (
        ("GET", "/api/tokens", None), ("POST", "/api/tokens", {"name": "x", "role": "viewer"}), ("GET", "/api/sessions", None),
        ("DELETE", "/api/sessions", None), ("PUT", "/api/session/password", {"old": PASSWORD, "new": PASSWORD + "x"}),
        ("GET", "/api/people", None), ("POST", "/api/desk/feed", None),
    ):  # fmt: skip
        refused = asks.request(method, path, json=body)
        assert refused.status_code == 403 and "sign in" in refused.json()["detail"], path
    (listed,) = person.get("/api/tokens").json()
    assert listed["used_at"] and "token" not in listed and listed["name"] == "nightly export"
    with engine.connect() as db:
        rows = db.execute(text("SELECT t::text FROM script_token t")).scalars().all()
    assert token not in "".join(rows)
    # It ends with its day, at a press, and with its person; a person who may less lends less.
    with engine.begin() as db:
        db.execute(text("UPDATE script_token SET expires_at = now() - interval '1 second'"))
    assert asks.get("/api/machines").json()["detail"] == "This token is not known, or has ended."
    assert person.delete(f"/api/tokens/{key}").status_code == 204
    assert person.delete(f"/api/tokens/{key}").status_code == 404
    again = person.post("/api/tokens", json={"name": "import", "role": "technician", "days": 1}).json()["token"]
    writes = script(client, again)
    assert writes.post("/api/intakes", data={"text": "A1: 16GB DDR4\n"}).status_code == 201
    with engine.begin() as db:
        db.execute(text("UPDATE account SET role = 'viewer' WHERE name LIKE 'technician-%'"))
    assert writes.get("/api/session").json()["role"] == "viewer"
    with engine.begin() as db:
        db.execute(text("UPDATE account SET active = false WHERE name LIKE 'technician-%'"))
    assert writes.get("/api/machines").status_code == 401


def test_wrong_tokens_are_refused_where_it_is_said_what_to_do(client: Client) -> None:
    person = client("technician")
    for body, field in (
        ({"name": "x", "role": "lead"}, None), ({"name": "x", "role": "king"}, "role"), ({"name": "x", "role": "viewer", "days": 0}, "days"),
        ({"name": "x", "role": "viewer", "days": 401}, "days"),
    ):  # fmt: skip
        refused = person.post("/api/tokens", json=body)
        assert refused.status_code == (422 if field else 403), body
        assert field is None or refused.json()["errors"][0]["field"] == field
    for odd in ("", "umbrak_", "umbrak_" + "x" * 5000, "\xff"):
        assert (
            client(None).get("/api/machines", headers={"Authorization": f"Bearer {odd}".encode("latin-1")}).status_code
            == 401
        )
    for n in range(MOST_TOKENS):
        assert person.post("/api/tokens", json={"name": f"t{n}", "role": "viewer"}).status_code == 201
    full = person.post("/api/tokens", json={"name": "one more", "role": "viewer"})
    assert full.status_code == 422 and "at most" in full.json()["detail"]


def test_leads_see_who_came_in_and_who_was_kept_out(client: Client, engine: Engine) -> None:
    lead = client("lead")
    add_account(engine, "keeper", shown_as="K.", password=PASSWORD, role="technician")
    guesser = client(None)
    for name in ("keeper", "a password in the wrong field"):
        for _ in range(8):
            guesser.post("/api/session", json={"name": name, "password": "wrong guess"})
    client("viewer").post("/api/tokens", json={"name": "export", "role": "viewer"})
    lines = lead.get("/api/people/events").json()
    told = [(line["action"], line["detail"].get("name")) for line in lines]
    assert told[:2] == [("token made", "export"), ("signed in", None)]
    assert [t for t in told if t[0] == "sign-in locked"] == [("sign-in locked", ""), ("sign-in locked", "keeper")]
    assert "wrong field" not in str(lines) and len(told) == len({line["id"] for line in lines})
    assert lead.get("/api/people/events", params={"before": lines[-1]["id"]}).json() == []
