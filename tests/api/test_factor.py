"""A second factor: what sign-in asks for beside the password, and what does when it is lost."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pyotp
from fastapi.testclient import TestClient
from sqlalchemy import Engine, text

from tests.api.conftest import PASSWORD, Client
from umbrak.services.people.accounts import TRIES


def wrong_code(totp: pyotp.TOTP) -> str:
    """Six digits that are the code of no step near now."""
    now = totp.timecode(datetime.now(UTC))
    near = {totp.generate_otp(now + step) for step in range(-3, 4)}
    return next(f"{n:06}" for n in range(10) if f"{n:06}" not in near)


def with_factor(browser: TestClient) -> tuple[str, pyotp.TOTP, list[str]]:
    """(name, the authenticator, recovery codes) of whoever is signed in there."""
    begun = browser.post("/api/second-factor").json()
    assert begun["secret"] in begun["uri"] and begun["picture"].startswith("<svg")
    totp = pyotp.TOTP(begun["secret"])
    refused = browser.put("/api/second-factor", json={"code": wrong_code(totp)})
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "code")
    assert browser.get("/api/second-factor").json() == {"on": False, "codes": 0}, "nothing is asked for yet"
    codes = browser.put("/api/second-factor", json={"code": totp.now()}).json()
    assert browser.get("/api/second-factor").json() == {"on": True, "codes": 10}
    return browser.get("/api/session").json()["name"], totp, codes


def test_sign_in_asks_for_a_code_and_takes_each_once(client: Client, engine: Engine) -> None:
    name, totp, codes = with_factor(client("technician"))
    there = client(None)

    def sign_in(code: str | None, password: str = PASSWORD) -> tuple[int, str]:
        answer = there.post("/api/session", json={"name": name, "password": password, "code": code})
        return answer.status_code, answer.json().get("type", "").rsplit(":", 1)[-1]

    assert sign_in(None) == (401, "second-factor")
    assert sign_in(None, "not the password") == (401, "not-signed-in"), "whoever has no password learns nothing"
    assert sign_in(totp.now()) == (401, "not-signed-in"), "the code by which it was confirmed is used up"
    later = totp.at(datetime.now(UTC) + timedelta(seconds=30))
    assert sign_in(later)[0] == 200 and there.get("/api/session").status_code == 200
    assert sign_in(later) == (401, "not-signed-in"), "each is good once"
    assert sign_in(codes[0].lower().replace("-", " "))[0] == 200
    assert sign_in(codes[0]) == (401, "not-signed-in")
    assert there.get("/api/second-factor").json()["codes"] == 9
    with engine.connect() as db:
        kept = db.execute(text("SELECT convert_from(sealed, 'UTF8') FROM second_factor")).scalar_one()
        told = db.execute(text("SELECT action FROM history WHERE action LIKE '%code%' OR action LIKE '%factor%'"))
        assert list(told.scalars()) == ["second factor on", "recovery code used"]
    assert totp.secret not in kept


def test_wrong_codes_are_throttled_like_wrong_passwords(client: Client) -> None:
    name, totp, _ = with_factor(client("technician"))
    there = client(None)
    body = {"name": name, "password": PASSWORD, "code": wrong_code(totp)}
    statuses = [there.post("/api/session", json=body).status_code for _ in range(TRIES + 1)]
    assert statuses == [401] * TRIES + [429]


def test_it_is_taken_away_by_a_code_or_by_a_lead(client: Client) -> None:
    browser, lead = client("technician"), client("lead")
    name, totp, codes = with_factor(browser)
    assert browser.post("/api/second-factor").status_code == 422, "one is in use"
    refused = browser.post("/api/second-factor/removal", json={"code": wrong_code(totp)})
    assert refused.status_code == 422
    assert browser.post("/api/second-factor/removal", json={"code": codes[3]}).status_code == 204
    assert client(None).post("/api/session", json={"name": name, "password": PASSWORD}).status_code == 200
    name, _, _ = with_factor(browser)
    (member,) = [p for p in lead.get("/api/people").json() if p["name"] == name]
    assert member["second_factor"] is True
    assert lead.delete(f"/api/people/{member['id']}/second-factor").status_code == 204
    assert client(None).post("/api/session", json={"name": name, "password": PASSWORD}).status_code == 200
    events = lead.get("/api/people/events").json()
    assert [e["detail"]["name"] for e in events if e["action"] == "second factor off"] == [name, name]
